"""Ramps on an instrument: the colour of each reading, and the legend that tells them."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from ironmark.core import words
from ironmark.core.evaluate import Floats
from ironmark.core.numbers import Unit
from ironmark.core.periods import Period
from ironmark.core.ramp import RAMPS, anchored
from ironmark.pages.documents import InstrumentBody, ScopeBody
from ironmark.pages.library import Library
from ironmark.pages.places import Place
from ironmark.pages.reads import take_readings
from ironmark.pages.shapes import RampPicture, ReadingPicture, Tick

STEPS = 12


def shaded(
    library: Library,
    instrument: InstrumentBody,
    scope: ScopeBody,
    period: Period | None,
    places: Sequence[Place],
    drawn: Sequence[ReadingPicture],
    unit: Unit,
) -> RampPicture:
    """Give every reading its colour, by its value or by another KPI. Raises as ``take_readings`` does."""
    body = instrument.ramp
    assert body is not None
    values, name = np.array([at.value for at in places]), library.kpi(instrument.kpi).name
    if body.kpi:
        values, name = _other(library, instrument, body.kpi, scope, period, places), library.kpi(body.kpi).name
        unit = library.kpi(body.kpi).unit.core()
    ramp = anchored(RAMPS[body.colours], values, body.anchor, body.low, body.middle, body.high)
    for reading, shade in zip(drawn, ramp.shades(values), strict=False):
        reading.shade = shade
    low, high = ramp.anchors[0], ramp.anchors[-1]
    return RampPicture(
        name=name,
        colours=ramp.steps(STEPS),
        anchors=[
            Tick(fraction=(at - low) / (high - low), label=words.show_cut(_short(at), unit)) for at in ramp.anchors
        ],
    )


def _short(value: float) -> float:
    return float(f"{value:.4g}")


def _other(
    library: Library,
    instrument: InstrumentBody,
    kpi: str,
    scope: ScopeBody,
    period: Period | None,
    places: Sequence[Place],
) -> Floats:
    """Another KPI's values for the same members or periods; NaN where it has none."""
    readings, _ = take_readings(
        library, instrument.model_copy(update={"kpi": kpi, "yardstick": None, "marks": []}), scope, period
    )
    column = {member: m for m, member in enumerate(readings.members)}
    found = []
    for at in places:
        p = readings.at(at.readings.periods[at.p])
        m = column.get(at.member) if at.role == "member" else (0 if at.role in ("all", "period") else None)
        found.append(float(readings.value[p, m]) if p is not None and m is not None else math.nan)
    return np.array(found)
