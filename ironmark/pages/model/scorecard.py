"""Scorecards as they are kept: sections, instruments, texts, pictures, scope."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import (
    Field,
    StringConstraints,
    field_validator,
    model_validator,
)

from ironmark.core.marks import TARGET
from ironmark.core.periods import Grain, Period
from ironmark.core.scope_shift import Reach
from ironmark.pages.model.face_settings import AxisBody, ColourBody, Look, RampBody, Ticks
from ironmark.pages.model.field_types import (
    MOST_OF_A_PERIOD,
    FaceKey,
    Key,
    MarkName,
    Member,
    Model,
    Name,
    Number,
    Order,
    SheetPart,
)


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
    signals: bool = True  # whether it shows usual ranges, signals and too few rows
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
    """Which readings need a note: those in the worst state, those that fell, signals, and chosen ones as ``kpi|narrow``,
    the first two parts of what they are readings of."""

    worst: bool = False
    fell: bool = False
    signals: bool = False
    readings: list[Annotated[str, StringConstraints(min_length=2, max_length=2000)]] = Field(default=[], max_length=500)

    @property
    def any(self) -> bool:
        return self.worst or self.fell or self.signals or bool(self.readings)


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
