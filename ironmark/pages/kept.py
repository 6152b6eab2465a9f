"""Answers that were written before, for as long as nothing they rest on has changed."""

from __future__ import annotations

import hashlib
import threading
from collections.abc import Hashable
from dataclasses import dataclass

from cachetools import LRUCache
from sqlalchemy.orm import Session

from ironmark.pages.page import Page, RestsOn
from ironmark.store import datasets, marks, records

MOST_BYTES = 64 * 1024 * 1024


@dataclass(frozen=True)
class Written:
    """A page as it was answered. etag: of every version it rests on, and of what was asked."""

    rests_on: RestsOn
    etag: str
    body: bytes


class Kept:
    """Written answers by what was asked, bounded by their bytes, the longest unused one given up first."""

    def __init__(self, most: int = MOST_BYTES) -> None:
        self._held: LRUCache[Hashable, Written] = LRUCache(most, getsizeof=lambda one: len(one.body))
        self._lock = threading.Lock()

    def get(self, session: Session, asked: Hashable) -> Written | None:
        """The answer to what was asked, if nothing it rests on has another version by now."""
        with self._lock:
            held = self._held.get(asked)
        return held if held is not None and holds(session, held.rests_on) else None

    def put(self, asked: Hashable, page: Page, body: bytes) -> Written:
        made = Written(page.rests_on, etag_of(page.rests_on, asked), body)
        if len(body) <= self._held.maxsize:
            with self._lock:
                self._held[asked] = made
        return made


def holds(session: Session, rests_on: RestsOn) -> bool:
    """Whether everything still has the version a page was read from."""
    now = records.versions(session, rests_on.documents)
    documents = {kind: {key: now[kind].get(key, 0) for key in held} for kind, held in rests_on.documents.items()}
    books = marks.versions(session, rests_on.marks)
    return (
        documents == rests_on.documents
        and {key: books.get(key, 0) for key in rests_on.marks} == rests_on.marks
        and datasets.current(session, rests_on.datasets) == rests_on.datasets
    )


def etag_of(rests_on: RestsOn, asked: Hashable) -> str:
    return hashlib.blake2b(repr((rests_on, asked)).encode(), digest_size=12).hexdigest()
