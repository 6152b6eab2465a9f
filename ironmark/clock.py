"""What is now: the one place that asks the machine what time it is, and that tests set."""

from __future__ import annotations

import datetime as dt
import os
from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar

AHEAD = "IRONMARK_CLOCK_AHEAD_S"  # in the environment: how far ahead of the machine's clock, in seconds; tests set it
# The last zone in which a day is over lies twelve hours behind.
LAST_ZONE = dt.timedelta(hours=12)
_ahead: ContextVar[float] = ContextVar("ahead")


def now() -> dt.datetime:
    """UTC without a zone, as the database keeps it."""
    return dt.datetime.now(dt.UTC).replace(tzinfo=None) + dt.timedelta(seconds=_seconds_ahead())


def _seconds_ahead() -> float:
    return _ahead.get(None) or float(os.environ.get(AHEAD) or 0)


def last_day_under_way() -> dt.date:
    """The earliest day that is not over yet somewhere: what is good through a day is good there too."""
    return (now() - LAST_ZONE).date()


@contextmanager
def going_on_from(moment: dt.datetime) -> Iterator[None]:
    """Have it be a moment, UTC without a zone, when what is done within begins."""
    token = _ahead.set(_seconds_ahead() + (moment - now()).total_seconds())
    try:
        yield
    finally:
        _ahead.reset(token)
