"""A receiver of webhooks that stands in for a real one: proves signatures, drops repeats, and can be told to fail or stall."""

from __future__ import annotations

import datetime as dt
import hmac
import json
import time
from dataclasses import dataclass, field
from html import escape
from typing import Any

from anyio import sleep
from fastapi import FastAPI, Form, HTTPException, Request, Response
from fastapi.responses import HTMLResponse, RedirectResponse
from standardwebhooks.webhooks import Webhook

from ironmark import clock
from ironmark.demo.standin_page import page

MODES = {
    "take": "Take events", "refuse": "Refuse with 403", "fail": "Fail with 503", "stall": "Stall for a minute",
    "redirect": "Redirect elsewhere", "gone": "Say it is gone",
}  # fmt: skip
TOLERANCE = dt.timedelta(minutes=5)  # what was signed longer ago may be somebody's who listened
CODES = {"refuse": 403, "fail": 503, "gone": 410}


@dataclass
class Came:
    """times: how often it came under the same id; proven: whether its signature fits, None where no secret is known here."""

    id: str
    headers: dict[str, str]
    body: dict[str, Any]
    proven: bool | None
    times: int = 1


@dataclass
class Held:
    mode: str = "take"
    secret: str = ""
    came: dict[str, Came] = field(default_factory=dict)
    tries: int = 0


def create_standin(address: str) -> FastAPI:
    """address: at which it answers."""
    held = Held()
    app = FastAPI(openapi_url=None)

    @app.post("/events")
    async def take(request: Request) -> Response:
        held.tries += 1
        body = await request.body()
        until = time.monotonic() + 60
        while held.mode == "stall" and time.monotonic() < until:
            await sleep(0.1)
        if held.mode == "redirect":
            return RedirectResponse("/events", 307)
        if held.mode in CODES:
            return Response(status_code=CODES[held.mode])
        key = request.headers.get("webhook-id", "")
        if key in held.came:
            held.came[key].times += 1
        else:
            held.came[key] = Came(key, dict(request.headers), json.loads(body), _proven(held.secret, body, request))
        return Response(status_code=204)

    @app.get("/")
    def look() -> HTMLResponse:
        told = (
            f'Events come to <code>{escape(address)}/events</code>. <form method="post" action="/secret">'
            f'<input name="secret" size="52" placeholder="whsec_… to prove them with" value="{escape(held.secret, quote=True)}"> <button>Prove with it</button></form>'
        )
        return page("Webhook stand-in", told, MODES, held.mode, [_article(one) for one in held.came.values()][::-1])

    @app.post("/do/{mode}")
    def do(mode: str) -> RedirectResponse:
        if mode not in MODES:
            raise HTTPException(404, f"There are {', '.join(MODES)}.")
        held.mode = mode
        return RedirectResponse("/", 303)

    @app.post("/secret")
    def secret(secret: str = Form("")) -> RedirectResponse:
        held.secret = secret.strip()
        return RedirectResponse("/", 303)

    @app.get("/messages")
    def messages() -> dict[str, Any]:
        return {"tries": held.tries, "came": [vars(one) for one in held.came.values()]}

    return app


def _proven(secret: str, body: bytes, request: Request) -> bool | None:
    if not secret:
        return None
    key, signed = request.headers.get("webhook-id", ""), request.headers.get("webhook-signature", "").split()
    try:
        moment = dt.datetime.fromtimestamp(int(request.headers.get("webhook-timestamp", "")), dt.UTC)
        fits = Webhook(secret).sign(msg_id=key, timestamp=moment, data=body.decode())
    except ValueError:
        return False
    late = abs(moment.replace(tzinfo=None) - clock.now())
    return late < TOLERANCE and any(hmac.compare_digest(fits, one) for one in signed)


def _article(one: Came) -> str:
    proven = {True: "the signature fits", False: "the signature does not fit", None: "not proven"}[one.proven]
    often = "" if one.times == 1 else f", came {one.times} times"
    return f"<article><b>{escape(one.id)}</b> {proven}{often}<pre>{escape(json.dumps(one.body, indent=2, ensure_ascii=False))}</pre></article>"
