"""What a face is given to draw: texts written, places resolved to fractions of an axis."""

from __future__ import annotations

from pydantic import BaseModel, Field

from ironmark.api.documents import Model, Number
from ironmark.core.periods import Grain


class Rehearsed(Model):
    """A value tried on one reading of an instrument."""

    value: Number
    member: str | None = Field(None, max_length=200)


class State(BaseModel):
    key: str
    name: str
    rank: int
    sign: str


class Tick(BaseModel):
    fraction: float
    label: str


class Band(BaseModel):
    state: str
    start: float
    end: float


class CutLine(BaseModel):
    """A resolved cut on the axis; ``past`` when it lies off it."""

    value: float
    fraction: float
    shown: str
    past: int


class MarkLine(BaseModel):
    name: str
    value: float
    shown: str
    fraction: float
    past: int


class Partial(BaseModel):
    days: int
    of: int
    words: str
    pro_rated: bool


class ReadingPicture(BaseModel):
    """One reading. ``status`` says whether there is a value, and whether it could be graded."""

    member: str | None
    label: str
    status: str  # graded, not_graded, no_reading
    reason: str
    value: float | None
    shown: str
    state: str | None
    fraction: float
    past: int
    bands: list[Band]
    cuts: list[CutLine]
    marks: list[MarkLine]
    gap: float | None
    gap_shown: str
    gap_words: str
    band_words: str
    attainment: float | None
    attainment_shown: str
    partial: Partial | None
    before: str | None  # the state a period earlier
    spoken: str


class AxisPicture(BaseModel):
    low: float
    high: float
    low_shown: str
    high_shown: str
    zero: float  # where zero lies, held within the axis: a bar starts there
    broken: bool
    ticks: list[Tick]


class InstrumentPicture(BaseModel):
    id: str
    title: str
    kpi_name: str
    direction: str
    unit: str
    period: str
    problem: str | None
    notes: list[str]
    axis: AxisPicture | None
    readings: list[ReadingPicture]
    rehearsed: bool
    waiting: bool  # a live source has not answered yet; reading again soon finds more


class TallyPart(BaseModel):
    state: str
    name: str
    count: int


class SegmentChoice(BaseModel):
    name: str
    label: str
    members: list[str]


class PeriodChoice(BaseModel):
    key: str
    label: str
    short: str


class SectionNote(BaseModel):
    id: str
    words: str


class ScorecardPicture(BaseModel):
    """A scorecard as it reads: everything resolved for one scope."""

    period: str
    period_label: str
    previous_label: str
    partial: str
    grain: Grain
    periods: list[PeriodChoice]
    year_start: int  # the month the financial year begins in
    segments: list[SegmentChoice]
    states: list[State]
    tally: list[TallyPart]
    changed: str
    waiting: bool
    sections: list[SectionNote]
    instruments: list[InstrumentPicture]
