"""Yardsticks as they are kept."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal

from pydantic import (
    Field,
    model_validator,
)

from ironmark.core import palette as palettes
from ironmark.core import yardstick as core
from ironmark.core.periods import Grain
from ironmark.pages.model.field_types import (
    Key,
    MarkName,
    Model,
    Name,
    Number,
)

STAND_IN = palettes.State("", "", 1, "on", "#888888")


class CutBody(Model):
    offset: Number = 0.0
    mark: MarkName | None = None
    factor: Number = 1.0
    belongs: Literal["above", "below"] = "above"

    def as_cut(self) -> core.Cut:
        return core.Cut(self.offset, self.mark, self.factor, self.belongs)


class YardstickBody(Model):
    name: Name
    kpi: Key | None = None  # the KPI whose readings and unit its page shows
    bands: list[str] = Field(min_length=core.MIN_BANDS, max_length=core.MAX_BANDS)
    cuts: list[CutBody]
    per: Grain | Literal["any"] = "month"  # any: however long the period is. What a flow's plain numbers are for

    @model_validator(mode="after")
    def fits(self) -> YardstickBody:
        for at, (lower, upper) in enumerate(zip(self.cuts, self.cuts[1:], strict=False), start=1):
            pair = core.Yardstick(("short", "near", "met"), (lower.as_cut(), upper.as_cut()))
            if not pair.marks and not core.ordered(pair, core.resolve(pair, {}, (1,)))[0]:
                raise ValueError(f"cut {at} lies above cut {at + 1}; cuts rise from left to right")
        # Whether states of an own palette exist is known where that palette is at hand.
        own = {key: STAND_IN for key in self.bands if palettes.palette_of(key) not in palettes.PALETTES}
        self.as_yardstick({**palettes.STATES, **own})
        return self

    def as_yardstick(self, known: Mapping[str, palettes.State] = palettes.STATES) -> core.Yardstick:
        """Raises ValueError for a band whose state is not among the known ones."""
        return core.Yardstick(tuple(self.bands), tuple(cut.as_cut() for cut in self.cuts), self.per, known)
