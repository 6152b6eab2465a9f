"""Rows in pieces of Parquet, of which only the columns that are asked for are ever in memory."""

from __future__ import annotations

import io
from collections.abc import Callable, Iterable, Sequence
from contextlib import AbstractContextManager

import polars as pl

from ironmark.tables.cells import NoPeriod
from ironmark.tables.refresh import Merges, merged

Read = Callable[[], AbstractContextManager[Iterable[bytes]]]


class Gone(NoPeriod):
    """The version was given up since it was asked for."""


class Pieces:
    """The rows of a version, read column by column; the same columns as a frame of them has.

    read: the pieces in their order, as they are kept; merges: spellings that stand for another member.
    """

    def __init__(self, read: Read, merges: Merges) -> None:
        self._read, self._merges = read, merges
        with read() as pieces:
            first = next(iter(pieces), None)
        self.schema: pl.Schema = pl.Schema(pl.read_parquet_schema(io.BytesIO(first))) if first else pl.Schema()

    def select(self, names: Sequence[str]) -> pl.DataFrame:
        """Some columns of all rows. Raises Gone."""
        with self._read() as pieces:
            found = [pl.read_parquet(io.BytesIO(piece), columns=list(names)) for piece in pieces]
        if not found:
            raise Gone("These rows were replaced while they were read. Look again.")
        return merged(pl.concat(found), {name: held for name, held in self._merges.items() if name in names})
