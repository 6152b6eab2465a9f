"""Where messages are sent to: webhooks with their secrets, the mail server, and which addresses are allowed."""

from __future__ import annotations

import base64
import datetime as dt
import secrets
from dataclasses import dataclass
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from ironmark.clock import now
from ironmark.store import openings, sealed
from ironmark.store.database import Missing, StaleVersion, new_key
from ironmark.store.watch_models import Hook

BOTH_GOOD_FOR = dt.timedelta(days=1)  # after a new secret was made, what is sent is signed with the older one too
SENDING = "sending"  # the setting


@dataclass(frozen=True)
class MailServer:
    """tls: "no", "starttls" or "tls". sender: the address mail comes from; home: the address of this installation in links."""

    host: str
    port: int
    tls: str
    user: str
    password: str
    sender: str
    home: str


def new_secret() -> str:
    """As the Standard Webhooks specification has it: whsec_ and 24 to 64 random bytes in base64."""
    return "whsec_" + base64.b64encode(secrets.token_bytes(32)).decode()


def list_all(session: Session) -> list[Hook]:
    return list(session.scalars(select(Hook).order_by(Hook.made_at, Hook.id)))


def names(session: Session) -> dict[str, str]:
    """What webhooks are called, by key."""
    return {row.id: row.name for row in list_all(session)}


def get(session: Session, key: str, *, locked: bool = False) -> Hook:
    """Raises Missing."""
    row = session.get(Hook, key, with_for_update=locked or None, populate_existing=locked)
    if row is None:
        raise Missing("webhook", key)
    return row


def create(session: Session, name: str, url: str) -> tuple[Hook, str]:
    """With its secret, which is told this once."""
    secret = new_secret()
    row = Hook(
        id=new_key(name), version=1, name=name, url=url, secret=sealed.seal(secret), older="", older_until=None, made_at=now()
    )  # fmt: skip
    session.add(row)
    session.flush()
    return row, secret


def change(session: Session, key: str, saw: int, name: str, url: str) -> Hook:
    row = _locked(session, key, saw)
    row.name, row.url, row.version = name, url, row.version + 1
    session.flush()
    return row


def renew(session: Session, key: str, saw: int) -> tuple[Hook, str]:
    """A new secret; the one before it stays good for a while."""
    row, secret = _locked(session, key, saw), new_secret()
    row.older, row.older_until, row.secret = row.secret, now() + BOTH_GOOD_FOR, sealed.seal(secret)
    row.version += 1
    session.flush()
    return row, secret


def remove(session: Session, key: str, saw: int) -> None:
    session.delete(_locked(session, key, saw))
    session.flush()


def _locked(session: Session, key: str, saw: int) -> Hook:
    row = get(session, key, locked=True)
    if row.version != saw:
        raise StaleVersion(saw, row.version)
    return row


def secrets_of(row: Hook) -> list[str]:
    """Those that are good now, the newest first. Raises NoKey."""
    found = [sealed.unseal(row.secret)]
    if row.older and row.older_until is not None and row.older_until > now():
        found.append(sealed.unseal(row.older))
    return found


def sending(session: Session) -> tuple[int, dict[str, Any]]:
    """The version and the setting as it is kept, the password sealed."""
    return openings.setting(session, SENDING)


def set_sending(session: Session, body: dict[str, Any], saw: int) -> int:
    """Raises StaleVersion."""
    return openings.set_setting(session, SENDING, body, saw, tell=False)


def mail_server(session: Session) -> MailServer | None:
    """None where nobody has said which. Raises NoKey."""
    _, body = sending(session)
    if not body.get("host"):
        return None
    return MailServer(
        body["host"], int(body["port"]), body["tls"], body.get("user", ""), sealed.unseal(body.get("password", "")),
        body["sender"], home(session),
    )  # fmt: skip


def home(session: Session) -> str:
    return str(sending(session)[1].get("home", "")).rstrip("/")


def allowed_addresses(session: Session) -> frozenset[str]:
    """Addresses, and domains as @example.org, that makers of watches may have mail sent to."""
    return frozenset(str(one).casefold() for one in sending(session)[1].get("allowed", []))
