"""What is told of a reading beside its state: what is usual for it, that its rows are few, where it is going."""

from __future__ import annotations

from dataclasses import dataclass


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


@dataclass(frozen=True, slots=True)
class FewRows:
    """A share of so few rows that it could be in other states: ``above`` of ``of``; low, high: its interval, KPI unit."""

    above: float
    of: float
    low: float
    high: float
    states: tuple[str, ...]


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
