"""Yardsticks that are proposed: from rules written by hand, from shares, around a target or last year."""

from __future__ import annotations

from typing import Literal

import numpy as np
from pydantic import BaseModel, Field, FiniteFloat

from ironmark.core import axis as axes
from ironmark.core import pasted_rules, words
from ironmark.core import yardstick as grading
from ironmark.core.evaluate import Floats
from ironmark.core.marks import TARGET
from ironmark.core.numbers import NumberStyle, Unit
from ironmark.core.propose import deal, propose, shares_of
from ironmark.pages.context.reading_context import ReadingContext
from ironmark.pages.model.face_settings import AxisBody
from ironmark.pages.model.field_types import Key, Model
from ironmark.pages.model.kpi import KpiBody
from ironmark.pages.model.problems import Refused
from ironmark.pages.model.yardstick import CutBody, YardstickBody


class RulesAsk(Model):
    """Rules as they were written by hand, one a line, in the unit of a KPI."""

    text: str = Field(max_length=8000)
    kpi: Key


class RuleOut(BaseModel):
    line: int
    text: str
    state: str


class FindingOut(BaseModel):
    """Something wrong in the rules, and what was done about it."""

    kind: str
    message: str
    lines: list[int]


class DealAsk(Model):
    """Bands dealt out: evenly or by shares, of the axis or of the readings so far."""

    kpi: Key
    by: str | None = Field(None, max_length=80)
    over: Literal["axis", "readings", "last year"] = "axis"
    axis: AxisBody = AxisBody()  # as it is shown; an open end is chosen from the readings
    count: int = Field(4, ge=grading.MIN_BANDS, le=grading.MAX_BANDS)
    shares: list[FiniteFloat] = Field(default=[], max_length=40)  # fractions, 0.25 for 25 %; none deals out evenly


class RulesOut(BaseModel):
    """What the rules come to; ``problem`` says which line cannot be read."""

    bands: list[str] = []
    cuts: list[CutBody] = []
    words: list[str] = []  # of each band
    rules: list[RuleOut] = []
    findings: list[FindingOut] = []
    problem: str = ""


class Proposal(Model):
    kpi: Key
    by: str | None = Field(None, max_length=80)
    name: str = Field("", max_length=120)


def _last_year(values: Floats) -> float | None:
    """The mean of the twelve months before the last twelve, else of the earliest twelve; None without a reading."""
    rows = values[-24:-12] if len(values) > 12 else values[:12]
    known = rows[np.isfinite(rows)]
    return float(f"{known.mean():.4g}") if known.size else None


def _bands_out(made: grading.Yardstick, unit: Unit, style: NumberStyle) -> RulesOut:
    cuts = [cut.offset for cut in made.cuts]
    return RulesOut(
        bands=list(made.bands),
        cuts=[CutBody(**vars(cut)) for cut in made.cuts],
        words=[words.band_words(made, cuts, band, unit, style) for band in range(len(made.bands))],
    )


def turned_rules(text: str, unit: Unit, style: NumberStyle) -> RulesOut:
    """Rules such as ``>= 85 and < 92 amber`` as bands and cuts, with everything that was wrong in them."""
    try:
        turned = pasted_rules.turn(text, unit, style)
    except pasted_rules.NotARule as error:
        return RulesOut(problem=str(error))
    made = _bands_out(turned.yardstick, unit, style) if turned.yardstick else RulesOut()
    return made.model_copy(
        update={
            "rules": [RuleOut(line=rule.line, text=rule.text, state=rule.state) for rule in turned.rules],
            "findings": [FindingOut(kind=f.kind, message=f.message, lines=list(f.lines)) for f in turned.findings],
        }
    )


def settled(kpi: KpiBody) -> KpiBody:
    """The KPI, once somebody has said which way is better: nothing is graded by a guess."""
    if kpi.direction == "open":
        detail = f"Say first whether more of “{kpi.name}” is better, less, or inside a range: its page asks. Nothing of it is graded until then."
        raise Refused(422, "open", "Nobody said which way is better", detail, {"field": "kpi"})
    return kpi


def dealt_bands(context: ReadingContext, ask: DealAsk) -> RulesOut:
    """Bands of equal or of typed shares. Shares that do not come to 100 % are an answer, not an error."""
    kpi = settled(context.kpi(ask.kpi))
    values = context.read(kpi, by=ask.by).value
    try:
        shares = shares_of(ask.shares or [1 / ask.count] * ask.count)
    except ValueError as error:
        return RulesOut(problem=f"{error}".capitalize() + ".")
    unit = kpi.unit.as_unit()
    axis = axes.choose(values.ravel(), ceiling=axes.whole_of(values, unit.kind == "percent"))
    low = axis.low if ask.axis.low is None else ask.axis.low
    high = axis.high if ask.axis.high is None else ask.axis.high
    if low >= high:
        return RulesOut(problem="The axis ends before it begins. Give both of its ends.")
    if ask.over == "last year":
        level = _last_year(values)
        if level is None:
            return RulesOut(problem="There is no reading of last year to go by.")
        made = propose(values, np.array([level]), kpi.direction, unit.kind == "percent")
        return _bands_out(made.in_numbers({TARGET: level}), unit, context.style)
    over = values if ask.over == "readings" else None
    return _bands_out(deal(kpi.direction, shares, low=low, high=high, values=over), unit, context.style)


def first_yardstick(context: ReadingContext, ask: Proposal) -> YardstickBody:
    """Around the target of a KPI where it has one, else from quantiles of its history."""
    kpi = settled(context.kpi(ask.kpi))
    readings = context.read(kpi, context.entries(ask.kpi), [TARGET], by=ask.by, computed=context.computed(ask.kpi))
    made = propose(readings.value, readings.marks[TARGET], kpi.direction, kpi.unit.kind == "percent")
    cuts = [CutBody(**vars(cut)) for cut in made.cuts]
    return YardstickBody(name=ask.name or kpi.name, kpi=ask.kpi, bands=list(made.bands), cuts=cuts)
