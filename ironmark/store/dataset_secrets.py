"""What lets a machine put rows into a dataset, and a live source be asked: tokens and passwords."""

from __future__ import annotations

from sqlalchemy import select
from sqlalchemy import update as update_rows
from sqlalchemy.orm import Session

from ironmark.store import tokens
from ironmark.store.database import Missing
from ironmark.store.models import Dataset
from ironmark.store.sealed import seal, unseal


def new_token(session: Session, key: str) -> str:
    """A token with which a machine may put rows into this dataset, and nothing else; an earlier one no longer holds."""
    row = session.get(Dataset, key, with_for_update=True)
    if row is None:
        raise Missing("dataset", key)
    for earlier in tokens.list_all(session):
        if earlier.datasets == [key] and earlier.verbs == ["upload"]:
            tokens.end(session, earlier.id)
    made, token = tokens.make(
        session,
        name=f"Uploads into {row.name}"[:200],
        account=None,
        verbs=["upload"],
        scorecards=[],
        datasets=[key],
        ends_at=None,
    )
    row.token = made.hash
    session.flush()
    return token


def secret(session: Session, key: str) -> str:
    """The password of a live source; goes nowhere but to its server."""
    return unseal(session.scalar(select(Dataset.secret).where(Dataset.id == key)) or "")


def set_secret(session: Session, key: str, word: str) -> None:
    session.execute(update_rows(Dataset).where(Dataset.id == key).values(secret=seal(word)))
