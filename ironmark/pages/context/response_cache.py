"""Answers that were written before, for as long as nothing they rest on has changed."""

from __future__ import annotations

import hashlib
import threading
from collections.abc import Hashable, Mapping
from concurrent.futures import Future
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

from cachetools import LRUCache
from sqlalchemy import Engine
from sqlalchemy.orm import Session

from ironmark.pages.model.page import Page, RestsOn

MOST_BYTES = 64 * 1024 * 1024
MOST_TURNS = 10_000


@dataclass(frozen=True)
class Written:
    """A page as it was answered. etag: of every version it rests on, and of what was asked. asks, told: one statement
    that tells the versions there are now, and what it told when the page was read."""

    etag: str
    body: bytes
    asks: str
    names: tuple[str, ...]
    told: tuple[str | None, ...]


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
        return held if held is not None and self._told_now(engine, held) == held.told else None

    def _told_now(self, engine: Engine, held: Written) -> tuple[str | None, ...]:
        """What there is now. Who asks the same while the database is being asked shares the one question after that,
        which is put once they are all there: so many readers at once cost the database little more than one."""
        key = (held.asks, held.names)
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
                        answer.set_result(tuple(connection.exec_driver_sql(*key).one()))
                except BaseException as error:
                    answer.set_exception(error)
        return answer.result()

    def put(self, asked: Hashable, page: Page, body: bytes) -> Written:
        made = Written(etag_of(page.rests_on, asked), body, *versions_of(page.rests_on))
        if len(body) <= self._held.maxsize:
            with self._lock:
                self._held[asked] = made
        return made


def versions_of(rests_on: RestsOn) -> tuple[str, tuple[str, ...], tuple[str | None, ...]]:
    """A statement that tells every version that a page rests on in one row, what it names, and what it tells while
    nothing has changed. A version of 0 is one of what there is not."""
    parts, names, told = [], list[str](), list[str | None]()
    for kind, held in rests_on.documents.items():
        parts.append(_told("records", "id", "version", held, f"kind = '{kind}' AND "))
        names += held
        told.append(_as_told(held))
    for table, column, version, held in (
        ("mark_books", "kpi_id", "version", rests_on.marks), ("note_books", "kpi_id", "version", rests_on.notes),
        ("datasets", "id", "version", rests_on.datasets),
    ):  # fmt: skip
        parts.append(_told(table, column, version, held))
        names += held
        told.append(_as_told(held))
    return f"SELECT {', '.join(parts)}", tuple(names), tuple(told)


def told_now(session: Session, rests_on: RestsOn) -> str:
    """A digest of the versions there are now of everything that a page rests on."""
    statement, names, _ = versions_of(rests_on)
    told = session.connection().exec_driver_sql(statement, names).one()
    return hashlib.blake2b(repr(tuple(told)).encode(), digest_size=16).hexdigest()


def _told(table: str, key: str, version: str, held: Mapping[str, int], also: str = "") -> str:
    names = ", ".join(["%s"] * len(held)) or "NULL"
    row = f"CONCAT({key}, ' ', {version}) ORDER BY {key} SEPARATOR '/'"
    return f"(SELECT GROUP_CONCAT({row}) FROM {table} WHERE {also}{key} IN ({names}))"


def _as_told(held: Mapping[str, int]) -> str | None:
    return "/".join(f"{key} {held[key]}" for key in sorted(held) if held[key]) or None


def etag_of(rests_on: RestsOn, asked: Hashable) -> str:
    return hashlib.blake2b(repr((_program(), rests_on, asked)).encode(), digest_size=12).hexdigest()


@lru_cache(maxsize=1)
def _program() -> str:
    """Which program this is: what another one answered, a browser may still have."""
    found = hashlib.blake2b(digest_size=12)
    for path in sorted(Path(__file__).parents[2].rglob("*.py")):
        found.update(path.read_bytes())
    return found.hexdigest()
