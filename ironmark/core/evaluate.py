"""A formula's arithmetic over arrays of aggregates."""

from __future__ import annotations

from collections.abc import Mapping
from functools import reduce
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ironmark.core.formula_nodes import Aggregate, Binary, Call, Compare, Logic, Minus, Node, Not, Number
from ironmark.core.numbers import round_half_up

Floats = NDArray[np.float64]
Parts = Mapping[Any, Floats]  # by aggregate, and by what is usual for something

_OPERATIONS = {"+": np.add, "-": np.subtract, "*": np.multiply, "/": np.divide}


def evaluate(node: Node, parts: Parts) -> Floats:
    """Work a formula out over the arrays of its aggregates.

    parts: every aggregate of the formula, and what is usual of something in it, each an array of one common shape; NaN is *no reading*.
    Returns an array of that shape. Dividing by zero and overflow give NaN, never 0 or infinity.
    """
    with np.errstate(all="ignore"):
        value = np.asarray(_work(node, parts), dtype=float)
    return np.where(np.isfinite(value), value, np.nan)


def _work(node: Node, parts: Parts) -> Floats:
    match node:
        case Aggregate():
            return parts[node]
        case Number(value=value):
            return np.asarray(value)
        case Minus(of=of):
            return np.negative(_work(of, parts))
        case Binary(op=op, left=left, right=right):
            one, other = _work(left, parts), _work(right, parts)
            if op == "/":
                other = np.where(other == 0, np.nan, other)
            return np.asarray(_OPERATIONS[op](one, other))
        case Call() if node in parts:
            return parts[node]
        case Call(name="if", args=(test, then, otherwise)):
            holds = _test(test, parts)
            chosen = np.where(holds == 1, _work(then, parts), _work(otherwise, parts))
            return np.where(np.isnan(holds), np.nan, chosen)
        case Call(name="round", args=(of, *rest)):
            places = rest[0].value if rest and isinstance(rest[0], Number) else 0
            return _rounded(_work(of, parts), int(places))
        case Call(name="abs", args=(of,)):
            return np.abs(_work(of, parts))
        case Call(name="least" | "greatest" as name, args=args):
            pick = np.minimum if name == "least" else np.maximum
            return np.asarray(reduce(pick, [_work(arg, parts) for arg in args]))
    raise TypeError(f"{type(node).__name__} has no value of its own")


def _rounded(values: Floats, places: int) -> Floats:
    found = [round_half_up(value, places) if value == value else value for value in values.ravel().tolist()]
    return np.array(found).reshape(values.shape)


_COMPARISONS = {
    "=": np.equal, "!=": np.not_equal, "<": np.less, "<=": np.less_equal, ">": np.greater, ">=": np.greater_equal,
}  # fmt: skip


def _test(node: Node, parts: Parts) -> Floats:
    """Whether a comparison holds: 1, 0, or NaN where a side of it is no reading."""
    match node:
        case Compare(op=op, left=left, right=right):
            one, other = _work(left, parts), _work(right, parts)
            return np.where(np.isnan(one) | np.isnan(other), np.nan, _COMPARISONS[op](one, other))
        case Not(of=of):
            return 1 - _test(of, parts)
        case Logic(op=op, items=items):
            pick = np.minimum if op == "and" else np.maximum
            return np.asarray(reduce(pick, [_test(item, parts) for item in items]))
    raise TypeError(f"{type(node).__name__} is no test")
