"""Documents as they are answered, each with its version."""

from __future__ import annotations

from pydantic import (
    BaseModel,
)

from ironmark.pages.model.kpi import AssumptionBody, CaseBody, KpiBody
from ironmark.pages.model.palette import PaletteBody
from ironmark.pages.model.scorecard import BookBody, ScorecardBody
from ironmark.pages.model.yardstick import YardstickBody


class Saved(BaseModel):
    """A saved document with the version a write has to name."""

    id: str
    version: int
    updated_at: str


class Book(Saved):
    body: BookBody


class Kpi(Saved):
    body: KpiBody


class Yardstick(Saved):
    body: YardstickBody


class Palette(Saved):
    body: PaletteBody


class Assumption(Saved):
    body: AssumptionBody


class Case(Saved):
    body: CaseBody


class Scorecard(Saved):
    body: ScorecardBody
