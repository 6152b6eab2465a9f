"""Formulas: text to a tree, checked against the columns it may use.

A KPI formula is arithmetic over aggregates, and each aggregate runs over rows:
``count(where delay_minutes <= 5) / count(where cancelled = no)``. The grammar is in
``formula.lark``; the tree below is our own, so that sources need not know the parser.
"""

from __future__ import annotations

from functools import lru_cache
from pathlib import Path
from typing import Any

from lark import Lark, Token, Transformer, v_args
from lark.exceptions import UnexpectedCharacters, UnexpectedEOF, UnexpectedInput, UnexpectedToken, VisitError

from ironmark.core.formula_nodes import (
    AGGREGATES,
    FUNCTIONS,
    ROW_FUNCTIONS,
    Aggregate,
    Among,
    Binary,
    Blank,
    Call,
    Column,
    Compare,
    Flag,
    FormulaError,
    Logic,
    Minus,
    Node,
    Not,
    Number,
    Reference,
    Span,
    Starts,
    Text,
    walk,
)
from ironmark.core.names import NAME
from ironmark.core.nearest import nearest

# What the same are called elsewhere, and is typed by habit.
ELSEWHERE = {
    "avg": "mean", "average": "mean", "total": "sum", "minimum": "min", "maximum": "max", "unique": "distinct",
    "number": "count", "std": "stdev", "deviation": "stdev", "middle": "median",
}  # fmt: skip
MOST_PERIODS = 240
RESERVED = frozenset(["or", "and", "not", "in", "is", "where", "blank", "filled", "yes", "no"])


_OPS = {"−": "-", "×": "*", "÷": "/"}


@v_args(meta=True)
class _Build(Transformer[Token, Node]):
    """Lark's tree to ours. Every method gets the rule's place in the text and its children."""

    def number(self, meta: Any, items: list[Any]) -> Node:
        text = str(items[0]).replace("_", "")
        value = float(text.rstrip("%")) / (100 if text.endswith("%") else 1)
        return Number(value, span=_span(meta))

    def negative(self, meta: Any, items: list[Any]) -> Node:
        positive = self.number(meta, items[1:])
        assert isinstance(positive, Number)
        return Number(-positive.value, span=_span(meta))

    def text(self, meta: Any, items: list[Any]) -> Node:
        return Text(str(items[0])[1:-1], span=_span(meta))

    def yes(self, meta: Any, _: list[Any]) -> Node:
        return Flag(True, span=_span(meta))

    def no(self, meta: Any, _: list[Any]) -> Node:
        return Flag(False, span=_span(meta))

    def name(self, meta: Any, items: list[Any]) -> Node:
        return Column(str(items[0]), span=_span(meta))

    def group(self, meta: Any, items: list[Any]) -> Node:
        return items[0]  # type: ignore[no-any-return]

    def minus(self, meta: Any, items: list[Any]) -> Node:
        return Minus(items[1], span=_span(meta))

    def binary(self, meta: Any, items: list[Any]) -> Node:
        left, op, right = items
        return Binary(_OPS.get(str(op), str(op)), left, right, span=_span(meta))

    def compare(self, meta: Any, items: list[Any]) -> Node:
        left, op, right = items
        return Compare(str(op), left, right, span=_span(meta))

    def among(self, meta: Any, items: list[Any]) -> Node:
        return Among(items[0], tuple(items[1:]), span=_span(meta))

    def blank(self, meta: Any, items: list[Any]) -> Node:
        return Blank(items[0], str(items[1]).lower() == "filled", span=_span(meta))

    def starts(self, meta: Any, items: list[Any]) -> Node:
        return Starts(items[0], str(items[-1])[1:-1], span=_span(meta))

    def either(self, meta: Any, items: list[Any]) -> Node:
        return Logic("or", tuple(items), span=_span(meta))

    def both(self, meta: Any, items: list[Any]) -> Node:
        return Logic("and", tuple(items), span=_span(meta))

    def negated(self, meta: Any, items: list[Any]) -> Node:
        return Not(items[0], span=_span(meta))

    def arguments(self, meta: Any, items: list[Any]) -> Any:
        return tuple(items)

    def reference(self, meta: Any, items: list[Any]) -> Node:
        return Reference(str(items[0]), span=_span(meta))

    def call(self, meta: Any, items: list[Any]) -> Node:
        name, given, where = items
        lowered = str(name).lower()
        args: tuple[Node, ...] = given or ()
        if lowered in FUNCTIONS or lowered in ROW_FUNCTIONS:
            return _function(lowered, args, where, _span(meta))
        if lowered not in AGGREGATES:
            known = tuple(dict.fromkeys((*AGGREGATES, *FUNCTIONS, *ROW_FUNCTIONS)))
            near = ELSEWHERE.get(lowered) or nearest(lowered, known)
            hint = f"; did you mean {near}?" if near else f"; there are {', '.join(known)}"
            raise FormulaError(f"no function “{name}”{hint}", name.start_pos, name.end_pos)
        if len(args) > 1:
            raise FormulaError("an aggregate takes one expression; put conditions behind “where”", *args[1].span)
        return Aggregate(lowered, args[0] if args else None, where, span=_span(meta))


def _function(name: str, args: tuple[Node, ...], where: Node | None, span: Span) -> Node:
    least, most, example = FUNCTIONS.get(name) or ROW_FUNCTIONS[name]
    if where is not None:
        raise FormulaError(f"“where” belongs inside an aggregate, not in {name}", *where.span)
    if not least <= len(args) <= most:
        raise FormulaError(f"{name} is written like {example}", *span)
    return Call(name, args, span=span)


def _span(meta: Any) -> Span:
    return (meta.start_pos, meta.end_pos) if not meta.empty else (0, 0)


@lru_cache(maxsize=1)
def _parser() -> Lark:
    grammar = Path(__file__).with_suffix(".lark").read_text(encoding="utf-8").replace(r"/[^\W\d]\w*/", f"/{NAME}/")
    return Lark(grammar, parser="lalr", propagate_positions=True, maybe_placeholders=True)


MAX_LENGTH = 4000
MAX_DEPTH = 60


@lru_cache(maxsize=512)
def parse(text: str) -> Node:
    """Read a formula. Raises FormulaError with the place and what to do."""
    if not text.strip():
        raise FormulaError("the formula is empty; write for example count() or sum(column)", 0, 1)
    if len(text) > MAX_LENGTH:
        raise FormulaError(f"the formula is longer than {MAX_LENGTH} characters", MAX_LENGTH, len(text))
    if _deepest(text) > MAX_DEPTH:
        raise FormulaError(f"more than {MAX_DEPTH} brackets inside one another", 0, len(text))
    try:
        return _Build().transform(_parser().parse(text))  # type: ignore[arg-type,return-value]
    except VisitError as error:
        if isinstance(error.orig_exc, FormulaError):
            raise error.orig_exc from None
        raise
    except UnexpectedInput as error:
        raise _explain(text, error) from None
    except RecursionError:
        raise FormulaError("the formula is nested too deeply; split it into KPIs", 0, len(text)) from None


def _deepest(text: str) -> int:
    depth = deepest = 0
    for sign in text:
        depth += (sign == "(") - (sign == ")")
        deepest = max(deepest, depth)
    return deepest


def _explain(text: str, error: UnexpectedInput) -> FormulaError:
    end = len(text.rstrip())
    opened = text.count("(") - text.count(")")
    if isinstance(error, UnexpectedEOF) or (isinstance(error, UnexpectedToken) and error.token.type == "$END"):
        if opened > 0:
            return FormulaError("a bracket is not closed; add )", text.rfind("("), end)
        return FormulaError("the formula stops early; something is missing here", end - 1, end)
    at = error.pos_in_stream or 0
    if isinstance(error, UnexpectedCharacters):
        if text[at] in "\"“'":
            return FormulaError('a text needs a closing double quote, as in "Upper"', at, end)
        return FormulaError(f"“{text[at]}” has no meaning here", at, at + 1)
    token = getattr(error, "token", None)
    shown = str(token) if token is not None else text[at : at + 1]
    if shown == ")" and opened < 0:
        return FormulaError("this bracket was never opened; remove it", at, at + 1)
    if shown.lower() == "where":
        return FormulaError("“where” belongs inside an aggregate, as in count(where late = yes)", at, at + 5)
    return FormulaError(f"“{shown}” was not expected here; an operator or bracket may be missing", at, at + len(shown))


def renamed(text: str, old: str, new: str) -> str:
    """A formula's text with every ``@old`` written ``@new``; the rest of it stays as it is."""
    found = [node for node in walk(parse(text)) if isinstance(node, Reference) and node.handle == old]
    for node in sorted(found, key=lambda node: -node.span[0]):
        text = f"{text[: node.span[0]]}@{new}{text[node.span[1] :]}"
    return text
