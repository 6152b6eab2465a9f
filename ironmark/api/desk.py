"""What every route works at: the database, and the datasets in memory."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Hashable, Iterable, Iterator
from contextlib import contextmanager
from functools import lru_cache

from fastapi import Request
from sqlalchemy import Engine
from sqlalchemy.orm import Session

from ironmark.api.documents import KpiBody, YardstickBody
from ironmark.api.problems import Refused
from ironmark.core import formula
from ironmark.core.formula import ColumnType
from ironmark.core.marks import MarkEntry
from ironmark.core.reading import Kpi, Readings
from ironmark.store import database, datasets, marks, records
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
            self._entries |= marks.entries(self.session, wanted)
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

    def core(self, kpi: KpiBody) -> Kpi:
        """The KPI with its formula parsed and checked. Raises FormulaError."""
        return core_kpi(kpi, self.dataset(kpi.dataset))


def core_kpi(kpi: KpiBody, dataset: StoredDataset) -> Kpi:
    """Raises FormulaError where the formula does not fit the dataset's columns."""
    tree = _checked(kpi.formula, tuple((column.name, column.type) for column in dataset.columns))
    return Kpi(kpi.handle, kpi.name, tree, kpi.unit.core(), kpi.direction, kpi.nature)


@lru_cache(maxsize=512)
def _checked(text: str, types: tuple[tuple[str, ColumnType], ...]) -> formula.Node:
    tree = formula.parse(text)
    formula.check(tree, dict(types))
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
