"""How long it was from one moment of a row to another: rows keep days alone, so it is worked out while their cells are still texts."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Literal

import polars as pl

from ironmark.core.drafting_days import span_called
from ironmark.core.drafting_words import DUE, stem_in
from ironmark.tables.spans import IN_MINUTES
from ironmark.tables.table import NEARLY, Column, Problem, Table

MOST = 3  # spans of a table, all from the first moment
_FEW = 5  # rows that tell, of as many or more
_MINUTES = 24 * 60.0
_TIME = (
    r"[T\s,]\s*(\d{1,2})[:.h](\d{2})(?:[:.](\d{2}))?(?:[.,]\d+)?\s*([aApP][mM])?(?:\s*(?:Z|UTC|[+-]\d{2}:?\d{2}))?\s*$"
)
_CLOCK = r"^\s*([01]?\d|2[0-3]):([0-5]\d)(?::([0-5]\d))?\s*$"
_LATE = 180.0  # minutes within which what is early or late is


Kind = Literal["moments", "times", "differences"]


@dataclass(frozen=True)
class Between:
    """A column of minutes from one column of moments, or of times of the same day, to another. first, last: by their names; kind: of
    times, whether what is before the first is past midnight, or early."""

    name: str
    label: str
    first: str
    last: str
    kind: Kind = "moments"

    def of(self, days: Mapping[str, pl.Series], texts: Mapping[str, pl.Series]) -> pl.Series:
        """Blank where the last moment is before the first, which it cannot be."""
        if self.kind == "moments":
            minutes = _moments(days[self.last], texts[self.last]) - _moments(days[self.first], texts[self.first])
            return minutes.set(minutes < 0, None).round(4).alias(self.name)
        minutes = _times(texts[self.last]) - _times(texts[self.first])
        past = (minutes < 0).fill_null(False).cast(pl.Float64) * (_MINUTES if self.kind == "times" else 0.0)
        return (minutes + past).round(4).alias(self.name)


def between(
    labels: Mapping[str, str],
    days: Mapping[str, pl.Series],
    texts: Mapping[str, pl.Series],
    others: Collection[pl.Series] = (),
) -> list[Between]:
    """The spans that rows tell. labels: of all columns, by name, in their order; days, texts: of the columns of days, as what they are
    and as they were written; others: the figures, one of which may say how long it was already."""
    timed = [name for name in labels if name in days and _has_times(texts[name])]
    moments = {name: _moments(days[name], texts[name]) for name in timed}
    timed.sort(key=lambda name: float(moments[name].mean() or 0))  # type: ignore[arg-type]
    found: list[Between] = []
    for last in timed[1:]:
        if stem_in(labels[last], DUE):  # nothing has happened there
            continue
        label = span_called(labels[timed[0]], labels[last])
        name = f"{timed[0]}_to_{last}"
        one = Between(name, label, timed[0], last)
        minutes = moments[last] - moments[timed[0]]
        known = minutes.drop_nulls()
        if (
            len(known) < min(_FEW, max(1, len(minutes)))
            or name in labels
            or int((known < 0).sum()) > (1 - NEARLY) * len(known)
            or not bool((known > 0).any())
        ):  # type: ignore[arg-type]
            continue
        if len(found) < MOST and not any(_is_it(figures, minutes) for figures in others):
            found.append(one)
    return found + _between_times(labels, texts, others)


def _between_times(
    labels: Mapping[str, str], texts: Mapping[str, pl.Series], others: Collection[pl.Series]
) -> list[Between]:
    """The same of times of a day: Time in, Time out. Where all are within three hours of each other, earlier ones are early."""
    clocks = [name for name in labels if name in texts and _are_times(texts[name])]
    found: list[Between] = []
    for last in clocks[1:MOST]:
        minutes = _times(texts[last]) - _times(texts[clocks[0]])
        known = minutes.drop_nulls()
        name = f"{clocks[0]}_to_{last}"
        early = bool((known < 0).any()) and bool((known.abs() <= _LATE).all())
        wrapped = known if early else known + (known < 0).cast(pl.Float64) * _MINUTES
        swapped = float(wrapped.median() or 0) > _MINUTES / 2  # type: ignore[arg-type]
        if len(known) < min(_FEW, max(1, len(minutes))) or name in labels or swapped or not bool((known != 0).any()):
            continue
        one = Between(
            name, span_called(labels[clocks[0]], labels[last]), clocks[0], last, "differences" if early else "times"
        )
        if not any(_is_it(figures, minutes) for figures in others):
            found.append(one)
    return found


def with_spans(table: Table, texts: Mapping[str, pl.Series]) -> Table:
    """A table with its spans behind its other columns, and what is to be said of them. texts: its cells as they were written, by the
    name of their column."""
    spans, labels = SpansOfParts(), {column.name: column.label for column in table.columns}
    telling = {name: cells for name, cells in texts.items() if spans.may_tell(cells, table.frame.schema[name])}
    return replace(
        table, frame=spans.added(table.frame, labels, telling), columns=(*table.columns, *spans.columns),
        problems=(*table.problems, *spans.said),
    )  # fmt: skip


def column_of(one: Between) -> Column:
    return Column(one.name, one.label, "number", "measure", unit="min")


def said(one: Between, before: int) -> list[Problem]:
    """before: rows whose last moment is before their first."""
    told = [Problem(IN_MINUTES, column=one.name)]
    if before:
        rows = "One row has" if before == 1 else f"{before:,} rows have"
        told.append(
            Problem(f"{rows} the second moment before the first; how long it was is left blank there.", column=one.name)
        )
    return told


def may_be_times(texts: pl.Series) -> bool:
    """Whether the first cells of a column are times of a day."""
    return texts.dtype == pl.String and bool(texts.drop_nulls().head(20).str.contains(_CLOCK).mean() == 1)


@dataclass
class SpansOfParts:
    """The spans of a table that is read some rows at a time: which there are is told by the first of these. before: rows whose last
    moment is before their first, by the name of the span."""

    found: list[Between] | None = None
    before: dict[str, int] = field(default_factory=dict)

    def may_tell(self, texts: pl.Series, kind: pl.DataType) -> bool:
        """Whether the cells of a column may be moments or times. kind: what they came to."""
        of_times = kind == pl.String and (self.found is not None or may_be_times(texts))
        return texts.dtype == pl.String and (kind == pl.Date or of_times)

    def added(self, rows: pl.DataFrame, labels: Mapping[str, str], texts: Mapping[str, pl.Series]) -> pl.DataFrame:
        """labels: of its columns, by name; texts: the cells of its days as they were written, those that are texts."""
        days = {name: rows[name] for name in texts if rows[name].dtype == pl.Date}
        if self.found is None:
            figures = [one for one in rows if one.dtype == pl.Float64]
            self.found = between(labels, days, texts, figures) if len(texts) > 1 else []
        made = [one.of(days, texts) for one in self.found]
        for one, cells in zip(self.found, made, strict=True):
            if one.kind == "moments":
                known = days[one.first].is_not_null() & days[one.last].is_not_null()
                self.before[one.name] = self.before.get(one.name, 0) + int((known & cells.is_null()).sum())
        return rows.with_columns(made)

    @property
    def columns(self) -> list[Column]:
        return [column_of(one) for one in self.found or ()]

    @property
    def said(self) -> list[Problem]:
        return [problem for one in self.found or () for problem in said(one, self.before.get(one.name, 0))]


def filled_up(table: Table, columns: Sequence[Column]) -> Table:
    """A table for a dataset that has spans, where nothing in its few rows has ended yet: they are blank."""
    own = {column.label for column in table.columns}
    missing = [c for c in columns if c.label not in own and c.type == "number"]
    spans = {span_called(first, last) for first in own for last in own} if missing else set()
    missing = [column for column in missing if column.label in spans]
    if not missing:
        return table
    blank = [pl.lit(None, dtype=pl.Float64).alias(column.name) for column in missing]
    return replace(table, frame=table.frame.with_columns(blank), columns=(*table.columns, *missing))


def _has_times(texts: pl.Series) -> bool:
    if texts.dtype != pl.String:
        return False
    filled = texts.drop_nulls()
    some = filled.filter(filled.str.strip_chars() != "")
    if not len(some) or not bool(some.head(50).str.contains(_TIME).any()):
        return False
    midnight = some.str.contains(r"[T\s]00:00(:00)?(?:\.0+)?$")
    return float(some.str.contains(_TIME).mean() or 0) >= NEARLY and not bool(midnight.all())  # type: ignore[arg-type]


def _moments(days: pl.Series, texts: pl.Series) -> pl.Series:
    """Minutes since 1970, NaN for none: null."""
    parts = texts.str.extract_groups(_TIME).struct.unnest()
    hours, minutes, seconds = (parts.to_series(at).cast(pl.Float64, strict=False) for at in range(3))
    half = parts.to_series(3).str.to_lowercase()
    hours = (hours % 12).zip_with(half.is_not_null().fill_null(False), hours) + (half == "pm").fill_null(False).cast(
        pl.Float64
    ) * 12
    time = (hours * 60 + minutes + seconds.fill_null(0.0) / 60).fill_null(0.0)
    return days.cast(pl.Int32).cast(pl.Float64) * _MINUTES + time


def _are_times(texts: pl.Series) -> bool:
    filled = texts.drop_nulls().str.strip_chars() if texts.dtype == pl.String else pl.Series([], dtype=pl.String)
    filled = filled.filter(filled != "")
    return bool(len(filled)) and float(filled.str.contains(_CLOCK).mean() or 0) >= NEARLY  # type: ignore[arg-type]


def _times(texts: pl.Series) -> pl.Series:
    """Minutes since midnight."""
    parts = texts.str.extract_groups(_CLOCK).struct.unnest()
    hours, minutes, seconds = (parts.to_series(at).cast(pl.Float64, strict=False) for at in range(3))
    return hours * 60 + minutes + seconds.fill_null(0.0) / 60


def _is_it(figures: pl.Series, minutes: pl.Series) -> bool:
    """Whether figures say how long it was, in seconds, minutes, hours or days."""
    both = pl.DataFrame({"own": figures, "made": minutes}).filter(
        pl.all_horizontal(pl.all().is_not_null()) & (pl.col("made") > 0)
    )
    if not both.height:
        return False
    ratios = both["own"] / both["made"]
    return any(
        float(((ratios * each - 1).abs() < 0.05).mean() or 0) > 0.9  # type: ignore[arg-type]
        for each in (1 / 60, 1.0, 60.0, _MINUTES)
    )
