"""A KPI as it is typed: read in words, worked out, graded; and every KPI at a glance."""

from __future__ import annotations

from fastapi import APIRouter, Depends

from ironmark.api.access import Reader, reader
from ironmark.core.formula import FormulaError
from ironmark.pages.authoring.previews import TYPED, FormulaProblem, Glance, Preview, PreviewAsk, glance_at, previewed
from ironmark.pages.context.library import Library
from ironmark.pages.reading.usages import yardsticks_in_use
from ironmark.store import records
from ironmark.tables.cells import NoPeriod
from ironmark.tables.connections import LiveProblem, Slow

router = APIRouter(prefix="/api/kpis", tags=["kpis"])


@router.post("/preview")
def preview_kpi(ask: PreviewAsk, who: Reader = Depends(reader)) -> Preview:
    """Work out a KPI that is being typed. A formula that cannot be read is an answer, not an error."""

    def read(library: Library) -> Preview:
        library.put(TYPED, ask.body, like=ask.key)
        try:
            return previewed(library, ask)
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

    def read(library: Library) -> list[Glance]:
        keys = [kpi.id for kpi in records.every(library.session, "kpi")]
        library.fetch(keys)
        yardsticks = yardsticks_in_use(library.session)
        library.fetch([], yardsticks.values())
        return [glance_at(library, key, yardsticks.get(key)) for key in keys]

    return who.look(read)
