"""Readings as they are cached: by everything that they follow from."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

from ironmark.core import formula_nodes
from ironmark.core.palette import State
from ironmark.core.periods import Period
from ironmark.core.readings import Kpi, Readings
from ironmark.core.yardstick import Yardstick
from ironmark.tables.cells import Within

_A_READING = 600  # bytes, with its texts' figures; and
_THE_REST = 20_000


@dataclass(frozen=True)
class Readable:
    """Everything that readings follow from: what is equal here reads the same. rows: dataset versions, and which rows of them."""

    rows: frozenset[tuple[str, int, Within]]
    kpi: Kpi
    computed: tuple[tuple[str, formula_nodes.Node], ...]
    key: str
    book: tuple[int, int]
    marks: tuple[str, ...]
    yardstick: tuple[str | None, Yardstick | None, tuple[State, ...]]
    by: str | None
    where: tuple[tuple[str, tuple[str, ...]], ...]
    periods: tuple[Period, ...]

    def __hash__(self) -> int:
        return self._hashed

    @cached_property
    def _hashed(self) -> int:
        """Hashed once: formulas are trees."""
        return hash((self.rows, self.key, self.book, self.marks, self.yardstick[0], self.by, self.where, self.periods))


@dataclass
class CachedReadings:
    """Some readings, and what sheets show of them once they were asked for it (see ``reading.plain_readings``)."""

    readings: Readings
    plain: object | None = None

    @property
    def weight(self) -> int:
        return _THE_REST + _A_READING * self.readings.value.size
