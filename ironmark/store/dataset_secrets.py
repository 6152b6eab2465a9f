"""What lets a machine put rows into a dataset, and a live source be asked: tokens and passwords."""

from __future__ import annotations

import hashlib
import secrets

from sqlalchemy import select
from sqlalchemy import update as update_rows
from sqlalchemy.orm import Session

from ironmark.store.database import Missing
from ironmark.store.models import Dataset


def new_token(session: Session, key: str) -> str:
    """A word with which a machine may put rows into this dataset; an earlier one no longer holds."""
    row = session.get(Dataset, key, with_for_update=True)
    if row is None:
        raise Missing("dataset", key)
    token = secrets.token_urlsafe(32)
    row.token = _digest(token)
    session.flush()
    return token


def is_token(session: Session, key: str, token: str) -> bool:
    held = session.scalar(select(Dataset.token).where(Dataset.id == key))
    return bool(held) and secrets.compare_digest(held or "", _digest(token))


def secret(session: Session, key: str) -> str:
    """The password of a live source; goes nowhere but to its server."""
    return session.scalar(select(Dataset.secret).where(Dataset.id == key)) or ""


def set_secret(session: Session, key: str, word: str) -> None:
    session.execute(update_rows(Dataset).where(Dataset.id == key).values(secret=word))


def _digest(token: str) -> str:
    return hashlib.sha256(token.encode()).hexdigest()
