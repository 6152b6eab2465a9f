"""Who has a scorecard open now, and whether they change it."""

from __future__ import annotations

import datetime as dt

from sqlalchemy import delete, select
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.orm import Session

from ironmark.clock import now
from ironmark.store.people_models import Account, Presence

LASTS = dt.timedelta(seconds=50)  # after which who says nothing more has left


def here(session: Session, scorecard: str, account: str, changing: bool) -> None:
    session.execute(delete(Presence).where(Presence.at < now() - LASTS))
    made = insert(Presence).values(scorecard=scorecard, account=account, at=now(), changing=changing)
    session.execute(made.on_duplicate_key_update(at=made.inserted.at, changing=made.inserted.changing))


def others(session: Session, scorecard: str, account: str) -> list[tuple[str, bool]]:
    """Who else, by name, and whether they change it."""
    query = (
        select(Account.name, Presence.changing)
        .join(Account, Account.id == Presence.account)
        .where(Presence.scorecard == scorecard, Presence.account != account, Presence.at > now() - LASTS)
    )
    return [(name, changing) for name, changing in session.execute(query.order_by(Account.name))]


def several(session: Session, scorecard: str) -> bool:
    """Whether more than one has it open."""
    query = select(Presence.account).where(Presence.scorecard == scorecard, Presence.at > now() - LASTS)
    return len(session.execute(query.limit(2)).all()) > 1
