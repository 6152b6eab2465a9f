"""Every KPI at a glance, for lists: kept until something that it rests on changes, and worked out by the side where that
takes long, so that a list stands at once however many rows there are."""

from __future__ import annotations

import math
import threading
import time
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass
from typing import Any

import numpy as np
import structlog
from pydantic import BaseModel
from sqlalchemy.exc import SQLAlchemyError
from sqlalchemy.orm import Session

from ironmark.core import readings
from ironmark.core.evaluate import Floats
from ironmark.core.formula_nodes import FormulaError
from ironmark.core.numbers import show
from ironmark.core.periods import Period, timeline
from ironmark.pages.authoring.previews import measured_against
from ironmark.pages.context.fair_semaphore import NoTurn
from ironmark.pages.context.reading_context import ReadingContext
from ironmark.pages.context.response_cache import program
from ironmark.pages.context.source_registry import Sources
from ironmark.pages.model.problems import Refused
from ironmark.pages.model.scorecard import ScopeBody
from ironmark.pages.reading.instrument_scope import period_of
from ironmark.pages.reading.usages import yardsticks_in_use
from ironmark.store import change_log, eyes, kpi_glances, records, versions
from ironmark.tables.cells import NoPeriod
from ironmark.tables.connections import LiveProblem
from ironmark.tables.live_waiting import FRESH_S

log = structlog.get_logger()
GLANCES = 12
OWN_S = 1.0  # that a list may take with those of who reads some rows only
SOON_S = 0.06  # that a list may take with what is quickly worked out
FEW_ROWS = 100_000  # of a dataset, which are quickly read
TOGETHER = 20  # glances that are kept in one transaction


class Glance(BaseModel):
    """A KPI in a list: its last complete month, and a small history with the target, as fractions of its own height.
    waiting: it is being read."""

    id: str
    shown: str
    period: str
    state: str | None
    line: list[float | None]
    target: list[float | None]
    problem: str = ""
    waiting: bool = False


@dataclass(frozen=True, slots=True)
class _Held:
    """rests: the versions it was worked out from, by the program that did, with the KPI's yardstick of then; until: when
    it is over, for what has no versions. keeps: whether it holds in any process."""

    glance: Glance
    rests: Mapping[str, Any]
    until: float = math.inf
    keeps: bool = True

    def stands(self, yardstick: str | None, now: versions.Told, stamp: object) -> bool:
        rests = self.rests
        if time.monotonic() > self.until or rests["program"] != program() or rests["yardstick"] != yardstick:
            return False
        if "stamp" in rests:
            return bool(rests["stamp"] == stamp)
        held = [*rests["documents"].items(), (versions.BOOK, rests["marks"]), (versions.DATASET, rests["datasets"])]
        return all(now.get((kind, key), 0) == version for kind, found in held for key, version in found.items())


class _TakesLong(Exception):
    """It rests on more rows than are read while somebody waits, or on a source that is asked over a wire."""


class _Quick(ReadingContext):
    """Reads only what is quickly read. Raises _TakesLong."""

    def source_of(self, key: str) -> readings.Source:
        dataset = self.dataset(key)
        if dataset.kind == "live" or dataset.row_count > FEW_ROWS:
            raise _TakesLong
        return super().source_of(key)


class KpiGlances:
    """How all KPIs stand. What is not known is worked out at once where its rows are few; the rest by a thread of its
    own, dataset by dataset, and told as being read until then."""

    def __init__(self, sources: Sources) -> None:
        self._sources = sources
        self._held: dict[str, _Held] = {}
        self._wanted: dict[str, str | None] = {}
        self._lock = threading.Lock()
        self._at: str | None = None  # the one that the thread is at; none while there is no thread

    def listed(self, session: Session) -> list[Glance]:
        """Every KPI, in the order they were made in."""
        keys = [head.id for head in records.heads(session, "kpi")]
        now, stamp = versions.every(session), change_log.stamp(session)
        yardsticks = self._in_use(session, stamp)
        missing = self._missing(keys, yardsticks, now, stamp)
        if new := [key for key in missing if not self._is_under_way(key)]:
            found = kpi_glances.kept(session, new)
            self._hold({key: _Held(Glance.model_validate(body), rests) for key, (rests, body) in found.items()})
            new = self._missing(new, yardsticks, now, stamp)
            self._work_out(session, new, yardsticks, time.monotonic() + SOON_S)
            new = self._missing(new, yardsticks, now, stamp)
            of = {kpi.id: kpi.body["dataset"] for kpi in records.get_many(session, "kpi", new).values()}
            self._begin({key: yardsticks.get(key) for key in sorted(new, key=lambda key: of[key])})
            missing = self._missing(missing, yardsticks, now, stamp)
        waited, held = set(missing), self._held
        own = self._own(session, yardsticks, stamp)
        return [own.get(key) or (_waited(key) if key in waited else held[key].glance) for key in keys]

    def _own(self, session: Session, yardsticks: Mapping[str, str], stamp: object) -> dict[str, Glance]:
        """Those of KPIs of which whoever asks reads some rows only, worked out while there is time, and kept until
        anything changes."""
        seen = eyes.of(session)
        found: dict[str, Glance] = {}
        until = time.monotonic() + OWN_S
        for key in seen.of_kpi if not seen.closed else [head.id for head in records.heads(session, "kpi")]:
            if time.monotonic() > until:
                found[key] = _waited(key)
                continue
            place = ("own glance of a KPI", key, seen.key, stamp)
            found |= self._sources.seen.several(
                {key: place}, lambda some: {one: self._own_one(session, one, yardsticks.get(one)) for one in some}
            )
        return found

    def _own_one(self, session: Session, key: str, yardstick: str | None) -> Glance:
        context = ReadingContext(self._sources, session)
        context.fetch([key], [yardstick] if yardstick else [])
        return glance_at(context, key, yardstick)

    def _in_use(self, session: Session, stamp: object) -> Mapping[str, str]:
        def read(_: list[str]) -> dict[str, dict[str, str]]:
            with eyes.of_all_rows(session):
                return {"": yardsticks_in_use(session)}

        return self._sources.seen.several({"": ("yardsticks in use", stamp)}, read)[""]

    def _missing(
        self, keys: Sequence[str], yardsticks: Mapping[str, str], now: versions.Told, stamp: object
    ) -> list[str]:
        held = self._held
        return [key for key in keys if key not in held or not held[key].stands(yardsticks.get(key), now, stamp)]

    def _hold(self, made: Mapping[str, _Held]) -> None:
        with self._lock:
            self._held = {**self._held, **made}

    def _work_out(self, session: Session, keys: Sequence[str], yardsticks: Mapping[str, str], until: float) -> None:
        """Some of these, while there is time. Nobody who reads a page is held up for it."""
        made: dict[str, _Held] = {}
        for key in keys:
            if time.monotonic() > until:
                break
            try:
                with eyes.of_all_rows(session), self._sources.turns.within(max(0.0, until - time.monotonic())):
                    made[key] = self._one(_Quick(self._sources, session), key, yardsticks.get(key))
            except _TakesLong:
                continue
            except NoTurn:
                break
        self._hold(made)
        self._keep(made)

    def _one(self, context: ReadingContext, key: str, yardstick: str | None) -> _Held:
        stamp = change_log.stamp(context.session)
        context.fetch([key], [yardstick] if yardstick else [])
        try:
            glance = glance_at(context, key, yardstick)
        except Refused as error:
            glance = _empty(key).model_copy(update={"problem": error.problem.detail})
        except (_TakesLong, SQLAlchemyError, OSError):
            raise
        except Exception as error:
            log.error("glance", kpi=key, exc_info=error)
            glance = _empty(key).model_copy(update={"problem": "The fault is ours and was logged."})
        if glance.problem or not context.is_cacheable:
            # What cannot be read rests on what there is not; a live source changes by itself.
            rests = {"program": program(), "yardstick": yardstick, "stamp": stamp}
            return _Held(glance, rests, time.monotonic() + (0.0 if glance.waiting else FRESH_S), keeps=False)
        return _Held(glance, {"program": program(), "yardstick": yardstick, **asdict(context.rests_on())})

    def _keep(self, made: Mapping[str, _Held]) -> None:
        """Keep what holds in any process. Where that fails it is worked out once more after the next start."""
        kept = {key: (dict(one.rests), one.glance.model_dump()) for key, one in made.items() if one.keeps}
        if not kept:
            return
        try:
            with self._sources.changes() as session:
                kpi_glances.put(session, kept)
        except (SQLAlchemyError, OSError):
            pass  # the database is away, or its disk is full

    # By the side

    def _is_under_way(self, key: str) -> bool:
        return key == self._at or key in self._wanted

    def _begin(self, wanted: Mapping[str, str | None]) -> None:
        with self._lock:
            self._wanted |= wanted
            if not self._wanted or self._at is not None:
                return
            self._at = ""
        threading.Thread(target=self._go_through, name="kpi-glances", daemon=True).start()

    def _next(self) -> tuple[str, str | None] | None:
        with self._lock:
            self._at = next(iter(self._wanted), None)
            return None if self._at is None else (self._at, self._wanted.pop(self._at))

    def _go_through(self) -> None:
        made: dict[str, _Held] = {}
        while (wanted := self._next()) is not None:
            key, yardstick = wanted
            try:
                with self._sources.reading_behind() as session:
                    made[key] = self._one(ReadingContext(self._sources, session), key, yardstick)
            except (SQLAlchemyError, OSError):
                continue  # the database is away; whoever looks again has it begun again
            self._hold({key: made[key]})
            if len(made) >= TOGETHER:
                self._keep(made)
                made = {}
        self._keep(made)


def _empty(key: str) -> Glance:
    return Glance(id=key, shown="–", period="", state=None, line=[], target=[])


def _waited(key: str) -> Glance:
    return _empty(key).model_copy(update={"waiting": True})


def glance_at(context: ReadingContext, key: str, name: str | None) -> Glance:
    kpi = context.kpis[key]
    empty = _empty(key)
    try:
        source = context.source(kpi)
        period = period_of(ScopeBody(), [source], context.year_start)
        marks = measured_against(context, key)
        readings = context.read(
            kpi, context.entries(key), marks, context.graded_by(context.yardstick(name)) if name else None,
            periods=_before(period, source), computed=context.computed(key),
        )  # fmt: skip
    except (FormulaError, NoPeriod, LiveProblem) as error:
        return empty.model_copy(
            update={"problem": str(error), "waiting": isinstance(error, LiveProblem) and error.passes}
        )
    value, target = readings.value[:, 0], readings.marks[marks[0]][:, 0]
    both = np.concatenate([value, target])
    both = both[np.isfinite(both)]
    low, high = (float(both.min()), float(both.max())) if both.size else (0.0, 1.0)

    def places(line: Floats) -> list[float | None]:
        span = high - low
        return [None if not math.isfinite(v) else (float(v) - low) / span if span else 0.5 for v in line]

    shown = show(float(value[-1]), kpi.unit.as_unit(), context.style) or "no reading"
    return Glance(
        id=key,
        shown=shown,
        period=period.label,
        state=readings.state(len(value) - 1, 0),
        line=places(value),
        target=places(target),
    )


def _before(period: Period, source: readings.Source) -> tuple[Period, ...]:
    """The period and those before it that have rows, a year and some more for what looks back."""
    return tuple(p for p in timeline(period, source.first, source.last) if p <= period)[-GLANCES:]
