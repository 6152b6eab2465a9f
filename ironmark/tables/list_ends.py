"""What stands above a long list and below it, titles, totals and notes, by its first and last lines."""

from __future__ import annotations

import csv
from collections.abc import Sequence
from dataclasses import dataclass, replace

from ironmark.tables.grid import separator_of_lines
from ironmark.tables.lines import Lines, sign_of
from ironmark.tables.table import Problem

FIRST, LAST = 80, 15  # lines that tell what stands around a long table, and whether it is a plain list
_MOST_BYTES = 4 << 20  # of these together
_BESIDE = ("title", "total", "note", "blank")


@dataclass(frozen=True)
class ListEnds:
    """Bytes of a text before its head, and after its last row; what is said of them; and how many lines stand above."""

    before: int = 0
    after: int = 0
    said: tuple[Problem, ...] = ()
    above: int = 0

    def told(self, problems: Sequence[Problem]) -> tuple[Problem, ...]:
        """All that is said, by the lines of the file. problems: by those of the list."""
        return (*self.said, *(replace(one, rows=tuple(row + self.above for row in one.rows)) for one in problems))


def list_ends(first: bytes, last: bytes) -> ListEnds:
    """first: whole lines a text begins with; last: those it ends with, none of them among the others. Nothing is left out
    where it is no plain list but for what stands around it."""
    lines = [*first.splitlines(keepends=True)[:FIRST], *last.splitlines(keepends=True)[-LAST:]]
    if sum(map(len, lines)) > _MOST_BYTES:
        return ListEnds()
    texts = [line.decode("utf-8", "replace").rstrip("\r\n") for line in lines]
    try:
        separator = separator_of_lines(texts)
        cells = [next(csv.reader([text], delimiter=separator), []) for text in texts]
    except csv.Error:
        return ListEnds()
    width = max(map(len, cells), default=0)
    rows = [tuple(map(str.strip, row)) + ("",) * (width - len(row)) for row in cells]
    if width < 2 or not any(map(any, rows)) or any(text.count('"') % 2 for text in texts):
        return ListEnds()
    if _is_plain(rows):
        return ListEnds()
    found = Lines(rows, {}, None)
    kinds = [mark.kind for mark in found.marks]
    if len(found.heads) != 1 or len(found.blocks) > 1 or len(kinds) != len(rows):
        return ListEnds()
    head, end = found.heads[0], len(kinds)
    while end > head + 1 and kinds[end - 1] in _BESIDE:
        end -= 1
    body = kinds[head + 1 : end]
    # What ends in the first lines is short, and the last ones are looked at apart.
    if set(kinds[:head]) - {*_BESIDE} or set(body) - {"row", "blank"} or "row" not in body:
        return ListEnds()
    if last and end <= len(lines) - min(LAST, len(lines)):
        return ListEnds()
    above, below = (
        [next(filter(None, rows[at])) for at in some if any(rows[at])] for some in (range(head), range(end, len(rows)))
    )
    said = (_left_out(above, below),) if above or below else ()
    return ListEnds(sum(map(len, lines[:head])), sum(map(len, lines[end:])), said, head)


def _is_plain(rows: list[tuple[str, ...]]) -> bool:
    """Whether it is clear at a glance that nothing stands around them: a head over every column, and each line below it filled
    alike and beginning with the same kind of thing."""
    filled = [sum(map(bool, row)) for row in rows]
    first = {sign_of(row[0]) for row in rows[1:]}
    return (
        filled[0] == len(rows[0])
        and len(first) == 1
        and 2 * min(filled[1:], default=0) > filled[0]
        and sign_of(rows[0][0]) == "t"
        and first != {"t"}
    )


def outer_lines(body: bytes) -> tuple[bytes, bytes]:
    """The first and last lines of a text that is held."""
    first, last = 0, len(body)
    for _ in range(FIRST):
        first = body.find(b"\n", first) + 1 or len(body)
    for _ in range(LAST + body.endswith(b"\n")):
        if (last := body.rfind(b"\n", first, last)) < 0:
            return body[:first], body[first:]
    return body[:first], body[last + 1 :]


def _left_out(above: list[str], below: list[str]) -> Problem:
    told = [*above, *below]
    where = " and ".join(["above its head"] * bool(above) + ["below its rows"] * bool(below))
    some = ", ".join(f"“{text[:40]}”" for text in told[:3]) + (f" and {len(told) - 3} more" if len(told) > 3 else "")
    return Problem(f"{some}: what stands {where} was left out.")
