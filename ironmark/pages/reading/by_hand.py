"""What of an instrument can be set on it, because its rows are kept by hand."""

from __future__ import annotations

from ironmark.core.formula import parse
from ironmark.core.formula_nodes import Aggregate, Column, FormulaError
from ironmark.pages.model.kpi import KpiBody
from ironmark.pages.model.scorecard import InstrumentBody, ScopeBody
from ironmark.store.datasets import StoredDataset


def kept_by_hand(dataset: StoredDataset, kpi: KpiBody, instrument: InstrumentBody, scope: ScopeBody) -> str:
    """Whether an instrument's readings can be set on it: "steps" of a checklist, the "value" of one cell, or ""."""
    if dataset.kind == "checklist":
        one = instrument.by == "item" or len(scope.members.get("item", [])) == 1
        return "steps" if one and instrument.by != "step" else ""
    return "value" if dataset.kind == "sheet" and column_of(kpi) and not instrument.last else ""


def column_of(kpi: KpiBody) -> str | None:
    """The column a KPI repeats: ``mean(score)`` of one row is that row's score."""
    try:
        tree = parse(kpi.formula)
    except FormulaError:
        return None
    plain = isinstance(tree, Aggregate) and tree.name in ("mean", "sum", "min", "max", "median") and not tree.where
    return tree.of.name if plain and isinstance(tree, Aggregate) and isinstance(tree.of, Column) else None
