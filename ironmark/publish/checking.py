"""From which edition a file is, and whether a figure in it was changed since it left."""

from __future__ import annotations

import csv
import io
import json
import re
import zipfile
from collections.abc import Iterator, Sequence
from typing import Any, Literal

import openpyxl
from pydantic import BaseModel

from ironmark.publish import document, page, tidy, workbook
from ironmark.publish.export_page import ExportPage
from ironmark.publish.page import Form
from ironmark.publish.plain import as_plain
from ironmark.publish.proof import Mark, NoFile, Seal, canonical, unchanged

MOST = 20  # differences that are told one by one


class Checked(BaseModel):
    """kind: of file. edition: its id, where it says one; title, number, period_label: of the one that is here; of a book none. found: as it
    left; changed; not certain, where nothing differs but the seal is not of this installation; unknown, where no edition
    here is the one it names; unmarked. differences: where it says otherwise, at most so many; said: all of it in words."""

    kind: str
    found: Literal["as_it_left", "changed", "uncertain", "unknown", "unmarked"]
    edition: str | None = None
    title: str = ""
    number: str = ""
    period_label: str = ""
    differences: list[str] = []
    more: int = 0
    said: str


def unmarked(kind: str) -> Checked:
    return Checked(
        kind=kind, found="unmarked",
        said="It names no edition: it is a page as it was read, or somebody took its mark out. Nothing can be said of it.",
    )  # fmt: skip


def unknown(kind: str, mark: Mark) -> Checked:
    said = f"It says that it is edition {mark.number} (checksum {mark.sha256[:12]}…), and no such edition is here."
    return Checked(kind=kind, found="unknown", edition=mark.edition, number=mark.number, said=said)


def compared(body: bytes, kind: str, marks: Sequence[Mark], leaves: Sequence[ExportPage], seal: Seal) -> Checked:
    """A file beside the edition it names, or a book beside its editions. Raises NoFile."""
    told: dict[str, Any] = {"kind": kind}
    abouts = [leaf.about for leaf in leaves if leaf.about]
    named = [f"edition {about.number} of {about.title}, {leaf.picture.period_label}" for leaf, about in zip(leaves, abouts, strict=True)]  # fmt: skip
    if len(leaves) == 1:
        about = abouts[0]
        told |= {"edition": about.id, "title": about.title, "number": about.number, "period_label": leaves[0].picture.period_label}  # fmt: skip
    of = f"It is of {named[0]}" if len(named) == 1 else f"It is a book of {'; '.join(named)}"
    if any(mark.sha256 != about.sha256 for mark, about in zip(marks, abouts, strict=True)):
        return Checked(**told, found="changed", said=f"{of} by its name, but its checksum is that of another one.")
    if marks[0].seal and unchanged(body, kind, marks, seal):
        return Checked(**told, found="as_it_left", said=f"{of}. Nothing in it was changed since it left.")
    compared = len(leaves) == 1 and kind in _COMPARED
    differ = list(_differences(body, kind, leaves[0])) if compared else []
    if differ:
        many = "one place" if len(differ) == 1 else f"{len(differ)} places"
        more = max(0, len(differ) - MOST)
        return Checked(**told, found="changed", differences=differ[:MOST], more=more, said=f"{of}, and it was changed in {many}.")  # fmt: skip
    if compared:
        said = f"{of}. Every figure in it is that of the edition; something else was changed, or it was saved anew or made elsewhere."
        return Checked(**told, found="uncertain", said=said)
    return Checked(**told, found="changed", said=f"{of}, and it is not as it left: it was changed, or made elsewhere.")


_COMPARED = ("xlsx", "csv", "json", "html")


def _differences(body: bytes, kind: str, leaf: ExportPage) -> Iterator[str]:
    """Where a file says otherwise than its edition."""
    try:
        if kind == "xlsx":
            yield from _of_workbook(body, leaf)
        elif kind == "csv":
            yield from _of_tables(body, leaf)
        elif kind == "json":
            yield from _of_json(body, leaf)
        elif kind == "html":
            yield from _of_html(body, leaf)
    except (KeyError, TypeError, ValueError, IndexError, AttributeError, zipfile.BadZipFile, OSError) as error:
        raise NoFile(f"It is not of the form that leaves any more, so it was changed: {error}.") from None


def _of_workbook(body: bytes, leaf: ExportPage) -> Iterator[str]:
    ours = openpyxl.load_workbook(io.BytesIO(workbook.as_workbook(leaf)), read_only=True)
    theirs = openpyxl.load_workbook(io.BytesIO(body), read_only=True, data_only=True)
    for sheet in ours.sheetnames:
        if sheet not in theirs.sheetnames:
            yield f"The sheet {sheet} is gone."
            continue
        mine, other = (list(book[sheet].iter_rows(values_only=True)) for book in (ours, theirs))
        for y in range(max(len(mine), len(other))):
            one, two = (row[y] if y < len(row) else () for row in (mine, other))
            for x in range(max(len(one), len(two))):
                here, there = (cells[x] if x < len(cells) else None for cells in (one, two))
                if not _same(here, there):
                    yield f"{sheet}, {openpyxl.utils.get_column_letter(x + 1)}{y + 1}: {_said(here)} in the edition, {_said(there)} in the file"  # fmt: skip


def _same(one: Any, other: Any) -> bool:
    if isinstance(one, (int, float)) and isinstance(other, (int, float)):
        return abs(one - other) <= 1e-9 * max(1.0, abs(one))
    return (one or "") == (other or "")


def _said(cell: Any) -> str:
    return "nothing" if cell in (None, "") else f"“{str(cell)[:60]}”"


def _of_tables(body: bytes, leaf: ExportPage) -> Iterator[str]:
    ours, theirs = (
        {name: _table(text, name) for name in ("readings.csv", "about.csv")} for text in (tidy.as_zip(leaf), body)
    )
    for name, rows in ours.items():
        other = theirs[name]
        head = rows[0]
        for y in range(max(len(rows), len(other))):
            one, two = (table[y] if y < len(table) else [] for table in (rows, other))
            for x in range(max(len(one), len(two))):
                here, there = (cells[x] if x < len(cells) else "" for cells in (one, two))
                if here != there:
                    column = head[x] if x < len(head) else str(x + 1)
                    yield f"{name}, line {y + 1}, {column}: {_said(here)} in the edition, {_said(there)} in the file"


def _table(body: bytes, name: str) -> list[list[str]]:
    with zipfile.ZipFile(io.BytesIO(body)) as packed:
        return list(csv.reader(io.StringIO(packed.read(name).decode("utf-8-sig"))))


def _of_json(body: bytes, leaf: ExportPage) -> Iterator[str]:
    ours, theirs = (json.loads(text) for text in (document.as_json(leaf), body))
    yield from _deep(ours["readings"], theirs["readings"], "readings")
    if canonical(ours["frozen"]) != canonical(theirs["frozen"]):
        yield from _deep(ours["frozen"], theirs["frozen"], "frozen")
    yield from _deep(ours["edition"], theirs["edition"], "edition")


def _of_html(body: bytes, leaf: ExportPage) -> Iterator[str]:
    found = re.search(
        r'<script type="application/json" id="told">(.*?)</script>', body.decode("utf-8", "replace"), re.S
    )
    assert found is not None
    ours, theirs = json.loads(page.page_json(leaf, {}, Form())), json.loads(found[1])
    for name in ("title", "heading", "through", "picture", "workings"):
        yield from _deep(ours[name], theirs[name], name)
    plain = re.search(r'<div id="app">(.*?)</div><script', body.decode("utf-8", "replace"), re.S)
    if plain is None or plain[1] != as_plain(leaf):
        yield "What is read without scripts is not that of the edition."


def _deep(one: Any, other: Any, where: str) -> Iterator[str]:
    """Where two trees differ, by the way there."""
    if isinstance(one, dict) and isinstance(other, dict):
        for key in one.keys() | other.keys():
            yield from _deep(one.get(key), other.get(key), f"{where}.{key}")
    elif isinstance(one, list) and isinstance(other, list) and len(one) == len(other):
        for at, (a, b) in enumerate(zip(one, other, strict=True)):
            named = (
                f" ({a.get('label') or a.get('member') or a.get('instrument') or ''})" if isinstance(a, dict) else ""
            )
            yield from _deep(a, b, f"{where} {at + 1}{named.replace(' ()', '')}")
    elif one != other:
        yield f"{where}: {_said(one)} in the edition, {_said(other)} in the file"
