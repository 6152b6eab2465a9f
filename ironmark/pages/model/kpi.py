"""KPIs, assumptions and cases as they are kept."""

from __future__ import annotations

import datetime as dt
from typing import Annotated, Literal

from babel.numbers import list_currencies
from pydantic import (
    AfterValidator,
    Field,
    FiniteFloat,
    field_validator,
    model_validator,
)

from ironmark.core.formula import MAX_LENGTH
from ironmark.core.marks import TARGET
from ironmark.core.numbers import SECONDS, Unit
from ironmark.pages.model.field_types import (
    Handle,
    Key,
    MarkName,
    Model,
    Name,
    Number,
)


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


def _day(text: str) -> str:
    try:
        return dt.date.fromisoformat(text).isoformat()
    except ValueError:
        raise ValueError(f"“{text[:20]}” is no day; write it as 2026-10-07") from None


class NamedDate(Model):
    """A day from which something is otherwise, and why. new_range: what was before it is no longer what is usual."""

    day: Annotated[str, AfterValidator(_day)]
    reason: str = Field(min_length=1, max_length=120)
    new_range: bool = True

    @property
    def date(self) -> dt.date:
        return dt.date.fromisoformat(self.day)


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
    named_dates: list[NamedDate] = Field(default=[], max_length=60)

    @model_validator(mode="after")
    def counts_rows(self) -> KpiBody:
        if self.composite is not None:
            self.formula, self.nature = "count()", "rate"
        return self
