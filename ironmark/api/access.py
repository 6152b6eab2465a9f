"""Who asks, and what they may: the one way for a route to documents, KPIs and rows."""

from __future__ import annotations

import threading
import time
from collections import Counter
from collections.abc import Callable, Iterator
from contextlib import ExitStack, contextmanager, nullcontext
from dataclasses import dataclass, replace
from typing import TypeVar

from fastapi import Request
from fastapi.concurrency import run_in_threadpool
from sqlalchemy.orm import Session

from ironmark.api import allowed
from ironmark.api.signing import HOME, Signing, address_of
from ironmark.pages.context.fair_semaphore import NoTurn
from ironmark.pages.context.reading_context import ReadingContext
from ironmark.pages.context.source_registry import Sources
from ironmark.pages.model.problems import Refused
from ironmark.pages.people.openings import Person
from ironmark.pages.people.rights import eyes_of, house, person_of
from ironmark.store import accounts, calendar, database, editions, eyes, openings, tokens, trail
from ironmark.store.eyes import Eyes
from ironmark.tables.live_waiting import PATIENCE_S, patiently
from ironmark.tables.pieces import Pieces, Rows
from ironmark.work import meters

T = TypeVar("T")
TURN_S, LOOK_S = 20.0, 60.0  # how long a turn to read rows is waited for, and one to look at all of them
MOST_AT_ONCE = 16  # readings of one person, in one process
_READING: Counter[str] = Counter()
_LOCK = threading.Lock()
AT_HOME = Person("", "", "owner")  # where nobody signs in


def _busy(why: str) -> Refused:
    return Refused(503, "busy", "The server is busy", f"{why} at once. Nothing was changed; try again in a minute.")


@dataclass(frozen=True)
class Reader:
    """Somebody who asks, with their rights; figures are written in the organisation's locale.

    person: who it is; at home, where nobody signs in, the owner, whose name is kept with the installation. sees: what is
    there for them. verbs: what they may. address: where they ask from. sitting: the session they are signed in by. is_machine: it asks with a token.
    """

    sources: Sources
    person: Person = AT_HOME
    sees: Eyes = eyes.ALL
    verbs: frozenset[str] = AT_HOME.verbs
    address: str = ""
    sitting: str = ""
    is_machine: bool = False

    @contextmanager
    def read(self) -> Iterator[Session]:
        """Everything read in it is of one moment of the database."""
        with self.sources.readings() as session:
            eyes.lend(session, self.sees)
            session.info["calendar"] = calendar.get(session)
            yield session

    def look(self, work: Callable[[ReadingContext], T], patience: float = PATIENCE_S) -> T:
        """Work that reads rows. It may be begun again: where a live source has not answered, neither a connection nor
        a turn is held while that is waited for, at most so many seconds."""

        def attempt() -> T:
            asked = time.perf_counter()
            with self._one_more(), self.sources.turns.within(TURN_S), self.read() as session:
                began = time.perf_counter()
                meters.WAITS.observe(began - asked)
                try:
                    return work(self.context(session))
                finally:
                    meters.READINGS.observe(time.perf_counter() - began)

        try:
            return patiently(attempt, patience)
        except NoTurn:
            raise _busy("Many pages are being read") from None

    @contextmanager
    def looking_at(self, rows: Rows) -> Iterator[None]:
        """Go through many rows: one such look or two at a time in a process, since each holds some of them."""
        with self.going_through_many() if isinstance(rows, Pieces) else nullcontext():
            yield

    @contextmanager
    def going_through_many(self) -> Iterator[None]:
        with ExitStack() as taken:
            try:
                taken.enter_context(self._one_more())
                taken.enter_context(self.sources.looks.within(LOOK_S))
                if not self.sources.has_room():
                    taken.enter_context(self.sources.turns.within(LOOK_S))
            except NoTurn:
                raise _busy("Rows are being looked at by others") from None
            yield

    @contextmanager
    def _one_more(self) -> Iterator[None]:
        """Count what one person has read at once: nobody takes all the turns there are. Refuses more than that."""
        with _LOCK:
            if self.person.id and _READING[self.person.id] >= MOST_AT_ONCE:
                detail = "You have asked for many pages at once, and they are still being read. Try again in a moment."
                raise Refused(429, "slow-down", "Not so many at once", detail)
            _READING[self.person.id] += 1
        try:
            yield
        finally:
            with _LOCK:
                _READING[self.person.id] -= 1
                if not _READING[self.person.id]:
                    del _READING[self.person.id]

    @contextmanager
    def write(self) -> Iterator[Session]:
        """A transaction, committed before the route answers: what is confirmed is on disk."""
        with self.sources.changes() as session:
            eyes.lend(session, self.sees)
            name = database.author.set(self.name_in(session))
            by = trail.by.set(trail.By(self.person.id, self.address))
            try:
                yield session
            finally:
                database.author.reset(name)
                trail.by.reset(by)

    def name_in(self, session: Session) -> str:
        """What is kept with the changes they make."""
        if self.person is AT_HOME:
            return str(openings.setting(session, HOME)[1].get("name", ""))
        return self.person.name

    def context(self, session: Session) -> ReadingContext:
        return ReadingContext(self.sources, session)

    @property
    def cache_key(self) -> tuple[object, ...]:
        """What tells this reader's answers from those of others."""
        return self.sees.key

    def may(self, session: Session, what: str, kind: str, key: str) -> bool:
        """Whether they may ``change`` something or keep its ``marks``."""
        if "own" in self.verbs:
            return True
        return house(session, self.sources.seen).may(self.person, what, kind, key)  # type: ignore[arg-type]


async def reader(request: Request) -> Reader:
    """Who makes this request, as a FastAPI dependency. Refuses one that may not."""
    signing: Signing = request.app.state.signing
    sources: Sources = request.app.state.sources
    word = _bearer(request)
    address = address_of(request.scope, signing)
    if not signing.needed and not word:
        return Reader(sources, address=address)
    return await run_in_threadpool(_known, sources, signing, request, word, address)


def _bearer(request: Request) -> str:
    kind, _, word = request.headers.get("authorization", "").partition(" ")
    return word.strip() if kind.lower() == "bearer" else ""


def _known(sources: Sources, signing: Signing, request: Request, word: str, address: str) -> Reader:
    line = allowed.lines().get((request.method.replace("HEAD", "GET"), request.scope["route"].path_format))
    if line is None:
        raise Refused(403, "no-line", "This cannot be asked for", "The route is not among those that are opened.")
    with sources.readings() as session:
        try:
            who = _by_token(session, sources, word) if word else _by_session(session, sources, request, signing)
        except _Nobody as error:
            if line.verb == "open" and not word:
                return Reader(sources, Person("", "", "reader"), _NOTHING, frozenset(), address)
            raise error.refused from None
        if line.verb not in ("open", "any") and line.verb not in who.verbs:
            raise _refused(f"Your role ({who.person.role}) does not reach to this. Ask an owner for another one.")
        for what, kind in line.needs:
            _require(session, who, request, what, kind)
    return replace(who, address=address)


_NOTHING = Eyes(
    "nobody", {kind: frozenset() for kind in ("scorecard", "kpi", "dataset", "case", "book", "yardstick", "assumption")}
)


class _Nobody(Exception):
    def __init__(self, refused: Refused) -> None:
        super().__init__()
        self.refused = refused


def _by_session(session: Session, sources: Sources, request: Request, signing: Signing) -> Reader:
    held = request.cookies.get(signing.cookie, "")
    who = accounts.sitting(session, held) if held else None
    if who is None:
        raise _Nobody(
            Refused(401, "sign-in", "Sign in first", "Your session has ended, or you have not signed in yet.")
        )
    if who.stale:
        with sources.changes() as other:
            accounts.still_here(other, who.sitting)
    person = person_of(session, who)
    return Reader(sources, person, eyes_of(session, sources, person), frozenset(person.verbs), sitting=who.sitting)


def _by_token(session: Session, sources: Sources, word: str) -> Reader:
    machine = tokens.machine(session, word)
    if machine is None:
        detail = "It was never given, has ended, or was taken back. Make a new one."
        raise _Nobody(Refused(401, "wrong-token", "The token does not fit", detail))
    if machine.stale:
        with sources.changes() as other:
            tokens.still_used(other, machine.id)
    whose = AT_HOME
    if machine.account is not None:
        whose = person_of(session, accounts.get(session, machine.account))
    sees = eyes_of(session, sources, whose)
    if machine.scorecards:
        sees = eyes.narrowed_to(sees, "scorecard", machine.scorecards)
        cards = house(session, sources.seen).cards
        sees = eyes.narrowed_to(
            sees, "kpi", {kpi for key in machine.scorecards if key in cards for kpi in cards[key].kpis}
        )
    if machine.datasets:
        sees = eyes.narrowed_to(sees, "dataset", machine.datasets)
    verbs = frozenset(whose.verbs) & frozenset(machine.verbs)
    return Reader(sources, replace(whose, name=machine.name), sees, verbs - {"own"}, is_machine=True)


def _refused(detail: str) -> Refused:
    return Refused(403, "not-yours", "This is not opened to you", detail)


def _require(session: Session, who: Reader, request: Request, what: str, kind: str) -> None:
    """Refuse what else a route needs and somebody has not."""
    named = request.path_params.get("key", "")
    if what == "into":
        named = request.query_params.get("dataset", "")
        if named:
            _require(session, who, request, "rows", named)
            if not who.may(session, "change", "dataset", named):
                raise _refused("This dataset is changed by others. Ask one of them, or an owner.")
    elif what == "rows":
        key = kind or named
        if not who.sees.sees("dataset", key) or key in who.sees.closed:
            raise database.Missing("dataset", key)
        if who.sees.within(key):
            raise _refused("You read some rows of this dataset; its tables are opened to those who read them all.")
    elif what == "all-rows":
        if not who.sees.read_all_rows:
            raise _refused(
                "This takes all rows of all datasets, and some are not opened to you. Ask an owner to do it."
            )
    elif what == "card":
        row = editions.get(session, named)
        if not who.may(session, "change", "scorecard", row.scorecard):
            raise _refused("Editions of this scorecard are made by those who may change it.")
    elif what == "back":
        if not who.may(session, "change", kind, named):
            raise _refused("It was changed by others. Ask one of them, or an owner.")
    elif not who.sees.sees(kind, named):
        raise database.Missing(kind, named)
    elif not who.may(session, what, kind, named):
        done = "kept" if what == "marks" else "changed"
        raise _refused(f"It is opened to you, and {done} by others. Ask one of them, or an owner.")
