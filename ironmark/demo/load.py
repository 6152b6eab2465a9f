"""The demo in the database: rows, KPIs, marks, yardsticks, scorecards."""

from __future__ import annotations

import datetime as dt
from contextlib import AbstractContextManager
from dataclasses import replace
from pathlib import Path

import sqlalchemy as sa
from sqlalchemy import Engine, select
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session

from ironmark import clock
from ironmark.core.marks import Owner
from ironmark.core.periods import Period
from ironmark.core.workdays import nth_day
from ironmark.demo import sailings
from ironmark.demo.content import (
    ASSUMPTIONS,
    BOOK,
    CASES,
    COMPUTED,
    KPIS,
    MARKS,
    NAMED_DATES,
    REFIT,
    ROUTES,
    SAFE,
    SAIL,
    VESSELS,
    WHOLE_PERCENT,
    WIDE,
    YARDSTICKS,
)
from ironmark.demo.scorecards import CHART, NOTES, SAID, SCORECARDS, SERVICE
from ironmark.demo.watches import watch
from ironmark.pages.authoring.images import key_of
from ironmark.pages.context.reading_context import ReadingContext
from ironmark.pages.context.source_registry import Sources
from ironmark.pages.datasets.intake import keep_new
from ironmark.pages.model.kpi import AssumptionBody, CaseBody, KpiBody
from ironmark.pages.model.scorecard import ScorecardBody
from ironmark.pages.model.yardstick import YardstickBody
from ironmark.pages.publishing.editions import Frozen, freeze
from ironmark.pages.reading.notes import subject_of
from ironmark.store import database, dataset_versions, editions, images, marks, notes, records
from ironmark.store.mariadb import READER, ROWS_DATABASE, reader_password
from ironmark.store.marks import Change
from ironmark.store.models import Dataset, Record, Revision
from ironmark.tables import checklist
from ironmark.tables.checklist import Checklist
from ironmark.tables.files import read_table
from ironmark.tables.live_waiting import patiently
from ironmark.tables.reader import read_delimited
from ironmark.tables.table import Column, Table

HARBOUR = Path(__file__).with_name("harbour-figures.xlsx")


def load_if_empty(engine: Engine) -> bool:
    """Load the demo in one transaction, unless anything is or ever was in the database."""
    return _load_unless(engine, *(select(1).select_from(table) for table in (Dataset, Record, Revision)))


def load_if_unused(engine: Engine) -> bool:
    """Load the demo where there are no rows and no documents, also where there once were some."""
    documents = select(1).select_from(Record).where(Record.kind != "calendar")
    try:
        return _load_unless(engine, select(1).select_from(Dataset), documents)
    except IntegrityError:
        return False  # somebody else is loading it


def _load_unless(engine: Engine, *used: sa.Select[tuple[int]]) -> bool:
    with database.sessions(engine).begin() as session:
        if any(session.scalar(query.limit(1)) for query in used):
            return False
        with _as_of(sailings.THROUGH + dt.timedelta(days=1)):
            load(session)
    sources = Sources(engine)
    _write(sources)
    _publish(sources)
    with _as_of(sailings.THROUGH + dt.timedelta(days=1)):
        watch(sources)
    return True


def _as_of(day: dt.date) -> AbstractContextManager[None]:
    """The demo is of its own days, whenever it is loaded; never of one to come."""
    return clock.going_on_from(min(clock.now(), dt.datetime.combine(day, dt.time(9))))


def _told_on(period: str) -> dt.date:
    """The third working day after a period."""
    after = Period.parse(period).shift(1)
    return nth_day(after.start, after.end, 3, working=True)


_PATIENCE_S = 120.0


def _publish(sources: Sources) -> None:
    """Two months of network performance as they were published."""
    key = "network-performance"
    for period, note in NOTES.items():

        def read(period: str = period) -> tuple[ScorecardBody, Frozen]:
            with sources.readings() as session:
                context = ReadingContext(sources, session)
                card = context.scorecard(key)
                return card, freeze(context, card, card.scope.model_copy(update={"period": period}))

        card, frozen = patiently(
            read, _PATIENCE_S
        )  # its bookings are read where they are, which takes its time on a busy machine
        with _as_of(_told_on(period)), sources.changes() as session:
            made = editions.create(
                session, key, title=card.title, note=note, period=period, period_label=Period.parse(period).label,
                body=frozen.to_bytes(),
            )  # fmt: skip
            editions.put(session, made, state=editions.PUBLISHED, published_at=clock.now())


def _write(sources: Sources) -> None:
    """Notes on readings, each as it is written from the page."""
    for kpi, members, period, text in SAID:
        with sources.readings() as session:
            about = subject_of(ReadingContext(sources, session), kpi, members, period)
        with _as_of(_told_on(period)), sources.changes() as session:
            notes.save(session, about.kpi, about.narrow, about.members, about.period, text, about.value, 0)


def load(session: Session) -> None:
    images.keep(session, key_of(CHART), "svg", CHART)
    dataset_versions.create(
        session, "Sailings", "sailings.csv", read_delimited(sailings.as_csv(sailings.sailings())), key=SAIL
    )
    for key, name, frame in ((ROUTES, "Routes", sailings.routes()), (VESSELS, "Vessels", sailings.vessels())):
        table = read_delimited(sailings.as_csv(frame))
        # There is no day in it: nothing is read of it by period, other datasets take columns from it.
        table = Table(table.frame, (replace(table.columns[0], role="segment"), *table.columns[1:]))
        dataset_versions.create(session, name, f"{key}.csv", table, key=key, findings_too=False)
    dataset_versions.widen(session, SAIL, 1, WIDE, {"part": ["peak", "quiet"]})
    sheet = read_delimited(sailings.as_csv(sailings.safety()))
    made = dataset_versions.create(session, "Safety sheet", "typed in", sheet, key=SAFE, kind="sheet")
    # The sheet is filled in month by month, to the same day as the sailings.
    dataset_versions.update(session, SAFE, made.version, made.name, list(made.columns), sailings.THROUGH)
    _load_bookings(session)
    _load_refit(session)
    # A workbook made for the eye, read as if it were uploaded.
    keep_new(session, "Harbour figures", HARBOUR.name, read_table(HARBOUR.read_bytes(), name=HARBOUR.name))
    for key, (handle, name, unit, value, least, most, step) in ASSUMPTIONS.items():
        assumption = AssumptionBody.model_validate(
            {"handle": handle, "name": name, "unit": unit, "value": value, "least": least, "most": most, "step": step}
        )
        records.create(session, "assumption", assumption.model_dump(), name=name, key=key)
    for key, (data, handle, name, formula, unit, direction, nature, owner) in KPIS.items():
        kpi = {
            "handle": handle, "name": name, "owner": owner, "dataset": data, "formula": formula,
            "unit": unit, "direction": direction, "nature": nature,
            "named_dates": [
                {"day": day, "reason": reason, "new_range": new} for day, reason, new in NAMED_DATES.get(key, ())
            ],
        }  # fmt: skip
        records.create(session, "kpi", KpiBody.model_validate(kpi).model_dump(), name=name, key=key)
    service = {
        "handle": "service", "name": "Service health", "owner": "Customer service", "dataset": SAIL, "unit": WHOLE_PERCENT,
        "composite": SERVICE, "description": "How punctual, undisturbed and complete the service was, by state.",
    }  # fmt: skip
    records.create(session, "kpi", KpiBody.model_validate(service).model_dump(), name="Service health", key="service")
    for kpi_id in dict.fromkeys(entry[0] for entry in MARKS):
        changes = [
            Change(name, whose if isinstance(whose, Owner) else Owner.member(route=whose), since, value)
            for owner_id, name, whose, since, value in MARKS
            if owner_id == kpi_id
        ]
        marks.apply(session, kpi_id, changes, 0)
    for kpi_id, name, formula in COMPUTED:
        marks.compute(session, kpi_id, name, formula, marks.version(session, kpi_id))
    for key, yardstick in YARDSTICKS.items():
        body = YardstickBody.model_validate(yardstick).model_dump()
        records.create(session, "yardstick", body, name=yardstick["name"], key=key)
    for key, scorecard in reversed(SCORECARDS.items()):  # the newest stands first in their list
        body = ScorecardBody.model_validate(scorecard).model_dump()
        records.create(session, "scorecard", body, name=scorecard["title"], key=key)
    for key, (name, card, values) in CASES.items():
        case = CaseBody(name=name, scorecard=card, values=values)
        records.create(session, "case", case.model_dump(), name=name, key=key)


def _load_bookings(session: Session) -> None:
    """Bookings stay in a table of their own, which an account that may only read gives to the live source."""
    frame, engine = sailings.bookings(), session.get_bind()
    table = sa.Table(
        "bookings", sa.MetaData(schema=ROWS_DATABASE),
        sa.Column("day", sa.Date, index=True), sa.Column("route", sa.String(60)), sa.Column("channel", sa.String(20)),
        sa.Column("seats", sa.Integer), sa.Column("changed", sa.Boolean),
    )  # fmt: skip
    table.drop(engine, checkfirst=True)
    table.create(engine)
    session.execute(sa.insert(table), frame.to_dicts())
    assert isinstance(engine, Engine) and engine.url.password
    connection = {"host": "", "port": 3306, "database": ROWS_DATABASE, "user": READER, "table": "bookings"}
    columns = (
        Column("day", "day", "date", "period"), Column("route", "route", "text", "segment"),
        Column("channel", "channel", "text", "segment"), Column("seats", "seats", "number", "measure"),
        Column("changed", "changed", "flag", "flag"),
    )  # fmt: skip
    dataset_versions.create(
        session, "Bookings", "bookings", Table(frame.clear(), columns), key=BOOK, kind="live",
        settings={"connection": connection}, secret=reader_password(str(engine.url.password)), findings_too=False,
    )  # fmt: skip


def _load_refit(session: Session) -> None:
    table = None
    for day, done in sailings.refit():
        sheet = Checklist(day, tuple(sailings.VESSELS), sailings.REFIT_STEPS, done)
        table = checklist.ticked(table.frame if table else checklist.rows(sheet).clear(), sheet)
    assert table is not None
    settings = {"order": {"item": list(sailings.VESSELS), "step": list(sailings.REFIT_STEPS)}}
    made = dataset_versions.create(
        session, "Refit programme", "typed in", table, key=REFIT, kind="checklist", settings=settings
    )
    dataset_versions.update(session, REFIT, made.version, made.name, list(made.columns), sailings.THROUGH)
