"""Columns typed by their different texts, each looked at once."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

import polars as pl

from ironmark.core.formula_nodes import ColumnType
from ironmark.core.periods import RowGrain
from ironmark.tables.celltypes import BLANKS, Decimal, TypedCells, like, typed_cells
from ironmark.tables.table import Problem


@dataclass(frozen=True)
class Typing:
    """What texts of a column stand for, told of each that is different. same: each for itself; odd: those that fit nothing,
    and stand for a blank."""

    kind: ColumnType
    found: list[Problem]
    grain: RowGrain | None
    texts: pl.Series
    values: pl.Series
    same: bool
    odd: pl.Series = field(default_factory=lambda: pl.Series([], dtype=pl.String))

    def of(self, cells: pl.Series) -> pl.Series:
        if self.same:
            return cells
        if self.kind == "flag":
            words = self.texts.filter(self.values.fill_null(False))
            said = cells == words[0] if len(words) == 1 else cells.is_in(words)
            blanks = self.texts.filter(self.values.is_null() & self.texts.is_not_null())
            return said.set(cells.is_in(blanks).fill_null(True), None) if len(blanks) else said
        place = pl.DataFrame({"cell": self.texts, "value": self.values})
        rows = pl.DataFrame({"cell": cells})
        return rows.join(place, on="cell", how="left", nulls_equal=True, maintain_order="left")["value"]


def typing_of(
    different: pl.Series, label: str, way: Decimal | None, year_start: int = 1, known: ColumnType | None = None
) -> Typing | None:
    """different: the texts of a column, each once; None where one of them does not fit the others. known: what its cells are,
    so that those that are something else are only told of."""
    typed, kind, found, grain = typed_cells(different, label, way, year_start)
    odd = _odd(different, typed)
    if known in ("date", "number") and (len(odd) or kind != known):
        looks = different.filter(like(different, known, label) | is_blank(different))
        typed, kind, found, grain = typed_cells(looks, label, way, year_start)
        if kind != known:
            return None
        # How many cells are odd is counted where the rows are.
        found = [problem for problem in found if not problem.rows]
        typed = Typing(kind, found, grain, looks, typed, same=False).of(different)
        odd = _odd(different, typed)
    elif len(odd):
        return None
    return Typing(kind, found, grain, different, typed, kind == "text" and typed.equals(different), odd)


def as_texts(different: pl.Series) -> Typing:
    """Texts that stand for themselves, whatever they look like."""
    text = different.str.strip_chars().set(is_blank(different), None)
    return Typing("text", [], None, different, text, same=text.equals(different, null_equal=True))


def nothing_of(blanks: pl.Series, kind: ColumnType) -> Typing:
    """Blanks of a column whose others are of a kind."""
    held: dict[ColumnType, Any] = {"number": pl.Float64, "date": pl.Date, "flag": pl.Boolean, "text": pl.String}
    return Typing(kind, [], None, blanks, pl.Series(blanks.name, [None] * len(blanks), dtype=held[kind]), same=False)


def is_blank(texts: pl.Series) -> pl.Series:
    return texts.is_null() | texts.str.strip_chars().str.to_lowercase().is_in(BLANKS)


def all_blank(texts: pl.Series) -> bool:
    return bool(is_blank(texts.head(20)).all() and is_blank(texts).all())  # the first ones tell, as a rule


def _odd(texts: pl.Series, typed: pl.Series) -> pl.Series:
    """Those that came to nothing, and say something."""
    return texts.filter(typed.is_null() & ~is_blank(texts)) if typed.null_count() else texts.clear()


def by_members(cells: pl.Series, label: str, way: Decimal | None, year_start: int = 1) -> TypedCells | None:
    """A column typed by its different values, each looked at once; None where one of them does not fit."""
    if cells.dtype != pl.String:
        return TypedCells(cells, "number" if cells.dtype == pl.Float64 else "date", [])
    typing = typing_of(cells.unique(maintain_order=True), label, way, year_start)
    if typing is None:
        return None
    every = len(typing.texts) == len(cells) and typing.kind != "flag"
    return TypedCells(typing.values if every else typing.of(cells), typing.kind, typing.found, typing.grain)
