"""A mail server that stands in for a real one: keeps what comes, shows it, and can be told to refuse, fail or stall."""

from __future__ import annotations

import asyncio
import email
import email.policy
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from dataclasses import dataclass, field
from email.message import EmailMessage
from html import escape
from typing import Any

from aiosmtpd.controller import Controller
from fastapi import FastAPI, HTTPException
from fastapi.responses import HTMLResponse, RedirectResponse

from ironmark.demo.standin_page import page

MODES = {"take": "Take mail", "refuse": "Refuse every address", "fail": "Fail for now", "stall": "Stall for a minute"}


@dataclass
class Kept:
    """What came: its bytes and to whom."""

    to: list[str]
    body: bytes

    @property
    def mail(self) -> EmailMessage:
        return email.message_from_bytes(self.body, policy=email.policy.default)


@dataclass
class Inbox:
    mode: str = "take"
    kept: list[Kept] = field(default_factory=list)
    ended: bool = False

    async def handle_RCPT(self, _server: Any, _session: Any, envelope: Any, address: str, _options: Any) -> str:
        if self.mode == "refuse":
            return "550 there is nobody of this name"
        if self.mode == "fail":
            return "451 try again later"
        envelope.rcpt_tos.append(address)
        return "250 OK"

    async def handle_DATA(self, _server: Any, _session: Any, envelope: Any) -> str:
        for _ in range(600):
            if self.mode != "stall" or self.ended:
                break
            await asyncio.sleep(0.1)
        self.kept.append(Kept(list(envelope.rcpt_tos), bytes(envelope.content)))
        return "250 kept"


def create_standin(smtp_port: int) -> FastAPI:
    """A page that shows the mail which comes to a port of this machine."""
    inbox = Inbox()
    controller = Controller(inbox, hostname="127.0.0.1", port=smtp_port, decode_data=False)

    @asynccontextmanager
    async def lifespan(_: FastAPI) -> AsyncIterator[None]:
        await asyncio.to_thread(controller.start)
        yield
        inbox.ended = True
        await asyncio.to_thread(controller.stop)

    app = FastAPI(openapi_url=None, lifespan=lifespan)

    @app.get("/")
    def look() -> HTMLResponse:
        told = f"Mail to port {smtp_port} of this machine is kept here, and goes nowhere."
        return page(
            "Mail stand-in", told, MODES, inbox.mode, [_article(n, one) for n, one in enumerate(inbox.kept)][::-1]
        )

    @app.post("/do/{mode}")
    def do(mode: str) -> RedirectResponse:
        if mode not in MODES:
            raise HTTPException(404, f"There are {', '.join(MODES)}.")
        inbox.mode = mode
        return RedirectResponse("/", 303)

    @app.get("/messages")
    def messages() -> list[dict[str, Any]]:
        return [_plain(one) for one in inbox.kept]

    @app.get("/messages/{number}.html")
    def html(number: int) -> HTMLResponse:
        if not 0 <= number < len(inbox.kept):
            raise HTTPException(404, "There is no such mail.")
        return HTMLResponse(_whole(inbox.kept[number].mail))

    return app


def _body(mail: EmailMessage, kind: str) -> str:
    part = mail.get_body((kind,))
    return str(part.get_content()) if part is not None else ""


def _whole(mail: EmailMessage) -> str:
    """Its HTML with what is within it."""
    html = _body(mail, "html")
    for part in mail.walk():
        cid = str(part.get("Content-ID", "")).strip("<>")
        if cid:
            data = str(part.get_payload()).replace("\n", "")
            html = html.replace(f"cid:{cid}", f"data:{part.get_content_type()};base64,{data}")
    return html


def _plain(one: Kept) -> dict[str, Any]:
    mail = one.mail
    parts = [part.get_content_type() for part in mail.walk() if not part.is_multipart()]
    return {"to": one.to, "headers": {k: str(v) for k, v in mail.items()}, "text": _body(mail, "plain"), "html": _body(mail, "html"), "parts": parts}  # fmt: skip


def _article(number: int, one: Kept) -> str:
    mail = one.mail
    lines = [f"<b>{name}</b> {escape(str(mail.get(name, '')))}" for name in ("Subject", "To", "Message-ID")]
    return f'<article>{"<br>".join(lines)}<br><iframe sandbox src="/messages/{number}.html"></iframe></article>'
