"""Whom a watch tells, and with whose eyes it is answered for each of them."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterator
from dataclasses import dataclass

from sqlalchemy.orm import Session

from ironmark.core.sending_times import Times
from ironmark.pages.context.source_registry import Sources
from ironmark.pages.model.field_types import is_zone
from ironmark.pages.model.problems import Refused
from ironmark.pages.model.watch import WatchBody
from ironmark.pages.people.openings import Person
from ironmark.pages.people.rights import eyes_of, person_of
from ironmark.store import accounts, eyes, hooks, outbox
from ironmark.store.database import Missing
from ironmark.store.eyes import Eyes
from ironmark.store.outbox import Channel
from ironmark.store.watch_models import Watch

HERE = outbox.HERE


@dataclass(frozen=True)
class Receiver:
    """whose: as messages are kept by; account: of a person; way: where messages go besides an inbox, and to which address."""

    whose: str
    sees: Eyes
    account: str | None = None
    way: tuple[Channel, str] | None = None
    zone: str = ""


def receivers_of(session: Session, sources: Sources, row: Watch, body: WatchBody) -> list[Receiver]:
    """Each once. What goes to an address or a webhook is what the one sees whose watch it is."""
    found: dict[str, Receiver] = {}
    for one in (*_people(session, sources, row, body), *_addresses(session, sources, row, body)):
        if one.whose not in body.but:
            found.setdefault(one.whose, one)
    return list(found.values())


def _people(session: Session, sources: Sources, row: Watch, body: WatchBody) -> Iterator[Receiver]:
    if HERE in body.tell and row.account is None:
        yield Receiver(HERE, eyes.ALL)
    wanted = [f"person:{row.account}" if one == HERE and row.account else one for one in body.tell]
    for account in accounts.list_all(session):
        if account.ended_at is not None:
            continue
        person = person_of(session, account)
        if person.is_among(wanted):
            way: tuple[Channel, str] | None = ("mail", account.mail) if body.by_mail else None
            zone = str(account.kept.get("zone") or "")
            yield Receiver(f"person:{account.id}", eyes_of(session, sources, person), account.id, way, zone)


def _addresses(session: Session, sources: Sources, row: Watch, body: WatchBody) -> Iterator[Receiver]:
    sees = eyes.ALL if row.account is None else eyes_of(session, sources, owner_of(session, row))
    for mail in body.mails:
        yield Receiver(f"mail:{mail}", sees, way=("mail", mail))
    known = {hook.id for hook in hooks.list_all(session)}
    for key in body.hooks:
        if key in known:
            yield Receiver(f"hook:{key}", sees, way=("webhook", key))


def owner_of(session: Session, row: Watch) -> Person:
    """Whose watch it is. Raises Missing."""
    assert row.account is not None
    return person_of(session, accounts.get(session, row.account))


def times_of(body: WatchBody, receiver: Receiver) -> Times:
    """When something is sent to a receiver, as clocks go where they are."""
    zone = receiver.zone if is_zone(receiver.zone) else body.zone
    quiet = [dt.time.fromisoformat(one) if one else None for one in (body.quiet_from, body.quiet_to)]
    at = dt.time.fromisoformat(body.at or "07:00")
    return Times(body.when, at, body.weekday, quiet[0], quiet[1], zone)


def check_receivers(session: Session, body: WatchBody, person: Person) -> None:
    """Refuse a watch that tells whom this person may not have told. Who makes nothing tells themselves alone; addresses that are
    no account's are those the owner allows."""
    mine = {HERE, f"person:{person.id}"}
    if "make" not in person.verbs and (set(body.tell) - mine or body.mails or body.hooks):
        detail = "You can be told yourself. Ask somebody who makes scorecards to tell others."
        raise Refused(403, "not-yours", "You tell yourself alone", detail, {"field": "tell"})
    known = {hook.id for hook in hooks.list_all(session)}
    for key in body.hooks:
        if key not in known:
            raise Missing("webhook", key)
    if "own" in person.verbs:
        return
    there = {account.mail for account in accounts.list_all(session)}
    allowed = hooks.allowed_addresses(session)
    for mail in body.mails:
        plain = accounts.plain_mail(mail)
        if plain not in there and plain not in allowed and f"@{plain.rpartition('@')[2]}" not in allowed:
            detail = f"An owner has not allowed mail to {mail}. Ask one of them, or choose somebody who signs in here."
            raise Refused(403, "not-allowed", "This address is not allowed", detail, {"field": "mails"})
