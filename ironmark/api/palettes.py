"""Palettes: the states there are, their colours, and whether every reader can tell them apart."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, Depends
from sqlalchemy.orm import Session

from ironmark.api.access import Reader, reader
from ironmark.api.answers.saved import Palette
from ironmark.api.records import add_routes
from ironmark.core import palette as core
from ironmark.pages.drawing.palette_view import PaletteLook, look
from ironmark.pages.model.palette import PaletteBody
from ironmark.pages.model.problems import Refused
from ironmark.store import records

router = APIRouter(prefix="/api/palettes", tags=["palettes"], dependencies=[Depends(reader)])
states_router = APIRouter(prefix="/api/states", tags=["palettes"])


@states_router.get("")
def every_state(who: Reader = Depends(reader)) -> list[PaletteLook]:
    """Every palette with its states and how they look: those that come with the product, then the own ones."""
    with who.read() as session:
        return [look(palette) for palette in who.context(session).palettes.values()]


@router.post("/check")
def check_palette(body: PaletteBody) -> PaletteLook:
    """How a palette would look and what is wrong with it, while it is put together."""
    return look(body.as_palette("tried"))


def _used(session: Session) -> dict[str, list[str]]:
    """The names of the yardsticks that use a state, by its key."""
    found: dict[str, list[str]] = {}
    for yardstick in records.list_all(session, "yardstick"):
        for key in set(yardstick.body["bands"]):
            found.setdefault(key, []).append(yardstick.body["name"])
    return found


def _refuse_use(session: Session, palette: str, kept: set[str]) -> None:
    gone = {key: names for key, names in _used(session).items() if core.palette_of(key) == palette and key not in kept}
    for key, names in gone.items():
        word = key.rpartition("-")[2]
        where = ", ".join(names)
        raise Refused(
            409, "in-use", "The state is in use", f"“{word}” is used by {where}. Give its bands another first."
        )


def _check(session: Session, body: PaletteBody, key: str | None) -> None:
    if key is not None:
        _refuse_use(session, key, {state.key for state in body.as_palette(key).states})


def _may_delete(session: Session, _: Any, key: str | None) -> None:
    assert key is not None
    _refuse_use(session, key, set())


add_routes(router, "palette", PaletteBody, Palette, name="name", check=_check, may_delete=_may_delete)
