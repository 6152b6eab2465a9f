"""Formulas: text to a tree, checked against the columns it may use.

A KPI formula is arithmetic over aggregates, and each aggregate runs over rows:
``count(where delay_minutes <= 5) / count(where cancelled = no)``. The grammar is in
``formula.lark``; the tree below is our own, so that sources need not know the parser.
"""

from __future__ import annotations

import datetime as dt
import difflib
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from functools import lru_cache
from pathlib import Path
from typing import Any, Literal

from lark import Lark, Token, Transformer, v_args
from lark.exceptions import UnexpectedCharacters, UnexpectedEOF, UnexpectedInput, UnexpectedToken, VisitError

AGGREGATES = ("sum", "mean", "count", "min", "max")
RESERVED = frozenset(["or", "and", "not", "in", "is", "where", "blank", "filled", "yes", "no"])
ColumnType = Literal["number", "text", "date", "flag"]
Span = tuple[int, int]


class FormulaError(ValueError):
    """A formula that cannot be read or does not fit its dataset; ``start``/``end`` point into the text."""

    def __init__(self, message: str, start: int, end: int) -> None:
        super().__init__(message)
        self.message, self.start, self.end = message, start, max(end, start + 1)


@dataclass(frozen=True)
class Node:
    span: Span = field(compare=False, repr=False, kw_only=True, default=(0, 0))


@dataclass(frozen=True)
class Number(Node):
    value: float


@dataclass(frozen=True)
class Text(Node):
    value: str


@dataclass(frozen=True)
class Flag(Node):
    value: bool


@dataclass(frozen=True)
class Column(Node):
    name: str


@dataclass(frozen=True)
class Minus(Node):
    of: Node


@dataclass(frozen=True)
class Binary(Node):
    op: str
    left: Node
    right: Node


@dataclass(frozen=True)
class Compare(Node):
    op: str
    left: Node
    right: Node


@dataclass(frozen=True)
class Among(Node):
    of: Node
    values: tuple[Node, ...]


@dataclass(frozen=True)
class Blank(Node):
    of: Node
    filled: bool


@dataclass(frozen=True)
class Logic(Node):
    op: Literal["and", "or"]
    items: tuple[Node, ...]


@dataclass(frozen=True)
class Not(Node):
    of: Node


@dataclass(frozen=True)
class Aggregate(Node):
    """``name`` over the rows where ``where`` holds, of the row expression ``of`` (None: of the rows)."""

    name: str
    of: Node | None
    where: Node | None


def children(node: Node) -> Iterator[Node]:
    for value in vars(node).values():
        if isinstance(value, Node):
            yield value
        elif isinstance(value, tuple):
            yield from (item for item in value if isinstance(item, Node))


def walk(node: Node) -> Iterator[Node]:
    yield node
    for child in children(node):
        yield from walk(child)


def aggregates(node: Node) -> tuple[Aggregate, ...]:
    """The distinct aggregates of a formula, in the order they are written."""
    return tuple(dict.fromkeys(found for found in walk(node) if isinstance(found, Aggregate)))


def nature_of(node: Node) -> Literal["flow", "rate"]:
    """What a formula most likely is: sums and counts add up over time, all else is recomputed from totals.

    Multiplied or divided by a constant a flow stays one; a mean, a smallest or largest value, and anything
    divided by another aggregate is a rate.
    """
    match node:
        case Aggregate(name=name):
            return "flow" if name in ("sum", "count") else "rate"
        case Binary(op="/", left=left, right=right):
            return "rate" if aggregates(right) else nature_of(left)
        case Binary(op="*", left=left, right=right):
            return "rate" if aggregates(left) and aggregates(right) else nature_of(left if aggregates(left) else right)
        case Minus() | Binary():
            return (
                "rate" if any(nature_of(child) == "rate" for child in children(node) if aggregates(child)) else "flow"
            )
    return "flow"


def columns_used(node: Node) -> tuple[str, ...]:
    return tuple(dict.fromkeys(found.name for found in walk(node) if isinstance(found, Column)))


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

    def either(self, meta: Any, items: list[Any]) -> Node:
        return Logic("or", tuple(items), span=_span(meta))

    def both(self, meta: Any, items: list[Any]) -> Node:
        return Logic("and", tuple(items), span=_span(meta))

    def negated(self, meta: Any, items: list[Any]) -> Node:
        return Not(items[0], span=_span(meta))

    def call(self, meta: Any, items: list[Any]) -> Node:
        name, of, where = items
        lowered = str(name).lower()
        if lowered not in AGGREGATES:
            near = difflib.get_close_matches(lowered, AGGREGATES, 1)
            hint = f"; did you mean {near[0]}?" if near else f"; there are {', '.join(AGGREGATES)}"
            raise FormulaError(f"no function “{name}”{hint}", name.start_pos, name.end_pos)
        return Aggregate(lowered, of, where, span=_span(meta))


def _span(meta: Any) -> Span:
    return (meta.start_pos, meta.end_pos) if not meta.empty else (0, 0)


@lru_cache(maxsize=1)
def _parser() -> Lark:
    grammar = Path(__file__).with_suffix(".lark").read_text(encoding="utf-8")
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
    if shown == ",":
        return FormulaError("an aggregate takes one expression; put conditions behind “where”", at, at + 1)
    return FormulaError(f"“{shown}” was not expected here; an operator or bracket may be missing", at, at + len(shown))


def check(node: Node, columns: Mapping[str, ColumnType]) -> None:
    """Hold a formula against its columns. Raises FormulaError where a name or a type does not fit."""
    if not aggregates(node) and not columns_used(node):
        raise FormulaError("a KPI needs at least one aggregate, such as count()", *node.span)
    _check_arithmetic(node, columns)


def _check_arithmetic(node: Node, columns: Mapping[str, ColumnType]) -> None:
    match node:
        case Aggregate():
            _check_aggregate(node, columns)
        case Binary() | Minus():
            for child in children(node):
                _check_arithmetic(child, columns)
        case Number():
            pass
        case Column(name=name):
            _known(node, columns)
            raise FormulaError(
                f"“{name}” has a value in every row; say how to sum it up, as in sum({name})", *node.span
            )
        case _:
            raise FormulaError("a condition belongs behind “where” inside an aggregate", *node.span)


def _check_aggregate(node: Aggregate, columns: Mapping[str, ColumnType]) -> None:
    for inner in walk(node):
        if inner is not node and isinstance(inner, Aggregate):
            raise FormulaError("an aggregate cannot stand inside another one", *inner.span)
    if node.of is None and node.name != "count":
        raise FormulaError(f"{node.name}() needs a column, as in {node.name}(fare)", *node.span)
    if node.of is not None:
        kind = _type(node.of, columns)
        if kind == "condition":
            raise FormulaError(f"write {node.name}(where …) for a condition", *node.of.span)
        if node.name != "count" and kind != "number":
            name = node.of.name if isinstance(node.of, Column) else "this"
            raise FormulaError(f"“{name}” is {_A[kind]}; {node.name} needs numbers", *node.of.span)
    if node.where is not None and _type(node.where, columns) not in ("condition", "flag"):
        raise FormulaError("“where” needs a condition, such as delay > 5", *node.where.span)


_A = {
    "text": "a text",
    "date": "a date",
    "flag": "a yes/no flag",
    "number": "a number",
    "condition": "a condition",
}


def _known(node: Column, columns: Mapping[str, ColumnType]) -> ColumnType:
    if node.name in columns:
        return columns[node.name]
    wanted = node.name.lower()
    near = [name for name in columns if wanted in name] or difflib.get_close_matches(wanted, list(columns), 1, 0.5)
    hint = f"; did you mean {near[0]}?" if near else ""
    raise FormulaError(f"no column “{node.name}”{hint}", *node.span)


def _type(node: Node, columns: Mapping[str, ColumnType]) -> str:
    """The type of a row expression: a column type or ``condition``."""
    match node:
        case Number():
            return "number"
        case Text():
            return "text"
        case Flag():
            return "flag"
        case Column():
            return _known(node, columns)
        case Minus() | Binary():
            for child in children(node):
                if (kind := _type(child, columns)) != "number":
                    raise FormulaError(f"arithmetic needs numbers; this is {_A[kind]}", *child.span)
            return "number"
        case Compare():
            _alike(node.left, node.right, columns)
            if node.op not in ("=", "!=") and _type(node.left, columns) == "flag":
                raise FormulaError("a flag is compared with = yes or = no", *node.span)
        case Among():
            for value in node.values:
                _alike(node.of, value, columns)
        case Blank():
            if _type(node.of, columns) == "condition":
                raise FormulaError("only a value can be blank or filled", *node.of.span)
        case Logic() | Not():
            for child in children(node):
                if _type(child, columns) not in ("condition", "flag"):
                    raise FormulaError("this is no condition; compare it with something", *child.span)
        case _:
            raise FormulaError("this cannot stand inside an aggregate", *node.span)
    return "condition"


def _alike(left: Node, right: Node, columns: Mapping[str, ColumnType]) -> None:
    one, other = _type(left, columns), _type(right, columns)
    if "condition" in (one, other):
        raise FormulaError("compare values, then join conditions with and/or", *right.span)
    if {one, other} == {"date", "text"}:
        text = left if one == "text" else right
        if not isinstance(text, Text) or not _is_iso_day(text.value):
            raise FormulaError('write a date as "2026-10-31"', *text.span)
    elif one != other:
        raise FormulaError(f"{_A[one]} is compared with {_A[other]}{_advice(one, other)}", *right.span)


def _advice(one: str, other: str) -> str:
    if "flag" in (one, other):
        return "; a flag is compared with yes or no"
    if {one, other} == {"text", "number"}:
        return '; put texts in double quotes, as in "Upper", and numbers in none'
    return ""


def _is_iso_day(text: str) -> bool:
    try:
        dt.date.fromisoformat(text)
    except ValueError:
        return False
    return True
