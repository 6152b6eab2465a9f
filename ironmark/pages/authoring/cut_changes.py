"""Cuts as they are moved by hand: dragged or stepped on a strip or a face, made a plain number, or put into a band."""

from __future__ import annotations

import math
from typing import Annotated, Literal

from pydantic import Field, FiniteFloat

from ironmark.core import yardstick as grading
from ironmark.core.yardstick import Cut
from ironmark.pages.model.field_types import MarkName, Model, Number
from ironmark.pages.model.problems import Refused
from ironmark.pages.model.yardstick import CutBody, YardstickBody


class CutChange(Model):
    """move: cut ``at`` to the value ``to``, held by its neighbours; type: to just that value, which may be refused when it
    is kept; number: cut ``at`` rests on no mark any more; split: band ``at`` in two at ``to``. Values as they are read;
    marks and scale: what the marks, and plain numbers, come to where they are."""

    body: YardstickBody
    how: Literal["move", "type", "number", "split"]
    at: int = Field(ge=0, le=grading.MAX_BANDS - 1)
    to: Number
    marks: dict[MarkName, Number] = Field(default={}, max_length=12)
    scale: Annotated[FiniteFloat, Field(gt=0)] = 1.0


def changed_cuts(ask: CutChange) -> YardstickBody:
    """The yardstick with that one change. Refuses a cut that is not there, or whose mark is not."""
    body = ask.body
    if ask.at >= len(body.cuts) + (ask.how == "split"):
        detail = f"“{body.name}” has {len(body.cuts)} cuts. Open it anew: it was changed meanwhile."
        raise Refused(422, "no-cut", "There is no such cut", detail, {"field": "at"})
    if ask.how == "split" and len(body.bands) == grading.MAX_BANDS:
        detail = f"A yardstick has at most {grading.MAX_BANDS} bands. Take one out first."
        raise Refused(422, "bands", "No room for another band", detail, {"field": "at"})
    cuts = [cut.as_cut() for cut in body.cuts]
    lines = [grading.value_of(cut, ask.marks.get(cut.mark or ""), ask.scale) for cut in cuts]
    above = lines[ask.at + (ask.how != "split") :]
    to = ask.to if ask.how == "type" else _between(lines[: ask.at], ask.to, above)
    plain = Cut(grading.tidy(to / ask.scale))
    bands = list(body.bands)
    if ask.how == "split":
        cuts.insert(ask.at, plain)
        bands.insert(ask.at, bands[ask.at])
    elif ask.how == "number":
        cuts[ask.at] = Cut(plain.offset, belongs=cuts[ask.at].belongs)
    else:
        cut = cuts[ask.at]
        try:
            cuts[ask.at] = grading.moved(cut, to, ask.marks.get(cut.mark or ""), ask.scale)
        except ValueError:
            detail = f"There is no {cut.mark} here that this cut rests on. Enter one in the mark book, or make the cut a number."
            raise Refused(422, "no-mark", "Its mark is missing", detail, {"field": "at"}) from None
    return body.model_copy(update={"bands": bands, "cuts": [CutBody(**vars(cut)) for cut in cuts]})


def _between(below: list[float], to: float, above: list[float]) -> float:
    """The value held by its nearest neighbours; one whose mark is missing holds nothing."""
    least = next((line for line in reversed(below) if not math.isnan(line)), -math.inf)
    most = next((line for line in above if not math.isnan(line)), math.inf)
    return max(least, min(to, most))
