"""Answers that were written before, for as long as nothing they rest on has changed."""

from __future__ import annotations

import hashlib
import threading
from collections.abc import Hashable
from concurrent.futures import Future
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

from cachetools import LRUCache
from sqlalchemy import Engine
from sqlalchemy.orm import Session

from ironmark.pages.model.page import Page, RestsOn
from ironmark.store import versions

MOST_BYTES = 64 * 1024 * 1024
MOST_TURNS = 10_000


@dataclass(frozen=True)
class Written:
    """A page as it was answered. etag: of every version it rests on, and of what was asked. asks: for the versions there
    are now."""

    etag: str
    body: bytes
    asks: versions.Question


class Kept:
    """Written answers by what was asked, bounded by their bytes, the longest unused one given up first."""

    def __init__(self, most: int = MOST_BYTES) -> None:
        self._held: LRUCache[Hashable, Written] = LRUCache(most, getsizeof=lambda one: len(one.body))
        self._lock = threading.Lock()
        self._asked_next: dict[Hashable, Future[tuple[str | None, ...]]] = {}
        self._turns: LRUCache[Hashable, threading.Lock] = LRUCache(MOST_TURNS)

    def get(self, engine: Engine, asked: Hashable) -> Written | None:
        """The answer to what was asked, if nothing it rests on has another version by now."""
        with self._lock:
            held = self._held.get(asked)
        return held if held is not None and self._told_now(engine, held) == held.asks.told else None

    def _told_now(self, engine: Engine, held: Written) -> tuple[str | None, ...]:
        """What there is now. Who asks the same while the database is being asked shares the one question after that,
        which is put once they are all there: so many readers at once cost the database little more than one."""
        key = held.asks
        with self._lock:
            answer = self._asked_next.get(key)
            turn = self._turns.setdefault(key, threading.Lock())
            if mine := answer is None:
                answer = self._asked_next[key] = Future()
        assert answer is not None
        if mine:
            with turn:
                with self._lock:
                    del self._asked_next[key]  # who comes from here on asks anew
                try:
                    with engine.connect() as connection:
                        answer.set_result(versions.answer(connection, key))
                except BaseException as error:
                    answer.set_exception(error)
        return answer.result()

    def put(self, asked: Hashable, page: Page, body: bytes) -> Written:
        made = Written(etag_of(page.rests_on, asked), body, versions_of(page.rests_on))
        if len(body) <= self._held.maxsize:
            with self._lock:
                self._held[asked] = made
        return made


def versions_of(rests_on: RestsOn) -> versions.Question:
    return versions.question(rests_on.documents, rests_on.marks, rests_on.notes, rests_on.datasets)


def told_now(session: Session, rests_on: RestsOn) -> str:
    """A digest of the versions there are now of everything that a page rests on, and of the program that reads it."""
    told = versions.answer(session.connection(), versions_of(rests_on))
    return hashlib.blake2b(repr((program(), told)).encode(), digest_size=16).hexdigest()


def etag_of(rests_on: RestsOn, asked: Hashable) -> str:
    return hashlib.blake2b(repr((program(), rests_on, asked)).encode(), digest_size=12).hexdigest()


@lru_cache(maxsize=1)
def program() -> str:
    """Which program this is: what another one answered, a browser may still have."""
    found = hashlib.blake2b(digest_size=12)
    for path in sorted(Path(__file__).parents[2].rglob("*.py")):
        found.update(path.read_bytes())
    return found.hexdigest()
