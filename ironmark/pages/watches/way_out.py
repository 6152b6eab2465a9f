"""A way out of a watch's mail in one press, without signing in: a token that can be made here alone."""

from __future__ import annotations

import base64
import hashlib
import hmac

from sqlalchemy.orm import Session

from ironmark.pages.model.watch import WatchBody
from ironmark.store import keys, watches
from ironmark.store.database import Missing

OFF = "unfollow"


def off_token(session: Session, watch: str, whose: str) -> str:
    body = base64.urlsafe_b64encode(f"{watch}\n{whose}".encode()).decode().rstrip("=")
    return f"{body}.{_signed(session, body)}"


def _signed(session: Session, body: str) -> str:
    return hmac.new(keys.get(session, OFF), body.encode(), hashlib.sha256).hexdigest()[:32]


def read_token(session: Session, token: str) -> tuple[str, str]:
    """The watch and whose mail it is. Raises Missing."""
    body, _, sign = token.partition(".")
    if not sign or not hmac.compare_digest(sign, _signed(session, body)):
        raise Missing("way out", token[:20])
    text = base64.urlsafe_b64decode(body + "=" * (-len(body) % 4)).decode()
    watch, _, whose = text.partition("\n")
    return watch, whose


def leave(session: Session, token: str, *, back: bool = False) -> str:
    """Tell somebody no more of a watch, or again. Returns what the watch is called. Raises Missing."""
    key, whose = read_token(session, token)
    row = watches.get(session, key, locked=True)
    body = WatchBody.model_validate(row.body)
    but = [one for one in body.but if one != whose] + ([] if back else [whose])
    row.body = body.model_copy(update={"but": but}).model_dump()
    row.version += 1
    session.flush()
    return row.name
