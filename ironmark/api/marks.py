"""The mark book of a KPI: its entries, and the grid of members by months they come to."""

from __future__ import annotations

from fastapi import APIRouter, Depends, Header, Query, Response
from pydantic import BaseModel, Field

from ironmark.api.access import Reader, reader
from ironmark.api.versions import seen_version
from ironmark.core.marks import TARGET
from ironmark.core.periods import FIRST_YEAR, LAST_YEAR, Grain
from ironmark.pages.marks.mark_changes import ChangeBody, change_of
from ironmark.pages.marks.mark_grid import Grid, grid_of, view_of
from ironmark.pages.marks.mark_guard import MarkGuard, refuse_doubtful
from ironmark.pages.marks.mark_trial import TryOut, try_out
from ironmark.pages.model.field_types import Model
from ironmark.store import marks
from ironmark.store.database import StaleVersion

router = APIRouter(prefix="/api/kpis/{key}/marks", tags=["marks"])


class ChangesBody(Model):
    """``sure``: also values 20 times outside of what was read so far, which are asked about first."""

    changes: list[ChangeBody] = Field(min_length=1, max_length=50_000)
    sure: bool = False


class TryBody(ChangesBody):
    by: str | None = Field(None, max_length=80)


class Changed(BaseModel):
    version: int
    back: list[ChangeBody]  # what would take the changes back


@router.get("")
def mark_grid(
    key: str,
    response: Response,
    name: str = Query(TARGET, max_length=40),
    by: str | None = Query(None, max_length=80),
    within: str | None = Query(None, max_length=80),
    member: str | None = Query(None, max_length=200),
    grain: Grain = Query("month"),
    year: int | None = Query(None, ge=FIRST_YEAR, le=LAST_YEAR),
    span: int = Query(1, ge=1, le=3),
    who: Reader = Depends(reader),
) -> Grid:
    """The periods of one to three financial years by the members of a segment (the first one when ``by`` is not
    given), of all rows or, for marks of two segments, of the ``member`` of the segment ``within``."""
    narrow = {within: member} if within and member else {}
    made = who.look(lambda context: grid_of(context, view_of(context, key, name, by, grain, year, span, narrow), key))
    response.headers["ETag"] = f'"{made.version}"'
    return made


@router.post("/try")
def try_marks(key: str, body: TryBody, who: Reader = Depends(reader)) -> TryOut:
    """The readings that would change state, the newest first, by the yardstick this KPI is graded by."""
    return who.look(lambda context: try_out(context, key, body.changes, body.by))


@router.post("")
def change_marks(
    key: str,
    body: ChangesBody,
    response: Response,
    if_match: str | None = Header(None),
    who: Reader = Depends(reader),
) -> Changed:
    """Set or take out entries, all or none. A value 20 times outside of what was read is asked about first."""
    saw = seen_version(if_match)
    with who.read() as session:
        context = who.context(session)
        kpi = context.kpi(key)
        if (current := marks.version(session, key)) != saw:
            raise StaleVersion(saw, current)
        changes = [change_of(context, kpi, change, f"changes.{n}") for n, change in enumerate(body.changes)]
        if not body.sure:
            refuse_doubtful(MarkGuard(context, kpi).doubts(changes))
    with who.write() as session:
        who.context(session).kpi(key)
        version, back = marks.apply(session, key, changes, saw)
    response.headers["ETag"] = f'"{version}"'
    return Changed(version=version, back=[ChangeBody.of_entry(c.name, c.owner, c.since, c.value) for c in back])
