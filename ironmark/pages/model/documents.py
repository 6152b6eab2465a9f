"""The documents a client writes: KPI, yardstick, scorecard. Pydantic at the edge, core inside."""

from __future__ import annotations

import re
from collections.abc import Mapping
from itertools import pairwise
from typing import Annotated, Literal

from babel.numbers import list_currencies
from pydantic import (
    AfterValidator,
    BaseModel,
    ConfigDict,
    Field,
    FiniteFloat,
    StringConstraints,
    WithJsonSchema,
    field_validator,
    model_validator,
)

from ironmark.core import palette as palettes
from ironmark.core import yardstick as core
from ironmark.core.faces import FACES
from ironmark.core.formula import MAX_LENGTH
from ironmark.core.marks import TARGET
from ironmark.core.nearest import did_you_mean
from ironmark.core.numbers import SECONDS, Unit
from ironmark.core.periods import Grain, Period
from ironmark.core.scope_shift import Reach

Key = Annotated[str, StringConstraints(min_length=1, max_length=80, pattern=r"^[A-Za-z0-9_-]+$")]
Name = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=120)]
Member = Annotated[str, StringConstraints(max_length=200)]
MarkName = Annotated[str, StringConstraints(strip_whitespace=True, to_lower=True, min_length=1, max_length=40)]


def _known_face(face: str) -> str:
    if face not in FACES:
        raise ValueError(f"there is no face “{face}”{did_you_mean(face, FACES)}; there are {', '.join(FACES)}")
    return face


FaceKey = Annotated[str, AfterValidator(_known_face), WithJsonSchema({"type": "string", "enum": list(FACES)})]
SheetPart = Literal["label", "value", "mark", "state"]
LedgerColumn = Literal[
    "value", "mark", "gap", "attainment", "bullet", "progress", "strokes", "headroom", "trail", "state"
]
Sign = Literal["deep-under", "far-under", "just-under", "on", "just-over", "far-over", "deep-over"]
MOST_OF_A_PERIOD = 700  # characters: sixty days with commas between
STAND_IN = palettes.State("", "", 1, "on", "#888888")
Number = Annotated[FiniteFloat, Field(ge=-1e300, le=1e300)]


class Model(BaseModel):
    model_config = ConfigDict(extra="forbid")


Order = Literal["gap", "value", "state", "name", "kept", "time"]


class UnitBody(Model):
    kind: Literal["number", "percent", "currency", "duration"] = "number"
    decimals: int = Field(0, ge=0, le=6)
    currency: str = "GBP"
    text: str = Field("", max_length=20)
    compact: bool = False
    sign: bool = False

    @classmethod
    def of(cls, unit: Unit) -> UnitBody:
        return cls(**vars(unit))

    @model_validator(mode="after")
    def counts(self) -> UnitBody:
        if self.kind == "duration" and self.text not in SECONDS:
            self.text = "min"
        return self

    @field_validator("currency")
    @classmethod
    def known_currency(cls, code: str) -> str:
        if code.upper() not in list_currencies():
            raise ValueError(f"“{code}” is no currency code; use one of ISO 4217, such as GBP or EUR")
        return code.upper()

    def as_unit(self) -> Unit:
        return Unit(self.kind, self.decimals, self.currency, self.text, self.compact, self.sign)


class PartBody(Model):
    """A part of a composite; its yardstick gives the states, its mark what is to be reached."""

    kpi: Key
    weight: Annotated[FiniteFloat, Field(gt=0, le=1e6)] = 1.0
    yardstick: Key | None = None
    mark: MarkName = TARGET


class CompositeBody(Model):
    """KPIs rolled up with weights, by the score of their states or by attainment held between ``low`` and ``high``."""

    parts: list[PartBody] = Field(min_length=1, max_length=30)
    by: Literal["score", "attainment"] = "score"
    low: Number = 0.0
    high: Number = 1.2

    @model_validator(mode="after")
    def sound(self) -> CompositeBody:
        if self.low >= self.high:
            raise ValueError("attainment is held between a smaller and a larger number; swap the two")
        if len({part.kpi for part in self.parts}) < len(self.parts):
            raise ValueError("a KPI is in the composite twice; give it more weight instead")
        return self


def _plain_handle(handle: str) -> str:
    if not re.fullmatch(r"[^\W\d]\w*", handle):
        raise ValueError("a handle is one word of letters, digits and _, such as on_time")
    return handle


Handle = Annotated[str, Field(max_length=60), AfterValidator(_plain_handle)]


class AssumptionBody(Model):
    """A named number that formulas use as ``@handle``, in its own unit, and that can be tried out from ``least`` to
    ``most`` in steps of ``step``."""

    handle: Handle
    name: Name
    description: str = Field("", max_length=2000)
    unit: UnitBody = UnitBody()
    value: Number
    least: Number
    most: Number
    step: Annotated[Number, Field(gt=0)] = 1.0

    @model_validator(mode="after")
    def within(self) -> AssumptionBody:
        if not self.least < self.most:
            raise ValueError("the least has to be below the most")
        if not self.least <= self.value <= self.most:
            raise ValueError("the value has to lie from the least to the most; move those, or the value")
        if (self.most - self.least) / self.step > 100_000:
            raise ValueError("the step is too small for the range; a slider takes at most 100,000 steps")
        return self


class CaseBody(Model):
    """Values of assumptions, by key, kept together under a name for one scorecard."""

    name: Name
    scorecard: Key
    values: dict[Key, Number] = Field(min_length=1, max_length=50)


class BookBody(Model):
    """Editions that leave as one, in their order."""

    title: Name
    note: str = Field("", max_length=20_000)
    editions: list[Key] = Field(min_length=1, max_length=40)

    @field_validator("editions")
    @classmethod
    def distinct(cls, editions: list[str]) -> list[str]:
        if len(set(editions)) < len(editions):
            raise ValueError("an edition stands in a book once")
        return editions


class KpiBody(Model):
    handle: Handle
    name: Name
    description: str = Field("", max_length=2000)
    owner: str = Field("", max_length=120)
    dataset: Key
    formula: str = Field("", max_length=MAX_LENGTH)
    unit: UnitBody = UnitBody()
    direction: Literal["higher", "lower", "inside", "open"] = "higher"  # open: nobody has said yet
    nature: Literal["flow", "stock", "rate"] = "rate"
    pro_rating: Literal["days", "last_year"] = "days"
    graded_as: Literal["exact", "shown"] = "exact"  # whether rounding decides about the band
    composite: CompositeBody | None = None  # then the formula only counts the rows

    @model_validator(mode="after")
    def counts_rows(self) -> KpiBody:
        if self.composite is not None:
            self.formula, self.nature = "count()", "rate"
        return self


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


class StateBody(Model):
    """A state of an own palette. ``key`` is one word, unlike any other of its palette."""

    key: str = Field(pattern=r"^[a-z0-9]{1,30}$")
    name: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=30)]
    sign: Sign
    colour: str = Field(pattern=r"^#[0-9a-fA-F]{6}$")


class PaletteBody(Model):
    """States from worst to best."""

    name: Name
    states: list[StateBody] = Field(min_length=palettes.MIN_STATES, max_length=palettes.MAX_STATES)

    @model_validator(mode="after")
    def told_apart(self) -> PaletteBody:
        for what in ("key", "name", "sign"):
            found = [getattr(state, what).lower() for state in self.states]
            if len(set(found)) < len(found):
                raise ValueError(f"two states have the same {what}; without colour they could not be told apart")
        return self

    def as_palette(self, key: str) -> palettes.Palette:
        states = (
            palettes.State(f"{key}-{state.key}", state.name, rank, state.sign, state.colour)
            for rank, state in enumerate(self.states, start=1)
        )
        return palettes.Palette(key, self.name, tuple(states))


class AxisBody(Model):
    low: Number | None = None
    high: Number | None = None

    @model_validator(mode="after")
    def rising(self) -> AxisBody:
        if self.low is not None and self.high is not None and self.low >= self.high:
            raise ValueError("an axis runs from a smaller to a larger number; swap the two ends")
        return self


PlainColour = Literal["lilac", "stone", "mist", "bronze", "fern", "lichen", "coral", "driftwood"]  # see core.kinds
RampColours = Literal["slate", "heather", "moss", "tideline", "dusk"]
Ticks = Literal["own", "none", "ends", "cuts", "round"]


class Segmented(Model):
    """An even ring of segments. Each is painted up to the value, or by the state or the ramp of the place it stands
    for; ``turned``: the ramp from its other end."""

    paint: Literal["value", "state", "ramp"] = "value"
    colours: RampColours = "tideline"
    turned: bool = False


class DialLook(Segmented):
    """``sweep`` in degrees. The ring shows the bands, or segments. names: of the bands, on the ring, also with the
    share of the axis that each takes."""

    sweep: int = Field(210, ge=90, le=330)
    ring: Literal["bands", "segments"] = "bands"
    segments: int = Field(24, ge=4, le=40)
    hand: Literal["needle", "fill"] = "needle"
    needle: Literal["slim", "bold"] = "slim"
    names: Literal["none", "names", "shares"] = "none"


class BulletLook(Model):
    standing: bool = False


class TrackLook(Model):
    full: Literal["axis", "mark"] = "axis"  # what a full track is: the axis' end, or the reading's own first mark


class BarLook(TrackLook):
    ends: Literal["round", "square", "dot"] = "round"  # dot: a dot on a track instead of a filled bar


class RingLook(Segmented, TrackLook):
    segments: int = Field(20, ge=1, le=40)  # 1 is one whole ring; else at least 4

    @model_validator(mode="after")
    def enough(self) -> RingLook:
        if 1 < self.segments < 4:
            raise ValueError("a ring is whole, or of 4 to 40 segments")
        return self


class PipsLook(Model):
    steps: int = Field(5, ge=1, le=24)  # for a KPI that is no checklist


class LampLook(Model):
    lights: Literal["all", "one"] = "all"


class LedgerLook(Model):
    columns: list[LedgerColumn] = Field(["value", "mark", "gap", "bullet", "state"], max_length=10)
    group: str | None = Field(None, max_length=80)  # a segment to group the rows by
    stroke: Annotated[FiniteFloat, Field(gt=0, le=1e300)] | None = None  # what one tally stroke stands for


class QuarterBody(Model):
    name: str = Field("", max_length=40)
    state: str = Field(max_length=120)  # in whose colour


class QuadrantLook(Model):
    """The instrument's own KPI goes up, another one across; a third may give the size of the dots."""

    across: Key | None = None
    size: Key | None = None
    mark: MarkName = TARGET  # of the KPI that goes across
    cut_up: Number | None = None  # None: the mark, or the middle member where there is none
    cut_across: Number | None = None
    reverse_up: bool = False
    reverse_across: bool = False
    # Good in both, only up, only across, in neither.
    quarters: list[QuarterBody] = Field(
        [QuarterBody(state=key) for key in ("beyond", "met", "near", "short")], min_length=4, max_length=4
    )


class ProfileLook(Model):
    form: Literal["outline", "wedges"] = "outline"


class HistoryLook(Model):
    form: Literal["line", "columns"] = "line"
    periods: int = Field(12, ge=2, le=62)


class Look(Model):
    """How each face draws; kept for all of them, so that trying another face loses nothing."""

    dial: DialLook = DialLook()
    bullet: BulletLook = BulletLook()
    bar: BarLook = BarLook()
    column: TrackLook = TrackLook()
    ring: RingLook = RingLook()
    pips: PipsLook = PipsLook()
    lamp: LampLook = LampLook()
    ledger: LedgerLook = LedgerLook()
    quadrant: QuadrantLook = QuadrantLook()
    profile: ProfileLook = ProfileLook()
    history: HistoryLook = HistoryLook()


class RampBody(Model):
    """Continuous colour by the value, or by another KPI; ends that are not given are the data's own.

    own: two or three colours in place of the ones that come with the product.
    """

    colours: RampColours = "slate"
    own: list[Annotated[str, StringConstraints(pattern=r"^#[0-9a-fA-F]{6}$")]] = Field(default=[], max_length=3)
    kpi: Key | None = None
    anchor: Literal["extent", "ends", "midpoint"] = "extent"
    low: Number | None = None
    middle: Number | None = None
    high: Number | None = None

    @model_validator(mode="after")
    def rising(self) -> RampBody:
        ends = [end for end in (self.low, self.middle, self.high) if end is not None]
        if self.anchor != "extent" and any(low >= high for low, high in pairwise(ends)):
            raise ValueError("a ramp runs from a smaller to a larger number, its middle between them")
        if len(self.own) == 1:
            raise ValueError("a ramp of one’s own has two or three colours")
        return self


class ColourBody(Model):
    """What readings are coloured by where it is no ramp: their states, one plain colour, or kinds: each member, or
    the member of a coarser segment that it is of."""

    by: Literal["state", "plain", "kind"] = "state"
    plain: PlainColour = "stone"
    segment: str | None = Field(None, max_length=80)  # None: each member is a kind of its own


class FurtherBody(Model):
    """A further KPI on an instrument that lists KPIs."""

    kpi: Key
    yardstick: Key | None = None
    marks: list[MarkName] = Field(default=[TARGET], max_length=4)


class OwnScope(Model):
    """What an instrument reads where it is not what the page reads.

    period: see ``core.reach``; last: how many periods together, for "last"; fixed: a period such as 2023, for "fixed".
    members: its own ones by segment, in place of the page's; none of a segment that is named means all of them.
    """

    period: Reach = "page"
    last: int = Field(3, ge=2, le=120)
    fixed: str = Field("", max_length=MOST_OF_A_PERIOD)
    members: dict[Annotated[str, StringConstraints(max_length=80)], list[Member]] = Field(default={}, max_length=50)

    @model_validator(mode="after")
    def known_period(self) -> OwnScope:
        if self.period == "fixed":
            self.fixed = Period.parse(self.fixed).key
        return self


class InstrumentBody(Model):
    """``by`` reads the members of a segment one by one, ``last`` the last so many periods; else all rows together.

    first: how many of them are shown; the rest are read together as one.
    """

    id: Key
    kpi: Key
    further: list[FurtherBody] = Field(default=[], max_length=30)
    title: str = Field("", max_length=120)
    by: str | None = Field(None, max_length=80)
    last: int | None = Field(None, ge=2, le=62)
    first: int | None = Field(None, ge=1, le=300)
    face: FaceKey = "dial"
    look: Look = Look()
    ramp: RampBody | None = None
    colour: ColourBody = ColourBody()
    hide: list[SheetPart] = Field(default=[], max_length=4)
    legend: bool | None = None  # None: on the faces whose colours nothing else names
    marks: list[MarkName] = Field(default=[TARGET], max_length=4)
    yardstick: Key | None = None
    axis: AxisBody = AxisBody()
    decimals: int | None = Field(None, ge=0, le=6)
    compact: bool | None = None
    ticks: Ticks = "own"  # own: where the face has them; round: about tick_count round places
    tick_count: int = Field(5, ge=2, le=12)
    order: Order | None = None  # None: members by their gap, periods in time
    backwards: bool = False
    own: OwnScope = OwnScope()
    x: int = Field(0, ge=0, le=11)
    y: int = Field(0, ge=0, le=500)
    w: int = Field(3, ge=1, le=12)
    h: int = Field(6, ge=1, le=60)

    @property
    def kpis(self) -> list[str]:
        """Every KPI it names."""
        named = [self.kpi, *(more.kpi for more in self.further), self.look.quadrant.across, self.look.quadrant.size]
        named.append(self.ramp.kpi if self.ramp else None)
        return [key for key in dict.fromkeys(named) if key]


class TextBody(Model):
    """A sheet of words: Markdown with live figures, as in ``{on_time}`` and ``{on_time: gap of Night freight in the
    period before}``; or one that lists the notes of the page."""

    id: Key
    text: str = Field("", max_length=20_000)
    lists: Literal["", "notes"] = ""
    x: int = Field(0, ge=0, le=11)
    y: int = Field(0, ge=0, le=500)
    w: int = Field(6, ge=1, le=12)
    h: int = Field(4, ge=1, le=60)


class PictureBody(Model):
    """A sheet with a picture. image: the key it is kept under, None until one is chosen; alt: what it shows, in
    words. fit: seen whole, or filling its sheet."""

    id: Key
    image: Key | None = None
    alt: str = Field("", max_length=400)
    fit: Literal["whole", "fill"] = "whole"
    x: int = Field(0, ge=0, le=11)
    y: int = Field(0, ge=0, le=500)
    w: int = Field(3, ge=1, le=12)
    h: int = Field(4, ge=1, le=60)


class SectionBody(Model):
    """columns: of one width that its sheets keep to, 0 for the twelve of the grid. folded: opens on a press."""

    id: Key
    title: str = Field("", max_length=120)
    columns: int = Field(0, ge=0, le=4)
    folded: bool = False
    instruments: list[InstrumentBody] = Field(default=[], max_length=200)
    texts: list[TextBody] = Field(default=[], max_length=50)
    pictures: list[PictureBody] = Field(default=[], max_length=50)


class ScopeBody(Model):
    """``period`` is ``latest``, ``complete`` (the latest complete one of ``grain``), or one such as 2026-10 or 2026-Q3,
    a span such as 2026-04..2026-09, or several such as 2023,2025. ``assume``: assumptions by their key that are tried with other values."""

    period: str = Field("complete", max_length=MOST_OF_A_PERIOD)
    grain: Grain = "month"
    members: dict[Annotated[str, StringConstraints(max_length=80)], list[Member]] = Field(default={}, max_length=50)
    assume: dict[Key, Number] = Field(default={}, max_length=50)

    @field_validator("period")
    @classmethod
    def known_period(cls, period: str) -> str:
        return period if period in ("latest", "complete") else Period.parse(period).key


class Rehearsed(Model):
    """A value tried on one reading of an instrument."""

    value: Number
    member: str | None = Field(None, max_length=200)


class AsksBody(Model):
    """Which readings need a note: those in the worst state, those that fell, and chosen ones as ``kpi|narrow``, the
    first two parts of what they are readings of."""

    worst: bool = False
    fell: bool = False
    readings: list[Annotated[str, StringConstraints(min_length=2, max_length=2000)]] = Field(default=[], max_length=500)

    @property
    def any(self) -> bool:
        return self.worst or self.fell or bool(self.readings)


class ScorecardBody(Model):
    title: Name
    scope: ScopeBody = ScopeBody()
    sections: list[SectionBody] = Field(default=[], max_length=50)
    folder: Annotated[str, StringConstraints(strip_whitespace=True, max_length=120)] = ""
    owner: Annotated[str, StringConstraints(strip_whitespace=True, max_length=120)] = ""
    asks: AsksBody = AsksBody()
    notes_at_end: bool = True  # of what is printed

    @model_validator(mode="after")
    def distinct_ids(self) -> ScorecardBody:
        ids = [section.id for section in self.sections]
        for section in self.sections:
            ids += [instrument.id for instrument in section.instruments] + [text.id for text in section.texts]
            ids += [picture.id for picture in section.pictures]
        if len(set(ids)) != len(ids):
            raise ValueError("two sections or sheets have the same id")
        if self.scope.assume:
            raise ValueError("a scorecard keeps no tried assumptions; keep them as a case, or keep the values")
        return self


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
