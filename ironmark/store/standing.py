"""Standing orders for editions and lists of holidays, as they are kept."""

from __future__ import annotations

import datetime as dt
from typing import Any

from sqlalchemy import select, update
from sqlalchemy.orm import Session

from ironmark.clock import now
from ironmark.store import eyes
from ironmark.store.database import Missing, StaleVersion, author, new_key
from ironmark.store.models import Holidays, Standing


def list_all(session: Session) -> list[Standing]:
    return [row for row in session.scalars(select(Standing).order_by(Standing.made_at)) if _is_seen(session, row)]


def get(session: Session, key: str) -> Standing:
    """Raises Missing."""
    row = session.get(Standing, key)
    if row is None or not _is_seen(session, row):
        raise Missing("standing order", key)
    return row


def create(
    session: Session, body: dict[str, Any], due_at: dt.datetime, standing_for: str, key: str | None = None
) -> Standing:  # fmt: skip
    row = Standing(
        id=key or new_key("standing"), version=1, body=body, state="waiting", said="", tries=0, due_at=due_at,
        standing_for=standing_for, made=None, made_at=now(), made_by=author.get(),
    )  # fmt: skip
    session.add(row)
    session.flush()
    return row


def locked(session: Session, key: str, saw: int | None = None) -> Standing:
    """Raises Missing, StaleVersion."""
    row = session.get(Standing, key, with_for_update=True)
    if row is None or not _is_seen(session, row):
        raise Missing("standing order", key)
    if saw is not None and row.version != saw:
        raise StaleVersion(saw, row.version)
    return row


def save(
    session: Session, key: str, saw: int, body: dict[str, Any], due_at: dt.datetime, standing_for: str
) -> Standing:  # fmt: skip
    row = locked(session, key, saw)
    row.body, row.version, row.due_at, row.standing_for = body, row.version + 1, due_at, standing_for
    row.state, row.said, row.tries = "waiting", "", 0
    session.flush()
    return row


def due(session: Session, moment: dt.datetime, most: int) -> list[str]:
    query = select(Standing.id).where(Standing.due_at <= moment).order_by(Standing.due_at)
    return list(session.scalars(query.limit(most)))


def stuck(session: Session) -> list[Standing]:
    """Those whose edition is held or could not be made."""
    rows = session.scalars(select(Standing).where(Standing.state != "waiting").order_by(Standing.due_at))
    return [row for row in rows if _is_seen(session, row)]


def _is_seen(session: Session, row: Standing) -> bool:
    """An order is seen with its scorecard."""
    return eyes.of(session).sees("scorecard", str(row.body.get("scorecard", "")))


def note(session: Session, key: str, **how: Any) -> None:
    session.execute(update(Standing).where(Standing.id == key).values(**how))


# Holidays


def holiday_lists(session: Session) -> list[Holidays]:
    return list(session.scalars(select(Holidays).order_by(Holidays.name)))


def holidays(session: Session, key: str | None) -> frozenset[dt.date]:
    """The days of a list; none where there is none."""
    row = session.get(Holidays, key) if key else None
    return frozenset(dt.date.fromisoformat(day) for day in row.days) if row else frozenset()


def keep_holidays(session: Session, name: str, days: list[dt.date]) -> Holidays:
    row = Holidays(id=new_key(name), name=name, days=[day.isoformat() for day in days], made_at=now())
    session.add(row)
    session.flush()
    return row


def drop_holidays(session: Session, key: str) -> None:
    """Raises Missing."""
    row = session.get(Holidays, key)
    if row is None:
        raise Missing("list of holidays", key)
    session.delete(row)
    session.flush()
