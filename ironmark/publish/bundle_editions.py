"""Editions, standing orders and lists of holidays in a bundle: each as plain JSON, and read back as it was."""

from __future__ import annotations

import datetime as dt
import json
from collections.abc import Collection
from typing import Any, Literal

from pydantic import Field
from sqlalchemy import select
from sqlalchemy.orm import Session

from ironmark.clock import now
from ironmark.pages.model.field_types import Key, Model, Name
from ironmark.pages.model.problems import Refused
from ironmark.pages.publishing.editions import Frozen
from ironmark.pages.publishing.standing import StandingBody, next_due
from ironmark.store import calendar, editions, standing
from ironmark.store.models import Edition, Holidays, Standing


class HeldEdition(Model):
    """An edition with what is told of it. moments: ISO 8601 in UTC, None for none. frozen: what it holds."""

    scorecard: Key
    number: int = Field(ge=1)
    suffix: str = Field("", max_length=4, pattern="^[a-z]*$")
    state: Literal["draft", "published", "withdrawn"]
    title: Name
    note: str = Field("", max_length=20_000)
    period: str = Field(max_length=700)
    period_label: str = Field(max_length=700)
    made_at: dt.datetime
    made_by: str = Field("", max_length=120)
    published_at: dt.datetime | None = None
    published_by: str = Field("", max_length=120)
    withdrawn_at: dt.datetime | None = None
    withdrawn_by: str = Field("", max_length=120)
    why: str = Field("", max_length=20_000)
    standing: Key | None = None
    standing_for: Key | None = None
    frozen: dict[str, Any]

    @property
    def called(self) -> str:
        return f"{self.title}, {self.period_label}, edition {self.number}{self.suffix}"


class HeldHolidays(Model):
    name: Name
    days: list[dt.date] = Field(max_length=5_000)


_TOLD = tuple(name for name in HeldEdition.model_fields if name != "frozen")


def packed_editions(session: Session, scorecards: Collection[str] | None) -> dict[str, dict[str, Any]]:
    """Every edition, or those of some scorecards, by their ids."""
    found = {}
    for row in editions.list_all(session):
        if scorecards is not None and row.scorecard not in scorecards:
            continue
        frozen = json.loads(Frozen.from_bytes(editions.frozen_bytes(session, row.id)).to_json())
        told = {name: getattr(row, name) for name in _TOLD}
        found[row.id] = HeldEdition.model_validate(told | {"frozen": frozen}).model_dump(mode="json")
    return found


def packed_orders(
    session: Session, scorecards: Collection[str] | None
) -> tuple[dict[str, dict[str, Any]], dict[str, dict[str, Any]]]:
    """Standing orders, all or those of some scorecards, and the lists of holidays that these go by."""
    rows = [row for row in standing.list_all(session) if scorecards is None or row.body["scorecard"] in scorecards]
    orders = {row.id: StandingBody.model_validate(row.body).model_dump(mode="json") for row in rows}
    named = {body["holidays"] for body in orders.values()}
    lists = {
        row.id: {"name": row.name, "days": list(row.days)}
        for row in standing.holiday_lists(session)
        if scorecards is None or row.id in named
    }
    return orders, lists


def differs(session: Session, kind: str, key: str, body: dict[str, Any]) -> tuple[str, str]:
    """What reading one would do, and why: an edition is kept as it is, never changed."""
    if kind == "edition":
        row = session.get(Edition, key)
        if row is not None:
            mine = packed_editions(session, {row.scorecard}).get(key)
            return ("same", "") if mine == body else ("clash", "an edition with this id is here, and another one")
        query = select(Edition.id).where(
            Edition.scorecard == body["scorecard"], Edition.number == body["number"], Edition.suffix == body["suffix"]
        )
        if session.scalar(query) is not None:
            return "clash", "another edition of this scorecard has its number here"
        return "new", ""
    mine = None
    if kind == "holidays" and (held := session.get(Holidays, key)) is not None:
        mine = {"name": held.name, "days": list(held.days)}
    elif kind == "order" and (order := session.get(Standing, key)) is not None:
        mine = StandingBody.model_validate(order.body).model_dump(mode="json")
    return ("new", "") if mine is None else ("same", "") if mine == body else ("changed", "")


def make(session: Session, kind: str, key: str, body: dict[str, Any]) -> None:
    """Keep one, or have it stand in the place of the one that is there."""
    if kind == "edition":
        held = HeldEdition.model_validate(body)
        frozen = Frozen.from_json(json.dumps(held.frozen).encode())
        told = {name: getattr(held, name) for name in _TOLD}
        session.add(Edition(id=key, version=1, restated=None, checked="", body=frozen.to_bytes(), **_naive(told)))
    elif kind == "holidays":
        given = HeldHolidays.model_validate(body)
        row = session.get(Holidays, key) or Holidays(id=key, made_at=now())
        row.name, row.days = given.name, [day.isoformat() for day in given.days]
        session.add(row)
    else:
        order = StandingBody.model_validate(body)
        if order.holidays and session.get(Holidays, order.holidays) is None:
            raise Refused(422, "no-holidays", "A list is missing", f"The order goes by the holidays {order.holidays}.")
        days = standing.holidays(session, order.holidays)
        due, period = next_due(order, now(), days, calendar.year_start_of(calendar.get(session)))
        here = session.get(Standing, key)
        if here is None:
            standing.create(session, order.model_dump(), due, period.key, key=key)
        else:
            standing.save(session, key, here.version, order.model_dump(), due, period.key)
    session.flush()


def _naive(told: dict[str, Any]) -> dict[str, Any]:
    return {
        name: value.astimezone(dt.UTC).replace(tzinfo=None) if isinstance(value, dt.datetime) and value.tzinfo else value
        for name, value in told.items()
    }  # fmt: skip
