"""Yardsticks: their documents, and the strip: bands, proof, sweep and back-test by one KPI."""

from __future__ import annotations

from fastapi import APIRouter, Depends

from ironmark.api.access import Reader, reader
from ironmark.api.answers.saved import Yardstick
from ironmark.api.records import add_routes
from ironmark.pages.authoring.cut_changes import CutChange, changed_cuts
from ironmark.pages.authoring.proposals import (
    DealAsk,
    Proposal,
    RulesAsk,
    RulesOut,
    dealt_bands,
    first_yardstick,
    turned_rules,
)
from ironmark.pages.authoring.strips import (
    Strip,
    StripAsk,
    strip_of,
)
from ironmark.pages.authoring.yardstick_rules import check_yardstick, may_delete_yardstick
from ironmark.pages.model.yardstick import YardstickBody
from ironmark.pages.reading.usages import KpiUse, uses

router = APIRouter(prefix="/api/yardsticks", tags=["yardsticks"])


@router.post("/strip")
def strip(ask: StripAsk, who: Reader = Depends(reader)) -> Strip:
    """Everything the strip shows for a yardstick, saved or not, on a KPI's past and current readings."""
    return who.look(lambda context: strip_of(context, ask))


@router.post("/cuts", dependencies=[Depends(reader)])
def change_cuts(ask: CutChange) -> YardstickBody:
    """A yardstick with one cut moved, made a plain number, or put into a band. Nothing is kept."""
    return changed_cuts(ask)


@router.post("/rules")
def turn_rules(ask: RulesAsk, who: Reader = Depends(reader)) -> RulesOut:
    """Turn rules such as ``>= 85 and < 92 amber`` into bands and cuts, with everything that was wrong in them."""
    with who.read() as session:
        context = who.context(session)
        return turned_rules(ask.text, context.kpi(ask.kpi).unit.as_unit(), context.style)


@router.post("/deal")
def deal_bands(ask: DealAsk, who: Reader = Depends(reader)) -> RulesOut:
    """Bands of equal or of typed shares. Shares that do not come to 100 % are an answer, not an error."""
    return who.look(lambda context: dealt_bands(context, ask))


@router.post("/propose")
def propose_yardstick(ask: Proposal, who: Reader = Depends(reader)) -> YardstickBody:
    """A first yardstick for a KPI: around its target where it has one, else from quantiles of its history."""
    return who.look(lambda context: first_yardstick(context, ask))


@router.get("/{key}/uses")
def yardstick_uses(key: str, who: Reader = Depends(reader)) -> list[KpiUse]:
    with who.read() as session:
        return uses(session, key, "yardstick")


add_routes(
    router, "yardstick", YardstickBody, Yardstick, name="name", check=check_yardstick, may_delete=may_delete_yardstick
)
