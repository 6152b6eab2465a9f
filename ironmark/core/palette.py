"""States and palettes: what bands say, in which colours, and whether every reader can tell them apart."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import pairwise

from ironmark.core import colour as colours
from ironmark.core.colour import SEEN_BY, VISIONS, Vision

SIGNS = ("deep-under", "far-under", "just-under", "on", "just-over", "far-over", "deep-over")
MIN_STATES, MAX_STATES = 2, len(SIGNS)
SHEET, DARK_SHEET = "#fcfbf8", "#1c2327"
INK, LIGHT_INK = "#1e282e", "#ffffff"
# CIEDE2000 that two neighbouring states keep at least, by how they are seen. In grey only the lightness is left.
APART: Mapping[Vision, float] = {"full": 15.0, "protan": 9.0, "deutan": 9.0, "tritan": 9.0, "grey": 6.0}
ON_SHEET = 2.2  # contrast of a plate with its sheet; the sign and the word repeat what it says
READ = 4.5  # contrast of words, WCAG 2.2 level AA


@dataclass(frozen=True)
class State:
    """What a band says. ``rank`` runs from worst (1) to best; ``sign`` tells it without colour.

    key: one word for a state of the standard palette, else ``palette-word``.
    """

    key: str
    name: str
    rank: int
    sign: str
    colour: str
    dark: str = ""  # on a dark ground; "" lifts ``colour`` as far as it needs


@dataclass(frozen=True)
class Palette:
    """A set of states from worst to best. A yardstick takes all its states from one."""

    key: str
    name: str
    states: tuple[State, ...]


def _palette(key: str, name: str, *states: tuple[str, ...]) -> Palette:
    made = (
        State(f"{key}-{word.lower()}", word, rank, sign, *tones)
        for rank, (word, sign, *tones) in enumerate(states, start=1)
    )
    return Palette(key, name, tuple(made))


STANDARD = Palette(
    "standard",
    "Standard",
    (
        State("short", "Short", 1, "far-under", "#b03a48", "#e0626f"),
        State("near", "Near", 2, "just-under", "#d3932a", "#e0a63f"),
        State("met", "Met", 3, "just-over", "#2a7f78", "#45aba2"),
        State("beyond", "Beyond", 4, "far-over", "#2f4e9e", "#7796ea"),
    ),
)
PALETTES = {
    palette.key: palette
    for palette in (
        STANDARD,
        _palette("pass", "Pass or fail", ("Fails", "just-under", "#a8452c"), ("Holds", "just-over", "#4b8fc4")),
        _palette(
            "tide", "Tide",
            ("Ebb", "far-under", "#8a2f5d"), ("Slack", "on", "#cfa53c"), ("Flood", "far-over", "#1f6f8b"),
        ),
        _palette(
            "risk", "Risk",
            ("Severe", "deep-under", "#5b1a2c", "#d4456f"), ("High", "far-under", "#b8492f", "#e8875f"),
            ("Raised", "just-under", "#d0983a", "#f0cf86"), ("Guarded", "just-over", "#4a8a90", "#5fb3b3"),
            ("Low", "far-over", "#1f4866", "#6d8fe0"),
        ),
        _palette(
            "print", "For print",
            ("Behind", "far-under", "#3b1f2b", "#b8537f"), ("Close", "just-under", "#96524a", "#e0907a"),
            ("There", "just-over", "#d0984d", "#eccb8d"), ("Ahead", "far-over", "#3f7f9a", "#5b9fd0"),
        ),
    )
}  # fmt: skip
STATES: dict[str, State] = {state.key: state for palette in PALETTES.values() for state in palette.states}


def palette_of(key: str) -> str:
    """The key of the palette a state belongs to."""
    return key.rpartition("-")[0] or STANDARD.key


@dataclass(frozen=True)
class Shades:
    """What one state needs on one ground: full, as a tint behind, as a word, and what is written on it."""

    full: str
    tint: str
    word: str
    on: str


def shades(state: State, dark: bool) -> Shades:
    """The shades of a state on the light or the dark sheet; words keep a contrast of READ with their ground."""
    sheet, ink = (DARK_SHEET, LIGHT_INK) if dark else (SHEET, INK)
    full = state.colour
    if dark:
        full = state.dark or colours.until(state.colour, DARK_SHEET, LIGHT_INK, 4.0)
    tint = colours.mix(full, sheet, 0.26 if dark else 0.2)
    word = colours.until(full, tint, ink, READ)
    on = max(("#ffffff", "#14191d"), key=lambda text: colours.contrast(text, full))
    return Shades(full, tint, word, on)


@dataclass(frozen=True)
class Doubt:
    """Two neighbouring states that look alike, or one that is lost on its ground; by how much, and what is needed."""

    vision: Vision
    states: tuple[str, ...]
    found: float
    needed: float
    words: str


def doubts(states: Sequence[State]) -> list[Doubt]:
    """What is wrong with the colours of a palette's states, on light and on dark; nothing for one that passes."""
    ranked = sorted(states, key=lambda state: state.rank)
    found = []
    for dark in (False, True):
        fulls = [shades(state, dark).full for state in ranked]
        where = " on a dark page" if dark else ""
        for vision in VISIONS[:-1] if dark else VISIONS:  # nobody prints a dark page
            places = colours.lab(colours.seen(colours.rgb(fulls), vision))
            apart = colours.distance(places[:-1], places[1:]).tolist()
            for (one, other), far in zip(pairwise(ranked), apart, strict=True):
                if far < APART[vision]:
                    words = (
                        f"{one.name} and {other.name} look alike {SEEN_BY[vision]}{where}: "
                        f"{far:.1f} apart, {APART[vision]:g} needed"
                    )
                    found.append(Doubt(vision, (one.key, other.key), far, APART[vision], words))
        for state, full in zip(ranked, fulls, strict=True):
            ratio = colours.contrast(full, DARK_SHEET if dark else SHEET)
            if ratio < ON_SHEET:
                words = f"{state.name} is lost on the page{where}: contrast {ratio:.1f}, {ON_SHEET:g} needed"
                found.append(Doubt("full", (state.key,), ratio, ON_SHEET, words))
    return found
