"""What a first draft is made of: KPIs that are proposed, and columns that none is made of."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from ironmark.core.numbers import Unit

Direction = Literal["higher", "lower", "inside", "open"]
SENSE: dict[Direction, str] = {
    "higher": "the more the better", "lower": "the less the better", "inside": "best inside a range",
    "open": "nothing says yet whether more is better",
}  # fmt: skip
Nature = Literal["flow", "stock", "rate"]
Place = Literal["made", "offered", "left"]


@dataclass(frozen=True, slots=True)
class DraftKpi:
    """A KPI that is proposed. plan: the column whose sum is its target, "" for none; reason: a sentence; known: the key
    of a KPI that says the same already, "" for none. place: whether it is made unasked, offered below, or what could
    be made of a column that was left out."""

    handle: str
    name: str
    formula: str
    unit: Unit
    direction: Direction
    nature: Nature
    reason: str
    plan: str = ""
    known: str = ""
    place: Place = "made"


@dataclass(frozen=True, slots=True)
class LeftOut:
    """A column by its label, why no KPI was made of it, and the handle of the one that could be; "" for none."""

    label: str
    reason: str
    handle: str = ""


@dataclass(frozen=True, slots=True)
class Draft:
    kpis: tuple[DraftKpi, ...]  # those that are made first, then those offered, then those left out
    left_out: tuple[LeftOut, ...]
