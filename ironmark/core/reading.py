"""Readings: a KPI's values with their marks and grades, for every period and member at once."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Literal, Protocol

import numpy as np

from ironmark.core import marks as mark_book
from ironmark.core import yardstick as grading
from ironmark.core.evaluate import Floats, evaluate
from ironmark.core.formula import Aggregate, Node, aggregates
from ironmark.core.marks import Ints, MarkEntry
from ironmark.core.numbers import Unit
from ironmark.core.periods import Part, Period, part_of
from ironmark.core.yardstick import Bands, Yardstick

Direction = Literal["higher", "lower", "inside"]
Nature = Literal["flow", "stock", "rate"]
Members = Mapping[str, Sequence[str]]


@dataclass(frozen=True)
class Kpi:
    handle: str
    name: str
    formula: Node
    unit: Unit = Unit()
    direction: Direction = "higher"
    nature: Nature = "rate"


@dataclass(frozen=True)
class Totals:
    """Aggregates by period and member: ``rows`` (P, M) counts rows, each of ``parts`` is (P, M), NaN for none."""

    periods: tuple[Period, ...]
    members: tuple[str | None, ...]
    rows: Ints
    parts: Mapping[Aggregate, Floats]


class Source(Protocol):
    """Where rows are: columns in memory, or a SQL engine."""

    @property
    def through(self) -> dt.date: ...

    def aggregate(self, wanted: Sequence[Aggregate], by: str | None, where: Members) -> Totals:
        """Aggregate the rows of the members in ``where``, by month and by the segment ``by`` (None: together)."""
        ...


@dataclass(frozen=True)
class Readings:
    """A block of readings. All arrays are (P, M), periods by members, values in the KPI's unit."""

    kpi: Kpi
    segment: str | None
    totals: Totals
    value: Floats
    marks: Mapping[str, Floats]
    entries: Mapping[str, Ints]
    parts: tuple[Part | None, ...]
    yardstick: Yardstick | None = None
    cuts: Floats = field(default_factory=lambda: np.empty((0, 0, 0)))
    band: Bands = field(default_factory=lambda: np.empty((0, 0), dtype=np.int8))

    @property
    def periods(self) -> tuple[Period, ...]:
        return self.totals.periods

    @property
    def members(self) -> tuple[str | None, ...]:
        return self.totals.members

    def at(self, period: Period) -> int | None:
        """The row of a period, None when there are no rows that far out."""
        index = period.ordinal - self.periods[0].ordinal if self.periods else -1
        return index if 0 <= index < len(self.periods) else None

    def state(self, p: int, m: int) -> str | None:
        band = int(self.band[p, m]) if self.yardstick else grading.NOT_GRADED
        return self.yardstick.bands[band] if self.yardstick and band >= 0 else None


def read(
    kpi: Kpi,
    source: Source,
    entries: Sequence[MarkEntry],
    mark_names: Sequence[str],
    yardstick: Yardstick | None,
    *,
    by: str | None = None,
    where: Members | None = None,
    others: Mapping[str, Source] | None = None,
) -> Readings:
    """Take and grade the readings of a KPI for all periods and members at once.

    by: the segment whose members are read one by one; None reads all rows together. where: chosen members by
    segment; a segment left out, or with no member chosen, means all of them. Read together, one single chosen
    member is still measured against its own marks. A flow's marks are pro-rated by days in a partial period.
    others: the sources of further datasets that the formula reads, by key. Raises KeyError for a segment that one
    of the sources does not have.
    """
    chosen = {segment: tuple(members) for segment, members in (where or {}).items() if members}
    wanted = aggregates(kpi.formula)
    totals = source.aggregate([a for a in wanted if a.dataset is None], by, chosen)
    for key in dict.fromkeys(a.dataset for a in wanted if a.dataset is not None):
        foreign = {a: replace(a, dataset=None) for a in wanted if a.dataset == key}
        found_there = (others or {})[key].aggregate(list(foreign.values()), by, chosen)
        aligned = {a: _aligned(found_there, found_there.parts[plain], totals) for a, plain in foreign.items()}
        totals = replace(totals, parts={**totals.parts, **aligned})
    value = np.where(totals.rows > 0, evaluate(kpi.formula, totals.parts), np.nan)
    value = np.broadcast_to(value, totals.rows.shape).astype(float)

    segment, members = by, list(totals.members)
    if by is None and len(chosen) == 1:
        ((only, names),) = chosen.items()
        if len(names) == 1:
            segment, members = only, [names[0]]
    ordinals = np.array([period.ordinal for period in totals.periods], dtype=np.int64)
    parts = tuple(part_of(period, source.through) for period in totals.periods)
    share = np.array([part.share if part and kpi.nature == "flow" else 1.0 for part in parts])
    lines: dict[str, Floats] = {}
    found: dict[str, Ints] = {}
    for name in dict.fromkeys((*mark_names, *(yardstick.marks if yardstick else ()))):
        line, found[name] = mark_book.look_up(entries, name, ordinals, segment, members)
        lines[name] = line * share[:, None]
    readings = Readings(kpi, segment, totals, value, lines, found, parts)
    return regrade(readings, yardstick)


def _aligned(there: Totals, values: Floats, here: Totals) -> Floats:
    """Values of another source at the periods and members of this one; NaN where it has none."""
    out = np.full(here.rows.shape, np.nan)
    member = {name: at for at, name in enumerate(there.members)}
    columns = np.array([member.get(name, -1) for name in here.members])
    shift = here.periods[0].ordinal - there.periods[0].ordinal
    rows = np.arange(len(here.periods)) + shift
    p, m = np.flatnonzero((rows >= 0) & (rows < len(there.periods))), np.flatnonzero(columns >= 0)
    out[np.ix_(p, m)] = values[np.ix_(rows[p], columns[m])]
    return out


def regrade(readings: Readings, yardstick: Yardstick | None, value: Floats | None = None) -> Readings:
    """The same readings by another yardstick or with other values: rows are not touched again."""
    value = readings.value if value is None else value
    cuts, band = np.empty((0, *value.shape)), np.full(value.shape, grading.NOT_GRADED, dtype=np.int8)
    if yardstick is not None:
        cuts = grading.resolve(yardstick, readings.marks, value.shape)
        if readings.kpi.nature == "flow":
            cuts = _pro_rated(cuts, yardstick, readings.parts)
        band = grading.grade(yardstick, value, cuts)
    else:
        band[np.isnan(value)] = grading.NO_READING
    return Readings(
        readings.kpi, readings.segment, readings.totals, value, readings.marks, readings.entries, readings.parts,
        yardstick, cuts, band,
    )  # fmt: skip


def _pro_rated(cuts: Floats, yardstick: Yardstick, parts: Sequence[Part | None]) -> Floats:
    """A flow's plain numbers shrink with a partial period as its marks do; cuts from marks already have."""
    share = np.array([part.share if part else 1.0 for part in parts])[:, None]
    scaled = cuts.copy()
    for line, cut in zip(scaled, yardstick.cuts, strict=True):
        if cut.mark is None:
            line *= share
        elif cut.offset:
            line += cut.offset * (share - 1)
    return scaled


def gap_and_attainment(readings: Readings, mark: str = "target") -> tuple[Floats, Floats]:
    """Gap (value − mark, KPI unit) and attainment (value ÷ mark), (P, M) each; NaN where there is no mark.

    Attainment is for higher-is-better; for lower-is-better it is the headroom, (mark − value) ÷ mark.
    """
    line = readings.marks.get(mark)
    if line is None:
        return np.full_like(readings.value, np.nan), np.full_like(readings.value, np.nan)
    with np.errstate(all="ignore"):
        gap = readings.value - line
        ratio = -gap / line if readings.kpi.direction == "lower" else readings.value / line
    return gap, np.where(np.isfinite(ratio), ratio, np.nan)


def pro_rates(readings: Readings, p: int) -> bool:
    """Whether the marks of period row ``p`` were pro-rated."""
    return readings.parts[p] is not None and readings.kpi.nature == "flow"
