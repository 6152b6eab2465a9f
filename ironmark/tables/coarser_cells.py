"""Cells of more segments give those of fewer: the same rows, added up once more."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np

from ironmark.core.evaluate import Floats
from ironmark.core.marks import Ints
from ironmark.tables.cells import Cells, PartKey

MOST_FINE = 250_000  # cells that those of fewer segments are added up from
# What each part of coarser cells is of those of finer ones; all others are added.
JOINED = {"min": np.fmin, "max": np.fmax}


def finest(places: int, members: Mapping[str, Sequence[str]]) -> tuple[str, ...]:
    """The segments by whose cells those of fewer are known: as many as come to few cells, those with the fewest members first.
    places: days, weeks or months."""
    some: list[str] = []
    for segment in sorted(members, key=lambda name: (len(members[name]), name)):
        if (places := places * len(members[segment])) > MOST_FINE:
            break
        some.append(segment)
    return tuple(sorted(some))


def coarser(cells: Cells, segments: Sequence[str], members: Mapping[str, Sequence[str]]) -> tuple[Cells, Ints]:
    """The same rows by fewer segments, without parts, and which of these cells each of the finer ones is in (N,)."""
    code = np.asarray(cells.unit, dtype=np.int64)
    for segment in segments:
        code = code * len(members[segment]) + cells.member[segment]
    codes, place = np.unique(code, return_inverse=True)
    place = place.ravel()
    rows = np.bincount(place, weights=cells.rows, minlength=len(codes)).astype(np.int64)
    return cells_of(codes, segments, members, rows), place


def cells_of(codes: Ints, segments: Sequence[str], members: Mapping[str, Sequence[str]], rows: Ints) -> Cells:
    """Cells without parts by their codes (N,): the unit, times the members of each segment in turn, plus the member of it."""
    member: dict[str, Ints] = {}
    for segment in reversed(segments):
        codes, member[segment] = np.divmod(codes, len(members[segment]))
    return Cells(codes, member, rows, {})


def joined(key: PartKey, part: Floats, place: Ints, many: int) -> Floats:
    """A part of finer cells (N,) as that of the cells they are in (many,)."""
    if key[0] not in JOINED:
        return np.bincount(place, weights=part, minlength=many).astype(np.float64, copy=False)
    out = np.full(many, np.nan)
    JOINED[key[0]].at(out, place, part)
    return out
