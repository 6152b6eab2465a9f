"""Cells of more segments give those of fewer: the same rows, added up once more."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np

from ironmark.core.evaluate import Floats
from ironmark.core.marks import Ints
from ironmark.tables.cells import Cells, PartKey

# What each part of coarser cells is of those of finer ones; all others are added.
_JOINED = {"min": np.fmin, "max": np.fmax}


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
    if key[0] not in _JOINED:
        return np.bincount(place, weights=part, minlength=many).astype(np.float64, copy=False)
    out = np.full(many, np.nan)
    _JOINED[key[0]].at(out, place, part)
    return out
