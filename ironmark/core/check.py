"""A formula held against the columns it may use: every name known, every type in its place."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping
from typing import Literal

from ironmark.core.formula import MOST_PERIODS
from ironmark.core.formula_nodes import (
    FUNCTIONS,
    ROW_FUNCTIONS,
    Aggregate,
    Among,
    Binary,
    Blank,
    Call,
    Column,
    ColumnType,
    Compare,
    Flag,
    FormulaError,
    Logic,
    Minus,
    Node,
    Not,
    Number,
    Reference,
    Starts,
    Text,
    aggregates,
    children,
    columns_used,
    constant,
    references,
    walk,
)
from ironmark.core.nearest import nearest


def check(node: Node, columns: Mapping[str, ColumnType]) -> None:
    """Hold a formula against its columns. Raises FormulaError where a name or a type does not fit."""
    if not aggregates(node) and not columns_used(node) and not references(node):
        raise FormulaError("a KPI needs at least one aggregate, such as count()", *node.span)
    _check_arithmetic(node, columns)


def check_row(node: Node, columns: Mapping[str, ColumnType]) -> ColumnType:
    """Hold a formula over the cells of a row against its columns: the type of what it comes to.

    Raises FormulaError where a name or a type does not fit, or it asks for more than one row.
    """
    for inner in walk(node):
        if isinstance(inner, Aggregate):
            told = f"{inner.name} runs over many rows; a column has one cell a row, {row_example(columns)}"
            raise FormulaError(told, *inner.span)
        if isinstance(inner, Reference):
            told = f"@{inner.handle} is read over many rows; a column has one cell a row, {row_example(columns)}"
            raise FormulaError(told, *inner.span)
        _check_row_call(inner)
    kind = _type(node, columns)
    return "flag" if kind == "condition" else kind


def row_example(columns: Mapping[str, ColumnType]) -> str:
    """A formula over the cells of a row as it could be written with these columns."""
    by_type = {kind: name for name, kind in reversed(list(columns.items()))}
    if number := by_type.get("number"):
        return f"as in {number} * 2"
    if day := by_type.get("date"):
        return f"as in weekday({day})"
    return f'as in if({by_type["text"]} is blank, "none", {by_type["text"]})' if "text" in by_type else "as in 1 + 1"


def _check_row_call(node: Node) -> None:
    if isinstance(node, Call) and node.name not in ROW_FUNCTIONS:
        raise FormulaError(f"{node.name} stands outside of aggregates, over their results", *node.span)


def _check_arithmetic(node: Node, columns: Mapping[str, ColumnType]) -> None:
    match node:
        case Aggregate():
            _check_aggregate(node, columns)
        case Binary() | Minus():
            for child in children(node):
                _check_arithmetic(child, columns)
        case Number() | Reference():
            pass
        case Call(name=name, args=args):
            _check_call(node, columns)
            for at, arg in enumerate(args):
                if name == "if" and at == 0:
                    _check_test(arg, columns)
                else:
                    _check_arithmetic(arg, columns)
        case Column(name=name):
            _known(node, columns)
            raise FormulaError(
                f"“{name}” has a value in every row; say how to sum it up, as in sum({name})", *node.span
            )
        case _:
            raise FormulaError("a condition belongs behind “where” inside an aggregate", *node.span)


def _check_call(node: Call, columns: Mapping[str, ColumnType]) -> None:
    if node.name not in FUNCTIONS:
        example = f"sum({node.name}(…))" if node.name == "days" else f"count(where {node.name}(…) = …)"
        raise FormulaError(f"{node.name} reads the cells of a row; it stands in an aggregate: {example}", *node.span)
    if node.name in ("prior", "rolling") and len(node.args) == 2:
        number = node.args[1]
        most, least = MOST_PERIODS, 2 if node.name == "rolling" else 1
        whole = isinstance(number, Number) and number.value == int(number.value) and least <= number.value <= most
        if not whole:
            raise FormulaError(f"{node.name} needs a whole number of periods from {least} to {most}", *number.span)
    if node.name == "round" and len(node.args) == 2:
        places = node.args[1]
        if not (isinstance(places, Number) and places.value in range(0, 11)):
            raise FormulaError("round needs a number of decimals from 0 to 10", *places.span)
    if node.name in ("rolling", "to_date", "share"):
        for inner in walk(node.args[0]):
            if isinstance(inner, Call) and inner.name in ("rolling", "to_date", "share"):
                raise FormulaError(f"{inner.name} cannot stand inside {node.name}", *inner.span)


def _check_test(node: Node, columns: Mapping[str, ColumnType]) -> None:
    """The first argument of ``if``: a comparison of figures."""
    match node:
        case Compare(left=left, right=right):
            _check_arithmetic(left, columns)
            _check_arithmetic(right, columns)
        case Logic() | Not():
            for child in children(node):
                _check_test(child, columns)
        case _:
            raise FormulaError("if needs a comparison first, such as count() > 30", *node.span)


def _check_aggregate(node: Aggregate, columns: Mapping[str, ColumnType]) -> None:
    for inner in walk(node):
        if inner is not node and isinstance(inner, Aggregate):
            raise FormulaError("an aggregate cannot stand inside another one", *inner.span)
        if isinstance(inner, Reference):
            told = f"there is no assumption @{inner.handle}, and a KPI stands outside of aggregates, over their results"
            raise FormulaError(told, *inner.span)
        _check_row_call(inner)
    if node.of is None and node.name != "count":
        raise FormulaError(f"{node.name}() needs a column, as in {node.name}(fare)", *node.span)
    if node.of is not None:
        kind = _type(node.of, columns)
        if kind == "condition":
            raise FormulaError(f"write {node.name}(where …) for a condition", *node.of.span)
        if node.name not in ("count", "distinct") and kind != "number":
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
    near = next((name for name in columns if wanted in name), None) or nearest(wanted, columns, 0.5)
    hint = f"; did you mean {near}?" if near else ""
    raise FormulaError(f"no column “{node.name}”{hint}", *node.span)


def _call_type(node: Call, columns: Mapping[str, ColumnType]) -> ColumnType:
    """The type of a function over the cells of a row."""
    kinds = [_type(arg, columns) for arg in node.args]
    if node.name == "if":
        if kinds[0] not in ("condition", "flag"):
            raise FormulaError("if needs a condition first, such as delay > 5", *node.args[0].span)
        one, other = ("flag" if kind == "condition" else kind for kind in kinds[1:])
        if one != other:
            raise FormulaError(f"this is {_A[other]}, and {_A[one]} where the condition holds", *node.args[2].span)
        return one  # type: ignore[return-value]
    wanted: ColumnType = "number" if node.name == "steps" else "date"
    for arg, kind in zip(node.args, kinds, strict=True):
        if kind != wanted:
            raise FormulaError(f"{node.name} needs {_A[wanted]}; this is {_A[kind]}", *arg.span)
    if node.name == "steps":
        limits = [constant(arg) for arg in node.args[1:]]
        for at, limit in enumerate(limits):
            before = limits[at - 1] if at else None
            if limit is None or (before is not None and limit <= before):
                told = "the limits of steps are numbers that rise, as in steps(delay, 5, 15, 60)"
                raise FormulaError(told, *node.args[at + 1].span)
    return "number" if node.name == "days" else "text"


def _type(node: Node, columns: Mapping[str, ColumnType]) -> ColumnType | Literal["condition"]:
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
        case Call():
            return _call_type(node, columns)
        case Starts():
            if (kind := _type(node.of, columns)) != "text":
                raise FormulaError(f"only a text starts with something; this is {_A[kind]}", *node.of.span)
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
