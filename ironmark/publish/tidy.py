"""The readings of a page as CSV, zipped, with a data dictionary."""

from __future__ import annotations

import io
import zipfile
from collections.abc import Sequence

from ironmark.publish.export_page import COLUMNS, ExportPage
from ironmark.publish.proof import Mark
from ironmark.publish.sheets import Cell, as_csv

ZIP = "application/zip"
_MOMENT = (2000, 1, 1, 0, 0, 0)  # the same page makes the same bytes


def as_zip(leaf: ExportPage) -> bytes:
    rows: list[Sequence[Cell]] = [[getattr(row, name) for name in COLUMNS] for row in leaf.rows]
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as packed:
        for name, head, body in (
            ("readings.csv", list(COLUMNS), rows),
            ("dictionary.csv", ["column", "what it holds"], list(COLUMNS.items())),
            ("about.csv", ["what", "is"], about(leaf)),
        ):
            packed.writestr(zipfile.ZipInfo(name, _MOMENT), as_csv(head, body), zipfile.ZIP_DEFLATED)
    return buffer.getvalue()


def about(leaf: ExportPage) -> list[tuple[str, str]]:
    """What is told of a page, in two columns."""
    told = leaf.about
    found = [
        ("Title", leaf.title),
        ("Period", leaf.picture.period_label),
        ("Data complete through", leaf.through),
        *[("Only", f"{segment}: {', '.join(names)}") for segment, names in leaf.frozen.page.members.items()],
    ]
    if told:
        found += [
            ("Edition", told.number), ("State", told.state), ("Made", f"{told.made_at} {told.made_by}".strip()),
            ("Published", f"{told.published_at} {told.published_by}".strip()),
            ("Withdrawn", f"{told.withdrawn_at} {told.withdrawn_by}".strip()), ("Why", told.why), ("Note", told.note),
        ]  # fmt: skip
    if told:
        found.append(("Proof", str(Mark(told.id, told.number, told.sha256))))
    found += [(f"Rows of {held.name}", f"version {held.rows}") for held in leaf.frozen.datasets.values()]
    return [(label, text) for label, text in found if text]
