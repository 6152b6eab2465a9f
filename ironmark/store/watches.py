"""Watches as they are kept, with what each has seen and told."""

from __future__ import annotations

import datetime as dt
import hashlib
from typing import Any

from sqlalchemy import or_, select
from sqlalchemy.orm import Session

from ironmark.clock import now
from ironmark.core.told_once import Event, How, Memory
from ironmark.store.database import Missing, StaleVersion, new_key
from ironmark.store.eyes import Eyes
from ironmark.store.watch_models import Watch, WatchMemory


def list_all(session: Session) -> list[Watch]:
    """In the order they were made."""
    return list(session.scalars(select(Watch).order_by(Watch.made_at, Watch.id)))


def get(session: Session, key: str, *, locked: bool = False) -> Watch:
    """Raises Missing."""
    row = session.get(Watch, key, with_for_update=locked or None, populate_existing=locked)
    if row is None:
        raise Missing("watch", key)
    return row


def create(session: Session, account: str | None, name: str, body: dict[str, Any], key: str = "") -> Watch:
    row = Watch(
        id=key or new_key(name), version=1, account=account or None, name=name, body=body, said="", stamp="", look_at=now(),
        made_at=now(), saved_at=now(),
    )  # fmt: skip
    session.add(row)
    session.flush()
    return row


def _locked(session: Session, key: str, saw: int) -> Watch:
    row = get(session, key, locked=True)
    if row.version != saw:
        raise StaleVersion(saw, row.version)
    return row


def save(session: Session, key: str, saw: int, name: str, body: dict[str, Any], *, forget: bool) -> Watch:
    """forget: another question is asked, so that what its history says now is no news. Raises Missing, StaleVersion."""
    row = _locked(session, key, saw)
    row.name, row.body, row.version, row.saved_at, row.said = name, body, row.version + 1, now(), ""
    row.stamp, row.look_at = "", now()
    if forget:
        for memory in session.scalars(select(WatchMemory).where(WatchMemory.watch == key)):
            session.delete(memory)
    session.flush()
    return row


def remove(session: Session, key: str, saw: int) -> None:
    """Raises Missing, StaleVersion."""
    row = _locked(session, key, saw)
    session.delete(row)
    session.flush()


def due(session: Session, stamp: str, moment: dt.datetime) -> list[str]:
    """Those that were not answered since something changed, or whose time to look again has come."""
    query = select(Watch.id).where(or_(Watch.stamp != stamp, Watch.look_at <= moment)).order_by(Watch.made_at)
    return list(session.scalars(query))


# What they remember


def memory(session: Session, watch: str, whose: str, sees: Eyes) -> Memory:
    """Nothing where whoever it is reads other rows than when it was kept: what those say is no news."""
    row = session.get(WatchMemory, (watch, whose))
    if row is None or row.body["rows"] != _rows(sees):
        return Memory()
    events: dict[Event, How] = {Event(*one[:3]): one[3] for one in row.body["events"]}
    since = {Event(*one[:3]): dt.datetime.fromisoformat(one[3]) for one in row.body["since"]}
    return Memory(frozenset(row.body["series"]), events, since, is_new=False)


def _rows(sees: Eyes) -> str:
    """What tells the rows that somebody reads from those of others."""
    if sees.read_all_rows:
        return ""
    return hashlib.blake2b(repr((sorted(sees.closed), sees.narrowed)).encode(), digest_size=12).hexdigest()


def remember(session: Session, watch: str, whose: str, held: Memory, sees: Eyes) -> None:
    body = {
        "rows": _rows(sees),
        "series": sorted(held.series),
        "events": [[one.series, one.ends, one.what, how] for one, how in sorted(held.events.items())],
        "since": [[one.series, one.ends, one.what, at.isoformat()] for one, at in sorted(held.since.items())],
    }
    row = session.get(WatchMemory, (watch, whose))
    if row is None:
        session.add(WatchMemory(watch=watch, whose=whose, body=body))
    elif row.body != body:
        row.body = body
    session.flush()
