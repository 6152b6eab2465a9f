"""What is being taken out, known to every server process: asked for, drawn by the one worker, fetched."""

from __future__ import annotations

import datetime as dt
from typing import Any

from sqlalchemy import delete, func, select, update
from sqlalchemy.orm import Session

from ironmark.clock import now
from ironmark.store import eyes
from ironmark.store.database import Missing, new_key, request
from ironmark.store.models import Export

KEPT = dt.timedelta(hours=1)
MOST_WAITING = 40
MOST_TRIES = 2  # of a page during which the server, its database or the printer dies
ENDED = ("done", "failed", "stopped")


class TooMany(Exception):
    """So many are waiting that one more would wait too long."""


def ask(
    session: Session, kind: str, source: bytes, about: dict[str, Any] | None, options: dict[str, Any], name: str
) -> str:  # fmt: skip
    """Have something drawn. What was taken out an hour ago is given up. Raises TooMany."""
    session.execute(delete(Export).where(Export.updated_at < now() - KEPT, Export.state.in_(ENDED)))
    if waiting(session) >= MOST_WAITING:
        raise TooMany
    row = Export(
        id=new_key("export"), kind=kind, state="waiting", stage="waits for its turn", share=0.0, options=options,
        about=about, source=source, file=None, name=name[:200], problem=None, stopping=False, tries=0, taken_by="",
        asked_by=eyes.of(session).person, request=request.get(), asked_at=now(), updated_at=now(),
    )  # fmt: skip
    session.add(row)
    session.flush()
    return row.id


def waiting(session: Session) -> int:
    """How many wait to be drawn, or are being."""
    return session.scalar(select(func.count()).where(Export.state.in_(("waiting", "running")))) or 0


def get(session: Session, key: str) -> Export:
    """Raises Missing."""
    row = session.get(Export, key)
    if row is None or eyes.of(session).person not in ("", row.asked_by):
        raise Missing("export", key)
    return row


def file(session: Session, key: str) -> bytes | None:
    return session.scalar(select(Export.file).where(Export.id == key))


def source(session: Session, key: str) -> bytes:
    return session.scalars(select(Export.source).where(Export.id == key)).one()


def next_one(session: Session, worker: str) -> Export | None:
    """The one that has waited longest, for ``worker`` to draw. There is one worker and it draws one at a time, so what is
    being drawn as it asks was left, by another that ended or by itself as the database went away: begun once more."""
    left = update(Export).where(Export.state == "running")
    session.execute(left.where(Export.tries < MOST_TRIES).values(state="waiting"))
    died = {"type": "printer", "title": "It could not be drawn", "status": 500, "detail": "The server or its database ended while it was drawn, more than once. Try again."}  # fmt: skip
    session.execute(left.where(Export.tries >= MOST_TRIES).values(state="failed", problem=died))
    query = select(Export).where(Export.state == "waiting").order_by(Export.asked_at).limit(1)
    row = session.scalar(query.with_for_update(skip_locked=True))
    if row is None:
        return None
    row.state, row.taken_by, row.tries, row.updated_at = "running", worker, row.tries + 1, now()
    session.flush()
    return row


def tell(session: Session, key: str, worker: str, stage: str, share: float) -> bool:
    """Note how far it is. Returns whether ``worker`` is to stop: it was asked to, or another has taken it over."""
    mine = update(Export).where(Export.id == key, Export.taken_by == worker)
    session.execute(mine.values(stage=stage, share=share, updated_at=now()))
    return not session.scalar(select(Export.id).where(Export.id == key, Export.taken_by == worker, ~Export.stopping))


def end(session: Session, key: str, worker: str, **how: Any) -> None:
    """What became of it, unless another has taken it over."""
    mine = update(Export).where(Export.id == key, Export.taken_by == worker, Export.state == "running")
    session.execute(mine.values(**how, updated_at=now()))


def stop(session: Session, key: str) -> Export:
    """Have it stop: one that waits at once, one that is drawn as soon as it may. Raises Missing."""
    row = session.get(Export, key, with_for_update=True)
    if row is None:
        raise Missing("export", key)
    if row.state == "waiting":
        row.state, row.stage = "stopped", ""
    elif row.state == "running":
        row.stopping = True
    session.flush()
    return row
