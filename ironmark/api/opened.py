"""To whom something is opened: read, changed, and looked at with the eyes of each."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from fastapi import APIRouter, Depends, Header
from pydantic import BaseModel
from sqlalchemy.orm import Session

from ironmark.api.access import Reader, reader
from ironmark.api.timestamps import last_day, moment
from ironmark.api.versions import seen_version
from ironmark.core.differences import differences
from ironmark.pages.context.reading_context import ReadingContext
from ironmark.pages.model.problems import Refused
from ironmark.pages.people.openings import EVERYONE, MAKERS, USUAL, Kind, OpeningBody, Person
from ironmark.pages.people.rights import house, person_of, worked_out
from ironmark.pages.people.who_reads import AsRead, ReaderRow, as_read, readers_of
from ironmark.store import accounts, datasets, eyes, openings, records, tokens, trail
from ironmark.store.database import Missing
from ironmark.store.eyes import Eyes

router = APIRouter(prefix="/api/openings", tags=["people"])
WORDS = {EVERYONE: "everyone who signs in", MAKERS: "the analysts"}


class SegmentChoice(BaseModel):
    """A segment that rows can be opened by. members: those there are, so far as they are known."""

    name: str
    label: str
    members: list[str]


class MachineRow(BaseModel):
    id: str
    name: str
    made_by: str
    until: str | None
    used_at: str | None


class RestsOnDataset(BaseModel):
    id: str
    name: str


class OpeningOut(BaseModel):
    """version: 0 while nothing was said. may_change: whether who asks may. readers: who reads it, and why. segments: of a
    dataset, or of those that a scorecard rests on."""

    version: int
    name: str
    body: OpeningBody
    may_change: bool
    readers: list[ReaderRow]
    machines: list[MachineRow]
    segments: list[SegmentChoice]
    datasets: list[RestsOnDataset]


class UsualOpening(BaseModel):
    opened: int


def people_in(session: Session) -> list[Person]:
    """Everybody who has an account."""
    return [person_of(session, row) for row in accounts.list_all(session)]


def _named(session: Session, kind: Kind, key: str) -> str:
    """What it is called. Raises Missing."""
    if kind == "dataset":
        if not eyes.of(session).sees("dataset", key):
            raise Missing("dataset", key)
        return datasets.get(session, key).name
    if kind == "folder":
        if not any(card.body.get("folder") == key for card in records.list_all(session, "scorecard")):
            raise Missing("folder", key)
        return key
    body = records.get(session, kind, key).body
    return str(body.get("title") or body.get("name"))


@router.get("/scorecard/{key}/as/{person}")
def read_as(key: str, person: str, who: Reader = Depends(reader)) -> AsRead:
    """What somebody reads on a scorecard, beside what all rows say."""

    def read(context: ReadingContext) -> AsRead:
        session = context.session
        found = next((one for one in people_in(session) if one.id == person), None)
        if found is None:
            raise Missing("account", person)
        now = house(session, who.sources.seen)
        sees = Eyes(person) if found.role == "owner" else worked_out(now, found)
        rows = next((row.rows for row in readers_of(session, now, "scorecard", key, [found])), "")
        return as_read(who.sources, session, key, found, sees, rows)

    return who.look(read)


@router.get("/{kind}/{key:path}")  # the name of a folder may hold a slash
def get_opening(kind: Kind, key: str, who: Reader = Depends(reader)) -> OpeningOut:
    with who.read() as session:
        return _answer(session, who, kind, key)


def _answer(session: Session, who: Reader, kind: Kind, key: str) -> OpeningOut:
    name = _named(session, kind, key)
    version, body = openings.get(session, kind, key)
    now = house(session, who.sources.seen)
    rests = set() if kind == "dataset" else now.rests_on(kind, key)
    names = {one.id: one for one in datasets.list_all(session)}
    return OpeningOut(
        version=version, name=name, body=USUAL[kind] if body is None else OpeningBody.model_validate(body),
        may_change=who.may(session, "change", kind, key),
        readers=readers_of(session, now, kind, key, people_in(session)),
        machines=[
            MachineRow(id=row.id, name=row.name, made_by=row.made_by, until=last_day(row.ends_at), used_at=moment(row.used_at))
            for row in tokens.list_all(session)
            if key in (row.scorecards if kind == "scorecard" else row.datasets)
        ],
        segments=_segments(session, who, key) if kind == "dataset" else [],
        datasets=[RestsOnDataset(id=one, name=names[one].name) for one in sorted(rests) if one in names],
    )  # fmt: skip


def _segments(session: Session, who: Reader, key: str) -> list[SegmentChoice]:
    """By which rows can be opened, with the members that the one who asks sees."""
    dataset = datasets.get(session, key)
    labels = {column.name: column.label for column in dataset.columns}
    try:
        members = who.context(session).source_of(key).members
    except Exception:  # it cannot be read now: rows can still be opened by names that are typed
        members = {}
    return [
        SegmentChoice(name=name, label=labels[name], members=list(members.get(name, ()))) for name in dataset.segments
    ]


@router.put("/{kind}/{key:path}")
def put_opening(
    kind: Kind, key: str, body: OpeningBody, if_match: str | None = Header(None), who: Reader = Depends(reader)
) -> OpeningOut:
    """Open something to others, or close it. Whoever may change it may, unless it is about rows or takes it from themselves:
    that is an owner's to do."""
    saw = seen_version(if_match)
    with who.write() as session:
        name = _named(session, kind, key)
        if not who.may(session, "change", kind, key):
            raise Refused(403, "not-yours", "It is opened by others", "Ask somebody who may change it, or an owner.")
        _, before = openings.get(session, kind, key)
        was = USUAL[kind] if before is None else OpeningBody.model_validate(before)
        _check(session, who, kind, key, was, body)
        openings.put(session, kind, key, body.model_dump(), saw)
        trail.note(session, "opened", kind, key, name, differences(_in_words(session, was), _in_words(session, body)))
    with who.read() as session:
        return _answer(session, who, kind, key)


def _in_words(session: Session, body: OpeningBody) -> dict[str, Any]:
    """An opening as the trail tells it: people and teams by their names."""
    names = {f"person:{key}": name for key, name in accounts.names(session).items()}
    names |= {f"team:{key}": name for key, name in accounts.team_names(session).items()}

    def told(subjects: Sequence[str]) -> list[str]:
        return [names.get(one, WORDS.get(one, one)) for one in subjects]

    return {
        "read by": told(body.read), "changed by": told(body.change), "marks kept by": told(body.marks), "notes by": body.notes,
        "rows": {f"{told([rule.who])[0]}, by {rule.segment}": rule.members for rule in body.rules},
        "rows by a dataset": body.rules_from.model_dump() if body.rules_from else None,
    }  # fmt: skip


def _check(session: Session, who: Reader, kind: Kind, key: str, was: OpeningBody, body: OpeningBody) -> None:
    is_owner = "own" in who.verbs
    if (body.rules, body.rules_from) != (was.rules, was.rules_from) and not is_owner:
        raise Refused(403, "not-yours", "Rows are opened by owners", "Ask an owner to open some rows to some.")
    if not is_owner and not (who.person.is_among(body.read) and who.person.is_among(body.change)):
        raise Refused(409, "locks-out", "You would not see it any more", "Leave yourself, or a team of yours, in it.")
    known = {f"team:{team.id}" for team in accounts.teams(session)} | {
        f"person:{row.id}" for row in accounts.list_all(session)
    }
    for subject in (*body.read, *body.change, *body.marks, *(rule.who for rule in body.rules)):
        if ":" in subject and subject not in known:
            raise Refused(422, "nobody", "There is nobody like that", f"“{subject}” is gone. Choose somebody else.")
    if kind != "dataset":
        if body.rules or body.rules_from:
            raise Refused(422, "no-rows", "That has no rows", "Rows are opened on the dataset that they are in.")
        return
    dataset = datasets.get(session, key)
    for segment in {rule.segment for rule in body.rules} | ({body.rules_from.segment} if body.rules_from else set()):
        if segment not in dataset.segments:
            detail = (
                f"“{dataset.name}” has no segment “{segment}”. Choose one of {', '.join(dataset.segments) or 'none'}."
            )
            raise Refused(422, "no-segment", "No such segment", detail, {"field": "rules"})
    if (told := body.rules_from) is not None:
        columns = {column.name for column in datasets.get(session, told.dataset).columns}
        for column in (told.person, told.member):
            if column not in columns:
                raise Refused(422, "no-column", "No such column", f"There is no column “{column}” there.")


@router.post("/usual")
def open_all(who: Reader = Depends(reader)) -> UsualOpening:
    """Open every scorecard that nothing was said of yet to everyone who signs in."""
    with who.write() as session:
        kept = openings.every(session)
        left = [head.id for head in records.heads(session, "scorecard") if ("scorecard", head.id) not in kept]
        for key in left:
            openings.put(session, "scorecard", key, OpeningBody(read=["everyone"]).model_dump(), 0)
        trail.note(session, "opened", "scorecard", "", f"{len(left)} scorecards to everyone")
    return UsualOpening(opened=len(left))
