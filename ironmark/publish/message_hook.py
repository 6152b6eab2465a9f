"""A message as a webhook has it: a CloudEvents 1.0 event in structured JSON, signed as the Standard Webhooks specification says."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping, Sequence
from typing import Any

from cloudevents.core.bindings.http import to_structured
from cloudevents.core.formats.json import JSONFormat
from cloudevents.core.v1.event import CloudEvent
from standardwebhooks.webhooks import Webhook

TYPE = "ironmark.watch.told"


def event_of(key: str, home: str, at: dt.datetime, told: Sequence[Mapping[str, Any]]) -> bytes:
    """The same bytes however often it is tried. at: when it was made, UTC."""
    names = list(dict.fromkeys(message["watch"] for message in told))
    attributes = {
        "id": key, "source": home or "urn:ironmark", "type": TYPE, "subject": ", ".join(names)[:200] or "watch",
        "time": at.replace(tzinfo=dt.UTC), "datacontenttype": "application/json",
    }  # fmt: skip
    items = [_plain(message["watch"], item, home) for message in told for item in message["items"]]
    sent = to_structured(CloudEvent(attributes, {"messages": items}), JSONFormat())
    return sent.body if isinstance(sent.body, bytes) else str(sent.body).encode()


def _plain(watch: str, item: Mapping[str, Any], home: str) -> dict[str, Any]:
    return {
        "watch": watch, "kind": item["kind"] or "news", "kpi": item["kpi"], "member": item["who"], "period": item["period"],
        "value": item["shown"], "against": item["against"], "since": item["since"], "why": item["why"],
        "signal": item["signal"], "note": item["note"],
        "before": item["before"]["name"] if item["before"] else None, "state": item["state"]["name"] if item["state"] else None,
        "link": f"{home}/{item['link']}" if home and item["link"] else item["link"],
    }  # fmt: skip


def headers_of(key: str, at: dt.datetime, body: bytes, secrets: Sequence[str]) -> dict[str, str]:
    """at: when it is sent, UTC. secrets: those that are good now, each signs."""
    moment = at.replace(tzinfo=dt.UTC)
    signed = [Webhook(secret).sign(msg_id=key, timestamp=moment, data=body.decode()) for secret in secrets]
    return {
        "content-type": "application/cloudevents+json; charset=utf-8", "webhook-id": key,
        "webhook-timestamp": str(int(moment.timestamp())), "webhook-signature": " ".join(signed),
    }  # fmt: skip
