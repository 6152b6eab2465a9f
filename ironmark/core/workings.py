"""Workings: how one reading came to its value."""

from __future__ import annotations

import math
from collections.abc import Callable

from ironmark.core.formula_nodes import (
    Aggregate,
    Binary,
    Call,
    Column,
    Compare,
    Logic,
    Minus,
    Node,
    Not,
    Number,
    columns_used,
)
from ironmark.core.numbers import MINUS, NumberStyle, group
from ironmark.core.written import written

_SIGNS = {"+": "+", "-": MINUS, "*": "×", "/": "÷"}
_STRENGTH = {"+": 1, "-": 1, "*": 2, "/": 2}


ValueOf = Callable[[Aggregate], float]


def in_numbers(node: Node, parts: ValueOf, style: NumberStyle) -> str:
    """The formula with every aggregate replaced by its value: ``1,862 ÷ 2,051``. parts: the value of an aggregate."""
    match node:
        case Aggregate():
            return figure(parts(node), style)
        case Number(value=value):
            return figure(value, style)
        case Minus(of=of):
            inner = in_numbers(of, parts, style)
            return f"{MINUS}({inner})" if isinstance(of, Binary) else f"{MINUS}{inner}"
        case Binary(op=op, left=left, right=right):
            return f"{_side(left, op, False, parts, style)} {_SIGNS[op]} {_side(right, op, True, parts, style)}"
        case Call(name=name, args=args):
            return f"{name}({', '.join(in_numbers(arg, parts, style) for arg in args)})"
        case Compare(op=op, left=left, right=right):
            return f"{in_numbers(left, parts, style)} {op} {in_numbers(right, parts, style)}"
        case Not(of=of):
            return f"not {in_numbers(of, parts, style)}"
        case Logic(op=op, items=items):
            return f" {op} ".join(in_numbers(item, parts, style) for item in items)
    raise TypeError(f"{type(node).__name__} has no value of its own")


def describe(a: Aggregate) -> str:
    """An aggregate as formulas write it, with the periods and members it runs over."""
    over = []
    if a.window is not None:
        over.append("the year so far" if a.window.periods is None else f"the last {a.window.periods} periods")
    if a.whole:
        over.append("all members")
    text = written(a) + (f", over {' and '.join(over)}" if over else "")
    if a.last:
        text += ", in the last rows of each"
    if a.years:
        text += ", a year before" if a.years == 1 else f", {a.years} years before"
    if a.back:
        text += ", a period before" if a.back == 1 else f", {a.back} periods before"
    return text


def blank_words(a: Aggregate) -> str:
    """That what an aggregate adds up is blank, in words: ``seats is blank``."""
    assert a.of is not None
    columns = columns_used(a.of)
    return f"{columns[0]} is blank" if isinstance(a.of, Column) else f"{written(a.of)} has no figure"


def why_blank(a: Aggregate) -> str:
    """Why an aggregate over rows that are there has no figure: ``no row where delay > 60 has a figure for seats``."""
    if a.of is None:
        return "there is nothing to count"
    which = f"where {written(a.where)}" if a.where is not None else "that is read"
    return f"no row {which} has a figure for {written(a.of)}"


def _side(node: Node, op: str, right: bool, parts: ValueOf, style: NumberStyle) -> str:
    text = in_numbers(node, parts, style)
    if not isinstance(node, Binary):
        return text
    weaker = _STRENGTH[node.op] < _STRENGTH[op] or (right and _STRENGTH[node.op] == _STRENGTH[op])
    return f"({text})" if weaker else text


def figure(value: float, style: NumberStyle) -> str:
    """A number with thousands signs and the decimals that matter."""
    if not math.isfinite(value):
        return "nothing"
    text = group(f"{value:,.0f}", style) if value == round(value) and abs(value) < 1e15 else ""
    if not text:
        places = max(0, 6 - math.floor(math.log10(abs(value)) + 1)) if value else 0
        text = group(f"{value:,.{min(max(places, 2), 12)}f}".rstrip("0").rstrip("."), style)
    return text.replace("-", MINUS)
