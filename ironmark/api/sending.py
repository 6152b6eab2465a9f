"""How messages leave: the mail server, webhooks, and what could not be sent."""

from __future__ import annotations

from typing import Annotated, Literal

from fastapi import APIRouter, Depends, Header, Response
from pydantic import BaseModel, Field, StringConstraints

from ironmark.api.access import Reader, reader
from ironmark.api.answers.way_out import WayOut, way_out
from ironmark.api.timestamps import moment
from ironmark.api.versions import seen_version
from ironmark.pages.model.field_types import Mail, Model, Name
from ironmark.pages.model.problems import Refused
from ironmark.store import hooks, outbox, sealed, trail
from ironmark.store.watch_models import Hook
from ironmark.tables.connections import Wrong
from ironmark.tables.fetching import allowed

router = APIRouter(prefix="/api/sending", tags=["watches"])
hooks_router = APIRouter(prefix="/api/hooks", tags=["watches"])
HttpAddress = Annotated[str, StringConstraints(max_length=300, pattern=r"^(https?://[^\s]+)?$")]


class SendingBody(Model):
    """host, port: of the mail server, none without a host. password: null keeps the one there is. sender: the address mail comes
    from. home: the address by which readers reach this installation, for links. allowed: addresses, and domains as @example.org,
    that makers of watches may have mail sent to."""

    host: str = Field("", max_length=253, pattern=r"^[^\s/@]*$")
    port: int = Field(587, ge=1, le=65535)
    tls: Literal["no", "starttls", "tls"] = "starttls"
    user: str = Field("", max_length=254)
    password: str | None = Field(None, max_length=400)
    sender: Mail | Literal[""] = ""
    home: HttpAddress = ""
    allowed: list[Annotated[str, StringConstraints(max_length=254, pattern=r"^[^@\s]*@[^@\s]+$")]] = Field(
        default=[], max_length=500
    )


class SendingOut(BaseModel):
    version: int
    body: SendingBody
    has_password: bool
    hosts: list[str]  # that webhooks may be sent to


class HookBody(Model):
    name: Name
    url: str = Field(min_length=1, max_length=1000)


class HookOut(BaseModel):
    """host: what its address leads to. rotating: until when the secret before this one is good too."""

    id: str
    version: int
    name: str
    url: str
    rotating: str | None


class NewSecret(HookOut):
    """secret: told this once."""

    secret: str


@router.get("")
def get_sending(response: Response, who: Reader = Depends(reader)) -> SendingOut:
    with who.read() as session:
        version, body = hooks.sending(session)
    response.headers["ETag"] = f'"{version}"'
    shown = SendingBody(**{name: value for name, value in body.items() if name != "password"})
    return SendingOut(
        version=version, body=shown, has_password=bool(body.get("password")), hosts=sorted(who.sources.hook_hosts)
    )


@router.put("")
def put_sending(
    body: SendingBody, response: Response, if_match: str | None = Header(None), who: Reader = Depends(reader)
) -> SendingOut:
    saw = seen_version(if_match)
    if body.host and not body.sender:
        detail = "Name the address that mail comes from; answers to it come back there."
        raise Refused(422, "invalid-request", "An address is needed", detail, {"field": "sender"})
    with who.write() as session:
        _, before = hooks.sending(session)
        kept = body.model_dump()
        # A password goes to the server it was typed for alone.
        same = before.get("host") == body.host and before.get("port") == body.port
        kept["password"] = (
            sealed.seal(body.password) if body.password is not None else before.get("password", "") if same else ""
        )
        hooks.set_sending(session, kept, saw)
        trail.note(session, "changed", "mail server", hooks.SENDING, body.host or "none")
    return get_sending(response, who)


@router.get("/unsent")
def list_unsent(who: Reader = Depends(reader)) -> list[WayOut]:
    """What could not be sent so far, or for good; the newest first."""
    with who.read() as session:
        names = hooks.names(session)
        return [way_out(one, names) for one in outbox.unsent(session)]


def _hook(row: Hook) -> HookOut:
    return HookOut(
        id=row.id, version=row.version, name=row.name, url=row.url, rotating=moment(row.older_until if row.older else None)
    )  # fmt: skip


def _check(who: Reader, url: str) -> None:
    try:
        allowed(url, who.sources.hook_hosts, "--send-to")
    except Wrong as error:
        raise Refused(422, "not-allowed", "This address is not allowed", str(error), {"field": "url"}) from None


@hooks_router.get("")
def list_hooks(who: Reader = Depends(reader)) -> list[HookOut]:
    with who.read() as session:
        return [_hook(row) for row in hooks.list_all(session)]


@hooks_router.post("", status_code=201)
def make_hook(body: HookBody, who: Reader = Depends(reader)) -> NewSecret:
    _check(who, body.url)
    with who.write() as session:
        row, secret = hooks.create(session, body.name, body.url)
        trail.note(session, "made", "webhook", row.id, body.name)
        return NewSecret(**_hook(row).model_dump(), secret=secret)


@hooks_router.put("/{key}")
def change_hook(
    key: str, body: HookBody, if_match: str | None = Header(None), who: Reader = Depends(reader)
) -> HookOut:
    _check(who, body.url)
    saw = seen_version(if_match)
    with who.write() as session:
        row = hooks.change(session, key, saw, body.name, body.url)
        trail.note(session, "changed", "webhook", row.id, body.name)
        return _hook(row)


@hooks_router.post("/{key}/secret")
def renew_secret(key: str, if_match: str | None = Header(None), who: Reader = Depends(reader)) -> NewSecret:
    """A new secret; for a day what is sent is signed with the one before it too."""
    saw = seen_version(if_match)
    with who.write() as session:
        row, secret = hooks.renew(session, key, saw)
        trail.note(session, "new secret", "webhook", row.id, row.name)
        return NewSecret(**_hook(row).model_dump(), secret=secret)


@hooks_router.delete("/{key}", status_code=204)
def delete_hook(key: str, if_match: str | None = Header(None), who: Reader = Depends(reader)) -> None:
    saw = seen_version(if_match)
    with who.write() as session:
        name = hooks.get(session, key).name
        hooks.remove(session, key, saw)
        trail.note(session, "deleted", "webhook", key, name)
