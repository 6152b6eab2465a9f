"""Lists that are too long to be held whole: read some lines at a time, and put down as pieces of Parquet on the disk."""

from __future__ import annotations

import codecs
from collections.abc import Callable, Collection, Iterator, Mapping
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass, field, replace
from pathlib import Path

import polars as pl

from ironmark.core.formula_nodes import ColumnType
from ironmark.core.periods import RowGrain
from ironmark.tables.celltypes import Decimal, left_blank
from ironmark.tables.column_typing import Typing, all_blank, as_texts, nothing_of, typing_of
from ironmark.tables.list_ends import ListEnds, list_ends, outer_lines
from ironmark.tables.moments import SpansOfParts
from ironmark.tables.pieces import Piece, Pieces, filed, in_pieces, piece_rows
from ironmark.tables.reader import (
    MAX_COLUMNS,
    Plan,
    carefully,
    head_of,
    is_marked,
    of_another_width,
    parsed,
    planned,
    without_heads,
)
from ironmark.tables.spans import A_MINUTE, IN_MINUTES
from ironmark.tables.table import (
    FIRST,
    NEARLY,
    LongTable,
    Overview,
    Problem,
    Unreadable,
    assign_roles,
    columns_of,
    identifiers,
    no_period,
)

AT_A_TIME, LEAST_AT_A_TIME = 16 << 20, 2 << 20  # bytes of text
IN_WORK = 12  # what each of these bytes takes until it is packed
MOST_DIFFERENT = 100_000  # texts of a column that are looked at together; those of more are looked at where they stand
_HEAD, _TAIL, _TRIES = 1 << 20, 1 << 16, 24
_ISO_MOMENT = r"^\d{4}-\d{2}-\d{2}([T ].*)?$"
Tell = Callable[[float], None]


@dataclass
class _Column:
    """A column of texts or days, as far as it is known by now. kind: what its cells are; told: what its texts stand for, None
    once there are so many of them that some are looked at where they stand; days: those that are different; odd: how many
    of the cells that are filled fit nothing, the first of them, and where these stand."""

    name: str
    label: str
    kind: ColumnType | None
    way: Decimal | None
    told: Typing | None = None
    many: bool = False
    known: pl.Series = field(default_factory=lambda: pl.Series([], dtype=pl.String))
    days: pl.Series = field(default_factory=lambda: pl.Series([], dtype=pl.Date))
    filled: int = 0
    odd: int = 0
    first_odd: str = ""
    odd_rows: tuple[int, ...] = ()
    as_text: bool = False  # whatever its cells look like
    begun: bool = False  # whether some were read before

    def typed(self, cells: pl.Series, row: int) -> pl.Series:
        """The next cells as what they stand for. row: how many came before. Raises _Odd, _Otherwise."""
        if cells.dtype == pl.String:
            texts = cells
            if not self.many:
                self._see(cells.unique(maintain_order=True))
            told = self.told
            if told is None:
                told, cells = self._alone(cells)
            else:
                cells = told.of(cells)
            if self.kind == "text" and len(self.known) < FIRST:
                self.known = pl.concat([self.known, cells.drop_nulls().head(FIRST)]).head(FIRST)
            if len(told.odd):
                self._count(texts, texts.is_in(told.odd.implode()), row)
        self.filled += len(cells) - cells.null_count()
        if cells.dtype == pl.Date:
            self.days = pl.concat([self.days, cells.drop_nulls().unique()]).unique()
        self.begun = True
        return cells

    def _count(self, texts: pl.Series, which: pl.Series, row: int) -> None:
        places = which.arg_true()
        self.odd += len(places)
        if not self.first_odd and len(places):
            self.first_odd = str(texts[int(places[0])])
        self.odd_rows = (*self.odd_rows, *(row + place + 2 for place in places.head(5).to_list()))[:5]

    @property
    def is_words(self) -> bool:
        """Whether, once all are read, too many are odd."""
        return self.odd > (1 - NEARLY) * (self.odd + self.filled) + 1e-9

    def _see(self, some: pl.Series) -> None:
        """Look at texts that were not there before."""
        before = self.told
        every = some if before is None else pl.concat([before.texts, some]).unique(maintain_order=True)
        if before is not None and len(every) == len(before.texts):
            return
        self.many = len(every) > MOST_DIFFERENT
        told = None if self.many else self._told_of(every)
        if before is not None and told is not None and not told.values.head(len(before.texts)).equals(before.values):
            raise _Otherwise({self.name: told})
        self.told = told
        if told is not None and told.values.null_count() < len(told.values):
            self.kind = told.kind

    def _alone(self, cells: pl.Series) -> tuple[Typing, pl.Series]:
        told = self._told_of(cells.unique(maintain_order=True))
        fitting = cells if not len(told.odd) else cells.filter(~cells.is_in(told.odd.implode()))
        if told.kind == "date" and not bool(fitting.drop_nulls().str.contains(_ISO_MOMENT).all()):
            raise _Odd  # the next ones may tell that days stand first
        if told.kind == "number" and any(problem.message != IN_MINUTES for problem in told.found):
            raise _Odd  # they may be written in another way than the others
        if self.kind is None and self.begun and told.kind != "text":
            raise _Otherwise({self.name: nothing_of(told.texts.clear(), told.kind)})  # blank ones came before
        if told.values.null_count() < len(told.values):
            self.kind = told.kind
        return told, told.of(cells)

    def _told_of(self, different: pl.Series) -> Typing:
        """What some texts stand for. Raises _Odd, _Otherwise where they are not what the column is."""
        if self.as_text:
            return as_texts(different)
        if all_blank(different):
            return nothing_of(different, self.kind or "text")
        told = typing_of(different, self.label, self.way, known=self.kind)
        if told is not None and told.kind == (self.kind or told.kind):
            return told
        if self.kind in ("text", "flag"):
            raise _Otherwise({self.name: None})
        raise _Odd

    @property
    def said(self) -> list[Problem]:
        """What there is to say of its cells, of the column."""
        found = list(self.told.found) if self.told is not None else []
        if self.odd:
            found.append(
                left_blank(self.odd, self.odd + self.filled, self.kind or "text", self.first_odd, self.odd_rows)
            )
        return [replace(one, column=self.name) for one in found]


class _Odd(Exception):
    """A cell does not fit the others of its column, or a line the others."""


class _Otherwise(Exception):
    """What came later tells that what was before stands for something else: which month comes first, most likely; or, where
    nothing is told of a column, for nothing but texts."""

    def __init__(self, told: Mapping[str, Typing | None]) -> None:
        self.told = told


@dataclass(frozen=True)
class _Lines:
    """Where rows come from: frames of texts, numbers, days and flags, all with the same columns."""

    labels: list[str]
    frames: Iterator[tuple[pl.DataFrame, float]]  # with how far they are
    kinds: dict[str, ColumnType]  # of the columns whose kind is known before
    way: Decimal | None
    grains: Mapping[str, RowGrain]
    said: list[Problem] = field(default_factory=list)  # of lines; more may come with frames
    ends: ListEnds = ListEnds()
    begins: bytes = b""


def read_long(path: Path, folder: Path, tell: Tell, room: int = IN_WORK * AT_A_TIME) -> LongTable | None:
    """A long list of delimited text in UTF-8, or a Parquet file, without more than a few of its rows in memory at once; None
    where it is none that can be read by parts. Raises Unreadable.

    folder: an empty one, where its pieces lie from then on; tell: is told how far it is, 0 to 1, and may end it; room: bytes that
    may be worked with, if there is so much.
    """
    at_a_time = min(AT_A_TIME, max(LEAST_AT_A_TIME, room // IN_WORK))
    with path.open("rb") as file:
        head = file.read(_HEAD)
    told: dict[str, Typing] = {}
    texts: set[str] = set()  # columns of nothing but these
    for _ in range(_TRIES):
        lines = _parquet(path) if head.startswith(b"PAR1") else _delimited(path, head, texts, at_a_time)
        if lines is None:
            return None
        names = identifiers(lines.labels)
        columns = {
            name: _Column(
                name,
                label,
                lines.kinds.get(name) or (told[name].kind if name in told else None),
                lines.way,
                None if name in texts else told.get(name),
                as_text=name in texts,
            )
            for name, label in zip(names, lines.labels, strict=True)
        }
        spans = SpansOfParts()
        try:
            return _table(lines, columns, filed(folder, _pieces(lines, columns, spans, tell)), spans)
        except _Odd:
            return None
        except _Otherwise as otherwise:
            for name, one in otherwise.told.items():
                if one is None:
                    texts.add(name)
                else:
                    told[name] = one
            for piece in folder.iterdir():
                piece.unlink()
    return None


def _pieces(lines: _Lines, columns: dict[str, _Column], spans: SpansOfParts, tell: Tell) -> Iterator[Piece]:
    """The rows typed and packed, some at a time: packed while the next ones are typed. Raises _Odd, _Otherwise."""
    packing: Future[list[Piece]] | None = None
    rows, labels = 0, dict(zip(columns, lines.labels, strict=True))
    with ThreadPoolExecutor(1) as pool:
        for frame, far in lines.frames:
            named = zip(columns.items(), frame, strict=True)
            made = pl.DataFrame([column.typed(cells, rows).alias(name) for (name, column), cells in named])
            rows += frame.height
            written = dict(zip(columns, frame, strict=True))
            texts = {name: cells for name, cells in written.items() if spans.may_tell(cells, made[name].dtype)}
            made = spans.added(made, labels, texts)
            del frame, written, texts
            yield from packing.result() if packing else ()
            packing = pool.submit(lambda made: [*in_pieces(made)], made)
            tell(far)
        if words := [name for name, column in columns.items() if column.is_words]:
            raise _Otherwise(dict.fromkeys(words))
        yield from packing.result() if packing else ()


def _table(lines: _Lines, columns: dict[str, _Column], rows: Pieces, spans: SpansOfParts) -> LongTable:
    grains = {**lines.grains} | {
        name: c.told.grain for name, c in columns.items() if c.told is not None and c.told.grain
    }
    made = columns_of(list(columns), lines.labels, [column.kind or "text" for column in columns.values()], grains)
    different = {name: rows.height if c.told is None else len(c.told.texts) for name, c in columns.items()}
    known, days = ({name: one for name, one in zip(columns, some, strict=True)} for some in zip(*((c.known, c.days) for c in columns.values()), strict=True))  # fmt: skip
    filled = {name: column.filled for name, column in columns.items()}
    with_roles = assign_roles(Overview(rows.height, different, known, days, filled), made)
    problems = [one for column in columns.values() for one in column.said]
    problems = [*lines.said, *problems, *spans.said, *no_period(rows.height, with_roles)]
    return LongTable(rows, (*with_roles, *spans.columns), lines.ends.told(problems), begins=lines.begins)


def _delimited(path: Path, head: bytes, texts: Collection[str], at_a_time: int) -> _Lines | None:
    """texts: columns of nothing but these."""
    if is_marked(head):
        return None
    size = path.stat().st_size
    mark, ends = _ends(path, head, size)
    begin, end = mark + ends.before, size - ends.after
    plan = planned(head_of(head[begin:end]), strictly=False)
    if plan is None:
        return None
    words: dict[str, ColumnType] = dict.fromkeys(texts, "text")
    kinds = {name: kind for name, kind in plan.kinds.items() if name not in plan.blank} | words
    plan = replace(plan, schema=plan.schema | dict.fromkeys(texts, pl.String))
    said, ragged = list[Problem](), 0

    def frames() -> Iterator[tuple[pl.DataFrame, float]]:
        nonlocal ragged
        for lines, far, first in _whole_lines(path, begin, end, at_a_time):
            frame, more = _cells_of(lines, plan, header=first)
            ragged += more
            yield frame, far
        if ragged:
            said.append(of_another_width(ragged, len(plan.labels)))

    begins, _ = outer_lines(head[begin : head.rfind(b"\n") + 1])
    return _Lines(plan.labels, frames(), kinds, plan.way, plan.grains, said, ends, begins)


def _ends(path: Path, head: bytes, size: int) -> tuple[int, ListEnds]:
    """How long the mark of its encoding is, and what stands around the list after that."""
    mark = len(codecs.BOM_UTF8) if head.startswith(codecs.BOM_UTF8) else 0
    if size <= _HEAD + _TAIL:
        return mark, list_ends(*outer_lines(path.read_bytes()[mark:]))
    with path.open("rb") as file:
        file.seek(size - _TAIL)
        tail = file.read()
    return mark, list_ends(head[mark : head.rfind(b"\n") + 1], tail[tail.find(b"\n") + 1 :])


def _whole_lines(path: Path, begin: int, end: int, at_a_time: int) -> Iterator[tuple[bytes, float, bool]]:
    """Some lines at a time, how far they are, and whether they are the first. Raises _Odd."""
    with path.open("rb") as file:
        file.seek(begin)
        rest, first = b"", True
        while more := file.read(min(at_a_time, end - file.tell())):
            lines = rest + more
            cut = _end_of_lines(lines)
            rest = lines[cut:]
            if cut:
                yield lines[:cut], file.tell() / end, first
                first = False
            elif len(lines) > 4 * AT_A_TIME:
                raise _Odd  # a quote that is never closed, most likely
        if rest.strip():
            yield rest, 1.0, first


def _cells_of(lines: bytes, plan: Plan, *, header: bool) -> tuple[pl.DataFrame, int]:
    """The cells of whole lines, and how many of these are of another width. Raises _Odd."""
    nothing = b"\n" + plan.separator.encode() * (len(plan.labels) - 1)  # a line without a cell is left out
    blank = nothing + b"\n" in lines or nothing + b"\r\n" in lines or lines.endswith(nothing)
    if not blank and (frame := parsed(lines, plan, header=header)) is not None:
        return without_heads(frame, plan.labels), 0
    try:
        return carefully(lines, plan, header=header)
    except Unreadable:
        raise _Odd from None


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
    wanted, said = [], list[Problem]()
    for name, (label, kind) in zip(names, schema.items(), strict=True):
        cells = pl.col(label)
        if kind.is_numeric():
            cells, kinds[name] = cells.cast(pl.Float64), "number"
            cells = pl.when(cells.is_finite()).then(cells)
        elif kind == pl.Duration:
            cells, kinds[name] = cells.dt.total_microseconds() / A_MINUTE, "number"
            said.append(Problem(IN_MINUTES, column=name))
        elif kind in (pl.Boolean, pl.Date):
            kinds[name] = "flag" if kind == pl.Boolean else "date"
        elif kind.is_nested() or kind in (pl.Binary, pl.Object):
            cells = pl.lit(None, dtype=pl.String)
        else:
            cells = cells.cast(pl.String)
        wanted.append(cells.alias(name))

    def frames() -> Iterator[tuple[pl.DataFrame, float]]:
        try:
            every, done = max(1, lazy.select(pl.len()).collect().item()), 0
            for frame in lazy.select(wanted).collect_batches(
                chunk_size=piece_rows(len(wanted)), maintain_order=True, lazy=True
            ):
                done += frame.height
                yield frame, done / every
        except pl.exceptions.PolarsError:
            raise Unreadable("The Parquet file is damaged. Write it again and upload that.") from None

    return _Lines(list(schema), frames(), kinds, "point", {}, said)
