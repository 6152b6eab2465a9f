"""Signals in words, for people without statistics."""

from __future__ import annotations

from collections.abc import Sequence

from ironmark.core.numbers import NumberStyle, Unit, show


def range_words(low: float, high: float, unit: Unit, style: NumberStyle) -> str:
    """``80.4% to 90.2%``."""
    return f"{show(low, unit, style)} to {show(high, unit, style)}"


def signal_words(
    signals: Sequence[str], side: int, run: int, steady: int, ends: tuple[float, float, float], grain: str, unit: Unit,
    style: NumberStyle,
) -> str:  # fmt: skip
    """Why a reading is a signal: ``under its usual range 80.4% to 90.2%, and falling for 6 months``; "" where it is none.

    signals: names of the rules it meets; side: 1 above, -1 below; ends: low, middle, high of its range, KPI unit.
    """
    low, middle, high = ends
    said = []
    if "outside" in signals:
        said.append(f"{'over' if side > 0 else 'under'} its usual range {range_words(low, high, unit, style)}")
    if "one side" in signals:
        way = "above" if side > 0 else "below"
        said.append(f"{run} {grain}s {way} its middle {show(middle, unit, style)}")
    if "steady" in signals:
        said.append(f"{'rising' if side > 0 else 'falling'} for {steady} {grain}s")
    if "two of three" in signals and not said:
        end = "top" if side > 0 else "foot"
        said.append(
            f"two of the last three {grain}s near the {end} of its usual range {range_words(low, high, unit, style)}"
        )
    return f"{', '.join(said[:-1])} and {said[-1]}" if len(said) > 1 else "".join(said)


def few_words(above: float, of: float, names: Sequence[str], style: NumberStyle) -> str:
    """``43 of 46: could be Met or Beyond``."""
    number = Unit("number", 0)
    return f"{show(above, number, style)} of {show(of, number, style)}: could be {' or '.join((names[0], names[-1]))}"
