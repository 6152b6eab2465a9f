"""How datasets are read anew by the clock, as it is kept."""

from __future__ import annotations

import datetime as dt
from typing import Any

from sqlalchemy import select, update
from sqlalchemy.orm import Session

from ironmark.store.database import Missing, StaleVersion
from ironmark.store.models import Dataset, Refresh
from ironmark.store.sealed import seal, unseal


def get(session: Session, dataset: str) -> Refresh | None:
    return session.get(Refresh, dataset)


def token_of(row: Refresh) -> str:
    """What an address is asked with. Raises NoKey."""
    return unseal(row.token)


def list_all(session: Session) -> list[Refresh]:
    return list(session.scalars(select(Refresh)))


def set_state(
    session: Session, dataset: str, saw: int, body: dict[str, Any], token: str | None, due_at: dt.datetime
) -> Refresh:
    """Keep how a dataset is read anew. saw: 0 where it was not yet. token: None keeps that there is. Raises
    StaleVersion, Missing."""
    if session.get(Dataset, dataset, with_for_update=True) is None:  # two who begin it at once come one after the other
        raise Missing("dataset", dataset)
    row = session.get(Refresh, dataset, with_for_update=True)
    if (row.version if row else 0) != saw:
        raise StaleVersion(saw, row.version if row else 0)
    if row is None:
        row = Refresh(
            dataset_id=dataset, version=0, token="", tries=0, said="", state="waiting", held=None, read_at=None
        )
        session.add(row)
    row.body, row.due_at, row.version = body, due_at, saw + 1
    if token is not None:
        row.token = seal(token)
    if row.state != "held":
        row.state, row.said, row.tries = "waiting", "", 0
    session.flush()
    return row


def locked(session: Session, dataset: str) -> Refresh:
    """Raises Missing."""
    row = session.get(Refresh, dataset, with_for_update=True)
    if row is None:
        raise Missing("refresh by the clock of", dataset)
    return row


def remove(session: Session, dataset: str, saw: int) -> None:
    """Raises Missing, StaleVersion."""
    row = locked(session, dataset)
    if row.version != saw:
        raise StaleVersion(saw, row.version)
    session.delete(row)
    session.flush()


def due(session: Session, moment: dt.datetime, most: int) -> list[str]:
    """The datasets whose time has come, the longest due first."""
    query = select(Refresh.dataset_id).where(Refresh.due_at <= moment)
    return list(session.scalars(query.order_by(Refresh.due_at).limit(most)))


def begin(session: Session, dataset: str, moment: dt.datetime) -> bool:
    """Note that it is being read, unless its time has not come: it may have been read since it was found to be due.
    Raises Missing."""
    row = locked(session, dataset)
    if row.due_at > moment:
        return False
    row.state = "running"
    session.flush()
    return True


def note(session: Session, dataset: str, **how: Any) -> None:
    session.execute(update(Refresh).where(Refresh.dataset_id == dataset).values(**how))
