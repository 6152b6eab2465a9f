"""Instruments that are alike but for their place: they are read and drawn once."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, TypeVar

from ironmark.pages.model.scorecard import InstrumentBody

PLACE = {"id", "x", "y", "w", "h"}  # what an instrument's place on the page is kept in
_T = TypeVar("_T")

MOST = 5000  # instruments whose likeness is kept
# Documents are kept by version, so the same instruments come again; each is held on to, and so its id is its own.
_told: dict[int, tuple[InstrumentBody, str]] = {}


def but_for_place(instrument: InstrumentBody) -> str:
    """What is the same of instruments that differ in nothing but where they stand."""
    held = _told.get(id(instrument))
    if held is None:
        if len(_told) >= MOST:
            _told.clear()
        held = _told[id(instrument)] = instrument, instrument.model_dump_json(exclude=PLACE)
    return held[1]


def different(instruments: Sequence[InstrumentBody]) -> list[InstrumentBody]:
    """Of those that differ in nothing but where they stand the first, whose readings its sheet asks for."""
    return list({but_for_place(instrument): instrument for instrument in reversed(instruments)}.values())[::-1]


def edited(held: _T, **slots: Any) -> _T:
    """A copy of a dataclass with other values in some slots. ``replace`` runs the constructor, which takes ten times
    as long for the wide ones that a page is made of."""
    made = object.__new__(type(held))
    made.__dict__.update(held.__dict__, **slots)
    return made
