"""A small directory that stands in for a real one: OpenID Connect, with people to choose from instead of passwords."""

from __future__ import annotations

import base64
import datetime as dt
import hashlib
import secrets
from html import escape
from typing import Any
from urllib.parse import urlencode

from fastapi import FastAPI, Form, Header, HTTPException, Query
from fastapi.responses import HTMLResponse, RedirectResponse
from joserfc import jwt
from joserfc.jwk import RSAKey

from ironmark import clock

CLIENT, SECRET = "ironmark", "standin-secret"
PEOPLE: dict[str, dict[str, Any]] = {
    "wren": {"name": "Wren Alder", "email": "wren@hollin.example", "groups": ["reporting-heads"]},
    "oda": {"name": "Oda Fell", "email": "oda@hollin.example", "groups": ["reporting"]},
    "isla": {"name": "Isla Marsh", "email": "isla@hollin.example", "groups": ["skarra"]},
    "stranger": {"name": "Ama Holt", "email": "ama@elsewhere.example", "groups": []},
}


def create_standin(issuer: str) -> FastAPI:
    """issuer: the address at which it answers."""
    key = RSAKey.generate_key(2048, {"kid": secrets.token_hex(4), "alg": "RS256", "use": "sig"})
    codes: dict[str, dict[str, str]] = {}
    app = FastAPI(openapi_url=None)

    @app.get("/.well-known/openid-configuration")
    def configuration() -> dict[str, Any]:
        return {
            "issuer": issuer, "authorization_endpoint": f"{issuer}/authorize", "token_endpoint": f"{issuer}/token",
            "jwks_uri": f"{issuer}/keys", "response_types_supported": ["code"], "subject_types_supported": ["public"],
            "id_token_signing_alg_values_supported": ["RS256"], "code_challenge_methods_supported": ["S256"],
        }  # fmt: skip

    @app.get("/keys")
    def keys() -> dict[str, Any]:
        return {"keys": [key.as_dict(private=False)]}

    @app.get("/authorize")
    def authorize(
        client_id: str, redirect_uri: str, state: str, nonce: str, code_challenge: str,
        code_challenge_method: str = "", response_type: str = "", as_: str = Query("", alias="as"),
    ) -> Any:  # fmt: skip
        if client_id != CLIENT or response_type != "code" or code_challenge_method != "S256":
            raise HTTPException(400, "another client, or no code with PKCE")
        asked = {
            "client_id": client_id, "redirect_uri": redirect_uri, "state": state, "nonce": nonce,
            "code_challenge": code_challenge, "code_challenge_method": "S256", "response_type": "code",
        }  # fmt: skip
        if as_ not in PEOPLE:
            return HTMLResponse(_choices(asked))
        code = secrets.token_urlsafe(16)
        codes[code] = asked | {"as": as_}
        return RedirectResponse(f"{redirect_uri}?{urlencode({'code': code, 'state': state})}", 302)

    @app.post("/token")
    def token(
        code: str = Form(), redirect_uri: str = Form(), code_verifier: str = Form(), authorization: str = Header(""),
    ) -> dict[str, Any]:  # fmt: skip
        held = codes.pop(code, None)
        digest = base64.urlsafe_b64encode(hashlib.sha256(code_verifier.encode()).digest()).rstrip(b"=").decode()
        basic = "Basic " + base64.b64encode(f"{CLIENT}:{SECRET}".encode()).decode()
        if held is None or digest != held["code_challenge"] or redirect_uri != held["redirect_uri"]:
            raise HTTPException(400, "the code is not good")
        if authorization != basic:
            raise HTTPException(401, "another client")
        moment = int(clock.now().replace(tzinfo=dt.UTC).timestamp())
        claims = {
            "iss": issuer, "aud": CLIENT, "sub": held["as"], "iat": moment, "exp": moment + 300, "nonce": held["nonce"],
            "email_verified": True, **PEOPLE[held["as"]],
        }  # fmt: skip
        head = {"alg": "RS256", "kid": key.kid}
        return {
            "access_token": secrets.token_urlsafe(16),
            "token_type": "Bearer",
            "id_token": jwt.encode(head, claims, key),
        }

    return app


def _choices(asked: dict[str, str]) -> str:
    """The people to choose from, as a page."""
    links = "".join(
        f'<li><a href="/authorize?{escape(urlencode(asked | {"as": one}))}">{escape(found["name"])}</a></li>'
        for one, found in PEOPLE.items()
    )
    return f"<!doctype html><title>Directory</title><h1>Who are you?</h1><ul>{links}</ul>"
