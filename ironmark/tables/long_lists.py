"""Lists that are too long to be held whole: read some lines at a time, and put down as pieces of Parquet on the disk."""

from __future__ import annotations

import codecs
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field, replace
from pathlib import Path

import polars as pl

from ironmark.core.formula_nodes import ColumnType
from ironmark.core.periods import RowGrain
from ironmark.tables.celltypes import Decimal
from ironmark.tables.pieces import PIECE_ROWS, Piece, filed, in_pieces
from ironmark.tables.reader import MAX_COLUMNS, Typing, by_members, head_of, is_marked, parsed, planned, typing_of
from ironmark.tables.table import (
    FIRST,
    LongTable,
    Overview,
    Problem,
    Unreadable,
    assign_roles,
    columns_of,
    identifiers,
    no_period,
)

AT_A_TIME = 16 << 20  # bytes of text
MOST_DIFFERENT = 500_000  # texts of a column that are looked at together; those of more are looked at where they stand
_HEAD = 1 << 20
_ISO_MOMENT = r"^\d{4}-\d{2}-\d{2}([T ].*)?$"
Tell = Callable[[float], None]


@dataclass
class _Column:
    """What is known of a column of texts or days by now. kind: what its first cells are, where it is known."""

    label: str
    kind: ColumnType | None = None
    different: pl.Series | None = None
    many: bool = False
    known: pl.Series | None = None
    days: pl.Series | None = None
    found: list[Problem] = field(default_factory=list)

    def see(self, cells: pl.Series) -> None:
        if self.many:
            return
        some = cells.unique(maintain_order=True)
        before = self.different
        self.different = some if before is None else pl.concat([before, some]).unique(maintain_order=True)
        self.many = cells.dtype == pl.String and len(self.different) > MOST_DIFFERENT
        if self.many:
            self.different = None

    def see_first(self, cells: pl.Series) -> None:
        if self.known is None or len(self.known) < FIRST:
            more = cells.drop_nulls().head(FIRST)
            self.known = more if self.known is None else pl.concat([self.known, more]).head(FIRST)


@dataclass(frozen=True)
class _Lines:
    """Where rows come from: frames of texts, numbers, days and flags, all with the same columns."""

    labels: list[str]
    frames: Iterator[pl.DataFrame | None]  # None: something odd, and the rest is not read
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
    lines = _parquet(path) if head.startswith(b"PAR1") else _delimited(path, head)
    if lines is None:
        return None
    seen = {name: _Column(label, lines.kinds.get(name)) for name, label in zip(identifiers(lines.labels), lines.labels, strict=True)}  # fmt: skip
    spilled = folder / "raw"
    spilled.mkdir()
    if not _spill(lines, seen, spilled, lambda share: tell(share / 2)):
        return None
    typings = {}
    for name, column in seen.items():
        if column.different is not None and column.different.dtype == pl.String:
            typing = typing_of(column.different, column.label, lines.way)
            if typing is None or (column.kind is not None and typing.kind != column.kind):
                return None
            typings[name] = typing
            column.kind, column.found = typing.kind, typing.found
    try:
        rows = filed(folder, _typed(spilled, seen, typings, lines.way, lambda share: tell(0.5 + share / 2)))
    except _Odd:
        return None
    grains = {**lines.grains} | {name: typing.grain for name, typing in typings.items() if typing.grain}
    kinds: list[ColumnType] = [column.kind or "text" for column in seen.values()]
    columns = columns_of(list(seen), lines.labels, kinds, grains)
    known = Overview(
        rows.height,
        {name: rows.height if seen[name].different is None else len(seen[name].different) for name in seen},  # type: ignore[arg-type]
        {name: pl.Series(name, [], dtype=pl.String) if c.known is None else c.known for name, c in seen.items()},
        {c.name: _days(seen[c.name], typings.get(c.name)) for c in columns if c.type == "date"},
    )
    with_roles = assign_roles(known, columns)
    problems = [replace(one, column=name) for name, column in seen.items() for one in column.found]
    return LongTable(rows, with_roles, (*problems, *no_period(rows.height, with_roles)))


class _Odd(Exception):
    """A cell does not fit the others of its column."""


def _days(column: _Column, typing: Typing | None) -> pl.Series:
    found = typing.values if typing is not None else column.days if column.different is None else column.different
    return pl.Series([], dtype=pl.Date) if found is None else found.drop_nulls().unique()


def _delimited(path: Path, head: bytes) -> _Lines | None:
    mark = len(codecs.BOM_UTF8) if head.startswith(codecs.BOM_UTF8) else 0
    plan = None if is_marked(head) else planned(head_of(head[mark:]))
    if plan is None:
        return None

    def frames() -> Iterator[pl.DataFrame | None]:
        with path.open("rb") as file:
            file.seek(mark)
            rest, first = b"", True
            while more := file.read(AT_A_TIME):
                lines = rest + more
                end = _end_of_lines(lines)
                rest = lines[end:]
                if end:
                    yield parsed(lines[:end], plan, header=first)
                    first = False
                elif len(lines) > 4 * AT_A_TIME:
                    yield None  # a quote that is never closed, most likely
                    return
            if rest.strip():
                yield parsed(rest, plan, header=first)

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

    def frames() -> Iterator[pl.DataFrame | None]:
        try:
            yield from lazy.select(wanted).collect_batches(chunk_size=PIECE_ROWS, maintain_order=True, lazy=True)
        except pl.exceptions.PolarsError:
            raise Unreadable("The Parquet file is damaged. Write it again and upload that.") from None

    return _Lines(list(schema), frames(), kinds, "point", {})


def _spill(lines: _Lines, seen: dict[str, _Column], folder: Path, tell: Tell) -> bool:
    """Put the rows down as they come, and note what stands in their columns; whether nothing was odd."""
    at = 0
    for at, frame in enumerate(lines.frames, 1):
        if frame is None:
            return False
        for name, column in seen.items():
            cells = frame[name]
            if cells.dtype in (pl.String, pl.Date):
                column.see(cells)
                column.see_first(cells)
        frame.write_ipc(folder / f"{at:05}", compression="lz4")
        tell(at / (at + 8))  # how many there will be is not known
    return at > 0


def _typed(
    folder: Path, seen: dict[str, _Column], typings: dict[str, Typing], way: Decimal | None, tell: Tell
) -> Iterator[Piece]:
    """The same rows with every text as what it stands for, a file of them at a time. Raises _Odd."""
    files = sorted(folder.iterdir())
    for at, file in enumerate(files, 1):
        frame = pl.read_ipc(file)
        file.unlink()
        made = []
        for name, column in seen.items():
            cells = frame[name]
            if name in typings:
                cells = typings[name].of(cells)
            elif cells.dtype == pl.String:
                cells = _alone(cells, column, way)
            made.append(cells.alias(name))
        yield from in_pieces(pl.DataFrame(made))
        tell(at / len(files))


def _alone(cells: pl.Series, column: _Column, way: Decimal | None) -> pl.Series:
    """Texts of which there are so many that some of them say what they are. Raises _Odd."""
    typed = by_members(cells, column.label, way)
    if typed is None or typed.kind != (column.kind or typed.kind):
        raise _Odd
    if typed.kind == "date":
        if not bool(cells.drop_nulls().str.contains(_ISO_MOMENT).all()):
            raise _Odd  # the next ones may tell that days stand first
        more = typed.cells.drop_nulls().unique()
        column.days = more if column.days is None else pl.concat([column.days, more]).unique()
    elif typed.kind == "number" and typed.found:
        raise _Odd  # it may be written in another way than the others
    column.kind = typed.kind
    return typed.cells
