"""What every route works at: the database, and the datasets in memory."""

from __future__ import annotations

import difflib
import threading
from collections import OrderedDict
from collections.abc import Hashable, Iterable, Iterator, Sequence
from contextlib import contextmanager
from functools import cached_property, lru_cache

from fastapi import Request
from sqlalchemy import Engine
from sqlalchemy.orm import Session

from ironmark.api.documents import KpiBody, YardstickBody
from ironmark.api.problems import Refused
from ironmark.core import formula
from ironmark.core import reading as readings
from ironmark.core.check import check
from ironmark.core.expand import as_level, expand, read_from
from ironmark.core.formula import ColumnType, FormulaError
from ironmark.core.marks import MarkEntry
from ironmark.core.periods import Period, timeline
from ironmark.core.reading import Kpi, Members, Readings
from ironmark.core.yardstick import Yardstick
from ironmark.store import calendar, database, datasets, marks, records
from ironmark.store.datasets import StoredDataset
from ironmark.tables.columns import ColumnSource, NoPeriod

HELD_DATASETS = 12


class Desk:
    """The engine, and the dataset versions in memory, the longest unused one given up first."""

    def __init__(self, engine: Engine) -> None:
        self.engine = engine
        self._sessions = database.sessions(engine)
        self._held: OrderedDict[tuple[str, int], ColumnSource] = OrderedDict()
        self._lock = threading.Lock()

    @contextmanager
    def read(self) -> Iterator[Session]:
        with self._sessions() as session:
            yield session

    @contextmanager
    def write(self) -> Iterator[Session]:
        """A transaction, committed before the route answers: what is confirmed is on disk."""
        with self._sessions.begin() as session:
            yield session

    def source(self, session: Session, dataset: StoredDataset) -> ColumnSource:
        """The rows of a dataset, ready to be aggregated. Raises NoPeriod."""
        key = (dataset.id, dataset.version)
        with self._lock:
            if key in self._held:
                self._held.move_to_end(key)
                return self._held[key]
        if dataset.period is None or dataset.through is None:
            raise NoPeriod(f"“{dataset.name}” has no period: give a column of dates that role on its page under Data.")
        made = ColumnSource(datasets.rows(session, dataset), dataset.period, dataset.segments, dataset.through)
        with self._lock:
            self._held[key] = made
            for held in [k for k in self._held if k[0] == dataset.id and k[1] < dataset.version]:
                del self._held[held]
            while len(self._held) > HELD_DATASETS:
                self._held.popitem(last=False)
        return made


def desk(request: Request) -> Desk:
    """The desk of this application, as a FastAPI dependency."""
    found: Desk = request.app.state.desk
    return found


class Book:
    """The records one request reads, each fetched at most once."""

    def __init__(self, desk: Desk, session: Session) -> None:
        self.desk, self.session = desk, session
        self.kpis: dict[str, KpiBody] = {}
        self.yardsticks: dict[str, YardstickBody] = {}
        self.taken: dict[Hashable, Readings] = {}
        self._entries: dict[str, list[MarkEntry]] = {}
        self._datasets: dict[str, StoredDataset] = {}

    def fetch(self, kpis: Iterable[str], yardsticks: Iterable[str] = ()) -> None:
        """Have these at hand, with the mark entries of the KPIs, in one query each."""
        wanted = set(kpis) - self.kpis.keys()
        if wanted:
            found = records.some(self.session, "kpi", wanted)
            self.kpis |= {key: KpiBody.model_validate(document.body) for key, document in found.items()}
            self._entries |= marks.entries(self.session, wanted, self.year_start)
        wanted = set(yardsticks) - self.yardsticks.keys()
        if wanted:
            found = records.some(self.session, "yardstick", wanted)
            self.yardsticks |= {key: YardstickBody.model_validate(document.body) for key, document in found.items()}

    def kpi(self, key: str) -> KpiBody:
        self.fetch([key])
        if key not in self.kpis:
            raise database.Missing("KPI", key)
        return self.kpis[key]

    def yardstick(self, key: str) -> YardstickBody:
        self.fetch([], [key])
        if key not in self.yardsticks:
            raise database.Missing("yardstick", key)
        return self.yardsticks[key]

    def entries(self, kpi: str) -> list[MarkEntry]:
        return self._entries.get(kpi, [])

    def dataset(self, key: str) -> StoredDataset:
        if key not in self._datasets:
            self._datasets[key] = datasets.get(self.session, key)
        return self._datasets[key]

    def source(self, kpi: KpiBody) -> ColumnSource:
        return self.desk.source(self.session, self.dataset(kpi.dataset))

    def core(self, kpi: KpiBody, path: tuple[str, ...] = ()) -> Kpi:
        """The KPI with its formula parsed, checked, and every ``@handle`` in it worked in. Raises FormulaError.

        path: the handles on the way here, so that a circle is found.
        """
        dataset = self.dataset(kpi.dataset)
        tree = _checked(kpi.formula, tuple((column.name, column.type) for column in dataset.columns))

        def resolve(reference: formula.Reference) -> formula.Node:
            way = (*path, kpi.handle)
            if reference.handle in way:
                circle = " → ".join(f"@{handle}" for handle in (*way[way.index(reference.handle) :], reference.handle))
                raise FormulaError(f"this goes in a circle: {circle}", *reference.span)
            other = self.by_handle.get(reference.handle)
            if other is None:
                near = difflib.get_close_matches(reference.handle, self.by_handle, 1)
                hint = f"; did you mean @{near[0]}?" if near else "; KPIs are named by their handle"
                raise FormulaError(f"no KPI “@{reference.handle}”{hint}", *reference.span)
            try:
                found = self.core(other, way).formula
            except FormulaError as error:
                message = error.message if "circle" in error.message else f"@{reference.handle}: {error.message}"
                raise FormulaError(message, *reference.span) from None
            return read_from(found, other.dataset, kpi.dataset)

        expanded = expand(tree, resolve)
        if kpi.nature == "stock":
            expanded = as_level(expanded)
        return Kpi(kpi.handle, kpi.name, expanded, kpi.unit.core(), kpi.direction, kpi.nature, kpi.pro_rating)

    @cached_property
    def year_start(self) -> int:
        """The month in which the financial year begins."""
        return calendar.year_start(self.session)

    @cached_property
    def by_handle(self) -> dict[str, KpiBody]:
        """Every KPI by its handle, fetched when a formula names one."""
        every = (KpiBody.model_validate(document.body) for document in records.every(self.session, "kpi"))
        return {body.handle: body for body in every}

    def read(
        self,
        kpi: KpiBody,
        entries: Sequence[MarkEntry] = (),
        marks: Sequence[str] = (),
        yardstick: Yardstick | None = None,
        *,
        by: str | None = None,
        where: Members | None = None,
        periods: Sequence[Period] | None = None,
    ) -> Readings:
        """Take the readings of a KPI from its own dataset and those of the KPIs it names. See ``core.reading.read``."""
        found = self.core(kpi)
        keys = {a.dataset for a in formula.aggregates(found.formula) if a.dataset}
        others = {key: self.desk.source(self.session, self.dataset(key)) for key in keys}
        source = self.source(kpi)
        if periods is None:
            periods = timeline(Period.of(source.last, "month", self.year_start), source.first, source.last)
        return readings.read(
            found, source, entries, marks, yardstick, by=by, where=where, others=others, periods=periods
        )


@lru_cache(maxsize=512)
def _checked(text: str, types: tuple[tuple[str, ColumnType], ...]) -> formula.Node:
    tree = formula.parse(text)
    check(tree, dict(types))
    return tree


def seen_version(if_match: str | None) -> int:
    """The version a write names in If-Match. Refuses one that names none."""
    text = (if_match or "").strip().removeprefix("W/").strip('"')
    if not text:
        raise Refused(
            428,
            "version-needed",
            "Which version did you see?",
            "Send the version you saw in the header If-Match, so that nobody's change is lost.",
        )
    if not text.isdecimal() or len(text) > 9:
        raise Refused(400, "invalid-version", "If-Match is no version", "Send the number from ETag, in quotes.")
    return int(text)
