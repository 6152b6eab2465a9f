"""Marks that are 20 times outside of what was read are asked about before they are kept."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from ironmark.core import marks as core
from ironmark.core import words
from ironmark.core.evaluate import Floats
from ironmark.core.periods import Grain, Period
from ironmark.pages.context.reading_context import ReadingContext
from ironmark.pages.marks.mark_changes import ChangeBody, change_of
from ironmark.pages.marks.plausibility import sizes_by_member
from ironmark.pages.model.kpi import KpiBody
from ironmark.pages.model.problems import doubtful
from ironmark.store import marks


def refuse_doubtful(doubts: Sequence[tuple[int, str]]) -> None:
    """Ask about values that are far from anything read so far before they are kept."""
    if doubts:
        place, first = doubts[0]
        more = f" So are {len(doubts) - 1} more." if len(doubts) > 1 else ""
        raise doubtful(first + more, {"field": f"changes.{place}.value", "count": len(doubts)})


class MarkGuard:
    """Asks about marks that are 20 times outside of the readings of the member they are for."""

    def __init__(self, context: ReadingContext, kpi: KpiBody) -> None:
        self.context, self.kpi = context, kpi
        self._sizes: dict[tuple[str | None, tuple[tuple[str, str], ...], Grain], dict[str | None, Floats]] = {}

    def doubts(self, changes: Sequence[marks.Change]) -> list[tuple[int, str]]:
        """The places of doubtful changes with the question."""
        found = []
        for n, change in enumerate(changes):
            if change.value is None:
                continue
            if told := words.doubt(change.value, self.kpi.unit.as_unit(), self._sizes_from(change), self.context.style):
                found.append((n, told))
        return found

    def sizes_for(self, change: ChangeBody) -> Floats:
        """The sizes of the readings so far that a mark is held against, whatever its value. Refuses one of nobody."""
        return self._sizes_from(change_of(self.context, self.kpi, change, "mark"))

    def _sizes_from(self, change: marks.Change) -> Floats:
        grain = Period.parse(change.since, self.context.year_start).grain if self.kpi.nature == "flow" else "month"
        return self.sizes(change.owner, grain)

    def sizes(self, owner: core.Owner, grain: Grain) -> Floats:
        """The sizes of the readings so far of what the mark is for."""
        by = owner.of[0][0] if owner.of else None
        rest = owner.of[1:]
        key = (by, rest, grain)
        if key not in self._sizes:
            self._sizes[key] = sizes_by_member(self.context, self.kpi, by, dict(rest), grain)
        held = self._sizes[key]
        if owner.whose == "member":
            return held.get(owner.of[0][1], np.array([]))
        return np.concatenate([*held.values()]) if held else np.array([])
