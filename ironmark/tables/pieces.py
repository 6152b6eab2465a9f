"""Rows in pieces of Parquet, of which only the columns that are asked for are ever in memory."""

from __future__ import annotations

import io
from collections import deque
from collections.abc import Callable, Collection, Iterable, Iterator, Mapping, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from contextlib import AbstractContextManager, contextmanager, nullcontext
from itertools import chain
from pathlib import Path
from typing import TypeVar

import numpy as np
import polars as pl

from ironmark.tables.cells import BLANK_MEMBER, NoPeriod
from ironmark.tables.labels import is_of

Merges = Mapping[str, Mapping[str, str]]
Found = TypeVar("Found")
Frame = TypeVar("Frame", pl.DataFrame, pl.LazyFrame)
Read = Callable[[], AbstractContextManager[Iterable[bytes]]]
Widened = Callable[[pl.DataFrame], pl.DataFrame]
Piece = tuple[bytes, int]  # Parquet, and its number of rows
AHEAD = 2  # pieces that are unpacked while another is looked at
PIECE_BYTES, PIECE_ROWS = 8 * 1024 * 1024, 250_000
SLICE_ROWS = 100_000  # that are compared at a time
PIECE_HELD = 32 << 20  # bytes of one in memory: long texts are packed very small
MANY_ROWS = 1_000_000  # of which only the columns that are asked for are read
MANY_CELLS = 16_000_000  # the same of fewer rows with many columns


def are_many(rows: int, columns: int) -> bool:
    """Whether rows are never in memory as a whole."""
    return rows >= MANY_ROWS or rows * columns >= MANY_CELLS


def piece_rows(columns: int) -> int:
    """How many rows with so many columns are held at a time."""
    return max(1, min(PIECE_ROWS, MANY_CELLS // 4 // max(1, columns)))


class Gone(NoPeriod):
    """The version was given up since it was asked for."""

    def __init__(self) -> None:
        super().__init__("These rows were replaced while they were read. Look again.")


class Pieces:
    """The rows of a version, read column by column or piece by piece; the same columns as a frame of them has, and what of a
    frame's words can be said of them.

    read: the pieces in their order, as they are kept; height: how many rows they have; merges: spellings that stand for another
    member.
    """

    def __init__(
        self,
        read: Read,
        merges: Merges,
        height: int = -1,
        widened: Widened | None = None,
        reads: Collection[str] | None = None,
        ahead: int = AHEAD,
    ) -> None:
        """widened: what makes the columns that are taken from elsewhere or derived, row by row. reads: those of the rows' own
        that it reads; all of them where it is not said. ahead: pieces that are unpacked while another is looked at."""
        self.read, self.merges, self._beside = read, merges, ahead
        with read() as pieces:
            first = next(iter(pieces), None)
        self._own = pl.Schema(pl.read_parquet_schema(io.BytesIO(first))) if first else pl.Schema()
        self._height, self._widened, self._reads = height, widened, reads
        self.schema: pl.Schema = widened(pl.DataFrame(schema=self._own)).schema if widened and first else self._own

    def with_more(self, more: Widened, reads: Collection[str]) -> Pieces:
        """The same rows with further columns. reads: those that these are made of."""
        before = self._widened
        every = None if before is not None and self._reads is None else {*(self._reads or ()), *reads}
        widened = more if before is None else lambda frame: more(before(frame))
        return Pieces(self.read, self.merges, self._height, widened, every, self._beside)

    @property
    def height(self) -> int:
        if self._height < 0:
            with self.read() as pieces:
                self._height = sum(_height(piece) for piece in pieces)
        return self._height

    @property
    def columns(self) -> list[str]:
        return self.schema.names()

    def select(self, names: Sequence[str]) -> pl.DataFrame:
        """Some columns of all rows. Raises Gone."""
        found = list(self.frames(names))
        if not found:
            raise Gone
        return pl.concat(found)

    def slice(self, offset: int, length: int) -> pl.DataFrame:
        """So many rows from one place on."""
        found = [pl.DataFrame(schema=self.schema)]
        with self.read() as pieces:
            for piece in pieces:
                height = _height(piece)
                if offset < height and length > 0:
                    found.append(self._frame(piece, None).slice(offset, length))
                    length -= found[-1].height
                offset = max(0, offset - height)
                if length <= 0:
                    break
        return pl.concat(found)

    def iter_slices(self, n_rows: int, skip: int = 0) -> Iterator[pl.DataFrame]:
        """All rows in their order but the first ``skip``, so many at a time, as a frame deals them out."""
        rest: pl.DataFrame | None = None
        for piece in self.frames():
            if skip >= piece.height:
                skip -= piece.height
                continue
            piece, skip = piece.slice(skip), 0
            rows = piece if rest is None or not rest.height else pl.concat([rest, piece])
            whole = rows.height - rows.height % n_rows
            yield from rows.slice(0, whole).iter_slices(n_rows) if whole else ()
            rest = rows.slice(whole)
        if rest is not None and rest.height:
            yield rest

    def frames(self, names: Sequence[str] | None = None) -> Iterator[pl.DataFrame]:
        """The pieces one by one, with some columns or all of them."""
        return self.each(names, lambda frame, _: frame)

    def each(self, names: Sequence[str] | None, work: Callable[[pl.DataFrame, int], Found]) -> Iterator[Found]:
        """What comes of each piece and its place, in their order. Those that come next are worked on meanwhile, in other
        threads."""
        return self._ahead(lambda piece, at: work(self._frame(piece, names), at))

    def by_columns(self, work: Callable[[Callable[[Sequence[str] | None], pl.DataFrame]], Found]) -> Iterator[Found]:
        """What comes of each piece, as ``each`` has it; work reads those of its columns that it wants, one after the other."""
        return self._ahead(lambda piece, _: work(lambda names: self._frame(piece, names)))

    def of_members(self, where: Mapping[str, Collection[str]], most: int) -> pl.DataFrame | None:
        """The rows of some members, in their order; None where these are more than ``most`` bytes. Pieces that have none by their
        statistics are left out. Raises Gone."""
        at_once = [name for name in where if self._own.get(name) == pl.String and not self.merges.get(name)]
        tests = [_is_of(name, where[name]) for name in at_once]
        rest = {name: names for name, names in where.items() if name not in at_once}

        def look(piece: bytes, _: int) -> pl.DataFrame:
            frame = self._complete(pl.scan_parquet(io.BytesIO(piece)).filter(*tests).collect())
            for name, names in rest.items():
                frame = frame.filter(is_of(frame[name], names))
            return frame

        found, size = list[pl.DataFrame](), 0
        for frame in self._ahead(look):
            found.append(frame)
            if (size := size + int(frame.estimated_size())) > most:
                return None
        if not found:
            raise Gone
        return pl.concat(found)

    def _ahead(self, work: Callable[[bytes, int], Found]) -> Iterator[Found]:
        with self.read() as pieces, ThreadPoolExecutor(self._beside) as pool:
            coming = deque[Future[Found]]()
            for at, piece in enumerate(pieces):
                coming.append(pool.submit(work, piece, at))
                if len(coming) > self._beside:
                    yield coming.popleft().result()
            while coming:
                yield coming.popleft().result()

    def _complete(self, frame: pl.DataFrame) -> pl.DataFrame:
        """All columns of some rows as they are kept."""
        frame = merged(frame, self.merges)
        return frame if self._widened is None else self._widened(frame)

    def _frame(self, piece: bytes, names: Sequence[str] | None) -> pl.DataFrame:
        if names is None or any(name not in self._own for name in names):
            used = self._own if names is None or self._reads is None else {*names, *self._reads}
            own = [name for name in self._own if name in used] or list(self._own)[:1]  # as many rows as there are
            frame = self._complete(pl.read_parquet(io.BytesIO(piece), columns=own))
            return frame if names is None else frame.select(names)
        merges = {name: held for name, held in self.merges.items() if name in names}
        return merged(pl.read_parquet(io.BytesIO(piece), columns=list(names)), merges)


class Joined(Pieces):
    """Pieces behind others, with the same columns."""

    def __init__(self, first: Pieces, second: Pieces) -> None:
        @contextmanager
        def read() -> Iterator[Iterator[bytes]]:
            with first.read() as before, second.read() as behind:
                yield chain(before, behind)

        super().__init__(read, {}, first.height + second.height, ahead=first._beside)
        self.second = second


Rows = pl.DataFrame | Pieces


def frames_of(rows: Rows, names: Sequence[str] | None = None) -> Iterator[pl.DataFrame]:
    """Any rows, as much at a time as may be held."""
    if isinstance(rows, pl.DataFrame):
        yield rows if names is None else rows.select(names)
    else:
        yield from rows.frames(names)


def slices_of(rows: Rows, skip: int = 0) -> Iterator[pl.DataFrame]:
    """Any rows but the first ``skip``, some at a time: wherever they lie, rows with as many columns are cut at the same places."""
    at_a_time = min(SLICE_ROWS, piece_rows(len(rows.columns)))
    if isinstance(rows, pl.DataFrame):
        return rows.slice(skip).iter_slices(at_a_time)
    return rows.iter_slices(at_a_time, skip)


def as_numbers(frames: Iterable[pl.DataFrame], most: int) -> np.ndarray:
    """Every row as a number of 64 bits, the same for the same cells; two alike by chance are likelier a fault of the machine.
    most: how many rows there are at most."""
    numbers: np.ndarray = np.empty(most, dtype=np.uint64)
    at = 0
    for frame in frames:
        numbers[at : at + frame.height] = frame.hash_rows().to_numpy()
        at += frame.height
    return numbers[:at]


def how_many_differ(numbers: np.ndarray) -> int:
    """Sorts them where they are."""
    numbers.sort()
    return int((numbers[1:] != numbers[:-1]).sum()) + 1 if len(numbers) else 0


def different_rows(rows: Rows, names: Sequence[str]) -> int:
    """How many rows differ in some columns."""
    return how_many_differ(as_numbers(frames_of(rows, names), rows.height))


def merged(frame: Frame, merges: Merges) -> Frame:
    """The rows with every spelling of a member that was said to be another's replaced by it."""
    schema = frame.collect_schema() if merges else {}
    edits = [
        pl.col(name).replace(dict(spellings))
        for name, spellings in merges.items()
        if spellings and schema.get(name) == pl.String
    ]
    return frame.with_columns(edits) if edits else frame


def _is_of(segment: str, names: Collection[str]) -> pl.Expr:
    """The rows of some members of a segment of texts."""
    of = pl.col(segment).is_in(list(names))
    return of | pl.col(segment).is_null() if BLANK_MEMBER in names else of


def _height(piece: bytes) -> int:
    return int(pl.scan_parquet(io.BytesIO(piece)).select(pl.len()).collect().item())


def in_pieces(frame: pl.DataFrame) -> Iterator[Piece]:
    """Parquet pieces within PIECE_BYTES, and PIECE_HELD in memory: as many as fit, at least one piece."""
    of_row = frame.estimated_size() / max(1, frame.height)
    start, size = 0, max(1, min(piece_rows(frame.width), int(PIECE_HELD / max(1.0, of_row))))
    while True:
        buffer = io.BytesIO()
        frame.slice(start, size).write_parquet(buffer, compression="zstd", compression_level=1, statistics=True)
        if buffer.tell() > PIECE_BYTES and size > 1:
            size = max(1, size // 2)
            continue
        yield buffer.getvalue(), min(size, frame.height - start)
        start += size
        if start >= frame.height:
            return


def pieces_of(rows: Rows) -> Iterator[Piece]:
    """Any rows as pieces; those that are in pieces, with nothing merged in them, as they are."""
    if isinstance(rows, pl.DataFrame):
        yield from in_pieces(rows)
        return
    with rows.read() as pieces:
        for piece in pieces:
            yield piece, _height(piece)


def one_file(rows: Rows, folder: Path) -> bytes:
    """All rows as one file of Parquet, the same each time. folder: an empty one, for as long as it is made."""
    if isinstance(rows, pl.DataFrame):
        buffer = io.BytesIO()
        rows.write_parquet(buffer, compression="zstd", statistics=False)
        return buffer.getvalue()
    filed(folder, pieces_of(rows))
    whole = folder / "whole"
    every = pl.scan_parquet(sorted(folder.glob("*.parquet")))
    size = piece_rows(len(every.collect_schema()))
    every.sink_parquet(whole, compression="zstd", statistics=False, row_group_size=size, maintain_order=True)
    return whole.read_bytes()


def of_one_file(body: bytes, folder: Path) -> Rows:
    """The rows of such a file; of many as pieces that lie in the folder. Raises what the reader of Parquet raises."""
    columns = len(pl.read_parquet_schema(io.BytesIO(body)))
    if not are_many(_height(body), columns):
        return pl.read_parquet(io.BytesIO(body))
    whole = folder / "whole"
    whole.write_bytes(body)
    frames = pl.scan_parquet(whole).collect_batches(chunk_size=piece_rows(columns), maintain_order=True, lazy=True)
    return filed(folder, (piece for frame in frames for piece in in_pieces(frame)))


def filed(folder: Path, pieces: Iterable[Piece], merges: Merges | None = None) -> Pieces:
    """Pieces put on the disk as they come, to be read from there for as long as the folder is."""
    at = len(list(folder.glob("*.parquet")))
    files, height = list[Path](), 0
    for body, rows in pieces:
        file = folder / f"{at + len(files):05}.parquet"
        file.write_bytes(body)
        files.append(file)
        height += rows
    return Pieces(lambda: nullcontext(file.read_bytes() for file in files), merges or {}, height)
