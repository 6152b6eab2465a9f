"""Who asks, and what they may: the one way for a route to documents, KPIs and rows."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from typing import TypeVar
from urllib.parse import unquote

from fastapi import Request
from sqlalchemy.orm import Session

from ironmark.pages.context.fair_semaphore import NoTurn
from ironmark.pages.context.reading_context import ReadingContext
from ironmark.pages.context.source_registry import Sources
from ironmark.pages.model.problems import Refused
from ironmark.store import calendar, database
from ironmark.tables.live_waiting import PATIENCE_S, patiently

T = TypeVar("T")
TURN_S = 20.0  # how long a turn to read rows is waited for
OWNER = frozenset({"read", "edit", "share", "administer"})


@dataclass(frozen=True)
class Reader:
    """Somebody who asks, with their rights; figures are written in their locale, for now the organisation's.

    name: what is kept with the changes they make. Until there are accounts everyone who reaches the server is its
    owner, and the name is the one they type themselves: it is told beside changes and opens nothing.
    """

    sources: Sources
    name: str = ""
    rights: frozenset[str] = OWNER

    @contextmanager
    def read(self) -> Iterator[Session]:
        """Everything read in it is of one moment of the database."""
        with self.sources.readings() as session:
            session.info["calendar"] = calendar.get(session)
            yield session

    def look(self, work: Callable[[ReadingContext], T], patience: float = PATIENCE_S) -> T:
        """Work that reads rows. It may be begun again: where a live source has not answered, neither a connection nor
        a turn is held while that is waited for, at most so many seconds."""

        def attempt() -> T:
            with self.sources.turns.within(TURN_S), self.read() as session:
                return work(self.context(session))

        try:
            return patiently(attempt, patience)
        except NoTurn:
            detail = "Many pages are being read at once. Nothing was changed; try again in a minute."
            raise Refused(503, "busy", "The server is busy", detail) from None

    @contextmanager
    def write(self) -> Iterator[Session]:
        """A transaction, committed before the route answers: what is confirmed is on disk."""
        with self.sources.changes() as session:
            token = database.author.set(self.name)
            try:
                yield session
            finally:
                database.author.reset(token)

    def context(self, session: Session) -> ReadingContext:
        return ReadingContext(self.sources, session)


async def reader(request: Request) -> Reader:
    """Who makes this request, as a FastAPI dependency."""
    return Reader(request.app.state.sources, unquote(request.headers.get("x-author", ""))[:120])
