"""What a face is given to draw: texts written, places resolved to fractions of an axis."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from ironmark.core.marks import Whose
from ironmark.core.periods import Grain
from ironmark.pages.model.page import Ask, Partial


@dataclass(slots=True)
class StatePicture:
    key: str
    name: str
    rank: int
    sign: str


@dataclass(slots=True)
class Tick:
    fraction: float
    label: str


@dataclass(slots=True)
class Band:
    """A band as far as it lies on an axis; ``at``: which of the yardstick's it is, from the lowest values up; share: of the
    axis, written, where a dial names it."""

    at: int
    state: str
    start: float
    end: float
    share: str = ""


@dataclass(slots=True)
class CutLine:
    """A resolved cut on the axis; ``past`` when it lies off it."""

    value: float
    fraction: float
    shown: str
    past: int


@dataclass(slots=True)
class MarkLine:
    name: str
    value: float
    shown: str
    fraction: float
    past: int


@dataclass(slots=True)
class TrailPoint:
    """A reading of an earlier period, for a small history: places as fractions of its own height."""

    label: str
    short: str
    shown: str
    state: str | None
    at: float | None
    mark: float | None
    partial: bool


@dataclass(slots=True)
class UsualPicture:
    """What is usual for a reading, written where there is something to say of it. signal: why it is one, "" for none; told: that in a sentence, with what else there is to
    say of a change of state."""

    range: str
    signal: str
    told: str


@dataclass(slots=True)
class GoingMark:
    """Where a period under way is going, written; at, low, high: as fractions of the axis."""

    shown: str
    range: str
    told: str
    at: float
    low: float
    high: float


@dataclass(slots=True)
class Step:
    """A step of a checklist, or of a scale of so many steps; ``done`` from 0 to 1. ``value``: where the step ends."""

    name: str
    done: float
    value: float | None = None


@dataclass(slots=True)
class Segment:
    """A part of a ring of segments. lit: how much of it, 0 to 1, takes its full colour: ``shade``, else its state's."""

    start: float
    end: float
    lit: float
    state: str | None
    shade: str | None


@dataclass(slots=True)
class ReadingPicture:
    """One reading. ``status`` says whether there is a value, and whether it could be graded.

    key: unlike that of any other reading of the instrument. role: what the reading is: a member's, a period's, a
    KPI's, all rows together, a group of a ledger, or the rest past the first ones.
    """

    key: str
    about: str  # what a note on it belongs to; "" where there can be none
    word: Literal["", "noted", "wanted"]  # whether it has a note, or is asked for one and has none
    role: str  # all, member, period, kpi, group, rest
    member: str | None
    label: str
    status: str  # graded, not_graded, no_reading
    reason: str
    value: float | None
    shown: str
    state: str | None
    band: int | None  # which of the yardstick's bands it lies in, from the lowest values up
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
    headroom: float | None  # how far on the good side of the mark, as a share of it
    headroom_shown: str
    partial: Partial | None
    before: str | None  # the state a period earlier
    step: int  # by how many ranks it is better than then; below zero worse
    spoken: str
    ask: Ask | None
    axis: AxisPicture | None  # its own, where it is not the instrument's
    shade: str | None  # its colour on a ramp
    side: float | None  # headroom as a bar to either side, −1 to 1
    strokes: int
    scale: float  # what its yardstick's plain numbers are multiplied by: 1 but for a flow
    trail: list[TrailPoint]
    steps: list[Step]
    history: HistoryPicture | None
    segments: list[Segment]
    usual: UsualPicture | None = None
    going: GoingMark | None = None
    few: str = ""  # the states it could be in, where it is a share of too few rows to tell


@dataclass(slots=True)
class AxisPicture:
    low: float
    high: float
    step: float  # what a value that is dragged along it is rounded to
    low_shown: str
    high_shown: str
    zero: float  # where zero lies, held within the axis: a bar starts there
    broken: bool
    ticks: list[Tick]
    marked: str  # own, none, ends, cuts, round: where its ticks are
    full: float  # where a full track ends: 1, or before that where what is past a mark is drawn beyond it


@dataclass(slots=True)
class HistoryPoint:
    """One period: where its value and its mark lie on the axis, and the bands it is graded on."""

    key: str
    label: str
    short: str
    shown: str
    fraction: float | None
    past: int
    state: str | None
    partial: str
    bands: list[Band]
    mark: float | None
    mark_shown: str
    low: float | None = None  # of its usual range, as fractions
    middle: float | None = None
    high: float | None = None
    begins: str = ""
    named: str = ""
    new_range: bool = False
    signal: bool = False
    going: tuple[float, float, float] | None = None  # where it is going, and from where to where that may be


@dataclass(slots=True)
class HistoryPicture:
    axis: AxisPicture
    points: list[HistoryPoint]
    cuts: list[CutLine]  # of the last period


@dataclass(slots=True)
class RampPicture:
    """The colours of a ramp, evenly from its low to its high end, and where its anchors lie on that way. doubts: what
    is wrong with colours of one's own."""

    name: str
    colours: list[str]
    anchors: list[Tick]
    doubts: list[str]


@dataclass(slots=True)
class KindPicture:
    name: str
    colour: str


@dataclass(slots=True)
class Quarter:
    name: str
    state: str
    members: list[str]


@dataclass(slots=True)
class DotPlace:
    """A member on a quadrant; ``x`` and ``y`` from 0 to 1, y upwards; ``size`` a radius from 0 to 1."""

    member: str
    x: float
    y: float
    past: bool
    quarter: int
    state: str
    shade: str | None
    size: float
    shown: str
    spoken: str


@dataclass(slots=True)
class QuadrantSide:
    name: str
    axis: AxisPicture
    cut: float
    cut_shown: str
    cut_words: str
    reverse: bool


@dataclass(slots=True)
class QuadrantPicture:
    up: QuadrantSide
    across: QuadrantSide
    quarters: list[Quarter]  # good in both, only up, only across, in neither
    good_up: bool  # whether the good side is the upper one as it is drawn
    good_across: bool  # whether it is the right one
    dots: list[DotPlace]
    size_name: str
    missing: list[str]  # members without one of the two


@dataclass
class InstrumentPicture:
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
    ramp: RampPicture | None
    kinds: list[KindPicture]  # what its colours stand for where they are neither states nor a ramp
    quadrant: QuadrantPicture | None
    by_hand: str  # what can be set on it: "steps" of a checklist, the "value" of one cell, or ""
    stroke: str  # what one tally stroke stands for
    grain: Grain
    rehearsed: bool
    reach: str
    tried: list[str]  # the assumptions it was read with other values of, by name
    sorted: str
    waiting: bool  # a live source has not answered yet or not now; reading again soon may find more


@dataclass(slots=True)
class TallyPart:
    state: str
    name: str
    count: int
    signals: int = 0


@dataclass(slots=True)
class SpanPicture:
    """Some words of a text; those of a live figure as they are written, with the state of its reading. problem: what
    is wrong with it, which then stands in its place."""

    text: str
    bold: bool
    italic: bool
    href: str
    figure: bool
    state: str | None
    spoken: str
    problem: str


@dataclass(slots=True)
class BlockPicture:
    kind: Literal["heading", "paragraph", "item", "numbered"]
    level: int
    number: int
    spans: list[SpanPicture]


@dataclass(slots=True)
class TextPicture:
    id: str
    blocks: list[BlockPicture]
    problems: list[str]


@dataclass(slots=True)
class NotePicture:
    """A note in full. about: as the readings it belongs to have it. was: the figure it was written about, where that
    reads otherwise now. text: as it was typed. saved_at: as ISO 8601 in UTC; again: changed since it was written."""

    id: str
    about: str
    heading: str
    period: str
    period_label: str
    version: int
    text: str
    blocks: list[BlockPicture]
    problems: list[str]
    shown: str
    was: str
    state: str | None
    saved_at: str
    saved_by: str
    again: bool


@dataclass(slots=True)
class Wanted:
    """A reading that is asked for a note and has none."""

    about: str
    heading: str
    state: str | None


@dataclass(slots=True)
class AssumptionPicture:
    """An assumption that the page depends on, with its values as they are written. tried: read with another value
    than the one that is kept."""

    key: str
    handle: str
    name: str
    value: float
    kept: float
    least: float
    most: float
    step: float
    shown: str
    kept_shown: str
    least_shown: str
    most_shown: str
    tried: bool
    version: int


@dataclass(slots=True)
class SegmentChoice:
    name: str
    label: str
    members: list[str]


@dataclass(slots=True)
class PeriodChoice:
    key: str
    label: str
    short: str


@dataclass(slots=True)
class SectionNote:
    id: str
    words: str


@dataclass(slots=True)
class MarkOwner:
    """Whose a mark is that is dragged on a page; ``of``: the members, by segment."""

    whose: Whose
    of: dict[str, str]


@dataclass(slots=True)
class ScorecardPicture:
    """A scorecard as it reads: everything resolved for one scope. version: of the scorecard, 0 for an unsaved one.
    books: the versions of the mark books it was read from, by KPI, which a changed mark names."""

    version: int
    books: dict[str, int]

    period: str
    period_label: str
    previous_label: str
    partial: str
    grain: Grain
    grains: list[Grain]  # those that its rows are fine enough for
    periods: list[PeriodChoice]
    year_start: int  # the month the financial year begins in
    segments: list[SegmentChoice]
    states: list[StatePicture]
    tally: list[TallyPart]
    changed: str
    waiting: bool
    assumptions: list[AssumptionPicture]
    sections: list[SectionNote]
    instruments: list[InstrumentPicture]
    texts: list[TextPicture]
    notes: list[NotePicture]
    asked: int  # how many readings need a note
    wanted: list[Wanted]  # those that have none, the worst first
    mark_owner: MarkOwner | None  # None: of so many members together no mark is kept
