"""What is unusual about rows that come by themselves, so that somebody is asked before they are shown."""

from __future__ import annotations

from collections.abc import Sequence

import polars as pl

from ironmark.tables.refresh import Changes
from ironmark.tables.table import Column

_FEW_ROWS = 20  # with fewer than these, anything goes
_MOSTLY = 0.9


def unusual(
    old: pl.DataFrame, new: pl.DataFrame, told: Changes, columns: Sequence[Column], most_gone: float
) -> list[str]:
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
        before, after = old[column.name], new[column.name]
        if column.role == "segment":
            were, are = (set(one.drop_nulls().cast(pl.String).unique().to_list()) for one in (before, after))
            went, came = were - are, are - were
            if len(went) > max(1, most_gone * len(were)):
                found.append(f"“{column.label}” would lose {len(went)} of {len(were)} members: {_named(went)}.")
            if len(came) > max(2, len(were)):
                found.append(f"“{column.label}” would have {len(came)} new members beside {len(were)}: {_named(came)}.")
        if len(after) and before.null_count() < len(before) / 2 and after.null_count() > len(after) * _MOSTLY:
            found.append(f"“{column.label}” would be blank in {after.null_count():,} of {len(after):,} rows.")
    return found


def _named(members: set[str]) -> str:
    first = sorted(members)[:4]
    return ", ".join(first) + (f" and {len(members) - 4} more" if len(members) > 4 else "")
