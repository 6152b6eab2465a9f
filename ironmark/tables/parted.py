"""Cells that say how many of how many: 24/28, 7 of 12, 3 von 5. They are two figures, of which a share is made."""

from __future__ import annotations

import re
from collections.abc import Sequence

import polars as pl

from ironmark.core.belonging import OF_ALL
from ironmark.core.drafting_words import BAD, GOOD_OUTCOMES, stem_in
from ironmark.core.measuring import told_by
from ironmark.tables.celltypes import left_blank
from ironmark.tables.column_typing import is_blank
from ironmark.tables.notations import hinted
from ironmark.tables.table import NEARLY, Problem

_WORDS = r"out\s+of|of|von|sur|de|di|su|av|af|van|iz|z|ze|из|из\s+числа"
_PART = rf"(?i)^\s*([0-9]{{1,7}})\s*(/|{_WORDS})\s*([0-9]{{1,7}})\s*$"
_FIRST = 200  # cells, among which one of these stands where they are
_FEWEST = 3  # cells, from which a column is said to be of these
# What a head has to tell where a stroke stands between both, as it does in days, seasons and the numbers of houses.
_MEASURES = frozenset({"amount", "level", "share", "rating", "up", "down"})


def parted(labels: Sequence[str], raw: pl.DataFrame) -> tuple[list[str], pl.DataFrame, list[tuple[str, Problem]]]:
    """The columns of a table, those of parts and wholes as two each; and what is to be said of these, by their label."""
    cells = raw.head(_FIRST).unpivot(variable_name="column", value_name="cell")
    some = set(cells.filter(pl.col("cell").str.contains(_PART))["column"])
    if not some:  # as in most tables
        return list(labels), raw, []
    found_labels, columns, told = list[str](), list[pl.Series](), list[tuple[str, Problem]]()
    for label, column in zip(labels, raw.get_columns(), strict=True):
        both = _both(column, label) if column.name in some else None
        if both is None:
            found_labels.append(label)
            columns.append(column.alias(f"{len(columns)}"))
            continue
        parts, wholes = both
        example = next(cell for cell in column if cell is not None and re.match(_PART, cell))
        scale = wholes.drop_nulls().n_unique() == 1 and "rating" in told_by(label)
        found_labels += [label] if scale else [label, f"{label}{OF_ALL}"]
        columns += [one.alias(f"{len(columns) + n}") for n, one in enumerate([parts] if scale else [parts, wholes])]
        said = "on that scale" if scale else f"the second stands under “{label}{OF_ALL}”"
        told.append((label, Problem(f"“{example.strip()[:40]}” was read as a figure of another: {said}.")))
        odd = column.filter(parts.is_null() & ~is_blank(column))
        if len(odd):
            told.append((label, left_blank(len(odd), len(column) - int(is_blank(column).sum()), "number", odd[0], ())))
    return found_labels, pl.DataFrame(columns), told


def _both(column: pl.Series, label: str) -> tuple[pl.Series, pl.Series] | None:
    filled = column.filter(~is_blank(column))
    if len(filled) < _FEWEST:
        return None
    outcome = bool(stem_in(label, (*GOOD_OUTCOMES, *BAD)))  # on time
    if hinted(label) and not outcome:
        return None
    groups = pl.DataFrame({"cell": column}).select(
        pl.col("cell").str.extract(_PART, at).alias(name) for at, name in ((1, "part"), (2, "sign"), (3, "whole"))
    )
    known = groups.drop_nulls().with_columns(pl.col("part", "whole").cast(pl.Int64))
    within = known.filter(pl.col("part") <= pl.col("whole"))
    if min(len(known), len(within)) < NEARLY * len(filled):
        return None
    if (known["sign"] == "/").any():
        seasons = ((known["part"] + 1) % 100 == known["whole"] % 100).all()
        if seasons or not (outcome or _MEASURES & set(told_by(label))):
            return None
    return groups["part"], groups["whole"]
