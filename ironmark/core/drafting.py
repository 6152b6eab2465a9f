"""First KPIs for rows that nobody has written formulas for yet: what each column most likely measures, and why."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from ironmark.core.formula import ColumnType
from ironmark.core.numbers import Unit
from ironmark.core.units import PERCENT, unit_of_label

Direction = Literal["higher", "lower", "inside"]
Nature = Literal["flow", "stock", "rate"]
MOST_KPIS = 9


def _stems(words: str) -> tuple[str, ...]:
    return tuple(words.split())


# Parts of words, as they stand at the beginning of one: what there should be little of,
_BAD = _stems(
    "abandon absen accident alarm arrears backlog breach breakdown cancel churn claims complain consum cost "
    "damage days_lost death debt decline defect delay detention discharge_late dispute downtime dropout "
    "electric emission empty energy error escalat exclu expens expired expul fail fall fault fuel idle "
    "incident infect injur late. lateness leak leaver left. loss lost misdeliver mispick misrout missed "
    "missing mistake mortality no_show noshow outage overdue overrun overtime penalt queue readmi refund "
    "reject reopen repeat resign retest return rework scrap shortage shrink sick spend spill stockout stoppage "
    "suspen temp_staff theft truan turnover_staff unanswered unpaid unplanned unresolved unsold vacan "
    "violation wait waste withdraw "
)
# an amount there is at a time,
_LEVEL = _stems(
    "agents backlog balance beds census drivers employed employees enrol fte headcount holding inventory "
    "members nurses on_hand open_ roll staff stock workers "
)
# what happens by itself, and is no part of anything,
_EVENTS = _stems("accident alarm breakdown death incident injur leak left. outage spill theft")
# something measured on each row,
_EACH = _stems(
    "age. duration gpa grade. handle_time handling hours_to length. level. mark. minutes_to mood nps pct per_ "
    "percent price. rate. rates. rating ratio satisfaction score. scores. share. speed. temp_ temperature "
    "time. utilis utiliz wait yield "
)
# what others are a part of,
_WHOLE = _stems(
    "admission appointment arrival attendance availab batch booked call capacity cases client contact customer "
    "deliver departure enrol expected flight guest items jobs journey lesson loans made meal nights orders "
    "output parcel passenger patient picked planned possible processed produced pupil received repair rooms "
    "sailing scheduled seats seen served session ships started stops students tickets total transaction "
    "treated trips units visitor visits "
)
# an outcome that is good, and a column that tells one,
_GOOD_OUTCOMES = _stems(
    "achiev answered attend closed complet deliver done fixed good. kept met. ok. on_time pass. passed resolv "
    "returned solved success "
)
_OUTCOME = _stems("outcome result state status")
# what may well last long,
_LONG_IS_GOOD = _stems("availab between flying open. opening practice training up")
# what somebody gained or made, whatever else is said of it,
_GAINED = _stems("avoided generat made. produc profit recover recycl reduced saved saving sales sold yield")
# what there can be at most,
_CAPACITY = _stems("all. availab capacity offered possible scheduled total")
# what names or dates a row,
_NAMING = _stems("code id lat latitude lon longitude month no number phone postcode quarter ref week year zip")
# what is aimed at,
_PLAN = _stems("budget expected forecast goal plan planned quota target")
# what is used up, and so is told by what it was used for, and time that was spent on it in all.
_USED = _stems("cost consum electric energy expens fuel spend")
_SPENT = _stems("labor labour spent staff staffed worked")
_UNITS = _stems("day days h hour hours hrs min mins minute minutes")


@dataclass(frozen=True, slots=True)
class Facts:
    """What is known of a column: least and most of its known values, whether they are whole, how many there are of
    different ones, and its members where it is a segment. within: columns that are never less on any row, with how
    closely it moves with each (their correlation); None where nobody looked."""

    name: str
    label: str
    type: ColumnType
    role: str
    least: float | None = None
    most: float | None = None
    whole: bool = False
    distinct: int = 0
    members: tuple[str, ...] = ()
    within: tuple[tuple[str, float], ...] | None = None
    unit: Unit | None = None  # as the table gave it


@dataclass(frozen=True, slots=True)
class DraftKpi:
    """A KPI that is proposed. plan: the column whose sum is its target, "" for none; reason: a sentence; known: the key
    of a KPI that says the same already, "" for none."""

    handle: str
    name: str
    formula: str
    unit: Unit
    direction: Direction
    nature: Nature
    reason: str
    plan: str = ""
    known: str = ""


@dataclass(frozen=True, slots=True)
class Draft:
    kpis: tuple[DraftKpi, ...]
    left_out: tuple[tuple[str, str], ...]  # columns by their label, and why no KPI was made of them


def _joined(text: str) -> str:
    return "_" + re.sub(r"[\W_]+", "_", text.lower())


def _words(column: Facts) -> str:
    return _joined(f"{column.name}_{column.label}")


def _stem_in(text: str, stems: Sequence[str]) -> str:
    """The stem that a word of a text begins with, or is where a full stop ends the stem; "" for none."""
    words = f"{_joined(text)}_"
    return next((stem for stem in stems if f"_{stem.replace('.', '_')}" in words), "")


def _any(column: Facts, stems: Sequence[str]) -> str:
    return _stem_in(f"{column.name}_{column.label}", stems)


def _names(column: Facts) -> bool:
    words = _joined(column.label).strip("_").split("_")
    return len(words) <= 2 and words[-1] in _NAMING


def _is_bad(column: Facts) -> bool:
    return _sounds_bad(f"{column.name}_{column.label}")


def _sounds_bad(text: str) -> bool:
    """Whether there should be little of it: energy that is used, but not energy that was made."""
    return bool(_stem_in(text, _BAD)) and not _stem_in(text, _GAINED)


def _unit(column: Facts) -> Unit:
    if column.unit is not None:
        return column.unit
    given = unit_of_label(column.label) or unit_of_label(column.name)
    return given.unit if given else Unit("number", 0)


def draft(rows_name: str, columns: Sequence[Facts], *, counted_rows: bool = True) -> Draft:
    """KPIs for rows called ``rows_name``, the telling ones first. counted_rows: whether how many there are says anything.

    A flag becomes a share of rows; two columns of which one is a part of the other a ratio of totals; an amount a sum, a
    level one whose last counts, a score or a duration a mean. What looks like a number for identifying is left out.
    """
    found: list[DraftKpi] = []
    left: list[tuple[str, str]] = []
    measures = [c for c in columns if c.role == "measure"]
    plans = {c.name: base for c in measures if (base := _planned(c, measures))}
    parts = _parts(measures, plans)
    for column in columns:
        if column.role == "flag":
            found.append(_share_of_flag(column))
        elif column.role == "segment" and _any(column, _OUTCOME):
            found += _share_of_outcome(column)
    for part, whole in parts.items():
        found.append(_share_of_whole(part, whole))
    counted = _counted(measures, parts, plans)
    for column in measures:
        if column.name in plans:
            left.append((column.label, f"it is the plan of {plans[column.name].label}: its target"))
        elif _names(column):
            left.append((column.label, "it names or dates a row, and measures nothing"))
        elif column not in parts.values() and (column.least is None or column.least == column.most):
            left.append((column.label, "it holds nothing, or the same on every row"))
        elif column not in parts:
            plan = next((name for name, base in plans.items() if base.name == column.name), "")
            per = counted if counted is not None and not plan and _is_used(column) else None
            found.append(_used_per(column, per) if per else _amount(column, plan))
        else:
            left.append((column.label, f"it is read as a share of {parts[column].label}"))
    if counted is None and (counted_rows or not found):  # else a row is not one of anything, but the totals of several
        found.append(_rows_counted(rows_name.strip() or "Rows"))
    return Draft(tuple(found[:MOST_KPIS]), tuple(left))


def _rows_counted(name: str) -> DraftKpi:
    return DraftKpi(
        _handle(name, "number_of"), name if name.lower().endswith("s") else f"Number of {name.lower()}", "count()",
        Unit("number", 0), "lower" if _sounds_bad(name) else "higher", "flow",
        "Every row counts once.",
    )  # fmt: skip


def _unsigned(label: str) -> str:
    """A label without the sign of its unit, which every figure carries: Cost of “Cost £”."""
    given = unit_of_label(label)
    codes = rf"|{given.unit.currency}" if given and given.unit.currency else ""
    codes += "|mins?|hrs?" if given and given.unit.kind == "duration" else ""
    return (
        re.sub(rf"\s*[(\[]?\b([£$€¥%]{codes})\b[)\]]?\s*$|\s*[(\[]?[£$€¥%][)\]]?\s*$", "", label, flags=re.I) or label
    )


def _one_of(label: str) -> str:
    """What one of several is called: a repair of repairs, a parcel delivered of parcels delivered."""
    words = label.lower().split()
    at = next(
        (at for at in (len(words) - 1, 0) if words and words[at].endswith("s") and not words[at].endswith("ss")), None
    )
    if at is not None:
        words[at] = f"{words[at][:-3]}y" if words[at].endswith("ies") else words[at][:-1]
    return " ".join(words)


def _handle(label: str, fallback: str) -> str:
    plain = re.sub(r"[^a-z0-9]+", "_", label.lower()).strip("_")[:40]
    return plain if plain and not plain[0].isdigit() else f"{fallback}_{plain}".strip("_")


def _planned(column: Facts, among: Sequence[Facts]) -> Facts | None:
    """The column whose plan another one is: ``planned_output`` of ``output``."""
    stem = _any(column, _PLAN)
    if not stem:
        return None
    rest = [word for word in column.name.split("_") if not any(word.startswith(plan) for plan in _PLAN)]
    others = [other for other in among if other is not column and not _any(other, _PLAN)]
    return next((other for other in others if rest and set(rest) <= set(other.name.split("_"))), None)


def _parts(measures: Sequence[Facts], plans: dict[str, Facts]) -> dict[Facts, Facts]:
    """Columns that are a part of another one: bad things among all that there were, and what came of them."""
    wholes = [c for c in measures if c.whole and not _is_bad(c) and c.name not in plans]
    found = {}
    for part in measures:
        if not part.whole or part.name in plans or part.least == part.most:
            continue
        closeness = dict(part.within or ())
        # “Answered in 20 s” is a count for all that: it goes with what was answered.
        timed = unit_of_label(part.label) or set(_words(part).split("_")) & set(_UNITS)
        if _any(part, _LEVEL) or _any(part, _USED) or (timed and max(closeness.values(), default=0.0) < CLOSELY):
            continue
        fits = [
            whole
            for whole in wholes
            if whole is not part
            and (whole.name in closeness or (part.within is None and (whole.most or 0.0) >= (part.most or 0.0)))
            and _is_of(part, whole, closeness.get(whole.name, 0.0))
        ]
        if fits:
            found[part] = max(fits, key=lambda whole: (round(closeness.get(whole.name, 0.0), 1), whole.most or 0.0))
    return found


CLOSELY = 0.7  # correlation from which two counts are taken for a part and its whole


def _is_of(part: Facts, whole: Facts, closeness: float) -> bool:
    """Whether a column that is never more than another one counts some of what that one counts."""
    shared = _shares_a_word(part, whole)
    if _is_bad(part):
        some = _any(whole, _WHOLE) and not _any(part, _EACH) and not _any(part, _EVENTS) and not _of_others(part)
        return shared or closeness >= CLOSELY or bool(some)
    # What there can be at most may well be the same every day, and so moves with nothing.
    return (closeness >= CLOSELY and (shared or bool(_any(part, _GOOD_OUTCOMES)))) or (
        shared and bool(_any(whole, _CAPACITY))
    )


def _of_others(part: Facts) -> bool:
    """Whether what is bad has a noun of its own: cancelled classes are of classes, and of nothing else."""
    stem = _any(part, _BAD).strip(".")
    words = _joined(part.label).replace(f"_{stem}", f"_{stem}·").strip("_").split("_")
    at = {n for n, word in enumerate(words) if "·" in word}
    return any(len(word) > 2 for n, word in enumerate(words) if n not in at and stem.partition("_")[0] != word)


def _shares_a_word(one: Facts, other: Facts) -> bool:
    return any(len(word) > 2 for word in set(_words(one).split("_")) & set(_words(other).split("_")))


def _counted(measures: Sequence[Facts], parts: dict[Facts, Facts], plans: dict[str, Facts]) -> Facts | None:
    """What the rows count, where a row is the totals of several: the most of what others are a part of."""
    found = [c for c in measures if c in parts.values() and c not in parts]
    found = found or [
        c
        for c in measures
        if c.whole and _any(c, _WHOLE) and not _is_bad(c) and not _any(c, (*_LEVEL, *_EACH)) and c.name not in plans
        and c not in parts and c.least != c.most
    ]  # fmt: skip
    return max(found, key=lambda column: column.most or 0.0, default=None)


def _is_used(column: Facts) -> bool:
    """Whether it grows with what is done, so that its sum says little by itself."""
    if _any(column, _USED) and not _any(column, _GAINED):
        return True
    words = set(_words(column).strip("_").split("_"))
    return bool(words & set(_UNITS)) and (words <= set(_UNITS) or bool(_any(column, _SPENT)))


def _used_per(column: Facts, counted: Facts) -> DraftKpi:
    unit = _unit(column)
    name = f"{_unsigned(column.label)} per {_one_of(counted.label)}"
    return DraftKpi(
        _handle(name, "value_of"), name, f"sum({column.name}) / sum({counted.name})",
        Unit(unit.kind, max(2, unit.decimals), unit.currency, unit.text), "lower", "rate",
        f"“{column.label}” grows with {counted.label.lower()}: a ratio of totals, so that busy rows are not held against it.",
    )  # fmt: skip


def _share_of_flag(column: Facts) -> DraftKpi:
    bad = _is_bad(column)
    return DraftKpi(
        _handle(column.label, "share_of"), f"{column.label} share", f"count(where {column.name} = yes) / count()", PERCENT,
        "lower" if bad else "higher", "rate",
        f"“{column.label}” is yes or no: the share of rows where it is yes, {'the fewer' if bad else 'the more'} the better.",
    )  # fmt: skip


def _share_of_outcome(column: Facts) -> list[DraftKpi]:
    if not 2 <= len(column.members) <= 8:
        return []
    good = next((m for m in column.members if _stem_in(m, _GOOD_OUTCOMES)), None)
    if good is None:
        return []
    quoted = good.replace('"', "'")
    return [
        DraftKpi(
            _handle(f"{good} share", "share_of"), f"{good[:60].capitalize()} share",
            f'count(where {column.name} = "{quoted}") / count()', PERCENT, "higher", "rate",
            f"“{column.label}” tells how each row ended: the share that is “{good}”.",
        )
    ]  # fmt: skip


def _share_of_whole(part: Facts, whole: Facts) -> DraftKpi:
    bad = _is_bad(part)
    own = part.label.lower().startswith(whole.label.lower())
    name = f"{part.label}, share" if own else f"{part.label} of {whole.label.lower()}"
    return DraftKpi(
        _handle(f"{part.label} per {whole.label}", "share_of"), name, f"sum({part.name}) / sum({whole.name})", PERCENT,
        "lower" if bad else "higher", "rate",
        f"“{part.label}” is never more than “{whole.label}”: a ratio of totals, so that small rows weigh little.",
    )  # fmt: skip


def _amount(column: Facts, plan: str) -> DraftKpi:
    unit = _unit(column)
    lasts = unit.kind == "duration"
    direction: Direction = "lower" if _is_bad(column) else "higher"
    handle, sense = (
        _handle(column.label, "value_of"),
        "the less the better" if direction == "lower" else "the more the better",
    )
    fraction = unit.kind == "percent" or (
        column.most is not None and column.most <= 1 and (column.least or 0) >= 0 and not column.whole
    )
    if fraction:
        return DraftKpi(
            handle, _unsigned(column.label), f"mean({column.name})", PERCENT, direction, "rate",
            f"“{column.label}” lies between 0 and 1 on every row: its mean, in which every row weighs the same; {sense}.", plan,
        )  # fmt: skip
    scored = column.whole and column.distinct <= 11 and (column.most or 0) <= 10 and _any(column, ("rating", "score", "nps", "grade", "mood", "satisf"))  # fmt: skip
    each = _any(column, _EACH) or (lasts and not _any(column, ("hours_worked", "overtime", "downtime")))  # fmt: skip
    if scored or each:
        if lasts and not _any(column, _LONG_IS_GOOD):
            direction, sense = "lower", "the less the better"
        places = max(1, unit.decimals)
        if (unit.kind == "number" and _any(column, ("percent", "pct"))) or "%" in column.label:
            unit = Unit("number", places, text="%")
        return DraftKpi(
            handle, _unsigned(column.label), f"mean({column.name})",
            Unit(unit.kind, places, unit.currency, unit.text), direction, "rate",
            f"“{column.label}” is measured on each row: its mean; {sense}.", plan,
        )  # fmt: skip
    if _any(column, _LEVEL) and not _any(column, ("new.",)):
        return DraftKpi(
            handle, _unsigned(column.label), f"sum({column.name})", unit, direction, "stock",
            f"“{column.label}” is how much there is at a time: over a span the last day counts; {sense}.",
        )  # fmt: skip
    large = max(abs(column.most or 0), abs(column.least or 0)) > 1000
    return DraftKpi(
        handle, _unsigned(column.label), f"sum({column.name})", Unit(unit.kind, unit.decimals, unit.currency, unit.text, large), direction, "flow",
        f"“{column.label}” adds up: its sum; {sense}.", plan,
    )  # fmt: skip
