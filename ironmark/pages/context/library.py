"""The documents, marks and rows one request reads, each fetched at most once."""

from __future__ import annotations

import datetime as dt
from collections.abc import Hashable, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property, lru_cache
from typing import TypeVar

from sqlalchemy.orm import Session

from ironmark.core import composite, formula
from ironmark.core import reading as readings
from ironmark.core.check import check
from ironmark.core.dependencies import handles_in
from ironmark.core.expand import as_level, assuming, expand, read_from
from ironmark.core.formula import ColumnType, FormulaError
from ironmark.core.marks import MarkEntry
from ironmark.core.nearest import did_you_mean
from ironmark.core.numbers import show
from ironmark.core.palette import PALETTES, STATES, Palette, State
from ironmark.core.periods import Period, timeline
from ironmark.core.reading import Kpi, Members, Readings, Source
from ironmark.core.yardstick import Yardstick
from ironmark.pages.context.source_registry import Sources
from ironmark.pages.context.version_cache import Seen
from ironmark.pages.model.documents import AssumptionBody, KpiBody, PaletteBody, ScorecardBody, YardstickBody
from ironmark.pages.model.page import Assumed, RestsOn
from ironmark.pages.model.problems import Refused
from ironmark.store import calendar, database, datasets, marks, records, versions
from ironmark.store.datasets import StoredDataset
from ironmark.store.records import Kind

_Body = TypeVar("_Body", KpiBody, YardstickBody)
_A_READING = 600  # bytes, with its texts' figures; and
_THE_REST = 20_000


@dataclass(frozen=True)
class Readable:
    """Everything that readings follow from: what is equal here reads the same. rows: dataset versions."""

    rows: frozenset[tuple[str, int]]
    kpi: Kpi
    computed: tuple[tuple[str, formula.Node], ...]
    key: str
    book: tuple[int, int]
    marks: tuple[str, ...]
    yardstick: tuple[str | None, Yardstick | None, tuple[State, ...]]
    by: str | None
    where: tuple[tuple[str, tuple[str, ...]], ...]
    periods: tuple[Period, ...]

    def __hash__(self) -> int:
        return self._hashed

    @cached_property
    def _hashed(self) -> int:
        """Hashed once: formulas are trees."""
        return hash((self.rows, self.key, self.book, self.marks, self.yardstick[0], self.by, self.where, self.periods))


@dataclass
class Taken:
    """Some readings, and what sheets show of them once they were asked for it (see ``reading.plain_readings``)."""

    readings: Readings
    plain: object | None = None

    @property
    def weight(self) -> int:
        return _THE_REST + _A_READING * self.readings.value.size


class Library:
    """The documents one request reads, with their marks and rows."""

    def __init__(self, sources: Sources, session: Session) -> None:
        self.sources, self.session = sources, session
        self.kpis: dict[str, KpiBody] = {}
        self.yardsticks: dict[str, YardstickBody] = {}
        self.taken: dict[Hashable, Taken] = {}
        self.by_readings: dict[int, Taken] = {}
        self._versions: dict[str, dict[str, int]] = {}
        self._entries: dict[str, list[MarkEntry]] = {}
        self._computed: dict[str, dict[str, str]] = {}
        self._books: dict[str, int] = {}
        self.notebooks: dict[str, int] = {}  # the versions of the notes about KPIs, 0 for none
        self._datasets: dict[str, StoredDataset] = {}
        self._sources: dict[str, Source] = {}
        self._told: versions.Told | None = None
        # What a transaction has changed and may take back is seen by nobody else.
        shared = session is not None and session.info.get("reading")
        self._seen = sources.seen if shared else Seen()
        self._taken: Seen | None = sources.taken if shared else None
        self._tried: set[str] = set()  # KPIs whose formula or marks are not the saved ones

    def fetch(self, kpis: Iterable[str], yardsticks: Iterable[str] = ()) -> None:
        """Have these at hand, with the mark books of the KPIs. Their versions are told in one statement, and what was
        seen before in one of them is not read again."""
        new_kpis = [key for key in dict.fromkeys(kpis) if key not in self.kpis]
        new_yardsticks = [key for key in dict.fromkeys(yardsticks) if key not in self.yardsticks]
        if not new_kpis and not new_yardsticks:
            return
        wanted: dict[Kind, list[str]] = {"kpi": new_kpis, "yardstick": new_yardsticks}
        now = versions.told(self.session, wanted, all_else=self._told is None)
        self._told = (self._told or {}) | now
        for kind, keys in wanted.items():
            self._saw(kind, {key: now.get((kind, key), 0) for key in keys})
        self.kpis |= self._documents("kpi", wanted["kpi"], KpiBody)
        self.yardsticks |= self._documents("yardstick", wanted["yardstick"], YardstickBody)
        if wanted["kpi"]:
            self._fetch_books(wanted["kpi"], now)

    def _documents(self, kind: Kind, keys: Sequence[str], model: type[_Body]) -> dict[str, _Body]:
        noted = self._versions[kind]
        return self._seen.several(
            {key: (kind, key, noted[key]) for key in keys if noted[key]},
            lambda missing: {
                key: model.model_validate(document.body)
                for key, document in records.some(self.session, kind, missing).items()
            },
        )

    def _fetch_books(self, kpis: Sequence[str], now: versions.Told) -> None:
        # A book is its KPI's: one that was deleted and made anew starts its versions again.
        of = {key: (now.get(("kpi", key), 0), now.get((versions.BOOK, key), 0)) for key in kpis}
        found = self._seen.several(
            {key: (versions.BOOK, key, of[key], self.year_start) for key in kpis if of[key][1]},
            lambda missing: marks.entries(self.session, missing, self.year_start),
        )
        computed = self._seen.several(
            {key: ("computed", key, of[key]) for key in kpis if of[key][1]},
            lambda missing: {key: formulas for key, (_, formulas) in marks.books(self.session, missing).items()},
        )
        for key in kpis:
            self.notebooks[key] = now.get((versions.NOTES, key), 0)
            self._entries[key], self._computed[key] = found.get(key, []), computed.get(key, {})
            if of[key][1]:
                self._books[key] = of[key][1]

    def _saw(self, kind: str, noted: Mapping[str, int]) -> None:
        """Note the versions of what was read; 0 of what there is not."""
        self._versions.setdefault(kind, {}).update(noted)

    def scorecard(self, key: str) -> ScorecardBody:
        """A saved scorecard. Raises Missing."""
        document = records.get(self.session, "scorecard", key)
        self._saw("scorecard", {key: document.version})
        place = {key: ("scorecard", key, document.version)}
        return self._seen.several(place, lambda _: {key: ScorecardBody.model_validate(document.body)})[key]

    @property
    def still(self) -> bool:
        """Whether everything read so far has a version, so that it reads the same until one changes."""
        return all(dataset.kind != "live" for dataset in self._datasets.values())

    def rests_on(self) -> RestsOn:
        """The versions of everything that was read so far."""
        datasets = {key: dataset.version for key, dataset in sorted(self._datasets.items())}
        documents = {kind: dict(sorted(found.items())) for kind, found in sorted(self._versions.items())}
        books = {key: self._books.get(key, 0) for key in sorted(self._entries)}
        return RestsOn(documents, books, datasets, dict(sorted(self.notebooks.items())))

    def put(self, key: str, body: KpiBody, like: str | None = None) -> None:
        """Have a KPI that is being typed go by ``key``, with the marks of the one it is ``like``."""
        self.fetch([like] if like else [])
        self._tried.add(key)
        self.kpis[key] = body
        self._entries[key] = self.entries(like) if like else []
        self._computed[key] = self.computed(like) if like else {}

    def stand_in(self, bodies: Mapping[str, KpiBody]) -> None:
        """Have KPIs read for this request as they are given, and not as they are kept, with their marks of now."""
        self.fetch(bodies)
        self._tried |= bodies.keys()
        self.kpis |= bodies
        self.every_kpi.update(bodies)
        self.__dict__["by_handle"] = {body.handle: body for body in self.every_kpi.values()} | {
            body.handle: body for body in bodies.values()
        }

    def kpi(self, key: str) -> KpiBody:
        if key not in self.kpis:
            self.fetch([key])
        if key not in self.kpis:
            raise database.Missing("KPI", key)
        return self.kpis[key]

    def yardstick(self, key: str) -> YardstickBody:
        if key not in self.yardsticks:
            self.fetch([], [key])
        if key not in self.yardsticks:
            raise database.Missing("yardstick", key)
        return self.yardsticks[key]

    def graded_by(self, yardstick: YardstickBody) -> Yardstick:
        """A yardstick, saved or not, with the states it names. Refuses one that names a state there is not."""
        try:
            return yardstick.as_yardstick(STATES if all(key in STATES for key in yardstick.bands) else self.states)
        except ValueError as error:
            raise Refused(422, "no-state", "No such state", f"{error}".capitalize() + ".") from None

    @cached_property
    def palettes(self) -> dict[str, Palette]:
        """Every palette by its key: those that come with the product, then the own ones."""
        own = records.every(self.session, "palette")
        self._saw("palette", {found.id: found.version for found in own})
        return PALETTES | {found.id: PaletteBody.model_validate(found.body).as_palette(found.id) for found in own}

    @cached_property
    def yardsticks_made(self) -> dict[str, str]:
        """The first yardstick that was made for a KPI, by the KPI."""
        every = records.every(self.session, "yardstick")
        self._saw("yardstick", {document.id: document.version for document in every})
        return {document.body["kpi"]: document.id for document in reversed(every) if document.body.get("kpi")}

    @cached_property
    def states(self) -> dict[str, State]:
        """Every state by its key."""
        return {state.key: state for palette in self.palettes.values() for state in palette.states}

    def entries(self, kpi: str) -> list[MarkEntry]:
        return self._entries.get(kpi, [])

    def book(self, kpi: str) -> int:
        """The version of a KPI's mark book; 0 before its first entry."""
        return self._books.get(kpi, 0)

    def try_mark(self, kpi: str, tried: MarkEntry) -> None:
        """Have an entry of the mark book stand for this request, in place of the one it would replace."""
        self.fetch([kpi])
        self._tried.add(kpi)
        place = (tried.name, tried.owner, tried.since)
        kept = [e for e in self.entries(kpi) if (e.name, e.owner, e.since) != place]
        self._entries[kpi] = [*kept, tried]

    def computed(self, kpi: str) -> dict[str, str]:
        """The formulas of the KPI's computed marks, by name."""
        return self._computed.get(kpi, {})

    def mark_formula(self, kpi: KpiBody, text: str) -> formula.Node:
        """The formula of a computed mark, expanded; it may name the KPI itself. Raises FormulaError."""
        # Another handle, so that naming the KPI is no circle.
        return self.expanded(kpi.model_copy(update={"formula": text, "handle": ""})).formula

    def dataset(self, key: str) -> StoredDataset:
        if key not in self._datasets:
            version = self.told.get((versions.DATASET, key), 0)
            self._datasets |= self._seen.several(
                {key: (versions.DATASET, key, version)}, lambda _: {key: datasets.get(self.session, key)}
            )
        return self._datasets[key]

    def is_live(self, key: str) -> bool:
        """Whether a KPI that is at hand is read by a formula of its own from a live source."""
        kpi = self.kpis.get(key)
        try:
            return kpi is not None and kpi.composite is None and self.dataset(kpi.dataset).kind == "live"
        except database.Missing:
            return False

    def source(self, kpi: KpiBody) -> Source:
        return self.source_of(kpi.dataset)

    def source_of(self, key: str) -> Source:
        """The rows of a dataset: the same ones for everything in this request."""
        if key not in self._sources:
            self._sources[key] = self.sources.source(self.session, self.dataset(key))
        return self._sources[key]

    def through(self, kpi: KpiBody) -> dt.date:
        """The day that everything a KPI reads is complete through. Raises FormulaError, NoPeriod, Missing, LiveProblem."""
        if kpi.composite is not None:
            return self.source(kpi).through
        found = self.expanded(kpi)
        return readings.read_through(found, self.source(kpi), self.sources_of(found.formula))

    def label_of(self, dataset: str, column: str) -> str:
        """What a column is called."""
        return next((c.label for c in self.dataset(dataset).columns if c.name == column), column)

    def sources_of(self, *trees: formula.Node) -> dict[str, Source]:
        """The sources of further datasets that formulas read, by key."""
        return {key: self.source_of(key) for tree in trees for key in _datasets_of(tree)}

    def expanded(self, kpi: KpiBody, path: tuple[str, ...] = ()) -> Kpi:
        """The KPI with its formula parsed, checked, and every ``@handle`` in it worked in. Raises FormulaError.

        path: the handles on the way here, so that a circle is found.
        """
        dataset = self.dataset(kpi.dataset)
        types = tuple((column.name, column.type) for column in dataset.columns)
        unit, as_shown = kpi.unit.as_unit(), kpi.graded_as == "shown"
        if (alone := _alone(kpi.formula, types, kpi.nature == "stock")) is not None:
            return Kpi(kpi.handle, kpi.name, alone, unit, kpi.direction, kpi.nature, kpi.pro_rating, as_shown)

        tree = self.assuming(formula.parse(kpi.formula))
        check(tree, dict(types))

        def resolve(reference: formula.Reference) -> formula.Node:
            way = (*path, kpi.handle)
            if reference.handle in way:
                circle = " → ".join(f"@{handle}" for handle in (*way[way.index(reference.handle) :], reference.handle))
                raise FormulaError(f"this goes in a circle: {circle}", *reference.span)
            other = self.by_handle.get(reference.handle)
            if other is None:
                known = [*self.by_handle, *self.assumptions]
                hint = did_you_mean(reference.handle, known, "@", quoted=False)
                hint = hint or "; KPIs and assumptions are named by their handle"
                raise FormulaError(f"no KPI or assumption “@{reference.handle}”{hint}", *reference.span)
            if other.composite is not None:
                raise FormulaError(f"@{reference.handle} is a composite; it can only be a part of one", *reference.span)
            try:
                found = self.expanded(other, way).formula
            except FormulaError as error:
                message = error.message if "circle" in error.message else f"@{reference.handle}: {error.message}"
                raise FormulaError(message, *reference.span) from None
            return read_from(found, other.dataset, kpi.dataset)

        expanded = expand(tree, resolve)
        if kpi.nature == "stock":
            expanded = as_level(expanded)
        return Kpi(kpi.handle, kpi.name, expanded, unit, kpi.direction, kpi.nature, kpi.pro_rating, as_shown)

    def assuming(self, tree: formula.Node) -> formula.Node:
        """A formula as it was parsed, with its assumptions worked in."""
        return assuming(tree, {handle: held.value for handle, held in self.assumptions.items()})

    def assume(self, tried: Mapping[str, float]) -> None:
        """Have assumptions stand for other values in this request, by their key or handle. Refuses what they cannot be."""
        known = self.assumed if tried else {}
        for name, value in tried.items():
            held = known.get(name) or self.assumptions.get(name)
            if held is None:
                continue  # it was deleted since: a case may still name it
            refuse_outside(held, value, f"assume.{name}")
            self.assumptions[held.handle] = replace(held, value=value)

    @property
    def assumed(self) -> dict[str, Assumed]:
        """Every assumption by its key."""
        return {held.key: held for held in self.assumptions.values()}

    @cached_property
    def assumptions(self) -> dict[str, Assumed]:
        """Every assumption by its handle, fetched when a formula names something."""
        every = records.every(self.session, "assumption")
        self._saw("assumption", {document.id: document.version for document in every})
        found = {}
        for document in every:
            body = AssumptionBody.model_validate(document.body)
            found[body.handle] = Assumed(
                document.id, body.handle, body.name, body.unit.as_unit(), body.least, body.most, body.step, body.value,
                body.value, document.version,
            )  # fmt: skip
        return found

    def assumed_by(self, key: str) -> list[Assumed]:
        """The assumptions that a KPI, its computed marks and the KPIs it names or is made up of depend on."""
        found: dict[str, Assumed] = {}
        seen: set[str] = set()

        def look(texts: Iterable[str], parts: Iterable[str]) -> None:
            for handle in handles_in(*texts):
                if handle in seen:
                    continue
                seen.add(handle)
                if handle in self.assumptions:
                    found[handle] = self.assumptions[handle]
                elif (other := self.by_handle.get(handle)) is not None:
                    look([other.formula], _parts_of(other))
            for part in parts:
                if part not in seen:
                    seen.add(part)
                    self.fetch([part])
                    if part in self.kpis:
                        look([self.kpis[part].formula, *self.computed(part).values()], _parts_of(self.kpis[part]))

        look([], [key])
        return list(found.values())

    @cached_property
    def year_start(self) -> int:
        """The month in which the financial year begins."""
        held = self.session.info.get("calendar")
        if held is None:
            key = (versions.CALENDAR, calendar.KEY)
            held = self._seen.several(
                {key: (*key, self.told.get(key, 0))}, lambda _: {key: calendar.get(self.session)}
            )[key]
        self._versions["calendar"] = {held.id: held.version}
        return calendar.year_start_of(held)

    @property
    def told(self) -> versions.Told:
        """The versions told so far, with those of all datasets and the calendar."""
        if self._told is None:
            self._told = versions.told(self.session, {}, all_else=True)
        return self._told

    @cached_property
    def by_handle(self) -> dict[str, KpiBody]:
        """Every KPI by its handle, fetched when a formula names one."""
        return {body.handle: body for body in self.every_kpi.values()}

    @cached_property
    def every_kpi(self) -> dict[str, KpiBody]:
        """Every KPI by its key, fetched when a formula or a text names one."""
        every = {document.id: document for document in records.every(self.session, "kpi")}
        # A name that is given to another KPI changes what is read.
        self._saw("kpi", {key: document.version for key, document in every.items()})
        return {key: KpiBody.model_validate(document.body) for key, document in every.items()}

    def take(
        self,
        key: str,
        marks: Sequence[str],
        yardstick: str | None,
        *,
        by: str | None,
        where: Members,
        periods: tuple[Period, ...],
    ) -> Readings:
        """The readings of a KPI by its own mark book, worked out once: in this request, and while nothing that they
        rest on changes also for all others. Raises FormulaError, NoPeriod, Missing, KeyError."""
        scope = tuple((segment, tuple(names)) for segment, names in where.items())
        asked = (key, tuple(marks), yardstick, by, scope, periods)
        held = self.taken.get(asked)
        if held is None:
            held = self.taken[asked] = self._take(*asked)
            self.by_readings[id(held.readings)] = held
        return held.readings

    def _take(
        self,
        key: str,
        marks: tuple[str, ...],
        yardstick: str | None,
        by: str | None,
        where: tuple[tuple[str, tuple[str, ...]], ...],
        periods: tuple[Period, ...],
    ) -> Taken:
        kpi, computed = self.kpi(key), self.computed(key)
        graded = self.graded_by(self.yardstick(yardstick)) if yardstick else None

        formulas, found = self._formulas(kpi, marks, graded, computed), self.expanded(kpi)

        def take() -> Taken:
            entries = self.entries(key)
            return Taken(self._read(kpi, found, entries, marks, graded, formulas, by, dict(where), periods))

        if self._taken is None or key in self._tried or kpi.composite is not None:
            return take()
        used = {kpi.dataset, *self.sources_of(found.formula, *formulas.values())}
        if any(self.dataset(one).kind == "live" for one in used):
            return take()
        readable = Readable(
            frozenset((one, self.dataset(one).version) for one in used),
            found, tuple(formulas.items()), key, (self._versions["kpi"][key], self.book(key)),
            marks, (yardstick, graded, graded.states if graded else ()), by, where, periods,
        )  # fmt: skip
        return self._taken.several({0: readable}, lambda _: {0: take()})[0]

    def _formulas(
        self, kpi: KpiBody, marks: Sequence[str], yardstick: Yardstick | None, computed: Mapping[str, str]
    ) -> dict[str, formula.Node]:
        """The formulas of the computed marks that readings are held to."""
        names = {*marks, *readings.EDGES, *(yardstick.marks if yardstick else ())}
        return {name: self.mark_formula(kpi, text) for name, text in computed.items() if name in names}

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
        if periods is None:
            source = self.source(kpi)
            periods = timeline(Period.of(source.last, "month", self.year_start), source.first, source.last)
        formulas = self._formulas(kpi, marks, yardstick, computed or {})
        return self._read(kpi, self.expanded(kpi), entries, marks, yardstick, formulas, by, where, periods)

    def _read(
        self,
        kpi: KpiBody,
        found: Kpi,
        entries: Sequence[MarkEntry],
        marks: Sequence[str],
        yardstick: Yardstick | None,
        formulas: Mapping[str, formula.Node],
        by: str | None,
        where: Members | None,
        periods: Sequence[Period],
    ) -> Readings:
        others = self.sources_of(found.formula, *formulas.values())
        taken = readings.read(
            found, self.source(kpi), entries, marks, yardstick,
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
    ) -> list[composite.WeightedPart]:
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
            found.append(
                composite.WeightedPart(body.name, part.weight, readings.aligned(read.totals, score, members), read)
            )
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


def refuse_outside(held: Assumed, value: float, field: str) -> None:
    """Refuse a value that an assumption cannot be tried with."""
    if not held.least <= value <= held.most:
        low, high = (show(bound, held.unit) for bound in (held.least, held.most))
        detail = f"{held.name} can be tried from {low} to {high}; {show(value, held.unit)} lies outside."
        raise Refused(422, "outside", "Outside of its range", detail, {"field": field})


@lru_cache(maxsize=512)
def _alone(text: str, types: tuple[tuple[str, ColumnType], ...], level: bool) -> formula.Node | None:
    """A formula expanded that names no other KPI, which is the same as long as its text is; None for one that does."""
    if formula.references(formula.parse(text)):
        return None
    tree = _checked(text, types)
    expanded = expand(tree, lambda reference: reference)
    return as_level(expanded) if level else expanded


def _parts_of(kpi: KpiBody) -> list[str]:
    return [part.kpi for part in kpi.composite.parts] if kpi.composite else []


@lru_cache(maxsize=512)
def _datasets_of(tree: formula.Node) -> frozenset[str]:
    return frozenset(a.dataset for a in formula.aggregates(tree) if a.dataset)


@lru_cache(maxsize=512)
def _checked(text: str, types: tuple[tuple[str, ColumnType], ...]) -> formula.Node:
    tree = formula.parse(text)
    check(tree, dict(types))
    return tree
