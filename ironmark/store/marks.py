"""The mark book's entries, changed together per KPI."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from sqlalchemy import delete, select
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.orm import Session

from ironmark.core.marks import MarkEntry
from ironmark.core.periods import Period
from ironmark.store.database import StaleVersion, now
from ironmark.store.models import Mark, MarkBook, Revision


@dataclass(frozen=True)
class Change:
    """Set the entry at one place of the book; ``value`` None takes it out."""

    name: str
    segment: str | None
    member: str | None
    since: str  # a period's key, such as 2026-10 or 2026
    value: float | None


def entries(session: Session, kpi_ids: Iterable[str], year_start: int = 1) -> dict[str, list[MarkEntry]]:
    """The entries of several KPIs; a KPI without any has an empty list."""
    found: dict[str, list[MarkEntry]] = {key: [] for key in kpi_ids}
    query = select(Mark).where(Mark.kpi_id.in_(found)).order_by(Mark.name, Mark.segment, Mark.member, Mark.since)
    for row in session.scalars(query):
        found[row.kpi_id].append(_entry(row, year_start))
    return found


def computed(session: Session, kpi_ids: Iterable[str]) -> dict[str, dict[str, str]]:
    """The formulas of computed marks by KPI and name."""
    query = select(MarkBook.kpi_id, MarkBook.computed).where(MarkBook.kpi_id.in_(list(kpi_ids)))
    return {key: dict(formulas) for key, formulas in session.execute(query) if formulas}


def every_computed(session: Session) -> dict[str, dict[str, str]]:
    return {
        key: dict(formulas) for key, formulas in session.execute(select(MarkBook.kpi_id, MarkBook.computed)) if formulas
    }


def compute(session: Session, kpi_id: str, name: str, formula: str | None, saw: int) -> int:
    """Have a mark computed by a formula, or (None) no longer; returns the book's version. Raises StaleVersion."""
    book = _locked(session, kpi_id, saw)
    before = dict(book.computed or {})
    session.add(
        Revision(kind="marks", record_id=kpi_id, version=book.version, body={"computed": before}, saved_at=now())
    )
    book.computed = {key: text for key, text in (before | {name: formula}).items() if text}
    book.version += 1
    session.flush()
    return book.version


def version(session: Session, kpi_id: str) -> int:
    """The version of a KPI's book; 0 before its first entry."""
    return session.scalar(select(MarkBook.version).where(MarkBook.kpi_id == kpi_id)) or 0


def apply(session: Session, kpi_id: str, changes: Sequence[Change], saw: int) -> tuple[int, list[Change]]:
    """Make the changes to a book seen at version ``saw``.

    Returns the new version and the changes that would take these back. Raises StaleVersion.
    """
    book = _locked(session, kpi_id, saw)
    back: list[Change] = []
    for change in changes:
        place = (
            Mark.kpi_id == kpi_id,
            Mark.name == change.name,
            Mark.segment == (change.segment or ""),
            Mark.member == (change.member or ""),
            Mark.since == change.since,
        )
        before = session.scalar(select(Mark.value).where(*place))
        back.insert(0, Change(change.name, change.segment, change.member, change.since, before))
        session.execute(delete(Mark).where(*place))
        if change.value is not None:
            session.add(
                Mark(
                    kpi_id=kpi_id,
                    name=change.name,
                    segment=change.segment or "",
                    member=change.member or "",
                    since=change.since,
                    value=change.value,
                )
            )
        session.flush()
    body = {"back": [vars(change) for change in back]}
    session.add(Revision(kind="marks", record_id=kpi_id, version=book.version, body=body, saved_at=now()))
    book.version += 1
    session.flush()
    return book.version, back


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


def _entry(row: Mark, year_start: int) -> MarkEntry:
    since = Period.parse(row.since, year_start)
    return MarkEntry(row.name, row.segment or None, row.member or None, since, row.value)
