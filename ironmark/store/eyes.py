"""Whose eyes a session reads with: what is there for them, and which rows. Without any it sees everything, as work by the
clock does."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass, field, replace
from functools import cached_property

from sqlalchemy.orm import Session

from ironmark.tables.cells import Within

_KEY = "eyes"


class Narrowed(PermissionError):
    """All rows of a dataset were asked for by somebody who may read some of them."""


@dataclass(frozen=True)
class Eyes:
    """What somebody may read. seen: keys by kind of document, for kinds of which not every one is; closed: datasets of
    which no row is; narrowed: which rows of others, by dataset; of_kpi: those that a KPI is read from, by its key."""

    person: str = ""
    seen: Mapping[str, frozenset[str]] = field(default_factory=dict)
    closed: frozenset[str] = frozenset()
    narrowed: tuple[tuple[str, Within], ...] = ()
    of_kpi: Mapping[str, Within] = field(default_factory=dict)

    def sees(self, kind: str, key: str) -> bool:
        return key in self.seen.get(kind, (key,))

    def within(self, dataset: str) -> Within:
        return next((within for key, within in self.narrowed if key == dataset), ())

    def sees_reading(self, kpi: str, members: Mapping[str, Collection[str]]) -> bool:
        """Whether a reading of some members, none for all rows, is the same for them as for whoever sees all rows."""
        return self.sees("kpi", kpi) and all(
            members.get(segment) and set(members[segment]) <= set(names) for segment, names in self.of_kpi.get(kpi, ())
        )

    def reads_as(self, rows: Mapping[str, object]) -> bool:
        """Whether figures that were worked out from some rows, by dataset, are what they would read. A dataset's rows are a
        list of segments with their members: an empty one is all of them."""
        return all(
            key not in self.closed and [[segment, list(names)] for segment, names in self.within(key)] == some
            for key, some in rows.items()
        )

    @cached_property
    def key(self) -> tuple[object, ...]:
        """What tells what two people see apart: equal for those who see the same documents and rows."""
        return tuple((kind, self.seen[kind]) for kind in sorted(self.seen)), self.closed, self.narrowed

    @property
    def read_all_rows(self) -> bool:
        return not self.closed and not self.narrowed


ALL = Eyes()


def narrowed_to(eyes: Eyes, kind: str, keys: Collection[str]) -> Eyes:
    """The same, of a kind of documents only some."""
    seen = frozenset(key for key in keys if eyes.sees(kind, key))
    return replace(eyes, seen={**eyes.seen, kind: seen})


def of(session: Session | None) -> Eyes:
    """Those of whoever a session is of; without a session nothing is kept from anybody."""
    found: Eyes = ALL if session is None else session.info.get(_KEY, ALL)
    return found


def lend(session: Session | None, eyes: Eyes) -> None:
    if session is not None:
        session.info[_KEY] = eyes


def made(session: Session, kind: str, key: str) -> None:
    """Whoever makes something sees it, in this session already."""
    before = of(session)
    if not before.sees(kind, key):
        lend(session, replace(before, seen={**before.seen, kind: before.seen[kind] | {key}}))


@contextmanager
def of_all_rows(session: Session) -> Iterator[None]:
    """Rows as they are kept, for who goes on to leave out what may not be seen."""
    before = of(session)
    lend(session, ALL)
    try:
        yield
    finally:
        lend(session, before)


def require_all_rows(session: Session, dataset: str) -> None:
    """Raises Narrowed."""
    eyes = of(session)
    if dataset in eyes.closed or eyes.within(dataset):
        raise Narrowed(dataset)
