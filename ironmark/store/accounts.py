"""Accounts, the browsers they are signed in from, links that are good once, and tries that go slower."""

from __future__ import annotations

import datetime as dt
import hashlib
import secrets
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Literal, cast

from sqlalchemy import delete, func, select, update
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.orm import Session

from ironmark.clock import now
from ironmark.store import change_log
from ironmark.store.database import Missing, StaleVersion, new_key
from ironmark.store.people_models import Account, Attempt, Pass, Sitting, Team, TeamMember

Role = Literal["reader", "keeper", "analyst", "owner"]
IDLE, LONGEST = dt.timedelta(hours=12), dt.timedelta(days=30)  # after which a session has ended
NOTED = dt.timedelta(minutes=1)  # that a session was used is written down so often
FREE_TRIES, MOST_WAIT_S, FORGOTTEN = 5, 900, dt.timedelta(days=1)
FREE_TRIES_OF_AN_ADDRESS = 30  # many people may share one
PassKind = Literal["owner", "invited", "password", "second", "elsewhere"]


def digest(token: str) -> str:
    return hashlib.sha256(token.encode()).hexdigest()


def plain_mail(mail: str) -> str:
    return mail.strip().casefold()


@dataclass(frozen=True)
class Who:
    """Somebody who is signed in. stale: that they were here has to be written down again."""

    id: str
    name: str
    role: Role
    mail: str
    sitting: str = ""
    stale: bool = False


# Accounts


def make(
    session: Session, *, mail: str, name: str, role: Role, password: str = "", outside: str | None = None
) -> Account:
    row = Account(
        id=new_key(name), version=1, mail=plain_mail(mail), name=name, role=role, password=password, second="", second_at=0,
        recovery=[], kept={}, outside=outside, made_at=now(), seen_at=None, ended_at=None,
    )  # fmt: skip
    session.add(row)
    session.flush()
    _changed(session, row.id)
    return row


def list_all(session: Session) -> list[Account]:
    """Those that have not ended, by name."""
    return list(session.scalars(select(Account).where(Account.ended_at.is_(None)).order_by(Account.name, Account.id)))


def names(session: Session) -> dict[str, str]:
    """What people are called, by key."""
    return {row.id: row.name for row in list_all(session)}


def any_owner(session: Session) -> bool:
    query = select(Account.id).where(Account.role == "owner", Account.ended_at.is_(None)).limit(1)
    return session.scalar(query) is not None


def get(session: Session, key: str) -> Account:
    """Raises Missing."""
    row = session.get(Account, key)
    if row is None or row.ended_at is not None:
        raise Missing("account", key)
    return row


def by_mail(session: Session, mail: str) -> Account | None:
    return session.scalar(select(Account).where(Account.mail == plain_mail(mail), Account.ended_at.is_(None)))


def by_outside(session: Session, outside: str) -> Account | None:
    return session.scalar(select(Account).where(Account.outside == outside, Account.ended_at.is_(None)))


def locked(session: Session, key: str, saw: int | None = None) -> Account:
    """Raises Missing, StaleVersion."""
    row = session.get(Account, key, with_for_update=True, populate_existing=True)
    if row is None or row.ended_at is not None:
        raise Missing("account", key)
    if saw is not None and row.version != saw:
        raise StaleVersion(saw, row.version)
    return row


def put(session: Session, row: Account, **slots: object) -> None:
    """Change what is kept of a locked account."""
    for name, value in slots.items():
        setattr(row, name, value)
    row.version += 1
    session.flush()
    _changed(session, row.id)


def end(session: Session, row: Account) -> None:
    """Somebody is here no more. Their name stays with what they did; their address is free again."""
    put(session, row, ended_at=now(), mail=f"{row.id} (ended)", outside=None, password="", second="", recovery=[])
    session.execute(delete(Sitting).where(Sitting.account == row.id))
    session.execute(delete(TeamMember).where(TeamMember.account == row.id))


def keep(session: Session, key: str, name: str, value: Any) -> dict[str, Any]:
    """Keep something that somebody left as they last saw it. It is no change that anybody else is told of."""
    row = locked(session, key)
    row.kept = {**row.kept, name: value} if value is not None else {k: v for k, v in row.kept.items() if k != name}
    session.flush()
    return row.kept


def _changed(session: Session, key: str) -> None:
    change_log.append(session, ("people", key))


# Sessions


def sit_down(session: Session, account: str, address: str, browser: str) -> str:
    """Sign in from a browser; returns the token that it holds from now on."""
    token = secrets.token_urlsafe(32)
    moment = now()
    session.add(
        Sitting(
            id=digest(token), account=account, made_at=moment, used_at=moment, ends_at=moment + LONGEST, address=address[:64],
            browser=browser[:200],
        )
    )  # fmt: skip
    session.execute(update(Account).where(Account.id == account).values(seen_at=moment))
    session.execute(delete(Sitting).where((Sitting.ends_at < moment) | (Sitting.used_at < moment - IDLE)))
    session.flush()
    return token


_WHO = select(Account.id, Account.name, Account.role, Account.mail, Sitting.id, Sitting.used_at, Sitting.ends_at).join(
    Sitting, Sitting.account == Account.id
)


def sitting(session: Session, token: str) -> Who | None:
    """Who holds a token; None where it never was one, or its session has ended."""
    moment = now()
    query = _WHO.where(Sitting.id == digest(token), Account.ended_at.is_(None))
    found = session.execute(query).one_or_none()
    if found is None or found.ends_at < moment or found.used_at < moment - IDLE:
        return None
    return Who(found[0], found[1], cast(Role, found[2]), found[3], found[4], moment - found.used_at > NOTED)


def still_here(session: Session, sitting: str) -> None:
    session.execute(update(Sitting).where(Sitting.id == sitting).values(used_at=now()))


def sittings(session: Session, account: str) -> list[Sitting]:
    """From where somebody is signed in, the last used first."""
    query = select(Sitting).where(Sitting.account == account, Sitting.used_at > now() - IDLE)
    return list(session.scalars(query.order_by(Sitting.used_at.desc())))


def stand_up(session: Session, account: str, sitting: str | None = None, but: str | None = None) -> None:
    """End one session of an account, or all of them, or all ``but`` one."""
    query = delete(Sitting).where(Sitting.account == account)
    if sitting is not None:
        query = query.where(Sitting.id == sitting)
    if but is not None:
        query = query.where(Sitting.id != but)
    session.execute(query)


# Links that are good once


def make_pass(
    session: Session,
    kind: PassKind,
    lasts: dt.timedelta,
    account: str | None = None,
    body: Mapping[str, Any] | None = None,
) -> str:
    """A link that is good once; earlier ones of its kind for the same account are no longer."""
    session.execute(delete(Pass).where(Pass.ends_at < now()))
    if kind in ("owner", "password"):
        session.execute(delete(Pass).where(Pass.kind == kind, Pass.account == account))
    token = secrets.token_urlsafe(32)
    session.add(Pass(id=digest(token), kind=kind, account=account, body=dict(body or {}), ends_at=now() + lasts))
    session.flush()
    return token


def find_pass(session: Session, token: str, *kinds: PassKind) -> Pass | None:
    row = session.get(Pass, digest(token), with_for_update=True)
    return row if row is not None and row.kind in kinds and row.ends_at >= now() else None


def use_pass(session: Session, row: Pass) -> None:
    session.delete(row)
    session.flush()


def invited(session: Session) -> list[Pass]:
    """Those who were asked in and have not come yet."""
    query = select(Pass).where(Pass.kind == "invited", Pass.ends_at >= now()).order_by(Pass.ends_at.desc())
    return list(session.scalars(query))


# Tries


def may_try(session: Session, who: Sequence[tuple[str, int]]) -> int:
    """Whether a password may be tried now: 0, or how many seconds later. who: by what it is counted, each with how many are
    free. A try counts as failed until it is told to be right, so that many at once are no more than that many."""
    session.execute(delete(Attempt).where(Attempt.tried_at < now() - FORGOTTEN))
    wait = 0
    rows = []
    for name, free in sorted(who):
        made = insert(Attempt).values(who=digest(name), failures=0, wait_until=None, tried_at=now())
        session.execute(made.on_duplicate_key_update(tried_at=Attempt.tried_at))
        row = session.get_one(Attempt, digest(name), with_for_update=True, populate_existing=True)
        if row.wait_until is not None and row.wait_until > now():
            wait = max(wait, int((row.wait_until - now()).total_seconds()) + 1)
        rows.append((row, free))
    if wait:
        return wait
    for row, free in rows:
        row.failures, row.tried_at = row.failures + 1, now()
        if row.failures >= free:
            row.wait_until = now() + dt.timedelta(seconds=min(MOST_WAIT_S, 2 ** (row.failures - free + 1)))
    session.flush()
    return 0


def was_right(session: Session, who: Sequence[tuple[str, int]]) -> None:
    """The account's tries are forgotten; of an address, which others may share, only this one."""
    for place, (name, _) in enumerate(who):
        if place == 0:
            session.execute(delete(Attempt).where(Attempt.who == digest(name)))
        else:
            fewer = update(Attempt).where(Attempt.who == digest(name))
            session.execute(fewer.values(failures=func.greatest(Attempt.failures - 1, 0), wait_until=None))


# Teams


def teams(session: Session) -> list[Team]:
    return list(session.scalars(select(Team).order_by(Team.name, Team.id)))


def team_names(session: Session) -> dict[str, str]:
    return {team.id: team.name for team in teams(session)}


def members(session: Session) -> dict[str, list[str]]:
    """The accounts of each team, by its key."""
    found: dict[str, list[str]] = {team.id: [] for team in teams(session)}
    for team, account in session.execute(select(TeamMember.team, TeamMember.account).order_by(TeamMember.account)):
        found[team].append(account)
    return found


def teams_of(session: Session, account: str) -> frozenset[str]:
    return frozenset(session.scalars(select(TeamMember.team).where(TeamMember.account == account)))


def make_team(session: Session, name: str) -> Team:
    row = Team(id=new_key(name), version=1, name=name, made_at=now())
    session.add(row)
    session.flush()
    _changed(session, row.id)
    return row


def change_team(session: Session, key: str, saw: int, name: str, accounts: Sequence[str]) -> Team:
    """Raises Missing, StaleVersion."""
    row = session.get(Team, key, with_for_update=True)
    if row is None:
        raise Missing("team", key)
    if row.version != saw:
        raise StaleVersion(saw, row.version)
    row.name, row.version = name, row.version + 1
    put_in_team(session, key, accounts, "")
    session.flush()
    _changed(session, key)
    return row


def put_in_team(session: Session, team: str, accounts: Sequence[str], by: str) -> None:
    """Have a team be of these; who is in it by a directory stays where a hand does not name them."""
    held = {row.account: row for row in session.scalars(select(TeamMember).where(TeamMember.team == team))}
    for account in accounts:
        if account not in held:
            get(session, account)
            session.add(TeamMember(team=team, account=account, by=by))
    for account, row in held.items():
        if account not in accounts and row.by == by:
            session.delete(row)
    session.flush()


def set_teams(session: Session, account: str, wanted: Sequence[str], by: str) -> None:
    """Have somebody be in the teams that a directory says, besides those they were put in by hand."""
    held = {row.team: row for row in session.scalars(select(TeamMember).where(TeamMember.account == account))}
    for team, row in held.items():
        if row.by == by and team not in wanted:
            session.delete(row)
    for team in wanted:
        if team not in held:
            session.add(TeamMember(team=team, account=account, by=by))
    session.flush()
    _changed(session, account)


def drop_team(session: Session, key: str, saw: int) -> None:
    row = session.get(Team, key, with_for_update=True)
    if row is None:
        raise Missing("team", key)
    if row.version != saw:
        raise StaleVersion(saw, row.version)
    session.delete(row)
    session.flush()
    _changed(session, key)
