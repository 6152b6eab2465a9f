"""Signing in by way of another directory: OpenID Connect, the authorisation code flow with PKCE, state and nonce."""

from __future__ import annotations

import datetime as dt
import secrets
import threading
import time
from typing import Any
from urllib.parse import urlencode, urlsplit

import httpx
from authlib.oauth2.rfc6749.parameters import prepare_grant_uri, prepare_token_request
from authlib.oauth2.rfc7636 import create_s256_code_challenge
from fastapi import APIRouter, Depends, Query, Request
from fastapi.responses import RedirectResponse
from joserfc import jwt
from joserfc.errors import JoseError
from joserfc.jwk import KeySet
from sqlalchemy.orm import Session

from ironmark import clock
from ironmark.api.access import Reader, reader
from ironmark.api.seats import seat
from ironmark.api.signing import Identity, Signing
from ironmark.pages.model.problems import Refused
from ironmark.pages.people.groups import SETTING, GroupsBody, meant_by
from ironmark.store import accounts, openings, trail
from ironmark.store.people_models import Account

router = APIRouter(prefix="/api/sign-in/elsewhere", tags=["signing in"])
LASTS = dt.timedelta(minutes=10)
COOKIE, BACK = "ironmark-elsewhere", "/api/sign-in/elsewhere/back"
SCOPE = "openid profile email groups"
ALGORITHMS = ["RS256", "ES256", "PS256", "EdDSA"]
KEEPS_S, WAIT_S = 600.0, 10.0


class Provider:
    """What a directory tells of itself, asked for once in a while. It is asked at its own host alone."""

    def __init__(self, identity: Identity) -> None:
        self.identity = identity
        self._at, self._told, self._keys = 0.0, dict[str, Any](), KeySet([])
        self._lock = threading.Lock()

    def _read(self) -> None:
        with self._lock:
            fresh = time.monotonic() - self._at < KEEPS_S and bool(self._told)
        if fresh:
            return
        told = self._get(self.identity.issuer.rstrip("/") + "/.well-known/openid-configuration")
        if told.get("issuer") != self.identity.issuer:
            raise Refused(502, "identity", "The directory is another one", "It calls itself by another address.")
        keys = KeySet.import_key_set(self._get(told["jwks_uri"]))  # type: ignore[arg-type]
        with self._lock:
            self._told, self._keys, self._at = told, keys, time.monotonic()

    def _get(self, url: str) -> dict[str, Any]:
        self._require_host(url)
        try:
            answer = httpx.get(url, timeout=WAIT_S, follow_redirects=False, trust_env=False)
            answer.raise_for_status()
            found: dict[str, Any] = answer.json()
        except (httpx.HTTPError, ValueError):
            raise _away() from None
        return found

    def _require_host(self, url: str) -> None:
        if urlsplit(url)[:2] != urlsplit(self.identity.issuer)[:2]:
            raise Refused(502, "identity", "The directory sends elsewhere", "It names an address at another host.")

    def begin(self, back: str, state: str, nonce: str, verifier: str) -> str:
        """Where somebody is sent to."""
        self._read()
        address = self._told["authorization_endpoint"]
        self._require_host(address)
        return str(
            prepare_grant_uri(
                address, self.identity.client, "code", redirect_uri=back, scope=SCOPE, state=state, nonce=nonce,
                code_challenge=create_s256_code_challenge(verifier),  # type: ignore[no-untyped-call]
                code_challenge_method="S256",
            )
        )  # fmt: skip

    def finish(self, back: str, code: str, nonce: str, verifier: str) -> dict[str, Any]:
        """Who came back, as the directory tells it. Refuses what was not made for this."""
        self._read()
        self._require_host(self._told["token_endpoint"])
        try:
            read = jwt.decode(self._id_token(back, code, verifier), self._keys, algorithms=ALGORITHMS)
            claims = jwt.JWTClaimsRegistry(
                now=int(clock.now().replace(tzinfo=dt.UTC).timestamp()), leeway=60, iss={"essential": True, "value": self.identity.issuer},
                aud={"essential": True, "value": self.identity.client}, exp={"essential": True}, sub={"essential": True},
            )  # fmt: skip
            claims.validate(read.claims)
        except httpx.HTTPError:
            raise _away() from None
        except (JoseError, KeyError, ValueError, OSError) as error:
            raise _not_good(str(error)) from None
        found: dict[str, Any] = read.claims
        if not secrets.compare_digest(str(found.get("nonce", "")), nonce):
            raise _not_good("it was made for another sign-in")
        return found

    def _id_token(self, back: str, code: str, verifier: str) -> str:
        own = {} if self.identity.secret else {"client_id": self.identity.client}
        body = prepare_token_request("authorization_code", "", back, code=code, code_verifier=verifier, **own)
        answer = httpx.post(
            self._told["token_endpoint"], content=body, timeout=WAIT_S, follow_redirects=False, trust_env=False,
            headers={"Content-Type": "application/x-www-form-urlencoded", "Accept": "application/json"},
            auth=(self.identity.client, self.identity.secret) if self.identity.secret else None,
        )  # fmt: skip
        if answer.status_code != 200:
            raise ValueError(f"it answered with {answer.status_code}")
        return str(answer.json()["id_token"])


def _away() -> Refused:
    return Refused(
        502, "identity", "The directory does not answer", "Try again in a minute, or sign in with a password."
    )


def _not_good(said: str) -> Refused:
    return Refused(401, "identity", "The directory's word is not good", f"It was not taken ({said[:80]}). Begin again.")


def _provider(request: Request) -> Provider:
    found: Provider | None = request.app.state.provider
    if found is None:
        detail = "No directory is set up here. Sign in with your password."
        raise Refused(404, "no-identity", "There is no directory", detail)
    return found


def _back(request: Request) -> str:
    signing: Signing = request.app.state.signing
    return f"{'https' if signing.tls else 'http'}://{request.headers.get('host', '')}{BACK}"


@router.get("", response_class=RedirectResponse, status_code=302)
def begin(request: Request, who: Reader = Depends(reader)) -> RedirectResponse:
    """Go to the directory and sign in there."""
    provider = _provider(request)
    nonce, verifier = secrets.token_urlsafe(32), secrets.token_urlsafe(48)
    with who.write() as session:
        state = accounts.make_pass(session, "elsewhere", LASTS, None, {"nonce": nonce, "verifier": verifier})
    answer = RedirectResponse(provider.begin(_back(request), state, nonce, verifier), 302)
    signing: Signing = request.app.state.signing
    seconds = int(LASTS.total_seconds())
    answer.set_cookie(COOKIE, state, max_age=seconds, path=BACK, secure=signing.tls, httponly=True, samesite="lax")
    return answer


@router.get("/back", response_class=RedirectResponse, status_code=302)
def come_back(
    request: Request, state: str = Query("", max_length=200), code: str = Query("", max_length=4000),
    error: str = Query("", max_length=200), who: Reader = Depends(reader),
) -> RedirectResponse:  # fmt: skip
    """Where the directory sends somebody back to."""
    try:
        return _came(request, who, state, code, error)
    except Refused as refused:
        answer = RedirectResponse(f"/#/sign-in?{urlencode({'said': refused.problem.detail})}", 302)
        answer.delete_cookie(COOKIE, path=BACK)
        return answer


def _came(request: Request, who: Reader, state: str, code: str, error: str) -> RedirectResponse:
    provider = _provider(request)
    if not state or not secrets.compare_digest(request.cookies.get(COOKIE, "").encode(), state.encode()):
        raise _not_good("it was not begun in this browser")
    with who.write() as session:
        held = accounts.find_pass(session, state, "elsewhere")
        if held is None:
            raise _not_good("it is too long ago")
        body = dict(held.body)
        accounts.use_pass(session, held)
    if error or not code:
        raise _not_good(error or "no code came back")
    claims = provider.finish(_back(request), code, body["nonce"], body["verifier"])
    answer = RedirectResponse("/#/", 302)
    with who.write() as session:
        row = _account(session, provider.identity, claims)
        seat(session, row, request, answer, who)
    answer.delete_cookie(COOKIE, path=BACK)
    return answer


def _account(session: Session, identity: Identity, claims: dict[str, Any]) -> Account:
    """The account of whoever came back; made where the groups they are in say so, and kept as they say."""
    outside = f"{identity.issuer} {claims['sub']}"[:254]
    groups = [str(one) for one in claims.get("groups", ())] if isinstance(claims.get("groups"), list) else []
    table = GroupsBody.model_validate(openings.setting(session, SETTING)[1])
    role, teams = meant_by(table, groups)
    mail = accounts.plain_mail(str(claims.get("email", "")))
    row = accounts.by_outside(session, outside)
    if row is None and mail and claims.get("email_verified") is True and (known := accounts.by_mail(session, mail)):
        row = accounts.locked(session, known.id)
        accounts.put(session, row, outside=outside)
        trail.note(session, "tied", "account", row.id, row.name, who=row.name)
    if row is None:
        if role is None or not mail or accounts.by_mail(session, mail) is not None:
            detail = "You are known there, but not here: none of your groups has a role. Ask an owner."
            raise Refused(403, "no-role", "You have no role here", detail)
        row = accounts.make(session, mail=mail, name=str(claims.get("name") or mail)[:120], role=role, outside=outside)
        trail.note(session, "came", "account", row.id, row.name, who=row.name)
    row = accounts.locked(session, row.id)
    if role is not None and role != row.role and row.role != "owner":
        accounts.put(session, row, role=role)
        trail.note(session, "changed", "account", row.id, f"{row.name}, now {role}", who="the directory")
    there = {team.id for team in accounts.teams(session)}
    accounts.set_teams(session, row.id, [team for team in teams if team in there], "directory")
    return row
