"""Palettes as they are kept."""

from __future__ import annotations

from typing import Annotated

from pydantic import (
    Field,
    StringConstraints,
    model_validator,
)

from ironmark.core import palette as palettes
from ironmark.pages.model.field_types import (
    Model,
    Name,
    Sign,
)


class StateBody(Model):
    """A state of an own palette. ``key`` is one word, unlike any other of its palette."""

    key: str = Field(pattern=r"^[a-z0-9]{1,30}$")
    name: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=30)]
    sign: Sign
    colour: str = Field(pattern=r"^#[0-9a-fA-F]{6}$")


class PaletteBody(Model):
    """States from worst to best."""

    name: Name
    states: list[StateBody] = Field(min_length=palettes.MIN_STATES, max_length=palettes.MAX_STATES)

    @model_validator(mode="after")
    def told_apart(self) -> PaletteBody:
        for what in ("key", "name", "sign"):
            found = [getattr(state, what).lower() for state in self.states]
            if len(set(found)) < len(found):
                raise ValueError(f"two states have the same {what}; without colour they could not be told apart")
        return self

    def as_palette(self, key: str) -> palettes.Palette:
        states = (
            palettes.State(f"{key}-{state.key}", state.name, rank, state.sign, state.colour)
            for rank, state in enumerate(self.states, start=1)
        )
        return palettes.Palette(key, self.name, tuple(states))
