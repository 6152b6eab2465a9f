"""An instrument as its face draws it: every text written, every place resolved to a fraction of its axis."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace
from functools import lru_cache
from typing import Any

import numpy as np

from ironmark.api.hands import kept_by_hand
from ironmark.core import axis as axes
from ironmark.core import ledger, words
from ironmark.core import reading as core
from ironmark.core import yardstick as grading
from ironmark.core.axis import Axis
from ironmark.core.formula import FormulaError
from ironmark.core.numbers import Unit, show
from ironmark.core.periods import Period
from ironmark.core.reading import Readings
from ironmark.pages.documents import FurtherBody, InstrumentBody, ScopeBody
from ironmark.pages.histories import history, moments
from ironmark.pages.library import Library
from ironmark.pages.places import Place, first_of, grouped, ordered, places_of
from ironmark.pages.quadrants import quadrant_picture
from ironmark.pages.ramps import shaded
from ironmark.pages.reads import take_readings, unit_of
from ironmark.pages.scales import axis_picture, bands_on, cut_lines
from ironmark.pages.shapes import Ask, InstrumentPicture, MarkLine, Partial, ReadingPicture, Rehearsed, Step
from ironmark.store.database import Missing
from ironmark.tables.cells import NoPeriod
from ironmark.tables.connections import LiveProblem, Slow

LISTS_KPIS = {"ledger", "profile", "lamp", "tile", "chip"}
TO_ITS_MARK = {"bar", "column", "ring", "pips"}  # progress from nothing to a mark; what lies past it is an overrun
FROM_ZERO = {"ranked", "profile"}
SINGLE = {"dial", "column", "ring", "figure", "history"}  # drawn once for each reading
TRAILED = {"figure", "strip"}


def picture(
    library: Library,
    instrument: InstrumentBody,
    scope: ScopeBody,
    period: Period | None,
    rehearsed: Rehearsed | None = None,
    most: int | None = None,
) -> InstrumentPicture:
    """Never raises for what a KPI or its data may hold: the picture then says what is wrong.

    most: how many readings are drawn, where a few are enough to show what it looks like.
    """
    kpi = library.kpis.get(instrument.kpi)
    empty = InstrumentPicture(
        id=instrument.id, title=instrument.title or (kpi.name if kpi else "An instrument without a KPI"),
        kpi_name=kpi.name if kpi else "", direction=kpi.direction if kpi else "higher", unit=kpi.unit.kind if kpi else "number",
        period=period.key if period else "", problem=None, notes=[], axis=None, readings=[], ramp=None, quadrant=None,
        by_hand="", stroke="", grain=period.grain if period else "month", rehearsed=False, waiting=False,
    )  # fmt: skip
    if kpi is None:
        return empty.model_copy(update={"problem": "Its KPI was deleted. Choose another KPI in the brief, or undo."})
    try:
        return _drawn(library, instrument, scope, period, rehearsed, most, empty)
    except Slow as error:
        return empty.model_copy(update={"problem": str(error), "waiting": True})
    except (FormulaError, NoPeriod, Missing, LiveProblem) as error:
        return empty.model_copy(update={"problem": f"{kpi.name}: {getattr(error, 'message', error)}"})
    except KeyError as error:
        return empty.model_copy(update={"problem": f"{kpi.name} has no segment {error}. Choose another in the brief."})


def _drawn(
    library: Library,
    instrument: InstrumentBody,
    scope: ScopeBody,
    period: Period | None,
    rehearsed: Rehearsed | None,
    most: int | None,
    empty: InstrumentPicture,
) -> InstrumentPicture:
    kpi = library.kpi(instrument.kpi)
    readings, notes = take_readings(library, instrument, scope, period)
    unit = unit_of(readings.kpi.unit, instrument)
    title = instrument.title or kpi.name + (
        f" by {library.label_of(kpi.dataset, instrument.by).lower()}" if instrument.by else ""
    )
    p = readings.at(period) if period else None
    after = period is not None and period.start > library.source(kpi).last
    if p is None or (after and not np.isfinite(readings.value[p]).any()):
        label = period.label if period else "this period"
        nothing = [
            _nothing(title, "member" if instrument.by else "all", member, f"no rows in {label}")
            for member in (readings.members if instrument.by else [None])
        ]
        return empty.model_copy(update={"title": title, "notes": notes, "readings": nothing})
    read_so_far = readings.value
    if rehearsed is not None:
        value = readings.value.copy()
        member = rehearsed.member
        value[p, readings.members.index(member) if member in readings.members else 0] = rehearsed.value
        readings = core.regrade(readings, readings.yardstick, value)
    tried = {"axis from": instrument.axis.low, "axis to": instrument.axis.high}
    notes = notes + words.doubts_of(tried | ({"rehearsed": rehearsed.value} if rehearsed else {}), unit, read_so_far)
    places = ordered(places_of(instrument, readings, p), instrument.order)
    places = first_of(library, instrument, scope, period, places, p)
    if instrument.face == "ledger" and instrument.look.ledger.group and instrument.by and not instrument.last:
        places = grouped(library, instrument, scope, period, places)
    places = places[:most]
    axis = _axis_of(instrument, places, unit)
    frames = {
        id(block): Frame(library, instrument, block, unit, title, axis)
        for block in {id(at.readings): at.readings for at in places}.values()
    }
    drawn = [frames[id(at.readings)].draw(at) for at in places]
    out: dict[str, Any] = {
        "title": title, "notes": notes, "axis": axis_picture(axis, unit, instrument.ticks), "readings": drawn,
        "rehearsed": rehearsed is not None,
        "by_hand": kept_by_hand(library.dataset(kpi.dataset), kpi, instrument, scope),
    }  # fmt: skip
    if instrument.further and instrument.face in LISTS_KPIS and not instrument.by and not instrument.last:
        drawn += _further(library, instrument, scope, period)
        drawn[0] = drawn[0].model_copy(update={"label": kpi.name, "role": "kpi", "axis": out["axis"]})
        out["title"] = instrument.title or f"{kpi.name} and {len(instrument.further)} more"
    if instrument.face == "pips":
        _add_steps(library, instrument, scope, period, axis, drawn)
    if instrument.face == "ledger":
        out["stroke"] = _tally_columns(instrument, places, drawn, unit)
    if instrument.ramp is not None:
        out["ramp"] = shaded(library, instrument, scope, period, places, drawn, unit)
    if instrument.face == "quadrant":
        out["quadrant"] = quadrant_picture(library, instrument, scope, period, readings, p, unit, drawn)
    return empty.model_copy(update=out)


def _further(
    library: Library, instrument: InstrumentBody, scope: ScopeBody, period: Period | None
) -> list[ReadingPicture]:
    """The readings of an instrument's further KPIs, each on an axis of its own."""
    library.fetch(
        [more.kpi for more in instrument.further], [more.yardstick for more in instrument.further if more.yardstick]
    )
    found = []
    for more in instrument.further:
        found.append(_one_further(library, instrument, more, scope, period))
    return found


def _one_further(
    library: Library, instrument: InstrumentBody, more: FurtherBody, scope: ScopeBody, period: Period | None
) -> ReadingPicture:
    slots = {"kpi": more.kpi, "yardstick": more.yardstick, "marks": more.marks, "title": ""}
    alone = instrument.model_copy(update={**slots, "further": [], "axis": type(instrument.axis)(), "decimals": None})
    drawn = picture(library, alone, scope, period)
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

    def __init__(
        self, library: Library, instrument: InstrumentBody, readings: Readings, unit: Unit, title: str, axis: Axis
    ) -> None:
        self.library, self.key, self.kpi = library, instrument.kpi, library.kpi(instrument.kpi)
        self.instrument, self.readings, self.unit, self.title, self.axis = instrument, readings, unit, title, axis
        self.first = next(iter(readings.marks), "")
        self.edge = core.nearer_edge(readings) if readings.kpi.direction == "inside" else None
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
            reason = core.why_nothing(readings, p, m)
            name = at.label if at.role != "all" else None
            return _nothing(self.title, at.role, name, reason).model_copy(update=parts | {"member": at.member})
        state = readings.state(p, m)
        before = readings.state(p - 1, m) if p > 0 else None
        reason = ""
        if state is None:
            reason = self._why_not_graded(at) if yardstick else "no yardstick is chosen"
        distance, reached = _known(self.gap[p, m]), _known(self.attainment[p, m])
        gap_words = self._gap_words(at, lines, distance)
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

    def _why_not_graded(self, at: Place) -> str:
        assert self.readings.yardstick is not None
        source, entries = self.library.source(self.kpi), self.library.entries(self.key)
        return grading.why_not_graded(
            self.readings.yardstick, at.cuts,
            lambda mark: core.no_mark(self.readings, source, entries, mark, at.p, at.m),
        )  # fmt: skip

    def _gap_words(self, at: Place, lines: Sequence[MarkLine], distance: float | None) -> str:
        direction = self.readings.kpi.direction
        if self.edge is not None and distance is not None and math.isfinite(edge := self.edge[0][at.p, at.m]):
            return words.edge_words(float(edge), distance, bool(self.edge[1][at.p, at.m] >= 0), self.unit)
        first = lines[0] if lines else None
        return words.gap_words(at.value, first.value, first.name, direction, self.unit) if first else ""

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
    library: Library,
    instrument: InstrumentBody,
    scope: ScopeBody,
    period: Period | None,
    axis: Axis,
    drawn: Sequence[ReadingPicture],
) -> None:
    """The steps of a checklist by name; for any other KPI so many even steps of its axis."""
    dataset = library.dataset(library.kpi(instrument.kpi).dataset)
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
    by_step = instrument.model_copy(update={"by": "step", "yardstick": None, "marks": []})
    for reading in drawn:
        only = {instrument.by: [reading.member]} if instrument.by and reading.member is not None else {}
        block, _ = take_readings(library, by_step, scope.model_copy(update={"members": scope.members | only}), period)
        p = block.at(period) if period else None
        if p is not None:
            reading.steps = [
                Step(name=name or "", done=float(np.nan_to_num(block.value[p, m])))
                for m, name in enumerate(block.members)
            ]
