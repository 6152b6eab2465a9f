"""The documents one request reads, each fetched at most once: KPIs, yardsticks, mark books, palettes, datasets; and those that are
being typed, which stand in place of the saved ones."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from functools import cached_property
from typing import TypeVar

from pydantic import BaseModel
from sqlalchemy.orm import Session

from ironmark.core.marks import MarkEntry
from ironmark.core.numbers import NumberStyle
from ironmark.core.palette import PALETTES, STATES, Palette, State
from ironmark.core.yardstick import Yardstick
from ironmark.pages.context.source_registry import Sources
from ironmark.pages.context.version_cache import Seen
from ironmark.pages.model.kpi import KpiBody
from ironmark.pages.model.page import RestsOn
from ironmark.pages.model.palette import PaletteBody
from ironmark.pages.model.problems import Refused
from ironmark.pages.model.scorecard import ScorecardBody
from ironmark.pages.model.yardstick import YardstickBody
from ironmark.store import calendar, database, datasets, eyes, marks, records, versions
from ironmark.store.datasets import StoredDataset
from ironmark.store.eyes import Eyes
from ironmark.store.records import Document, Kind

_Body = TypeVar("_Body", bound=BaseModel)


class DocumentSet:
    """The documents one request reads, with their marks and versions."""

    def __init__(self, sources: Sources, session: Session) -> None:
        self.sources, self.session = sources, session
        self.kpis: dict[str, KpiBody] = {}
        self.yardsticks: dict[str, YardstickBody] = {}
        self._versions: dict[str, dict[str, int]] = {}
        self._entries: dict[str, list[MarkEntry]] = {}
        self._computed: dict[str, dict[str, str]] = {}
        self._books: dict[str, int] = {}
        self.notebooks: dict[str, int] = {}  # the versions of the notes about KPIs, 0 for none
        self._datasets: dict[str, StoredDataset] = {}
        self._current: versions.Told | None = None
        self._drafts: set[str] = set()  # KPIs whose formula or marks are not the saved ones
        # What a transaction has changed and may take back is seen by nobody else.
        self._shared = session is not None and bool(session.info.get("reading"))
        self._seen = sources.seen if self._shared else Seen()

    @property
    def eyes(self) -> Eyes:
        """Whose eyes it is read with."""
        return eyes.of(self.session)

    def fetch(self, kpis: Iterable[str], yardsticks: Iterable[str] = ()) -> None:
        """Have these at hand, with the mark books of the KPIs. Their versions are told in one statement, and what was
        seen before in one of them is not read again."""
        new_kpis = [key for key in dict.fromkeys(kpis) if key not in self.kpis and self.eyes.sees("kpi", key)]
        new_yardsticks = [key for key in dict.fromkeys(yardsticks) if key not in self.yardsticks]
        if not new_kpis and not new_yardsticks:
            return
        wanted: dict[Kind, list[str]] = {"kpi": new_kpis, "yardstick": new_yardsticks}
        now = versions.current(self.session, wanted, all_else=self._current is None)
        self._current = (self._current or {}) | now
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
                for key, document in records.get_many(self.session, kind, missing).items()
            },
        )

    def _every(self, kind: Kind, model: type[_Body]) -> dict[str, _Body]:
        """All documents of a kind by their keys, the first that was made first."""
        now = {head.id: head.version for head in records.heads(self.session, kind)}
        self._saw(kind, now)
        return self._documents(kind, list(now), model)

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
    def is_cacheable(self) -> bool:
        """Whether everything read so far has a version, so that it reads the same until one changes."""
        return all(dataset.kind != "live" for dataset in self._datasets.values())

    def rests_on(self) -> RestsOn:
        """The versions of everything that was read so far."""
        datasets = {key: dataset.version for key, dataset in sorted(self._datasets.items())}
        documents = {kind: dict(sorted(found.items())) for kind, found in sorted(self._versions.items())}
        books = {key: self._books.get(key, 0) for key in sorted(self._entries)}
        return RestsOn(documents, books, datasets, dict(sorted(self.notebooks.items())))

    def add_draft_kpi(self, key: str, body: KpiBody, like: str | None = None) -> None:
        """Have a KPI that is being typed go by ``key``, with the marks of the one it is ``like``."""
        self.fetch([like] if like else [])
        self._drafts.add(key)
        self.kpis[key] = body
        self._entries[key] = self.entries(like) if like else []
        self._computed[key] = self.computed(like) if like else {}

    def override_kpis(self, bodies: Mapping[str, KpiBody]) -> None:
        """Have KPIs read for this request as they are given, and not as they are kept, with their marks of now."""
        self.fetch(bodies)
        self._drafts |= bodies.keys()
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
        own = self._every("palette", PaletteBody)
        return PALETTES | {key: body.as_palette(key) for key, body in own.items()}

    @cached_property
    def yardsticks_made(self) -> dict[str, str]:
        """The first yardstick that was made for a KPI, by the KPI."""
        every = self._every("yardstick", YardstickBody)
        return {body.kpi: key for key, body in reversed(every.items()) if body.kpi}

    @cached_property
    def states(self) -> dict[str, State]:
        """Every state by its key."""
        return {state.key: state for palette in self.palettes.values() for state in palette.states}

    def entries(self, kpi: str) -> list[MarkEntry]:
        found = self._entries.get(kpi, [])
        within = dict(self.eyes.of_kpi.get(kpi, ()))
        if not within:
            return found
        return [entry for entry in found if _applies(entry, within, self.kpis[kpi].nature == "flow")]

    def book(self, kpi: str) -> int:
        """The version of a KPI's mark book; 0 before its first entry."""
        return self._books.get(kpi, 0)

    def try_mark(self, kpi: str, tried: MarkEntry) -> None:
        """Have an entry of the mark book stand for this request, in place of the one it would replace."""
        self.fetch([kpi])
        self._drafts.add(kpi)
        place = (tried.name, tried.owner, tried.since)
        kept = [e for e in self.entries(kpi) if (e.name, e.owner, e.since) != place]
        self._entries[kpi] = [*kept, tried]

    def computed(self, kpi: str) -> dict[str, str]:
        """The formulas of the KPI's computed marks, by name."""
        return self._computed.get(kpi, {})

    def dataset(self, key: str) -> StoredDataset:
        if key not in self._datasets:
            version = self.current_versions.get((versions.DATASET, key), 0)
            self._datasets |= self._seen.several(
                {key: (versions.DATASET, key, version)}, lambda _: {key: datasets.get(self.session, key)}
            )
        return self._datasets[key]

    def is_live(self, key: str) -> bool:
        """Whether a KPI that is at hand is read by a formula of its own from a live source."""
        return self._reads_from(key, lambda dataset: dataset.kind == "live")

    def is_asked_ahead(self, key: str) -> bool:
        """Whether a KPI that is at hand is read by a formula of its own from where each question takes long."""
        return self._reads_from(key, lambda dataset: dataset.kind == "live" or dataset.is_many)

    def _reads_from(self, key: str, such: Callable[[StoredDataset], bool]) -> bool:
        kpi = self.kpis.get(key)
        try:
            return kpi is not None and kpi.composite is None and such(self.dataset(kpi.dataset))
        except database.Missing:
            return False

    @cached_property
    def year_start(self) -> int:
        """The month in which the financial year begins."""
        return calendar.year_start_of(self._calendar)

    @cached_property
    def style(self) -> NumberStyle:
        """How the organisation writes numbers."""
        return calendar.style_by(self._calendar)

    @cached_property
    def _calendar(self) -> Document:
        held = self.session.info.get("calendar")
        if held is None:
            key = (versions.CALENDAR, calendar.KEY)
            held = self._seen.several(
                {key: (*key, self.current_versions.get(key, 0))}, lambda _: {key: calendar.get(self.session)}
            )[key]
        self._versions["calendar"] = {held.id: held.version}
        found: Document = held
        return found

    @property
    def current_versions(self) -> versions.Told:
        """The versions told so far, with those of all datasets and the calendar."""
        if self._current is None:
            self._current = versions.current(self.session, {}, all_else=True)
        return self._current

    @cached_property
    def by_handle(self) -> dict[str, KpiBody]:
        """Every KPI by its handle, fetched when a formula names one."""
        return {body.handle: body for body in self.every_kpi.values()}

    @cached_property
    def every_kpi(self) -> dict[str, KpiBody]:
        """Every KPI by its key, fetched when a formula or a text names one."""
        return self._every("kpi", KpiBody)  # a name that is given to another one changes what is read


def _applies(entry: MarkEntry, within: Mapping[str, Sequence[str]], adds: bool) -> bool:
    """Whether an entry is a mark of readings of some rows alone: none is that is another member's, nor, where figures add
    up, one of all rows, since a part is not held to the whole's mark."""
    of = dict(entry.owner.of)
    if any(of.get(segment) and of[segment] not in names for segment, names in within.items()):
        return False
    if not adds or entry.owner.whose in ("each", "everyone"):
        return True
    return entry.owner.whose == "member" and all(of.get(segment) for segment in within)
