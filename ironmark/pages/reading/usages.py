"""Where KPIs and yardsticks are used, so that nothing is taken away that something shows."""

from __future__ import annotations

from typing import Any

from pydantic import BaseModel
from sqlalchemy.orm import Session

from ironmark.core.marks import TARGET
from ironmark.pages.context.reading_context import ReadingContext
from ironmark.pages.model.problems import Refused
from ironmark.pages.model.scorecard import InstrumentBody
from ironmark.store import records


class KpiUse(BaseModel):
    scorecard: str
    title: str
    instruments: int


def uses(session: Session, key: str, slot: str) -> list[KpiUse]:
    """The scorecards with instruments whose ``slot`` (kpi or yardstick) holds ``key``."""
    found = []
    for card in records.list_all(session, "scorecard"):
        instruments = [i for section in card.body["sections"] for i in section["instruments"]]
        if count := sum(key in _held(i, slot) for i in instruments):
            found.append(KpiUse(scorecard=card.id, title=card.body["title"], instruments=count))
    return found


def _held(instrument: dict[str, Any], slot: str) -> set[str | None]:
    """Every KPI, or every yardstick, that an instrument names."""
    held = InstrumentBody.model_validate(instrument)
    if slot == "kpi":
        return {*held.kpis}
    return {held.yardstick, *(more.yardstick for more in held.further)}


def yardsticks_in_use(session: Session) -> dict[str, str]:
    """By KPI the yardstick of the first instrument that shows it, else one made for it."""
    found: dict[str, str] = {}
    for card in records.list_all(session, "scorecard"):
        for section in card.body["sections"]:
            for instrument in section["instruments"]:
                if instrument["yardstick"]:
                    found.setdefault(instrument["kpi"], instrument["yardstick"])
    for yardstick in records.list_all(session, "yardstick"):
        if yardstick.body["kpi"]:
            found.setdefault(yardstick.body["kpi"], yardstick.id)
    return found


def mark_of(context: ReadingContext, yardstick: str | None) -> str:
    """The mark that readings by a yardstick are held to: the first its cuts are derived from, else the target."""
    marks = [cut.mark for cut in context.yardstick(yardstick).cuts if cut.mark] if yardstick else []
    return marks[0] if marks else TARGET


def refuse_in_use(session: Session, key: str, slot: str, what: str) -> None:
    if found := uses(session, key, slot):
        where = ", ".join(use.title for use in found)
        raise Refused(409, "in-use", f"The {what} is in use", f"It is used on {where}. Take it off there first.")
