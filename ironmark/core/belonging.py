"""Which columns of figures belong together: parts and what they are a part of, plans and what was planned."""

from __future__ import annotations

from collections.abc import Sequence

from ironmark.core.drafting_words import (
    ACTUAL,
    BAD,
    CAPACITY,
    EACH,
    EVENTS,
    GOOD_OUTCOMES,
    LEVEL,
    PLAN,
    USED,
    VARIANCE,
    WHOLE,
    joined,
    stem_in,
    stem_of,
    words,
)
from ironmark.core.measuring import Better, Facts, better_of

UNNAMED = "Value"  # the only figures of a table that says no name for them
OF_ALL = ", all"  # behind the head of a column that says how many of how many, for the second


def direction_of(column: Facts) -> Better:
    """Which way is better: as the table says, else by words, else open."""
    if column.better in ("higher", "lower"):
        return column.better  # type: ignore[return-value]
    said = better_of(column.label)
    return said if said != "open" else better_of(column.name)


def is_bad(column: Facts) -> bool:
    return direction_of(column) == "lower"


def plan_of(column: Facts, among: Sequence[Facts]) -> Facts | None:
    """The column whose plan another one is: ``planned_output`` of ``output``."""
    stem = stem_of(column, PLAN)
    if not stem:
        return None
    rest = [word for word in column.name.split("_") if not stem_in(word, PLAN)]
    others = [o for o in among if o is not column and not stem_of(o, PLAN) and _is_percent(o) == _is_percent(column)]
    if not rest:  # Actual and Budget, and nothing else that was planned
        plans = [other for other in among if stem_of(other, PLAN)]
        others = [other for other in others if not stem_of(other, VARIANCE)]
        named = others if len(others) == 1 else [other for other in others if stem_of(other, ACTUAL)]
        return named[0] if len(named) == len(plans) == 1 else None
    return next((other for other in others if rest and set(rest) <= set(other.name.split("_"))), None)


def _is_percent(column: Facts) -> bool:
    return column.unit is not None and (column.unit.kind == "percent" or column.unit.text == "%")


def parts_among(counts: Sequence[Facts], always: Sequence[Facts]) -> dict[Facts, Facts]:
    """Columns that are a part of another one: bad things among all that there were, and what came of them.

    always: what there can be at most, the same on every row. They belong together by their names or because the whole is
    the sum of its parts; that two columns move together is never enough.
    """
    wholes = [c for c in (*counts, *always) if c.whole and not is_bad(c)]
    found = {}
    for part in counts:
        if (all_of := next((one for one in wholes if one.label == f"{part.label}{OF_ALL}"), None)) is not None:
            found[part] = all_of
            continue
        if part.label.endswith(OF_ALL) or not part.whole or part.least == part.most or (part.least or 0) < 0:
            continue
        closeness = dict(part.within or ())
        if stem_of(part, LEVEL) or stem_of(part, USED):
            continue
        fits = [
            whole
            for whole in wholes
            if whole is not part
            and not whole.label.endswith(OF_ALL)
            and (whole.name in closeness or (part.within is None and (whole.most or 0.0) >= (part.most or 0.0)))
            and (part.name in whole.sum_of or _is_of(part, whole, closeness.get(whole.name, 0.0)))
        ]
        fits = [whole for whole in fits if not stem_of(whole, PLAN)] or fits
        if fits:
            found[part] = max(fits, key=lambda whole: (round(closeness.get(whole.name, 0.0), 1), whole.most or 0.0))
    return found


CLOSELY = 0.7  # correlation from which two counts are taken for a part and its whole


def _is_of(part: Facts, whole: Facts, closeness: float) -> bool:
    """Whether a column that is never more than another one counts some of what that one counts."""
    shared = shares_a_word(part, whole)
    if is_bad(part):
        some = stem_of(whole, WHOLE) and not stem_of(part, EACH) and not stem_of(part, EVENTS) and not _of_others(part)
        return shared or bool(some)
    # What there can be at most may well be the same every day, and so moves with nothing.
    return (closeness >= CLOSELY and (shared or bool(stem_of(part, GOOD_OUTCOMES)))) or (
        shared and bool(stem_of(whole, CAPACITY))
    )


def _of_others(part: Facts) -> bool:
    """Whether what is bad has a noun of its own: cancelled classes are of classes, and of nothing else."""
    stem = stem_of(part, BAD).strip(".")
    words = joined(part.label).replace(f"_{stem}", f"_{stem}·").strip("_").split("_")
    at = {n for n, word in enumerate(words) if "·" in word}
    return any(len(word) > 2 for n, word in enumerate(words) if n not in at and stem.partition("_")[0] != word)


def shares_a_word(one: Facts, other: Facts) -> bool:
    return any(len(word) > 2 for word in set(words(one).split("_")) & set(words(other).split("_")))
