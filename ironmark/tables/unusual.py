"""What is unusual about rows that come by themselves, so that somebody is asked before they are shown."""

from __future__ import annotations

from collections.abc import Sequence

import polars as pl

from ironmark.tables.pieces import Rows, frames_of
from ironmark.tables.refresh import Changes
from ironmark.tables.table import Column

_FEW_ROWS = 20  # with fewer than these, anything goes
_MOSTLY = 0.9


def unusual(old: Rows, new: Rows, told: Changes, columns: Sequence[Column], most_gone: float) -> list[str]:
    """What should be looked at before ``new`` takes the place of ``old``, each in a sentence.

    most_gone: the share of the rows, and of the members of a segment, that may go.
    """
    found = []
    if told.before and not told.after:
        found.append("No rows are left.")
    elif told.before > _FEW_ROWS and told.after < told.before * (1 - most_gone):
        found.append(
            f"{told.before - told.after:,} of {told.before:,} rows would go, more than {100 * most_gone:.0f} %."
        )
    if old.height <= _FEW_ROWS:
        return found
    for column in columns:
        if column.name not in old.columns or column.name not in new.columns:
            continue
        (blank_before, were), (blank_now, are) = (_look(rows, column) for rows in (old, new))
        if column.role == "segment":
            went, came = were - are, are - were
            if len(went) > max(1, most_gone * len(were)):
                found.append(f"“{column.label}” would lose {len(went)} of {len(were)} members: {_named(went)}.")
            if len(came) > max(2, len(were)):
                found.append(f"“{column.label}” would have {len(came)} new members beside {len(were)}: {_named(came)}.")
        if new.height and blank_before < old.height / 2 and blank_now > new.height * _MOSTLY:
            found.append(f"“{column.label}” would be blank in {blank_now:,} of {new.height:,} rows.")
    return found


def _look(rows: Rows, column: Column) -> tuple[int, set[str]]:
    """How many cells of a column are blank, and the members of a segment."""
    blank, members = 0, set[str]()
    for frame in frames_of(rows, [column.name]):
        cells = frame[column.name]
        blank += cells.null_count()
        if column.role == "segment":
            members.update(cells.drop_nulls().cast(pl.String).unique().to_list())
    return blank, members


def _named(members: set[str]) -> str:
    first = sorted(members)[:4]
    return ", ".join(first) + (f" and {len(members) - 4} more" if len(members) > 4 else "")
