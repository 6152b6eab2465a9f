"""Uploads under way and the last ones that ended, known to every server process."""

from __future__ import annotations

import datetime as dt
from typing import Any

from sqlalchemy import delete, func, select, update
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session

from ironmark.clock import now
from ironmark.store.models import Upload, UploadPiece

KEPT = dt.timedelta(days=1)
SILENT = dt.timedelta(minutes=30)  # after which the process that read it is taken to have ended


class Taken(Exception):
    """An upload goes by this key already."""


def begin(session: Session, key: str, stage: str) -> None:
    """Note that an upload has come. Raises Taken."""
    session.execute(delete(Upload).where(Upload.updated_at < now() - KEPT))
    held = session.get(Upload, key, with_for_update=True)
    if held is not None and not (held.stopping and held.state == "stopped" and not held.stage):
        raise Taken
    if held is not None:  # asked to stop before it came
        held.state, held.stage, held.updated_at = "running", stage, now()
        return
    try:
        session.add(Upload(id=key, state="running", stage=stage, share=0.0, stopping=False, updated_at=now()))
        session.flush()
    except IntegrityError:
        raise Taken from None


def get(session: Session, key: str) -> Upload | None:
    return session.get(Upload, key)


def tell(session: Session, key: str, stage: str, share: float) -> bool:
    """Note how far it is. Returns whether somebody asked it to stop."""
    session.execute(update(Upload).where(Upload.id == key).values(stage=stage, share=share, updated_at=now()))
    return bool(session.scalar(select(Upload.stopping).where(Upload.id == key)))


def end(session: Session, key: str, **how: Any) -> None:
    session.execute(update(Upload).where(Upload.id == key).values(**how, updated_at=now()))


def ask_to_stop(session: Session, key: str) -> None:
    """Have an upload stop as soon as it tells how far it is; one that has not come yet stops as it comes."""
    held = session.get(Upload, key, with_for_update=True)
    if held is None:
        session.add(Upload(id=key, state="stopped", stage="", share=0.0, stopping=True, updated_at=now()))
    elif held.state == "running":
        held.stopping = True


def put_piece(session: Session, key: str, place: int, body: bytes) -> None:
    """Keep a piece, in place of one that came there before. What nobody went on with for a day is given up."""
    old = select(UploadPiece.upload).group_by(UploadPiece.upload).having(func.max(UploadPiece.added_at) < now() - KEPT)
    if gone := list(session.scalars(old)):
        session.execute(delete(UploadPiece).where(UploadPiece.upload.in_(gone)))
    session.merge(UploadPiece(upload=key, place=place, body=body, size=len(body), added_at=now()))


def pieces(session: Session, key: str) -> tuple[int, int]:
    """How many pieces have come without a gap, from the first on, and their bytes."""
    query = select(UploadPiece.place, UploadPiece.size).where(UploadPiece.upload == key).order_by(UploadPiece.place)
    many = size = 0
    for place, its in session.execute(query):
        if place != many:
            break
        many, size = many + 1, size + its
    return many, size


def piece(session: Session, key: str, place: int) -> bytes | None:
    return session.scalar(select(UploadPiece.body).where(UploadPiece.upload == key, UploadPiece.place == place))


def drop_pieces(session: Session, key: str) -> None:
    session.execute(delete(UploadPiece).where(UploadPiece.upload == key))
