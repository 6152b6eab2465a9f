"""Links to one page, as they are kept: never the token itself, nor a password."""

from __future__ import annotations

import datetime as dt
import secrets
from typing import Any

from argon2 import PasswordHasher
from argon2.exceptions import VerificationError
from sqlalchemy import delete, select, update
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.orm import Session

from ironmark.clock import now
from ironmark.store import eyes
from ironmark.store.accounts import digest
from ironmark.store.database import Missing, author, new_key
from ironmark.store.models import Link, LinkTry

FREE_TRIES, MOST_WAIT_S = 3, 600
FORGOTTEN = dt.timedelta(days=1)  # a try that long ago
_hasher = PasswordHasher()  # argon2id


def make(
    session: Session, *, name: str, edition: str | None, scorecard: str | None, scope: dict[str, Any] | None,
    until: dt.date, password: str | None, frames: list[str], workings: bool, takes: list[str], reader: str,
) -> tuple[Link, str]:  # fmt: skip
    """A new link with its token, which is told this once."""
    token = secrets.token_urlsafe(32)
    row = Link(
        id=new_key(name), token=digest(token), name=name, edition=edition, scorecard=scorecard, scope=scope, until=until,
        password=_hasher.hash(password) if password else "", frames=frames, workings=workings, readings=0, takes=takes,
        reader=reader, made_at=now(), made_by=author.get(), ended_at=None,
    )  # fmt: skip
    session.add(row)
    session.flush()
    return row, token


def list_all(session: Session, edition: str | None, scorecard: str | None) -> list[Link]:
    """Those that were not taken back, of an edition or a scorecard, the newest first."""
    query = select(Link).where(Link.ended_at.is_(None)).order_by(Link.made_at.desc())
    if edition is not None:
        query = query.where(Link.edition == edition)
    if scorecard is not None:
        query = query.where(Link.scorecard == scorecard)
    seen = eyes.of(session)
    return [row for row in session.scalars(query) if row.scorecard is None or seen.sees("scorecard", row.scorecard)]


def end(session: Session, key: str) -> Link:
    """Take a link back. Raises Missing."""
    row = session.get(Link, key, with_for_update=True)
    if row is None or row.ended_at is not None:
        raise Missing("link", key)
    row.ended_at = now()
    session.flush()
    return row


def end_all(session: Session, *, edition: str | None = None, scorecard: str | None = None) -> None:
    """Links to what is taken away go with it."""
    whose = Link.edition == edition if edition is not None else Link.scorecard == scorecard
    session.execute(update(Link).where(whose, Link.ended_at.is_(None)).values(ended_at=now()))


def found(session: Session, token: str, today: dt.date) -> Link | None:
    """The link that a token opens; None for one that never was, has ended, or was taken back."""
    row = session.scalar(select(Link).where(Link.token == digest(token)))
    return row if row is not None and row.ended_at is None and row.until >= today else None


def count(session: Session, key: str) -> None:
    """Note that it was read; nothing is kept of who read it."""
    session.execute(update(Link).where(Link.id == key).values(readings=Link.readings + 1))


def may_try(session: Session, key: str, who: str) -> int:
    """Whether a password may be tried now from an address: 0, or how many seconds later. A try counts as failed until it is
    told to be right, so that many at once are no more than that many; others' tries keep nobody out."""
    session.execute(delete(LinkTry).where(LinkTry.tried_at < now() - FORGOTTEN))
    place = {"link": key, "who": digest(who)}
    session.execute(insert(LinkTry).values(**place, failures=0, wait_until=None, tried_at=now()).prefix_with("IGNORE"))
    row = session.get_one(LinkTry, (place["link"], place["who"]), with_for_update=True, populate_existing=True)
    if row.wait_until is not None and row.wait_until > now():
        return int((row.wait_until - now()).total_seconds()) + 1
    row.failures, row.tried_at = row.failures + 1, now()
    if row.failures >= FREE_TRIES:
        row.wait_until = now() + dt.timedelta(seconds=min(MOST_WAIT_S, 2 ** (row.failures - FREE_TRIES + 1)))
    session.flush()
    return 0


def was_right(session: Session, key: str, who: str) -> None:
    session.execute(delete(LinkTry).where(LinkTry.link == key, LinkTry.who == digest(who)))


def is_password(row: Link, password: str) -> bool:
    """Takes a while, whichever it is."""
    try:
        return _hasher.verify(row.password, password)
    except VerificationError:
        return False
