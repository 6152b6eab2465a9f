"""The rows that scorecards read: dataset versions in memory, and live sources that are open."""

from __future__ import annotations

import datetime as dt
import os
import threading
import time
from collections.abc import Iterator, Sequence
from contextlib import ExitStack, contextmanager
from pathlib import Path
from typing import Any

import polars as pl
from sqlalchemy import Engine
from sqlalchemy.orm import Session

from ironmark.core.readings import Source
from ironmark.pages.context.cells_keeper import CellsKeeper
from ironmark.pages.context.fair_semaphore import Turns
from ironmark.pages.context.one_at_a_time import OneAtATime
from ironmark.pages.context.response_cache import Kept
from ironmark.pages.context.version_cache import Seen
from ironmark.pages.model.problems import Refused
from ironmark.store import database, dataset_secrets, datasets, eyes, room, scratch
from ironmark.store.datasets import StoredDataset
from ironmark.tables import checklist
from ironmark.tables.cells import NoPeriod, Within
from ironmark.tables.column_rows import RowsToRead
from ironmark.tables.columns import ColumnSource
from ironmark.tables.connections import Connection
from ironmark.tables.folders import Files, FolderSource, FolderTable, allowed, files_now, in_words
from ironmark.tables.live import LiveSource
from ironmark.tables.live_relation import LiveTable
from ironmark.tables.live_waiting import FRESH_S, Patient
from ironmark.tables.pieces import AHEAD, Pieces, Rows

MEMORY = 2 << 30  # of all processes together, unless another is told
LEAST_MEMORY = 512 << 20
OWN = 400 << 20  # that the program itself takes in each process once it has read rows, whatever it holds of them
LOOK = 100 << 20  # that a look at many rows takes
AMPLE = 128 << 20  # room for one thing to work in, from which more is read ahead of it
OF_ROWS, OF_READINGS, OF_ANSWERS = 0.5, 0.03, 0.03  # of what a process may have; the rest is for what it works on
MAKE_WAY_S = 60.0  # that what is worked out behind waits at most between two steps
_MANY_READINGS = 1_000  # of a page that is not drawn beside all the rows there may be
_A_READING = 40_000  # bytes
_TO_ITS_END = "to its end"  # what a session holds until then
TURNS = 2  # pages worked on at once; more of them in one process take longer together than in turn

OF_WORK = (1 - OF_ROWS - OF_READINGS - OF_ANSWERS) / TURNS  # for one thing it works on


def share_of(memory: int, workers: int) -> int:
    """What each server process may take for rows and for what it works on, in bytes. memory: what all may take together; the
    program takes its part of that first, once more for what several hold beside each other. Where little is told, rows go
    before that: to read them again and again takes longer than there is."""
    if workers == 1:
        return max(memory - OWN, min(memory, LEAST_MEMORY))
    return max(memory - OWN * (workers + 1), memory * 2 // 5) // workers


_Place = tuple[str, int, Within]  # a dataset, its version, and which of its rows


def _within(session: Session, dataset: StoredDataset) -> Within:
    """Which rows of a dataset count for whoever a session is of. Raises NoPeriod where none do."""
    found = eyes.of(session)
    if dataset.id in found.closed:
        raise NoPeriod(f"“{dataset.name}” is not opened to you; its owner can open it.")
    within = found.within(dataset.id)
    if gone := [name for name, _ in within if name not in dataset.segments]:
        raise NoPeriod(
            f"“{dataset.name}” is opened to you by “{gone[0]}”, which is no segment of it any more; its owner has to open it anew."
        )
    return within


class Sources:
    """The database, and the dataset versions in memory, the longest unused one given up first."""

    def __init__(
        self, engine: Engine, folders: tuple[Path, ...] = (), hosts: frozenset[str] = frozenset(), memory: int = MEMORY,
        packed: Path | None = None, hook_hosts: frozenset[str] = frozenset(),
    ) -> None:  # fmt: skip
        """folders: those whose files may be read. hosts: those whose addresses may be asked; hook_hosts: those that messages may be sent to. memory: bytes that this
        process may take. packed: where CSV files of folders are kept once more as Parquet; None where they are not."""
        self.engine, self.folders, self.hosts, self._packed = engine, folders, hosts, packed
        self.hook_hosts = hook_hosts
        self._changes = database.sessions(database.changing(engine))
        self._readings = database.sessions(engine)
        self._most, self._lent = int(memory * OF_ROWS), 0
        self.room = int(memory * OF_WORK)  # bytes for one thing it works on
        self._held: dict[_Place, ColumnSource] = {}
        self._loading: dict[_Place, threading.Lock] = {}
        self._live: dict[_Place, Patient] = {}
        self._coming: dict[_Place, Patient] = {}
        self._folders: dict[tuple[str, Within], tuple[tuple[int, tuple[int, ...], Files], FolderSource]] = {}
        self._lock = threading.Lock()
        self.kept, self.seen = Kept(int(memory * OF_ANSWERS)), Seen()
        self.taken = Seen(int(memory * OF_READINGS), lambda taken: taken.weight)  # see ``readings_cache``
        self._may_hold = memory + OWN
        self.turns, self.looks = Turns(TURNS, self.has_room), Turns(2 if memory > LOOK * 10 else 1)
        self._behind = Turns(1)
        self._keeper, self.ahead = CellsKeeper(self.changes), OneAtATime()

    def held(self) -> dict[str, float]:
        """Entries of the caches of this process, and how many looks into them found what they looked for."""
        asked = self.seen.asked + self.taken.asked
        hits = (self.seen.found + self.taken.found) / asked if asked else 0.0
        return {"rows": len(self._held), "readings": len(self.taken.keys), "hits": round(hits, 4)}

    def has_room(self) -> bool:
        """Whether a page may be worked on beside another: not where what the process holds, with what it takes, is too much."""
        return scratch.held_bytes([os.getpid()]) + self.room <= self._may_hold

    def make_way(self) -> None:
        """Let pages and looks at rows go first, where there is no room beside them for what is worked out behind."""
        until = time.monotonic() + MAKE_WAY_S
        while (self.turns.is_asked or self.looks.is_asked) and not self.has_room() and time.monotonic() < until:
            time.sleep(0.1)

    @contextmanager
    def readings(self) -> Iterator[Session]:
        """A session that sees one moment of the database."""
        with self._readings(info={"reading": True}) as session, ExitStack() as session.info[_TO_ITS_END]:
            yield session

    @contextmanager
    def reading_behind(self) -> Iterator[Session]:
        """A session for what is worked out with nobody waiting for it, one thing at a time: the other turn is left to pages."""
        with self._behind, self.turns.behind(), self.readings() as session:
            yield session

    @contextmanager
    def changes(self) -> Iterator[Session]:
        """A transaction, committed at the end of the block. Raises OSError where the disk is full."""
        room.require_room()
        with self._changes.begin() as session, ExitStack() as session.info[_TO_ITS_END]:
            yield session

    def source(self, session: Session, dataset: StoredDataset) -> Source:
        """The rows of a dataset that whoever the session is of may read, ready to be aggregated. Raises NoPeriod, LiveProblem.

        The first who asks for a version reads it, others who ask meanwhile wait for that; nobody else does.
        """
        within = _within(session, dataset)
        if dataset.kind == "live":
            return self._live_source(session, dataset, within)
        key = (dataset.id, dataset.version, within)
        with self._lock:
            held = self._used(key)
            loading = self._loading.setdefault(key, threading.Lock()) if held is None else None
        if held is not None:
            return held
        assert loading is not None
        with loading:
            with self._lock:
                held = self._held.get(key)
            return held if held is not None else self._load(session, dataset, within)

    def _load(self, session: Session, dataset: StoredDataset, within: Within) -> ColumnSource:
        if dataset.period is None or dataset.through is None:
            raise NoPeriod(f"“{dataset.name}” has no period: give a column of dates that role on its page under Data.")
        with self._lock:  # before those of another version come, which would stand beside them
            self._give_up([key for key in self._held if key[0] == dataset.id and key[1] < dataset.version])
        kept = self._keeper.kept(session, dataset, within)
        room = self._most // 3
        if kept is not None:
            made = ColumnSource.of_cells(
                kept, dataset.through, dataset.own_segments, room, self._to_read(dataset, room, within)
            )
        else:
            with eyes.of_all_rows(session):
                rows = self.rows_of(session, dataset)
            if dataset.kind == "checklist" and isinstance(rows, pl.DataFrame):
                rows = checklist.carried(rows, dataset.through)
            made = ColumnSource(
                rows, dataset.period, dataset.segments, dataset.through, dataset.order, dataset.own_segments, room, within
            )  # fmt: skip
        made.grain = dataset.grain
        if not within:
            self._keeper.watch(made, dataset)
        with self._lock:
            self._held[dataset.id, dataset.version, within] = made
            self._loading.pop((dataset.id, dataset.version, within), None)
            self._give_up()
        return made

    def _to_read(self, dataset: StoredDataset, room: int, within: Within) -> RowsToRead:
        """The rows of a dataset of which cells are kept."""
        assert dataset.period is not None and dataset.through is not None

        def rows() -> Rows:
            with self.readings() as session:
                return self.rows_of(session, dataset)

        return RowsToRead(rows, dataset.period, dataset.segments, dataset.through, dataset.order, room, within)

    def rows_of(self, session: Session, dataset: StoredDataset, apart: str = "") -> Rows:
        """All rows, whoever asks, with what is looked up and derived, and spellings merged but those of the column ``apart``. Many are
        read column by column as they are asked for, for as long as they are kept: they never change."""
        if not datasets.in_pieces(session, dataset):
            return datasets.rows(session, dataset, apart)

        @contextmanager
        def read() -> Iterator[Iterator[bytes]]:
            with self.readings() as other, datasets.pieces(other, dataset.id, dataset.rows_version) as found:
                yield found

        widened = datasets.widened(session, dataset, apart)
        ahead = AHEAD if self.room > AMPLE else 1
        return Pieces(read, dataset.merges_but(apart), dataset.row_count, widened, dataset.wide.reads, ahead)

    def _used(self, key: _Place) -> ColumnSource | None:
        """Rows that are held, used last from now on; others are given up where all have come to take too much room."""
        held = self._held.pop(key, None)
        if held is not None:
            self._held[key] = held
            self._give_up()
        return held

    @contextmanager
    def lent(self, amount: int, *, busy: bool = True) -> Iterator[None]:
        """Hold so many bytes fewer of rows, for as long as something else that belongs to this process takes them. busy: whether the
        rows used last are still worked with."""
        with self._lock:
            self._lent += amount
            self._give_up(busy=busy)
        try:
            yield
        finally:
            with self._lock:
                self._lent -= amount

    def make_room(self, session: Session, readings: int) -> None:
        """Hold fewer rows until a session ends, where so many readings are drawn in it as take up what these may."""
        if readings >= _MANY_READINGS:
            session.info[_TO_ITS_END].enter_context(self.lent(readings * _A_READING, busy=False))

    def _give_up(self, older: Sequence[_Place] = (), *, busy: bool = True) -> None:
        """Drop what is ``older``, and the rows that were not used for longest where all take too much room; not the last,
        which is only made lighter, and not while it is ``busy``."""
        gone = list(older)
        weights = {key: source.weight for key, source in self._held.items() if key not in gone}
        unused = list(weights)[:-1]
        for lighter in (True, False):
            for key in list(weights) if lighter and not busy else unused:
                if sum(weights.values()) <= self._most - self._lent:
                    break
                if lighter:
                    self._held[key].lighten()  # what is read again sooner than all of it
                    weights[key] = self._held[key].weight
                else:
                    gone.append(key)
                    del weights[key]
        for key in gone:
            del self._held[key]
        if gone:  # readings would hold on to them
            rows = frozenset(self._held)
            self.taken.forget(lambda key: not rows.issuperset(key.rows))

    def _live_source(self, session: Session, dataset: StoredDataset, within: Within) -> Patient:
        """A live source; one that has grown old is read anew beside it, and serves on until the new one is there.

        Nothing is asked of any server under the lock, and one that is given up closes when its last reader is done.
        """
        key = (dataset.id, dataset.version, within)
        with self._lock:
            held, coming = self._live.get(key), self._coming.get(key)
        if held is not None and held.age < FRESH_S:
            return held
        made = self._patient(session, dataset, within) if coming is None else None
        with self._lock:
            held, coming = self._live.get(key), self._coming.get(key)
            if held is not None and held.age < FRESH_S:
                return held
            if held is not None:
                if coming is None and made is not None:
                    coming = self._coming[key] = made
                    made.warm()
                if coming is not None and not coming.is_open and held.age < 3 * FRESH_S:
                    return held
            for old in [k for k in self._live if k[0] == dataset.id and (k[1] != dataset.version or k == key)]:
                del self._live[old]
            for old in [k for k in self._coming if k[0] == dataset.id and k[1] != dataset.version]:
                del self._coming[old]
            self._coming.pop(key, None)
            chosen = coming or made
            if chosen is not None:
                self._live[key] = chosen
        return chosen or self._live_source(session, dataset, within)  # others have settled it meanwhile

    def connection(self, session: Session, dataset: StoredDataset) -> Connection:
        """How a live source is reached."""
        return self.reach(session, dataset.connection or {}, None, dataset.id)

    def table_of(self, session: Session, dataset: StoredDataset) -> LiveTable | FolderTable:
        """The table of a live source, with what it looks into: of the same server, or kept here for a folder."""
        if dataset.folder:
            kept = {
                one.dataset: datasets.rows(session, datasets.get(session, one.dataset)) for one in dataset.wide.lookups
            }
            folder = allowed(self.folders, dataset.folder)
            packed = None if self._packed is None else self._packed / dataset.id
            return FolderTable(folder, dataset.own, dataset.merges, dataset.wide, kept, packed)
        return self._table_of(session, dataset)

    def _table_of(self, session: Session, dataset: StoredDataset) -> LiveTable:
        others = {
            lookup.dataset: self._table_of(session, datasets.get(session, lookup.dataset))
            for lookup in dataset.wide.lookups
        }
        return LiveTable(self.connection(session, dataset), dataset.own, dataset.merges, dataset.wide, others)

    def reach(self, session: Session, plain: dict[str, Any], password: str | None, key: str | None) -> Connection:
        """plain: the settings of a connection; without a host, the MariaDB the records are in. password: None takes
        the one kept for the dataset ``key``, which goes to no other server and is used by no other account."""
        if password is None and key:
            kept = datasets.get(session, key).connection or {}
            if any(kept.get(name) != plain[name] for name in ("protocol", "host", "port", "user")):
                detail = "For another server or another user the password has to be typed again."
                raise Refused(422, "password-needed", "The password is needed", detail, {"field": "password"})
            password = dataset_secrets.secret(session, key)
        url = self.engine.url
        ours = {"host": url.query.get(database.SOCKET) or url.host or "", "port": url.port or 3306}
        return Connection(**{**plain, **({} if plain["host"] else ours)}, password=password or "")

    def _folder(
        self, dataset: StoredDataset, looked_into: tuple[int, ...], table: FolderTable, through: dt.date | None,
        within: Within = (),
    ) -> FolderSource:  # fmt: skip
        """A folder; the one from before with all that was worked out of it, while no file and nothing else has changed."""
        with in_words(table.folder):
            now = dataset.version, looked_into, files_now(table.folder)
        with self._lock:
            before = self._folders.get((dataset.id, within))
        if before is not None and before[0] == now:
            return before[1]
        made = FolderSource(table, dataset.order, through, within)
        with self._lock:
            self._folders[dataset.id, within] = now, made
        return made

    def _patient(self, session: Session, dataset: StoredDataset, within: Within) -> Patient:
        with eyes.of_all_rows(session):
            table = self.table_of(session, dataset)
        through = dataset.through if dataset.settings.get("fixed_through") else None
        looked_into = tuple(datasets.get(session, one.dataset).version for one in dataset.wide.lookups)

        def make() -> LiveSource | FolderSource:
            if isinstance(table, FolderTable):
                return self._folder(dataset, looked_into, table, through, within)
            return LiveSource(table, dataset.order, through, within)

        if isinstance(table, FolderTable):
            made = Patient(dataset.name, make)
        else:
            at = table.connection
            made = Patient(dataset.name, make, progress=at.progress, seconds=at.seconds)
        made.grain = dataset.grain
        return made
