"""A formula's arithmetic over arrays of aggregates."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
from numpy.typing import NDArray

from ironmark.core.formula import Aggregate, Binary, Minus, Node, Number

Floats = NDArray[np.float64]

_OPERATIONS = {"+": np.add, "-": np.subtract, "*": np.multiply, "/": np.divide}


def evaluate(node: Node, parts: Mapping[Aggregate, Floats]) -> Floats:
    """Work a formula out over the arrays of its aggregates.

    parts: every aggregate of the formula, each an array of one common shape; NaN is *no reading*.
    Returns an array of that shape. Dividing by zero and overflow give NaN, never 0 or infinity.
    """
    with np.errstate(all="ignore"):
        value = np.asarray(_work(node, parts), dtype=float)
    return np.where(np.isfinite(value), value, np.nan)


def _work(node: Node, parts: Mapping[Aggregate, Floats]) -> Floats:
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
    raise TypeError(f"{type(node).__name__} has no value of its own")
