"""KPIs: their documents, a preview while a formula is typed, and their readings."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from fastapi import APIRouter, Depends
from pydantic import Field, StringConstraints

from ironmark.api.access import Reader, reader
from ironmark.api.answers.saved import Kpi
from ironmark.api.records import add_routes
from ironmark.pages.authoring.kpi_rules import check_kpi, may_delete_kpi
from ironmark.pages.marks.mark_changes import ChangeBody
from ironmark.pages.marks.mark_guard import MarkGuard
from ironmark.pages.marks.plausibility import Understood, history_of, understood
from ironmark.pages.model.field_types import Member, Model
from ironmark.pages.model.kpi import KpiBody, UnitBody
from ironmark.pages.reading.usages import KpiUse, uses

router = APIRouter(prefix="/api/kpis", tags=["kpis"])


class UnderstandAsk(Model):
    """``of``: the member it is for in each segment, whose readings tell what is far from usual; or ``mark``: the mark
    it is to be, which is held against what a kept one is. ``members``: how many it may be of each, so that it is told what
    they come to together."""

    text: str = Field(max_length=60)
    unit: UnitBody = UnitBody()
    kpi: str | None = Field(None, max_length=80)
    of: dict[str, Member] = Field({}, max_length=20)
    mark: ChangeBody | None = None
    members: int = Field(1, ge=1, le=1_000_000)


class ManyTexts(Model):
    texts: list[Annotated[str, StringConstraints(max_length=60)]] = Field(max_length=20_000)


@router.post("/understand")
def understand_number(ask: UnderstandAsk, who: Reader = Depends(reader)) -> Understood:
    """What a typed number means in a KPI's unit, and a question where it is far outside of its history."""
    with who.read() as session:
        context = who.context(session)
        body = context.kpi(ask.kpi) if ask.kpi else None
        if ask.mark and ask.kpi:
            history = MarkGuard(context, context.kpi(ask.kpi)).sizes_for(ask.mark)
        else:
            history = history_of(context, body, ask.of)
        return understood(ask.text, (body.unit if body else ask.unit).as_unit(), history, context.style, ask.members)


@router.post("/{key}/understand")
def understand_numbers(key: str, ask: ManyTexts, who: Reader = Depends(reader)) -> list[Understood]:
    """The same for many numbers at once, as they come from a pasted sheet; whose each is to be is not known yet, so
    none is doubted: that is asked when they are kept."""
    with who.read() as session:
        context = who.context(session)
        unit = context.kpi(key).unit.as_unit()
        return [understood(text, unit, np.array([]), context.style) for text in ask.texts]


@router.get("/{key}/uses")
def kpi_uses(key: str, who: Reader = Depends(reader)) -> list[KpiUse]:
    with who.read() as session:
        return uses(session, key, "kpi")


add_routes(router, "kpi", KpiBody, Kpi, name="name", check=check_kpi, may_delete=may_delete_kpi)
