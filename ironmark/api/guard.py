"""What stands before every route: other sites' pages are kept out, bodies to a sane size, and answers logged."""

from __future__ import annotations

import re
import secrets
import time

import structlog
from starlette.datastructures import Headers, MutableHeaders
from starlette.requests import Request
from starlette.responses import JSONResponse
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from ironmark.api import problems
from ironmark.api.signing import Signing
from ironmark.pages.model.problems import Problem
from ironmark.store import database
from ironmark.work import meters

MAX_DRAINED = 64 * 1024 * 1024
LOOPBACK = frozenset({"127.0.0.1", "localhost", "[::1]"})
POLICY = "default-src 'self'; style-src 'self'; style-src-attr 'unsafe-inline'; script-src 'self'; object-src 'none'; base-uri 'none'; form-action 'self'; img-src 'self' data: blob:; frame-ancestors 'none'"
log = structlog.get_logger()
_REQUEST = re.compile(r"[A-Za-z0-9._-]{1,40}")  # an id that somebody before us gave


class Guard:
    """Middleware that passes messages on as they come, so that it costs an answer next to nothing.

    hosts: names besides loopback's under which the server may be asked; ``*`` for any.
    """

    def __init__(self, app: ASGIApp, hosts: frozenset[str], signing: Signing) -> None:
        self.app, self.hosts, self.signing = app, LOOPBACK | hosts, signing

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        started, path = time.perf_counter(), scope["path"]
        asked = Headers(scope=scope).get("x-request-id", "")
        request = asked if _REQUEST.fullmatch(asked) else secrets.token_hex(8)
        database.request.set(request)
        structlog.contextvars.bind_contextvars(request=request)

        async def answer(message: Message) -> None:
            if message["type"] == "http.response.start":
                headers = MutableHeaders(scope=message)
                headers["X-Content-Type-Options"] = "nosniff"
                headers["X-Request-Id"] = request
                headers.setdefault("Content-Security-Policy", POLICY)
                headers.setdefault("Referrer-Policy", "same-origin")
                if self.signing.tls:
                    headers["Strict-Transport-Security"] = "max-age=31536000"
                if path.startswith("/api/"):
                    if self.signing.needed:
                        headers.add_vary_header("Cookie")
                    headers.setdefault("Cache-Control", "no-store")
                    took = round((time.perf_counter() - started) * 1000, 1)
                    route = getattr(scope.get("route"), "path_format", "other")
                    meters.REQUESTS.labels(scope["method"], route, message["status"]).observe(took / 1000)
                    log.info("request", method=scope["method"], path=path, status=message["status"], ms=took)
            await send(message)

        refused = refusal(scope, self.hosts)
        if refused is None:
            await self.app(scope, receive, answer)
            return
        if length(Headers(scope=scope)) <= MAX_DRAINED:
            # Answered before its body is read, a sender may see a broken connection instead of the answer.
            async for _ in Request(scope, receive).stream():
                pass
        await refused(scope, receive, answer)


def refusal(scope: Scope, hosts: frozenset[str]) -> JSONResponse | None:
    """The answer to a request that another site's page makes through a visitor's browser, or that is too large."""
    headers = Headers(scope=scope)
    host = headers.get("host", "")
    name = host if host.endswith("]") else host.rsplit(":", 1)[0]
    origin = headers.get("origin")
    if "*" not in hosts and name not in hosts:
        return _answer(
            421, "unknown-host", "This address is not served here", "Open the address that the start printed."
        )
    # A link's page tells nobody where its reader comes from, so that its form has no origin either; all that opens it
    # is the password that is typed.
    shared = scope["path"].startswith("/shared/")
    if origin is not None and not shared and scope["method"] not in ("GET", "HEAD") and origin.split("//")[-1] != host:
        detail = "Use Iron Mark from its own address."
        return _answer(403, "other-site", "The request came from another site", detail)
    if length(headers) > problems.most_of(scope["path"]):
        return problems.too_large(scope["path"])
    return None


def _answer(status: int, type_: str, title: str, detail: str) -> JSONResponse:
    body = Problem(type=type_, title=title, status=status, detail=detail)
    return JSONResponse(body.model_dump(), status, media_type=problems.MEDIA)


def length(headers: Headers) -> int:
    text = headers.get("content-length", "0")
    return int(text) if text.isdecimal() else 0
