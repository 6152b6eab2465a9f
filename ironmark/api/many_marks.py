"""Many marks at once: a yearly figure spread, last year and some more, a formula, and sheets in and out."""

from __future__ import annotations

from typing import Annotated, Literal

from fastapi import APIRouter, Depends, Header, Query, Response, UploadFile
from pydantic import BaseModel, Field

from ironmark.api.access import Reader, reader
from ironmark.api.downloads import download
from ironmark.api.upload_files import body_of
from ironmark.api.versions import seen_version
from ironmark.core.formula import MAX_LENGTH
from ironmark.core.marks import TARGET
from ironmark.core.numbers import unit_words
from ironmark.core.periods import FIRST_YEAR, LAST_YEAR, Grain
from ironmark.pages.datasets.intake import require_room
from ironmark.pages.marks.many_marks import (
    MarksOfSheet,
    Proposed,
    RaiseAsk,
    SpreadAsk,
    doubts_of,
    known,
    raised,
    spread_over,
)
from ironmark.pages.marks.mark_changes import change_of
from ironmark.pages.marks.mark_grid import view_of
from ironmark.pages.model.field_types import MarkName, Model
from ironmark.pages.model.problems import Refused
from ironmark.publish import sheets
from ironmark.store import marks
from ironmark.tables.formats import raw_rows

router = APIRouter(prefix="/api/kpis/{key}/marks", tags=["marks"])
MOST_ROWS = 10_000


class ComputedBody(Model):
    """``formula`` null has the mark no longer computed."""

    name: MarkName
    formula: Annotated[str, Field(max_length=MAX_LENGTH)] | None


class Computed(BaseModel):
    version: int


@router.post("/spread")
def spread_figure(key: str, ask: SpreadAsk, who: Reader = Depends(reader)) -> Proposed:
    """A yearly figure as marks of its months; they add up to it to the last unit."""
    return who.look(lambda context: spread_over(context, key, ask))


@router.post("/raise")
def raise_last_year(key: str, ask: RaiseAsk, who: Reader = Depends(reader)) -> Proposed:
    """Last year's readings and some more as marks; a period without a reading gets none."""
    return who.look(lambda context: raised(context, key, ask))


@router.put("/computed")
def compute_mark(
    key: str, body: ComputedBody, response: Response, if_match: str | None = Header(None), who: Reader = Depends(reader)
) -> Computed:
    """Have a mark worked out by a formula wherever the book has no entry: on data, or on the KPI's own earlier readings."""
    saw = seen_version(if_match)
    with who.write() as session:
        context = who.context(session)
        kpi = context.kpi(key)
        if body.formula is not None:
            context.mark_formula(kpi, body.formula)
        version = marks.compute(session, key, body.name, body.formula, saw)
    response.headers["ETag"] = f'"{version}"'
    return Computed(version=version)


@router.get("/sheet", response_class=Response)
def export_marks(
    key: str,
    name: str = Query(TARGET, max_length=40),
    by: str | None = Query(None, max_length=80),
    grain: Grain = Query("month"),
    within: str | None = Query(None, max_length=80),
    member: str | None = Query(None, max_length=200),
    year: int | None = Query(None, ge=FIRST_YEAR, le=LAST_YEAR),
    span: int = Query(1, ge=1, le=3),
    form: Literal["csv", "xlsx"] = Query("csv"),
    who: Reader = Depends(reader),
) -> Response:
    """The grid as a sheet, its numbers as numbers; what is set is bold in XLSX."""
    with who.read() as session:
        context = who.context(session)
        narrow = {within: member} if within and member else {}
        view = view_of(context, key, name, by, grain, year, span, narrow)
        by_label = context.label_of(view.kpi.dataset, view.by) if view.by else "Member"
    unit = unit_words(view.kpi.unit.as_unit())
    head = [f"{by_label}, {name} of {view.kpi.name}" + (f" ({unit})" if unit else ""), *(p.key for p in view.periods)]
    every = range(len(view.periods))
    rows: list[list[sheets.Cell]] = [
        [label, *(known(view.shown(p, m)) for p in every)] for m, label in enumerate(view.labels)
    ]
    bold = {(m, p + 1) for m in range(len(rows)) for p in every if view.kind(p, m) == "set"}
    file = f"{view.kpi.handle} {name}"
    if form == "csv":
        return download(sheets.as_csv(head, rows), f"{file}.csv", "text/csv; charset=utf-8")
    body = sheets.as_xlsx(
        head, rows, sheet=name, form=sheets.number_form(view.kpi.unit.as_unit(), view.style), bold=bold
    )
    return download(body, f"{file}.xlsx", sheets.XLSX)


@router.post("/sheet")
def read_marks(
    key: str,
    file: UploadFile,
    name: str = Query(TARGET, max_length=40),
    by: str | None = Query(None, max_length=80),
    sheet: str | None = Query(None, max_length=120),
    who: Reader = Depends(reader),
) -> Proposed:
    """A sheet as marks to look at before they are kept: members down and periods across, or one mark a row."""
    body = body_of(file)
    require_room(body, who.sources.room)
    labels, rows = raw_rows(body, sheet)
    if len(rows) > MOST_ROWS:
        raise Refused(413, "too-many-rows", "The sheet is too long", f"At most {MOST_ROWS:,} rows are read at once.")
    with who.read() as session:
        context = who.context(session)
        kpi = context.kpi(key)
        source = context.source(kpi)
        by = by if by in source.members else next(iter(source.members), None)
        known = source.members[by] if by else ()
        made = MarksOfSheet(context, kpi, name, by, known).read(labels, rows)
        made.report += doubts_of(
            context, kpi, [change_of(context, kpi, change, f"changes.{n}") for n, change in enumerate(made.changes)]
        )
        return made
