"""Notices: what a new version of the product changed in what is kept."""

from __future__ import annotations

from sqlalchemy import select
from sqlalchemy.orm import Session

from ironmark.clock import now
from ironmark.store.database import Missing
from ironmark.store.models import Notice


def unread(session: Session) -> list[Notice]:
    return list(session.scalars(select(Notice).where(Notice.read_at.is_(None)).order_by(Notice.number)))


def read(session: Session, number: int) -> None:
    """Raises Missing."""
    notice = session.get(Notice, number) if 0 < number < 2**31 else None
    if notice is None:
        raise Missing("notice", str(number))
    notice.read_at = notice.read_at or now()
    session.flush()
