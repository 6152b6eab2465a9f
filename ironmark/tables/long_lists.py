"""Lists that are too long to be held whole: read some lines at a time, and put down as pieces of Parquet on the disk."""

from __future__ import annotations

import codecs
from collections.abc import Callable, Iterator, Mapping
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass, field, replace
from pathlib import Path

import polars as pl

from ironmark.core.formula_nodes import ColumnType
from ironmark.core.periods import RowGrain
from ironmark.tables.celltypes import Decimal
from ironmark.tables.pieces import Piece, Pieces, filed, in_pieces, piece_rows
from ironmark.tables.reader import MAX_COLUMNS, Typing, by_members, head_of, is_marked, parsed, planned, typing_of
from ironmark.tables.table import (
    FIRST,
    LongTable,
    Overview,
    Unreadable,
    assign_roles,
    columns_of,
    identifiers,
    no_period,
)

AT_A_TIME = 16 << 20  # bytes of text
MOST_DIFFERENT = 100_000  # texts of a column that are looked at together; those of more are looked at where they stand
_HEAD, _TRIES = 1 << 20, 4
_ISO_MOMENT = r"^\d{4}-\d{2}-\d{2}([T ].*)?$"
Tell = Callable[[float], None]


@dataclass
class _Column:
    """A column of texts or days, as far as it is known by now. kind: what its cells are; told: what its texts stand for, None
    once there are so many of them that some are looked at where they stand; days: those that are different."""

    name: str
    label: str
    kind: ColumnType | None
    way: Decimal | None
    told: Typing | None = None
    many: bool = False
    known: pl.Series = field(default_factory=lambda: pl.Series([], dtype=pl.String))
    days: pl.Series = field(default_factory=lambda: pl.Series([], dtype=pl.Date))

    def typed(self, cells: pl.Series) -> pl.Series:
        """The next cells as what they stand for. Raises _Odd, _Otherwise."""
        if cells.dtype == pl.String:
            if len(self.known) < FIRST:
                self.known = pl.concat([self.known, cells.drop_nulls().head(FIRST)]).head(FIRST)
            if not self.many:
                self._see(cells.unique(maintain_order=True))
            cells = self._alone(cells) if self.told is None else self.told.of(cells)
        if cells.dtype == pl.Date:
            self.days = pl.concat([self.days, cells.drop_nulls().unique()]).unique()
        return cells

    def _see(self, some: pl.Series) -> None:
        """Look at texts that were not there before."""
        before = self.told
        every = some if before is None else pl.concat([before.texts, some]).unique(maintain_order=True)
        if before is not None and len(every) == len(before.texts):
            return
        self.many = len(every) > MOST_DIFFERENT
        told = None if self.many else typing_of(every, self.label, self.way)
        if not self.many and (told is None or told.kind != (self.kind or told.kind)):
            raise _Odd
        if before is not None and told is not None and not told.values.head(len(before.texts)).equals(before.values):
            raise _Otherwise(self.name, told)
        self.told = told
        if told is not None:
            self.kind = told.kind

    def _alone(self, cells: pl.Series) -> pl.Series:
        typed = by_members(cells, self.label, self.way)
        if typed is None or typed.kind != (self.kind or typed.kind):
            raise _Odd
        if typed.kind == "date" and not bool(cells.drop_nulls().str.contains(_ISO_MOMENT).all()):
            raise _Odd  # the next ones may tell that days stand first
        if typed.kind == "number" and typed.found:
            raise _Odd  # they may be written in another way than the others
        self.kind = typed.kind
        return typed.cells


class _Odd(Exception):
    """A cell does not fit the others of its column, or a line the others."""


class _Otherwise(Exception):
    """Texts that came later tell that those before stand for something else: which month comes first, most likely."""

    def __init__(self, name: str, told: Typing) -> None:
        self.name, self.told = name, told


@dataclass(frozen=True)
class _Lines:
    """Where rows come from: frames of texts, numbers, days and flags, all with the same columns."""

    labels: list[str]
    frames: Iterator[tuple[pl.DataFrame | None, float]]  # with how far they are; None: something is odd
    kinds: dict[str, ColumnType]  # of the columns whose kind is known before
    way: Decimal | None
    grains: Mapping[str, RowGrain]


def read_long(path: Path, folder: Path, tell: Tell) -> LongTable | None:
    """A long list of delimited text or a Parquet file, without more than a few of its rows in memory at once; None where
    something is odd in it, so that all of it has to be looked at together. Raises Unreadable.

    folder: an empty one, where its pieces lie from then on; tell: is told how far it is, 0 to 1, and may end it.
    """
    with path.open("rb") as file:
        head = file.read(_HEAD)
    told: dict[str, Typing] = {}
    for _ in range(_TRIES):
        lines = _parquet(path) if head.startswith(b"PAR1") else _delimited(path, head)
        if lines is None:
            return None
        names = identifiers(lines.labels)
        columns = {
            name: _Column(name, label, lines.kinds.get(name), lines.way, told.get(name))
            for name, label in zip(names, lines.labels, strict=True)
        }
        try:
            return _table(lines, columns, filed(folder, _pieces(lines, columns, tell)))
        except _Odd:
            return None
        except _Otherwise as otherwise:
            told[otherwise.name] = otherwise.told
            for piece in folder.iterdir():
                piece.unlink()
    return None


def _pieces(lines: _Lines, columns: dict[str, _Column], tell: Tell) -> Iterator[Piece]:
    """The rows typed and packed, some at a time: packed while the next ones are typed. Raises _Odd, _Otherwise."""
    packing: Future[list[Piece]] | None = None
    with ThreadPoolExecutor(1) as pool:
        for frame, far in lines.frames:
            if frame is None:
                raise _Odd
            named = zip(columns.items(), frame, strict=True)
            made = pl.DataFrame([column.typed(cells).alias(name) for (name, column), cells in named])
            del frame
            yield from packing.result() if packing else ()
            packing = pool.submit(lambda made: [*in_pieces(made)], made)
            tell(far)
        yield from packing.result() if packing else ()


def _table(lines: _Lines, columns: dict[str, _Column], rows: Pieces) -> LongTable:
    grains = {**lines.grains} | {
        name: c.told.grain for name, c in columns.items() if c.told is not None and c.told.grain
    }
    made = columns_of(list(columns), lines.labels, [column.kind or "text" for column in columns.values()], grains)
    different = {name: rows.height if c.told is None else len(c.told.texts) for name, c in columns.items()}
    known, days = ({name: one for name, one in zip(columns, some, strict=True)} for some in zip(*((c.known, c.days) for c in columns.values()), strict=True))  # fmt: skip
    with_roles = assign_roles(Overview(rows.height, different, known, days), made)
    problems = [
        replace(one, column=name)
        for name, column in columns.items()
        if column.told is not None
        for one in column.told.found
    ]
    return LongTable(rows, with_roles, (*problems, *no_period(rows.height, with_roles)))


def _delimited(path: Path, head: bytes) -> _Lines | None:
    mark = len(codecs.BOM_UTF8) if head.startswith(codecs.BOM_UTF8) else 0
    plan = None if is_marked(head) else planned(head_of(head[mark:]))
    if plan is None:
        return None

    def frames() -> Iterator[tuple[pl.DataFrame | None, float]]:
        with path.open("rb") as file:
            file.seek(mark)
            rest, first, size = b"", True, max(1, path.stat().st_size)
            while more := file.read(AT_A_TIME):
                lines = rest + more
                end = _end_of_lines(lines)
                rest = lines[end:]
                if end:
                    yield parsed(lines[:end], plan, header=first), file.tell() / size
                    first = False
                elif len(lines) > 4 * AT_A_TIME:
                    yield None, 1.0  # a quote that is never closed, most likely
                    return
            if rest.strip():
                yield parsed(rest, plan, header=first), 1.0

    return _Lines(plan.labels, frames(), plan.kinds, plan.way, plan.grains)


def _end_of_lines(lines: bytes) -> int:
    """Where the last whole line ends: at a line's end that is not within quotes; 0 for none."""
    end, odd = lines.rfind(b"\n") + 1, lines.count(b'"') % 2
    at = len(lines)
    while end:
        odd ^= lines.count(b'"', end, at) % 2
        if not odd:
            return end
        at, end = end, lines.rfind(b"\n", 0, end - 1) + 1
    return 0


def _parquet(path: Path) -> _Lines:
    try:
        lazy = pl.scan_parquet(path)
        schema = lazy.collect_schema()
    except Exception:  # the reader raises errors of several libraries for a damaged file
        raise Unreadable("The Parquet file is damaged. Write it again and upload that.") from None
    if not 0 < len(schema) <= MAX_COLUMNS:
        raise Unreadable(f"The file has {len(schema)} columns; 1 to {MAX_COLUMNS} can be read.")
    names = identifiers(list(schema))
    kinds: dict[str, ColumnType] = {}
    wanted = []
    for name, (label, kind) in zip(names, schema.items(), strict=True):
        cells = pl.col(label)
        if kind.is_numeric():
            cells, kinds[name] = cells.cast(pl.Float64), "number"
            cells = pl.when(cells.is_finite()).then(cells)
        elif kind in (pl.Boolean, pl.Date):
            kinds[name] = "flag" if kind == pl.Boolean else "date"
        elif kind.is_nested() or kind in (pl.Binary, pl.Object):
            cells = pl.lit(None, dtype=pl.String)
        else:
            cells = cells.cast(pl.String)
        wanted.append(cells.alias(name))

    def frames() -> Iterator[tuple[pl.DataFrame | None, float]]:
        try:
            every, done = max(1, lazy.select(pl.len()).collect().item()), 0
            for frame in lazy.select(wanted).collect_batches(
                chunk_size=piece_rows(len(wanted)), maintain_order=True, lazy=True
            ):
                done += frame.height
                yield frame, done / every
        except pl.exceptions.PolarsError:
            raise Unreadable("The Parquet file is damaged. Write it again and upload that.") from None

    return _Lines(list(schema), frames(), kinds, "point", {})
