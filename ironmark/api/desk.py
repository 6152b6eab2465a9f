"""What every route works at: the database, and the datasets in memory."""

from __future__ import annotations

import difflib
import threading
from collections import OrderedDict
from collections.abc import Hashable, Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from functools import cached_property, lru_cache
from typing import Any

from fastapi import Request
from sqlalchemy import Engine
from sqlalchemy.orm import Session

from ironmark.api.documents import KpiBody, PaletteBody, YardstickBody
from ironmark.api.problems import Refused
from ironmark.core import composite, formula
from ironmark.core import reading as readings
from ironmark.core.check import check
from ironmark.core.expand import as_level, expand, read_from
from ironmark.core.formula import ColumnType, FormulaError
from ironmark.core.marks import MarkEntry
from ironmark.core.palette import PALETTES, STATES, Palette, State
from ironmark.core.periods import Period, timeline
from ironmark.core.reading import Kpi, Members, Readings, Source
from ironmark.core.yardstick import Yardstick
from ironmark.store import calendar, database, datasets, marks, records
from ironmark.store.datasets import StoredDataset
from ironmark.tables import checklist
from ironmark.tables.cells import NoPeriod
from ironmark.tables.columns import ColumnSource
from ironmark.tables.connections import Connection
from ironmark.tables.live import LiveSource
from ironmark.tables.patience import FRESH_S, Patient

HELD_DATASETS = 12


class Desk:
    """The engine, and the dataset versions in memory, the longest unused one given up first."""

    def __init__(self, engine: Engine) -> None:
        self.engine = engine
        self._sessions = database.sessions(engine)
        self._held: OrderedDict[tuple[str, int], ColumnSource] = OrderedDict()
        self._live: dict[tuple[str, int], Patient] = {}
        self._coming: dict[tuple[str, int], Patient] = {}
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

    def source(self, session: Session, dataset: StoredDataset) -> Source:
        """The rows of a dataset, ready to be aggregated. Raises NoPeriod, LiveProblem."""
        key = (dataset.id, dataset.version)
        if dataset.kind == "live":
            return self._live_source(session, dataset)
        with self._lock:
            if key in self._held:
                self._held.move_to_end(key)
                return self._held[key]
        if dataset.period is None or dataset.through is None:
            raise NoPeriod(f"“{dataset.name}” has no period: give a column of dates that role on its page under Data.")
        frame = datasets.rows(session, dataset)
        if dataset.kind == "checklist":
            frame = checklist.carried(frame, dataset.through)
        made = ColumnSource(frame, dataset.period, dataset.segments, dataset.through, dataset.order)
        with self._lock:
            self._held[key] = made
            for held in [k for k in self._held if k[0] == dataset.id and k[1] < dataset.version]:
                del self._held[held]
            while len(self._held) > HELD_DATASETS:
                self._held.popitem(last=False)
        return made

    def _live_source(self, session: Session, dataset: StoredDataset) -> Patient:
        """A live source; one that has grown old is read anew beside it, and serves on until the new one is there."""
        key = (dataset.id, dataset.version)
        with self._lock:
            held = self._live.get(key)
            if held is not None and held.age < FRESH_S:
                return held
            coming = self._coming.get(key)
            if held is not None and coming is None:
                coming = self._coming[key] = self._patient(session, dataset)
                coming.warm()
            if held is not None and coming is not None and not coming.is_open and held.age < 3 * FRESH_S:
                return held
            for old in [k for k in self._live if k[0] == dataset.id]:
                self._live.pop(old).close()
            coming = self._coming.pop(key) if key in self._coming else None
            self._live[key] = coming or self._patient(session, dataset)
            return self._live[key]

    def connection(self, session: Session, dataset: StoredDataset) -> Connection:
        """How a live source is reached."""
        return self.reach(session, dataset.settings["connection"], None, dataset.id)

    def reach(self, session: Session, plain: dict[str, Any], password: str | None, key: str | None) -> Connection:
        """plain: the settings of a connection; without a host, the MariaDB the records are in. password: None takes
        the one kept for the dataset ``key``, which goes to no other server and is used by no other account."""
        if password is None and key:
            kept = datasets.get(session, key).settings.get("connection", {})
            if any(kept.get(name) != plain[name] for name in ("host", "port", "user")):
                detail = "For another server or another user the password has to be typed again."
                raise Refused(422, "password-needed", "The password is needed", detail, {"field": "password"})
            password = datasets.secret(session, key)
        url = self.engine.url
        own = {} if plain["host"] else {"host": url.host or "", "port": url.port or 3306}
        return Connection(**{**plain, **own}, password=password or "")

    def _patient(self, session: Session, dataset: StoredDataset) -> Patient:
        connection = self.connection(session, dataset)
        through = dataset.through if dataset.settings.get("fixed_through") else None

        def make() -> LiveSource:
            return LiveSource(connection, dataset.columns, dataset.merges, dataset.order, through)

        return Patient(dataset.name, make)


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
        self._computed: dict[str, dict[str, str]] = {}
        self._datasets: dict[str, StoredDataset] = {}

    def fetch(self, kpis: Iterable[str], yardsticks: Iterable[str] = ()) -> None:
        """Have these at hand, with the mark entries of the KPIs, in one query each."""
        wanted = {key for key in kpis if key not in self.kpis}
        if wanted:
            found = records.some(self.session, "kpi", wanted)
            self.kpis |= {key: KpiBody.model_validate(document.body) for key, document in found.items()}
            self._entries |= marks.entries(self.session, wanted, self.year_start)
            self._computed |= marks.computed(self.session, wanted)
        wanted = {key for key in yardsticks if key not in self.yardsticks}
        if wanted:
            found = records.some(self.session, "yardstick", wanted)
            self.yardsticks |= {key: YardstickBody.model_validate(document.body) for key, document in found.items()}

    def put(self, key: str, body: KpiBody, like: str | None = None) -> None:
        """Have a KPI that is being typed go by ``key``, with the marks of the one it is ``like``."""
        self.fetch([like] if like else [])
        self.kpis[key] = body
        self._entries[key] = self.entries(like) if like else []
        self._computed[key] = self.computed(like) if like else {}

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

    def graded_by(self, yardstick: YardstickBody) -> Yardstick:
        """A yardstick, saved or not, with the states it names. Refuses one that names a state there is not."""
        try:
            return yardstick.core(STATES if all(key in STATES for key in yardstick.bands) else self.states)
        except ValueError as error:
            raise Refused(422, "no-state", "No such state", f"{error}".capitalize() + ".") from None

    @cached_property
    def palettes(self) -> dict[str, Palette]:
        """Every palette by its key: those that come with the product, then the own ones."""
        own = records.every(self.session, "palette")
        return PALETTES | {found.id: PaletteBody.model_validate(found.body).core(found.id) for found in own}

    @cached_property
    def states(self) -> dict[str, State]:
        """Every state by its key."""
        return {state.key: state for palette in self.palettes.values() for state in palette.states}

    def entries(self, kpi: str) -> list[MarkEntry]:
        return self._entries.get(kpi, [])

    def try_mark(self, kpi: str, tried: MarkEntry) -> None:
        """Have an entry of the mark book stand for this request, in place of the one it would replace."""
        self.fetch([kpi])
        place = (tried.name, tried.owner, tried.since)
        kept = [e for e in self.entries(kpi) if (e.name, e.owner, e.since) != place]
        self._entries[kpi] = [*kept, tried]

    def computed(self, kpi: str) -> dict[str, str]:
        """The formulas of the KPI's computed marks, by name."""
        return self._computed.get(kpi, {})

    def mark_formula(self, kpi: KpiBody, text: str) -> formula.Node:
        """The formula of a computed mark, expanded; it may name the KPI itself. Raises FormulaError."""
        # Another handle, so that naming the KPI is no circle.
        return self.core(kpi.model_copy(update={"formula": text, "handle": ""})).formula

    def dataset(self, key: str) -> StoredDataset:
        if key not in self._datasets:
            self._datasets[key] = datasets.get(self.session, key)
        return self._datasets[key]

    def source(self, kpi: KpiBody) -> Source:
        return self.desk.source(self.session, self.dataset(kpi.dataset))

    def label_of(self, dataset: str, column: str) -> str:
        """What a column is called."""
        return next((c.label for c in self.dataset(dataset).columns if c.name == column), column)

    def sources_of(self, *trees: formula.Node) -> dict[str, Source]:
        """The sources of further datasets that formulas read, by key."""
        keys = {a.dataset for tree in trees for a in formula.aggregates(tree) if a.dataset}
        return {key: self.desk.source(self.session, self.dataset(key)) for key in keys}

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
            if other.composite is not None:
                raise FormulaError(f"@{reference.handle} is a composite; it can only be a part of one", *reference.span)
            try:
                found = self.core(other, way).formula
            except FormulaError as error:
                message = error.message if "circle" in error.message else f"@{reference.handle}: {error.message}"
                raise FormulaError(message, *reference.span) from None
            return read_from(found, other.dataset, kpi.dataset)

        expanded = expand(tree, resolve)
        if kpi.nature == "stock":
            expanded = as_level(expanded)
        unit, as_shown = kpi.unit.core(), kpi.graded_as == "shown"
        return Kpi(kpi.handle, kpi.name, expanded, unit, kpi.direction, kpi.nature, kpi.pro_rating, as_shown)

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
        computed: Mapping[str, str] | None = None,
    ) -> Readings:
        """Take the readings of a KPI from its own dataset and those of the KPIs it names. See ``core.reading.read``."""
        found = self.core(kpi)
        names = {*marks, *readings.EDGES, *(yardstick.marks if yardstick else ())}
        formulas = {name: self.mark_formula(kpi, text) for name, text in (computed or {}).items() if name in names}
        others = self.sources_of(found.formula, *formulas.values())
        source = self.source(kpi)
        if periods is None:
            periods = timeline(Period.of(source.last, "month", self.year_start), source.first, source.last)
        taken = readings.read(
            found, source, entries, marks, yardstick,
            by=by, where=where, others=others, periods=periods, computed=formulas,
        )  # fmt: skip
        if kpi.composite is None:
            return taken
        value = composite.compose(self.parts(kpi, by=by, where=where, periods=periods, members=taken.members))
        return readings.regrade(taken, yardstick, value)

    def parts(
        self,
        kpi: KpiBody,
        *,
        by: str | None,
        where: Members | None,
        periods: Sequence[Period],
        members: Sequence[str | None],
    ) -> list[composite.Part]:
        """The parts of a composite with their scores. Raises FormulaError for one that is gone or goes in a circle."""
        assert kpi.composite is not None
        held, found = kpi.composite, []
        self.fetch([part.kpi for part in held.parts], [part.yardstick for part in held.parts if part.yardstick])
        for part in held.parts:
            body = self.kpis.get(part.kpi)
            if body is None:
                raise FormulaError(f"a part of {kpi.name} was deleted; take it out", 0, 0)
            self.refuse_circle(body, (kpi.handle,))
            yardstick = self.graded_by(self.yardsticks[part.yardstick]) if part.yardstick in self.yardsticks else None
            source = self.source(body)
            chosen = {segment: names for segment, names in (where or {}).items() if segment in source.members}
            read = self.read(
                body, self.entries(part.kpi), [part.mark], yardstick,
                by=by, where=chosen, periods=periods, computed=self.computed(part.kpi),
            )  # fmt: skip
            if held.by == "score":
                score = composite.state_scores(read)
            else:
                score = composite.attainment_scores(read, part.mark, held.low, held.high)
            found.append(composite.Part(body.name, part.weight, readings.aligned(read.totals, score, members), read))
        return found

    def refuse_circle(self, kpi: KpiBody, path: tuple[str, ...]) -> None:
        """Refuse a composite that is, over its parts, a part of itself."""
        if kpi.handle in path:
            circle = " → ".join((*path[path.index(kpi.handle) :], kpi.handle))
            raise FormulaError(f"this composite goes in a circle: {circle}", 0, 0)
        for part in kpi.composite.parts if kpi.composite else ():
            self.fetch([part.kpi])
            if part.kpi in self.kpis:
                self.refuse_circle(self.kpis[part.kpi], (*path, kpi.handle))


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
