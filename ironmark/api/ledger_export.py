"""A ledger taken out as a file: figures as numbers, states in their colours."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

from fastapi import APIRouter, Depends, Query, Response

from ironmark.api.access import Reader, reader
from ironmark.api.downloads import download
from ironmark.core import palette as palettes
from ironmark.core.numbers import NumberStyle, Unit, unit_words
from ironmark.core.periods import Period
from ironmark.pages.context.reading_context import ReadingContext
from ironmark.pages.drawing.draw_sheet import draw_sheet
from ironmark.pages.model.field_types import Model
from ironmark.pages.model.pictures import InstrumentPicture, ReadingPicture
from ironmark.pages.model.problems import Refused
from ironmark.pages.model.scorecard import InstrumentBody, ScopeBody
from ironmark.pages.reading.instrument_scope import period_of
from ironmark.pages.reading.sheets import read_sheet
from ironmark.publish import sheets

router = APIRouter(prefix="/api/scorecards", tags=["scorecards"])
PERCENT = "0%"
HEADS = {
    "value": "Value", "mark": "Mark", "gap": "Gap", "attainment": "Reached", "bullet": "", "progress": "Reached",
    "strokes": "Tally", "headroom": "Headroom", "trail": "", "usual": "Usual range", "signal": "Signal", "outlook": "Outlook",
    "state": "State",
}  # fmt: skip


class LedgerAsk(Model):
    instrument: InstrumentBody
    scope: ScopeBody = ScopeBody()


@router.post("/ledger", response_class=Response)
def take_ledger(
    ask: LedgerAsk, kind: Literal["csv", "xlsx"] = Query("xlsx"), who: Reader = Depends(reader)
) -> Response:
    """The rows of a ledger with its columns of figures, in the order it shows them."""
    with who.read() as session:
        context = who.context(session)
        context.assume(ask.scope.assume)
        kpi = context.kpi(ask.instrument.kpi)
        context.fetch([more.kpi for more in ask.instrument.further])
        period = period_of(ask.scope, [context.source(kpi)], context.year_start)
        sheet = read_sheet(context, ask.instrument, ask.scope, period)
        drawn = draw_sheet(sheet, context.states, context.year_start, context.style)
        if drawn.problem:
            raise Refused(422, "no-ledger", "The ledger cannot be read", drawn.problem)
        units = [_unit(context, ask.instrument, reading) for reading in drawn.readings]
        states, year_start, style = context.states, context.year_start, context.style
    columns = list(dict.fromkeys(c for c in ask.instrument.look.ledger.columns if HEADS[c]))
    columns = [c for c in columns if c != "progress" or "attainment" not in columns]
    head = [drawn.title, *(HEADS[c] for c in columns), "Unit", "Period"]
    rows = [
        [
            r.label or drawn.title,
            *(_cell(r, c, states) for c in columns),
            unit_words(unit),
            _period(drawn, r, year_start),
        ]
        for r, unit in zip(drawn.readings, units, strict=True)
    ]
    name = f"{drawn.title} {drawn.period}".strip()
    if kind == "csv":
        return download(sheets.as_csv(head, rows), f"{name}.csv", "text/csv; charset=utf-8")
    forms, fills = {}, {}
    for y, (reading, unit) in enumerate(zip(drawn.readings, units, strict=True)):
        for x, column in enumerate(columns, start=1):
            forms[y, x] = _form(column, unit, style)
            if column == "state" and reading.state:
                shades = palettes.shades(states[reading.state], dark=False)
                fills[y, x] = (shades.full, shades.on)
    bold = {(y, x) for y, r in enumerate(drawn.readings) if r.role == "group" for x in range(len(head))}
    return download(
        sheets.as_xlsx(head, rows, sheet=drawn.title, bold=bold, forms=forms, fills=fills), f"{name}.xlsx", sheets.XLSX
    )


def _period(drawn: InstrumentPicture, reading: ReadingPicture, year_start: int) -> str:
    """Of which period a reading is, and how much of it there is so far."""
    key = (reading.ask.period if reading.ask else None) or drawn.period
    label = Period.parse(key, year_start).label if key else ""
    return f"{label}, so far: {reading.partial.words}" if reading.partial else label


def _unit(context: ReadingContext, instrument: InstrumentBody, reading: ReadingPicture) -> Unit:
    unit = context.kpi(reading.ask.kpi if reading.ask and reading.ask.kpi else instrument.kpi).unit.as_unit()
    return replace(unit, compact=False)


def _form(column: str, unit: Unit, style: NumberStyle) -> str:
    if column in ("attainment", "progress", "headroom"):
        return PERCENT
    return (
        "0"
        if column == "strokes"
        else sheets.number_form(unit, style)
        if column not in ("state", "usual", "signal", "outlook")
        else "General"
    )


def _cell(reading: ReadingPicture, column: str, states: dict[str, palettes.State]) -> sheets.Cell:
    if column == "state":
        if not reading.state:
            return reading.status.replace("_", " ")
        return states[reading.state].name + (" so far" if reading.partial else "")
    if column in ("usual", "signal"):
        return (reading.usual.range if column == "usual" else reading.usual.signal) if reading.usual else ""
    if column == "outlook":
        return f"{reading.going.shown}, likely {reading.going.range}" if reading.going else ""
    if column == "mark":
        return reading.marks[0].value if reading.marks else None
    figures: dict[str, float | None] = {
        "value": reading.value, "gap": reading.gap, "attainment": reading.attainment, "progress": reading.attainment,
        "headroom": reading.headroom, "strokes": float(reading.strokes),
    }  # fmt: skip
    return figures[column]
