"""How a message went, as it is answered."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel

from ironmark.api.timestamps import moment
from ironmark.store.watch_models import Delivery


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


def way_out(one: Delivery, hooks_by: dict[str, str]) -> WayOut:
    return WayOut(
        id=one.id, channel=one.channel, to=hooks_by.get(one.to, one.to), state=one.state, tries=one.tries, said=one.said,  # type: ignore[arg-type]
        due_at=moment(one.due_at) or "", sent_at=moment(one.sent_at),
    )  # fmt: skip
