"""How a message went, as it is answered."""

from __future__ import annotations

import datetime as dt
from collections.abc import Sequence
from typing import Literal

from pydantic import BaseModel
from sqlalchemy.orm import Session

from ironmark.api.timestamps import moment
from ironmark.pages.model.watch import Told
from ironmark.store import hooks, outbox
from ironmark.store.watch_models import Delivery, Message


class WayOut(BaseModel):
    """How a message went: to whom, whether it came, and when it is tried again."""

    id: str
    channel: Literal["mail", "webhook"]
    to: str
    state: Literal["waiting", "bundled", "sent", "failed"]
    tries: int
    said: str
    due_at: str
    sent_at: str | None


class SentOut(BaseModel):
    """What was told at one moment: the same to all who read the same rows. people: how many have it in their inbox."""

    at: str
    title: str
    items: list[Told]
    people: int
    ways: list[WayOut]


def way_out(one: Delivery, hooks_by: dict[str, str]) -> WayOut:
    return WayOut(
        id=one.id, channel=one.channel, to=hooks_by.get(one.to, one.to), state=one.state, tries=one.tries, said=one.said,  # type: ignore[arg-type]
        due_at=moment(one.due_at) or "", sent_at=moment(one.sent_at),
    )  # fmt: skip


def sent_out(
    several: Sequence[Message], ways: dict[str, list[Delivery]], hooks_by: dict[str, str]
) -> SentOut:  # fmt: skip
    out = [way_out(one, hooks_by) for message in several for one in ways.get(message.id, ())]
    people = sum(1 for one in several if one.account is not None or one.whose == outbox.HERE)
    first = several[0]
    return SentOut(at=moment(first.at) or "", title=first.title, items=first.body["items"], people=people, ways=out)


def sent_together(session: Session, messages: Sequence[Message]) -> list[SentOut]:
    """What was told at one moment to several as one, the newest first."""
    names, ways = hooks.names(session), outbox.deliveries_with(session, messages)
    by: dict[tuple[dt.datetime, str], list[Message]] = {}
    for message in messages:
        by.setdefault((message.at, str(message.body["items"])), []).append(message)
    return [sent_out(several, ways, names) for several in by.values()]
