"""Who does what only one process may do: whoever holds the lease, by the database's own clock."""

from __future__ import annotations

from sqlalchemy import text
from sqlalchemy.orm import Session

_TAKE = text(
    "INSERT INTO leases (name, holder, until) VALUES (:name, :holder, UTC_TIMESTAMP(6) + INTERVAL :seconds SECOND) "
    "ON DUPLICATE KEY UPDATE "
    # In this order: each column is set with what those before it have become.
    "until = IF(holder = :holder OR until <= UTC_TIMESTAMP(6), VALUES(until), until), "
    "holder = IF(until = VALUES(until), :holder, holder)"
)
_HELD = text("SELECT holder = :holder AND until > UTC_TIMESTAMP(6) FROM leases WHERE name = :name FOR UPDATE")


WORK = "work"  # of the one process that works without a request


class Lost(Exception):
    """Another process has the lease by now."""


def acquire_or_renew(session: Session, name: str, holder: str, seconds: int) -> bool:
    """Take a lease that nobody holds, or keep it for longer. Returns whether ``holder`` has it."""
    session.execute(_TAKE, {"name": name, "holder": holder, "seconds": seconds})
    return is_held(session, name, holder)


def is_held(session: Session, name: str, holder: str) -> bool:
    """Whether ``holder`` has it, until this transaction ends."""
    return bool(session.scalar(_HELD, {"name": name, "holder": holder}))


def require_held(session: Session, name: str, holder: str) -> None:
    """Make sure that ``holder`` still has it when this transaction is committed. Raises Lost."""
    if not is_held(session, name, holder):
        raise Lost


def anyone(session: Session) -> bool:
    """Whether some process works on the database now."""
    return bool(session.scalar(text("SELECT COUNT(*) FROM leases WHERE until > UTC_TIMESTAMP(6)")))


def give_up(session: Session, name: str, holder: str) -> None:
    session.execute(
        text("UPDATE leases SET until = UTC_TIMESTAMP(6) WHERE name = :name AND holder = :holder"),
        {"name": name, "holder": holder},
    )
