"""A formula in words: what it reads as, and what a reader should be warned of."""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping

from ironmark.core import formula_nodes
from ironmark.core.nearest import did_you_mean
from ironmark.core.numbers import NumberStyle
from ironmark.core.workings import figure

_NAMES = {
    "mean": "the mean of",
    "min": "the smallest",
    "max": "the largest",
    "median": "the median of",
    "stdev": "the standard deviation of",
}
_OPS = {"+": "plus", "-": "minus", "*": "times", "/": "divided by"}
_COMPARED = {
    "=": "is", "!=": "is not", "<": "is under", "<=": "is at most", ">": "is over", ">=": "is at least",
}  # fmt: skip


def reads_as(node: formula_nodes.Node, style: NumberStyle, label: Callable[[str], str] = str) -> str:
    """A formula as one sentence. label: from a column's name to how it is called."""
    sentence = _Speaker(label, style).figure(node)
    ratio = isinstance(node, formula_nodes.Binary) and node.op == "/" and formula_nodes.aggregates(node.right)
    more = ". A ratio of totals, so larger members weigh more" if ratio else ""
    return sentence[:1].upper() + sentence[1:] + more + "."


class _Speaker:
    def __init__(self, label: Callable[[str], str], style: NumberStyle) -> None:
        self.label, self.style = label, style

    def figure(self, node: formula_nodes.Node) -> str:
        match node:
            case formula_nodes.Aggregate():
                return self.aggregate(node)
            case formula_nodes.Number(value=value):
                return figure(value, self.style)
            case formula_nodes.Minus(of=of):
                return f"minus {self.figure(of)}"
            case formula_nodes.Binary(op=op, left=left, right=right):
                return f"{self.side(left, op)}, {_OPS[op]} {self.side(right, op)}"
            case formula_nodes.Reference(handle=handle):
                return f"@{handle}"
            case formula_nodes.Compare(op=op, left=left, right=right):
                return f"{self.figure(left)} {_COMPARED[op]} {self.figure(right)}"
            case formula_nodes.Logic(op=op, items=items):
                return f" {op} ".join(self.figure(item) for item in items)
            case formula_nodes.Not(of=of):
                return f"not {self.figure(of)}"
            case formula_nodes.Call():
                return self.call(node)
        return "something"

    def side(self, node: formula_nodes.Node, op: str) -> str:
        inner = self.figure(node)
        grouped = isinstance(node, formula_nodes.Binary) and (op in "*/" or node.op in "*/")
        return f"({inner})" if grouped else inner

    def call(self, node: formula_nodes.Call) -> str:
        said = [self.figure(arg) for arg in node.args]
        match node.name:
            case "prior":
                back = said[1] if len(said) > 1 else "1"
                return f"{said[0]}, {back} {'period' if back == '1' else 'periods'} before"
            case "year_ago":
                return f"{said[0]}, a year before"
            case "usual_low" | "usual_middle" | "usual_high" as name:
                end = {"usual_low": "the low end", "usual_middle": "the middle", "usual_high": "the high end"}[name]
                return f"{end} of what is usual for {said[0]}"
            case "to_date":
                return f"{said[0]}, over the year so far"
            case "rolling":
                return f"{said[0]}, over the last {said[1]} periods"
            case "share":
                return f"{said[0]}, as a share of that of all members"
            case "if":
                return f"if {said[0]}: {said[1]}; otherwise {said[2]}"
            case "abs":
                return f"the size of {said[0]}"
            case "round":
                return f"{said[0]}, rounded" + (f" to {said[1]} decimals" if len(said) > 1 else "")
        return f"the {node.name} of {', '.join(said[:-1])} and {said[-1]}"

    def aggregate(self, node: formula_nodes.Aggregate) -> str:
        where = f" where {self.condition(node.where)}" if node.where is not None else ""
        if node.name == "count" and node.of is None:
            return f"the number of rows{where}"
        of = self.value(node.of) if node.of is not None else "rows"
        if node.name == "count":
            return f"the number of rows with {of}{where}"
        if node.name == "distinct":
            return f"the number of different {of}{where}"
        if node.name == "sum":
            return f"total {of}{where}"
        return f"{_NAMES[node.name]} {of}{where}"

    def value(self, node: formula_nodes.Node) -> str:
        match node:
            case formula_nodes.Column(name=name):
                return self.label(name)
            case formula_nodes.Number(value=value):
                return figure(value, self.style)
            case formula_nodes.Text(value=value):
                return f"“{value}”"
            case formula_nodes.Flag(value=value):
                return "yes" if value else "no"
            case formula_nodes.Minus(of=of):
                return f"minus {self.value(of)}"
            case formula_nodes.Binary(op=op, left=left, right=right):
                return f"({self.value(left)} {_OPS[op]} {self.value(right)})"
            case formula_nodes.Call(name="if", args=(test, then, other)):
                return f"({self.value(then)} if {self.condition(test)}, else {self.value(other)})"
            case formula_nodes.Call(name="days", args=(start, end)):
                return f"the days from {self.value(start)} to {self.value(end)}"
            case formula_nodes.Call(name="steps", args=(of, *_)):
                return f"the range of {self.value(of)}"
            case formula_nodes.Call(name=name, args=(of, *_)):
                return f"the {name} of {self.value(of)}"
        return self.condition(node)

    def condition(self, node: formula_nodes.Node) -> str:
        match node:
            case formula_nodes.Compare(op=op, left=left, right=formula_nodes.Flag(value=value)) if op in ("=", "!="):
                return f"{self.value(left)} is {'yes' if value == (op == '=') else 'no'}"
            case formula_nodes.Compare(op=op, left=left, right=right):
                return f"{self.value(left)} {_COMPARED[op]} {self.value(right)}"
            case formula_nodes.Among(of=of, values=values):
                return f"{self.value(of)} is one of {', '.join(self.value(value) for value in values)}"
            case formula_nodes.Blank(of=of, filled=filled):
                return f"{self.value(of)} is {'filled' if filled else 'blank'}"
            case formula_nodes.Starts(of=of, start=start):
                return f"{self.value(of)} starts with “{start}”"
            case formula_nodes.Logic(op=op, items=items):
                return f" {op} ".join(self.condition(item) for item in items)
            case formula_nodes.Not(of=of):
                return f"not ({self.condition(of)})"
            case formula_nodes.Column(name=name):
                return f"{self.label(name)} is yes"
        return self.value(node)


def warnings(
    node: formula_nodes.Node,
    nature: str,
    unit: str,
    members: Mapping[str, frozenset[str]] | None = None,
    percents: Collection[str] = (),
    natures: Mapping[str, formula_nodes.FormulaNature] | None = None,
) -> list[tuple[str, int, int]]:
    """What a formula may get wrong although it can be read: (message, start, end) into its text.

    nature and unit: as the KPI declares them. members: the distinct texts of columns, where they are known.
    percents: the handles of the KPIs that are percents; natures: of other KPIs by their handles.
    """
    found: list[tuple[str, int, int]] = []
    for inner in formula_nodes.walk(node):
        if isinstance(inner, formula_nodes.Aggregate) and inner.name in ("mean", "median") and _ratio(inner.of):
            found.append(
                (
                    f"A {inner.name} of ratios weighs every row alike, however large it is. For a ratio of totals "
                    "divide one sum by the other.",
                    *inner.span,
                )
            )
        if isinstance(inner, formula_nodes.Binary) and inner.op in "*/" and _both_percents(inner, percents):
            told = "relative to" if inner.op == "/" else "of"
            found.append(
                (
                    f"This is a percent {told} a percent. Divide the totals behind them by one another to say what of what.",
                    *inner.span,
                )
            )
        if isinstance(inner, formula_nodes.Binary) and inner.op == "/" and _comes_to(inner.right) == 0:
            found.append(("This divides by zero, so it never comes to a figure.", *inner.right.span))
        if (
            isinstance(inner, formula_nodes.Call)
            and inner.name == "share"
            and formula_nodes.nature_of(inner.args[0], natures) == "rate"
        ):
            found.append(
                (
                    "Rates of members do not add up to the rate of all, so their shares do not add up to 100%.",
                    *inner.span,
                )
            )
        if isinstance(inner, formula_nodes.Among) or (
            isinstance(inner, formula_nodes.Compare) and inner.op in ("=", "!=")
        ):
            found += _strangers(inner, members or {})
    return found + _declared_otherwise(node, nature, unit, natures)


def _declared_otherwise(
    node: formula_nodes.Node, nature: str, unit: str, natures: Mapping[str, formula_nodes.FormulaNature] | None
) -> list[tuple[str, int, int]]:
    """What a KPI is declared to be that its formula does not look like."""
    found: list[tuple[str, int, int]] = []
    likely = formula_nodes.nature_of(node, natures)
    if nature == "flow" and likely == "rate":
        found.append(("Declared a flow, but a mean or a ratio does not add up over time: a rate.", *node.span))
    if nature == "flow" and likely == "stock":
        told = "Declared a flow, but a running total is a level: over a span the last one counts. Make it a stock."
        found.append((told, *node.span))
    if nature == "rate" and likely == "flow" and not _called(node):
        found.append(("Declared a rate, but sums and counts add up over time: a flow.", *node.span))
    if (
        unit == "percent"
        and isinstance(node, formula_nodes.Binary)
        and node.op == "*"
        and _hundred(node.left, node.right)
    ):
        found.append(("A percent is kept as a fraction: without “* 100” it is shown right.", *node.span))
    return found


def _comes_to(node: formula_nodes.Node) -> float | None:
    """What a formula of numbers alone comes to; None for all else."""
    match node:
        case formula_nodes.Number(value=value):
            return value
        case formula_nodes.Minus(of=inner):
            found = _comes_to(inner)
            return None if found is None else -found
        case formula_nodes.Binary(op=op, left=left, right=right):
            one, other = _comes_to(left), _comes_to(right)
            if one is None or other is None or (op == "/" and other == 0):
                return None
            return {"+": one + other, "-": one - other, "*": one * other, "/": one / (other or 1)}.get(op)
    return None


def _ratio(node: formula_nodes.Node | None) -> bool:
    return isinstance(node, formula_nodes.Binary) and node.op == "/" and bool(formula_nodes.columns_used(node.right))


def _both_percents(node: formula_nodes.Binary, percents: Collection[str]) -> bool:
    sides = (node.left, node.right)
    return all(isinstance(side, formula_nodes.Reference) and side.handle in percents for side in sides)


def _called(node: formula_nodes.Node) -> bool:
    return any(isinstance(inner, formula_nodes.Call | formula_nodes.Reference) for inner in formula_nodes.walk(node))


def _hundred(*sides: formula_nodes.Node) -> bool:
    return any(isinstance(side, formula_nodes.Number) and side.value == 100 for side in sides)


def _strangers(
    node: formula_nodes.Compare | formula_nodes.Among, members: Mapping[str, frozenset[str]]
) -> list[tuple[str, int, int]]:
    """Texts that a column never holds: a condition with them matches no row."""
    column, texts = (node.left, (node.right,)) if isinstance(node, formula_nodes.Compare) else (node.of, node.values)
    if not isinstance(column, formula_nodes.Column) or column.name not in members:
        return []
    every = "every filled row" if isinstance(node, formula_nodes.Compare) and node.op == "!=" else "none"
    return [
        (
            f"No row has “{text.value}” in {column.name}, so this matches {every}"
            f"{did_you_mean(text.value, sorted(members[column.name])) or '.'}",
            *text.span,
        )
        for text in texts
        if isinstance(text, formula_nodes.Text) and text.value not in members[column.name]
    ]
