"""The unit a formula most likely comes out in: by what its columns are called, and how they are put together."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass, replace

from ironmark.core import formula_nodes
from ironmark.core.currencies import CODES, IN_SMALL_LETTERS, SIGNS, sign_in
from ironmark.core.numbers import Unit

_CURRENCY_WORDS = {"euro": "EUR", "euros": "EUR", "pounds": "GBP", "dollars": "USD", "francs": "CHF", "kronor": "SEK", "kroner": "NOK"}  # fmt: skip
_DURATIONS = {
    "h": {
        "h", "hr", "hrs", "hour", "hours", "stunden", "heures", "horas", "uren", "godz", "godziny", "hodiny", "hodin", "timmar", "órák", "sati", "часов",
        "часы", "ώρες",
    },
    "min": {
        "min", "mins", "minute", "minutes", "minuten", "minutos", "minuti", "minuter", "minutter", "minuty", "minut", "minuutit", "minuuttia", "perc",
        "dk", "dakika", "мин", "минут", "минуты", "хвилин", "хвилини", "λεπτά", "分", "分钟", "分鐘", "분",
    },
    "s": {"s", "sec", "secs", "second", "seconds", "sekunden", "sekundy", "секунд", "сек", "秒", "초"},
}  # fmt: skip
_PER_TIME = re.compile(
    rf"(?:/\s*|\b(?:per|pro|je|par|por|na|w)\s+)(?:{'|'.join(sorted(set().union(*_DURATIONS.values()), key=len, reverse=True))})(?!\w)",
    re.I,
)
PERCENT = Unit("percent", 1)
_ROWS = Unit("number", 0, text="rows")  # counted: stands for itself, and is proposed to nobody


@dataclass(frozen=True)
class ProposedUnit:
    """A unit, and why it is the likely one."""

    unit: Unit
    why: str


def proposed_unit(
    tree: formula_nodes.Node,
    labels: Mapping[str, str],
    units: Mapping[str, Unit],
    given: Mapping[str, str] | None = None,
) -> ProposedUnit | None:
    """The likely unit of a formula as it was parsed; None where nothing tells one.

    labels: what its columns are called, by name. given: the units that their table gave them. units: those of other KPIs, by handle. A ratio of like things (two
    counts, two amounts of one unit, parts of one column) is a percent with one decimal; an amount per row keeps its
    column's unit, with two decimals where it is money.
    """
    found = _unit(tree, labels, units, given or {})
    if found is None or found.unit == _ROWS:
        return None
    return found


def unit_called(name: str) -> Unit | None:
    """The unit of a column by how it is kept: "GBP", "%", "min", "kg"; None for a plain number."""
    if not name:
        return None
    if name == "%":
        return PERCENT
    if name in CODES:
        return Unit("currency", 0, name)
    if name in _DURATIONS:
        return Unit("duration", 0, text=name)
    return Unit("number", 0, text=name)


def unit_of_label(label: str) -> ProposedUnit | None:
    """The unit a column's name gives away: ``Claims £``, ``fare_eur``, ``Overtime hrs``."""
    if sign := sign_in(label):
        return ProposedUnit(Unit("currency", 0, SIGNS[sign.lower()]), f"“{label}” is in {sign}")
    if "%" in label:  # 38.2 below a head that says percent; what is kept as a fraction says so itself
        return ProposedUnit(Unit("number", 1, text="%"), f"“{label}” is in percent")
    words = [word for word in re.split(r"[\W_]+", label.lower()) if word]
    for word in words:
        if word in IN_SMALL_LETTERS:
            return ProposedUnit(Unit("currency", 0, word.upper()), f"“{label}” is in {word.upper()}")
    for word in words[1:]:  # “Cost in euros”, not “Pounds lost”
        if word in _CURRENCY_WORDS:
            return ProposedUnit(Unit("currency", 0, _CURRENCY_WORDS[word]), f"“{label}” is in {word}")
    if is_per_time(label):
        return None
    for text, known in _DURATIONS.items():
        # A single letter is a unit only where it stands last: “Downtime (h)”, not “H block”.
        if any(word in known and (len(word) > 1 or word == words[-1]) for word in words[1:] or words):
            return ProposedUnit(Unit("duration", 0, text=text), f"“{label}” is in {text}")
    return None


def is_currency(text: str) -> bool:
    """Whether a text is the code of a currency: EUR."""
    return text.strip().upper() in CODES


def is_per_time(label: str) -> bool:
    """Whether a head says so much an hour, a minute or a second, as km/h and calls per hour do: that is no duration."""
    return _PER_TIME.search(label) is not None


def _unit(
    node: formula_nodes.Node, labels: Mapping[str, str], units: Mapping[str, Unit], given: Mapping[str, str]
) -> ProposedUnit | None:
    def of(child: formula_nodes.Node) -> ProposedUnit | None:
        return _unit(child, labels, units, given)

    match node:
        case formula_nodes.Column(name=name):
            label = labels.get(name, name)
            if (held := unit_called(given.get(name, ""))) is not None:
                return ProposedUnit(held, f"“{label}” is in {given[name]}")
            return unit_of_label(label)
        case formula_nodes.Aggregate(name="count" | "distinct"):
            return ProposedUnit(_ROWS, "")
        case formula_nodes.Aggregate(name=name, of=inner) if inner is not None:
            if not formula_nodes.columns_used(inner):
                return ProposedUnit(_ROWS, "") if name == "sum" else None
            found = of(inner)
            return _per_row(found) if found and name not in ("sum", "min", "max") else found
        case formula_nodes.Reference(handle=handle):
            return ProposedUnit(units[handle], f"@{handle} is") if handle in units else None
        case formula_nodes.Minus(of=inner) | formula_nodes.Call(name="abs" | "round" | "prior" | "year_ago" | "to_date" | "rolling" | "usual_low" | "usual_middle" | "usual_high", args=(inner, *_)):  # fmt: skip
            return of(inner)
        case formula_nodes.Call(name="share"):
            return ProposedUnit(PERCENT, "a share is one of the whole")
        case formula_nodes.Call(name="if", args=(_, then, _)):
            return of(then)
        case formula_nodes.Call(name="least" | "greatest", args=(first, *_)):
            return of(first)
        case formula_nodes.Binary(op="/", left=left, right=right):
            one, other = of(left), of(right)
            if isinstance(right, formula_nodes.Number):
                return one
            if _alike(left, right, one, other):
                return ProposedUnit(PERCENT, "it is a ratio of like things")
            # Money or time for one of anything else stays money or time.
            kept = one and one.unit.kind in ("currency", "duration") and not (other and other.unit.kind == "currency")
            return _per_row(one) if one and kept else None
        case formula_nodes.Binary(op="*", left=left, right=right):
            if isinstance(left, formula_nodes.Number) or isinstance(right, formula_nodes.Number):
                return of(right if isinstance(left, formula_nodes.Number) else left)
            prices = [found for side in (left, right) if (found := of(side)) and found.unit.kind == "currency"]
            return prices[0] if len(prices) == 1 else None  # an amount at a price
        case formula_nodes.Binary(left=left, right=right):
            one, other = of(left), of(right)
            if one and other:
                return one if _same(one, other) else None
            # What is added to euros, or taken off them, is in euros too; what is left of a whole is a share.
            return one or other
    return None


def _alike(
    left: formula_nodes.Node, right: formula_nodes.Node, one: ProposedUnit | None, other: ProposedUnit | None
) -> bool:
    if one and other:
        return _same(one, other)
    if not isinstance(left, formula_nodes.Aggregate) or not isinstance(right, formula_nodes.Aggregate):
        return False
    return left.name == right.name == "sum" and left.of == right.of


def _same(one: ProposedUnit, other: ProposedUnit) -> bool:
    def plain(found: ProposedUnit) -> Unit:
        return replace(found.unit, decimals=0, compact=False, text="" if found.unit == _ROWS else found.unit.text)

    return plain(one) == plain(other)


def _per_row(found: ProposedUnit) -> ProposedUnit:
    """An amount for one: pence tell there, and parts of an hour."""
    places = {"currency": 2, "duration": 1}.get(found.unit.kind, found.unit.decimals)
    return replace(found, unit=replace(found.unit, decimals=max(places, found.unit.decimals)))
