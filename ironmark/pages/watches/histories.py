"""What the histories of readings say to a watch: where each fell, rose, stood out or passed a mark, and whether that held."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping
from dataclasses import dataclass, field

import numpy as np

from ironmark.core.evaluate import Floats
from ironmark.core.formula_nodes import FormulaError
from ironmark.core.hold_off import NO_READING, Falls, Flags, HoldOff, Ranks, falls
from ironmark.core.periods import Grain, Period, finer, timeline
from ironmark.core.readings import Readings
from ironmark.core.told_once import Event
from ironmark.pages.context.reading_context import ReadingContext
from ironmark.pages.model.page import narrow_of
from ironmark.pages.model.problems import Refused
from ironmark.pages.model.watch import WatchBody
from ironmark.pages.reading.plain_readings import PlainReadings, plain_readings_of
from ironmark.pages.reading.usages import mark_of
from ironmark.store.database import Missing
from ironmark.tables.cells import NoPeriod, NoSegment
from ironmark.tables.connections import LiveProblem

Members = dict[str, list[str]]
FORESEEN = (Refused, Missing, FormulaError, NoPeriod, NoSegment, LiveProblem)  # why a history cannot be read
MOST_PERIODS = 800  # that are looked at, the newest of them


@dataclass(frozen=True)
class History:
    """The readings of one KPI that are asked about, told apart by a segment or all together. chosen: of which members; None for all."""

    kpi: str
    block: PlainReadings
    by: str | None
    chosen: frozenset[str] | None

    @property
    def readings(self) -> Readings:
        return self.block.readings

    @property
    def over(self) -> Flags:
        return np.array([part is None for part in self.readings.partial_periods], dtype=bool)

    def places(self) -> Iterator[tuple[int, str, str]]:
        """Of each history that is asked about: its column, its key, and what its member is called."""
        for m, member in enumerate(self.readings.members):
            if self.chosen is None or member in self.chosen:
                yield m, self._key(member or ""), member or ""

    def _key(self, member: str) -> str:
        narrowed = narrow_of({segment: list(names) for segment, names in self.readings.where.items()})
        return "|".join((self.kpi, self.by or "", member.replace("|", "¦"), *([narrowed] if narrowed else ())))

    def who(self, m: int) -> str:
        """Of which members a history is; "" of all rows together."""
        narrowed = ", ".join(name for names in self.readings.where.values() for name in names)
        return self.readings.members[m] or narrowed

    def newest(self) -> int | None:
        """The newest period that is over; None where none is."""
        found = np.flatnonzero(self.over)
        return int(found[-1]) if found.size else None


@dataclass(frozen=True)
class Found:
    """Where an event stands in a history. began: the period it began with; before: the state there was until then."""

    history: History
    m: int
    p: int
    began: int
    before: str | None = None

    @property
    def period(self) -> Period:
        return self.history.readings.periods[self.p]


@dataclass
class Answer:
    """What a watch finds with somebody's eyes. events: each with where it stands, or in words where no history says it. newest:
    by series the last day of the newest period that is over, oldest: of the first that was looked at, where what was told can be taken
    back. asked: the histories with what is told of them and which of it is of
    readings within their usual variation, for a try-out."""

    events: dict[Event, Found | str] = field(default_factory=dict)
    series: set[str] = field(default_factory=set)
    newest: dict[str, str] = field(default_factory=dict)
    oldest: dict[str, str] = field(default_factory=dict)
    asked: list[tuple[History, Falls, Flags]] = field(default_factory=list)


def history_of(
    context: ReadingContext, kpi: str, yardstick: str | None, by: str | None, where: Members, grain: Grain,
    chosen: Collection[str] = (), marks: Collection[str] = (), coarser: bool = False,
) -> History:  # fmt: skip
    """All readings there are, up to now. coarser: rows by longer periods than ``grain`` are read by those, else refused. Raises
    Missing, Refused, FormulaError, NoPeriod, NoSegment, LiveProblem."""
    body = context.kpi(kpi)
    source = context.source(body)
    periods = timeline(Period.of(source.last, grain, context.year_start), source.first, source.last)
    names = tuple(dict.fromkeys((*marks, mark_of(context, yardstick))))
    readings = context.cached_readings(kpi, names, yardstick, by=by, where=where, periods=periods)
    rows: Grain = "year" if readings.row_grain == "half" else readings.row_grain
    if finer(grain, readings.row_grain) and coarser:
        return history_of(context, kpi, yardstick, by, where, rows, chosen, marks)
    if finer(grain, readings.row_grain):
        detail = f"These rows are by {readings.row_grain}. Read them by that, or by longer periods."
        raise Refused(422, "too-fine", "There is no reading so fine", detail, {"field": "grain"})
    block = plain_readings_of(context, kpi, yardstick, readings)
    return History(kpi, block, by, frozenset(chosen) or None)


def ask_of(answer: Answer, history: History, body: WatchBody) -> None:
    """Ask one history, and note what it says."""
    asked = _asked(history, body)
    if asked is None:
        return
    ranks, beyond, states = asked
    readings = history.readings
    ranks = np.where(history.over[:, None], ranks, NO_READING)
    first = max(0, len(ranks) - MOST_PERIODS)
    ranks[:first] = NO_READING
    found = falls(ranks, beyond, HoldOff(body.stays, body.back, body.rest))
    noise = _noise(history, found)
    answer.asked.append((history, found, noise))
    newest = history.newest()
    for m, key, _ in history.places():
        answer.series.add(key)
        if newest is not None:
            answer.newest[key] = readings.periods[newest].end.isoformat()
            answer.oldest[key] = readings.periods[first].end.isoformat()
        for p in np.flatnonzero(found.told[:, m]):
            if body.only_signals and noise[p, m]:
                continue
            began = int(found.began[p, m])
            what = body.asks if states is None else f"{body.asks} {states.get(int(ranks[p, m]), '')}"
            event = Event(key, readings.periods[p].end.isoformat(), what)
            answer.events[event] = Found(history, m, int(p), began, _state_before(readings, began, m))


def _state_before(readings: Readings, began: int, m: int) -> str | None:
    for p in range(began - 1, -1, -1):
        if (state := readings.state(p, m)) is not None:
            return state
    return None


def _noise(history: History, found: Falls) -> Flags:
    """Which of the falls that are told are of readings within their usual variation."""
    noise = np.zeros(found.told.shape, dtype=bool)
    usual = history.block.usual
    for p, m in zip(*np.nonzero(found.told), strict=True):
        noise[p, m] = not any(usual.is_signal(at, int(m)) for at in range(found.began[p, m], p + 1))
    return noise


def _asked(history: History, body: WatchBody) -> tuple[Ranks, Floats, Mapping[int, str] | None] | None:
    """Ranks by which a fall is what is asked about, how far readings are beyond each, and what the ranks are called. None where
    the readings are not graded."""
    readings, value = history.readings, history.readings.value
    if body.asks == "signal":
        return *_signals(history, body), None
    if body.asks in ("above", "below"):
        line = readings.marks[str(body.mark)]
        past = value > line if body.asks == "above" else value < line
        return _two(past, np.isfinite(value) & np.isfinite(line)), np.abs(value - line)[None], None
    yardstick = readings.yardstick
    if yardstick is None:
        return None
    of_band = np.array([state.rank for state in yardstick.states])
    graded = readings.band >= 0
    rank = np.where(graded, of_band[np.maximum(readings.band, 0)], NO_READING).astype(np.int64)
    if body.asks in ("worsens", "improves"):
        flip = body.asks == "improves"
        turned = of_band.max() - of_band if flip else of_band
        ranks = np.where(graded, turned[np.maximum(readings.band, 0)], NO_READING).astype(np.int64)
        beyond = np.stack([_beyond(readings, turned <= k) for k in range(int(turned.max()) + 1)])
        return ranks, beyond, {int(turned[b]): state.key for b, state in enumerate(yardstick.states)}
    wanted = next((state.rank for state in yardstick.states if state.key == body.state), None)
    if wanted is None:
        raise Refused(
            422, "no-state", "The yardstick has no such state",
            f"Readings of this KPI are {', '.join(dict.fromkeys(state.name for state in yardstick.states))}. Choose one of those.",
            {"field": "state"},
        )  # fmt: skip
    if body.asks == "falls":
        within, asked = rank <= wanted, of_band <= wanted
    elif body.asks == "reaches":
        within, asked = rank >= wanted, of_band >= wanted
    else:
        within, asked = rank != wanted, of_band != wanted
    return _two(within, graded), _beyond(readings, asked)[None], None


def _two(asked: Flags, known: Flags) -> Ranks:
    return np.where(known, np.where(asked, 0, 1), NO_READING).astype(np.int64)


def _signals(history: History, body: WatchBody) -> tuple[Ranks, Floats]:
    readings, usual = history.readings, history.block.usual
    asked, known = np.zeros(readings.value.shape, bool), np.isfinite(readings.value)
    up = {"higher": 1, "lower": -1}.get(readings.kpi.direction, 0)
    for p, m in zip(*np.nonzero(known), strict=True):
        if not usual.is_signal(int(p), int(m)):
            continue
        found = usual.at(int(p), int(m))
        way = up * found.side if found else 0
        asked[p, m] = body.side == "" or way == 0 or (way > 0) == (body.side == "better")
    return _two(asked, known), np.full((1, *readings.value.shape), np.nan)


def _beyond(readings: Readings, bands: Flags) -> Floats:
    """How far each reading lies outside of some bands, (P, M), KPI unit; NaN where a cut is not known."""
    value, cuts = readings.value, readings.cuts
    found = np.full(value.shape, np.inf)
    for band in np.flatnonzero(bands):
        low = cuts[band - 1] if band else np.full(value.shape, -np.inf)
        high = cuts[band] if band < len(cuts) else np.full(value.shape, np.inf)
        with np.errstate(invalid="ignore"):
            found = np.fmin(found, np.maximum(0.0, np.maximum(low - value, value - high)))
    known = np.isfinite(value) & np.isfinite(cuts).all(axis=0)
    return np.where(known, found, np.nan)
