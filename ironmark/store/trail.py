"""Who did what: one trail of all that changes, written in the transaction that changes it. Nothing of the product changes it;
what is older than it is kept for goes."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping, Sequence
from contextvars import ContextVar
from dataclasses import dataclass
from typing import Any

from sqlalchemy import Select, delete, event, inspect, or_, select
from sqlalchemy.orm import Session

from ironmark.clock import now
from ironmark.core.differences import Difference, differences
from ironmark.store.database import author
from ironmark.store.models import Dataset, Edition, Link, MarkBook, Note, Record, Standing
from ironmark.store.people_models import TrailEntry

TOGETHER = dt.timedelta(minutes=10)  # what one person goes on changing for so long is one entry
SETTING = "trail"  # that says for how many days it is kept
KEPT_DAYS = 730  # unless another time is chosen
_AT_ONCE = 5000


@dataclass(frozen=True)
class By:
    """Who does something, and from where."""

    person: str = ""
    address: str = ""


by: ContextVar[By] = ContextVar("by", default=By())  # noqa: B039 (frozen)


def note(
    session: Session,
    verb: str,
    kind: str,
    key: str,
    name: str,
    changed: Sequence[Difference] = (),
    who: str | None = None,
) -> None:
    """Write down that something was done. who: a name, where it is not the one of who is at it."""
    at, doer = now(), by.get()
    told = author.get() if who is None else who
    pairs = [[one.what, one.before, one.after] for one in changed]
    if verb == "changed":
        last = session.scalar(
            select(TrailEntry).where(TrailEntry.kind == kind, TrailEntry.record_id == key[:200]).order_by(TrailEntry.number.desc()).limit(1)
        )  # fmt: skip
        if _goes_on(last, doer, told, at):
            assert last is not None
            last.changed, last.at = _joined(last.changed, pairs), at
            if not last.changed:  # it is as it was
                session.delete(last)
            return
    session.add(
        TrailEntry(
            at=at, person=doer.person, who=told[:120], address=doer.address[:64], verb=verb, kind=kind, record_id=key[:200],
            name=name[:200], changed=pairs,
        )
    )  # fmt: skip


def _goes_on(last: TrailEntry | None, doer: By, told: str, at: dt.datetime) -> bool:
    return (
        last is not None and last.verb == "changed" and last.person == doer.person and last.who == told[:120]
        and last.address == doer.address[:64] and at - last.at < TOGETHER
    )  # fmt: skip


def _joined(earlier: Sequence[Sequence[str]], later: Sequence[Sequence[str]]) -> list[list[str]]:
    """Two changes in a row as one: from what was before the first to what is after the second."""
    found = {what: [what, before, after] for what, before, after in earlier}
    for what, before, after in later:
        found[what] = [what, found[what][1] if what in found else before, after]
    return [one for one in found.values() if one[1] != one[2]]


# What is changed as an object is written down by itself


def _before(row: Any, name: str) -> Any:
    held = inspect(row).attrs[name].history
    return held.deleted[0] if held.deleted else getattr(row, name)


def _watch(session: Session, _flush: object) -> None:
    for row in session.new:
        if (told := _told(row)) is not None:
            note(session, "made", *told)
    for row in session.deleted:
        if (told := _told(row)) is not None:
            note(session, "deleted", *told)
    for row in session.dirty:
        if (told := _told(row)) is not None and (changed := _differences(row)):
            note(session, "changed", *told, changed)


def _told(row: Any) -> tuple[str, str, str] | None:
    """What something is, its key, and what it is called; None of what is no document."""
    if isinstance(row, Record):
        return row.kind, row.id, str(row.body.get("name") or row.body.get("title") or row.id)
    if isinstance(row, Dataset):
        return "dataset", row.id, row.name
    if isinstance(row, Edition):
        return "edition", row.id, f"{row.title}, edition {row.number}{row.suffix}"
    if isinstance(row, Link):
        return "link", row.id, row.name
    if isinstance(row, Standing):
        return "standing order", row.id, str(row.body.get("title") or row.id)
    if isinstance(row, Note):
        return "note", row.id, f"{row.kpi_id}, {row.period}"
    return None


_WATCHED: dict[type, tuple[str, ...]] = {
    Record: ("body",),
    Dataset: ("name", "columns", "through", "rows_version", "settings"),
    Edition: ("title", "note", "state", "why"),
    Link: ("ended_at",),
    Standing: ("body",),
    Note: ("text",),
}


def _differences(row: Any) -> list[Difference]:
    found: list[Difference] = []
    for name in _WATCHED[type(row)]:
        was, is_ = _before(row, name), getattr(row, name)
        if was != is_:
            path = () if name == "body" else (name.replace("_", " "),)
            found += differences(was, is_, path)
    return found


event.listen(Session, "before_flush", lambda session, flush, _: _watch(session, flush))


# Reading it


@dataclass(frozen=True)
class Asked:
    """What is looked for: by whom, of what, since when and until when, with which word in its names. before: only entries
    of lower numbers."""

    person: str | None = None
    kind: str | None = None
    record: str | None = None
    since: dt.datetime | None = None
    until: dt.datetime | None = None
    word: str = ""
    before: int | None = None


def read(session: Session, asked: Asked, most: int) -> list[TrailEntry]:
    """The newest first."""
    return list(session.scalars(_query(asked).limit(most)))


def _query(asked: Asked) -> Select[TrailEntry]:
    query = select(TrailEntry).order_by(TrailEntry.number.desc())
    for column, wanted in (
        (TrailEntry.person, asked.person), (TrailEntry.kind, asked.kind), (TrailEntry.record_id, asked.record),
    ):  # fmt: skip
        if wanted:
            query = query.where(column == wanted)
    if asked.since is not None:
        query = query.where(TrailEntry.at >= asked.since)
    if asked.until is not None:
        query = query.where(TrailEntry.at < asked.until)
    if asked.before is not None:
        query = query.where(TrailEntry.number < asked.before)
    if asked.word:
        query = query.where(
            or_(*(column.contains(asked.word, autoescape=True) for column in (TrailEntry.name, TrailEntry.who)))
        )
    return query


def give_up(session: Session, days: int) -> int:
    """What is older than it is kept for. Returns how many."""
    old = select(TrailEntry.number).where(TrailEntry.at < now() - dt.timedelta(days=days)).limit(_AT_ONCE)
    gone = list(session.scalars(old))
    if gone:
        session.execute(delete(TrailEntry).where(TrailEntry.number.in_(gone)))
    return len(gone)


def marks_changed(
    session: Session, kpi: str, before: Mapping[str, float | None], after: Mapping[str, float | None]
) -> None:
    """A mark book's entries in words, by what they are called."""
    names = dict.fromkeys([*before, *after])

    def told(value: float | None) -> str:
        return "" if value is None else f"{value:.12g}"

    changed = [
        Difference(name, told(before.get(name)), told(after.get(name)))
        for name in names
        if before.get(name) != after.get(name)
    ]
    if changed:
        row = session.get(Record, ("kpi", kpi))
        note(session, "changed", "marks", kpi, str(row.body.get("name")) if row is not None else kpi, changed)


def formulas_changed(session: Session, book: MarkBook, before: Mapping[str, str], after: Mapping[str, str]) -> None:
    row = session.get(Record, ("kpi", book.kpi_id))
    found = differences(dict(before), dict(after), ("computed",))
    if found:
        note(session, "changed", "marks", book.kpi_id, str(row.body.get("name")) if row is not None else "", found)
