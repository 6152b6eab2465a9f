"""What a formula is made of, once it is read: its nodes, and what can be said of them without any rows."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field, replace
from functools import lru_cache
from itertools import pairwise
from typing import Any, Literal

WEEKDAYS = ("Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday")
MONTHS = (
    "January", "February", "March", "April", "May", "June", "July", "August", "September", "October", "November",
    "December",
)  # fmt: skip
AGGREGATES = ("sum", "mean", "count", "min", "max", "distinct", "median", "stdev")
UNADDED = ("distinct", "median", "stdev")  # what parts of the rows give cannot be put together
# Functions over aggregates: how many arguments they take, and an example.
FUNCTIONS: dict[str, tuple[int, int, str]] = {
    "abs": (1, 1, "abs(sum(gap))"),
    "round": (1, 2, "round(mean(score), 1)"),
    "least": (2, 20, "least(sum(a), sum(b))"),
    "greatest": (2, 20, "greatest(sum(a), 0)"),
    "if": (3, 3, "if(count() > 30, mean(score), 0)"),
    "prior": (1, 2, "prior(sum(fare), 1)"),
    "year_ago": (1, 1, "year_ago(sum(fare))"),
    "to_date": (1, 1, "to_date(sum(fare))"),
    "rolling": (2, 2, "rolling(sum(fare), 12)"),
    "share": (1, 1, "share(sum(fare))"),
    "usual_low": (1, 1, "usual_low(sum(fare))"),
    "usual_middle": (1, 1, "usual_middle(sum(fare))"),
    "usual_high": (1, 1, "usual_high(sum(fare))"),
}
USUAL = ("usual_low", "usual_middle", "usual_high")  # of the same figure in the periods before
# Functions over the cells of a row: how many arguments they take, and an example.
ROW_FUNCTIONS: dict[str, tuple[int, int, str]] = {
    "if": (3, 3, 'if(delay > 5, "late", "on time")'),
    "weekday": (1, 1, "weekday(day)"),
    "month": (1, 1, "month(day)"),
    "days": (2, 2, "days(ordered, delivered)"),
    "steps": (2, 20, "steps(delay, 5, 15, 60)"),
}
ColumnType = Literal["number", "text", "date", "flag"]
FormulaNature = Literal["flow", "stock", "rate"]
Span = tuple[int, int]


class FormulaError(ValueError):
    """A formula that cannot be read or does not fit its dataset; ``start``/``end`` point into the text."""

    def __init__(self, message: str, start: int, end: int) -> None:
        super().__init__(message)
        self.message, self.start, self.end = message, start, max(end, start + 1)


@dataclass(frozen=True)
class Node:
    """A part of a formula. ``span``: where it stands in the text, which errors point to."""

    span: Span = field(compare=False, repr=False, kw_only=True, default=(0, 0))


@dataclass(frozen=True)
class Number(Node):
    """A number as it is written; a percent is its fraction."""

    value: float


@dataclass(frozen=True)
class Text(Node):
    """A text in quotes, such as a member."""

    value: str


@dataclass(frozen=True)
class Flag(Node):
    """``yes`` or ``no``."""

    value: bool


@dataclass(frozen=True)
class Column(Node):
    """A column of the rows, by its name."""

    name: str


@dataclass(frozen=True)
class Minus(Node):
    """What is in it, negated."""

    of: Node


@dataclass(frozen=True)
class Binary(Node):
    """Arithmetic on two sides."""

    op: str
    left: Node
    right: Node


@dataclass(frozen=True)
class Compare(Node):
    """Two sides compared; true or false of each row."""

    op: str
    left: Node
    right: Node


@dataclass(frozen=True)
class Among(Node):
    """Whether a column is one of some values."""

    of: Node
    values: tuple[Node, ...]


@dataclass(frozen=True)
class Blank(Node):
    """Whether a column is blank."""

    of: Node
    filled: bool


@dataclass(frozen=True)
class Starts(Node):
    """Whether a text begins with another one."""

    of: Node
    start: str


@dataclass(frozen=True)
class Logic(Node):
    """Conditions of which all (``and``) or any (``or``) have to hold."""

    op: Literal["and", "or"]
    items: tuple[Node, ...]


@dataclass(frozen=True)
class Not(Node):
    """A condition that must not hold."""

    of: Node


@dataclass(frozen=True)
class Window:
    """The periods an aggregate runs over: the last ``periods``, or (None) those of the year so far."""

    periods: int | None


@dataclass(frozen=True)
class Aggregate(Node):
    """``name`` over the rows where ``where`` holds, of the row expression ``of`` (None: of the rows).

    window: several periods instead of one. whole: over all rows, whichever members are read. dataset: whose rows,
    when not those of the KPI itself. last: over each series' last rows within the period, as a level is read. years,
    back: over the period so many years, then so many periods of its own length, before.
    """

    name: str
    of: Node | None
    where: Node | None
    window: Window | None = None
    whole: bool = False
    dataset: str | None = None
    last: bool = False
    years: int = 0
    back: int = 0

    @property
    def moved(self) -> bool:
        """Whether it runs over an earlier period than the one that is read."""
        return bool(self.years or self.back)


@dataclass(frozen=True)
class Call(Node):
    """A function over aggregates or, inside of one, over the cells of a row, as written."""

    name: str
    args: tuple[Node, ...]


@dataclass(frozen=True)
class Reference(Node):
    """Another KPI, by its handle."""

    handle: str


def children(node: Node) -> Iterator[Node]:
    """The parts directly under one."""
    for value in vars(node).values():
        if isinstance(value, Node):
            yield value
        elif isinstance(value, tuple):
            yield from (item for item in value if isinstance(item, Node))


def walk(node: Node) -> Iterator[Node]:
    """A part and all under it, each before its own parts."""
    yield node
    for child in children(node):
        yield from walk(child)


@lru_cache(maxsize=1 << 12)
def aggregates(node: Node) -> tuple[Aggregate, ...]:
    """The distinct aggregates of a formula, in the order they are written."""
    return tuple(dict.fromkeys(found for found in walk(node) if isinstance(found, Aggregate)))


@lru_cache(maxsize=1 << 12)
def usual_calls(node: Node) -> tuple[Call, ...]:
    """The parts of a formula that are what is usual for something."""
    found = (inner for inner in walk(node) if isinstance(inner, Call) and inner.name in USUAL)
    return tuple(dict.fromkeys(found))


def nature_of(node: Node, natures: Mapping[str, FormulaNature] | None = None) -> FormulaNature:
    """What a formula most likely is: sums and counts add up over time, all else is recomputed from totals.

    Multiplied or divided by a constant a flow stays one; a mean, a smallest or largest value, and anything
    divided by another aggregate is a rate; what runs over the year so far or the last periods is a level.
    natures: those of other KPIs by their handles; one that is not known counts as a rate.
    """
    known = natures or {}
    match node:
        case Aggregate(name=name):
            return "flow" if name in ("sum", "count") else "rate"
        case Binary(op="/", left=left, right=right):
            return "rate" if _varies(right) else nature_of(left, known)
        case Binary(op="*", left=left, right=right):
            return "rate" if _varies(left) and _varies(right) else nature_of(left if _varies(left) else right, known)
        case Call(name="share"):
            return "rate"
        case Call(name="to_date" | "rolling", args=(of, *_)):
            return "rate" if nature_of(of, known) == "rate" else "stock"
        case Call(name=name, args=args):
            return nature_of(args[1] if name == "if" else args[0], known)
        case Reference(handle=handle):
            return known.get(handle, "rate")
        case Minus() | Binary():
            parts = [nature_of(child, known) for child in children(node) if _varies(child)]
            # A function of nothing is refused where formulas are checked; until then it is no sum of anything.
            return "rate" if not parts or "rate" in parts or len(set(parts)) > 1 else parts[0]
    return "flow"


def never_a_flow(node: Node) -> bool:
    """Whether an expanded formula holds a running total or a share: these do not add up over time."""
    return any(a.window is not None or a.whole for a in aggregates(node))


def adds_members(node: Node) -> bool:
    """Whether the figure of several members is exactly the sum of theirs: sums and counts, whenever they are taken."""
    plain = rebuilt(node, lambda a: replace(a, window=None, last=False) if isinstance(a, Aggregate) else a)
    return adds_up(plain) and not any(a.whole for a in aggregates(node))


def adds_up(node: Node) -> bool:
    """Whether a period's figure is exactly the sum of those of its parts: sums and counts, added and scaled, of
    whatever period of the same length."""
    match node:
        case Aggregate(name=name, window=window, last=last):
            return name in ("sum", "count") and window is None and not last
        case Minus(of=of):
            return adds_up(of)
        case Binary(op="+" | "-", left=left, right=right):
            return adds_up(left) and adds_up(right)
        case Binary(op="*", left=left, right=right):
            return (adds_up(left) and isinstance(right, Number)) or (isinstance(left, Number) and adds_up(right))
        case Binary(op="/", left=left, right=Number()):
            return adds_up(left)
    return False


def denominator(node: Node) -> Node | None:
    """What a rate is a share of: the right side of its division, or the count behind its mean; None for no such."""
    match node:
        case Binary(op="/", right=right) if _varies(right):
            return right
        case Aggregate(name="mean"):
            return replace(node, name="count")
        case Minus(of=of) | Binary(op="*" | "/", left=of, right=Number()) | Binary(op="*", left=Number(), right=of):
            return denominator(of)
        case Binary(op="+" | "-", left=Number(), right=of) | Binary(op="+" | "-", left=of, right=Number()):
            return denominator(of)
        case Call(name="round" | "abs", args=(of, *_)):
            return denominator(of)
    return None


def _varies(node: Node) -> bool:
    return bool(aggregates(node) or references(node))


def columns_used(node: Node) -> tuple[str, ...]:
    """The columns a formula reads, by name."""
    return tuple(dict.fromkeys(found.name for found in walk(node) if isinstance(found, Column)))


def rebuilt(node: Node, change: Callable[[Node], Node]) -> Node:
    """The tree with ``change`` made to every node, from the leaves up."""
    edits: dict[str, Any] = {}
    for name, value in vars(node).items():
        if isinstance(value, Node):
            edits[name] = rebuilt(value, change)
        elif isinstance(value, tuple) and any(isinstance(item, Node) for item in value):
            edits[name] = tuple(rebuilt(item, change) for item in value)
    return change(replace(node, **edits) if edits else node)


def steps_of(call: Call) -> tuple[tuple[float, ...], tuple[str, ...]]:
    """The limits of ``steps`` and the names of its ranges, one more: a limit belongs to the range above it."""
    limits = tuple(limit for arg in call.args[1:] if (limit := constant(arg)) is not None)
    said = [f"{limit:,.10g}".replace("-", "−") for limit in limits]
    between = [f"{low} to under {high}" for low, high in pairwise(said)]
    return limits, (f"under {said[0]}", *between, f"{said[-1]} and over")


def constant(node: Node) -> float | None:
    """The number that is written; None for all else."""
    if isinstance(node, Minus) and isinstance(node.of, Number):
        return -node.of.value
    return node.value if isinstance(node, Number) else None


def named_values(node: Node) -> tuple[str, ...]:
    """The texts a row formula can come to, in their own order, where it says them: weekdays, months, ranges, and
    those written behind ``if``; none where they are known from the rows alone."""
    match node:
        case Call(name="weekday"):
            return WEEKDAYS
        case Call(name="month"):
            return MONTHS
        case Call(name="steps"):
            return steps_of(node)[1]
        case Call(name="if", args=(_, then, other)):
            both = [(text.value,) if isinstance(text, Text) else named_values(text) for text in (then, other)]
            return tuple(dict.fromkeys(name for names in both for name in names)) if all(both) else ()
    return ()


def references(node: Node) -> tuple[str, ...]:
    """The handles of the KPIs a formula names."""
    return tuple(dict.fromkeys(found.handle for found in walk(node) if isinstance(found, Reference)))
