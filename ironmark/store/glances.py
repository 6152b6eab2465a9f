"""How scorecards stood: the newest glance of each is how it stands, earlier ones tell what changed since."""

from __future__ import annotations

import datetime as dt
from collections.abc import Collection

from sqlalchemy import delete, func, select, tuple_
from sqlalchemy.orm import Session, undefer

from ironmark.store.database import Missing, now
from ironmark.store.models import Glance

KEPT_DAYS, MOST = 92, 300  # of each scorecard
_PLACE = tuple_(Glance.scorecard, Glance.number)


def newest(session: Session) -> list[Glance]:
    """The newest glance of each scorecard."""
    return _of(session, None)


def at(session: Session, moment: dt.datetime) -> list[Glance]:
    """How each scorecard stood at a moment; its first glance where it is younger than that."""
    found = {row.scorecard: row for row in _of(session, moment)}
    first = select(Glance.scorecard, func.min(Glance.number)).group_by(Glance.scorecard)
    for row in session.scalars(select(Glance).where(_PLACE.in_(first))):
        found.setdefault(row.scorecard, row)
    return list(found.values())


def _of(session: Session, moment: dt.datetime | None) -> list[Glance]:
    last = select(Glance.scorecard, func.max(Glance.number)).group_by(Glance.scorecard)
    if moment is not None:
        last = last.where(Glance.at <= moment)
    return list(session.scalars(select(Glance).where(_PLACE.in_(last))))


def drawing(session: Session, scorecard: str) -> Glance:
    """The newest glance of a scorecard with its drawing. Raises Missing."""
    query = select(Glance).where(Glance.scorecard == scorecard).order_by(Glance.number.desc()).limit(1)
    row = session.scalar(query.options(undefer(Glance.drawing)))
    if row is None:
        raise Missing("scorecard", scorecard)
    return row


def put(session: Session, scorecard: str, rests: str, body: bytes, drawing: bytes, as_before: bool) -> None:
    """Keep how a scorecard stands now. as_before: its readings stand as at the glance before, which this replaces."""
    last = session.scalar(
        select(Glance).where(Glance.scorecard == scorecard).order_by(Glance.number.desc()).limit(1).with_for_update()
    )
    if last is not None and as_before:
        last.rests, last.body, last.drawing = rests, body, drawing
        return
    number = last.number + 1 if last else 1
    session.add(Glance(scorecard=scorecard, number=number, at=now(), rests=rests, body=body, drawing=drawing))
    old = now() - dt.timedelta(days=KEPT_DAYS)
    session.execute(
        delete(Glance).where(
            Glance.scorecard == scorecard,
            Glance.number < number,
            (Glance.at < old) | (Glance.number <= number - MOST),
        )
    )


def keep_only(session: Session, scorecards: Collection[str]) -> None:
    """Drop what is kept of scorecards that are gone."""
    session.execute(delete(Glance).where(Glance.scorecard.not_in(scorecards)))
