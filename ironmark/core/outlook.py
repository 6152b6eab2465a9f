"""Where a period under way is going: its end by the days to come, with a range that was tried on earlier periods."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
import numpy.typing as npt

from ironmark.core.evaluate import Floats

WEEKS: Final = 8  # whose days the days to come are taken to be like
FEWEST_WEEKS: Final = 2
FEWEST_PERIODS: Final = 9  # earlier periods that an outlook is tried on; of fewer no range of eight in ten can be told
MOST_PERIODS: Final = 24
INSIDE: Final = 0.8
_WEEK = 7


@dataclass(frozen=True)
class Stretch:
    """A period as rows of days: its first row, and how many days it has."""

    first: int
    days: int


@dataclass(frozen=True)
class Outlook:
    """Of each member (M): the end of the period, KPI unit before ``scale``; low, high: in which eight of ten earlier periods,
    read on the same day of theirs, came to lie; ends: where it would end if it went on as each of those did (K, M); held:
    of how many of them such a range, made of the others, held. Columns that cannot be told are NaN, 0 held of 0."""

    end: Floats
    low: Floats
    high: Floats
    ends: Floats
    held: Floats
    tried: Floats


def outlook(
    above: Floats, below: Floats | None, now: Stretch, past: Sequence[Stretch], gone: int, last_year: Sequence[Stretch | None] = ()
) -> Outlook:  # fmt: skip
    """Where a sum, or a ratio of two sums, is going.

    above, below: what each day brought (D, M), 0 where it had no rows; below: None for a sum. now: the period
    under way, of which ``gone`` days are over; its rows may go beyond D. past: earlier whole periods, the latest last.
    last_year: of each of these and, last, of ``now`` the same period a year before, where there is one.

    The days to come are like the same weekdays of the last eight weeks; of a sum, or in the proportion that last year had them,
    whichever was nearer in earlier periods. The range is a split conformal one (Vovk, Gammerman and Shafer,
    *Algorithmic Learning in a Random World*, 2005): quantiles of the errors on the same day of earlier periods.
    """
    columns = above.shape[1]
    past = list(past)[-MOST_PERIODS:]
    last_year = list(last_year)[-len(past) - 1 :] if last_year else [None] * (len(past) + 1)
    with np.errstate(all="ignore"):
        stood = [min(gone, one.days - 1) for one in past]
        ways = [[_by_weekday(above, below, one, days) for one, days in zip([*past, now], [*stood, gone], strict=True)]]
        if below is None and any(last_year):
            ways.append(
                [_by_year(above, one, days, before) for one, days, before in zip([*past, now], [*stood, gone], last_year, strict=True)]
            )  # fmt: skip
        told = np.array(ways)  # (W, K + 1, M)
        true = np.array([_whole(above, below, one) for one in past]).reshape(len(past), columns)
        off = true[None] - told[:, :-1]
        scaled = off / np.abs(told[:, :-1])
        best = _nearest(scaled if below is None else off, told)
        pick = best[None, None, :]
        guess = np.take_along_axis(told, pick, axis=0)[0]
        errors = np.take_along_axis(scaled if below is None else off, pick, axis=0)[0]
        end = guess[-1]
        ends = end + errors * (np.abs(end) if below is None else 1.0)
        tried = np.isfinite(errors).sum(axis=0).astype(float)
        low, high = _range(ends)
        # What all of them came to lie beyond, this one is to as well.
        end = np.where(np.isfinite(end), _quantiles(ends, (0.5,))[0], end)
        held = _held(errors)
        fine = (tried >= FEWEST_PERIODS) & np.isfinite(end)
    none = np.full(columns, np.nan)
    return Outlook(
        np.where(fine, end, none), np.where(fine, low, none), np.where(fine, high, none), np.where(fine, ends, np.nan),
        np.where(fine, held, 0), np.where(fine, tried, 0),
    )  # fmt: skip


def _nearest(errors: Floats, told: Floats) -> npt.NDArray[np.int64]:
    """Which way was nearer in earlier periods (M), of those that can tell the one under way."""
    size = np.abs(errors)
    known = np.isfinite(size)
    middle = np.array([_quantiles(np.where(a, one, np.nan), (0.5,))[0] for one, a in zip(size, known, strict=True)])
    middle = np.where(np.isfinite(middle), middle, np.inf)
    middle = np.where(np.isfinite(told[:, -1]) & (known.sum(axis=1) >= FEWEST_PERIODS), middle, np.inf)
    best: npt.NDArray[np.int64] = np.argmin(middle, axis=0)
    return best


def _whole(above: Floats, below: Floats | None, one: Stretch) -> Floats:
    over: Floats = above[one.first : one.first + one.days].sum(axis=0)
    return over if below is None else over / below[one.first : one.first + one.days].sum(axis=0)


def coming(line: Floats, one: Stretch, gone: int) -> Floats:
    """What the days of a period after the first ``gone`` are to bring (M), by the weekdays of the last weeks; NaN where there
    are too few of them."""
    at, columns = one.first + gone, line.shape[1]
    weeks = min(WEEKS, at // _WEEK)
    if weeks < FEWEST_WEEKS or gone < 0:
        return np.full(columns, np.nan)
    place = np.arange(one.days - gone) % _WEEK
    week = line[at - weeks * _WEEK : at].reshape(weeks, _WEEK, columns).mean(axis=0)
    found: Floats = week[place].sum(axis=0)
    return found


def _by_weekday(above: Floats, below: Floats | None, one: Stretch, gone: int) -> Floats:
    """The end of a period as told after ``gone`` days of it."""

    def told(line: Floats) -> Floats:
        whole: Floats = line[one.first : one.first + gone].sum(axis=0) + coming(line, one, gone)
        return whole

    return told(above) if below is None else told(above) / told(below)


def _by_year(above: Floats, one: Stretch, gone: int, before: Stretch | None) -> Floats:
    if before is None or before.first < 0 or gone < 1:
        return np.full(above.shape[1], np.nan)
    days = min(gone, before.days)
    then = above[before.first : before.first + days].sum(axis=0)
    whole = above[before.first : before.first + before.days].sum(axis=0)
    so_far = above[one.first : one.first + gone].sum(axis=0)
    return np.where(then > 0, so_far * whole / then, np.nan)


def _range(values: Floats) -> tuple[Floats, Floats]:
    """Between which values eight of ten more of a kind lie (M). values: (K, M), NaN for none."""
    tail = (1 - INSIDE) / 2
    low, high = _quantiles(values, (tail, 1 - tail))
    return low, high


def _quantiles(values: Floats, parts: Sequence[float]) -> Floats:
    """Quantiles of columns (Q, M), as a further value would lie; NaN of a column without any. values: (K, M), NaN for none."""
    found = np.full((len(parts), values.shape[1]), np.nan)
    some = np.isfinite(values).any(axis=0) if len(values) else np.zeros(values.shape[1], np.bool_)
    if some.any():
        found[:, some] = np.nanquantile(values[:, some], list(parts), axis=0, method="weibull")
    return found


def _held(errors: Floats) -> Floats:
    """Of how many earlier periods a range made of all others held (M)."""
    found = np.zeros(errors.shape[1])
    for k in range(len(errors)):
        low, high = _range(np.delete(errors, k, axis=0))
        found += np.isfinite(errors[k]) & (errors[k] >= low) & (errors[k] <= high)
    return found
