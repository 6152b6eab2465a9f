"""What a formula divides by what, and what kind of figure that makes."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Literal

import numpy as np

from ironmark.core.evaluate import Floats, Parts, evaluate
from ironmark.core.formula_nodes import Aggregate, Binary, Minus, Node, Number, aggregates, denominator

Kind = Literal["level", "share", "count", "ratio"]


@dataclass(frozen=True)
class Ratio:
    """A formula as ``offset + scale × above / below``."""

    above: Node
    below: Node
    scale: float = 1.0
    offset: float = 0.0


def ratio_of(node: Node) -> Ratio | None:
    """What a formula divides by what; None where it is no single ratio, scaled or moved by a number."""
    match node:
        case Binary(op="/", left=left, right=right) if aggregates(right):
            above, scale = _scaled(left)
            return Ratio(above, right, scale) if aggregates(above) else None
        case Aggregate(name="mean", of=of) if of is not None:
            below = denominator(node)
            return Ratio(Aggregate(**{**vars(node), "name": "sum"}), below) if below else None
        case Minus(of=of):
            found = ratio_of(of)
            return found and Ratio(found.above, found.below, -found.scale, -found.offset)
        case Binary(op="*", left=Number(value=by), right=of) | Binary(op="*", left=of, right=Number(value=by)):
            found = ratio_of(of)
            return found and Ratio(found.above, found.below, found.scale * by, found.offset * by)
        case Binary(op="/", left=of, right=Number(value=by)) if by:
            found = ratio_of(of)
            return found and Ratio(found.above, found.below, found.scale / by, found.offset / by)
        case Binary(op="+", left=Number(value=by), right=of) | Binary(op="+", left=of, right=Number(value=by)):
            found = ratio_of(of)
            return found and Ratio(found.above, found.below, found.scale, found.offset + by)
        case Binary(op="-", left=of, right=Number(value=by)):
            found = ratio_of(of)
            return found and Ratio(found.above, found.below, found.scale, found.offset - by)
        case Binary(op="-", left=Number(value=by), right=of):
            found = ratio_of(of)
            return found and Ratio(found.above, found.below, -found.scale, by - found.offset)
    return None


def _scaled(node: Node) -> tuple[Node, float]:
    match node:
        case Binary(op="*", left=Number(value=by), right=of) | Binary(op="*", left=of, right=Number(value=by)):
            inner, scale = _scaled(of)
            return inner, scale * by
    return node, 1.0


def kind_of(ratio: Ratio | None, above: Floats | None, below: Floats | None) -> Kind:
    """What chart a history is read by. above, below: (P, M), what the ratio's two sides come to.

    A share is so many of so many: whole numbers, never more above than below. A count is so many events for so
    much of something. A ratio of anything else varies with what is below it too, but as much as it does.
    """
    if ratio is None or above is None or below is None:
        return "level"
    known = np.isfinite(above) & np.isfinite(below)
    over, under = above[known], below[known]
    if not over.size or (under < 0).any():
        return "level"
    if not (over == np.round(over)).all() or (over < 0).any():
        return "level" if any(a.name == "mean" for a in aggregates(ratio.below)) else "ratio"
    if (under == np.round(under)).all() and (over <= under).all():
        return "share"
    counts = aggregates(ratio.above)
    return "count" if counts and all(a.name == "count" for a in counts) else "ratio"


@dataclass(frozen=True)
class Sides:
    """A ratio's two sides (P, M), and how they make the value."""

    ratio: Ratio
    above: Floats
    below: Floats

    @cached_property
    def kind(self) -> Kind:
        return kind_of(self.ratio, self.above, self.below)


def sides_of(node: Node, parts: Parts, shape: tuple[int, ...]) -> Sides | None:
    """The two sides of a formula that is a ratio; None where it is none, or one of them was not aggregated. parts: its aggregates."""
    ratio = ratio_of(node)
    if ratio is None or any(a not in parts for side in (ratio.above, ratio.below) for a in aggregates(side)):
        return None
    above, below = (np.broadcast_to(evaluate(side, parts), shape) for side in (ratio.above, ratio.below))
    return Sides(ratio, above, below)
