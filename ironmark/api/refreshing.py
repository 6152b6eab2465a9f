"""Datasets that are read anew by the clock: made, set, asked for now, and answered where one is held back."""

from __future__ import annotations

from collections.abc import Callable

from fastapi import APIRouter, Depends, Header, Query, Response
from pydantic import BaseModel, Field

from ironmark.api.access import Reader, reader
from ironmark.api.answers.dataset import ByClock, DatasetOut, dataset_answer
from ironmark.api.background_uploads import READ, Upload, Uploads, keeping, uploads
from ironmark.api.timestamps import moment
from ironmark.api.versions import seen_version
from ironmark.clock import now
from ironmark.pages.datasets import refreshing
from ironmark.pages.datasets.refreshing import RefreshBody
from ironmark.pages.model.field_types import Key, Model, Name
from ironmark.store import datasets, refreshes
from ironmark.store.models import Refresh
from ironmark.work.looking_ahead import look_ahead

router = APIRouter(prefix="/api/datasets", tags=["datasets"])


class RefreshChange(RefreshBody):
    """token: what an address is asked with; null keeps the one there is."""

    token: str | None = Field(None, max_length=400)


class NewKept(RefreshChange):
    name: Name


class Held(Model):
    use: bool


class RefreshOut(RefreshBody):
    """state: waiting for its time, running, failed, or held back; said: why, in words. held: the version of the rows
    that waits for an answer. token: whether one is kept."""

    state: ByClock
    said: str
    tries: int
    held: int | None
    due_at: str
    read_at: str | None
    has_token: bool
    version: int


class Hosts(BaseModel):
    """The hosts whose addresses may be asked."""

    hosts: list[str]


def _out(row: Refresh) -> RefreshOut:
    return RefreshOut(
        **RefreshBody.model_validate(row.body).model_dump(), state=row.state, said=row.said, tries=row.tries,  # type: ignore[arg-type]
        held=row.held, due_at=moment(row.due_at) or "", read_at=moment(row.read_at), has_token=bool(row.token),
        version=row.version,
    )  # fmt: skip


def _plain(body: RefreshChange) -> RefreshBody:
    return RefreshBody.model_validate(body.model_dump(include=set(RefreshBody.model_fields)))


@router.get("/hosts")
def list_hosts(who: Reader = Depends(reader)) -> Hosts:
    return Hosts(hosts=sorted(who.sources.hosts))


@router.post("/kept", status_code=202)
def new_kept(
    body: NewKept, ticket: Key | None = Query(None), who: Reader = Depends(reader), held: Uploads = Depends(uploads)
) -> Upload:
    """Read rows from where they are, keep them as a new dataset, and read them anew by the clock from then on."""
    plain, token = _plain(body), body.token or ""
    with who.read() as session:
        refreshing.check_origin(who.sources, session, plain)

    def work(tell: Callable[[str, float], None]) -> str:
        tell("Reading the rows", READ)
        with refreshing.read_origin(who.sources, plain, token) as rows, who.write() as session:
            made = refreshing.keep_new(session, body.name, plain, token, rows, keeping(tell, rows[1].table)).id
        look_ahead(who.sources, made)
        return made

    return held.begin(work, ticket, 0)


@router.get("/{key}/refresh")
def get_refresh(key: str, response: Response, who: Reader = Depends(reader)) -> RefreshOut | None:
    """How the dataset is read anew; null where it is not. Its version is in ETag, 0 where there is none."""
    with who.read() as session:
        datasets.get(session, key)
        row = refreshes.get(session, key)
        response.headers["ETag"] = f'"{row.version if row else 0}"'
        return _out(row) if row else None


@router.put("/{key}/refresh")
def put_refresh(
    key: str,
    body: RefreshChange,
    response: Response,
    if_match: str | None = Header(None),
    who: Reader = Depends(reader),
) -> RefreshOut:
    """Have the dataset read anew by the clock, or otherwise than before."""
    saw, plain = seen_version(if_match), _plain(body)
    with who.write() as session:
        refreshing.refuse_other_kinds(datasets.get(session, key))
        refreshing.check_origin(who.sources, session, plain)
        due = refreshing.next_time(plain.clock, now())
        row = refreshes.set_state(session, key, saw, plain.model_dump(mode="json"), body.token, due)
        response.headers["ETag"] = f'"{row.version}"'
        return _out(row)


@router.delete("/{key}/refresh", status_code=204)
def stop_refresh(key: str, if_match: str | None = Header(None), who: Reader = Depends(reader)) -> None:
    """The rows stay as they are."""
    saw = seen_version(if_match)
    with who.write() as session:
        refreshes.remove(session, key, saw)


@router.post("/{key}/refresh/now")
def refresh_now(key: str, who: Reader = Depends(reader)) -> RefreshOut:
    """Have it read within a second or two, whatever its time."""
    with who.write() as session:
        row = refreshes.locked(session, key)
        row.due_at = now()
        row.state = "running"
        session.flush()
        return _out(row)


@router.post("/{key}/refresh/held")
def answer_held(key: str, body: Held, response: Response, who: Reader = Depends(reader)) -> DatasetOut:
    """Show the rows that were held back, or leave them aside; they stay among the versions."""
    with who.write() as session:
        return dataset_answer(session, response, refreshing.answer_held(session, key, body.use))
