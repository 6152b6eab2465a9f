"""Palettes: the states there are, their colours, and whether every reader can tell them apart."""

from __future__ import annotations

from functools import lru_cache
from typing import Any

from fastapi import APIRouter, Depends
from pydantic import BaseModel
from sqlalchemy.orm import Session

from ironmark.api.records import add_routes
from ironmark.api.who import Reader, reader
from ironmark.core import colour as colours
from ironmark.core import palette as core
from ironmark.pages.documents import Palette, PaletteBody
from ironmark.pages.problems import Refused
from ironmark.store import records

router = APIRouter(prefix="/api/palettes", tags=["palettes"], dependencies=[Depends(reader)])
states_router = APIRouter(prefix="/api/states", tags=["palettes"])


class ShadesOut(BaseModel):
    full: str
    tint: str
    word: str
    on: str


class StateLook(BaseModel):
    key: str
    name: str
    rank: int
    sign: str
    colour: str
    light: ShadesOut
    dark: ShadesOut


class DoubtOut(BaseModel):
    """Two neighbouring states that look alike, or one that is lost on the page."""

    vision: str
    states: list[str]
    found: float
    needed: float
    words: str


class Seen(BaseModel):
    vision: str
    colours: list[str]


class PaletteLook(BaseModel):
    key: str
    name: str
    own: bool
    states: list[StateLook]
    doubts: list[DoubtOut]
    seen: list[Seen]  # the colours as readers see them, in the order of the states


@lru_cache(maxsize=64)
def look(palette: core.Palette) -> PaletteLook:
    """How a palette looks; worked out once, since every page asks for all of them."""
    tones = colours.rgb([state.colour for state in palette.states])
    return PaletteLook(
        key=palette.key,
        name=palette.name,
        own=palette.key not in core.PALETTES,
        states=[
            StateLook(
                **{name: getattr(state, name) for name in ("key", "name", "rank", "sign", "colour")},
                light=ShadesOut(**vars(core.shades(state, dark=False))),
                dark=ShadesOut(**vars(core.shades(state, dark=True))),
            )
            for state in palette.states
        ],
        doubts=[DoubtOut(**{**vars(doubt), "states": list(doubt.states)}) for doubt in core.doubts(palette.states)],
        seen=[Seen(vision=vision, colours=colours.written(colours.seen(tones, vision))) for vision in colours.VISIONS],
    )


@states_router.get("")
def every_state(who: Reader = Depends(reader)) -> list[PaletteLook]:
    """Every palette with its states and how they look: those that come with the product, then the own ones."""
    with who.read() as session:
        return [look(palette) for palette in who.library(session).palettes.values()]


@router.post("/check")
def check_palette(body: PaletteBody) -> PaletteLook:
    """How a palette would look and what is wrong with it, while it is put together."""
    return look(body.as_palette("tried"))


def _used(session: Session) -> dict[str, list[str]]:
    """The names of the yardsticks that use a state, by its key."""
    found: dict[str, list[str]] = {}
    for yardstick in records.every(session, "yardstick"):
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
