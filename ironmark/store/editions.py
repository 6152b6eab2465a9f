"""Editions as they are kept: drafts that can be changed, published ones that can only be withdrawn."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Final, Literal

from sqlalchemy import func, select, update
from sqlalchemy.orm import Session

from ironmark.clock import now
from ironmark.store import eyes
from ironmark.store.database import Missing, StaleVersion, author, new_key
from ironmark.store.models import Edition, Record

State = Literal["draft", "published", "withdrawn"]
DRAFT: Final = "draft"
PUBLISHED: Final = "published"
WITHDRAWN: Final = "withdrawn"


def list_all(session: Session, scorecard: str | None = None) -> list[Edition]:
    """All editions, or those of a scorecard, the newest first; without what they hold."""
    query = select(Edition).order_by(Edition.made_at.desc(), Edition.number.desc(), Edition.suffix.desc())
    rows = session.scalars(query.where(Edition.scorecard == scorecard) if scorecard else query)
    return [row for row in rows if _is_seen(session, row)]


def _is_seen(session: Session, row: Edition) -> bool:
    """Whether somebody reads an edition: of a scorecard they see, and made with rows as theirs, or opened knowingly."""
    seen, made = eyes.of(session), row.eyes
    if not seen.sees("scorecard", row.scorecard):
        return False
    if made is None:
        return seen.read_all_rows
    return bool(made.get("open")) or seen.reads_as(made["rows"])


def get(session: Session, key: str) -> Edition:
    """Raises Missing."""
    row = session.get(Edition, key)
    if row is None or not _is_seen(session, row):
        raise Missing("edition", key)
    return row


def frozen_bytes(session: Session, key: str) -> bytes:
    """What an edition holds. Raises Missing."""
    get(session, key)
    body = session.scalar(select(Edition.body).where(Edition.id == key))
    if body is None:
        raise Missing("edition", key)
    return body


def create(
    session: Session, scorecard: str, *, title: str, note: str, period: str, period_label: str, body: bytes,
    restates: str | None = None, standing: tuple[str, str] | None = None, rows: Mapping[str, object] | None = None,
) -> Edition:  # fmt: skip
    """Keep a new draft under the scorecard's next number; one that restates another takes that one's, with a letter.

    standing: the standing order that makes it, and for which of its times. rows: those it was worked out from, by dataset,
    see ``eyes.Eyes.reads_as``. Raises Missing.
    """
    # Two who make one at once come one after the other.
    session.execute(select(Record.id).where(Record.kind == "scorecard", Record.id == scorecard).with_for_update())
    suffix = ""
    if restates is None:
        last = session.scalar(select(func.max(Edition.number)).where(Edition.scorecard == scorecard))
        number = (last or 0) + 1
    else:
        number = get(session, restates).number
        same = session.scalars(select(Edition.suffix).where(Edition.scorecard == scorecard, Edition.number == number))
        suffix = _after(max(same, key=lambda one: (len(one), one)))
    row = Edition(
        id=new_key(title), scorecard=scorecard, number=number, suffix=suffix, version=1, state=DRAFT, title=title,
        note=note, period=period, period_label=period_label, made_at=now(), made_by=author.get(), published_at=None,
        published_by="", withdrawn_at=None, withdrawn_by="", why="", restated=None, checked="", body=body,
        standing=standing[0] if standing else None, standing_for=standing[1] if standing else None,
        eyes=None if rows is None else {"rows": dict(rows), "open": False},
    )  # fmt: skip
    session.add(row)
    session.flush()
    return row


def _after(suffix: str) -> str:
    """The letters that come after some: a, b, … z, za, and so on."""
    if not suffix or suffix[-1] == "z":
        return suffix + "a"
    return suffix[:-1] + chr(ord(suffix[-1]) + 1)


def locked(session: Session, key: str, saw: int | None = None) -> Edition:
    """Raises Missing, StaleVersion. saw: the version a change names."""
    row = session.get(Edition, key, with_for_update=True)
    if row is None or not _is_seen(session, row):
        raise Missing("edition", key)
    if saw is not None and row.version != saw:
        raise StaleVersion(saw, row.version)
    return row


def put(session: Session, row: Edition, **slots: object) -> Edition:
    """Change what is said of a locked edition."""
    for name, value in slots.items():
        setattr(row, name, value)
    row.version += 1
    session.flush()
    return row


def note_restated(session: Session, key: str, count: int | None, checked: str) -> None:
    """Keep how many readings are restated. It is told of an edition and no change to it."""
    session.execute(update(Edition).where(Edition.id == key).values(restated=count, checked=checked))


def made_for(session: Session, order: str, period: str) -> bool:
    """Whether a standing order has made its edition of a period."""
    query = select(Edition.id).where(Edition.standing == order, Edition.standing_for == period)
    return session.scalar(query.limit(1)) is not None
