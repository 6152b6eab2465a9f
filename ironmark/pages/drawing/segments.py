"""Rings of even segments: how much of each is lit, and what it is painted with."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from ironmark.core.ramp import RAMPS, Ramp
from ironmark.pages.model.face_settings import DialLook, RingLook
from ironmark.pages.model.page import Reading
from ironmark.pages.model.pictures import Band, Segment


def segments_of(look: DialLook | RingLook, reading: Reading, fraction: float, bands: Sequence[Band]) -> list[Segment]:
    """The segments of one reading's ring, from the low end of its axis; none of a whole ring.

    fraction: where the value lies, 0 to 1. Painted up to the value, a segment has the reading's own state; else that
    of the place its middle stands for. What a needle points at is lit by its band, or throughout on a ramp.
    """
    count = look.segments
    if count < 2 or (isinstance(look, DialLook) and look.ring != "segments"):
        return []
    middles = (np.arange(count) + 0.5) / count
    filled = np.clip(fraction * count - np.arange(count), 0.0, 1.0) if reading.value is not None else np.zeros(count)
    needle = isinstance(look, DialLook) and look.hand == "needle"
    shades: list[str | None] = [None] * count
    if look.paint == "ramp":
        colours = RAMPS[look.colours][:: -1 if look.turned else 1]
        shades = Ramp(colours, (0.0, 1.0) if len(colours) == 2 else (0.0, 0.5, 1.0)).shades(middles)
    found = []
    for at, middle in enumerate(middles.tolist()):
        band = next((band for band in bands if band.start <= middle < band.end), None)
        lit = float(filled[at])
        if needle and look.paint == "ramp":
            lit = 1.0
        elif needle and look.paint == "state":
            lit = float(band is not None and band.at == reading.band)
        state = reading.state if look.paint == "value" else band.state if band and look.paint == "state" else None
        found.append(Segment(at / count, (at + 1) / count, lit, state, shades[at]))
    return found
