"""How faces are set: axes, colours, and what each face has of its own."""

from __future__ import annotations

from itertools import pairwise
from typing import Annotated, Literal

from pydantic import (
    Field,
    FiniteFloat,
    StringConstraints,
    model_validator,
)

from ironmark.core.marks import TARGET
from ironmark.pages.model.field_types import (
    Key,
    LedgerColumn,
    MarkName,
    Model,
    Number,
)


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
