"""A formula's tree written out again in the formula language, with no more brackets than it needs."""

from __future__ import annotations

from decimal import Decimal

from ironmark.core import formula_nodes

_OR, _AND, _NOT, _COMPARED, _SUM, _PRODUCT, _SIGNED, _ATOM = range(8)


def written(node: formula_nodes.Node) -> str:
    """The text of a formula that was parsed; parsed again it gives the same tree.

    Of an expanded formula only the aggregates can be written: where they run over other periods or members is not
    part of their text. Raises TypeError for what an expansion puts around them.
    """
    return _write(node)[0]


def _write(node: formula_nodes.Node) -> tuple[str, int]:
    """The text of a node, and how tightly it holds together."""
    match node:
        case formula_nodes.Number(value=value):
            text = format(Decimal(repr(abs(value))), "f")
            text = text.rstrip("0").rstrip(".") if "." in text else text
            return (f"-{text}", _SIGNED) if value < 0 else (text, _ATOM)
        case formula_nodes.Text(value=value):
            return f"“{value}”" if '"' in value else f'"{value}"', _ATOM
        case formula_nodes.Flag(value=value):
            return "yes" if value else "no", _ATOM
        case formula_nodes.Column(name=name):
            return name, _ATOM
        case formula_nodes.Reference(handle=handle):
            return f"@{handle}", _ATOM
        case formula_nodes.Aggregate(name=name, of=of, where=where):
            parts = [_write(of)[0]] if of is not None else []
            parts += [f"where {_write(where)[0]}"] if where is not None else []
            return f"{name}({' '.join(parts)})", _ATOM
        case formula_nodes.Call(name=name, args=args):
            return f"{name}({', '.join(_write(arg)[0] for arg in args)})", _ATOM
        case formula_nodes.Minus(of=of):
            return f"-{_held(of, _SIGNED)}", _SIGNED
        case formula_nodes.Binary(op=op, left=left, right=right):
            level = _SUM if op in "+-" else _PRODUCT
            return f"{_held(left, level)} {op} {_held(right, level + 1)}", level
        case formula_nodes.Compare(op=op, left=left, right=right):
            return f"{_held(left, _SUM)} {op} {_held(right, _SUM)}", _COMPARED
        case formula_nodes.Among(of=of, values=values):
            return f"{_held(of, _SUM)} in ({', '.join(_write(value)[0] for value in values)})", _COMPARED
        case formula_nodes.Blank(of=of, filled=filled):
            return f"{_held(of, _SUM)} is {'filled' if filled else 'blank'}", _COMPARED
        case formula_nodes.Not(of=of):
            return f"not {_held(of, _NOT)}", _NOT
        case formula_nodes.Logic(op=op, items=items):
            level = _AND if op == "and" else _OR
            return f" {op} ".join(_held(item, level + 1) for item in items), level
    raise TypeError(f"{type(node).__name__} is not written in formulas")


def _held(node: formula_nodes.Node, least: int) -> str:
    text, level = _write(node)
    return text if level >= least else f"({text})"
