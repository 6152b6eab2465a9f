"""Specimens: every face in every condition, read and graded from made-up rows by the same way as any instrument."""

from __future__ import annotations

import datetime as dt
import math
from dataclasses import dataclass, field
from functools import lru_cache
from typing import Any

import polars as pl
from fastapi import APIRouter, Depends
from pydantic import BaseModel

from ironmark.api.access import reader
from ironmark.core.faces import FACES
from ironmark.core.marks import TARGET, TOGETHER, MarkEntry, Owner
from ironmark.core.numbers import DEFAULT_LOCALE, style_of
from ironmark.core.palette import PALETTES
from ironmark.core.periods import Period
from ironmark.core.readings import Source
from ironmark.pages.context.reading_context import ReadingContext
from ironmark.pages.drawing.draw_sheet import draw_sheet
from ironmark.pages.model.kpi import KpiBody
from ironmark.pages.model.pictures import InstrumentPicture
from ironmark.pages.model.problems import Refused
from ironmark.pages.model.scorecard import InstrumentBody, ScopeBody
from ironmark.pages.model.yardstick import YardstickBody
from ironmark.pages.reading.sheets import read_sheet
from ironmark.store.datasets import StoredDataset
from ironmark.tables.columns import ColumnSource
from ironmark.tables.table import Column

router = APIRouter(prefix="/api/specimens", tags=["specimens"], dependencies=[Depends(reader)])
THROUGH = dt.date(2026, 11, 21)
CROWD = 300
NAMES = (
    "North quay", "South quay", "Outer mole", "Lantern steps",
    "A landing whose name is as long as sixty characters may well", "رصيف الميناء القديم", "נמל הדייגים", "<b>Slip</b> & ramp",
)  # fmt: skip
COLUMNS = (
    Column("day", "Day", "date", "period"), Column("landing", "Landing", "text", "segment"), Column("x", "Calls", "number", "measure"), Column("y", "Stops", "number", "measure"),
)  # fmt: skip


@dataclass(frozen=True)
class Condition:
    """What is odd about a specimen: the KPI it reads, its period, and slots of the instrument."""

    name: str
    kpi: str = "calls"
    period: str = "2026-10"
    slots: dict[str, Any] = field(default_factory=dict)
    many: bool = False


CONDITIONS = {
    "plain": Condition("a plain reading"),
    "members": Condition("members, with long names and names in other alphabets", many=True),
    "one": Condition("one member", kpi="lone", slots={"by": "landing"}, many=True),
    "periods": Condition("periods", slots={"last": 6}),
    "rest": Condition("the first three, the rest as one", slots={"first": 3, "order": "value"}, many=True),
    "crowd": Condition("300 members", kpi="crowd", slots={"by": "landing"}, many=True),
    "ramp": Condition("a ramp instead of states", slots={"ramp": {"colours": "tideline", "anchor": "midpoint"}}, many=True),
    "partial": Condition("a partial period", period="2026-11"),
    "nothing": Condition("no reading", period="2026-03"),
    "ungraded": Condition("no yardstick", slots={"yardstick": None}),
    "unmarked": Condition("no mark", kpi="unmarked"),
    "over": Condition("a value past the end of the axis", slots={"axis": {"low": 0, "high": 300}}),
    "under": Condition("a value under the start of the axis", slots={"axis": {"low": 900, "high": 1500}}),
    "below": Condition("values below zero", kpi="below"),
    "tiny": Condition("a value of 0.0001", kpi="tiny"),
    "huge": Condition("a value of 10 billion", kpi="huge"),
}  # fmt: skip


class ConditionOut(BaseModel):
    key: str
    name: str


class Specimen(BaseModel):
    instrument: InstrumentBody
    picture: InstrumentPicture


class _Rows:
    """Stands where sources would: hands out the made-up rows."""

    def source(self, session: None, dataset: StoredDataset) -> Source:
        return _rows(dataset.id == "berths")


@lru_cache(maxsize=2)
def _rows(crowd: bool) -> ColumnSource:
    rows: list[tuple[Any, ...]] = []
    for month in (4, 5, 6, 7, 8, 9, 10, 11):
        for at, name in enumerate(NAMES if not crowd else ()):
            size = 60 + 11 * at + 9 * math.sin(month + at)
            rows.append((dt.date(2026, month, 3 + at), name, round(size, 3), 40.0 + 7 * math.cos(2 * at)))
        for at in range(CROWD if crowd else 0):
            rows.append((dt.date(2026, month, 5), f"Berth {at + 1}", 20.0 + (at * 37) % 81, 10.0 + at % 7))
    kinds = {"day": pl.Date, "landing": pl.String, "x": pl.Float64, "y": pl.Float64}
    frame = pl.DataFrame(rows, schema=kinds, orient="row")
    return ColumnSource(frame, "day", ["landing"], THROUGH, {"landing": () if crowd else NAMES})


@lru_cache(maxsize=1)
def _library() -> ReadingContext:
    context = ReadingContext(_Rows(), None)  # type: ignore[arg-type]
    plain = "sum(x)"
    formulas = {
        "calls": plain,
        "lone": 'sum(x where landing = "North quay")',
        "crowd": "sum(x)",
        "unmarked": plain,
        "below": f"0 - {plain}",
        "tiny": f"{plain} / 8000000",
        "huge": f"{plain} * 12500000",
        "stops": "sum(y)",
    }
    sizes = {"below": -800.0, "tiny": 0.0001, "huge": 1e10, "crowd": 60.0, "lone": 70.0}
    for key, formula in formulas.items():
        unit = {"kind": "number", "decimals": 5 if key == "tiny" else 0}
        nature = "rate"
        context.kpis[key] = KpiBody.model_validate(
            {"handle": key, "name": "Calls at the landing" if key != "stops" else "Stops", "dataset": "berths" if key == "crowd" else "landings",
             "formula": formula, "unit": unit, "nature": nature}
        )  # fmt: skip
        size = sizes.get(key, 800.0)
        context._entries[key] = [] if key in ("unmarked", "stops") else [_mark("landing", size / 8), _mark(None, size)]
        signs = (1.1, 1.0, 0.9) if size < 0 else (0.9, 1.0, 1.1)
        context.yardsticks[key] = YardstickBody.model_validate(
            {"name": key, "bands": ["short", "near", "met", "beyond"],
             "cuts": [{"mark": TARGET, "factor": factor} for factor in signs]}
        )  # fmt: skip
    for key in ("landings", "berths"):
        moment = dt.datetime(2026, 11, 21)
        context._datasets[key] = StoredDataset(key, 1, key.capitalize(), 1, 0, "", COLUMNS, (), THROUGH, moment)
    context.__dict__.update(year_start=1, style=style_of(DEFAULT_LOCALE), palettes=PALETTES, by_handle={})
    return context


def _mark(segment: str | None, value: float) -> MarkEntry:
    """Each member's mark, or that of all together."""
    return MarkEntry(TARGET, Owner.each(segment) if segment else TOGETHER, Period.parse("2026-01"), value)


@router.get("")
def conditions() -> list[ConditionOut]:
    return [ConditionOut(key=key, name=condition.name) for key, condition in CONDITIONS.items()]


@router.get("/{key}")
def specimens(key: str) -> list[Specimen]:
    """Every face in one condition."""
    if key not in CONDITIONS:
        raise Refused(404, "no-condition", "No such condition", f"There is no condition “{key}”.")
    condition, context = CONDITIONS[key], _library()
    context.taken.clear()
    period = Period.parse(condition.period)
    found = []
    for face in FACES:
        slots: dict[str, Any] = {"yardstick": condition.kpi, "title": "Calls at the landing"} | condition.slots
        if (condition.many or face in ("quadrant", "profile")) and not slots.get("by"):
            slots |= {"by": "landing", "last": None}
        slots["look"] = {
            "quadrant": {"across": "stops", "size": "stops"},
            "pips": {"steps": 6},
            "ledger": {"columns": ["value", "mark", "gap", "bullet", "strokes", "headroom", "trail", "state"]},
        }
        instrument = InstrumentBody.model_validate({"id": face, "kpi": condition.kpi, "face": face} | slots)
        scope = ScopeBody(period=condition.period)
        found.append(
            Specimen(
                instrument=instrument,
                picture=draw_sheet(read_sheet(context, instrument, scope, period), context.states, 1, context.style),
            )
        )
    return found
