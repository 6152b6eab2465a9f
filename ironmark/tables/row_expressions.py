"""Formulas over the cells of a row, as Polars has them."""

from __future__ import annotations

import datetime as dt

import polars as pl

from ironmark.core import formula_nodes

Dates = frozenset[str]  # the names of the columns of dates
ADDED = ("matching", "filled", "sum", "stdev")


def part_expression(
    name: str, of: formula_nodes.Node | None, where: formula_nodes.Node | None, dates: Dates
) -> pl.Expr:
    """A part as Polars has it; of those that are ``ADDED``, what is added for each row."""
    holds = expression(where, dates).fill_null(False) if where is not None else pl.lit(True)
    if where is not None and not formula_nodes.columns_used(where):
        holds = pl.when(pl.col("cell") >= 0).then(holds)
    if name == "matching":
        return holds
    assert of is not None
    value = expression(of, dates)
    if not formula_nodes.columns_used(of):  # a constant counts once a row, not once
        value = pl.when(pl.col("cell") >= 0).then(value)
    if name == "filled":
        return value.is_not_null() & holds
    if name == "distinct":
        return value.filter(holds).drop_nulls().n_unique()
    value = pl.when(holds).then(value.cast(pl.Float64))
    # Dividing by zero within a row is blank, as in the arithmetic over totals.
    value = pl.when(value.is_finite()).then(value)
    return value if name in ADDED else {"min": value.min, "max": value.max, "median": value.median}[name]()


def expression(node: formula_nodes.Node, dates: Dates) -> pl.Expr:
    """A row expression or condition as Polars has it; a comparison with a blank is blank, so not true."""
    match node:
        case formula_nodes.Number(value=value) | formula_nodes.Text(value=value) | formula_nodes.Flag(value=value):
            return pl.lit(value)
        case formula_nodes.Column(name=name):
            return pl.col(name)
        case formula_nodes.Minus(of=of):
            return -expression(of, dates)
        case formula_nodes.Binary(op=op, left=left, right=right):
            one, other = expression(left, dates), expression(right, dates)
            if op == "/":
                other = pl.when(other != 0).then(other)
            return {"+": one + other, "-": one - other, "*": one * other, "/": one / other}[op]
        case formula_nodes.Compare(op=op, left=left, right=right):
            one, other = _comparable(left, right, dates), _comparable(right, left, dates)
            return {
                "=": one == other, "!=": one != other, "<": one < other,
                "<=": one <= other, ">": one > other, ">=": one >= other,
            }[op]  # fmt: skip
        case formula_nodes.Among(of=of, values=values):
            tests = [expression(of, dates) == _comparable(value, of, dates) for value in values]
            return pl.any_horizontal(tests)
        case formula_nodes.Starts(of=of, start=start):
            return expression(of, dates).str.starts_with(start)
        case formula_nodes.Call():
            return _called(node, dates)
        case formula_nodes.Blank(of=of, filled=filled):
            return expression(of, dates).is_not_null() if filled else expression(of, dates).is_null()
        case formula_nodes.Logic(op=op, items=items):
            parts = [expression(item, dates) for item in items]
            return pl.all_horizontal(parts) if op == "and" else pl.any_horizontal(parts)
        case formula_nodes.Not(of=of):
            return ~expression(of, dates)
    raise TypeError(f"{type(node).__name__} has no value in a row")


def _called(node: formula_nodes.Call, dates: Dates) -> pl.Expr:
    """A function over the cells of a row; of a blank, and of a condition that is neither true nor not, it is blank."""
    args = [expression(arg, dates) for arg in node.args]
    if node.name == "if":
        return pl.when(args[0]).then(args[1]).when(~args[0]).then(args[2])
    if node.name == "days":
        return (args[1] - args[0]).dt.total_days().cast(pl.Float64)
    if node.name == "steps":
        limits, names = formula_nodes.steps_of(node)
        place = pl.sum_horizontal([(args[0] >= limit).cast(pl.Int64) for limit in limits])
        named = place.replace_strict(dict(enumerate(names)), return_dtype=pl.String)
        return pl.when(args[0].is_not_null()).then(named)
    names = formula_nodes.WEEKDAYS if node.name == "weekday" else formula_nodes.MONTHS
    place = args[0].dt.weekday() if node.name == "weekday" else args[0].dt.month()
    return place.cast(pl.Int64).replace_strict(dict(enumerate(names, 1)), return_dtype=pl.String)


def _comparable(node: formula_nodes.Node, beside: formula_nodes.Node, dates: Dates) -> pl.Expr:
    """A text beside a column of dates is a date; the formula was checked for that."""
    if isinstance(node, formula_nodes.Text) and isinstance(beside, formula_nodes.Column) and beside.name in dates:
        return pl.lit(dt.date.fromisoformat(node.value))
    return expression(node, dates)
