"""Workings: how one reading came to its value."""

from __future__ import annotations

import math
from collections.abc import Mapping

from ironmark.core.formula import Aggregate, Binary, Minus, Node, Number
from ironmark.core.numbers import MINUS, group

_SIGNS = {"+": "+", "-": MINUS, "*": "×", "/": "÷"}
_STRENGTH = {"+": 1, "-": 1, "*": 2, "/": 2}


def in_numbers(node: Node, parts: Mapping[Aggregate, float]) -> str:
    """The formula with every aggregate replaced by its value: ``1,862 ÷ 2,051``."""
    match node:
        case Aggregate():
            return figure(parts[node])
        case Number(value=value):
            return figure(value)
        case Minus(of=of):
            inner = in_numbers(of, parts)
            return f"{MINUS}({inner})" if isinstance(of, Binary) else f"{MINUS}{inner}"
        case Binary(op=op, left=left, right=right):
            return f"{_side(left, op, False, parts)} {_SIGNS[op]} {_side(right, op, True, parts)}"
    raise TypeError(f"{type(node).__name__} has no value of its own")


def _side(node: Node, op: str, right: bool, parts: Mapping[Aggregate, float]) -> str:
    text = in_numbers(node, parts)
    if not isinstance(node, Binary):
        return text
    weaker = _STRENGTH[node.op] < _STRENGTH[op] or (right and _STRENGTH[node.op] == _STRENGTH[op])
    return f"({text})" if weaker else text


def figure(value: float) -> str:
    """A number with thousands signs and the decimals that matter."""
    if not math.isfinite(value):
        return "nothing"
    text = group(f"{value:,.0f}") if value == round(value) and abs(value) < 1e15 else ""
    if not text:
        places = max(0, 6 - math.floor(math.log10(abs(value)) + 1)) if value else 0
        text = group(f"{value:,.{min(max(places, 2), 12)}f}".rstrip("0").rstrip("."))
    return text.replace("-", MINUS)
