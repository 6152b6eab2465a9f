"""KPIs: their documents, a preview while a formula is typed, and their readings."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Any

import numpy as np
from fastapi import APIRouter, Depends
from pydantic import BaseModel, Field, StringConstraints
from sqlalchemy.orm import Session

from ironmark.api.records import add_routes
from ironmark.api.who import Reader, reader
from ironmark.core.evaluate import Floats
from ironmark.core.formula import FormulaError, never_a_flow, parse, references, renamed
from ironmark.core.numbers import NotANumber, Unit, show, understand
from ironmark.core.periods import Grain, Period, timeline
from ironmark.core.words import doubt
from ironmark.pages.documents import Kpi, KpiBody, Member, Model, UnitBody
from ironmark.pages.library import Library
from ironmark.pages.problems import Refused
from ironmark.store import marks, records
from ironmark.tables.cells import NoPeriod
from ironmark.tables.connections import LiveProblem

router = APIRouter(prefix="/api/kpis", tags=["kpis"])


class UnderstandAsk(Model):
    """``of``: the member it is for in each segment, whose readings tell what is far from usual."""

    text: str = Field(max_length=60)
    unit: UnitBody = UnitBody()
    kpi: str | None = Field(None, max_length=80)
    of: dict[str, Member] = Field({}, max_length=20)


class ManyTexts(Model):
    texts: list[Annotated[str, StringConstraints(max_length=60)]] = Field(max_length=20_000)


class Understood(BaseModel):
    value: float | None
    shown: str
    problem: str
    doubt: str


class KpiUse(BaseModel):
    scorecard: str
    title: str
    instruments: int


def _check(session: Session, body: KpiBody, key: str | None) -> None:
    """A KPI is kept only when its formula fits its dataset and nobody else has its handle."""
    library = Library(None, session)  # type: ignore[arg-type]
    held = records.get(session, "kpi", key).body["handle"] if key is not None else body.handle
    # As it will be once this is saved: a formula that names it, by either handle, reads what it says now.
    library.by_handle.update({held: body, body.handle: body})
    made = library.expanded(body)
    if body.nature == "flow" and never_a_flow(made.formula):
        detail = (
            "A running total (to_date, rolling) is a level, and a share is a rate: neither adds up over time. "
            "Say stock for a level, rate for a share."
        )
        raise Refused(422, "no-flow", "This cannot be a flow", detail, {"field": "nature"})
    if body.composite:
        library.fetch([part.kpi for part in body.composite.parts])
        for part in body.composite.parts:
            if key is not None and part.kpi == key:
                raise FormulaError("a composite cannot be a part of itself; take it out", 0, 0)
            library.refuse_circle(library.kpi(part.kpi), (body.handle,))
    for other in records.every(session, "kpi"):
        if other.id != key and other.body["handle"] == body.handle:
            raise Refused(
                409,
                "handle-taken",
                "The handle is taken",
                f"“{body.handle}” is the handle of {other.body['name']}. Choose another.",
                {"field": "handle"},
            )
    if key is not None:
        _rename(session, held, body.handle)


def _rename(session: Session, old: str, new: str) -> None:
    """Every formula that names a KPI follows when its handle changes."""
    for other in records.every(session, "kpi") if old != new else ():
        text = renamed(other.body["formula"], old, new)
        if text != other.body["formula"]:
            records.save(session, "kpi", other.id, other.body | {"formula": text}, other.version)
    for key, formulas in marks.every_computed(session).items() if old != new else ():
        for name, formula in formulas.items():
            if (text := renamed(formula, old, new)) != formula:
                marks.compute(session, key, name, text, marks.version(session, key))


def uses(session: Session, key: str, slot: str) -> list[KpiUse]:
    """The scorecards with instruments whose ``slot`` (kpi or yardstick) holds ``key``."""
    found = []
    for card in records.every(session, "scorecard"):
        instruments = [i for section in card.body["sections"] for i in section["instruments"]]
        if count := sum(key in _held(i, slot) for i in instruments):
            found.append(KpiUse(scorecard=card.id, title=card.body["title"], instruments=count))
    return found


def _held(instrument: dict[str, Any], slot: str) -> set[str]:
    """Every KPI, or every yardstick, that an instrument names."""
    held = {instrument[slot], *(more[slot] for more in instrument.get("further", []))}
    if slot == "kpi":
        quadrant = instrument.get("look", {}).get("quadrant", {})
        held |= {quadrant.get("across"), quadrant.get("size"), (instrument.get("ramp") or {}).get("kpi")}
    return held


def yardsticks_in_use(session: Session) -> dict[str, str]:
    """By KPI the yardstick of the first instrument that shows it, else one made for it."""
    found: dict[str, str] = {}
    for card in records.every(session, "scorecard"):
        for section in card.body["sections"]:
            for instrument in section["instruments"]:
                if instrument["yardstick"]:
                    found.setdefault(instrument["kpi"], instrument["yardstick"])
    for yardstick in records.every(session, "yardstick"):
        if yardstick.body["kpi"]:
            found.setdefault(yardstick.body["kpi"], yardstick.id)
    return found


def refuse_in_use(session: Session, key: str, slot: str, what: str) -> None:
    if found := uses(session, key, slot):
        where = ", ".join(use.title for use in found)
        raise Refused(409, "in-use", f"The {what} is in use", f"It is used on {where}. Take it off there first.")


def _may_delete(session: Session, _: Any, key: str | None) -> None:
    assert key is not None
    refuse_in_use(session, key, "kpi", "KPI")
    handle = records.get(session, "kpi", key).body["handle"]
    named = [k.body["name"] for k in records.every(session, "kpi") if handle in references(parse(k.body["formula"]))]
    for kpi in records.every(session, "kpi"):
        if any(part["kpi"] == key for part in (kpi.body.get("composite") or {}).get("parts", [])):
            named.append(kpi.body["name"])
    for other, formulas in marks.every_computed(session).items():
        if other != key and any(handle in references(parse(text)) for text in formulas.values()):
            named.append(f"a computed mark of {records.get(session, 'kpi', other).body['name']}")
    if named:
        raise Refused(409, "in-use", "The KPI is in use", f"It is named in {', '.join(named)}. Change those first.")
    marks.remove(session, key)


@router.post("/understand")
def understand_number(ask: UnderstandAsk, who: Reader = Depends(reader)) -> Understood:
    """What a typed number means in a KPI's unit, and a question where it is far outside of its history."""
    with who.read() as session:
        library = who.library(session)
        body = library.kpi(ask.kpi) if ask.kpi else None
        return _understood(ask.text, (body.unit if body else ask.unit).core(), history_of(library, body, ask.of))


@router.post("/{key}/understand")
def understand_numbers(key: str, ask: ManyTexts, who: Reader = Depends(reader)) -> list[Understood]:
    """The same for many numbers at once, as they come from a pasted sheet."""
    with who.read() as session:
        library = who.library(session)
        body = library.kpi(key)
        history, unit = history_of(library, body), body.unit.core()
        return [_understood(text, unit, history) for text in ask.texts]


def history_of(library: Library, body: KpiBody | None, of: Mapping[str, str] | None = None) -> np.ndarray:
    """The sizes of a KPI's readings so far, of the one member of each segment in ``of``, or of all rows together."""
    if body is None:
        return np.array([])
    found = sizes_by_member(library, body, None, of or {}, "month")
    return found.get(None, np.array([]))


def sizes_by_member(
    library: Library, body: KpiBody, by: str | None, of: Mapping[str, str], grain: Grain
) -> dict[str | None, Floats]:
    """The sizes of a KPI's readings so far by the members of a segment; none where they cannot be read."""
    try:
        source = library.source(body)
        periods = timeline(Period.of(source.last, grain, library.year_start), source.first, source.last)
        taken = library.read(body, by=by, where={s: [m] for s, m in of.items()}, periods=periods)
    except (FormulaError, NoPeriod, LiveProblem, KeyError):
        return {}
    return {name: np.abs(line[np.isfinite(line)]) for name, line in zip(taken.members, taken.value.T, strict=True)}


def _understood(text: str, unit: Unit, history: np.ndarray) -> Understood:
    try:
        value = understand(text, unit)
    except NotANumber as error:
        return Understood(value=None, shown="", problem=str(error), doubt="")
    return Understood(value=value, shown=show(value, unit), problem="", doubt=doubt(value, unit, history))


@router.get("/{key}/uses")
def kpi_uses(key: str, who: Reader = Depends(reader)) -> list[KpiUse]:
    with who.read() as session:
        return uses(session, key, "kpi")


add_routes(router, "kpi", KpiBody, Kpi, name="name", check=_check, may_delete=_may_delete)
