"""Secrets of this installation, each made when it is first needed."""

from __future__ import annotations

import secrets

from sqlalchemy.dialects.mysql import insert
from sqlalchemy.orm import Session

from ironmark.store.models import KeptKey

PROOF = "proof"  # by which a file is known to have left here, and to be as it left


def get(session: Session, name: str) -> bytes:
    session.execute(insert(KeptKey).values(name=name, value=secrets.token_bytes(32)).prefix_with("IGNORE"))
    return session.get_one(KeptKey, name).value
