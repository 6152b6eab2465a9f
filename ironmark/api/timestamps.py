"""Moments as answers tell them."""

from __future__ import annotations

import datetime as dt


def moment(at: dt.datetime | None) -> str | None:
    """A moment in UTC as it is kept, in ISO 8601; None for none."""
    return at.isoformat() + "Z" if at else None


def last_day(ends_at: dt.datetime | None) -> str | None:
    """The last day that something is good through, which ends with it."""
    return (ends_at - dt.timedelta(seconds=1)).date().isoformat() if ends_at is not None else None
