"""People and teams: asked in, given a role, taken out again."""

from __future__ import annotations

import datetime as dt
from typing import Annotated

from fastapi import APIRouter, Depends, Header, Response
from pydantic import BaseModel, Field, StringConstraints
from sqlalchemy.orm import Session

from ironmark import clock
from ironmark.api.access import Reader, reader
from ironmark.api.timestamps import moment
from ironmark.api.versions import seen_version
from ironmark.core.differences import Difference, differences
from ironmark.pages.model.field_types import Key, Mail, Model, Name
from ironmark.pages.model.problems import Refused
from ironmark.pages.people.groups import SETTING, GroupsBody
from ironmark.pages.watches.letters import FORGOTTEN, NEW_PASSWORD, send_link
from ironmark.store import accounts, openings, records, trail
from ironmark.store.accounts import Role
from ironmark.store.database import Missing
from ironmark.store.people_models import Account, Pass

router = APIRouter(prefix="/api", tags=["people"])
ASKED_IN = dt.timedelta(days=7)


class PersonOut(BaseModel):
    id: str
    version: int
    name: str
    mail: str
    role: Role
    teams: list[str]
    second: bool
    outside: bool
    seen_at: str | None


class TeamOut(BaseModel):
    id: str
    version: int
    name: str
    people: list[str]


class InvitedOut(BaseModel):
    id: str
    mail: str
    name: str
    role: Role
    ends_at: str


class PeopleOut(BaseModel):
    """usual: how many scorecards are opened to nobody but analysts, since nothing was said of them yet."""

    people: list[PersonOut]
    teams: list[TeamOut]
    invited: list[InvitedOut]
    usual: int


class Invitation(Model):
    mail: Mail
    name: Name
    role: Role = "reader"
    teams: list[Key] = Field(default=[], max_length=50)


class LinkMade(BaseModel):
    """path: on this server, told this once. until: when it ends. mailed: whether it goes to their mail."""

    path: str
    until: str
    mailed: bool


class PersonChange(Model):
    name: Name
    role: Role
    teams: list[Key] = Field(max_length=200)


class TeamBody(Model):
    name: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=120)]
    people: list[Key] = Field(default=[], max_length=5000)


def _person(row: Account, teams: list[str]) -> PersonOut:
    return PersonOut(
        id=row.id, version=row.version, name=row.name, mail=row.mail, role=row.role, teams=teams, second=bool(row.second),  # type: ignore[arg-type]
        outside=row.outside is not None, seen_at=moment(row.seen_at),
    )  # fmt: skip


@router.get("/people")
def list_people(who: Reader = Depends(reader)) -> PeopleOut:
    with who.read() as session:
        members = accounts.members(session)
        kept = openings.every(session)
        return PeopleOut(
            people=[
                _person(row, [team for team, people in members.items() if row.id in people])
                for row in accounts.list_all(session)
            ],
            teams=[
                TeamOut(id=team.id, version=team.version, name=team.name, people=members[team.id])
                for team in accounts.teams(session)
            ],
            invited=[_invited(row) for row in accounts.invited(session)],
            usual=sum(("scorecard", head.id) not in kept for head in records.heads(session, "scorecard")),
        )


def _invited(row: Pass) -> InvitedOut:
    body = row.body
    return InvitedOut(
        id=row.id, mail=body["mail"], name=body["name"], role=body["role"], ends_at=moment(row.ends_at) or ""
    )


@router.post("/people", status_code=201)
def ask_in(body: Invitation, who: Reader = Depends(reader)) -> LinkMade:
    """Ask somebody in: a link that is good once and for a week, by which they take a password."""
    mail = accounts.plain_mail(body.mail)
    with who.write() as session:
        if accounts.by_mail(session, mail) is not None:
            raise Refused(409, "mail-taken", "There is an account already", f"{mail} has one.", {"field": "mail"})
        for earlier in accounts.invited(session):
            if earlier.body["mail"] == mail:
                accounts.use_pass(session, earlier)
        token = accounts.make_pass(session, "invited", ASKED_IN, None, {**body.model_dump(), "mail": mail})
        trail.note(session, "asked in", "account", mail, f"{body.name}, {body.role}")
        said = f"{who.person.name} asks you in. The link is good once, and for a week"
        mailed = send_link(session, mail, "You are asked in", said, f"#/sign-in/{token}")
    return _link(token, ASKED_IN, mailed)


def _link(token: str, lasts: dt.timedelta, mailed: bool) -> LinkMade:
    return LinkMade(path=f"/#/sign-in/{token}", until=moment(clock.now() + lasts) or "", mailed=mailed)


@router.delete("/people/invited/{key}", status_code=204)
def take_back_invitation(key: str, who: Reader = Depends(reader)) -> None:
    with who.write() as session:
        row = next((one for one in accounts.invited(session) if one.id == key), None)
        if row is None:
            raise Missing("invitation", key)
        trail.note(session, "took back", "account", row.body["mail"], row.body["name"])
        accounts.use_pass(session, row)


@router.put("/people/{key}")
def change_person(
    key: str, body: PersonChange, if_match: str | None = Header(None), who: Reader = Depends(reader)
) -> PersonOut:
    """Another name, role or teams. The last owner stays one."""
    saw = seen_version(if_match)
    with who.write() as session:
        row = accounts.locked(session, key, saw)
        if row.role == "owner" and body.role != "owner":
            _refuse_last_owner(accounts.list_all(session), key)
        was = f"{row.name}, {row.role}"
        accounts.put(session, row, name=body.name, role=body.role)
        members = accounts.members(session)
        for team in body.teams:
            if team not in members:
                raise Missing("team", team)
        for team, people in members.items():
            if (key in people) != (team in body.teams):
                wanted = [one for one in people if one != key] + ([key] if team in body.teams else [])
                accounts.put_in_team(session, team, wanted, "")
        named = accounts.team_names(session)
        told = ", ".join([body.name, body.role, *(named[team] for team in body.teams)])
        trail.note(session, "changed", "account", key, body.name, [Difference("account", was, told)])
        return _person(row, body.teams)


def _refuse_last_owner(people: list[Account], key: str) -> None:
    if not any(one.role == "owner" and one.id != key for one in people):
        raise Refused(409, "last-owner", "Somebody has to own this", "Make somebody else an owner first.")


@router.delete("/people/{key}", status_code=204)
def end_person(key: str, if_match: str | None = Header(None), who: Reader = Depends(reader)) -> None:
    """Somebody is here no more: they are signed out everywhere. What they did keeps their name."""
    saw = seen_version(if_match)
    with who.write() as session:
        row = accounts.locked(session, key, saw)
        if row.role == "owner":
            _refuse_last_owner(accounts.list_all(session), key)
        trail.note(session, "ended", "account", key, row.name)
        accounts.end(session, row)


@router.post("/people/{key}/link", status_code=201)
def make_link(key: str, who: Reader = Depends(reader)) -> LinkMade:
    """A link for a new password, good once and for an hour; for who forgot theirs where no mail is sent."""
    with who.write() as session:
        row = accounts.get(session, key)
        token = accounts.make_pass(session, "password", FORGOTTEN, key)
        trail.note(session, "made a link", "account", key, row.name)
        mailed = send_link(session, row.mail, "A new password", NEW_PASSWORD, f"#/sign-in/{token}")
    return _link(token, FORGOTTEN, mailed)


@router.post("/teams", status_code=201)
def make_team(body: TeamBody, who: Reader = Depends(reader)) -> TeamOut:
    with who.write() as session:
        _refuse_taken(session, body.name, None)
        row = accounts.make_team(session, body.name)
        accounts.put_in_team(session, row.id, body.people, "")
        trail.note(session, "made", "team", row.id, row.name)
        return TeamOut(id=row.id, version=row.version, name=row.name, people=body.people)


def _refuse_taken(session: Session, name: str, key: str | None) -> None:
    taken = [one for one in accounts.teams(session) if one.name.casefold() == name.casefold() and one.id != key]
    if taken:
        raise Refused(409, "name-taken", "There is such a team already", "Take another name.", {"field": "name"})


@router.put("/teams/{key}")
def change_team(
    key: str, body: TeamBody, if_match: str | None = Header(None), who: Reader = Depends(reader)
) -> TeamOut:
    saw = seen_version(if_match)
    with who.write() as session:
        _refuse_taken(session, body.name, key)
        names = accounts.names(session)
        before = accounts.members(session).get(key, [])
        row = accounts.change_team(session, key, saw, body.name, body.people)
        told = [", ".join(sorted(names.get(one, one) for one in people)) for people in (before, body.people)]
        trail.note(session, "changed", "team", key, row.name, [Difference("people", *told)])
        return TeamOut(id=row.id, version=row.version, name=row.name, people=accounts.members(session)[key])


@router.delete("/teams/{key}", status_code=204)
def drop_team(key: str, if_match: str | None = Header(None), who: Reader = Depends(reader)) -> None:
    saw = seen_version(if_match)
    with who.write() as session:
        name = accounts.team_names(session).get(key, key)
        accounts.drop_team(session, key, saw)
        trail.note(session, "deleted", "team", key, name)


@router.get("/groups")
def get_groups(response: Response, who: Reader = Depends(reader)) -> GroupsBody:
    """What the groups of the directory mean here."""
    with who.read() as session:
        version, body = openings.setting(session, SETTING)
    response.headers["ETag"] = f'"{version}"'
    return GroupsBody.model_validate(body)


@router.put("/groups")
def put_groups(
    body: GroupsBody, response: Response, if_match: str | None = Header(None), who: Reader = Depends(reader)
) -> GroupsBody:
    saw = seen_version(if_match)
    with who.write() as session:
        _, before = openings.setting(session, SETTING)
        version = openings.set_setting(session, SETTING, body.model_dump(), saw)
        told = differences(GroupsBody.model_validate(before).model_dump(), body.model_dump())
        trail.note(session, "changed", "groups", "", "groups of the directory", told)
    response.headers["ETag"] = f'"{version}"'
    return body
