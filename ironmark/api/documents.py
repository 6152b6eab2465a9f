"""The documents a client writes: KPI, yardstick, scorecard. Pydantic at the edge, core inside."""

from __future__ import annotations

import re
from typing import Annotated, Literal

from babel.numbers import list_currencies
from pydantic import (
    BaseModel,
    ConfigDict,
    Field,
    FiniteFloat,
    StringConstraints,
    field_validator,
    model_validator,
)

from ironmark.core import yardstick as core
from ironmark.core.formula import MAX_LENGTH
from ironmark.core.numbers import SECONDS, Unit
from ironmark.core.periods import Grain, Period

Key = Annotated[str, StringConstraints(min_length=1, max_length=80, pattern=r"^[A-Za-z0-9_-]+$")]
Name = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=120)]
Member = Annotated[str, StringConstraints(max_length=200)]
MarkName = Annotated[str, StringConstraints(strip_whitespace=True, to_lower=True, min_length=1, max_length=40)]
Face = Literal["dial", "bullet", "bar", "lamp", "chip"]
Number = Annotated[FiniteFloat, Field(ge=-1e300, le=1e300)]


class Model(BaseModel):
    model_config = ConfigDict(extra="forbid")


class UnitBody(Model):
    kind: Literal["number", "percent", "currency", "duration"] = "number"
    decimals: int = Field(0, ge=0, le=6)
    currency: str = "GBP"
    text: str = Field("", max_length=20)
    compact: bool = False
    sign: bool = False

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

    def core(self) -> Unit:
        return Unit(self.kind, self.decimals, self.currency, self.text, self.compact, self.sign)


class KpiBody(Model):
    handle: str = Field(max_length=60)
    name: Name
    description: str = Field("", max_length=2000)
    owner: str = Field("", max_length=120)
    dataset: Key
    formula: str = Field(max_length=MAX_LENGTH)
    unit: UnitBody = UnitBody()
    direction: Literal["higher", "lower", "inside"] = "higher"
    nature: Literal["flow", "stock", "rate"] = "rate"
    pro_rating: Literal["days", "last_year"] = "days"

    @field_validator("handle")
    @classmethod
    def plain_handle(cls, handle: str) -> str:
        if not re.fullmatch(r"[^\W\d]\w*", handle):
            raise ValueError("a handle is one word of letters, digits and _, such as on_time")
        return handle


class CutBody(Model):
    offset: Number = 0.0
    mark: MarkName | None = None
    factor: Number = 1.0
    belongs: Literal["above", "below"] = "above"

    def core(self) -> core.Cut:
        return core.Cut(self.offset, self.mark, self.factor, self.belongs)


class YardstickBody(Model):
    name: Name
    kpi: Key | None = None  # the KPI whose readings and unit its page shows
    bands: list[str] = Field(min_length=core.MIN_BANDS, max_length=core.MAX_BANDS)
    cuts: list[CutBody]
    per: Grain = "month"  # what a flow's plain numbers are for

    @model_validator(mode="after")
    def fits(self) -> YardstickBody:
        for at, (lower, upper) in enumerate(zip(self.cuts, self.cuts[1:], strict=False), start=1):
            pair = core.Yardstick(("short", "near", "met"), (lower.core(), upper.core()))
            if not pair.marks and not core.ordered(pair, core.resolve(pair, {}, (1,)))[0]:
                raise ValueError(f"cut {at} lies above cut {at + 1}; cuts rise from left to right")
        self.core()
        return self

    def core(self) -> core.Yardstick:
        return core.Yardstick(tuple(self.bands), tuple(cut.core() for cut in self.cuts), self.per)


class AxisBody(Model):
    low: Number | None = None
    high: Number | None = None

    @model_validator(mode="after")
    def rising(self) -> AxisBody:
        if self.low is not None and self.high is not None and self.low >= self.high:
            raise ValueError("an axis runs from a smaller to a larger number; swap the two ends")
        return self


class InstrumentBody(Model):
    id: Key
    kpi: Key
    title: str = Field("", max_length=120)
    by: str | None = Field(None, max_length=80)
    face: Face = "dial"
    marks: list[MarkName] = Field(default=["target"], max_length=4)
    yardstick: Key | None = None
    axis: AxisBody = AxisBody()
    decimals: int | None = Field(None, ge=0, le=6)
    compact: bool | None = None
    ticks: bool = True
    order: Literal["gap", "value", "name"] = "gap"
    x: int = Field(0, ge=0, le=11)
    y: int = Field(0, ge=0, le=500)
    w: int = Field(3, ge=1, le=12)
    h: int = Field(6, ge=1, le=60)


class SectionBody(Model):
    id: Key
    title: str = Field("", max_length=120)
    instruments: list[InstrumentBody] = Field(default=[], max_length=200)


class ScopeBody(Model):
    """``period`` is ``latest``, ``complete`` (the latest complete one of ``grain``), or one such as 2026-10 or 2026-Q3,
    or a span such as 2026-04..2026-09."""

    period: str = Field("complete", max_length=24)
    grain: Grain = "month"
    members: dict[Annotated[str, StringConstraints(max_length=80)], list[Member]] = Field(default={}, max_length=50)

    @field_validator("period")
    @classmethod
    def known_period(cls, period: str) -> str:
        return period if period in ("latest", "complete") else Period.parse(period).key


class ScorecardBody(Model):
    title: Name
    scope: ScopeBody = ScopeBody()
    sections: list[SectionBody] = Field(default=[], max_length=50)

    @model_validator(mode="after")
    def distinct_ids(self) -> ScorecardBody:
        ids = [section.id for section in self.sections] + [i.id for s in self.sections for i in s.instruments]
        if len(set(ids)) != len(ids):
            raise ValueError("two sections or instruments have the same id")
        return self


class Saved(BaseModel):
    """A saved document with the version a write has to name."""

    id: str
    version: int
    updated_at: str


class Kpi(Saved):
    body: KpiBody


class Yardstick(Saved):
    body: YardstickBody


class Scorecard(Saved):
    body: ScorecardBody
