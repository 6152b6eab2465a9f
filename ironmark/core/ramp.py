"""Ramps: continuous colour instead of bands, between two colours or through a neutral middle."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

from ironmark.core.colour import SEEN_BY, VISIONS, distance, from_oklab, lab, oklab, rgb, seen, written
from ironmark.core.evaluate import Floats

LEAST_SPAN, MOST_UNEVEN, ENDS_APART = 30.0, 14.0, 15.0  # CIELAB L*, L*, CIEDE2000
Anchor = Literal["extent", "ends", "midpoint"]
# Light to dark for two colours; for three the middle is neutral and both ends are as dark as each other. Each stays
# told apart in grey or by its hue for every colour vision (see tests/core/test_palette.py).
RAMPS: dict[str, tuple[str, ...]] = {
    "slate": ("#e3e1d8", "#2b4a63"),
    "heather": ("#efe3ea", "#6a2f6b"),
    "moss": ("#eceadb", "#3f5a2c"),
    "tideline": ("#96401f", "#ebe6da", "#1f5f7a"),
    "dusk": ("#7a4a0e", "#ece7e0", "#4a3f8c"),
}


@dataclass(frozen=True)
class Ramp:
    """``colours`` (two or three, ``#rrggbb``) at the ``anchors`` (as many, rising, KPI unit)."""

    colours: tuple[str, ...]
    anchors: tuple[float, ...]

    def __post_init__(self) -> None:
        if len(self.colours) not in (2, 3) or len(self.colours) != len(self.anchors):
            raise ValueError("a ramp has two or three colours, each with its anchor")
        if any(low >= high for low, high in zip(self.anchors, self.anchors[1:], strict=False)):
            raise ValueError("the anchors of a ramp rise: low, then middle, then high")

    def shades(self, values: Floats) -> list[str | None]:
        """The colour of each value (n,), KPI unit; past an anchor its colour, None for NaN."""
        stops = oklab(rgb(self.colours))
        mixed = np.stack([np.interp(values, self.anchors, stop) for stop in stops.T], axis=1)
        found = written(from_oklab(np.nan_to_num(mixed)))
        return [shade if known else None for shade, known in zip(found, np.isfinite(values), strict=True)]

    def steps(self, count: int = 9) -> list[str]:
        """The ramp as ``count`` colours from its low to its high end, evenly along its values."""
        return [shade or "" for shade in self.shades(np.linspace(self.anchors[0], self.anchors[-1], count))]


def doubts(colours: Sequence[str]) -> list[str]:
    """What is wrong with two or three colours as a ramp, in words; nothing for one that passes.

    Between two colours the lightness goes one way all the way, in even steps (the largest at most twice the mean of
    CIELAB L*); around a middle both ends are about as dark as each other, and are told apart. All of that for every
    colour vision, since who cannot tell the hue goes by lightness.
    """
    found = []
    for vision in VISIONS[:-1]:
        seen_as = SEEN_BY[vision]
        if len(colours) == 2:
            light = lab(seen(rgb(Ramp(tuple(colours), (0.0, 1.0)).steps(9)), vision))[:, 0]
            steps = np.diff(light)
            if abs(light[-1] - light[0]) < LEAST_SPAN:
                found.append(
                    f"its ends are nearly as light as each other {seen_as}: "
                    f"{abs(light[-1] - light[0]):.0f} apart in lightness, {LEAST_SPAN:g} needed"
                )
            elif (np.sign(steps) != np.sign(steps[0])).any() or np.abs(steps).max() > 2 * np.abs(steps).mean():
                found.append(f"its lightness does not change evenly {seen_as}")
        else:
            places = lab(seen(rgb(colours), vision))
            low, middle, high = places[:, 0]
            if not (middle > max(low, high) or middle < min(low, high)):
                found.append(f"its middle is neither the lightest nor the darkest {seen_as}")
            elif abs(low - high) > MOST_UNEVEN:
                found.append(
                    f"one end is darker than the other {seen_as}, so that equal distances look unequal: "
                    f"{abs(low - high):.0f} apart in lightness, {MOST_UNEVEN:g} at most"
                )
            apart = float(distance(places[:1], places[2:])[0])
            if apart < ENDS_APART:
                found.append(f"its two ends look alike {seen_as}: {apart:.0f} apart, {ENDS_APART:g} needed")
    return found


def anchored(
    colours: Sequence[str], values: Floats, anchor: Anchor, low: float | None, middle: float | None, high: float | None
) -> Ramp:
    """A ramp for values (n,), KPI unit: from the least to the largest, between given ends, or around a middle.

    An end that is not given is the data's own. Around a middle each side runs to its own end; one on which there is
    nothing runs as far as the other, so that the ramp still rises. With two colours the middle takes the one halfway
    between them. Raises ValueError for anchors that do not rise.
    """
    known = values[np.isfinite(values)]
    least, most = (float(known.min()), float(known.max())) if known.size else (0.0, 1.0)
    if anchor == "extent":
        low, high = least, most
        middle = None
    ends = (low, high)
    low, high = least if low is None else low, most if high is None else high
    if anchor == "midpoint":
        middle = (low + high) / 2 if middle is None else middle
        below, above = middle - low, high - middle
        if ends[0] is None and below <= 0:
            low = middle - (above if above > 0 else 1.0)
        if ends[1] is None and above <= 0:
            high = middle + (below if below > 0 else 1.0)
    if low == high:
        low, high = low - (abs(low) or 1.0) / 2, high + (abs(high) or 1.0) / 2
    if len(colours) == 2 and (middle is None or not low < middle < high):
        return Ramp(tuple(colours), (low, high))
    if len(colours) == 2:
        halfway = Ramp(tuple(colours), (0.0, 1.0)).shades(np.array([0.5]))[0] or colours[0]
        return Ramp((colours[0], halfway, colours[1]), (low, middle or 0.0, high))
    return Ramp(tuple(colours), (low, (low + high) / 2 if middle is None else middle, high))
