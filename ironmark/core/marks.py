"""The mark book: which line a reading is measured against."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ironmark.core.evaluate import Floats

Ints = NDArray[np.int64]
NAMES = ("target", "stretch", "floor", "limit")


@dataclass(frozen=True)
class MarkEntry:
    """A line from a period on: of one member of a segment, or of any (both None)."""

    name: str
    segment: str | None
    member: str | None
    since: int  # Period.ordinal
    value: float


def look_up(
    entries: Sequence[MarkEntry], name: str, periods: Ints, segment: str | None, members: Sequence[str | None]
) -> tuple[Floats, Ints]:
    """The mark ``name`` for every period and member.

    periods: (P,) ordinals; members: M names of ``segment``, None for all together.
    Returns values (P, M), KPI unit, NaN where there is no mark, and the index into ``entries`` (P, M), −1
    where there is none. The latest entry of the member on or before the period wins, else the latest of any.
    """
    codes = {member: code for code, member in enumerate(dict.fromkeys(members), start=1) if member is not None}
    relevant = [
        (0 if entry.member is None else codes[entry.member], entry.since, index)
        for index, entry in enumerate(entries)
        if entry.name == name and (entry.member is None or (entry.segment == segment and entry.member in codes))
    ]
    shape = (len(periods), len(members))
    if not relevant:
        return np.full(shape, np.nan), np.full(shape, -1)
    table = np.array(sorted(relevant), dtype=np.int64)
    stride = int(max(table[:, 1].max(), periods.max() if len(periods) else 0)) + 1
    keys = table[:, 0] * stride + table[:, 1]

    def latest(of: Ints) -> Ints:
        """The row of ``table`` in force for member code ``of`` (1, M) at each period; −1 for none."""
        at = np.searchsorted(keys, of * stride + periods[:, None], side="right") - 1
        held = (at >= 0) & (table[np.maximum(at, 0), 0] == of)
        return np.where(held, at, -1)

    # No entry carries this code, so members without entries of their own find nothing.
    none = len(codes) + 1
    wanted = np.array([[none if member is None else codes[member] for member in members]], dtype=np.int64)
    own = latest(wanted)
    row = np.where(own >= 0, own, latest(np.zeros_like(wanted)))
    index = np.where(row >= 0, table[np.maximum(row, 0), 2], -1)
    line = np.array([entry.value for entry in entries])
    return np.where(index >= 0, line[np.maximum(index, 0)], np.nan), index
