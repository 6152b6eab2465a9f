"""How often signals are false, how soon a shift is told, how many outlooks hold: by simulation, with fixed seeds; and how
long 300 members over 36 months take."""

from __future__ import annotations

import time
from collections.abc import Callable

import numpy as np

from ironmark.core.evaluate import Floats
from ironmark.core.outlook import Stretch, outlook
from ironmark.core.ratio import Kind
from ironmark.core.usual import OUTSIDE, usual

MONTHS, HISTORIES, FIRST = 48, 2000, 24


def settled(kind: str, rng: np.random.Generator) -> tuple[Floats, Kind, Floats | None]:
    """Histories in which nothing happens, (months, histories)."""
    shape = (MONTHS, HISTORIES)
    if kind == "normal":
        return rng.normal(100, 5, shape), "level", None
    if kind == "skewed":
        return rng.lognormal(3, 0.4, shape), "level", None
    if kind == "counts":
        below = rng.integers(200, 900, shape).astype(float)
        return rng.poisson(0.03 * below) / below, "count", below
    if kind == "shares":
        below = rng.integers(150, 600, shape).astype(float)
        return rng.binomial(below.astype(int), 0.91) / below, "share", below
    if kind == "overdispersed shares":
        below = rng.integers(1500, 6000, shape).astype(float)
        return rng.binomial(below.astype(int), rng.beta(182, 18, shape)) / below, "share", below
    line = np.zeros(shape)
    line[0] = rng.normal(0, 1, HISTORIES)
    for t in range(1, MONTHS):
        line[t] = 0.4 * line[t - 1] + rng.normal(0, np.sqrt(1 - 0.16), HISTORIES)
    return line, "level", None


KINDS = ("normal", "skewed", "counts", "shares", "overdispersed shares", "autocorrelated")


def false_signals(kind: str, seed: int = 31) -> tuple[float, float]:
    """Per 100 readings of settled noise, from the 25th month on: of any rule, and outside of the limits."""
    value, chart, below = settled(kind, np.random.default_rng(seed))
    found = usual(value, chart, below).signals[FIRST:]
    return 100 * float((found > 0).mean()), 100 * float(((found & OUTSIDE) > 0).mean())


def delay(size: float, seed: int = 7) -> tuple[float, float]:
    """Readings until a shift of so many standard deviations is told, by rules that tell its side: median, and the share of
    histories that told it within 12."""
    rng = np.random.default_rng(seed)
    value = rng.normal(0, 1, (MONTHS, HISTORIES))
    value[FIRST:] += size
    found = usual(value)
    told = (found.signals[FIRST:] > 0) & (found.side[FIRST:] > 0)
    first = np.where(told.any(axis=0), told.argmax(axis=0) + 1, MONTHS)
    return float(np.median(first)), float((first <= 12).mean())


def outlooks(kind: str, seed: int = 5, histories: int = 400) -> tuple[float, float]:
    """The share of outlooks that hold, and the share that they say of themselves."""
    rng = np.random.default_rng(seed)
    days = 30 * 21
    week = np.tile([1, 1.1, 1.2, 1.1, 1.4, 0.6, 0.3], days // 7 + 1)[:days, None]
    below: Floats | None = None
    if kind == "sums":
        above = rng.gamma(9, 11, (days, histories)) * week
    elif kind == "restless sums":
        month = np.repeat(rng.lognormal(0, 0.12, (21, histories)), 30, axis=0)
        above = rng.gamma(2, 50, (days, histories)) * week * month
    elif kind == "trips":
        above = rng.poisson(4 * week * np.ones(histories)).astype(float)
    else:
        below = rng.poisson(15 * week * np.ones(histories)).astype(float)
        good = np.repeat(rng.beta(180, 20, (21, histories)), 30, axis=0)
        above = rng.binomial(below.astype(int), good).astype(float)
    past = [Stretch(30 * k, 30) for k in range(2, 20)]
    now, gone = Stretch(600, 30), 18
    so_far = above.copy()
    so_far[618:] = 0
    told = outlook(so_far[:618], None if below is None else below[:618], now, past, gone)
    true = above[600:].sum(axis=0) / (1 if below is None else below[600:].sum(axis=0))
    fine = told.tried > 0
    held = (true >= told.low) & (true <= told.high)
    return float(held[fine].mean()), float((told.held / np.maximum(told.tried, 1))[fine].mean())


OUTLOOKS = ("sums", "restless sums", "trips", "rates")


def _timed(work: Callable[[], object]) -> float:
    times = []
    for _ in range(9):
        began = time.perf_counter()
        work()
        times.append(time.perf_counter() - began)
    return float(np.median(times)) * 1000


def main() -> None:
    print("\nFalse signals per 100 readings of settled noise, from the 25th month on (any rule; outside of the limits)")
    for kind in KINDS:
        every, outside = false_signals(kind)
        print(f"  {kind:22} {every:5.2f}   {outside:5.2f}")
    print("\nReadings until a shift is told (median; told within 12)")
    for size in (1.0, 2.0, 3.0):
        median, within = delay(size)
        print(f"  {size:.0f} standard deviations   {median:4.0f}   {within:.0%}")
    print("\nOutlooks that held, of 400 histories each (wanted 80 % ± 5; what they said of themselves)")
    for kind in OUTLOOKS:
        held, said = outlooks(kind)
        print(f"  {kind:22} {held:.1%}   {said:.1%}")
    rng = np.random.default_rng(1)
    value, below = rng.normal(0.9, 0.02, (36, 300)), rng.integers(100, 900, (36, 300)).astype(float)
    print(f"\n300 members × 36 months: levels {_timed(lambda: usual(value)):.1f} ms, ", end="")
    print(f"shares {_timed(lambda: usual(value, 'share', below)):.1f} ms, ", end="")
    print(f"with seasons {_timed(lambda: usual(value, season=12)):.1f} ms (budget: 30)")
