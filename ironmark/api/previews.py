"""A KPI as it is typed: read in words, worked out, graded; and every KPI at a glance."""

from __future__ import annotations

from fastapi import APIRouter, Depends, Request

from ironmark.api.access import Reader, reader
from ironmark.core.formula_nodes import FormulaError
from ironmark.pages.authoring.kpi_glances import Glance, KpiGlances
from ironmark.pages.authoring.previews import TYPED, FormulaProblem, Preview, PreviewAsk, previewed
from ironmark.pages.context.reading_context import ReadingContext
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
def every_glance(request: Request, who: Reader = Depends(reader)) -> list[Glance]:
    """Every KPI's last complete month and the months before it. What takes long is told as waiting, and read by the side."""
    glances: KpiGlances = request.app.state.kpi_glances
    with who.read() as session:
        return glances.listed(session)
