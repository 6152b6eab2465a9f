"""What workings say of a reading beside its state: its usual range, why it is a signal, that its rows are few, where it goes."""

from __future__ import annotations

from ironmark.core.numbers import show
from ironmark.core.readings import Readings
from ironmark.core.signal_words import range_words
from ironmark.pages.context.reading_context import ReadingContext
from ironmark.pages.model.page import parsed
from ironmark.pages.model.scorecard import InstrumentBody
from ironmark.pages.reading.by_chance import by_chance
from ironmark.pages.reading.plain_readings import plain_readings_of
from ironmark.pages.reading.workings_rows import Line


def signal_lines(context: ReadingContext, instrument: InstrumentBody, readings: Readings, p: int, m: int) -> list[Line]:
    block = plain_readings_of(context, instrument.kpi, instrument.yardstick, readings)
    unit, style, period, lines = readings.kpi.unit, context.style, readings.periods[p], []
    known = readings.yardstick.known if readings.yardstick else {}
    if (usual := block.usual.at(p, m)) is not None:
        since = parsed(usual.since, context.year_start).label
        told = f"{usual.words(unit, style)}, of {usual.of} {period.grain}s since {since}"
        lines.append(Line(label="Usual range", text=told))
        lines.append(
            Line(label="Signal", text=usual.signal(period.grain, unit, style) or "none: within its usual variation")
        )
    name, mark = readings.whole_mark(p, m)
    if said := by_chance(readings, block.usual, mark, style, m):
        lines.append(Line(label="By usual variation alone", text=f"{name} {said[0]}"))
    if (few := block.usual.few(p, m)) is not None:
        lines.append(Line(label="Few rows", text=few.words(known, style)))
    if (going := block.outlooks.at(p, m)) is not None:
        states = "; ".join(f"{known[state].name} in {n} of 10" for state, n in going.states)
        told = f"{show(going.end, unit, style)}, likely {range_words(going.low, going.high, unit, style)}"
        lines.append(Line(label="On its way to", text="; ".join(part for part in (told, states) if part)))
    return lines
