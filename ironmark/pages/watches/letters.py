"""What people are told about their accounts: by mail where a mail server is named, and in their inbox."""

from __future__ import annotations

import datetime as dt
from dataclasses import asdict
from typing import Any

from sqlalchemy.orm import Session

from ironmark.clock import now
from ironmark.pages.model.watch import Told
from ironmark.store import accounts, hooks, outbox, sealed
from ironmark.store.people_models import Account

FORGOTTEN = dt.timedelta(hours=1)  # how long a link for a new password is good
PASSWORD_CHANGED = ("A new password", "Your password was changed. If it was not you, ask an owner for a link at once")
ONCE_A_DAY = dt.timedelta(days=1)
NEW_PASSWORD = (
    "Somebody asked for a new password for you. The link is good once, and for an hour; leave it if it was not you"
)


def send_link(session: Session, mail: str, title: str, said: str, path: str) -> bool:
    """Have a link that is good once sent to an address. It is kept sealed, and only until it is sent. path: within this
    installation, as ``#/…``. Returns whether mail is sent at all."""
    if hooks.mail_server(session) is None or not hooks.home(session):
        return False
    body = _body(Told("", "", title, said)) | {"sealed": sealed.seal(path)}
    message = outbox.add(session, None, f"mail:{mail}", None, title, body)
    outbox.put_out(session, [message], "mail", mail, now())
    return True


def tell_account(session: Session, row: Account, title: str, said: str) -> None:
    """Tell somebody something about their account."""
    message = outbox.add(
        session, None, f"person:{row.id}", row.id, title, _body(Told("", "", title, said, link="#/me"))
    )
    if hooks.mail_server(session) is not None:
        outbox.put_out(session, [message], "mail", row.mail, now())


def tell_owners(session: Session, title: str, said: str, about: str) -> None:
    """Tell all owners in their inbox, of the same thing once a day."""
    earlier = outbox.told_about(session, about[:100], most=1)
    if earlier and earlier[0].at > now() - ONCE_A_DAY:
        return
    for row in accounts.list_all(session):
        if row.role == "owner" and row.ended_at is None:
            told = Told("", "", title, said, link="#/done")
            outbox.add(session, None, f"person:{row.id}", row.id, title, _body(told), about=about)


def _body(told: Told) -> dict[str, Any]:
    return {"watch": "", "items": [asdict(told)], "files": []}
