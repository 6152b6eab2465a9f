"""Who one is here: name, password, second factor, sessions, and what one left as one last saw it."""

from __future__ import annotations

import io
from dataclasses import replace
from typing import Annotated, Any

import segno
from fastapi import APIRouter, Depends, Path, Request
from pydantic import BaseModel, Field

from ironmark.api.access import AT_HOME, Reader, reader
from ironmark.api.seats import refuse_too_soon
from ironmark.api.signing import HOME, Signing
from ironmark.api.timestamps import moment
from ironmark.pages.model.field_types import Model, Password
from ironmark.pages.model.problems import Refused
from ironmark.pages.people import passwords
from ironmark.pages.watches.letters import PASSWORD_CHANGED, tell_account
from ironmark.store import accounts, openings, sealed, trail
from ironmark.store.database import Missing

router = APIRouter(prefix="/api/me", tags=["signing in"])
MOST_KEPT = 64_000  # characters of one thing
KeptName = Annotated[str, Path(pattern=r"^[a-z-]{1,40}$")]


class Me(BaseModel):
    """signs_in: whether accounts are used here. signed_in: whether one is known. any_owner: whether anybody could sign in
    yet. elsewhere: whether a directory is asked too. verbs: what one may. some_rows: whether one reads only some rows of something."""

    signs_in: bool
    signed_in: bool
    any_owner: bool = True
    elsewhere: bool = False
    id: str = ""
    name: str = ""
    mail: str = ""
    role: str = ""
    teams: list[str] = []
    verbs: list[str] = []
    second: bool = False
    codes_left: int = 0
    some_rows: bool = False


class NameChange(Model):
    name: str = Field(max_length=120)


class PasswordChange(Model):
    before: Password
    password: Password


class Kept(Model):
    """Anything that JSON can say; null is given up."""

    value: Any = None


class SecondBegun(BaseModel):
    """secret: to be typed into an authenticator; picture: the same as an SVG to be photographed."""

    secret: str
    picture: str


class SecondChange(Model):
    """code: of the authenticator, which shows that it has the secret."""

    code: str = Field(max_length=10)


class Confirmed(Model):
    password: Password


class SittingOut(BaseModel):
    """here: the one that this is asked by."""

    id: str
    made_at: str
    used_at: str
    address: str
    browser: str
    here: bool


@router.get("")
def get_me(request: Request, who: Reader = Depends(reader)) -> Me:
    signing: Signing = request.app.state.signing
    with who.read() as session:
        if who.person is AT_HOME:
            return Me(
                signs_in=signing.needed,
                signed_in=True,
                name=who.name_in(session),
                role="owner",
                verbs=sorted(who.verbs),
            )
        if not who.verbs:
            return Me(
                signs_in=True,
                signed_in=False,
                any_owner=accounts.any_owner(session),
                elsewhere=signing.identity is not None,
            )
        row = accounts.get(session, who.person.id)
        names = accounts.team_names(session)
        return Me(
            signs_in=True, signed_in=True, id=row.id, name=who.person.name, mail=row.mail, elsewhere=signing.identity is not None, role=row.role,
            teams=sorted(names[team] for team in who.person.teams if team in names), verbs=sorted(who.verbs),
            second=bool(row.second), codes_left=len(row.recovery), some_rows=not who.sees.read_all_rows,
        )  # fmt: skip


@router.patch("")
def rename_me(body: NameChange, request: Request, who: Reader = Depends(reader)) -> Me:
    """What stands beside the changes one makes. At home it may be nothing."""
    name = body.name.strip()
    with who.write() as session:
        if who.person is AT_HOME:
            openings.set_setting(session, HOME, {"name": name}, tell=False)
        elif not name:
            raise Refused(422, "invalid-request", "A name is needed", "Type at least a letter.", {"field": "name"})
        else:
            row = accounts.locked(session, who.person.id)
            trail.note(session, "renamed", "account", row.id, f"{row.name}, now {name}")
            accounts.put(session, row, name=name)
    return get_me(request, _again(who, name))


def _again(who: Reader, name: str) -> Reader:
    return who if who.person is AT_HOME else replace(who, person=replace(who.person, name=name))


@router.put("/password", status_code=204)
def change_password(body: PasswordChange, who: Reader = Depends(reader)) -> None:
    """Ends all other sessions."""
    _refuse_at_home(who)
    _require_password(who, body.before, "before")
    passwords.refuse_weak(body.password)
    kept = passwords.hashed(body.password)
    with who.write() as session:
        row = accounts.locked(session, who.person.id)
        accounts.put(session, row, password=kept)
        accounts.stand_up(session, row.id, but=who.sitting)
        trail.note(session, "new password", "account", row.id, row.name)
        tell_account(session, row, *PASSWORD_CHANGED)


def _refuse_at_home(who: Reader) -> None:
    if who.person is AT_HOME or not who.sitting:
        detail = "Nobody signs in here; start with --sign-in to have accounts."
        raise Refused(409, "at-home", "There is no account", detail)


def _require_password(who: Reader, password: str, field: str) -> None:
    places = [(f"password {who.person.id}", accounts.FREE_TRIES)]
    refuse_too_soon(who, places)
    with who.read() as session:
        kept = accounts.get(session, who.person.id).password
    if not passwords.fits(kept, password):
        raise Refused(403, "wrong-password", "The password does not fit", "Type the one you sign in with.", {"field": field})  # fmt: skip
    with who.write() as session:
        accounts.was_right(session, places)


@router.post("/second")
def begin_second(body: Confirmed, who: Reader = Depends(reader)) -> SecondBegun:
    """A secret for an authenticator; it counts once its first code was sent back."""
    _refuse_at_home(who)
    _require_password(who, body.password, "password")
    secret = passwords.new_secret()
    with who.write() as session:
        accounts.keep(session, who.person.id, "second", sealed.seal(secret))
        mail = accounts.get(session, who.person.id).mail
    out = io.BytesIO()
    segno.make(passwords.address_of(secret, mail)).save(out, kind="svg", scale=5, xmldecl=False, svgns=True, border=2)
    return SecondBegun(secret=secret, picture=out.getvalue().decode())


@router.put("/second")
def confirm_second(body: SecondChange, who: Reader = Depends(reader)) -> list[str]:
    """Have a code be asked for from now on. Answered with recovery codes, told this once."""
    _refuse_at_home(who)
    codes = passwords.recovery_codes()
    with who.write() as session:
        row = accounts.locked(session, who.person.id)
        secret = sealed.unseal(str(row.kept.get("second", "")))
        step = passwords.step_of(secret, body.code, 0) if secret else None
        if step is None:
            detail = "Begin again, and type the code that the authenticator shows now."
            raise Refused(422, "wrong-code", "The code does not fit", detail, {"field": "code"})
        left = {name: value for name, value in row.kept.items() if name != "second"}
        hashes = [accounts.digest(code) for code in codes]
        accounts.put(session, row, second=sealed.seal(secret), second_at=step, recovery=hashes, kept=left)
        trail.note(session, "second factor", "account", row.id, row.name)
    return codes


@router.delete("/second", status_code=204)
def end_second(body: Confirmed, who: Reader = Depends(reader)) -> None:
    _refuse_at_home(who)
    _require_password(who, body.password, "password")
    with who.write() as session:
        row = accounts.locked(session, who.person.id)
        accounts.put(session, row, second="", second_at=0, recovery=[])
        trail.note(session, "no second factor", "account", row.id, row.name)


@router.get("/sittings")
def list_sittings(who: Reader = Depends(reader)) -> list[SittingOut]:
    """From where one is signed in."""
    if who.person is AT_HOME:
        return []
    with who.read() as session:
        return [
            SittingOut(
                id=row.id, made_at=moment(row.made_at) or "", used_at=moment(row.used_at) or "", address=row.address,
                browser=row.browser, here=row.id == who.sitting,
            )
            for row in accounts.sittings(session, who.person.id)
        ]  # fmt: skip


@router.delete("/sittings", status_code=204)
def end_other_sittings(who: Reader = Depends(reader)) -> None:
    """End all but the one that this is asked by."""
    with who.write() as session:
        accounts.stand_up(session, who.person.id, but=who.sitting)
        trail.note(session, "ended sessions", "sign-in", who.person.id, who.person.name)


@router.delete("/sittings/{key}", status_code=204)
def end_sitting(key: str, who: Reader = Depends(reader)) -> None:
    with who.write() as session:
        if key not in {row.id for row in accounts.sittings(session, who.person.id)}:
            raise Missing("session", key)
        accounts.stand_up(session, who.person.id, key)
        trail.note(session, "ended sessions", "sign-in", who.person.id, who.person.name)


@router.get("/kept")
def get_kept(who: Reader = Depends(reader)) -> dict[str, Any]:
    """What one left as one last saw it: the last look, pins, what is folded."""
    with who.read() as session:
        if who.person is AT_HOME:
            found: dict[str, Any] = openings.setting(session, "home-kept")[1]
            return found
        held = accounts.get(session, who.person.id).kept
        return {name: value for name, value in held.items() if name != "second"}


@router.put("/kept/{name}", status_code=204)
def put_kept(name: KeptName, kept: Kept, who: Reader = Depends(reader)) -> None:
    body = kept.value
    if name == "second" or len(str(body)) > MOST_KEPT:
        raise Refused(422, "too-large", "That is not kept", f"At most {MOST_KEPT:,} characters, under another name.")
    with who.write() as session:
        if who.person is AT_HOME:
            openings.set_setting(
                session, "home-kept", openings.setting(session, "home-kept")[1] | {name: body}, tell=False
            )
        else:
            accounts.keep(session, who.person.id, name, body)
