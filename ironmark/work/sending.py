"""Sends what waits in the outbox: each by itself, so that one that stalls holds up no other."""

from __future__ import annotations

import asyncio
import datetime as dt
import secrets
import ssl
import threading
import time
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from dataclasses import dataclass
from email.message import EmailMessage
from typing import Any
from urllib.parse import quote

import aiosmtplib
import httpx
import structlog
from sqlalchemy.exc import DBAPIError
from sqlalchemy.orm import Session

from ironmark.clock import now
from ironmark.core.sending_times import next_try
from ironmark.pages.context.source_registry import Sources
from ironmark.pages.model.problems import Refused
from ironmark.pages.publishing.editions import Frozen
from ironmark.pages.watches.way_out import off_token
from ironmark.publish import exporting
from ironmark.publish.edition_about import about_of
from ironmark.publish.export_page import ExportPage
from ironmark.publish.exporting import Kind
from ironmark.publish.message_hook import event_of, headers_of
from ironmark.publish.message_mail import File, Letter, written
from ironmark.store import editions, exports, hooks, leases, outbox, sealed
from ironmark.store.database import Missing
from ironmark.store.hooks import MailServer
from ironmark.store.outbox import Channel
from ironmark.store.sealed import NoKey
from ironmark.store.watch_models import Delivery, Message
from ironmark.tables.connections import LiveProblem, Wrong
from ironmark.tables.fetching import allowed, looked_up
from ironmark.work import meters

log = structlog.get_logger()
AT_ONCE, EACH, MOST_BEGUN = 6, 2, 60  # of a channel, to one receiver, and looked for at a time
LIMIT_S = 10.0  # for a webhook, and for each step with the mail server
GIVE_UP = dt.timedelta(days=1)
DRAWN_IN = dt.timedelta(minutes=2)  # a picture that is not drawn by then is left out
WHOLE_IN = dt.timedelta(minutes=30)  # and a file that was asked for
LOOK_AGAIN = dt.timedelta(seconds=1)


class NotSent(Exception):
    """It did not go, and may go later. for_good: it never will."""

    def __init__(self, said: str, for_good: bool = False) -> None:
        super().__init__(said)
        self.for_good = for_good


class NotYet(Exception):
    """What goes along is not drawn yet."""


@dataclass(frozen=True)
class Parcel:
    """What is about to be sent, away from the database."""

    key: str
    channel: str
    letter: EmailMessage | None = None
    server: MailServer | None = None
    url: str = ""
    body: bytes = b""
    secrets: tuple[str, ...] = ()
    request: str = ""  # the id of the one whose change is told


class Sending:
    """Begins what is due; each is sent in a thread of its own, at most so many at once. Mail and webhooks have threads of their own: a
    mail server that stalls holds up no webhook."""

    def __init__(self, sources: Sources, insist: Callable[[Session], None]) -> None:
        self._sources, self._insist = sources, insist
        self._pools = {
            channel: ThreadPoolExecutor(AT_ONCE, thread_name_prefix=channel) for channel in ("mail", "webhook")
        }
        self._running: set[str] = set()
        self._lock = threading.Lock()

    def begin(self, due: Sequence[tuple[str, Channel]]) -> None:
        for key, channel in due:
            with self._lock:
                if key in self._running:
                    continue
                self._running.add(key)
            self._pools[channel].submit(self._do, key)

    def stop(self) -> None:
        for pool in self._pools.values():
            pool.shutdown(wait=False, cancel_futures=True)

    def _do(self, key: str) -> None:
        try:
            self.send(key)
        except (DBAPIError, OSError, leases.Lost, Missing):
            pass  # whoever has the lease then sends it, under the same id
        except Exception as error:
            log.error("sending", delivery=key, exc_info=error)
            with suppress(DBAPIError, OSError, leases.Lost, Missing):
                self._not_sent(key, "The fault is ours and was logged.", for_good=False)
        finally:
            with self._lock:
                self._running.discard(key)

    def send(self, key: str) -> None:
        """Send one, and note what came of it."""
        try:
            parcel = self._parcel(key)
            if parcel is None:
                return
            began = time.monotonic()
            _post(parcel, self._sources.hook_hosts) if parcel.channel == "webhook" else asyncio.run(post_mail(parcel))
            log.info(
                "sent",
                delivery=key,
                channel=parcel.channel,
                request=parcel.request,
                seconds=round(time.monotonic() - began, 3),
            )
        except NotYet:
            with self._sources.changes() as session:
                row = outbox.get(session, key, locked=True)
                row.due_at = now() + LOOK_AGAIN
                _ask_for_files(session, outbox.messages_of(session, row))
                self._insist(session)
            return
        except NotSent as error:
            self._not_sent(key, str(error), error.for_good)
            return
        with self._sources.changes() as session:
            outbox.was_sent(session, key)
            for message in outbox.messages_of(session, outbox.get(session, key)):
                if "sealed" in message.body:
                    message.body = {name: value for name, value in message.body.items() if name != "sealed"}
            self._insist(session)
        meters.SENT.labels(parcel.channel, "sent").inc()

    def _not_sent(self, key: str, said: str, for_good: bool) -> None:
        with self._sources.changes() as session:
            row = outbox.get(session, key, locked=True)
            pause = next_try(row.tries + 1, secrets.randbelow(1000) / 1000)
            over = for_good or now() + pause > row.made_at + GIVE_UP
            outbox.was_not(session, key, said, None if over else now() + pause)
            self._insist(session)
            meters.SENT.labels(row.channel, "failed").inc()
        log.warning("not sent", delivery=key, said=said, given_up=over)

    def _parcel(self, key: str) -> Parcel | None:
        with self._sources.readings() as session:
            row = outbox.get(session, key)
            if row.state != outbox.WAITING or row.due_at > now():
                return None
            messages = outbox.messages_of(session, row)
            try:
                if row.channel == "webhook":
                    return _for_hook(session, row, messages)
                return _for_mail(session, row, messages)
            except NoKey as error:
                raise NotSent(str(error)) from None


def _for_hook(session: Session, row: Delivery, messages: list[Message]) -> Parcel:
    try:
        hook = hooks.get(session, row.to)
    except Missing:
        raise NotSent("The webhook was taken away.", for_good=True) from None
    body = event_of(row.id, hooks.home(session), row.made_at, [one.body for one in messages])
    return Parcel(
        row.id, "webhook", url=hook.url, body=body, secrets=tuple(hooks.secrets_of(hook)), request=_request(messages)
    )


def _request(messages: list[Message]) -> str:
    return next((str(one.body.get("request", "")) for one in messages), "")


def _for_mail(session: Session, row: Delivery, messages: list[Message]) -> Parcel:
    server = hooks.mail_server(session)
    if server is None:
        raise NotSent("No mail server is named yet. Name one under Watches, Sending.")
    files, missing = ([], []) if len(messages) > 1 else _files(session, messages)
    one = messages[0] if len(messages) == 1 else None
    subject = one.title if one else f"{sum(len(m.body['items']) for m in messages)} things to tell"
    off = ""
    if server.home and messages and messages[0].watch is not None:
        off = f"{server.home}/api/unfollow/{quote(off_token(session, messages[0].watch, messages[0].whose))}"
    told = [_unsealed(one.body) for one in messages]
    letter = Letter(
        row.id, row.to, server.sender, server.home, subject, row.made_at, told, files, off, missing
    )  # fmt: skip
    return Parcel(row.id, "mail", letter=written(letter), server=server, request=_request(messages))


def _unsealed(body: dict[str, Any]) -> dict[str, Any]:
    """A message with the link that was kept sealed until it is sent. Raises NoKey."""
    if "sealed" not in body:
        return body
    return body | {"items": [body["items"][0] | {"link": sealed.unseal(body["sealed"])}]}


def _files(session: Session, messages: list[Message]) -> tuple[list[File], list[str]]:
    """What was drawn to go along, and the kinds of what could not be."""
    found, missing = [], []
    for message in messages:
        for held in message.body.get("files", ()):
            within = bool(held.get("within"))
            in_time = now() < message.at + (DRAWN_IN if within else WHOLE_IN)
            if "export" not in held and in_time:
                raise NotYet
            try:
                row = exports.get(session, held.get("export", ""))
            except Missing:
                missing.append(held["kind"])
                continue
            if row.state not in exports.ENDED and in_time:
                raise NotYet
            file = exports.file(session, row.id)
            if file is None:
                missing.append(held["kind"])
            else:
                found.append(File(row.name, exporting.MEDIA[held["kind"]].partition(";")[0], file, within))  # type: ignore[index]
    return found, missing


def _ask_for_files(session: Session, messages: list[Message]) -> None:
    """Have editions drawn in the forms that go along, where that was not asked for yet."""
    for message in messages:
        files = [
            held if "export" in held else held | _drawn(session, held["edition"], held["kind"])
            for held in message.body.get("files", ())
        ]
        if files != message.body.get("files", []):
            message.body = {**message.body, "files": files}


def _drawn(session: Session, edition: str, kind: Kind) -> dict[str, str]:
    """What an edition in some form goes by once it is drawn: "" where it cannot be, nothing where it is to be asked again."""
    try:
        row = editions.get(session, edition)
        frozen = Frozen.from_bytes(editions.frozen_bytes(session, edition))
        leaf = ExportPage(frozen, about_of(row, frozen))
        return {"export": exports.ask(session, *exporting.to_draw(leaf, kind, exporting.Options()))}
    except (Missing, Refused):
        return {"export": ""}
    except exports.TooMany:
        return {}


async def post_mail(parcel: Parcel) -> None:
    """Hand a letter to the mail server. Raises NotSent."""
    server, letter = parcel.server, parcel.letter
    assert server is not None and letter is not None
    try:
        async with aiosmtplib.SMTP(
            hostname=server.host, port=server.port, timeout=LIMIT_S, use_tls=server.tls == "tls",
            start_tls=server.tls == "starttls", tls_context=ssl.create_default_context() if server.tls != "no" else None,
        ) as mail:  # fmt: skip
            if server.user:
                await mail.login(server.user, server.password)
            await mail.send_message(letter)
    except aiosmtplib.SMTPRecipientsRefused as error:
        said = error.recipients[0]
        raise NotSent(f"The mail server refuses this address: {said.code} {said.message}", said.code >= 500) from None
    except aiosmtplib.SMTPAuthenticationError as error:
        raise NotSent(f"The mail server refuses the user or the password: {error.code} {error.message}") from None
    except aiosmtplib.SMTPResponseException as error:
        raise NotSent(f"The mail server answered {error.code} {error.message}", 500 <= error.code < 600) from None
    except (aiosmtplib.SMTPException, OSError, TimeoutError, ValueError) as error:
        raise NotSent(f"The mail server does not answer: {str(error)[:300] or type(error).__name__}") from None


def _post(parcel: Parcel, hosts: frozenset[str]) -> None:
    headers = headers_of(parcel.key, now(), parcel.body, parcel.secrets)
    try:
        allowed(parcel.url, hosts, "--send-to")
        with httpx.Client(timeout=LIMIT_S, follow_redirects=False, trust_env=False) as client:
            until = time.monotonic() + LIMIT_S
            with client.stream(
                "POST", parcel.url, content=parcel.body, headers=headers, extensions={"trace": looked_up}
            ) as answer:
                for _ in answer.iter_raw(4096):  # what it says is of no interest, nor is it waited for without end
                    if time.monotonic() > until:
                        break
    except Wrong as error:
        raise NotSent(str(error)) from None
    except (httpx.HTTPError, httpx.InvalidURL, LiveProblem, UnicodeError) as error:
        said = "no answer within 10 seconds" if isinstance(error, httpx.TimeoutException) else str(error)[:300]
        raise NotSent(f"webhook: {said or type(error).__name__}") from None
    code = answer.status_code
    if answer.is_redirect:
        raise NotSent(f"webhook answered {code}, a redirect, which is not followed. Name the address it leads to.")
    if code == 410:
        raise NotSent("webhook answered 410: it is gone", for_good=True)
    if not answer.is_success:
        raise NotSent(f"webhook answered {code}")
