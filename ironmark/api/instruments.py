"""An instrument as its face draws it: every text written, every place resolved to a fraction of its axis."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property, lru_cache
from typing import Any

import numpy as np

from ironmark.api.desk import Book
from ironmark.api.documents import FurtherBody, InstrumentBody, ScopeBody
from ironmark.api.hands import kept_by_hand
from ironmark.api.histories import history, moments
from ironmark.api.quadrants import quadrant_picture
from ironmark.api.ramps import shaded
from ironmark.api.reads import label_of, take, unit_of
from ironmark.api.scales import axis_picture, bands_on, cut_lines
from ironmark.api.shapes import Ask, InstrumentPicture, MarkLine, Partial, ReadingPicture, Rehearsed, Step
from ironmark.core import axis as axes
from ironmark.core import ledger, words
from ironmark.core import reading as core
from ironmark.core import yardstick as grading
from ironmark.core.axis import Axis
from ironmark.core.evaluate import Floats
from ironmark.core.formula import FormulaError
from ironmark.core.numbers import Unit, show
from ironmark.core.periods import Period
from ironmark.core.reading import Readings
from ironmark.store.database import Missing
from ironmark.tables.cells import NoPeriod
from ironmark.tables.connections import LiveProblem, Slow

LISTS_KPIS = {"ledger", "profile", "lamp", "tile", "chip"}
TO_ITS_MARK = {"bar", "column", "ring", "pips"}  # progress from nothing to a mark; what lies past it is an overrun
FROM_ZERO = {"ranked", "profile"}
SINGLE = {"dial", "column", "ring", "figure", "history"}  # drawn once for each reading
TRAILED = {"figure", "strip"}
MOST_GROUPS = 60


@dataclass(frozen=True)
class Place:
    """One reading of an instrument: where it stands among some readings, and what it is a reading of."""

    readings: Readings
    p: int
    m: int = 0
    role: str = "all"
    label: str = ""
    member: str | None = None
    ask: Ask | None = None

    @cached_property
    def value(self) -> float:
        return float(self.readings.value[self.p, self.m])

    @cached_property
    def lines(self) -> dict[str, float]:
        return {name: float(line[self.p, self.m]) for name, line in self.readings.marks.items()}

    @cached_property
    def cuts(self) -> list[float]:
        found: list[float] = self.readings.cuts[:, self.p, self.m].tolist()
        return found


def picture(
    book: Book,
    instrument: InstrumentBody,
    scope: ScopeBody,
    period: Period | None,
    rehearsed: Rehearsed | None = None,
) -> InstrumentPicture:
    """Never raises for what a KPI or its data may hold: the picture then says what is wrong."""
    kpi = book.kpis.get(instrument.kpi)
    empty = InstrumentPicture(
        id=instrument.id, title=instrument.title or (kpi.name if kpi else "An instrument without a KPI"),
        kpi_name=kpi.name if kpi else "", direction=kpi.direction if kpi else "higher", unit=kpi.unit.kind if kpi else "number",
        period=period.key if period else "", problem=None, notes=[], axis=None, readings=[], ramp=None, quadrant=None,
        by_hand="", stroke="", grain=period.grain if period else "month", rehearsed=False, waiting=False,
    )  # fmt: skip
    if kpi is None:
        return empty.model_copy(update={"problem": "Its KPI was deleted. Choose another KPI in the brief, or undo."})
    try:
        return _drawn(book, instrument, scope, period, rehearsed, empty)
    except Slow as error:
        return empty.model_copy(update={"problem": str(error), "waiting": True})
    except (FormulaError, NoPeriod, Missing, LiveProblem) as error:
        return empty.model_copy(update={"problem": f"{kpi.name}: {getattr(error, 'message', error)}"})
    except KeyError as error:
        return empty.model_copy(update={"problem": f"{kpi.name} has no segment {error}. Choose another in the brief."})


def _drawn(
    book: Book,
    instrument: InstrumentBody,
    scope: ScopeBody,
    period: Period | None,
    rehearsed: Rehearsed | None,
    empty: InstrumentPicture,
) -> InstrumentPicture:
    kpi = book.kpi(instrument.kpi)
    readings, notes = take(book, instrument, scope, period)
    unit = unit_of(readings.kpi.unit, instrument)
    title = instrument.title or kpi.name + (
        f" by {label_of(book, kpi.dataset, instrument.by).lower()}" if instrument.by else ""
    )
    p = readings.at(period) if period else None
    if p is None:
        label = period.label if period else "this period"
        nothing = [
            _nothing(title, "member" if instrument.by else "all", member, f"no rows in {label}")
            for member in (readings.members if instrument.by else [None])
        ]
        return empty.model_copy(update={"title": title, "notes": notes, "readings": nothing})
    if rehearsed is not None:
        value = readings.value.copy()
        member = rehearsed.member
        value[p, readings.members.index(member) if member in readings.members else 0] = rehearsed.value
        readings = core.regrade(readings, readings.yardstick, value)
    places = _ordered(_places(instrument, readings, p), instrument.order, kpi.direction)
    places = _first(book, instrument, scope, period, places, p)
    if instrument.face == "ledger" and instrument.look.ledger.group and instrument.by and not instrument.last:
        places = _grouped(book, instrument, scope, period, places)
    axis = _axis_of(instrument, places, unit)
    frames = {
        id(block): Frame(instrument, block, unit, title, axis)
        for block in {id(at.readings): at.readings for at in places}.values()
    }
    drawn = [frames[id(at.readings)].draw(at) for at in places]
    out: dict[str, Any] = {
        "title": title, "notes": notes, "axis": axis_picture(axis, unit, instrument.ticks), "readings": drawn,
        "rehearsed": rehearsed is not None,
        "by_hand": kept_by_hand(book.dataset(kpi.dataset), kpi, instrument, scope),
    }  # fmt: skip
    if instrument.further and instrument.face in LISTS_KPIS and not instrument.by and not instrument.last:
        drawn += _further(book, instrument, scope, period)
        drawn[0] = drawn[0].model_copy(update={"label": kpi.name, "role": "kpi", "axis": out["axis"]})
        out["title"] = instrument.title or f"{kpi.name} and {len(instrument.further)} more"
    if instrument.face == "pips":
        _add_steps(book, instrument, scope, period, axis, drawn)
    if instrument.face == "ledger":
        out["stroke"] = _tally_columns(instrument, places, drawn, unit)
    if instrument.ramp is not None:
        out["ramp"] = shaded(book, instrument, scope, period, places, drawn, unit)
    if instrument.face == "quadrant":
        out["quadrant"] = quadrant_picture(book, instrument, scope, period, readings, p, unit, drawn)
    return empty.model_copy(update=out)


# Which readings there are, and in which order


def _places(instrument: InstrumentBody, readings: Readings, p: int) -> list[Place]:
    if instrument.by:
        return [Place(readings, p, m, "member", name or "", name) for m, name in enumerate(readings.members)]
    if instrument.last:
        some = range(max(0, p + 1 - instrument.last), p + 1)
        found = []
        for at in some:
            when = readings.periods[at]
            found.append(Place(readings, at, 0, "period", when.short, ask=Ask(period=when.key)))
        return found
    return [Place(readings, p)]


def _ordered(places: list[Place], order: str, direction: str) -> list[Place]:
    """Worst first by gap, or by value where there is no mark; largest first by value; without a figure last."""
    if order == "name" or len(places) < 2:
        return places  # as the members come
    readings = places[0].readings
    rows, columns = np.array([at.p for at in places]), np.array([at.m for at in places])
    value = readings.value[rows, columns]
    figure = value.copy()
    if order == "gap":
        gap = _gap(readings)
        if gap is not None:
            figure = np.where(np.isfinite(gap[rows, columns]), gap[rows, columns], value)
    elif order == "state" and readings.yardstick:
        ranks = np.array([state.rank for state in readings.yardstick.states])
        band = readings.band[rows, columns]
        figure = np.where(band >= 0, ranks[np.maximum(band, 0)], np.where(np.isfinite(value), len(ranks) + 1.0, np.nan))
    descending = order == "value" or (order == "gap" and direction == "lower")
    keys = np.where(np.isfinite(figure), -figure if descending else figure, np.inf)
    labels = [at.label for at in places]
    return [
        places[i] for i in sorted(range(len(places)), key=lambda i: (not np.isfinite(figure[i]), keys[i], labels[i]))
    ]


def _gap(readings: Readings) -> Floats | None:
    first = next(iter(readings.marks), None)
    if first is None and readings.kpi.direction != "inside":
        return None
    return core.gap_and_attainment(readings, first or "")[0]


def _first(
    book: Book, instrument: InstrumentBody, scope: ScopeBody, period: Period | None, places: list[Place], p: int
) -> list[Place]:
    """The first so many members, and all others read together as one."""
    if not instrument.first or not instrument.by or len(places) <= instrument.first:
        return places
    rest = [at.member or "" for at in places[instrument.first :]]
    together = instrument.model_copy(update={"by": None})
    narrowed = scope.model_copy(update={"members": scope.members | {instrument.by: rest}})
    readings, _ = take(book, together, narrowed, period)
    ask = Ask(by=None, members={instrument.by: rest}, together=True)
    label = f"{len(rest)} others" if len(rest) > 1 else rest[0]
    return [*places[: instrument.first], Place(readings, p, 0, "rest", label, ask=ask)]


def _grouped(
    book: Book, instrument: InstrumentBody, scope: ScopeBody, period: Period | None, places: list[Place]
) -> list[Place]:
    """The rows of a ledger under their groups, each group read together as a row of its own."""
    group = instrument.look.ledger.group or ""
    heads, _ = take(book, instrument.model_copy(update={"by": group}), scope, period)
    p, out = places[0].p, []
    for m, name in list(enumerate(heads.members))[:MOST_GROUPS]:
        if not heads.totals.rows[p, m]:
            continue
        only = {group: [name or ""]}
        out.append(Place(heads, p, m, "group", name or "", name, Ask(by=group)))
        narrowed = scope.model_copy(update={"members": scope.members | only})
        readings, _ = take(book, instrument, narrowed, period)
        column = {member: at for at, member in enumerate(readings.members)}
        inside = [
            Place(readings, p, column[at.member], "member", at.label, at.member, Ask(by=instrument.by, members=only))
            for at in places
            if at.member in column and readings.totals.rows[p, column[at.member]]
        ]
        out += _ordered(inside, instrument.order, readings.kpi.direction)
    return out


def _further(book: Book, instrument: InstrumentBody, scope: ScopeBody, period: Period | None) -> list[ReadingPicture]:
    """The readings of an instrument's further KPIs, each on an axis of its own."""
    book.fetch(
        [more.kpi for more in instrument.further], [more.yardstick for more in instrument.further if more.yardstick]
    )
    found = []
    for more in instrument.further:
        found.append(_one_further(book, instrument, more, scope, period))
    return found


def _one_further(
    book: Book, instrument: InstrumentBody, more: FurtherBody, scope: ScopeBody, period: Period | None
) -> ReadingPicture:
    slots = {"kpi": more.kpi, "yardstick": more.yardstick, "marks": more.marks, "title": ""}
    alone = instrument.model_copy(update={**slots, "further": [], "axis": type(instrument.axis)(), "decimals": None})
    drawn = picture(book, alone, scope, period)
    ask = Ask(kpi=more.kpi, yardstick=more.yardstick, marks=more.marks)
    name = drawn.kpi_name or "A deleted KPI"
    if drawn.problem or not drawn.readings:
        reading = _nothing(name, "kpi", None, drawn.problem or "no rows")
    else:
        reading = drawn.readings[0]
    return reading.model_copy(
        update={"key": f"kpi:{more.kpi}", "role": "kpi", "label": name, "axis": drawn.axis, "ask": ask}
    )


# Axis and what single readings come to


def _axis_of(instrument: InstrumentBody, places: Sequence[Place], unit: Unit) -> Axis:
    """The axis as given, or chosen so that values, cuts and marks of all readings fit."""
    lines = np.array([line for at in places for line in at.lines.values()])
    values = np.concatenate([[at.value for at in places], *([at.cuts for at in places]), lines])
    whole = axes.whole_of(values, unit.kind == "percent")
    if instrument.face in TO_ITS_MARK:
        first = instrument.marks[0] if instrument.marks else ""
        marks = np.array([at.lines.get(first, math.nan) for at in places])
        marks = marks[np.isfinite(marks)]
        chosen = Axis(0.0, whole) if whole else axes.choose(values, from_zero=True)
        if not whole and marks.size and marks.max() > 0:
            chosen = Axis(min(chosen.low, 0.0), max(float(marks.max()), 1e-9))
    elif instrument.face in FROM_ZERO:
        # The outer cuts of a yardstick may lie far out; bars are for the values and their marks.
        chosen = axes.choose(np.concatenate([[at.value for at in places], lines]), from_zero=True, ceiling=whole)
    else:
        chosen = axes.choose(values, ceiling=whole)
    low = chosen.low if instrument.axis.low is None else instrument.axis.low
    high = chosen.high if instrument.axis.high is None else instrument.axis.high
    span = chosen.high - chosen.low
    if low >= high:  # one end is given and lies past the other, which then has to give way
        low, high = (low, low + span) if instrument.axis.high is None else (high - span, high)
    # An end so far out that the span vanishes beside it leaves nothing to draw.
    return Axis(low, high) if low < high else chosen


def _nothing(title: str, role: str, member: str | None, reason: str) -> ReadingPicture:
    return ReadingPicture(
        key=f"{role}:{member or ''}", role=role, member=member, label=member or "", status="no_reading", reason=reason, value=None,
        shown="no reading", state=None, fraction=0.0, past=0, bands=[], cuts=[], marks=[], gap=None, gap_shown="",
        gap_words="", band_words="", attainment=None, attainment_shown="", headroom=None, headroom_shown="", partial=None,
        before=None, step=0, spoken=words.spoken(member or title, "no reading", None, reason), ask=None, axis=None,
        shade=None, side=None, strokes=0, trail=[], steps=[], history=None,
    )  # fmt: skip


class Frame:
    """What the readings of one block share: axis, unit, title, gaps to each mark."""

    def __init__(self, instrument: InstrumentBody, readings: Readings, unit: Unit, title: str, axis: Axis) -> None:
        self.instrument, self.readings, self.unit, self.title, self.axis = instrument, readings, unit, title, axis
        self.first = next(iter(readings.marks), "")
        self.gap, self.attainment = core.gap_and_attainment(readings, self.first)
        self.room = core.headroom(readings, self.first) if instrument.face == "ledger" else None
        self._ordered: dict[int, list[bool]] = {}

    def ordered(self, at: Place) -> bool:
        """Whether the cuts of a reading are all there and rise."""
        yardstick = self.readings.yardstick
        if yardstick is None:
            return False
        if at.p not in self._ordered:
            self._ordered[at.p] = grading.ordered(yardstick, self.readings.cuts[:, at.p]).tolist()
        return self._ordered[at.p][at.m]

    def draw(self, at: Place) -> ReadingPicture:
        readings, axis, unit, p, m = self.readings, self.axis, self.unit, at.p, at.m
        value, yardstick = at.value, readings.yardstick
        cuts = at.cuts if yardstick else []
        known = yardstick.known if yardstick else {}
        lines = [
            MarkLine(name=name, value=line, shown=words.show_cut(line, unit), fraction=axis.place(line), past=axis.past(line))
            for name, line in at.lines.items()
            if math.isfinite(line)
        ]  # fmt: skip
        part = readings.parts[p]
        face = self.instrument.face
        parts: dict[str, Any] = {
            "key": f"{at.role}:{at.label}" if not at.ask else f"{at.role}:{at.label}:{at.ask.model_dump_json()}",
            "role": at.role, "label": at.label, "ask": at.ask, "marks": lines,
            "bands": bands_on(axis, yardstick, cuts) if yardstick and self.ordered(at) else [],
            # Rows on one axis carry no labels of their cuts; one reading alone does.
            "cuts": cut_lines(axis, cuts, unit) if at.role == "all" or face in SINGLE else [],
            "partial": Partial(days=part.days, of=part.of, words=part.words, pro_rated=core.pro_rates(readings, p))
            if part
            else None,
            "trail": self._trail(at) if face in TRAILED or self._shows("trail") else [],
            "history": history(
                readings, m, self.first, upto=p, most=self.instrument.look.history.periods, axis=self._given(), unit=unit
            )
            if face == "history"
            else None,
        }  # fmt: skip
        if not math.isfinite(value):
            rows = int(readings.totals.rows[p, m])
            reason = f"no rows in {readings.periods[p].label}" if not rows else "the formula divides by nothing here"
            name = at.label if at.role != "all" else None
            return _nothing(self.title, at.role, name, reason).model_copy(update=parts | {"member": at.member})
        state = readings.state(p, m)
        before = readings.state(p - 1, m) if p > 0 else None
        reason = ""
        if state is None:
            reason = grading.why_not_graded(yardstick, cuts) if yardstick else "no yardstick is chosen"
        distance, reached = _known(self.gap[p, m]), _known(self.attainment[p, m])
        gap_words = self._gap_words(value, lines, distance)
        band_words = ""
        if state is not None and yardstick:
            band_words = words.band_words(yardstick, cuts, int(readings.band[p, m]), unit)
        shown = show(value, unit)
        room = _known(self.room[p, m]) if self.room is not None else None
        rest = "; ".join(
            text
            for text in (
                gap_words,
                f"not graded: {reason}" if reason else "",
                f"partial, {part.words}" if part else "",
            )
            if text
        )
        return ReadingPicture(
            **parts, member=at.member, status="graded" if state else "not_graded", reason=reason, value=value, shown=shown,
            state=state, fraction=axis.place(value), past=axis.past(value), gap=distance,
            gap_shown=_signed_gap(distance, unit), gap_words=gap_words, band_words=band_words, attainment=reached,
            attainment_shown=_percent(reached), headroom=room, headroom_shown=_percent(room, sign=True), before=before,
            step=known[state].rank - known[before].rank if state and before else 0,
            spoken=words.spoken(
                f"{self.title}, {at.label}" if at.label else self.title, shown, known[state].name if state else None, rest
            ),
            axis=None, shade=None, side=None, strokes=0, steps=[],
        )  # fmt: skip

    def _gap_words(self, value: float, lines: Sequence[MarkLine], distance: float | None) -> str:
        direction = self.readings.kpi.direction
        if direction == "inside" and distance is not None and core.nearer_edge(self.readings) is not None:
            return words.edge_words(value - distance, distance, self._inside(value, distance), self.unit)
        first = lines[0] if lines else None
        return words.gap_words(value, first.value, first.name, direction, self.unit) if first else ""

    def _inside(self, value: float, distance: float) -> bool:
        yardstick = self.readings.yardstick
        assert yardstick is not None
        top = grading.best(yardstick)
        lower = self.readings.cuts[top[0] - 1]
        # The nearer edge is a lower one where the value is over it and inside, or under it and outside.
        is_low = bool(np.any(np.isclose(lower, value - distance, rtol=1e-9)))
        return distance >= 0 if is_low else distance <= 0

    def _trail(self, at: Place) -> list[Any]:
        return moments(self.readings, at.m, self.first, at.p, self.instrument.look.history.periods, self.unit)

    def _shows(self, column: str) -> bool:
        return self.instrument.face == "ledger" and column in self.instrument.look.ledger.columns

    def _given(self) -> tuple[float | None, float | None]:
        return self.instrument.axis.low, self.instrument.axis.high


def _known(number: float) -> float | None:
    return float(number) if math.isfinite(number) else None


def _percent(share: float | None, sign: bool = False) -> str:
    return show(share, Unit("percent", 0), sign=sign) if share is not None else ""


@lru_cache(maxsize=256)
def _bare(unit: Unit) -> Unit:
    """The unit of a gap in a column of figures: points for a percent, no text behind a number."""
    if unit.kind == "percent":
        return Unit("number", unit.decimals)
    return replace(unit, text="") if unit.kind == "number" else unit


def _signed_gap(gap: float | None, unit: Unit) -> str:
    if gap is None:
        return ""
    return show(gap * 100 if unit.kind == "percent" else gap, _bare(unit), sign=True)


# What only some faces need


def _tally_columns(instrument: InstrumentBody, places: Sequence[Place], drawn: list[ReadingPicture], unit: Unit) -> str:
    """Put strokes and two-sided bars into the rows of a ledger. Returns what one stroke stands for."""
    sides = ledger.both_ways(np.array([math.nan if r.headroom is None else r.headroom for r in drawn], dtype=float))
    values = np.array([at.value for at in places])
    one = instrument.look.ledger.stroke or ledger.stroke_of(values)
    counted = ledger.strokes(values, one).tolist() + [0] * (len(drawn) - len(places))
    for i, reading in enumerate(drawn):
        reading.side = _known(sides[i])
        reading.strokes = min(counted[i], 4 * ledger.MOST_STROKES)
    return words.show_cut(one, unit)


def _add_steps(
    book: Book,
    instrument: InstrumentBody,
    scope: ScopeBody,
    period: Period | None,
    axis: Axis,
    drawn: Sequence[ReadingPicture],
) -> None:
    """The steps of a checklist by name; for any other KPI so many even steps of its axis."""
    dataset = book.dataset(book.kpi(instrument.kpi).dataset)
    if dataset.kind != "checklist" or instrument.by == "step":
        count = instrument.look.pips.steps
        for reading in drawn:
            filled = reading.fraction * count if reading.value is not None else 0.0
            reading.steps = [
                Step(
                    name=f"{i + 1} of {count}",
                    done=min(1.0, max(0.0, filled - i)),
                    value=axis.low + (axis.high - axis.low) * (i + 1) / count,
                )
                for i in range(count)
            ]
        return
    each, _ = take(book, instrument.model_copy(update={"by": "step", "yardstick": None, "marks": []}), scope, period)
    for reading in drawn:
        block = each
        if instrument.by and reading.member is not None:
            only = scope.model_copy(update={"members": scope.members | {instrument.by: [reading.member]}})
            block, _ = take(
                book, instrument.model_copy(update={"by": "step", "yardstick": None, "marks": []}), only, period
            )
        p = block.at(period) if period else None
        if p is not None:
            reading.steps = [
                Step(name=name or "", done=float(np.nan_to_num(block.value[p, m])))
                for m, name in enumerate(block.members)
            ]
