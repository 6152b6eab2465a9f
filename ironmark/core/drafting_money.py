"""Amounts of several currencies in one column: what they come to together says nothing, so each currency is read by itself."""

from __future__ import annotations

from collections.abc import Sequence

from ironmark.core.belonging import direction_of
from ironmark.core.draft_kpis import DraftKpi
from ironmark.core.drafting_words import MONEY, handle_of, stem_of
from ironmark.core.measuring import Facts
from ironmark.core.numbers import Unit
from ironmark.core.units import is_currency

MOST_CURRENCIES = 4


def currency_of(columns: Sequence[Facts]) -> Facts | None:
    """The column that says which currency the amounts of a row are in, where there are several."""
    return next((c for c in columns if len(c.members) > 1 and all(map(is_currency, c.members))), None)


def in_currencies(column: Facts, currency: Facts | None) -> bool:
    """Whether a column holds amounts in what another one says."""
    return currency is not None and column.unit is None and bool(stem_of(column, MONEY))


def by_currency(column: Facts, currency: Facts) -> list[DraftKpi]:
    return [
        DraftKpi(
            handle_of(f"{column.label} {code}", "amount_in"), f"{column.label}, {code}",
            f'sum({column.name} where {currency.name} = "{code}")', Unit("currency", 0, code.upper(), compact=True),
            direction_of(column), "flow",
            f"“{column.label}” is in what “{currency.label}” says: the sum of what is in {code} alone.",
        )
        for code in currency.members[:MOST_CURRENCIES]
    ]  # fmt: skip
