"""A sheet as its face draws it: every text written, every place resolved to a fraction of its axis.

Nothing is read here: a sheet that was kept is drawn as it was.
"""

from __future__ import annotations

import math
from collections.abc import Hashable, Mapping, Sequence
from dataclasses import dataclass, fields, replace
from functools import lru_cache
from operator import attrgetter

import numpy as np

from ironmark.core import axis as axes
from ironmark.core import ledger, words
from ironmark.core import yardstick as grading
from ironmark.core.axis import Axis
from ironmark.core.faces import FACES
from ironmark.core.kinds import KINDS, OTHERS, shade_of
from ironmark.core.numbers import NumberStyle, Unit, show
from ironmark.core.palette import State
from ironmark.core.signal_words import range_words
from ironmark.pages.drawing.histories import heads_for, history, trail
from ironmark.pages.drawing.kind_legend import kind_legend
from ironmark.pages.drawing.quadrants import quadrant_picture
from ironmark.pages.drawing.ramps import shaded
from ironmark.pages.drawing.scales import Ticked, axis_picture, bands_on, cut_lines, with_nan
from ironmark.pages.drawing.segments import segments_of
from ironmark.pages.model.face_settings import DialLook, RingLook
from ironmark.pages.model.instrument_identity import but_for_place, edited
from ironmark.pages.model.page import Reading, Sheet, Subject, parsed
from ironmark.pages.model.pictures import (
    AxisPicture,
    GoingMark,
    InstrumentPicture,
    MarkLine,
    ReadingPicture,
    Step,
    UsualPicture,
)
from ironmark.pages.model.scorecard import InstrumentBody
from ironmark.pages.model.standing import Going

HUNDREDTHS = Unit("percent", 0)
FURTHEST = 1.5  # of its mark: what is further past it is told by the overrun sign
# The settings that a drawing depends on, and all that a sheet says.
_drawn_by = attrgetter("face", "look", "axis", "ticks", "tick_count", "marks", "ramp", "colour")
_says = attrgetter(*(slot.name for slot in fields(Sheet) if slot.name not in ("id", "instrument")))


def draw_sheet(sheet: Sheet, states: Mapping[str, State], year_start: int, style: NumberStyle) -> InstrumentPicture:
    """One sheet by itself. states: those that the bands of its yardsticks carry, by key."""
    return Pen(states, year_start, style).draw(sheet)


class Pen:
    """Draws the sheets of a page. What several of them show is written once, and what is alike drawn once."""

    def __init__(self, states: Mapping[str, State], year_start: int, style: NumberStyle) -> None:
        self.states, self.year_start, self.style = states, year_start, style
        self.texts: dict[Hashable, Texts] = {}
        self._drawn: dict[tuple[int, ...], list[tuple[Sheet, InstrumentPicture]]] = {}

    def draw(self, sheet: Sheet) -> InstrumentPicture:
        alike = self._drawn.setdefault(tuple(map(id, sheet.readings)), [])
        found = next((picture for other, picture in alike if _drawn_alike(sheet, other)), None)
        if found is None:
            found = self._draw(sheet)
            alike.append((sheet, found))
        return found if found.id == sheet.id else edited(found, id=sheet.id)

    def _draw(self, sheet: Sheet) -> InstrumentPicture:
        instrument = sheet.instrument
        subject = sheet.subjects[0] if sheet.subjects else None
        picture = InstrumentPicture(
            id=sheet.id, title=sheet.title, kpi_name=subject.name if subject else "", direction=subject.direction if subject else "higher",
            unit=subject.unit.kind if subject else "number", period=sheet.period, problem=sheet.problem, notes=list(sheet.notes),
            axis=None, readings=[], ramp=None, kinds=[], quadrant=None, by_hand=sheet.by_hand, stroke="", grain=sheet.grain,
            rehearsed=sheet.rehearsed, waiting=sheet.waiting, reach=sheet.reach, tried=list(sheet.tried), sorted=sheet.sorted,
        )  # fmt: skip
        if subject is None or sheet.problem:
            return picture
        if sheet.ahead:
            picture.readings = [_unread(sheet.title, reading) for reading in sheet.readings]
            return picture
        own = [reading for reading in sheet.readings if reading.subject == 0]
        axis = choose_axis(instrument, subject, own)
        title = f"{sheet.title}, {sheet.reach}" if sheet.reach else sheet.title
        if sheet.tried:
            title += f", tried with another {' and '.join(sheet.tried)}"
        frames = {0: Frame(instrument, subject, title, axis, self)}
        bare = instrument.model_copy(update={"axis": type(instrument.axis)()})
        for at, further in enumerate(sheet.subjects[1:], start=1):
            its = [reading for reading in sheet.readings if reading.subject == at]
            frames[at] = Frame(bare, further, further.name, choose_axis(bare, further, its), self)
        for at, frame in frames.items():
            if frame.full:
                frame.measure([reading for reading in sheet.readings if reading.subject == at])
            picture.readings += frame.draw([reading for reading in sheet.readings if reading.subject == at])
        picture.axis = frames[0].drawn_axis(own)
        if len(frames) > 1:
            for reading, drawn in zip(sheet.readings, picture.readings, strict=True):
                frame = frames[reading.subject]
                drawn.axis = frame.drawn_axis([reading]) if reading.value is not None or reading.cuts else None
        if instrument.face == "pips":
            _draw_steps(instrument.look.pips.steps, axis, sheet.readings, picture.readings)
        if instrument.face == "ledger":
            picture.stroke = _tally_columns(
                instrument.look.ledger.stroke, own, picture.readings, subject.unit, self.style
            )
        shades: dict[str | None, str | None] = {}
        if instrument.ramp is not None and sheet.colouring is not None:
            colours, picture.ramp = shaded(
                instrument.ramp, sheet.colouring, tuple(reading.colour for reading in own), self.style
            )
            for drawn, shade in zip(picture.readings, colours, strict=False):
                drawn.shade = shades[drawn.member] = shade
        elif sheet.kinds is not None or instrument.colour.by == "plain":
            _colour(picture, sheet, shades)
        if sheet.crossing is not None:
            mark = instrument.marks[0] if instrument.marks else ""
            picture.quadrant = quadrant_picture(
                sheet.crossing, instrument.look.quadrant, subject, mark, shades, self.style
            )
        return picture


def _colour(picture: InstrumentPicture, sheet: Sheet, shades: dict[str | None, str | None]) -> None:
    """Colour what is drawn plainly or by kinds, and note whose colour is whose in ``shades``."""
    members = {member for member in (sheet.crossing.members if sheet.crossing else ())}
    members |= {reading.member for reading in sheet.readings if reading.member is not None}
    kinds, plain = sheet.kinds, KINDS[sheet.instrument.colour.plain]
    if kinds is None:
        shades |= {member: plain for member in members} | {None: plain}
    else:
        shades |= {member: shade_of(kinds.of[member]) if member in kinds.of else OTHERS for member in members}
        picture.kinds = kind_legend(kinds, members)
    for drawn in picture.readings:
        drawn.shade = shades.get(drawn.member, OTHERS if kinds else plain)


def _drawn_alike(one: Sheet, other: Sheet) -> bool:
    """Whether two sheets of the same readings look the same, wherever they stand on the page."""
    if one.readings is other.readings and but_for_place(one.instrument) == but_for_place(other.instrument):
        return True
    return bool(_says(one) == _says(other) and _drawn_by(one.instrument) == _drawn_by(other.instrument))


def choose_axis(instrument: InstrumentBody, subject: Subject, readings: Sequence[Reading]) -> Axis:
    """The axis as given, or chosen so that values, cuts and marks of all readings fit."""
    kind = FACES[instrument.face].axis
    figures = [reading.value for reading in readings if reading.value is not None]
    lines = [mark.value for reading in readings for mark in reading.marks]
    cuts = [cut for reading in readings for cut in reading.cuts if cut is not None]
    values = np.array([*figures, *cuts, *lines])
    whole = axes.whole_of(values, subject.unit.kind == "percent")
    if kind == "to_mark":
        first = instrument.marks[0] if instrument.marks else ""
        marks = [mark.value for reading in readings for mark in reading.marks if mark.name == first]
        chosen = Axis(0.0, whole) if whole else axes.choose(values, from_zero=True)
        if not whole and marks and max(marks) > 0:
            chosen = Axis(min(chosen.low, 0.0), max(max(marks), 1e-9))
    elif kind == "from_zero":
        # The outer cuts of a yardstick may lie far out; bars are for the values and their marks.
        chosen = axes.choose([*figures, *lines], from_zero=True, ceiling=whole)
    else:
        chosen = axes.choose(values, ceiling=whole)
    return axes.with_ends(chosen, instrument.axis.low, instrument.axis.high)


@dataclass(frozen=True, slots=True)
class Texts:
    """What is written of a reading, wherever it is drawn."""

    marks: tuple[str, ...]
    shown: str = ""
    gap_shown: str = ""
    gap_words: str = ""
    band_words: str = ""
    attainment: str = ""
    state: str | None = None
    rest: str = ""


class Frame:
    """What the readings of one subject share: axis, unit, yardstick, title."""

    def __init__(
        self, instrument: InstrumentBody, subject: Subject, title: str, axis: Axis, pen: Pen
    ) -> None:  # fmt: skip
        self.instrument, self.subject, self.title, self.axis = instrument, subject, title, axis
        self.states, self.year_start, self.unit, self.texts = pen.states, pen.year_start, subject.unit, pen.texts
        self.style = pen.style
        self.yardstick = subject.yardstick.with_states(pen.states) if subject.yardstick else None
        self.face = FACES[instrument.face]
        look = getattr(instrument.look, instrument.face, None)
        self.full = self.face.full and look is not None and look.full == "mark"
        self.segmented = look if isinstance(look, DialLook | RingLook) else None
        self.share = 1.0  # of the own mark that the axis holds, where a full track is the own mark

    def measure(self, readings: Sequence[Reading]) -> None:
        """Where a full track is each reading's own mark: the axis is then shares of it, as far as the furthest goes."""
        shares = [share for reading in readings if (share := _share_of_mark(reading)) is not None]
        self.share = 1.0 if self.face.key == "ring" else min(max([1.0, *shares]), FURTHEST)
        self.axis = Axis(0.0, self.share)

    def axis_of(self, reading: Reading) -> Axis | None:
        """The axis that a reading lies on; None where it has no mark to be a share of."""
        if not self.full:
            return self.axis
        return Axis(0.0, reading.marks[0].value * self.share) if _share_of_mark(reading) is not None else None

    def drawn_axis(self, readings: Sequence[Reading]) -> AxisPicture:
        """The axis of some readings with its ticks; cuts are ticks where all of them share them."""
        held = self.instrument
        shared = {reading.cuts for reading in readings if reading.value is not None or reading.cuts}
        cuts = with_nan(next(iter(shared))) if len(shared) == 1 else []
        where = "ends" if held.ticks == "cuts" and (not cuts or self.full) else held.ticks
        ticked = Ticked(where, held.tick_count, tuple(cuts))
        return axis_picture(self.axis, HUNDREDTHS if self.full else self.unit, self.style, ticked, 1.0 / self.share)

    def draw(self, readings: Sequence[Reading]) -> list[ReadingPicture]:
        rows = [with_nan(reading.cuts) for reading in readings]
        fine = self._ordered(rows)
        return [self._one(*each) for each in zip(readings, rows, fine, strict=True)]

    def _ordered(self, rows: Sequence[list[float]]) -> list[bool]:
        """Whether the cuts of each reading are all there and rise."""
        if self.yardstick is None or not rows:
            return [False] * len(rows)
        have = [len(row) == len(self.yardstick.cuts) for row in rows]
        blank = [math.nan] * len(self.yardstick.cuts)
        table = np.array([row if whole else blank for row, whole in zip(rows, have, strict=True)])
        found: list[bool] = grading.ordered(self.yardstick, table.T).tolist()
        return found

    def _one(self, reading: Reading, cuts: list[float], fine: bool) -> ReadingPicture:
        value, texts = reading.value, self._written(reading, cuts)
        picture, own_axis = _unread(self.title, reading), self.axis_of(reading)
        # Without a mark to be a share of, the figure is told and nothing is drawn.
        axis = own_axis or self.axis
        if own_axis is None:
            cuts, fine = [], False
        else:
            picture.marks = [
                MarkLine(mark.name, mark.value, text, axis.place(mark.value), axis.past(mark.value))
                for mark, text in zip(reading.marks, texts.marks, strict=True)
            ]
        if fine and self.yardstick:
            picture.bands = bands_on(axis, self.yardstick, cuts)
            if self.instrument.face == "dial" and self.instrument.look.dial.names == "shares":
                for band in picture.bands:
                    band.share = _percent(band.end - band.start, self.style)
        # Rows on one axis carry no labels of their cuts; one reading alone does.
        if cuts and (reading.role == "all" or reading.role == "kpi" or self.face.cuts):
            picture.cuts = cut_lines(axis, cuts, self.unit, self.style)
        picture.partial = reading.partial
        given = self.instrument.axis
        if reading.earlier and self.instrument.face == "history":
            picture.history = history(
                reading.earlier,
                self.yardstick,
                self.unit,
                self.year_start,
                self.style,
                given.low,
                given.high,
                Ticked(self.instrument.ticks, self.instrument.tick_count),
                self.instrument.signals,
            )
        elif reading.earlier:
            picture.trail = trail(reading.earlier, self.yardstick, self.unit, self.year_start, self.style)
        if self.segmented is not None:
            picture.segments = segments_of(
                self.segmented, reading, axis.place(value) if value is not None else 0.0, picture.bands
            )
        if value is None:
            return picture
        picture.status, picture.value, picture.shown, picture.state = reading.status, value, texts.shown, reading.state
        if own_axis is not None:
            picture.fraction, picture.past = axis.place(value), axis.past(value)
        picture.band = reading.band if reading.band >= 0 else None
        picture.gap, picture.gap_shown, picture.gap_words = reading.gap, texts.gap_shown, texts.gap_words
        picture.band_words = texts.band_words
        picture.attainment, picture.attainment_shown = reading.attainment, texts.attainment
        picture.headroom, picture.headroom_shown = reading.headroom, _percent(reading.headroom, self.style, sign=True)
        picture.before, picture.step = reading.before, reading.step
        if self.instrument.signals:
            self._beside(picture, reading, axis)
        title = f"{self.title}, {reading.label}" if reading.label and reading.role != "kpi" else self.title
        picture.spoken = words.spoken(title, texts.shown, texts.state, _said(texts.rest, picture))
        return picture

    def _beside(self, picture: ReadingPicture, reading: Reading, axis: Axis) -> None:
        """What is told of a reading beside its state."""
        picture.usual, picture.few = self._usual(reading)
        if reading.going is None:
            return
        picture.going = self._going(reading.going, None if self.subject.nature == "flow" else axis)
        if picture.history is not None and picture.history.points[-1].partial:
            heads_for(picture.history, reading.going.end, reading.going.low, reading.going.high)

    def _going(self, going: Going, axis: Axis | None) -> GoingMark:
        shown = show(going.end, self.unit, self.style)
        names = [(self.states[s].name, n) for s, n in going.states if s in self.states]
        told = f"on its way to {shown}"
        if names:
            told += f", likely {names[0][0]}" + "".join(f"; {name} in {n} of 10" for name, n in names[1:])
        range_ = range_words(going.low, going.high, self.unit, self.style)
        at, low, high = (axis.place(value) if axis else 0.0 for value in (going.end, going.low, going.high))
        return GoingMark(shown, range_, told, at, low, high)

    def _usual(self, reading: Reading) -> tuple[UsualPicture | None, str]:
        held, few, grain = reading.usual, "", parsed(reading.period, self.year_start).grain
        if reading.few:
            few = reading.few.words(self.states, self.style)
        if held is None:
            return None, few
        listed = self.instrument.face == "ledger" and "usual" in self.instrument.look.ledger.columns
        if not held.signals and not reading.step and not listed:
            return None, few  # most readings: there is nothing to say of them
        signal, range_ = held.signal(grain, self.unit, self.style), held.words(self.unit, self.style)
        told = f"a signal: {signal}" if signal else f"within its usual variation, {range_}" if reading.step else ""
        return UsualPicture(range_, signal, told), few

    def _written(self, reading: Reading, cuts: list[float]) -> Texts:
        key = (id(reading), self.unit)
        held = self.texts.get(key)
        if held is None:
            held = self.texts[key] = self._write(reading, cuts)
        return held

    def _write(self, reading: Reading, cuts: list[float]) -> Texts:
        unit, value, state, band_words = self.unit, reading.value, reading.state, ""
        marks = tuple(words.show_mark(mark.value, unit, self.style) for mark in reading.marks)
        if value is None:
            return Texts(marks=marks)
        gap_words = self._gap_words(reading)
        if state is not None and self.yardstick:
            band_words = words.band_words(self.yardstick, cuts, reading.band, unit, self.style)
        rest = (
            gap_words,
            f"not graded: {reading.reason}" if reading.reason else "",
            f"partial, {reading.partial.words}" if reading.partial else "",
        )
        return Texts(
            marks=marks, shown=show(value, unit, self.style), gap_shown=_signed_gap(reading.gap, unit, self.style), gap_words=gap_words,
            band_words=band_words, attainment=self._reached(reading), state=self.states[state].name if state else None,
            rest="; ".join(text for text in rest if text),
        )  # fmt: skip

    def _reached(self, reading: Reading) -> str:
        """How much of its mark is reached; where lower is better, how far under or over it the value is."""
        if self.subject.direction != "lower" or reading.attainment is None:
            return _percent(reading.attainment, self.style)
        room = reading.attainment - 1  # of the mark
        return f"{_percent(abs(room), self.style)} {'under' if room >= 0 else 'over'}"

    def _gap_words(self, reading: Reading) -> str:
        assert reading.value is not None
        if reading.edge is not None and reading.gap is not None:
            return words.edge_words(reading.edge, reading.gap, reading.inside, self.unit, self.style)
        if not reading.marks:
            return ""
        first = reading.marks[0]
        return words.gap_words(reading.value, first.value, first.name, self.subject.direction, self.unit, self.style)


def _said(rest: str, picture: ReadingPicture) -> str:
    told = (picture.usual.told if picture.usual else "", picture.few, picture.going.told if picture.going else "")
    return "; ".join(text for text in (rest, *told) if text)


def _share_of_mark(reading: Reading) -> float | None:
    """How much of its first mark a reading comes to; None where there is nothing to be a share of."""
    if reading.value is None or not reading.marks or reading.marks[0].value <= 0:
        return None
    return reading.value / reading.marks[0].value


def _unread(title: str, reading: Reading) -> ReadingPicture:
    """A reading without a figure, which is also what every other one is drawn from."""
    return ReadingPicture(
        key=reading.key, about=reading.about, word="", role=reading.role, member=reading.member, label=reading.label,
        status="no_reading", reason=reading.reason,
        value=None, shown="no reading", state=None, band=None, fraction=0.0, past=0, bands=[], cuts=[], marks=[], gap=None,
        gap_shown="", gap_words="", band_words="", attainment=None, attainment_shown="", headroom=None, headroom_shown="",
        partial=None, before=None, step=0, spoken=words.spoken(reading.label or title, "no reading", None, reading.reason),
        ask=reading.ask, axis=None, shade=None, side=None, strokes=0, scale=reading.scale, trail=[], steps=[], history=None,
        segments=[],
    )  # fmt: skip


def _percent(share: float | None, style: NumberStyle, sign: bool = False) -> str:
    return show(share, HUNDREDTHS, style, sign=sign) if share is not None else ""


@lru_cache(maxsize=256)
def _bare(unit: Unit) -> Unit:
    """The unit of a gap in a column of figures: points for a percent, no text behind a number."""
    if unit.kind == "percent":
        return Unit("number", unit.decimals)
    return replace(unit, text="") if unit.kind == "number" else unit


def _signed_gap(gap: float | None, unit: Unit, style: NumberStyle) -> str:
    if gap is None:
        return ""
    return show(gap * 100 if unit.kind == "percent" else gap, _bare(unit), style, sign=True)


# What only some faces need


def _tally_columns(
    given: float | None, own: Sequence[Reading], drawn: Sequence[ReadingPicture], unit: Unit, style: NumberStyle
) -> str:
    """Put strokes and two-sided bars into the rows of a ledger. Returns what one stroke stands for."""
    sides = ledger.both_ways(np.array(with_nan(reading.headroom for reading in drawn)))
    values = np.array(with_nan(reading.value for reading in own))
    one = given or ledger.stroke_of(values)
    counted = ledger.strokes(values, one).tolist() + [0] * (len(drawn) - len(own))
    for reading, side, strokes in zip(drawn, sides.tolist(), counted, strict=True):
        reading.side = side if math.isfinite(side) else None
        reading.strokes = min(strokes, 4 * ledger.MOST_STROKES)
    return words.show_cut(one, unit, style)


def _draw_steps(count: int, axis: Axis, readings: Sequence[Reading], drawn: Sequence[ReadingPicture]) -> None:
    """The steps of a checklist by name; for any other KPI so many even steps of its axis."""
    for reading, picture in zip(readings, drawn, strict=True):
        if reading.steps:
            picture.steps = [Step(name=step.name, done=step.done) for step in reading.steps]
            continue
        filled = picture.fraction * count if picture.value is not None else 0.0
        picture.steps = [
            Step(
                name=f"{i + 1} of {count}",
                done=min(1.0, max(0.0, filled - i)),
                value=axis.low + (axis.high - axis.low) * (i + 1) / count,
            )
            for i in range(count)
        ]
