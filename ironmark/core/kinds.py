"""Colours for kinds: members and regions, which are neither good nor bad. Quiet ones, and none of any state's.

The set was searched for: of quiet colours in OKLCH at least 9 (CIEDE2000) from every state of every palette that
comes with the product and 17 from the standard one's, those that lie farthest from each other for every colour
vision; in this order neighbours differ in lightness too. ``tests/core/test_kinds.py`` holds them to it.
"""

from __future__ import annotations

KINDS: dict[str, str] = {
    "lilac": "#bf9ed9",
    "stone": "#687a88",
    "mist": "#80afab",
    "bronze": "#715b13",
    "fern": "#829151",
    "lichen": "#586150",
    "coral": "#e1998c",
    "driftwood": "#907b71",
}
OTHERS = "#b5b1a7"  # all kinds past the last colour, told as one


def shade_of(place: int) -> str:
    """The colour of the kind at a place (from 0) in the order that kinds are kept in."""
    return list(KINDS.values())[place] if place < len(KINDS) else OTHERS
