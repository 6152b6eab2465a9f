"""Readings of one block as plain figures: what several sheets show of them is worked out once."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
from pydantic import TypeAdapter

from ironmark.core import distances, readings, why_nothing
from ironmark.core import reading as core
from ironmark.core import yardstick as grading
from ironmark.core.evaluate import Floats
from ironmark.core.mark_lines import plainly
from ironmark.core.marks import MarkEntry
from ironmark.core.readings import Readings
from ironmark.pages.context.reading_context import ReadingContext
from ironmark.pages.context.readings_cache import CachedReadings
from ironmark.pages.model.kpi import NamedDate
from ironmark.pages.model.page import Ask, Figures, Mark, Moment, Partial, Reading, narrow_of
from ironmark.pages.reading.outlooks import Outlooks
from ironmark.pages.reading.row_order import RowRef
from ironmark.pages.reading.rows_of import RowsOf
from ironmark.pages.reading.usual_ranges import UsualRanges

_ASKS: TypeAdapter[Ask] = TypeAdapter(Ask)


class PlainReadings:
    """Some readings of one KPI as plain figures: what several sheets show of them is worked out once."""

    def __init__(
        self, kpi: str, yardstick: str | None, readings: Readings, source: readings.Source, entries: Sequence[MarkEntry],
        named: Sequence[NamedDate] = (), rows: RowsOf | None = None,
    ) -> None:  # fmt: skip
        self.kpi, self.yardstick, self.readings = kpi, yardstick, readings
        self._source, self._entries = source, entries
        self.usual, self.outlooks = UsualRanges(readings, named), Outlooks(readings, rows)
        self.first = next(iter(readings.marks), "")
        gap, attainment = distances.gap_and_attainment(readings, self.first)
        self.values = _Rows(readings.value)
        self.gap, self.attainment = _Rows(gap), _Rows(attainment)
        self.room = _Rows(distances.headroom(readings, self.first))
        self.marks = {name: _Rows(line) for name, line in readings.marks.items()}
        self.cuts = _Rows(np.moveaxis(readings.cuts, 0, -1)) if readings.yardstick else None
        scale = core.scale(readings, readings.yardstick) if readings.yardstick else np.ones(readings.value.shape)
        self.scale = _Rows(scale)
        self.bands: list[list[int]] = readings.band.tolist()
        self.edge: _Rows | None = None
        self.inside: list[list[bool]] | None = None
        if readings.kpi.direction == "inside":
            edge, inside = distances.nearer_edge(readings)
            self.edge, self.inside = _Rows(edge), (inside >= 0).tolist()
        self._made: dict[tuple[int, int], dict[str, Any]] = {}
        self._readings: dict[tuple[str, int, int, int, bool], Reading] = {}
        self._earlier: dict[tuple[int, int, int, bool], tuple[Moment, ...]] = {}

    def reading(self, at: RowRef, trail: int, cuts: bool) -> Reading:
        """trail: how many periods up to this one are shown with it; cuts: with the cuts of each."""
        key = f"{at.role}:{at.label}"
        if at.ask:
            key += f":{_ASKS.dump_json(at.ask).decode()}"
        place = (key, at.p, at.m, trail, cuts)
        if place not in self._readings:
            plain = self._made.get((at.p, at.m))
            if plain is None:
                plain = self._made[at.p, at.m] = self._figures(at.p, at.m)
            self._readings[place] = Reading(
                key=key, role=at.role, label=at.label, member=at.member, ask=at.ask,
                earlier=self.earlier(at.p, at.m, trail, cuts) if trail else (), **plain,
            )  # fmt: skip
        return self._readings[place]

    def _figures(self, p: int, m: int) -> dict[str, Any]:
        readings, yardstick = self.readings, self.readings.yardstick
        period, value, part = readings.periods[p], self.values[p][m], readings.partial_periods[p]
        state, reason, before, step = readings.state(p, m), "", None, 0
        cuts: Figures = tuple(self.cuts[p][m]) if self.cuts else ()
        if value is None:
            state, reason = None, why_nothing.why_nothing(readings, p, m)
        else:
            before = readings.state(p - 1, m) if p > 0 else None
            if state is None:
                reason = self._why_not_graded(p, m) if yardstick else "no yardstick is chosen"
            elif before and yardstick:
                step = yardstick.known[state].rank - yardstick.known[before].rank
        return dict(
            of=self.of(p, m), period=period.key, subject=0, value=value,
            band=self.bands[p][m], state=state, reason=reason, marks=self.marks_at(p, m), cuts=cuts,
            gap=self.gap[p][m] if value is not None else None, attainment=self.attainment[p][m] if value is not None else None,
            headroom=self.room[p][m] if value is not None else None,
            edge=self.edge[p][m] if self.edge else None, inside=bool(self.inside and self.inside[p][m]),
            partial=Partial(part.days, part.of, part.words, distances.pro_rates(readings, p)) if part else None,
            before=before, step=step, scale=self.scale[p][m],
            usual=self.usual.at(p, m) if value is not None else None, few=self.usual.few(p, m) if value is not None else None,
            going=self.outlooks.at(p, m) if part else None,
        )  # fmt: skip

    def marks_at(self, p: int, m: int) -> tuple[Mark, ...]:
        found = []
        for name, line in self.marks.items():
            value = line[p][m]
            if value is not None:
                lines = self.readings.lines[name]
                whole = lines.value[p, m] == lines.value[p, m]
                source = "computed" if not whole else "members" if lines.segment(p, m) else "entry"
                found.append(Mark(name, value, source))
        return tuple(found)

    def of(self, p: int, m: int) -> str:
        """What a figure is a reading of: the same wherever these rows are read by this KPI and yardstick."""
        where = dict(self.readings.where)
        if self.readings.segment and self.readings.members[m] is not None:
            where[self.readings.segment] = (str(self.readings.members[m]),)
        if len(where) > 1:
            where = plainly(where, readings.within_of(self._source))
        return f"{self.kpi}|{self.yardstick or ''}|{narrow_of(where)}|{self.readings.periods[p].key}"

    def _why_not_graded(self, p: int, m: int) -> str:
        readings = self.readings
        assert readings.yardstick is not None
        return grading.why_not_graded(
            readings.yardstick, readings.cuts[:, p, m].tolist(),
            lambda mark: why_nothing.no_mark(readings, self._source, self._entries, mark, p, m),
        )  # fmt: skip

    def earlier(self, p: int, m: int, most: int, with_cuts: bool) -> tuple[Moment, ...]:
        """The last periods of one member, up to and with row ``p``."""
        held = self._earlier.get((p, m, most, with_cuts))
        if held is not None:
            return held
        mark = self.marks.get(self.first)
        found = []
        for at in range(max(0, p + 1 - most), p + 1):
            part = self.readings.partial_periods[at]
            line = self.usual.line(at, m) if with_cuts else None
            found.append(
                Moment(
                    period=self.readings.periods[at].key, value=self.values[at][m], mark=mark[at][m] if mark else None,
                    band=self.bands[at][m], partial=part.words if part else "",
                    cuts=tuple(self.cuts[at][m]) if with_cuts and self.cuts else (),
                    usual=line[:3] if line else None, begins=line[3] if line else "",
                    named=self.usual.names.get(at, "") if with_cuts else "", new_range=at in self.usual.named,
                    signal=with_cuts and self.usual.is_signal(at, m),
                )
            )  # fmt: skip
        return self._earlier.setdefault((p, m, most, with_cuts), tuple(found))


class _Rows:
    """Figures by period and member as lists, None for NaN. Most pages show one period: the others are not listed."""

    def __init__(self, figures: Floats) -> None:
        self._figures, self._listed = figures, dict[int, Any]()

    def __getitem__(self, p: int) -> Any:
        row = self._listed.get(p)
        if row is None:
            row = self._listed[p] = _listed(self._figures[p])
        return row


def _listed(figures: Floats) -> Any:
    """An array of any shape as lists of floats, None for NaN."""
    known = np.isfinite(figures)
    if known.all():
        return figures.tolist()
    found = figures.astype(object)
    found[~known] = None
    return found.tolist()


def plain_readings_of(context: ReadingContext, kpi: str, yardstick: str | None, readings: Readings) -> PlainReadings:
    """The one block of some readings."""
    held = context.by_readings.setdefault(id(readings), CachedReadings(readings))
    if not isinstance(held.plain, PlainReadings):
        body = context.kpi(kpi)
        held.plain = PlainReadings(
            kpi,
            yardstick,
            readings,
            context.source(body),
            context.entries(kpi),
            context.named_dates(kpi),
            RowsOf.behind(context, body, readings),
        )
    return held.plain
