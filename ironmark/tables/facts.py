"""What is known of the columns of rows: their values told in a few numbers, for whoever proposes KPIs of them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import combinations
from typing import NamedTuple

import numpy as np
import polars as pl
from numpy.typing import NDArray

from ironmark.core.measuring import Facts
from ironmark.core.units import unit_called
from ironmark.tables.pieces import Rows, different_rows
from ironmark.tables.quantities import taken_apart
from ironmark.tables.table import Column

Floats = NDArray[np.float64]
LOOKED_AT = 60_000  # rows, evenly apart, that are looked at closely; least, most and blanks are of all
MOST_COUNTS, FEW_ROWS = 16, 8  # columns looked at for parts of each other, and rows from which that says something
_NEARLY_ALL = 0.98  # the share of rows
MOST_MEMBERS = 300  # of a segment within which a column may always be the same


@dataclass(frozen=True)
class Survey:
    """Rows gone through once. sample: some of them, evenly apart."""

    rows: int
    sample: pl.DataFrame
    columns: Mapping[str, Surveyed]


def survey(rows: Rows, columns: Sequence[Column]) -> Survey:
    step, at = max(1, rows.height // LOOKED_AT), 0
    some, found = list[pl.DataFrame](), {c.name: Surveyed(c) for c in columns if c.name in rows.columns}

    def look(frame: pl.DataFrame, _: int = 0) -> tuple[pl.DataFrame, list[_Told]]:
        return frame, [column.told_of(frame[name]) for name, column in found.items()]

    for frame, told in [look(rows)] if isinstance(rows, pl.DataFrame) else rows.each(None, look):
        some.append(frame.gather_every(step, offset=-at % step) if step > 1 else frame)
        at += frame.height
        for column, one in zip(found.values(), told, strict=True):
            column.add(one)
    return Survey(rows.height, pl.concat(some) if some else pl.DataFrame(schema=rows.schema), found)


class _Told(NamedTuple):
    """What some cells of a column are; see ``Surveyed``."""

    blanks: int
    least: float | None
    most: float | None
    different: pl.Series | None


class Surveyed:
    """What is known of all cells of a column. Of numbers the least and the most; different: of days and members those that
    differ, None for more members than ``MOST_MEMBERS``."""

    def __init__(self, column: Column) -> None:
        self.of, self.blanks = column, 0
        self.least: float | None = None
        self.most: float | None = None
        counted = column.type == "date" or column.role == "segment"
        self.different: pl.Series | None = pl.Series([], dtype=pl.Null) if counted else None

    def told_of(self, cells: pl.Series) -> _Told:
        known = cells.drop_nulls()
        least = most = None
        if cells.dtype.is_numeric() and len(known):
            least, most = float(known.min()), float(known.max())  # type: ignore[arg-type]
        return _Told(cells.null_count(), least, most, known.unique() if self.different is not None else None)

    def add(self, some: _Told) -> None:
        self.blanks += some.blanks
        if some.least is not None and some.most is not None:
            self.least = some.least if self.least is None else min(some.least, self.least)
            self.most = some.most if self.most is None else max(some.most, self.most)
        if self.different is not None and some.different is not None and len(some.different):
            self.different = (
                pl.concat([self.different, some.different]).unique() if len(self.different) else some.different
            )
            if len(self.different) > MOST_MEMBERS and self.of.type != "date":
                self.different = None


def facts_of(rows: Rows, columns: Sequence[Column]) -> list[Facts]:
    """The facts of some columns of rows, in their order."""
    return facts(survey(rows, columns))


def facts(found_in: Survey) -> list[Facts]:
    """The facts of what was surveyed, in the order of its columns."""
    sample = found_in.sample
    found = [_of_column(one, sample[name], found_in.rows) for name, one in found_in.columns.items()]
    numbers = {f.name: sample[f.name].cast(pl.Float64).to_numpy() for f in found if f.role == "measure"}
    counts = {f.name: numbers[f.name] for f in found if f.role == "measure" and f.whole}
    counts = dict(list(counts.items())[:MOST_COUNTS])
    period = next((f.name for f in found if f.role == "period" and f.type == "date"), None)
    segments = [f for f in found if f.role == "segment" and 2 <= f.distinct <= MOST_MEMBERS]
    return [
        replace(
            fact,
            within=_within(fact.name, counts) if fact.name in counts else None,
            sum_of=_sum_of(fact.name, numbers) if fact.name in numbers else (),
            same_within=_same_within(sample, fact, segments) if fact.name in numbers else "",
            after=fact.type == "date" and period not in (None, fact.name) and _is_after(sample, fact.name, str(period)),
        )
        for fact in found
    ]


def _of_column(surveyed: Surveyed, sample: pl.Series, rows: int) -> Facts:
    column, blank = surveyed.of, surveyed.blanks / rows if rows else 0.0
    known = sample.drop_nulls()
    least = most = None
    whole = increasing = clock = False
    if column.type == "number" and known.len():
        numbers = known.cast(pl.Float64)
        least, most = float(surveyed.least or 0), float(surveyed.most or 0)
        whole = bool((numbers == numbers.round()).all())
        increasing = bool((numbers.diff().drop_nulls() >= 0).all())
        clock = whole and least >= 0 and most < 2400 + 1 and bool((numbers % 100 < 60).all())
    elif column.type == "text" and known.len():
        clock = bool(known.head(200).str.contains(r"^\d{1,2}:\d{2}(:\d{2})?$").all())
    distinct = known.n_unique()
    members = tuple(sorted(str(m) for m in known.unique())) if column.role == "segment" and distinct <= 60 else ()
    return Facts(
        column.name, as_words(column.label), column.type, column.role, least, most, whole, distinct, members,
        unit=unit_called(column.unit), rows=len(sample), blank=blank, increasing=increasing, clock=clock,
        better=column.better, bare=_bare(column),
    )  # fmt: skip


def _bare(column: Column) -> str:
    """A heading without the unit that its figures have; "" where it says none."""
    plain, measure = taken_apart(column.label)
    if measure is None or not column.unit or measure.unit != column.unit:
        return ""
    if plain == column.label:  # active_power_kw
        plain = plain.rpartition("_")[0]
    unit = column.label.removeprefix(plain).strip()
    return (
        "" if unit.isalpha() and (len(unit) > 3 or unit == "day") else as_words(plain)
    )  # sick days are days, but Sick is no name


def as_words(label: str) -> str:
    """A heading as people write it: Delay minutes for delay_minutes."""
    plain = label.replace("_", " ").strip() or label
    return plain[:1].upper() + plain[1:]


def _is_after(sample: pl.DataFrame, name: str, period: str) -> bool:
    """Whether days are no sooner than the period on nearly all rows, and later on some."""
    known = sample.select(pl.col(name).alias("late"), pl.col(period).alias("soon")).drop_nulls()
    if known.height < FEW_ROWS or float((known["late"] >= known["soon"]).mean() or 0) < _NEARLY_ALL:  # type: ignore[arg-type]
        return False
    return bool((known["late"] > known["soon"]).any())


def _within(name: str, counts: Mapping[str, Floats]) -> tuple[tuple[str, float], ...]:
    """Those of some columns that are never less than one of them, with the correlation of both. counts: (n,), NaN for
    none."""
    found = []
    for other in counts.keys() - {name}:
        known = np.isfinite(counts[name]) & np.isfinite(counts[other])
        part, whole = counts[name][known], counts[other][known]
        if len(part) < FEW_ROWS or (part > whole).any() or (part == whole).all():
            continue
        moves = part.std() > 0 and whole.std() > 0
        found.append((other, float(np.corrcoef(part, whole)[0, 1]) if moves else 0.0))
    return tuple(sorted(found))


def _sum_of(name: str, numbers: Mapping[str, Floats]) -> tuple[str, ...]:
    """Two or three other columns whose sum a column is on every row; none where it is not."""
    own = numbers[name]
    others = [other for other in numbers if other != name][:MOST_COUNTS]
    if len(own) < FEW_ROWS or len(others) < 2:
        return ()
    first = slice(0, 200)
    for size in (2, 3):
        for some in combinations(others, size):
            if not _near(own[0], sum(float(numbers[other][0]) for other in some)):
                continue  # of many columns nearly all are told apart by one row
            total = sum(numbers[other][first] for other in some)
            if not np.allclose(own[first], total, rtol=_NEAR, atol=_NEAR, equal_nan=False):
                continue
            if all(np.any(numbers[other] != 0) for other in some):
                return some
        if len(others) > 10:
            break  # three of many meet a sum by chance
    return ()


def _near(value: float, total: float) -> bool:
    return abs(value - total) <= _NEAR * (1 + abs(total))


def _same_within(sample: pl.DataFrame, fact: Facts, segments: Sequence[Facts]) -> str:
    """The segment on whose members a column is always the same, its label; "" for none."""
    for segment in segments:
        if not 2 <= fact.distinct <= segment.distinct or segment.distinct * 3 > fact.rows:
            continue  # each member has one value of its own at most
        each = (
            sample.select(segment.name, fact.name).drop_nulls().group_by(segment.name).agg(pl.col(fact.name).n_unique())
        )
        if each.height > 1 and each[fact.name].max() == 1:
            return segment.label
    return ""


_FIRST, _NEAR = 100_000, 1e-6


def is_panel(rows: Rows, period: str, segments: Sequence[str]) -> bool:
    """Whether each row is the total of a member in a period, not one event: no member has two rows in one, and most
    members have one in most periods."""
    if not rows.height:
        return False
    of = [period, *segments]
    first = rows.slice(0, _FIRST).select(of)  # of events these tell, as a rule
    if first.n_unique() < first.height or different_rows(rows, of) < rows.height:
        return False
    periods, members = different_rows(rows, [period]), different_rows(rows, segments) if segments else 1
    return periods == rows.height or (rows.height >= 0.6 * periods * members and (periods > 1 or members > 1))
