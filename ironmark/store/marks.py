"""The mark book's entries, changed together per KPI."""

from __future__ import annotations

import datetime as dt
from collections.abc import Collection, Iterable, Sequence
from dataclasses import dataclass, replace
from typing import Any

from sqlalchemy import delete, select
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.orm import Session

from ironmark.clock import now
from ironmark.core.marks import NAMES, MarkEntry, Owner
from ironmark.core.periods import Period
from ironmark.store import change_log, trail
from ironmark.store.database import StaleVersion, author
from ironmark.store.models import Mark, MarkBook, Revision


@dataclass(frozen=True)
class Change:
    """Set the entry at one place of the book; ``value`` None takes it out."""

    name: str
    owner: Owner
    since: str  # a period's key, such as 2026-10 or 2026
    value: float | None

    @property
    def place(self) -> tuple[str, Owner, str]:
        return self.name, self.owner, self.since


def entries(session: Session, kpi_ids: Iterable[str], year_start: int = 1) -> dict[str, list[MarkEntry]]:
    """The entries of several KPIs; a KPI without any has an empty list."""
    found: dict[str, list[MarkEntry]] = {key: [] for key in kpi_ids}
    columns = (
        Mark.kpi_id,
        Mark.name,
        Mark.whose,
        Mark.segment,
        Mark.member,
        Mark.segment2,
        Mark.member2,
        Mark.since,
        Mark.value,
    )
    query = select(*columns).where(Mark.kpi_id.in_(found)).order_by(Mark.name, Mark.segment, Mark.member, Mark.since)
    for row in session.execute(query):
        found[row.kpi_id].append(MarkEntry(row.name, _owner(row), Period.parse(row.since, year_start), row.value))
    return found


def _owner(row: Any) -> Owner:
    pairs = ((row.segment, row.member), (row.segment2, row.member2))
    return Owner(row.whose, tuple(pair for pair in pairs if pair[0]))  # type: ignore[arg-type]


def _columns(owner: Owner) -> dict[str, str]:
    first, second = (*owner.of, ("", ""), ("", ""))[:2]
    return {
        "whose": owner.whose, "segment": first[0], "member": first[1], "segment2": second[0], "member2": second[1],
    }  # fmt: skip


def books(session: Session, kpi_ids: Iterable[str]) -> dict[str, tuple[int, dict[str, str]]]:
    """The versions of the books of some KPIs with the formulas of their computed marks by name; a KPI without any
    mark is left out."""
    query = select(MarkBook.kpi_id, MarkBook.version, MarkBook.computed).where(MarkBook.kpi_id.in_(list(kpi_ids)))
    return {key: (version, dict(formulas or {})) for key, version, formulas in session.execute(query)}


def every_computed(session: Session) -> dict[str, dict[str, str]]:
    return {
        key: dict(formulas) for key, formulas in session.execute(select(MarkBook.kpi_id, MarkBook.computed)) if formulas
    }


def names(session: Session) -> list[str]:
    """Every name that a mark has, of whatever KPI, those that always stand in the book first."""
    held = session.scalars(select(Mark.name).distinct().order_by(Mark.name))
    made = (name for formulas in every_computed(session).values() for name in formulas)
    return list(dict.fromkeys((*NAMES, *held, *made)))


def compute(session: Session, kpi_id: str, name: str, formula: str | None, saw: int) -> int:
    """Have a mark computed by a formula, or (None) no longer; returns the book's version. Raises StaleVersion."""
    book = _locked(session, kpi_id, saw)
    before = dict(book.computed or {})
    session.add(
        Revision(
            kind="marks",
            record_id=kpi_id,
            version=book.version,
            body={"computed": before},
            saved_at=now(),
            saved_by=author.get(),
        )
    )
    book.computed = {key: text for key, text in (before | {name: formula}).items() if text}
    book.version += 1
    session.flush()
    trail.formulas_changed(session, book, before, book.computed)
    return book.version


def version(session: Session, kpi_id: str) -> int:
    """The version of a KPI's book; 0 before its first entry."""
    return session.scalar(select(MarkBook.version).where(MarkBook.kpi_id == kpi_id)) or 0


def apply(session: Session, kpi_id: str, changes: Sequence[Change], saw: int) -> tuple[int, list[Change]]:
    """Make the changes to a book seen at version ``saw``.

    Returns the new version and the changes that would take these back. Raises StaleVersion.
    """
    book = _locked(session, kpi_id, saw)
    rows = {
        (row.name, _owner(row), row.since): row for row in session.scalars(select(Mark).where(Mark.kpi_id == kpi_id))
    }
    held = {place: row.value for place, row in rows.items()}
    first, back = dict(held), list[Change]()
    for change in changes:
        back.append(replace(change, value=held.get(change.place)))
        held.pop(change.place, None)
        if change.value is not None:
            held[change.place] = change.value
    back.reverse()
    for name, owner, since in dict.fromkeys(change.place for change in changes):
        row, value = rows.get((name, owner, since)), held.get((name, owner, since))
        if row is not None and value is None:
            session.delete(row)
        elif row is not None and value is not None:
            row.value = value
        elif value is not None:
            session.add(Mark(kpi_id=kpi_id, name=name, since=since, value=value, **_columns(owner)))
    body = {"back": [vars(change) | {"owner": _columns(change.owner)} for change in back]}
    session.add(
        Revision(kind="marks", record_id=kpi_id, version=book.version, body=body, saved_at=now(), saved_by=author.get())
    )
    book.version += 1
    session.flush()
    places = [change.place for change in changes]
    trail.marks_changed(
        session, kpi_id, *({_called(*place): found.get(place) for place in places} for found in (first, held))
    )
    return book.version, back


def _called(name: str, owner: Owner, since: str) -> str:
    """An entry in words: ``target, Night freight, from 2026-10``."""
    members = " and ".join(member or f"each {segment}" for segment, member in owner.of)
    return f"{name}, {members or owner.whose}, from {since}"


def _locked(session: Session, kpi_id: str, saw: int) -> MarkBook:
    # A row to lock has to be there, also for the first entry of all.
    # Updating the one that is there locks it at once; ignoring it would share the lock and end in a deadlock.
    made = insert(MarkBook).values(kpi_id=kpi_id, version=0)
    session.execute(made.on_duplicate_key_update(version=MarkBook.version))
    book = session.get_one(MarkBook, kpi_id, with_for_update=True)
    if book.version != saw:
        raise StaleVersion(saw, book.version)
    return book


def remove(session: Session, kpi_id: str) -> None:
    session.execute(delete(Mark).where(Mark.kpi_id == kpi_id))
    session.execute(delete(MarkBook).where(MarkBook.kpi_id == kpi_id))
    change_log.append(session, ("book", kpi_id))


def last_change(
    session: Session, kpi_id: str, name: str, between: tuple[int, int | None], owners: Collection[Owner]
) -> tuple[str, dt.datetime] | None:
    """Who last changed a mark that is any of these owners', and when, of those who changed the book from one version
    on up to another one (None for what holds now)."""
    first, last = between
    query = select(Revision).where(Revision.kind == "marks", Revision.record_id == kpi_id, Revision.version >= first)
    if last is not None:
        query = query.where(Revision.version < last)
    for found in session.scalars(query.order_by(Revision.number.desc())):
        for back in found.body.get("back", ()):
            pairs = ((back["owner"][f"segment{n}"], back["owner"][f"member{n}"]) for n in ("", "2"))
            owner = Owner(back["owner"]["whose"], tuple(pair for pair in pairs if pair[0]))
            if back["name"] == name and owner in owners:
                return found.saved_by, found.saved_at
        if name in found.body.get("computed", {}):
            return found.saved_by, found.saved_at
    return None
