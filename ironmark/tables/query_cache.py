"""Sources that lie elsewhere and are asked for cells: as seldom as may be, and for what many readings share at once."""

from __future__ import annotations

import math
from abc import abstractmethod
from collections.abc import Sequence
from dataclasses import dataclass, replace

from ironmark.core import formula_nodes
from ironmark.core.periods import Period
from ironmark.tables.cells import MOST_PART_BYTES, Cells, CellSource, PartKey, Unit, Wanted, parts_of
from ironmark.tables.coarser_cells import coarser, joined

MOST_CELLS = 200_000  # that one question may bring, so that it serves every combination of segments
_MOST_HELD = 24


@dataclass(frozen=True, eq=False)
class _Held:
    unit: Unit
    segments: tuple[str, ...]
    cells: Cells


class AskedSource(CellSource):
    """Keeps the answers it was given. Cells of more segments give those of fewer: a page is asked for once in all its
    segments, and what is narrowed further is added up here. Nothing is asked while others wait."""

    _answers: list[_Held]

    @abstractmethod
    def _ask_cells(self, unit: Unit, segments: tuple[str, ...], parts: Sequence[PartKey]) -> Cells:
        """Every combination that has rows, with these parts, in one pass over the rows."""

    def ahead_of_page(self, asked: Sequence[Wanted]) -> None:
        """Work out what readings are about to be put together from: one pass for each unit, in all segments where
        their combinations are few enough, else in those that are asked for together, else one for each of these."""
        for unit in dict.fromkeys(unit for unit, _, _ in asked):
            some = [(segments, wanted) for its, segments, wanted in asked if its == unit]
            every = tuple(dict.fromkeys(a for _, wanted in some for a in wanted))
            named = {segment for segments, _ in some for segment in segments}
            together = next((one for one in (set(self.members), named) if self._few(unit, one)), None)
            if together is not None:
                self.ahead(unit, tuple(together), every)
            else:
                for segments, wanted in some:
                    self.ahead(unit, segments, wanted)

    def _few(self, unit: Unit, segments: set[str]) -> bool:
        units = Period.of(self.last, unit).ordinal - Period.of(self.first, unit).ordinal + 1
        return units * math.prod(len(self.members[name]) for name in segments if name in self.members) <= MOST_CELLS

    def _cells_with(self, unit: Unit, segments: tuple[str, ...], wanted: Sequence[formula_nodes.Aggregate]) -> Cells:
        needed = list(dict.fromkeys(key for a in wanted for key in parts_of(a)))
        found = self._found(unit, segments, needed)
        if found is None:
            found = _Held(unit, segments, self._ask_cells(unit, segments, needed))
            self._hold(found)
        if found.segments != segments:
            found = _Held(unit, segments, self._coarser(found.cells, segments, needed))
            self._hold(found)
        return replace(found.cells, parts={key: found.cells.parts[key] for key in needed})

    def _found(self, unit: Unit, segments: tuple[str, ...], needed: Sequence[PartKey]) -> _Held | None:
        """The coarsest answer that holds all of it."""
        with self._lock:
            fit = [
                held
                for held in self._answers
                if held.unit == unit and set(segments) <= set(held.segments) and held.cells.parts.keys() >= set(needed)
            ]
            best = min(fit, key=lambda held: len(held.segments), default=None)
            if best is not None:  # used last, given up last
                self._answers.remove(best)
                self._answers.append(best)
            return best

    def _hold(self, held: _Held) -> None:
        with self._lock:
            fewer = [
                old
                for old in self._answers
                if (old.unit, old.segments) == (held.unit, held.segments)
                and old.cells.parts.keys() <= held.cells.parts.keys()
            ]
            self._answers = [old for old in self._answers if old not in fewer] + [held]
            while len(self._answers) > 1 and (
                len(self._answers) > _MOST_HELD or sum(_bytes(one.cells) for one in self._answers) > 4 * MOST_PART_BYTES
            ):
                del self._answers[0]

    def _coarser(self, cells: Cells, segments: tuple[str, ...], needed: Sequence[PartKey]) -> Cells:
        """The same rows, of fewer segments."""
        found, place = coarser(cells, segments, self.members)
        return replace(found, parts={key: joined(key, cells.parts[key], place, len(found.rows)) for key in needed})


def _bytes(cells: Cells) -> int:
    return int(cells.rows.nbytes * (1 + len(cells.member) + len(cells.parts)))
