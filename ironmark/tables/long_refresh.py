"""New rows for a dataset where the rows are too many to be held: what ``refresh`` does, piece by piece."""

from __future__ import annotations

import io
from collections.abc import Iterator, Sequence
from itertools import chain
from pathlib import Path

import polars as pl

from ironmark.tables.pieces import Joined, Piece, Pieces, Rows, filed, in_pieces, piece_rows, pieces_of, slices_of
from ironmark.tables.refresh import How, are_whole, as_type, combined, conform, covered_by, matched, renamed
from ironmark.tables.table import Column, LongTable, Table


def conformed(table: Table | LongTable, columns: Sequence[Column], folder: Path) -> Table | LongTable:
    """A table in the columns a dataset has; see ``conform``. folder: where pieces that had to be changed are put."""
    if isinstance(table, Table):
        return conform(table, columns)
    rows, pairs = table.rows, matched(table.columns, columns)
    whole = dict[str, bool | None]()
    for theirs, ours in pairs:
        if theirs.type != ours.type:  # looked at as a whole: it is refused, or all of it is written alike
            cells = rows.select([theirs.name])[theirs.name]
            whole[ours.name] = are_whole(cells) if cells.dtype.is_float() else None
            as_type(cells, theirs, ours)
    if whole or [(theirs.name, ours.name) for theirs, ours in pairs] != [(name, name) for name in rows.columns]:

        def changed(frame: pl.DataFrame) -> pl.DataFrame:
            return pl.DataFrame(
                [as_type(frame[t.name], t, ours, whole.get(ours.name)).alias(ours.name) for t, ours in pairs]
            )

        anew = (
            piece for frame in rows.iter_slices(piece_rows(len(rows.columns))) for piece in in_pieces(changed(frame))
        )
        rows = filed(folder, anew)
    return LongTable(rows, tuple(ours for _, ours in pairs), renamed(table.problems, pairs), table.recipe)


def put_together(old: Rows, new: Table | LongTable, how: How, period: str | None, folder: Path) -> Rows:
    """All rows after a refresh, see ``combined``; of many, pieces that stay as they are, are. Raises Unreadable."""
    rows = new.rows
    if how == "replace":
        return rows
    if isinstance(old, pl.DataFrame) and isinstance(new, Table):
        return combined(old, new, how, period)
    alike = old.schema == rows.schema
    if how == "append" and alike:
        return Joined(*(some if isinstance(some, Pieces) else filed(folder, in_pieces(some)) for some in (old, rows)))
    covered = covered_by(rows, period) if how == "periods" else pl.lit(value=False)
    like = pl.DataFrame(schema=rows.schema)

    def kept() -> Iterator[Piece]:
        for body, height in pieces_of(old):
            frame = pl.read_parquet(io.BytesIO(body))
            stays = frame.filter(~covered)
            if stays.height == frame.height and alike:
                yield body, height
            elif stays.height:
                yield from in_pieces(pl.concat([stays, like], how="diagonal_relaxed").select(rows.columns))

    return filed(folder, chain(kept(), pieces_of(rows)))


def same_rows(one: Rows, other: Rows) -> bool:
    """Whether all cells of two are the same, in the same order."""
    return one.height == other.height and one.schema == other.schema and _alike(one, other)


def ends_with(rows: Rows, last: Rows) -> bool:
    """Whether the last rows are just these."""
    skip = rows.height - last.height
    if skip < 0 or rows.schema != last.schema:
        return False
    return _alike(rows, last, skip)


def _alike(rows: Rows, others: Rows, skip: int = 0) -> bool:
    """Whether rows but the first ``skip`` are just the others."""
    return all(mine.equals(theirs) for mine, theirs in zip(slices_of(rows, skip), slices_of(others), strict=True))
