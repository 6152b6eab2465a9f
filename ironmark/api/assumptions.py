"""Assumptions: named numbers that formulas use, and cases of them, compared."""

from __future__ import annotations

from fastapi import APIRouter, Depends
from pydantic import BaseModel, Field

from ironmark.api.access import Reader, reader
from ironmark.api.answers.saved import Assumption, Case
from ironmark.api.records import add_routes
from ironmark.core.numbers import show
from ironmark.core.words import decimals_for
from ironmark.pages.authoring.assumption_rules import check_assumption, check_case, may_delete_assumption
from ironmark.pages.authoring.cases import Comparison, compared
from ironmark.pages.authoring.kpi_rules import named_in
from ironmark.pages.model.field_types import Key, Model
from ironmark.pages.model.kpi import AssumptionBody, CaseBody
from ironmark.pages.model.scorecard import ScopeBody
from ironmark.store import records

router = APIRouter(prefix="/api/assumptions", tags=["assumptions"])
cases_router = APIRouter(prefix="/api/cases", tags=["assumptions"])


class CompareAsk(Model):
    """``scope``: the scorecard's own where none is given; what it tries is a column of its own."""

    scorecard: Key
    scope: ScopeBody | None = None
    cases: list[Key] | None = Field(None, max_length=20)


@cases_router.post("/compare")
def compare_cases(ask: CompareAsk, who: Reader = Depends(reader)) -> Comparison:
    """A scorecard read with each of its cases, beside what is kept; all of them where none is named."""
    return who.look(lambda context: compared(context, ask.scorecard, ask.scope, ask.cases))


class AssumptionAbout(BaseModel):
    """Its numbers as they are written, and the names of the KPIs and computed marks whose formulas name it."""

    value: str
    least: str
    most: str
    step: str
    named_in: list[str]


@router.get("/{key}/about")
def assumption_about(key: str, who: Reader = Depends(reader)) -> AssumptionAbout:
    with who.read() as session:
        body = AssumptionBody.model_validate(records.get(session, "assumption", key).body)
        unit, style = body.unit.as_unit(), who.context(session).style
        value, least, most, step = (
            show(n, unit, style, decimals=max(unit.decimals, decimals_for(n, unit)))
            for n in (body.value, body.least, body.most, body.step)
        )
        return AssumptionAbout(value=value, least=least, most=most, step=step, named_in=named_in(session, body.handle))


add_routes(
    router, "assumption", AssumptionBody, Assumption, name="name", check=check_assumption,
    may_delete=may_delete_assumption,
)  # fmt: skip
add_routes(
    cases_router, "case", CaseBody, Case, name="name", check=check_case, may_delete=lambda *_: None,
)  # fmt: skip
