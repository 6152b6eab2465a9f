"""The demo, for a newcomer who has nothing yet."""

from __future__ import annotations

from fastapi import APIRouter, Depends
from pydantic import BaseModel
from sqlalchemy import text

from ironmark.api.access import Reader, reader
from ironmark.demo.load import load_if_unused
from ironmark.pages.model.problems import Refused
from ironmark.store.mariadb import ROWS_DATABASE

router = APIRouter(prefix="/api/demo", tags=["demo"])


class DemoOffer(BaseModel):
    """possible: the database is one of our own, which has room for the demo's tables."""

    possible: bool


def _possible(who: Reader) -> bool:
    with who.read() as session:
        found = session.execute(text("SHOW DATABASES LIKE :name"), {"name": ROWS_DATABASE}).first()
        return found is not None


@router.get("")
def offer_demo(who: Reader = Depends(reader)) -> DemoOffer:
    return DemoOffer(possible=_possible(who))


@router.post("", status_code=204)
def load_demo(who: Reader = Depends(reader)) -> None:
    """Load the demo where there is nothing yet."""
    if not _possible(who) or not load_if_unused(who.sources.engine):
        raise Refused(
            409, "in-use", "There is something here already",
            "The demo is loaded where there are no rows, KPIs and scorecards. Delete them, or start with --data-dir and "
            "an empty folder.",
        )  # fmt: skip
