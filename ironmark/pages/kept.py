"""Answers that were written before, for as long as nothing they rest on has changed."""

from __future__ import annotations

import hashlib
import threading
from collections.abc import Hashable, Mapping
from dataclasses import dataclass

from cachetools import LRUCache
from sqlalchemy import Engine

from ironmark.pages.page import Page, RestsOn

MOST_BYTES = 64 * 1024 * 1024


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

    def get(self, engine: Engine, asked: Hashable) -> Written | None:
        """The answer to what was asked, if nothing it rests on has another version by now."""
        with self._lock:
            held = self._held.get(asked)
        if held is None:
            return None
        with engine.connect() as connection:
            now = connection.exec_driver_sql(held.asks, held.names).one()
        return held if tuple(now) == held.told else None

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
        ("mark_books", "kpi_id", "version", rests_on.marks), ("datasets", "id", "version", rests_on.datasets),
    ):  # fmt: skip
        parts.append(_told(table, column, version, held))
        names += held
        told.append(_as_told(held))
    return f"SELECT {', '.join(parts)}", tuple(names), tuple(told)


def _told(table: str, key: str, version: str, held: Mapping[str, int], also: str = "") -> str:
    names = ", ".join(["%s"] * len(held)) or "NULL"
    row = f"CONCAT({key}, ' ', {version}) ORDER BY {key} SEPARATOR '/'"
    return f"(SELECT GROUP_CONCAT({row}) FROM {table} WHERE {also}{key} IN ({names}))"


def _as_told(held: Mapping[str, int]) -> str | None:
    return "/".join(f"{key} {held[key]}" for key in sorted(held) if held[key]) or None


def etag_of(rests_on: RestsOn, asked: Hashable) -> str:
    return hashlib.blake2b(repr((rests_on, asked)).encode(), digest_size=12).hexdigest()
