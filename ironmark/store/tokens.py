"""With what machines ask: told once, kept as a hash, narrowed and ending."""

from __future__ import annotations

import datetime as dt
import secrets
from collections.abc import Sequence
from dataclasses import dataclass

from sqlalchemy import select, update
from sqlalchemy.orm import Session

from ironmark.clock import now
from ironmark.store import change_log
from ironmark.store.accounts import digest
from ironmark.store.database import Missing, author, new_key
from ironmark.store.people_models import Account, MachineToken

SIGN = "im_"  # so that one that was left in a file is found and known for what it is
NOTED = dt.timedelta(minutes=1)


@dataclass(frozen=True)
class Machine:
    """A token that asks, and for whom. verbs, scorecards, datasets: what it may; none for all that its account may."""

    id: str
    name: str
    account: str | None
    verbs: tuple[str, ...]
    scorecards: tuple[str, ...]
    datasets: tuple[str, ...]
    stale: bool


def make(
    session: Session, *, name: str, account: str | None, verbs: Sequence[str], scorecards: Sequence[str],
    datasets: Sequence[str], ends_at: dt.datetime | None,
) -> tuple[MachineToken, str]:  # fmt: skip
    """A new one with its word, which is told this once."""
    word = SIGN + secrets.token_urlsafe(32)
    row = MachineToken(
        id=new_key(name), hash=digest(word), name=name, account=account, verbs=list(verbs), scorecards=list(scorecards),
        datasets=list(datasets), made_at=now(), made_by=author.get(), ends_at=ends_at, used_at=None, ended_at=None,
    )  # fmt: skip
    session.add(row)
    session.flush()
    change_log.append(session, ("people", row.id))
    return row, word


def list_all(session: Session, account: str | None = None) -> list[MachineToken]:
    """Those that were not taken back, the newest first; of an account or of all."""
    query = select(MachineToken).where(MachineToken.ended_at.is_(None)).order_by(MachineToken.made_at.desc())
    return list(session.scalars(query if account is None else query.where(MachineToken.account == account)))


def get(session: Session, key: str) -> MachineToken:
    """Raises Missing."""
    row = session.get(MachineToken, key)
    if row is None or row.ended_at is not None:
        raise Missing("token", key)
    return row


def end(session: Session, key: str) -> MachineToken:
    row = get(session, key)
    row.ended_at = now()
    session.flush()
    change_log.append(session, ("people", key))
    return row


def machine(session: Session, word: str) -> Machine | None:
    """Which machine a word is of; None where it never was one, has ended or was taken back, or its account has."""
    row = session.scalar(select(MachineToken).where(MachineToken.hash == digest(word)))
    if row is None or row.ended_at is not None or (row.ends_at is not None and row.ends_at < now()):
        return None
    if row.account is not None:
        account = session.get(Account, row.account)
        if account is None or account.ended_at is not None:
            return None
    stale = row.used_at is None or now() - row.used_at > NOTED
    return Machine(row.id, row.name, row.account, tuple(row.verbs), tuple(row.scorecards), tuple(row.datasets), stale)


def still_used(session: Session, key: str) -> None:
    session.execute(update(MachineToken).where(MachineToken.id == key).values(used_at=now()))
