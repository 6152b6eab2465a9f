"""What is kept by hand, set on the instrument that shows it: a step of a checklist, a figure of a typed sheet."""

from __future__ import annotations

import polars as pl
from fastapi import APIRouter, Depends
from pydantic import BaseModel, Field

from ironmark.api.access import Reader, reader
from ironmark.core.periods import Period
from ironmark.core.words import doubt
from ironmark.pages.marks.plausibility import history_of
from ironmark.pages.model.field_types import Member, Model, Number
from ironmark.pages.model.problems import Refused, doubtful
from ironmark.pages.model.scorecard import InstrumentBody, ScopeBody
from ironmark.pages.reading.by_hand import column_of, kept_by_hand
from ironmark.pages.reading.instrument_scope import own_scope, period_of
from ironmark.store import dataset_versions, datasets
from ironmark.store.datasets import StoredDataset
from ironmark.tables import checklist
from ironmark.tables.checklist import Checklist
from ironmark.tables.table import Table

router = APIRouter(prefix="/api/scorecards", tags=["scorecards"])


class HandAsk(Model):
    """``step`` and ``done`` for a checklist, ``value`` (KPI unit) for a figure of a typed sheet.

    sure: also a value that is far from everything read so far, which is asked about first.
    """

    instrument: InstrumentBody
    scope: ScopeBody = ScopeBody()
    member: Member | None = None
    step: Member | None = None
    done: bool | None = None
    value: Number | None = Field(None)
    sure: bool = False


class Kept(BaseModel):
    dataset: str
    version: int


@router.post("/by-hand")
def set_by_hand(ask: HandAsk, who: Reader = Depends(reader)) -> Kept:
    """Set what one reading of an instrument shows, in the checklist or sheet it comes from, as a new version."""
    with who.write() as session:
        context = who.context(session)
        kpi = context.kpi(ask.instrument.kpi)
        dataset = context.dataset(kpi.dataset)
        period = period_of(ask.scope, [context.source(kpi)], context.year_start)
        scope, period = own_scope(ask.instrument, ask.scope, period)
        where = {name: list(members) for name, members in scope.members.items() if members}
        if ask.instrument.by and ask.member is not None:
            where[ask.instrument.by] = [ask.member]
        kind = kept_by_hand(dataset, kpi, ask.instrument, scope)
        frame = datasets.raw_rows(session, dataset)
        if kind == "steps" and ask.step is not None and ask.done is not None:
            table = _ticked(frame, dataset, period, where.get("item", []), ask.step, ask.done)
            word = "ticked"
        elif kind == "value" and ask.value is not None:
            sizes = history_of(
                context, kpi, {ask.instrument.by: ask.member} if ask.instrument.by and ask.member else {}
            )
            if not ask.sure and (told := doubt(ask.value, kpi.unit.as_unit(), sizes, context.style)):
                raise doubtful(told, {"field": "value"})
            table = _typed(frame, dataset, period, where, column_of(kpi) or "", ask.value)
            word = "typed"
        else:
            detail = f"{kpi.name} is not kept by hand here. Change the rows it is computed from under Data."
            raise Refused(422, "not-by-hand", "This cannot be set by hand", detail)
        done = dataset_versions.refresh_with(
            session, dataset.id, dataset.version, "on a scorecard", table, word, dataset.through
        )
    return Kept(dataset=done.id, version=done.version)


def _ticked(
    frame: pl.DataFrame, dataset: StoredDataset, period: Period, items: list[str], step: str, done: bool
) -> Table:
    """Tick a step as of the last day of the period, or of the data where that ends earlier."""
    day = min(period.end, dataset.through or period.end)
    now = checklist.on(frame, day)
    if len(items) != 1 or items[0] not in now.items or step not in now.steps:
        raise Refused(404, "no-step", "There is no such step", f"The checklist has no step “{step}” for this item.")
    ticks = [list(line) for line in now.done]
    ticks[now.items.index(items[0])][now.steps.index(step)] = done
    sheet = Checklist(day, now.items, now.steps, tuple(tuple(line) for line in ticks))
    return Table(checklist.ticked(frame, sheet).frame, dataset.own)


def _typed(
    frame: pl.DataFrame, dataset: StoredDataset, period: Period, where: dict[str, list[str]], column: str, value: float
) -> Table:
    """Set the one cell that the reading comes from."""
    match = pl.col(dataset.period or "").cast(pl.Date).is_between(period.start, period.end)
    for segment, members in where.items():
        match &= pl.col(segment).is_in(members)
    rows = frame.select(match.fill_null(False).alias("match"))["match"]
    count = int(rows.sum())
    if count != 1:
        many = f"{count} rows make up this reading" if count else f"there is no row for it in {period.label} yet"
        detail = f"It cannot be set here, since {many}. Change the sheet under Data."
        raise Refused(409, "not-one-cell", "Not one single cell", detail)
    kind = frame.schema[column]
    held = pl.lit(value).cast(kind) if kind.is_numeric() else pl.lit(value)
    return Table(frame.with_columns(pl.when(rows).then(held).otherwise(pl.col(column)).alias(column)), dataset.own)
