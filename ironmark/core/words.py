"""What a reading says in words: bands, gaps, and the sentence for a screen reader."""

from __future__ import annotations

import datetime as dt
import math
from collections.abc import Mapping, Sequence
from functools import lru_cache

import numpy as np

from ironmark.core.evaluate import Floats
from ironmark.core.numbers import MINUS, NumberStyle, Unit, scale, show, show_gap
from ironmark.core.yardstick import Cut, Yardstick

MOST_MORE = 2  # decimals that a mark may have beyond those of the readings beside it


def cut_words(cut: Cut, unit: Unit, style: NumberStyle) -> str:
    """A cut as it is defined: ``85%``, ``0.9 × target``, ``target − 5.0 points``."""
    if cut.mark is None:
        return show_cut(cut.offset, unit, style)
    line = cut.mark if cut.factor == 1 else f"{cut.factor:g} × {cut.mark}"
    if cut.offset:
        line += f" {'+' if cut.offset > 0 else MINUS} {show_gap(cut.offset, unit, style, decimals=decimals_for(cut.offset, unit))}"
    return line


def offset_words(offset: float, unit: Unit, style: NumberStyle) -> str:
    """An offset as it is typed: ``−7 points``, ``£3.2k``, ``0``."""
    return (
        (MINUS if offset < 0 else "") + show_gap(offset, unit, style, decimals=decimals_for(offset, unit))
        if offset
        else "0"
    )


@lru_cache(maxsize=8192)
def show_cut(value: float, unit: Unit, style: NumberStyle) -> str:
    """A cut's value with the decimals it needs, however few the KPI shows."""
    # The same cuts and marks are written for many readings of a page.
    return show(value, unit, style, decimals=decimals_for(value, unit))


def show_mark(value: float, unit: Unit, style: NumberStyle) -> str:
    """A mark's value as it stands beside readings: with the decimals it needs, and compact like them.

    One that was put together, such as a weighted mean, would need many: it is rounded as the readings are.
    """
    return show(value, unit, style) if unit.compact or not _is_round(value, unit) else show_cut(value, unit, style)


def show_line(value: float, unit: Unit, style: NumberStyle) -> str:
    """A cut's value beside a drawing: as ``show_cut``, but one that rests on a mark that was put together is rounded to
    one decimal more than the readings, since its many digits say no more there. Workings give them all."""
    return (
        show_cut(value, unit, style) if _is_round(value, unit) else show(value, unit, style, decimals=unit.decimals + 1)
    )


def _is_round(value: float, unit: Unit) -> bool:
    """Whether MOST_MORE decimals more than the readings have tell a value, as one that was typed does."""
    places = unit.decimals + MOST_MORE
    size, _ = scale(value, unit, places)
    return not math.isfinite(size) or abs(size - round(size, places)) <= 1e-9 * max(1.0, abs(size))


def decimals_for(value: float, unit: Unit) -> int:
    """As few decimals as tell ``value``, at most four (three when compact), or two figures of a smaller one."""
    most = 3 if unit.compact else 4
    size, _ = scale(value, unit, most)
    if 0 < size < 10.0 ** (1 - most):
        most = min(12, 1 - math.floor(math.log10(size)))
    return len(f"{size:.{most}f}".rstrip("0").partition(".")[2]) if math.isfinite(size) else 0


def band_words(yardstick: Yardstick, cuts: Sequence[float], band: int, unit: Unit, style: NumberStyle) -> str:
    """The extent of a band: ``85% up to, not including, 92%``. ``cuts``: resolved, KPI unit."""
    low = yardstick.cuts[band - 1] if band > 0 else None
    high = yardstick.cuts[band] if band < len(yardstick.cuts) else None
    low_text = show_cut(cuts[band - 1], unit, style) if low else ""
    high_text = show_cut(cuts[band], unit, style) if high else ""
    if low is None and high is not None:
        return f"under {high_text}" if high.belongs == "above" else f"{high_text} and under"
    if high is None and low is not None:
        return f"{low_text} and over" if low.belongs == "above" else f"over {low_text}"
    assert low is not None and high is not None
    start = low_text if low.belongs == "above" else f"over {low_text}"
    return f"{start} up to{', not including,' if high.belongs == 'above' else ' and including'} {high_text}"


def gap_words(value: float, line: float, mark: str, direction: str, unit: Unit, style: NumberStyle) -> str:
    """How far the value is from its mark: ``1.2 points under target 92%``, ``3 to spare``."""
    gap = value - line
    shown = show_mark(line, unit, style)
    if not math.isfinite(gap):
        return ""
    size = show_gap(gap, unit, style)
    if not any(figure in "123456789" for figure in size):
        return f"on {mark} {shown}"
    if direction == "lower":
        return f"{size} {'to spare' if gap < 0 else 'past it'}, {mark} {shown}"
    return f"{size} {'under' if gap < 0 else 'over'} {mark} {shown}"


def edge_words(edge: float, gap: float, inside: bool, unit: Unit, style: NumberStyle) -> str:
    """How far a value is from the nearer edge of its range: ``4 points inside 60%``, ``3 points outside 75%``."""
    size = show_gap(gap, unit, style)
    if not any(figure in "123456789" for figure in size):
        return f"on the edge {show_cut(edge, unit, style)}"
    return f"{size} {'inside' if inside else 'outside'} {show_cut(edge, unit, style)}"


FAR = 20  # times outside of what was read so far is asked about


def doubt(value: float, unit: Unit, sizes: Floats, style: NumberStyle) -> str:
    """A question where a value is FAR times outside of what readings were so far; else nothing.

    value: KPI unit; sizes: (n,) the absolute values of the readings, KPI unit.
    """
    if not sizes.size or value == 0 or sizes.min() / FAR <= abs(value) <= FAR * sizes.max():
        return ""
    return (
        f"{show(value, unit, style)} is far from this KPI’s history of {show(float(sizes.min()), unit, style)} to "
        f"{show(float(sizes.max()), unit, style)}. Keep it only if it is meant."
    )


def doubts_of(values: Mapping[str, float | None], unit: Unit, readings: Floats, style: NumberStyle) -> list[str]:
    """The questions about some values by what they are: ``axis to: 8,800% is far from …``.

    readings: (…) KPI unit, NaN for none.
    """
    sizes = np.abs(readings[np.isfinite(readings)])
    found = ((name, doubt(value, unit, sizes, style)) for name, value in values.items() if value is not None)
    return [f"{name}: {told}" for name, told in found if told]


def spoken(title: str, shown: str, state: str | None, rest: str) -> str:
    """The name of a reading for a screen reader; ``state``: its state's name. Figures are those that are seen, so that
    who speaks to the page can say them."""
    return ", ".join(part for part in (title, shown, (state or "").lower(), rest) if part)


def days_words(days: Sequence[dt.date]) -> str:
    """Some days in their order: ``9–12 October 2026``, ``9 days from 2 September to 4 October 2026``."""
    first, last = days[0], days[-1]
    end = f"{last.day} {last:%B %Y}"
    if first == last:
        return end
    start = f"{first.day} {first:%B}" + (f" {first:%Y}" if first.year != last.year else "")
    if (last - first).days + 1 == len(days):
        return f"{first.day}–{end}" if (first.year, first.month) == (last.year, last.month) else f"{start} to {end}"
    return f"{len(days)} days from {start} to {end}"
