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

# Parts of words, as they stand at the beginning of one: what there should be little of; an amount there is at a time;
# something measured on each row; what others are a part of; an outcome that is good.
_BAD = [
    "absen",
    "accident",
    "backlog",
    "breach",
    "breakdown",
    "cancel",
    "churn",
    "complain",
    "cost",
    "damage",
    "days_lost",
    "debt",
    "decline",
    "defect",
    "delay",
    "discharge_late",
    "downtime",
    "dropout",
    "emission",
    "error",
    "escalat",
    "exclu",
    "expens",
    "fail",
    "fall",
    "fault",
    "idle",
    "incident",
    "infect",
    "injur",
    "late",
    "leak",
    "loss",
    "lost",
    "miss",
    "no_show",
    "noshow",
    "outage",
    "overdue",
    "overtime",
    "penalt",
    "queue",
    "readmi",
    "reject",
    "reopen",
    "repeat",
    "resign",
    "return",
    "rework",
    "scrap",
    "sick",
    "spend",
    "spill",
    "stoppage",
    "temp_staff",
    "truan",
    "turnover_staff",
    "unplanned",
    "unresolved",
    "violation",
    "vacan",
    "wait",
    "waste",
    "withdraw",
]
_LEVEL = [
    "balance",
    "backlog",
    "beds",
    "census",
    "employed",
    "enrol",
    "fte",
    "headcount",
    "holding",
    "inventory",
    "open_",
    "on_hand",
    "roll",
    "staff",
    "stock",
]
_EACH = [
    "age",
    "duration",
    "grade",
    "gpa",
    "handle",
    "handling",
    "hours_to",
    "length",
    "level",
    "mark",
    "minutes_to",
    "mood",
    "nps",
    "percent",
    "pct",
    "rating",
    "rate",
    "ratio",
    "satisfaction",
    "score",
    "share",
    "speed",
    "temperature",
    "temp_",
    "time",
    "utilis",
    "utiliz",
    "yield",
    "wait",
    "price",
    "per_",
]
_WHOLE = [
    "admission",
    "appointment",
    "arrival",
    "attendance",
    "batch",
    "booked",
    "call",
    "capacity",
    "contact",
    "deliver",
    "enrol",
    "expected",
    "items",
    "journey",
    "lesson",
    "made",
    "orders",
    "output",
    "parcel",
    "patient",
    "planned",
    "possible",
    "produced",
    "pupil",
    "received",
    "scheduled",
    "seats",
    "session",
    "ships",
    "stops",
    "students",
    "tickets",
    "total",
    "trips",
    "units",
    "visits",
]
_GOOD_OUTCOMES = [
    "achiev",
    "attend",
    "closed",
    "complet",
    "deliver",
    "done",
    "fixed",
    "good",
    "kept",
    "met",
    "ok",
    "on_time",
    "pass",
    "resolv",
    "solved",
    "success",
]
_OUTCOME = ["outcome", "result", "state", "status"]
_LONG_IS_GOOD = ["availab", "between", "flying", "practice", "training", "up"]
_PLAN = ["budget", "expected", "forecast", "goal", "plan", "planned", "quota", "target"]


@dataclass(frozen=True, slots=True)
class Facts:
    """What is known of a column: least and most of its known values, whether they are whole, how many there are of
    different ones, and its members where it is a segment."""

    name: str
    label: str
    type: ColumnType
    role: str
    least: float | None = None
    most: float | None = None
    whole: bool = False
    distinct: int = 0
    members: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class DraftKpi:
    """A KPI that is proposed. plan: the column whose sum is its target, "" for none; reason: a sentence."""

    handle: str
    name: str
    formula: str
    unit: Unit
    direction: Direction
    nature: Nature
    reason: str
    plan: str = ""


@dataclass(frozen=True, slots=True)
class Draft:
    kpis: tuple[DraftKpi, ...]
    left_out: tuple[tuple[str, str], ...]  # columns by their label, and why no KPI was made of them


def _words(column: Facts) -> str:
    return "_" + re.sub(r"[\W_]+", "_", f"{column.name}_{column.label}".lower())


def _any(column: Facts, stems: Sequence[str]) -> str:
    """The stem that a word of a column begins with; "" for none."""
    text = _words(column)
    return next((stem for stem in stems if f"_{stem}" in text), "")


def draft(rows_name: str, columns: Sequence[Facts]) -> Draft:
    """KPIs for rows called ``rows_name``, the telling ones first.

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
    for column in measures:
        if column.name in plans:
            left.append((column.label, f"it is the plan of {plans[column.name].label}: its target"))
        elif column.least is None or column.least == column.most:
            left.append((column.label, "it holds nothing, or the same on every row"))
        elif column not in parts:
            plan = next((name for name, base in plans.items() if base.name == column.name), "")
            found.append(_amount(column, plan))
        else:
            left.append((column.label, f"it is read as a share of {parts[column].label}"))
    name = rows_name.strip() or "Rows"
    found.append(
        DraftKpi(
            _handle(name, "number_of"), name if _plural(name) else f"Number of {name.lower()}", "count()", Unit("number", 0),
            "lower" if _any(Facts(name, name, "text", "text"), _BAD) else "higher", "flow", "Every row counts once.",
        )
    )  # fmt: skip
    return Draft(tuple(found[:MOST_KPIS]), tuple(left))


def _plural(name: str) -> bool:
    return name.lower().endswith("s")


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
    """Columns that are a part of another one: bad things among all that there were."""
    wholes = [c for c in measures if _any(c, _WHOLE) and not _any(c, _BAD) and c.whole and c.name not in plans]
    found = {}
    for part in measures:
        if not (_any(part, _BAD) and part.whole) or part.name in plans or unit_of_label(part.label):
            continue
        if _any(part, ("cost", "spend", "expens", "debt", "backlog", "wait", "overtime", "hours", "minutes", "days")):
            continue
        fits = [w for w in wholes if w.most is not None and part.most is not None and w.most >= part.most]
        if fits:
            found[part] = max(fits, key=lambda whole: whole.most or 0.0)
    return found


def _share_of_flag(column: Facts) -> DraftKpi:
    bad = _any(column, _BAD)
    return DraftKpi(
        _handle(column.label, "share_of"), f"{column.label} share", f"count(where {column.name} = yes) / count()", PERCENT,
        "lower" if bad else "higher", "rate",
        f"“{column.label}” is yes or no: the share of rows where it is yes, {'the fewer' if bad else 'the more'} the better.",
    )  # fmt: skip


def _share_of_outcome(column: Facts) -> list[DraftKpi]:
    if not 2 <= len(column.members) <= 8:
        return []
    good = next((m for m in column.members if _any(Facts(m, m, "text", "text"), _GOOD_OUTCOMES)), None)
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
    return DraftKpi(
        _handle(f"{part.label} per {whole.label}", "share_of"), f"{part.label} of {whole.label.lower()}",
        f"sum({part.name}) / sum({whole.name})", PERCENT, "lower", "rate",
        f"{part.label} are some of {whole.label.lower()}: a ratio of totals, so that small rows weigh little.",
    )  # fmt: skip


def _amount(column: Facts, plan: str) -> DraftKpi:
    given = unit_of_label(column.label) or unit_of_label(column.name)
    unit = given.unit if given else Unit("number", 0)
    direction: Direction = "lower" if _any(column, _BAD) else "higher"
    handle, sense = (
        _handle(column.label, "value_of"),
        "the less the better" if direction == "lower" else "the more the better",
    )
    fraction = column.most is not None and column.most <= 1 and (column.least or 0) >= 0 and not column.whole
    if fraction:
        return DraftKpi(
            handle, column.label, f"mean({column.name})", PERCENT, direction, "rate",
            f"“{column.label}” lies between 0 and 1 on every row: its mean, in which every row weighs the same; {sense}.",
        )  # fmt: skip
    scored = column.whole and column.distinct <= 11 and (column.most or 0) <= 10 and _any(column, ("rating", "score", "nps", "grade", "mood", "satisf"))  # fmt: skip
    each = _any(column, _EACH) or (given is not None and given.unit.kind == "duration" and not _any(column, ("hours_worked", "overtime", "downtime")))  # fmt: skip
    if scored or each:
        if given is not None and given.unit.kind == "duration" and not _any(column, _LONG_IS_GOOD):
            direction, sense = "lower", "the less the better"
        places = max(1, unit.decimals)
        return DraftKpi(
            handle, column.label, f"mean({column.name})",
            Unit(unit.kind, places, unit.currency, unit.text), direction, "rate",
            f"“{column.label}” is measured on each row: its mean; {sense}.",
        )  # fmt: skip
    if _any(column, _LEVEL):
        return DraftKpi(
            handle, column.label, f"sum({column.name})", unit, direction, "stock",
            f"“{column.label}” is how much there is at a time: over a span the last day counts; {sense}.",
        )  # fmt: skip
    large = max(abs(column.most or 0), abs(column.least or 0)) > 1000
    return DraftKpi(
        handle, column.label, f"sum({column.name})", Unit(unit.kind, unit.decimals, unit.currency, unit.text, large), direction, "flow",
        f"“{column.label}” adds up: its sum; {sense}.", plan,
    )  # fmt: skip
