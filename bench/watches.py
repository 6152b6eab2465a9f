"""How many messages flutter gives rise to with and without holding off, and what asking many histories takes beside working out
what is usual for them."""

from __future__ import annotations

import datetime as dt
import time
from collections.abc import Callable

import numpy as np

from ironmark.core.hold_off import HoldOff, falls
from ironmark.core.told_once import Event, Memory, news_of
from ironmark.core.usual import usual

SHAPES = ((36, 300), (365, 36), (800, 300))
HOLDS = {
    "at once": HoldOff(),
    "2 readings": HoldOff(stays=2),
    "a margin of 2 σ": HoldOff(back=2.0),
    "both": HoldOff(2, 2.0),
}


def _best(work: Callable[[], object], times: int = 7) -> float:
    took = []
    for _ in range(times):
        began = time.perf_counter()
        work()
        took.append(time.perf_counter() - began)
    return float(np.median(took))


def main() -> None:
    rng = np.random.default_rng(32)
    print(
        "messages a year of days that flutter around a cut (σ 1, after 20 days 10 above it), of 200 histories each one:"
    )
    value = rng.normal(0, 1, (365, 200))
    value[:20] += 10
    ranks, beyond = np.where(value < 0, 0, 1), np.maximum(value, 0)[None]
    for name, hold in HOLDS.items():
        print(f"  {name:18} {falls(ranks, beyond, hold).told.sum() / 200:6.1f}")
    for periods, members in SHAPES:
        value = rng.normal(0.3, 1, (periods, members))
        ranks, beyond = np.where(value < 0, 0, 1), np.maximum(value, 0)[None]
        asked = _best(lambda: falls(ranks, beyond, HoldOff(2, 0.5)))  # noqa: B023
        ranges = _best(lambda: usual(value), 3)  # noqa: B023
        print(
            f"{members} members × {periods} periods: asked in {1000 * asked:.0f} ms, {asked / ranges:.2f}× what their usual ranges take"
        )
    day = dt.date(2024, 1, 1)
    events = [Event(f"m{n % 300}", (day + dt.timedelta(days=n // 300)).isoformat(), "falls") for n in range(60_000)]
    now, series = dt.datetime(2026, 11, 26), [f"m{n}" for n in range(300)]
    held = news_of(Memory(), events, series, {}, {}, now).memory
    again = _best(lambda: news_of(held, events, series, {}, {}, now))
    print(f"which of 60,000 events is news: {1000 * again:.0f} ms")
