"""A KPI as it is typed: read in words, worked out, graded; and every KPI at a glance."""

from __future__ import annotations

from fastapi import APIRouter, Depends

from ironmark.api.access import Reader, reader
from ironmark.core.formula_nodes import FormulaError
from ironmark.pages.authoring.previews import TYPED, FormulaProblem, Glance, Preview, PreviewAsk, glance_at, previewed
from ironmark.pages.context.reading_context import ReadingContext
from ironmark.pages.reading.usages import yardsticks_in_use
from ironmark.store import records
from ironmark.tables.cells import NoPeriod
from ironmark.tables.connections import LiveProblem, Slow

router = APIRouter(prefix="/api/kpis", tags=["kpis"])


@router.post("/preview")
def preview_kpi(ask: PreviewAsk, who: Reader = Depends(reader)) -> Preview:
    """Work out a KPI that is being typed. A formula that cannot be read is an answer, not an error."""

    def read(context: ReadingContext) -> Preview:
        context.add_draft_kpi(TYPED, ask.body, like=ask.key)
        try:
            return previewed(context, ask)
        except FormulaError as error:
            return Preview(problem=FormulaProblem(message=error.message, start=error.start, end=error.end))
        except NoPeriod as error:
            return Preview(note=str(error))
        except LiveProblem as error:
            return Preview(note=str(error), waiting=isinstance(error, Slow))

    return who.look(read)


@router.get("/glances")
def every_glance(who: Reader = Depends(reader)) -> list[Glance]:
    """Every KPI's last complete month and the months before it. One that cannot be read holds up no other."""

    def read(context: ReadingContext) -> list[Glance]:
        keys = [kpi.id for kpi in records.list_all(context.session, "kpi")]
        context.fetch(keys)
        yardsticks = yardsticks_in_use(context.session)
        context.fetch([], yardsticks.values())
        return [glance_at(context, key, yardsticks.get(key)) for key in keys]

    return who.look(read)
