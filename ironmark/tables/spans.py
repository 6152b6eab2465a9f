"""How long things took, written as hours and minutes: 0:45, 12:30, 1:05:20."""

from __future__ import annotations

import re

import polars as pl

from ironmark.core.measuring import told_by
from ironmark.tables.table import NEARLY

A_MINUTE = 60e6  # microseconds
IN_MINUTES = "How long it took is read in minutes."
_SPAN = r"^\s*\d{1,4}:[0-5]\d(:[0-5]\d([.,]\d+)?)?\s*$"
_MORNING = 6 * 60.0  # minutes: the times of a day are as a rule later than that, what takes so long is rare
_DAY = 24 * 60.0
_IN_SECONDS = re.compile(r"\bm{1,2}:s{1,2}\b|\bmin(uten)?[:.]se[ck]", re.I)


def minutes_of(texts: pl.Series, label: str) -> pl.Series | None:
    """Cells as minutes, those that are written otherwise blank; None where these are times of the day, or no times at all.

    Nothing but its head tells 4:35 that a call took from the time of one; the hours that there are tell the rest.
    """
    filled = texts.drop_nulls()
    if not len(filled) or not bool(filled.head(20).str.contains(_SPAN).any()):
        return None
    told = told_by(label)
    if told.get("duration", (0.0, ""))[0] < max(told.get("clock", (0.0, ""))[0], 0.1):
        return None
    written = filled.str.contains(_SPAN)
    if float(written.mean() or 0) < NEARLY:  # type: ignore[arg-type]
        return None
    parts = texts.set(~texts.str.contains(_SPAN), None).str.strip_chars().str.split(":")
    numbers = [parts.list.get(at, null_on_oob=True).str.replace(",", ".").cast(pl.Float64) for at in range(3)]
    seconds = numbers[2].fill_null(0.0) / 60
    if _IN_SECONDS.search(label) and numbers[2].null_count() == len(texts):
        return numbers[0] + numbers[1] / 60
    made = numbers[0] * 60 + numbers[1] + seconds
    usual, longest = made.median(), made.max()
    if float(usual or 0) >= _MORNING and float(longest or 0) < _DAY:  # type: ignore[arg-type]
        return None
    return made
