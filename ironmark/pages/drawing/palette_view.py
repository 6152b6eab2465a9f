"""How palettes look: their colours on light and dark ground, and whether every reader can tell them apart."""

from __future__ import annotations

from functools import lru_cache

from pydantic import BaseModel

from ironmark.core import colour as colours
from ironmark.core import palette as core


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
