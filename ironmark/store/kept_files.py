"""Files of this installation's own, by name."""

from __future__ import annotations

from sqlalchemy import select
from sqlalchemy.orm import Session

from ironmark.clock import now
from ironmark.store.models import KeptFile

SLIDES = "slides"  # the template that slides are made on


def keep(session: Session, name: str, file_name: str, body: bytes) -> None:
    row = session.get(KeptFile, name) or KeptFile(name=name)
    row.file_name, row.body, row.kept_at = file_name[:200], body, now()
    session.add(row)
    session.flush()


def named(session: Session, name: str) -> str:
    """What the file is called; "" where there is none."""
    return session.scalar(select(KeptFile.file_name).where(KeptFile.name == name)) or ""


def body(session: Session, name: str) -> bytes | None:
    return session.scalar(select(KeptFile.body).where(KeptFile.name == name))


def drop(session: Session, name: str) -> None:
    row = session.get(KeptFile, name)
    if row is not None:
        session.delete(row)
        session.flush()
