"""How scorecards stood: the newest glance of each is how it stands, earlier ones tell what changed since."""

from __future__ import annotations

import datetime as dt
from collections.abc import Collection
from dataclasses import dataclass

from sqlalchemy import Select, delete, func, select, tuple_
from sqlalchemy.orm import Session, undefer

from ironmark.clock import now
from ironmark.store.database import Missing
from ironmark.store.models import Glance

KEPT_DAYS, MOST = 92, 300  # of each scorecard
_PLACE = tuple_(Glance.scorecard, Glance.number)


@dataclass(frozen=True, slots=True)
class Kept:
    """A glance without what it says. rests: the versions it was read at."""

    scorecard: str
    number: int
    rests: str


def newest(session: Session) -> dict[str, Kept]:
    """The newest glance of each scorecard, by its key."""
    return _of(session, select(Glance.scorecard, func.max(Glance.number)))


def at(session: Session, moment: dt.datetime) -> dict[str, Kept]:
    """How each scorecard stood at a moment; its first glance where it is younger than that."""
    first = _of(session, select(Glance.scorecard, func.min(Glance.number)))
    return first | _of(session, select(Glance.scorecard, func.max(Glance.number)).where(Glance.at <= moment))


def _of(session: Session, places: Select[str, int]) -> dict[str, Kept]:
    query = select(Glance.scorecard, Glance.number, Glance.rests)
    rows = session.execute(query.where(_PLACE.in_(places.group_by(Glance.scorecard))))
    return {row.scorecard: Kept(*row) for row in rows}


def bodies(session: Session, places: Collection[tuple[str, int]]) -> dict[tuple[str, int], bytes]:
    """What some glances say, by scorecard and number."""
    rows = session.execute(select(Glance.scorecard, Glance.number, Glance.body).where(_PLACE.in_(places)))
    return {(row.scorecard, row.number): row.body for row in rows}


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
