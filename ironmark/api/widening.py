"""What a dataset takes from others by a key, and the columns it derives by formulas."""

from __future__ import annotations

from fastapi import APIRouter, BackgroundTasks, Depends, Header, Response
from pydantic import Field
from sqlalchemy.orm import Session

from ironmark.api.access import Reader, reader
from ironmark.api.answers.dataset import DatasetOut, dataset_answer
from ironmark.api.versions import seen_version
from ironmark.pages.datasets.lookup_columns import (
    DerivedBody,
    DerivedLook,
    LookupBody,
    LookupLook,
    MatchedOut,
    RowsThere,
    derive,
    derived_of,
    look_up,
    lookups_of,
    matches,
    orders_of,
)
from ironmark.pages.model.field_types import Model
from ironmark.store import dataset_versions, datasets
from ironmark.store.datasets import StoredDataset
from ironmark.tables.joined_columns import Wide
from ironmark.work.looking_ahead import look_ahead

router = APIRouter(prefix="/api/datasets/{key}", tags=["datasets"])


class LookupsBody(Model):
    lookups: list[LookupBody] = Field(max_length=20)


class DerivedsBody(Model):
    derived: list[DerivedBody] = Field(max_length=50)


def _looking(who: Reader, session: Session) -> RowsThere:
    return RowsThere(who.sources, session)


def _keep(
    who: Reader, response: Response, later: BackgroundTasks, dataset: StoredDataset, saw: int, wide: Wide
) -> DatasetOut:
    with who.write() as session:
        made = dataset_versions.widen(session, dataset.id, saw, wide, orders_of(dataset, wide))
        later.add_task(look_ahead, who.sources, dataset.id)
        return dataset_answer(session, response, made)


@router.get("/lookups")
def list_matches(key: str, who: Reader = Depends(reader)) -> list[MatchedOut]:
    """How the keys of each lookup are found, in the rows as they are now."""
    with who.read() as session:
        return matches(_looking(who, session), datasets.get(session, key))


@router.put("/lookups")
def put_lookups(
    key: str,
    body: LookupsBody,
    response: Response,
    later: BackgroundTasks,
    if_match: str | None = Header(None),
    who: Reader = Depends(reader),
) -> DatasetOut:
    """What is taken from other datasets, all of it; keys that stand twice there, and circles, are refused."""
    saw = seen_version(if_match)
    with who.read() as session:  # other servers are asked before anything is locked
        dataset = datasets.get(session, key)
        wide = lookups_of(_looking(who, session), dataset, body.lookups)
    return _keep(who, response, later, dataset, saw, wide)


@router.post("/lookups/try")
def try_lookup(key: str, body: LookupBody, who: Reader = Depends(reader)) -> LookupLook:
    """A first look at what a lookup would find. Nothing is kept."""
    with who.read() as session:
        return look_up(_looking(who, session), datasets.get(session, key), body, who.context(session).style)


@router.put("/derived")
def put_derived(
    key: str,
    body: DerivedsBody,
    response: Response,
    later: BackgroundTasks,
    if_match: str | None = Header(None),
    who: Reader = Depends(reader),
) -> DatasetOut:
    """The columns that are derived by formulas, all of them in their order."""
    saw = seen_version(if_match)
    with who.read() as session:
        dataset = datasets.get(session, key)
        wide = derived_of(session, dataset, body.derived)
    return _keep(who, response, later, dataset, saw, wide)


@router.post("/derived/try")
def try_derived(key: str, body: DerivedBody, who: Reader = Depends(reader)) -> DerivedLook:
    """What a formula comes to in the rows as they are. Nothing is kept."""
    with who.read() as session:
        return derive(_looking(who, session), datasets.get(session, key), body, who.context(session).style)
