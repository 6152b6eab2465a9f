"""What a table came to, before its cells are typed."""

from __future__ import annotations

from dataclasses import dataclass, field

from ironmark.core.periods import RowGrain
from ironmark.tables.quantities import Measure
from ironmark.tables.told import Better

NAMES_OF: dict[RowGrain, str] = {
    "day": "Day",
    "week": "Week",
    "month": "Month",
    "quarter": "Quarter",
    "half": "Half-year",
    "year": "Year",
}


@dataclass
class Result:
    """Rows as texts, days as ISO. units, better: by the head of a column; mixed: columns whose cells have several units."""

    labels: list[str] = field(default_factory=list)
    rows: list[list[str]] = field(default_factory=list)
    grain: RowGrain | None = None
    units: dict[str, Measure] = field(default_factory=dict)
    better: dict[str, Better] = field(default_factory=dict)
    mixed: list[str] = field(default_factory=list)
    plain: bool = True  # nothing was carried down, joined or taken from a title
    places: dict[str, int] = field(default_factory=dict)  # the line, from 1, of each KPI or member named once


def joined_period(part: str, year: str, weekly: bool = False) -> str:
    """A month, quarter or week and its year as one text."""
    if part.isdigit():
        return f"{year}-{'W' if weekly else ''}{int(part):02d}" if year else ""
    return f"{part} {year}" if part and year else ""
