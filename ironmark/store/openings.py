"""To whom scorecards, datasets, KPIs and folders are opened, as it is kept; what nothing is kept of is opened as usual."""

from __future__ import annotations

from typing import Any

from sqlalchemy import select
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.orm import Session

from ironmark.store import change_log
from ironmark.store.database import StaleVersion
from ironmark.store.people_models import HouseSetting, Opening


def every(session: Session) -> dict[tuple[str, str], tuple[int, dict[str, Any]]]:
    """By kind and key, with their versions."""
    return {(row.kind, row.id): (row.version, row.body) for row in session.scalars(select(Opening))}


def get(session: Session, kind: str, key: str) -> tuple[int, dict[str, Any] | None]:
    """Version 0 and None where nothing is kept."""
    row = session.get(Opening, (kind, key))
    return (row.version, row.body) if row is not None else (0, None)


def put(session: Session, kind: str, key: str, body: dict[str, Any], saw: int) -> int:
    """Raises StaleVersion."""
    made = insert(Opening).values(kind=kind, id=key, version=0, body={})
    session.execute(made.on_duplicate_key_update(version=Opening.version))
    row = session.get_one(Opening, (kind, key), with_for_update=True, populate_existing=True)
    if row.version != saw:
        raise StaleVersion(saw, row.version)
    row.body, row.version = body, row.version + 1
    session.flush()
    change_log.append(session, ("people", key))
    return row.version


def setting(session: Session, name: str) -> tuple[int, dict[str, Any]]:
    """Something that holds for the whole installation; version 0 and nothing where it was never set."""
    row = session.get(HouseSetting, name)
    return (row.version, row.body) if row is not None else (0, {})


def set_setting(session: Session, name: str, body: dict[str, Any], saw: int | None = None, tell: bool = True) -> int:
    """saw: the version it is changed from; None whichever it is. tell: whether others look anew. Raises StaleVersion."""
    made = insert(HouseSetting).values(name=name, version=0, body={})
    session.execute(made.on_duplicate_key_update(version=HouseSetting.version))
    row = session.get_one(HouseSetting, name, with_for_update=True, populate_existing=True)
    if saw is not None and row.version != saw:
        raise StaleVersion(saw, row.version)
    row.body, row.version = body, row.version + 1
    session.flush()
    if tell:
        change_log.append(session, ("people", name))
    return row.version
