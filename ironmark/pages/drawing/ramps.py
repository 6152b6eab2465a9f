"""Ramps on an instrument: the colour of each reading, and the legend that tells them."""

from __future__ import annotations

import numpy as np

from ironmark.core.numbers import NumberStyle, show
from ironmark.core.ramp import RAMPS, anchored, doubts
from ironmark.pages.drawing.scales import with_nan
from ironmark.pages.model.face_settings import RampBody
from ironmark.pages.model.page import Colouring, Figures
from ironmark.pages.model.pictures import RampPicture, Tick

STEPS = 12


def shaded(body: RampBody, by: Colouring, figures: Figures, style: NumberStyle) -> tuple[list[str | None], RampPicture]:
    """The colour of each figure, None for none, and the legend."""
    values = np.array(with_nan(figures))
    colours = tuple(body.own) or RAMPS[body.colours]
    ramp = anchored(colours, values, body.anchor, body.low, body.middle, body.high)
    low, high = ramp.anchors[0], ramp.anchors[-1]
    anchors = [Tick(fraction=(at - low) / (high - low), label=show(at, by.unit, style)) for at in ramp.anchors]
    return ramp.shades(values), RampPicture(
        name=by.name, colours=ramp.steps(STEPS), anchors=anchors, doubts=doubts(colours) if body.own else []
    )
