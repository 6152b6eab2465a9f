"""Workings: how one reading came to its value."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator

from ironmark.core.formula import Aggregate, Binary, Call, Compare, Logic, Minus, Node, Not, Number, Shift, children
from ironmark.core.numbers import MINUS, group
from ironmark.core.written import written

_SIGNS = {"+": "+", "-": MINUS, "*": "×", "/": "÷"}
_STRENGTH = {"+": 1, "-": 1, "*": 2, "/": 2}


ValueOf = Callable[[Aggregate, int], float]


def in_numbers(node: Node, parts: ValueOf, back: int = 0) -> str:
    """The formula with every aggregate replaced by its value: ``1,862 ÷ 2,051``.

    parts: the value of an aggregate as it was so many periods back; back: how many that are for ``node``.
    """
    match node:
        case Aggregate():
            return figure(parts(node, back))
        case Number(value=value):
            return figure(value)
        case Minus(of=of):
            inner = in_numbers(of, parts, back)
            return f"{MINUS}({inner})" if isinstance(of, Binary) else f"{MINUS}{inner}"
        case Binary(op=op, left=left, right=right):
            return f"{_side(left, op, False, parts, back)} {_SIGNS[op]} {_side(right, op, True, parts, back)}"
        case Shift(of=of, periods=periods):
            return in_numbers(of, parts, back + periods)
        case Call(name=name, args=args):
            return f"{name}({', '.join(in_numbers(arg, parts, back) for arg in args)})"
        case Compare(op=op, left=left, right=right):
            return f"{in_numbers(left, parts, back)} {op} {in_numbers(right, parts, back)}"
        case Not(of=of):
            return f"not {in_numbers(of, parts, back)}"
        case Logic(op=op, items=items):
            return f" {op} ".join(in_numbers(item, parts, back) for item in items)
    raise TypeError(f"{type(node).__name__} has no value of its own")


def uses(node: Node, back: int = 0) -> Iterator[tuple[Aggregate, int]]:
    """Every aggregate of a formula with how many periods back it is read, in the order written."""
    if isinstance(node, Aggregate):
        yield node, back
        return
    for child in children(node):
        yield from uses(child, back + (node.periods if isinstance(node, Shift) else 0))


def describe(a: Aggregate) -> str:
    """An aggregate as formulas write it, with the periods and members it runs over."""
    over = []
    if a.window is not None:
        over.append("the year so far" if a.window.periods is None else f"the last {a.window.periods} periods")
    if a.whole:
        over.append("all members")
    return (
        written(a)
        + (f", over {' and '.join(over)}" if over else "")
        + (", on the last day with rows" if a.last else "")
    )


def _side(node: Node, op: str, right: bool, parts: ValueOf, back: int) -> str:
    text = in_numbers(node, parts, back)
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
