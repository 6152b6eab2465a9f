"""Signing in and out: by password, with a second factor, and by links that are good once."""

from __future__ import annotations

import datetime as dt
from typing import Annotated, Literal

from fastapi import APIRouter, Depends, Path, Request, Response
from pydantic import BaseModel, Field, StringConstraints
from sqlalchemy.orm import Session

from ironmark.api.access import Reader, reader
from ironmark.api.seats import refuse_too_soon, seat
from ironmark.api.signing import Signing
from ironmark.pages.model.field_types import Mail, Model, Name, Password
from ironmark.pages.model.problems import Refused
from ironmark.pages.people import passwords
from ironmark.pages.watches.letters import FORGOTTEN, NEW_PASSWORD, PASSWORD_CHANGED, send_link, tell_account
from ironmark.store import accounts, hooks, sealed, trail
from ironmark.store.accounts import FREE_TRIES, FREE_TRIES_OF_AN_ADDRESS
from ironmark.store.people_models import Account, Pass

router = APIRouter(prefix="/api", tags=["signing in"])
Token = Annotated[str, Path(max_length=100)]
SECOND_STEP = dt.timedelta(minutes=5)


class SignIn(Model):
    mail: Annotated[str, StringConstraints(strip_whitespace=True, max_length=254)]
    password: Password


class Second(Model):
    """step: what the first step was answered with. code: of the authenticator, or a recovery code."""

    step: str = Field(max_length=100)
    code: str = Field(max_length=40)


class SignedIn(BaseModel):
    """step: set where a code is asked for besides, to be sent with it."""

    step: str = ""


class PassOut(BaseModel):
    """What a link is for: owner, the first one; invited, who is asked in; password, a new one."""

    kind: Literal["owner", "invited", "password"]
    mail: str
    name: str


class PassUse(Model):
    """mail: of the first owner; all others are known by the link."""

    password: Password
    name: Name | None = None
    mail: Mail | None = None


class Forgotten(Model):
    mail: Mail


def _places(mail: str, who: Reader) -> list[tuple[str, int]]:
    """By what tries are counted, the account first."""
    return [(f"mail {accounts.plain_mail(mail)}", FREE_TRIES), (f"address {who.address}", FREE_TRIES_OF_AN_ADDRESS)]


def _wrong(who: Reader, said: str) -> Refused:
    with who.write() as session:
        trail.note(session, "failed", "sign-in", "", said, who=said)
    detail = "The address and the password do not fit together. Both are told apart by nothing: check both."
    return Refused(401, "wrong-password", "They do not fit", detail)


@router.post("/sign-in")
def sign_in(body: SignIn, request: Request, response: Response, who: Reader = Depends(reader)) -> SignedIn:
    """By mail address and password. Where the account has a second factor, its code is asked for next."""
    places = _places(body.mail, who)
    refuse_too_soon(who, places)
    with who.read() as session:
        row = accounts.by_mail(session, body.mail)
        kept = row.password if row is not None else ""
    if not passwords.fits(kept, body.password) or row is None:
        raise _wrong(who, accounts.plain_mail(body.mail))
    with who.write() as session:
        accounts.was_right(session, places)
        row = accounts.locked(session, row.id)
        if passwords.is_old(row.password):
            row.password = passwords.hashed(body.password)
        if row.second:
            return SignedIn(step=accounts.make_pass(session, "second", SECOND_STEP, row.id))
        seat(session, row, request, response, who)
    return SignedIn()


@router.post("/sign-in/second")
def second_step(body: Second, request: Request, response: Response, who: Reader = Depends(reader)) -> SignedIn:
    """The code of an authenticator, or a recovery code, each taken once."""
    with who.read() as session:
        held = accounts.find_pass(session, body.step, "second")
        account = held.account if held else None
    if account is None:
        raise Refused(401, "sign-in", "Sign in once more", "The first step is too long ago. Begin again.")
    places = [(f"code {account}", FREE_TRIES), (f"address {who.address}", FREE_TRIES_OF_AN_ADDRESS)]
    refuse_too_soon(who, places)
    with who.write() as session:
        row = accounts.locked(session, account)
        step = passwords.step_of(sealed.unseal(row.second), body.code, row.second_at)
        left = passwords.used_code(row, body.code) if step is None else None
        fits = step is not None or left is not None
        if fits:
            held = accounts.find_pass(session, body.step, "second")
            if held is None:
                raise Refused(401, "sign-in", "Sign in once more", "The first step was used by now. Begin again.")
            accounts.use_pass(session, held)
            row.second_at = step if step is not None else row.second_at
            row.recovery = left if left is not None else row.recovery
            accounts.was_right(session, places)
            seat(session, row, request, response, who)
        else:
            trail.note(session, "failed", "sign-in", row.id, row.name, who=row.mail)
    if not fits:
        detail = "The code is not the one of now, or was used before. Wait for the next, or type a recovery code."
        raise Refused(401, "wrong-code", "The code does not fit", detail)
    return SignedIn()


@router.post("/sign-out", status_code=204)
def sign_out(request: Request, response: Response, who: Reader = Depends(reader)) -> None:
    signing: Signing = request.app.state.signing
    if who.sitting:
        with who.write() as session:
            accounts.stand_up(session, who.person.id, who.sitting)
            trail.note(session, "signed out", "sign-in", who.person.id, who.person.name)
    response.delete_cookie(signing.cookie, path="/", secure=signing.tls, httponly=True, samesite="lax")


# Links that are good once


def _gone() -> Refused:
    return Refused(
        410, "link-over", "The link is over", "It was used, or is too old. Ask an owner for a new one; the very first is printed at the start."
    )  # fmt: skip


@router.get("/sign-in/pass/{token}")
def get_pass(token: Token, who: Reader = Depends(reader)) -> PassOut:
    """What a link is for. Looking at it does not use it."""
    with who.read() as session:
        held = accounts.find_pass(session, token, "owner", "invited", "password")
        if held is None:
            raise _gone()
        mail, name = _whose(session, held)
        return PassOut(kind=held.kind, mail=mail, name=name)  # type: ignore[arg-type]


def _whose(session: Session, held: Pass) -> tuple[str, str]:
    if held.account is not None:
        row = accounts.get(session, held.account)
        return row.mail, row.name
    return str(held.body.get("mail", "")), str(held.body.get("name", ""))


@router.post("/sign-in/pass/{token}")
def use_pass(
    token: Token, body: PassUse, request: Request, response: Response, who: Reader = Depends(reader)
) -> SignedIn:
    """Make the first owner, come where one was asked in, or take a new password, which ends all other sessions."""
    refuse_too_soon(who, [(f"address {who.address}", FREE_TRIES_OF_AN_ADDRESS)])
    passwords.refuse_weak(body.password)
    kept = passwords.hashed(body.password)
    with who.write() as session:
        held = accounts.find_pass(session, token, "owner", "invited", "password")
        if held is None:
            raise _gone()
        row = _taken(session, held, body, kept)
        accounts.use_pass(session, held)
        if row.second and held.kind == "password":
            return SignedIn(step=accounts.make_pass(session, "second", SECOND_STEP, row.id))
        seat(session, row, request, response, who)
    return SignedIn()


def _taken(session: Session, held: Pass, body: PassUse, kept: str) -> Account:
    """The account that a link makes, or gives a new password."""
    if held.kind == "password":
        assert held.account is not None
        row = accounts.locked(session, held.account)
        accounts.put(session, row, password=kept)
        accounts.stand_up(session, row.id)
        trail.note(session, "new password", "account", row.id, row.name, who=row.name)
        tell_account(session, row, *PASSWORD_CHANGED)
        return row
    mail = body.mail if held.kind == "owner" else str(held.body["mail"])
    name = body.name or str(held.body.get("name") or "")
    for field, value in (("mail", mail), ("name", name)):
        if not value:
            raise Refused(422, "invalid-request", "Something is missing", f"Tell your {field}.", {"field": field})
    if accounts.by_mail(session, mail or "") is not None:
        raise Refused(409, "mail-taken", "There is an account already", "Sign in with it instead.", {"field": "mail"})
    row = accounts.make(
        session, mail=mail or "", name=name, role="owner" if held.kind == "owner" else held.body["role"], password=kept
    )
    for team in held.body.get("teams", ()):
        if team in accounts.members(session):
            accounts.put_in_team(session, team, [*accounts.members(session)[team], row.id], "")
    trail.note(session, "came", "account", row.id, row.name, who=row.name)
    return row


@router.post("/sign-in/forgotten", status_code=202)
def forgotten(body: Forgotten, who: Reader = Depends(reader)) -> None:
    """Somebody asks for a new password: a link goes to their mail; where none is sent, an owner finds it in what was done, and
    makes them one. The answer is the same whether there is such an account or not."""
    refuse_too_soon(who, [(f"forgotten {accounts.plain_mail(body.mail)}", FREE_TRIES), (f"address {who.address}", FREE_TRIES_OF_AN_ADDRESS)])  # fmt: skip
    with who.write() as session:
        row = accounts.by_mail(session, body.mail)
        trail.note(session, "forgot", "account", row.id if row else "", body.mail, who=body.mail)
        if hooks.mail_server(session) is not None:
            known = row if row is not None and row.ended_at is None else None
            trial = session.begin_nested()  # as much is done for an address that is not known, and taken back
            token = accounts.make_pass(session, "password", FORGOTTEN, known.id if known else None)
            send_link(session, known.mail if known else body.mail, "A new password", NEW_PASSWORD, f"#/sign-in/{token}")
            trial.commit() if known else trial.rollback()
