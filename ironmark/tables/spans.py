"""How long things took, written as hours and minutes: 0:45, 12:30, 1:05:20."""

from __future__ import annotations

import re
from collections.abc import Sequence
from statistics import median

import polars as pl

from ironmark.core.measuring import told_by
from ironmark.tables.notations import is_period
from ironmark.tables.table import NEARLY

A_MINUTE = 60e6  # microseconds
IN_MINUTES = "How long it took is read in minutes."
_SPAN = r"^\s*\d{1,4}:[0-5]\d(:[0-5]\d([.,]\d+)?)?\s*$"
_WRITTEN, _MOSTLY = re.compile(_SPAN), 0.6
_MORNING = 6 * 60.0  # minutes: the times of a day are as a rule later than that, what takes so long is rare
_DAY = 24 * 60.0
_IN_SECONDS = re.compile(r"\bm(?:m|in|ins|inutes?|inuten)?\s?[:.]\s?s(?:s|ecs?|ek|econds?|ekunden)?\b", re.I)


def time_behind(text: str) -> str:
    """The time of day behind a day, with what stands between; "" for none."""
    found = _TIME_BEHIND.search(text)
    return found[0] if found else ""


_TIME_BEHIND = re.compile(r"[T\s]+\d{1,2}:\d{2}(:\d{2})?\s*([ap]m)?$", re.I)


def below_periods(rows: Sequence[tuple[str, ...]]) -> Sequence[tuple[str, ...]]:
    """The lines of a table, how long things took below a period as minutes with their unit; times of the day as they are."""
    spans: dict[int, list[int]] = {}
    below = 0
    for column in range(len(rows[0]) if rows else 0):
        filled = [at for at, row in enumerate(rows) if row[column].strip()]
        of = [at for at in filled if ":" in rows[at][column] and _WRITTEN.match(rows[at][column])]
        if of and any(is_period(rows[at][column]) for at in filled if at < of[0]):
            spans[column] = of
            below += sum(at >= of[0] for at in filled)
    texts = [rows[at][column] for column, of in spans.items() for at in of]
    if not texts or len(texts) < _MOSTLY * below:
        return rows
    seconds = any(_IN_SECONDS.search(cell) for row in rows[:20] for cell in row)
    minutes = [_minutes(text, seconds) for text in texts]
    if not seconds and median(minutes) >= _MORNING and max(minutes) < _DAY:
        return rows
    made = [list(row) for row in rows]
    places = ((at, column) for column, of in spans.items() for at in of)
    for (at, column), found in zip(places, minutes, strict=True):
        made[at][column] = f"{found:.4f} min"
    return [tuple(row) for row in made]


def _minutes(text: str, seconds: bool) -> float:
    parts = [float(part.replace(",", ".")) for part in text.split(":")]
    if len(parts) == 2 and seconds:
        parts = [0.0, *parts]
    return parts[0] * 60 + parts[1] + (parts[2] / 60 if len(parts) > 2 else 0.0)


def _no_clock(filled: pl.Series) -> bool:
    """Whether no clock shows what stands in a column, whatever its head says: 26:10:00, or some minutes and seconds behind 00 in nearly
    all rows, as nothing happens in the first hour of the day alone."""
    hours = filled.str.extract(r"^\s*(\d{1,4}):[0-5]\d:[0-5]\d").cast(pl.Int64)
    if float(hours.is_not_null().mean() or 0) < NEARLY:  # type: ignore[arg-type]
        return False
    return int(hours.max() or 0) > 23 or (len(hours) >= _SOME and float((hours == 0).mean() or 0) >= NEARLY)  # type: ignore[arg-type, call-overload]


_SOME = 8  # cells of which nearly all tell something


def minutes_of(texts: pl.Series, label: str) -> pl.Series | None:
    """Cells as minutes, those that are written otherwise blank; None where these are times of the day, or no times at all.

    Nothing but its head tells 4:35 that a call took from the time of one; the hours that there are tell the rest.
    """
    filled = texts.drop_nulls()
    if not len(filled) or not bool(filled.head(20).str.contains(_SPAN).any()):
        return None
    told = told_by(label)
    long, clock = (told.get(sort, (0.0, ""))[0] for sort in ("duration", "clock"))
    in_seconds = _IN_SECONDS.search(label) is not None  # Turn-out (mm:ss)
    if not in_seconds and long < max(clock, 0.1) and (clock or not _no_clock(filled)):
        return None
    written = filled.str.contains(_SPAN)
    if float(written.mean() or 0) < NEARLY:  # type: ignore[arg-type]
        return None
    parts = texts.set(~texts.str.contains(_SPAN), None).str.strip_chars().str.split(":")
    numbers = [parts.list.get(at, null_on_oob=True).str.replace(",", ".").cast(pl.Float64) for at in range(3)]
    seconds = numbers[2].fill_null(0.0) / 60
    if in_seconds and numbers[2].null_count() == len(texts):
        return numbers[0] + numbers[1] / 60
    made = numbers[0] * 60 + numbers[1] + seconds
    usual, longest = made.median(), made.max()
    if float(usual or 0) >= _MORNING and float(longest or 0) < _DAY:  # type: ignore[arg-type]
        return None
    return made
