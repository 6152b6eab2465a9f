"""Messages and what is still to be sent of them. What gives rise to a message and the message are one transaction."""

from __future__ import annotations

import datetime as dt
import secrets
from collections.abc import Sequence
from typing import Any, Final, Literal

from sqlalchemy import delete, func, select, update
from sqlalchemy.orm import Session

from ironmark.clock import now
from ironmark.store.database import Missing
from ironmark.store.watch_models import Delivery, Message

Channel = Literal["mail", "webhook"]
WAITING: Final = "waiting"
BUNDLED: Final = "bundled"
SENT: Final = "sent"
FAILED: Final = "failed"
HERE: Final = "here"  # whose message is that of the one at home, where nobody signs in
KEPT_FOR = dt.timedelta(days=800)


def new_id() -> str:
    return f"msg-{secrets.token_hex(12)}"


def add(
    session: Session, watch: str | None, whose: str, account: str | None, title: str, body: dict[str, Any],
    at: dt.datetime | None = None, about: str = "",
) -> Message:  # fmt: skip
    """A message to somebody's inbox, or to go out. about: what it is about, where that is one thing."""
    row = Message(
        id=new_id(), watch=watch, whose=whose, account=account or None, at=at or now(), about=about[:100], title=title[:300], body=body,
        read_at=None,
    )  # fmt: skip
    session.add(row)
    session.flush()
    return row


def put_out(
    session: Session, messages: Sequence[Message], channel: Channel, to: str, due_at: dt.datetime, digest: str = ""
) -> Delivery:
    """Have messages sent by a moment."""
    row = Delivery(
        id=new_id(), messages=[one.id for one in messages], watch=messages[0].watch, channel=channel, to=to, digest=digest,
        state=WAITING, tries=0, said="", made_at=now(), due_at=due_at, sent_at=None, bundle=None,
    )  # fmt: skip
    session.add(row)
    session.flush()
    return row


def due(session: Session, moment: dt.datetime, most: int, each: int) -> list[tuple[str, Channel]]:
    """What is to be sent by now, the oldest first, at most ``each`` to one receiver: many that wait for one that does not answer
    hold up no other."""
    place = func.row_number().over(partition_by=(Delivery.channel, Delivery.to), order_by=Delivery.due_at)
    ranked = select(Delivery.id, Delivery.channel, Delivery.due_at, place.label("place")).where(
        Delivery.state == WAITING, Delivery.due_at <= moment
    )
    held = ranked.subquery()
    query = select(held.c.id, held.c.channel).where(held.c.place <= each).order_by(held.c.due_at).limit(most)
    return [(key, channel) for key, channel in session.execute(query)]


def bundle(session: Session, moment: dt.datetime) -> None:
    """What one receiver is told in a digest becomes one delivery when its time has come."""
    query = select(Delivery).where(Delivery.state == WAITING, Delivery.digest != "", Delivery.due_at <= moment)
    by: dict[tuple[str, str], list[Delivery]] = {}
    for row in session.scalars(query.order_by(Delivery.made_at).with_for_update(skip_locked=True)):
        by.setdefault((row.channel, row.to), []).append(row)
    for (channel, to), several in by.items():
        if len(several) < 2:
            continue
        made = Delivery(
            id=new_id(), messages=[one for row in several for one in row.messages], watch=None, channel=channel, to=to,
            digest="", state=WAITING, tries=0, said="", made_at=now(), due_at=moment, sent_at=None, bundle=None,
        )  # fmt: skip
        session.add(made)
        for row in several:
            row.state, row.bundle = BUNDLED, made.id
    session.flush()


def get(session: Session, key: str, *, locked: bool = False) -> Delivery:
    """Raises Missing."""
    row = session.get(Delivery, key, with_for_update=locked or None, populate_existing=locked)
    if row is None:
        raise Missing("message", key)
    return row


def messages_of(session: Session, delivery: Delivery) -> list[Message]:
    """In the order they were made; without those that are gone."""
    rows = session.scalars(select(Message).where(Message.id.in_(delivery.messages)).order_by(Message.number))
    return list(rows)


def was_sent(session: Session, key: str) -> None:
    row = get(session, key, locked=True)
    row.state, row.sent_at, row.said, row.tries = SENT, now(), "", row.tries + 1
    session.flush()


def was_not(session: Session, key: str, said: str, again_at: dt.datetime | None) -> None:
    """Have it tried again at a moment, or give it up."""
    row = get(session, key, locked=True)
    row.tries, row.said = row.tries + 1, said[:2000]
    if again_at is None:
        row.state = FAILED
    else:
        row.due_at = again_at
    session.flush()


def again(session: Session, key: str) -> Delivery:
    """Have what could not be sent be sent now, under the same id. Raises Missing."""
    row = get(session, key, locked=True)
    if row.state in (FAILED, WAITING):
        row.state, row.due_at, row.made_at = WAITING, now(), now()
        session.flush()
    return row


def unsent(session: Session, watch: str | None = None, most: int = 200) -> list[Delivery]:
    """What could not be sent so far, or for good; the newest first. watch: of that one alone."""
    query = select(Delivery).where(Delivery.state.in_((WAITING, FAILED)), Delivery.tries > 0)
    query = query if watch is None else query.where(Delivery.watch == watch)
    return list(session.scalars(query.order_by(Delivery.made_at.desc()).limit(most)))


def oldest_unsent(session: Session) -> dt.datetime | None:
    """When the oldest was made that should have been sent by now."""
    query = select(func.min(Delivery.made_at)).where(Delivery.state == WAITING, Delivery.due_at <= now())
    return session.scalar(query)


def counts(session: Session) -> tuple[int, int]:
    """How many wait to be sent, and how many were given up."""
    query = select(Delivery.state, func.count()).where(Delivery.state.in_((WAITING, FAILED))).group_by(Delivery.state)
    found = {state: int(many) for state, many in session.execute(query)}
    return found.get(WAITING, 0), found.get(FAILED, 0)


def told_about(session: Session, about: str, most: int = 1000) -> list[Message]:
    query = select(Message).where(Message.about == about).order_by(Message.number.desc())
    return list(session.scalars(query.limit(most)))


def deliveries_with(session: Session, messages: Sequence[Message]) -> dict[str, list[Delivery]]:
    """How some messages go, by their ids."""
    found: dict[str, list[Delivery]] = {}
    watches = {one.watch for one in messages if one.watch}
    wanted = {one.id for one in messages}
    before = min((one.at for one in messages), default=now())  # none is on its way before it is told
    query = select(Delivery).where(Delivery.watch.in_(watches), Delivery.made_at >= before)
    for row in session.scalars(query.order_by(Delivery.made_at)):
        for message in row.messages:
            if message in wanted:
                found.setdefault(message, []).append(row)
    return found


def told_by(session: Session, watch: str, most: int = 200) -> list[Message]:
    query = select(Message).where(Message.watch == watch).order_by(Message.at.desc(), Message.number.desc())
    return list(session.scalars(query.limit(most)))


def times_told(session: Session, watch: str, since: dt.datetime) -> tuple[int, dt.datetime | None]:
    """How many times a watch told something since a moment, to however many, and when it last did at all."""
    of_watch = Message.watch == watch
    times = session.scalar(select(func.count(Message.at.distinct())).where(of_watch, Message.at > since))
    return int(times or 0), session.scalar(select(func.max(Message.at)).where(of_watch))


# An inbox


def newest(session: Session) -> int:
    """The number of the newest message to anybody: another one once there is one more."""
    return int(session.scalar(select(func.max(Message.number))) or 0)


def inbox(session: Session, whose: Sequence[str], most: int = 100) -> list[Message]:
    query = select(Message).where(Message.whose.in_(whose)).order_by(Message.at.desc(), Message.number.desc())
    return list(session.scalars(query.limit(most)))


def unread(session: Session, whose: Sequence[str]) -> int:
    query = select(func.count()).select_from(Message).where(Message.whose.in_(whose), Message.read_at.is_(None))
    return int(session.scalar(query) or 0)


def mark_read(session: Session, whose: Sequence[str], key: str | None, *, read: bool = True) -> None:
    """One message, or all of somebody's. Raises Missing."""
    query = update(Message).where(Message.whose.in_(whose)).values(read_at=now() if read else None)
    if key is not None:
        query = query.where(Message.id == key)
    elif read:
        query = query.where(Message.read_at.is_(None))
    done: Any = session.execute(query)
    if key is not None and not done.rowcount:
        raise Missing("message", key)


def give_up_old(session: Session) -> None:
    before = now() - KEPT_FOR
    session.execute(delete(Delivery).where(Delivery.made_at < before, Delivery.state != WAITING))
    session.execute(delete(Message).where(Message.at < before))
