"""Pictures that stand on pages, each kept once under a key made from its bytes."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from sqlalchemy import select
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.orm import Session

from ironmark.clock import now
from ironmark.store.database import Missing
from ironmark.store.models import Picture


@dataclass(frozen=True)
class StoredPicture:
    kind: str
    body: bytes


def keep(session: Session, key: str, kind: str, body: bytes) -> None:
    """Keep a picture, unless it is there already."""
    session.execute(insert(Picture).prefix_with("IGNORE").values(id=key, kind=kind, body=body, created_at=now()))


def get_many(session: Session, keys: Iterable[str]) -> dict[str, StoredPicture]:
    """The pictures with these keys, in their order; those that do not exist are left out."""
    wanted = list(dict.fromkeys(keys))
    rows = session.execute(select(Picture.id, Picture.kind, Picture.body).where(Picture.id.in_(wanted)))
    found = {row.id: StoredPicture(row.kind, row.body) for row in rows}
    return {key: found[key] for key in wanted if key in found}


def get(session: Session, key: str) -> StoredPicture:
    """Raises Missing."""
    row = session.execute(select(Picture.kind, Picture.body).where(Picture.id == key)).one_or_none()
    if row is None:
        raise Missing("picture", key)
    return StoredPicture(row.kind, row.body)
