"""When a message is sent: at once, or in a digest at a time of day, and never in quiet hours; as clocks go where it is read."""

from __future__ import annotations

import datetime as dt
import zoneinfo
from dataclasses import dataclass
from typing import Literal

DAY = dt.timedelta(days=1)


@dataclass(frozen=True)
class Times:
    """at: when a digest goes; weekday: of a weekly one, 0 for Monday. quiet_from, quiet_to: None where no hours are quiet; they
    may go over midnight."""

    when: Literal["at once", "daily", "weekly"] = "at once"
    at: dt.time = dt.time(7)
    weekday: int = 0
    quiet_from: dt.time | None = None
    quiet_to: dt.time | None = None
    zone: str = "UTC"


def sent_at(now: dt.datetime, times: Times) -> dt.datetime:
    """The first moment that a message of now may go. now and the answer: UTC without a zone."""
    zone = zoneinfo.ZoneInfo(times.zone)
    local = now.replace(tzinfo=dt.UTC).astimezone(zone)
    if times.when != "at once":
        day = local.date()
        if times.when == "weekly":
            day += DAY * ((times.weekday - day.weekday()) % 7)
        step = DAY if times.when == "daily" else 7 * DAY
        moment = _utc(day, times.at, zone)
        return moment if moment >= now else _utc(day + step, times.at, zone)
    if times.quiet_from is None or times.quiet_to is None or times.quiet_from == times.quiet_to:
        return now
    clock = local.time().replace(tzinfo=None)
    over_midnight = times.quiet_from > times.quiet_to
    if over_midnight:
        quiet = clock >= times.quiet_from or clock < times.quiet_to
    else:
        quiet = times.quiet_from <= clock < times.quiet_to
    if not quiet:
        return now
    tomorrow = over_midnight and clock >= times.quiet_from
    return max(now, _utc(local.date() + DAY if tomorrow else local.date(), times.quiet_to, zone))


def _utc(day: dt.date, at: dt.time, zone: zoneinfo.ZoneInfo) -> dt.datetime:
    return dt.datetime.combine(day, at, zone).astimezone(dt.UTC).replace(tzinfo=None)


def next_try(tries: int, chance: float) -> dt.timedelta:
    """The pause before a message is tried again: it doubles from half a minute to an hour, and chance (0 to 1) makes it longer by
    up to a half, so that many that failed at once do not come at once again."""
    return dt.timedelta(seconds=min(30 * 2 ** max(0, tries - 1), 3600) * (1 + chance / 2))
