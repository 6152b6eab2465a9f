"""What a column of rows measures, by what it is called, its unit and its values: an amount, a level, a share, a code …

Each piece of evidence speaks for one of the sorts; evidence that contradicts itself makes the answer less sure. The
words are in ``measure_words.tsv``.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from functools import lru_cache
from itertools import pairwise
from pathlib import Path
from typing import Literal, get_args

from ironmark.core.formula_nodes import ColumnType
from ironmark.core.nearest import folded
from ironmark.core.numbers import Unit
from ironmark.core.units import unit_of_label

# amount: adds up; level: so much there is at a time; price: of one; share: of something; each: measured on each thing;
# the last five are no measures.
Sort = Literal["amount", "level", "price", "share", "rating", "duration", "each", "clock", "calendar", "code", "place", "angle", "same"]  # fmt: skip
Better = Literal["higher", "lower", "inside", "open"]
SORTS: tuple[Sort, ...] = get_args(Sort)
OF_ONE_LENGTH = "all are of the same length"
NO_MEASURE: dict[Sort, str] = {
    "clock": "a time of day: it measures nothing",
    "calendar": "a part of the calendar: it says when, and measures nothing",
    "code": "a code: it names a row, and measures nothing",
    "place": "a place: it measures nothing",
    "angle": "an angle: it neither adds up nor has a mean",
    "same": "always the same, on every row or on all those of a member",
}
SURE = 0.5  # from which a column's sort is good enough to make a KPI of it unasked
_WORDS = Path(__file__).with_name("measure_words.tsv")
_COUNTS = frozenset({"amount", "level"})


@dataclass(frozen=True, slots=True)
class Facts:
    """What is known of a column and its values.

    least, most: of its known values; distinct: how many different ones; rows: of the table; blank: the share of rows
    without one. increasing: whether it never falls from row to row. clock: whether all values are hours and minutes
    written as 0 to 2359. same_within: the segment on whose members it is always the same, "" for none. sum_of: columns
    whose sum it is. within: columns that are never less on any row, with how closely it moves with each (their
    correlation); None where nobody looked. better: which way is, where the table says so. after: of days, whether on nearly
    all rows they are no sooner than the period, and later on some. bare: the label without its unit, where it says one.
    """

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
    rows: int = 0
    blank: float = 0.0
    increasing: bool = False
    clock: bool = False
    same_within: str = ""
    sum_of: tuple[str, ...] = ()
    better: str = ""
    after: bool = False
    bare: str = ""


@dataclass(frozen=True, slots=True)
class Measured:
    """What a column measures, how sure that is (0 to 1), and why, in words."""

    sort: Sort
    sure: float
    evidence: tuple[str, ...]


@lru_cache(maxsize=1)
def _words() -> tuple[dict[str, tuple[str, ...]], tuple[tuple[str, str], ...]]:
    """Words and what they tell; and the ends and beginnings of words that tell something."""
    plain: dict[str, list[str]] = {}
    parts: list[tuple[str, str]] = []
    for line in _WORDS.read_text(encoding="utf-8").splitlines():
        if line.startswith("#"):
            continue
        word, tells, _, _ = line.split("\t")
        if "*" in word:
            parts.append((folded(word.strip("*")), tells if word.startswith("*") else f"{tells}^"))
        else:
            plain.setdefault(folded(word), []).append(tells)
    return {word: tuple(found) for word, found in plain.items()}, tuple(parts)


def words_of(text: str) -> list[str]:
    """The words of a head, folded: ``arrDelay``, ``arr_delay`` and ``Arr. delay`` are the same two."""
    apart = re.sub(r"(?<=[a-zà-ÿ])(?=[A-ZÀ-Þ])", " ", text)
    return [word for word in re.split(r"[^\w]+|_+", folded(apart)) if word]


# What stands in brackets and is no word of what is measured: Stock (units), Diária média (R$).
_NO_WORD = re.compile(
    r"[(\[]\s*(?:units|pcs\.?|pieces|no\.?|nos\.?|stk\.?|stück|st\.?|szt\.?|ks|kpl|шт\.?|[a-z]{0,3}[€$£¥₹][a-z]?)\s*[)\]]",
    re.I,
)


def told_by(text: str) -> dict[str, tuple[float, str]]:
    """What the words of a head tell: each sort or direction with its weight, and the word that told it.

    Several words as one weigh more than each of them, and the last word of a head, which is what it is, more than those
    before it.
    """
    plain, parts = _words()
    words = words_of(_NO_WORD.sub("", text)) or words_of(text)
    found: dict[str, tuple[float, str]] = {}
    end = len(words) - (len(words) > 1 and words[-1] in _UNIT_WORDS)  # bill_length_mm is a length

    def tell(what: str, weight: float, word: str) -> None:
        if weight > found.get(what, (0.0, ""))[0]:
            found[what] = (weight, word)

    for size in (3, 2, 1):
        for at in range(len(words) - size + 1):
            word = "_".join(words[at : at + size])
            last = at + size in (len(words), end) or (at == 0 and size == 1 and len(words) > 1 and words[1] in _JOINING)
            for tells in plain.get(word, plain.get(f"{word}_" if size == len(words) else "", ())):
                if word in _ONLY_LAST and at + size < len(words):
                    continue
                tell(tells, 1.0 + 0.5 * (size - 1) + (0.4 if last else 0.0), word)
    if len(words) > 2 and words[0] in _ONLY_LAST and words[1] in _JOINING:
        tell("amount", 1.4, f"{words[0]}_{words[1]}")  # number of calls
    for word in words:
        for part, tells in parts:
            # A letter or two in front of what ends a word make another word, but where each letter is one.
            if len(word) > len(part) + (part < "\u2e80") and (
                word.startswith(part) if tells.endswith("^") else word.endswith(part)
            ):
                tell(tells.rstrip("^"), 1.2, word)
    return found


# Flight number, but number of flights.
_ONLY_LAST = frozenset(
    {
        "no",
        "nr",
        "number",
        "num",
        "numero",
        "nummer",
        "numer",
        "x",
        "y",
        "position",
        "rang",
        "index",
        "row",
        "media",
        "medio",
    }
)
_UNIT_WORDS = frozenset(
    [
        "mm",
        "cm",
        "m",
        "km",
        "kg",
        "g",
        "lb",
        "lbs",
        "in",
        "ft",
        "gbp",
        "eur",
        "usd",
        "chf",
        "min",
        "mins",
        "h",
        "hrs",
        "s",
        "sec",
        "t",
        "l",
        "ml",
        "c",
        "f",
        "kwh",
        "mwh",
        "mg",
        "ha",
        "m2",
        "pct",
        "percent",
    ]
)
_JOINING = frozenset({"of", "per", "in", "at", "for", "to", "from", "by", "de", "du", "des", "van", "di", "der", "pro", "je", "par", "por", "av", "w"})  # fmt: skip


def better_of(text: str) -> Better:
    """Which way is better, by words; open where none says so or both are said."""
    told = told_by(text)
    up, down = told.get("up", (0.0, ""))[0], told.get("down", (0.0, ""))[0]
    if any(word in _SPARED for word in words_of(text)) and down:
        return "higher"  # what was avoided or saved
    if up == down:
        return "open"
    return "higher" if up > down else "lower"


_SPARED = frozenset({"avoided", "saved", "recovered", "recycled", "resolved", "prevented", "vermieden", "eingespart", "reduced"})  # fmt: skip


class _Case:
    """What speaks for each sort of one column."""

    def __init__(self) -> None:
        self.scores: dict[Sort, float] = {}
        self.why: list[tuple[Sort, str]] = []

    def say(self, sort: Sort, weight: float, reason: str) -> None:
        self.scores[sort] = self.scores.get(sort, 0.0) + weight
        self.why.append((sort, reason))


def measured(column: Facts) -> Measured:
    """What a column of numbers measures."""
    if column.least is None or column.most is None or column.least == column.most:
        return Measured("same", 1.0, ("every row holds the same, or nothing",))
    told = told_by(column.label) or told_by(column.name)
    case = _Case()
    for sort in SORTS:
        if sort in told and _may_be(sort, column):
            weight, word = told[sort]
            case.say(sort, weight, f"the word “{word.replace('_', ' ')}”")
    if (
        (scale := _SCALE.search(column.label))
        and column.least >= 0
        and column.most <= float(scale["most"] or scale["of"])
    ):
        case.say("rating", 2.0, f"the scale “{scale[0].strip()}”")
    _by_unit(column, told, case)
    _by_values(column, told, case)
    if is_average(column.label):  # of several already: it is never added up, whatever it is an average of
        for sort in ADDED:
            case.scores.pop(sort, None)
        if not case.scores:
            word = told_by(column.label).get("average", (0.0, "per"))[1]
            case.say("each", 1.2, f"the word “{word.replace('_', ' ')}”")
    elif (words := words_of(column.label)) and words[0] in _TOTAL and "duration" in case.scores:
        case.say("amount", 4.0, f"the word “{words[0]}”")  # however long all of it took together
    elif "price" in case.scores and (of_all := [word for word in words if word in _TOTAL]):
        case.say("amount", 4.0, f"the word “{of_all[0]}”")
    if not case.scores and column.whole and column.least >= 0 and {"up", "down"} & set(told):
        word = told.get("up", told.get("down", (0.0, "")))[1]
        case.say("amount", 0.8, f"“{word.replace('_', ' ')}”, which is counted")
    if not case.scores:
        case.say("each" if not column.whole else "amount", 0.25, "its values alone")
    scores = case.scores
    best = max(scores, key=lambda sort: scores[sort])
    others = sum(weight for sort, weight in scores.items() if sort != best and not {sort, best} <= _COUNTS)
    sure = min(1.0, scores[best]) * scores[best] / (scores[best] + 0.6 * others)
    return Measured(best, round(sure, 2), tuple(reason for sort, reason in case.why if sort == best))


def is_average(label: str) -> bool:
    """Whether a head says that its figures are means already."""
    words, told = words_of(label), told_by(label).get("average")
    if per_what(label) or _IN_SO_MUCH.search(label):
        return True
    return told is not None and not (told[1] == "media" and _MEDIA & set(words))


def per_what(label: str) -> str:
    """What a head says that its figures are per one of, folded; "" for none, and for so much a day: that is what each row of a day
    tells."""
    return next(
        (
            of
            for per, of in pairwise(words_of(label)[1:])
            if per in _PER and of not in _TIMES and not (per == "pro" and of.endswith("s"))
        ),
        "",
    )


# How much of something is in a litre, on a hectare, of a kilogram: [mg/l], CFU/100 ml.
_IN_SO_MUCH = re.compile(r"[^\W_]\s?/\s?\d*\s?(?:[mcd]?l|[mkc]?m[²³23]|[mk]?g|ha|t|km|kwh)\s?[)\]]?$", re.I)
_PER = frozenset({"per", "je", "pro"})
_TIMES = frozenset({
    "day", "week", "month", "quarter", "year", "hour", "minute", "second", "shift", "tag", "woche", "monat", "jahr", "stunde", "dag", "maand", "uur", "vecka",
    "manad", "ar", "uge", "maned", "uke", "time", "rata", "cent",
})  # fmt: skip
_TOTAL = frozenset({"sum", "total", "totals", "summe", "gesamt", "totale", "totaal", "suma", "summa", "somme"})
_MEDIA = frozenset({"social", "print", "digital", "mass", "new", "news", "paid", "earned", "owned", "soziale"})
ADDED: tuple[Sort, ...] = "amount", "level", "code"
# A scale that answers are given on: (0-10), (1 to 5), out of 10, /5.
_SCALE = re.compile(
    r"[(\[]\s*[01]\s*(?:[-–—…]|\.\.|to|bis|à|a|til|till|do|tot)\s*(?P<most>[3-9]|10|20|100)\s*[)\]]"
    r"|(?:\bout of|\bvon|\bsur|\bauf|\bsu|\bsobre|\bav|\baf|\bop|/)\s*(?P<of>5|6|7|10|20|100)\s*[)\]]?$",
    re.I,
)


def _may_be(sort: Sort, column: Facts) -> bool:
    """Whether values allow what words say."""
    least, most = column.least or 0.0, column.most or 0.0
    if sort == "calendar":
        return column.whole and least >= 0 and (most <= 366 or (least >= 1800 and most <= 2200) or 1e5 < least < 3e5)
    if sort == "clock":
        return column.clock
    if sort == "code":
        return column.whole and least >= 0
    if sort == "share":
        return least >= -1 and most <= 1000
    if sort == "rating":
        return least >= -100 and most <= 1000
    if sort == "angle":
        return least >= -360 and most <= 360
    if sort == "place":
        return abs(least) <= 180 or not column.whole
    return True


def _by_unit(column: Facts, told: dict[str, tuple[float, str]], case: _Case) -> None:
    given = column.unit or ((found := unit_of_label(column.label)) and found.unit) or None
    if given is None:
        return
    if given.kind == "percent" or given.text == "%":
        case.say("share", 2.0, "its unit, percent")
    elif given.kind == "currency":
        case.say("price" if "price" in told else "amount", 1.2, f"its unit, {given.currency}")
    elif given.kind == "duration":
        case.say("duration", 1.2, f"its unit, {given.text}")
    elif given.text == "pt":
        case.say("rating", 1.5, f"its unit, {given.text}")
    elif "/" in given.text:
        case.say("each", 2.5, f"its unit, {given.text}")
    elif given.text in _STANDS_AT:
        case.say("each", 1.5, f"its unit, {given.text}")
    elif given.text in _ADDS_UP:  # what one thing weighs is in kilograms too
        case.say("amount", 0.4 if given.text in ("kg", "km") else 1.0, f"its unit, {given.text}")
    elif given.text in ("FTE", "VZÄ", "ETP", "VBE"):
        case.say("level", 1.2, f"its unit, {given.text}")


# What is measured at a moment, and what comes together.
_STANDS_AT = frozenset({
    "°C", "°F", "bar", "mbar", "Pa", "hPa", "kPa", "MPa", "mmHg", "dB", "dB(A)", "ppm", "ppb", "Hz", "kHz", "MHz", "rpm", "lx", "kV", "kW", "MW", "mA", "‰", "°dH", "NTU", "kn",
})  # fmt: skip
_ADDS_UP = frozenset({
    "kWh", "MWh", "GWh", "TWh", "Wh", "MJ", "GJ", "TJ", "t", "kg", "km", "l", "hl", "m³", "tCO₂e", "kgCO₂e", "kr", "TEU", "bbl", "GB", "TB",
})  # fmt: skip


def _of_one_length(least: int, most: int) -> bool:
    """Whether numbers look dealt out by their length: from 1000 on spread over all there are of it, as codes are and
    amounts of a month seldom, or of six digits."""
    same = len(str(least)) == len(str(most))
    return same and least >= 1000 and (most >= 5 * least or least >= 100_000)


def _by_values(column: Facts, told: dict[str, tuple[float, str]], case: _Case) -> None:
    least, most = column.least or 0.0, column.most or 0.0
    if column.whole and (least, most) == (0.0, 1.0):
        case.say("share", 1.5, "it is 0 or 1 on every row")
    known = max(1, round(column.rows * (1 - column.blank)))
    counted = bool(_COUNTS & set(told)) or "duration" in told
    if column.whole and column.rows >= 8 and not counted:
        if column.increasing and column.distinct == known:
            case.say("code", 1.6, "it goes up from row to row")
        elif column.distinct == known and most - least + 1 <= 1.5 * known and column.rows >= 20:
            case.say("code", 1.2, "every row has one of its own")
        elif _of_one_length(int(least), int(most)) and column.distinct > 0.3 * known:
            case.say("code", 0.8, OF_ONE_LENGTH)
        elif least >= 1900 and most <= 2100 and column.distinct <= 200:
            case.say("calendar", 1.2, "all are years")
    if column.whole and least >= 1800 and most <= 2100 and "calendar" in told:
        case.say("calendar", 1.5, "all are years")
    timed = column.clock and column.distinct > 24 and most > 300
    if timed and ("clock" in told or "duration" not in told) and not counted:
        case.say("clock", 0.9, "all are hours and minutes")
    if column.same_within and not counted and column.distinct > 1 and "share" not in told:
        case.say("same", 1.5, f"it is always the same for one {column.same_within}")
    if column.sum_of:
        case.say("amount", 1.2, f"it is the sum of {' and '.join(column.sum_of[:3])}")
    if least >= 0 and most <= 1 and not column.whole and not counted and "each" not in told:
        case.say("share", 0.7, "all lie between 0 and 1")
    if least < 0 < most and column.whole and not told:
        case.say("each", 0.3, "some are below zero")
