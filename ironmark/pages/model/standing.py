"""What is told of a reading beside its state: what is usual for it, that its rows are few, where it is going."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from ironmark.core.numbers import NumberStyle, Unit
from ironmark.core.palette import State
from ironmark.core.periods import Grain
from ironmark.core.signal_words import few_words, range_words, signal_words


@dataclass(frozen=True, slots=True)
class UsualRange:
    """What is usual for a reading, made of those before it, KPI unit. since: the period it begins with; of: so many readings;
    how: the kind of chart; seasonal: whether seasons were taken out. signals: the rules by which the reading stands out, with
    its side (1 above), how many in a row lie on that side, and how many rose or fell in a row."""

    low: float
    middle: float
    high: float
    since: str
    of: int
    how: str
    seasonal: bool = False
    signals: tuple[str, ...] = ()
    side: int = 0
    run: int = 0
    steady: int = 0

    def words(self, unit: Unit, style: NumberStyle) -> str:
        """``80.4% to 90.2%``."""
        return range_words(self.low, self.high, unit, style)

    def signal(self, grain: Grain, unit: Unit, style: NumberStyle) -> str:
        """Why the reading is a signal; "" where it is none."""
        ends = (self.low, self.middle, self.high)
        return signal_words(self.signals, self.side, self.run, self.steady, ends, grain, unit, style)


@dataclass(frozen=True, slots=True)
class FewRows:
    """A share of so few rows that it could be in other states: ``above`` of ``of``; low, high: its interval, KPI unit."""

    above: float
    of: float
    low: float
    high: float
    states: tuple[str, ...]

    def words(self, known: Mapping[str, State], style: NumberStyle) -> str:
        """``43 of 46: could be Met or Beyond``; "" where it is not known what its states are called."""
        names = [known[state].name for state in self.states if state in known]
        return few_words(self.above, self.of, names, style) if len(names) > 1 else ""


@dataclass(frozen=True, slots=True)
class Going:
    """Where the period of a partial reading is going, KPI unit: its end, and between what eight of ten came to lie. states: those
    it may end in and in how many of ten, the likeliest first; held: of how many of the earlier periods it was tried on the
    range held."""

    end: float
    low: float
    high: float
    states: tuple[tuple[str, int], ...]
    tried: int
    held: int
