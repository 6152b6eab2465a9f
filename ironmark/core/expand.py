"""Functions over time and members, and other KPIs, worked into a formula's aggregates."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import replace
from typing import Any

from ironmark.core.formula_nodes import Aggregate, Binary, Call, FormulaError, Node, Number, Reference, Window, rebuilt

Resolve = Callable[[Reference], Node]


def expand(node: Node, resolve: Resolve | None = None) -> Node:
    """A checked formula with its functions over time and members worked into its aggregates.

    ``rolling`` and ``to_date`` give them a window, ``prior`` and ``year_ago`` take them from earlier periods,
    ``share`` divides by the same over all rows, and ``@handle`` becomes the other KPI's formula. resolve: from a
    reference to that formula, itself expanded; raises FormulaError.
    """

    def change(found: Node) -> Node:
        match found:
            case Reference():
                if resolve is None:
                    raise FormulaError(f"no KPI “@{found.handle}”", *found.span)
                return resolve(found)
            case Call(name="prior", args=(of, *rest)):
                back = int(rest[0].value) if rest and isinstance(rest[0], Number) else 1
                return rebuilt(of, lambda a: replace(a, back=a.back + back) if isinstance(a, Aggregate) else a)
            case Call(name="year_ago", args=(of,)):
                return rebuilt(of, lambda a: replace(a, years=a.years + 1) if isinstance(a, Aggregate) else a)
            case Call(name="rolling", args=(of, Number() as periods)):
                return _aggregates_changed(of, window=Window(int(periods.value)))
            case Call(name="to_date", args=(of,)):
                return _aggregates_changed(of, window=Window(None))
            case Call(name="share", args=(of,)):
                return Binary("/", of, _aggregates_changed(of, whole=True), span=found.span)
        return found

    return rebuilt(node, change)


def assuming(node: Node, values: Mapping[str, float]) -> Node:
    """A formula as it was parsed with every ``@handle`` of an assumption standing for its value, rows' expressions and
    conditions included. values: those of the assumptions, by handle; other handles stay."""

    def change(found: Node) -> Node:
        if isinstance(found, Reference) and found.handle in values:
            return Number(values[found.handle], span=found.span)
        return found

    return rebuilt(node, change)


def read_from(tree: Node, its: str, reader: str) -> Node:
    """A formula over dataset ``its`` as a KPI of dataset ``reader`` reads it."""

    def change(found: Node) -> Node:
        if not isinstance(found, Aggregate):
            return found
        dataset = found.dataset or its
        return replace(found, dataset=None if dataset == reader else dataset)

    return rebuilt(tree, change)


def as_level(node: Node) -> Node:
    """An expanded formula as a stock is read: over each series' last rows within the period, windows aside."""
    return rebuilt(node, lambda a: replace(a, last=True) if isinstance(a, Aggregate) and a.window is None else a)


def _aggregates_changed(node: Node, **edits: Any) -> Node:
    return rebuilt(node, lambda found: replace(found, **edits) if isinstance(found, Aggregate) else found)
