"""Moments as answers tell them."""

from __future__ import annotations

import datetime as dt


def moment(at: dt.datetime | None) -> str | None:
    """A moment in UTC as it is kept, in ISO 8601; None for none."""
    return at.isoformat() + "Z" if at else None
