"""Questions about numbers that are far from everything read so far."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
from pydantic import BaseModel

from ironmark.core.evaluate import Floats
from ironmark.core.formula_nodes import FormulaError
from ironmark.core.numbers import NotANumber, NumberStyle, Unit, show, understand
from ironmark.core.periods import Grain, Period, timeline
from ironmark.core.words import doubt
from ironmark.pages.context.reading_context import ReadingContext
from ironmark.pages.model.kpi import KpiBody
from ironmark.tables.cells import NoPeriod
from ironmark.tables.connections import LiveProblem


class Understood(BaseModel):
    """together: what it comes to where each of several members has it."""

    value: float | None
    shown: str
    problem: str
    doubt: str
    together: str = ""


def history_of(context: ReadingContext, body: KpiBody | None, of: Mapping[str, str] | None = None) -> np.ndarray:
    """The sizes of a KPI's readings so far, of the one member of each segment in ``of``, or of all rows together."""
    if body is None:
        return np.array([])
    found = sizes_by_member(context, body, None, of or {}, "month")
    return found.get(None, np.array([]))


def sizes_by_member(
    context: ReadingContext, body: KpiBody, by: str | None, of: Mapping[str, str], grain: Grain
) -> dict[str | None, Floats]:
    """The sizes of a KPI's readings so far by the members of a segment; none where they cannot be read."""
    try:
        source = context.source(body)
        periods = timeline(Period.of(source.last, grain, context.year_start), source.first, source.last)
        taken = context.read(body, by=by, where={s: [m] for s, m in of.items()}, periods=periods)
    except (FormulaError, NoPeriod, LiveProblem, KeyError):
        return {}
    return {name: np.abs(line[np.isfinite(line)]) for name, line in zip(taken.members, taken.value.T, strict=True)}


def understood(text: str, unit: Unit, history: np.ndarray, style: NumberStyle, members: int = 1) -> Understood:
    """A typed number in a unit. history: the sizes it is held against; members: how many it may be of each."""
    try:
        value = understand(text, unit, style)
    except NotANumber as error:
        return Understood(value=None, shown="", problem=str(error), doubt="")
    return Understood(
        value=value, shown=show(value, unit, style), problem="", doubt=doubt(value, unit, history, style),
        together=show(value * members, unit, style) if members > 1 else "",
    )  # fmt: skip
