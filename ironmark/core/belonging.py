"""Which columns of figures belong together: parts and what they are a part of, plans and what was planned."""

from __future__ import annotations

import re
from collections.abc import Sequence

from ironmark.core.aim_words import is_plan
from ironmark.core.drafting_words import (
    ACTUAL,
    BAD,
    CAPACITY,
    EACH,
    EARLIER,
    EVENTS,
    GOOD_OUTCOMES,
    LEVEL,
    PLAN,
    RUNNING,
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
    if said == "open" and (until := _TIME_TO.search(column.label)) and stem_in(until[1], GOOD_OUTCOMES):
        return "lower"
    return said if said != "open" else better_of(column.name)


_TIME_TO = re.compile(r"\b(?:time|days|hours|minutes) to (\w+)", re.I)  # resolve, deliver


def is_bad(column: Facts) -> bool:
    return direction_of(column) == "lower"


def says_plan(column: Facts) -> bool:
    """Whether a column holds what was planned, or aimed at."""
    return bool(stem_of(column, PLAN)) or is_plan(column.label)


def plan_of(column: Facts, among: Sequence[Facts]) -> Facts | None:
    """The column whose plan another one is: ``planned_output`` of ``output``; of one that says no more than that it is a plan,
    the only figures that are anywhere near it."""
    if not says_plan(column):
        return None
    plans = [other for other in among if says_plan(other)]
    others = [o for o in among if o not in plans and _is_percent(o) == _is_percent(column)]
    named = _named(column)
    if (same := next((o for o in others if named and o.name.split("_") == named), None)) is not None:
        return same
    # A unit that all of them give names none of them.
    rest = {word for word in named if len(others) < 2 or not all(word in o.name.split("_") for o in others)}
    if rest:
        return next((other for other in others if rest <= set(other.name.split("_"))), None)
    others = [other for other in others if not stem_of(other, (*VARIANCE, *EARLIER, *RUNNING))]
    if sum(not _named(other) for other in plans) > 1 or not others:
        return None
    actual = [other for other in others if stem_of(other, ACTUAL)]
    near = [other for other in others if _is_near(column, other)]
    return next((some[0] for some in (others, actual, near) if len(some) == 1), None)


def _named(plan: Facts) -> list[str]:
    """The words of a plan's name that say whose it is."""
    return [word for word in plan.name.split("_") if not stem_in(word, PLAN) and not is_plan(word)]


def base_of(column: Facts, stem: str, among: Sequence[Facts]) -> Facts | None:
    """The column that another one tells of too, but for the words that begin with a stem: ``tonnes`` of ``ytd_tonnes``."""
    plain = f"_{joined(column.name).strip('_')}_".replace(f"_{stem.strip('.')}", "_·", 1)
    rest = {word for word in plain.split("_") if word and "·" not in word}
    return next((o for o in among if o is not column and rest and rest == set(o.name.split("_"))), None)


def _is_near(plan: Facts, column: Facts) -> bool:
    """Whether figures are of the size of a plan: in the same unit, around it and not five times as large or as small."""
    if plan.unit != column.unit and plan.unit is not None and column.unit is not None:
        return False
    if None in (plan.least, plan.most, column.least, column.most):
        return False
    middle, aimed = ((one.least + one.most) / 2 for one in (column, plan))  # type: ignore[operator]
    around = column.least <= plan.most and plan.least <= column.most  # type: ignore[operator]
    return around and aimed > 0 and 0.2 < middle / aimed < 5


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
        fits = [whole for whole in fits if not says_plan(whole)] or fits
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
