"""What is said by hand of a table, and what its columns are taken for."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Literal

from ironmark.tables.lines import LineKind

ColumnKind = Literal["period", "year", "member", "figure", "across", "unit", "target", "better", "total", "out"]
# What stands down the side of figures; "across": members across the top, all of one figure.
Down = Literal["rows", "members", "kpis", "across"]
GroupsAre = Literal["members", "measures"]  # what the lines above groups of rows name
Better = Literal["higher", "lower"]


@dataclass(frozen=True)
class Told:
    """What was said by hand of a table, before or in a recipe. lines: by their number from 1; columns: by their heads."""

    sheet: str | None = None
    lines: Mapping[int, LineKind] = field(default_factory=dict)
    columns: Mapping[str, ColumnKind] = field(default_factory=dict)
    down: Down | None = None
    block: int | None = None  # which of the tables of the sheet, from 1
    groups: GroupsAre | None = None
    measure: str = ""  # what the figures of members are called
    year: int | None = None
    as_of: dt.date | None = None  # the day of rows without a period
    day_first: bool | None = None


@dataclass(frozen=True)
class ColumnMark:
    kind: ColumnKind
    label: str
    why: str = ""
