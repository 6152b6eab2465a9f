"""Rules as people write them by hand (``>= 85 and < 92 amber``) turned into bands, with what was wrong in them.

Such rules overlap, leave gaps, stand in the wrong order or mix percents with fractions, since nothing keeps them
from it. Bands cannot: so every rule is read as an interval, the line of numbers is cut where any of them begins or
ends, and each piece gets the state that was most likely meant.
"""

from __future__ import annotations

import math
import re
from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import pairwise

from ironmark.core.numbers import NotANumber, NumberStyle, Unit, show, understand
from ironmark.core.palette import STANDARD
from ironmark.core.yardstick import MAX_BANDS, Cut, Yardstick

MOST_LINES = 60
_WORDS = {
    "short": "short red bad poor fail failing failed critical alarm",
    "near": "near amber yellow orange warn warning fair watch",
    "met": "met green ok okay good fine pass passed",
    "beyond": "beyond blue great excellent best outstanding",
}
STATES = {state.key: state for state in STANDARD.states}
_STATE_OF = {word: state for state, words in _WORDS.items() for word in words.split()}
_NUMBER = r"([-−–+]?\s*[£$€]?\s*\d[\d.,  ]*\s*(?:(?:bn|k|m)\b)?\s*%?)"
_LEAST = r">=|=>|≥|at least|not less than|no less than|not below|from|minimum|min"
_OVER = r">|above|over|more than|greater than|exceeds"
_MOST = r"<=|=<|≤|at most|not more than|no more than|up to|not above|maximum|max"
_UNDER = r"<|below|under|less than"
_RANGE = rf"^[a-z_ :]*{_NUMBER}\s*(?:-|–|to|\.\.|up to)\s*(?P<not>but not including\s*)?{_NUMBER}"
_TURNED = {"<": ">", "<=": ">=", ">": "<", ">=": "<="}


class NotARule(ValueError):
    """A line that is no rule; the message says what to write."""


@dataclass(frozen=True)
class Rule:
    """The numbers from ``low`` to ``high`` get ``state``; ``closed`` says whether each end belongs to them."""

    line: int
    low: float
    high: float
    closed: tuple[bool, bool]
    state: str
    text: str = ""
    rest: bool = False  # otherwise: all that no other rule is about
    loose: bool = False  # a bare range, 85–92: which of its ends belong to it its neighbours say

    def inside(self, value: float) -> bool:
        return self.low < value < self.high

    def holds(self, value: float) -> bool:
        above = value > self.low or (value == self.low and self.closed[0])
        return above and (value < self.high or (value == self.high and self.closed[1]))

    def within(self, other: Rule) -> bool:
        """Whether it is about nothing but what ``other`` is about too, and about less."""
        starts = (self.low, not self.closed[0]) >= (other.low, not other.closed[0])
        ends = (self.high, self.closed[1]) <= (other.high, other.closed[1])
        return (
            starts and ends and not (self.low == other.low and self.high == other.high and self.closed == other.closed)
        )


@dataclass(frozen=True)
class Finding:
    """Something wrong in the rules and what was done about it. ``kind``: gap, overlap, unreachable, order, scale."""

    kind: str
    message: str
    lines: tuple[int, ...] = ()


@dataclass(frozen=True)
class Turned:
    """What rules come to: the yardstick, None where there is none to be had, and everything found on the way."""

    yardstick: Yardstick | None
    rules: tuple[Rule, ...]
    findings: tuple[Finding, ...]


def turn(text: str, unit: Unit, style: NumberStyle) -> Turned:
    """Read rules, one a line, and turn them into bands. Raises NotARule with the line that cannot be read."""
    lines = [line.strip(" \t;,.") for line in re.split(r"[\n;]+", text)]
    numbered = [(at, line) for at, line in enumerate(lines, start=1) if line]
    if not numbered:
        raise NotARule("Write one rule a line, such as “>= 85 and < 92 amber”.")
    if len(numbered) > MOST_LINES:
        raise NotARule(f"There are {len(numbered)} rules; at most {MOST_LINES} can be read.")
    read = [_rule(at, line, unit, style) for at, line in numbered]
    rules, found = _shared([rule for rule, _ in read]), _scales(read, unit)
    pieces, more = _pieces(rules, unit, style)
    found += more
    yardstick = _yardstick(pieces)
    if yardstick is None:
        found.append(Finding("few", f"The rules come to fewer than 2 or more than {MAX_BANDS} bands."))
    return Turned(yardstick, tuple(rules), tuple(found))


def _rule(at: int, line: str, unit: Unit, style: NumberStyle) -> tuple[Rule, list[str]]:
    """A line as a rule, and its numbers as they were typed."""
    plain = " ".join(line.lower().replace("→", " ").replace("then", " ").split())
    words = re.findall(r"[a-z]+", re.sub(r"[£$€]?\d[\d.,]*\s*(bn|k|m)\b", " ", plain))
    state = next((_STATE_OF[word] for word in reversed(words) if word in _STATE_OF), None)
    state = state or next((key for key, known in STATES.items() if known.name.lower() in words), None)
    if state is None:
        names = ", ".join(known.name for known in STATES.values())
        raise NotARule(f"Line {at}, “{line[:60]}”, names no state. Write {names}, or red, amber, green or blue.")
    if re.search(r"\b(else|otherwise|all other|rest|default)\b", plain) and not re.search(r"\d", plain):
        return Rule(at, -math.inf, math.inf, (False, False), state, line, rest=True), []
    bounds = _bounds(plain)
    if not bounds:
        raise NotARule(f"Line {at}, “{line[:60]}”, names no number. Write for example “>= 85 and < 92 amber”.")
    low, high, closed, typed = -math.inf, math.inf, [False, False], []
    for sign, number in bounds:
        try:
            value = understand(number, unit, style)
        except NotANumber as error:
            raise NotARule(f"Line {at}: {error}.") from None
        typed.append(number.strip())
        # Of two bounds on one side the tighter holds.
        if sign in (">", ">=") and (value, sign == ">") > (low, not closed[0]):
            low, closed[0] = value, sign == ">="
        elif sign in ("<", "<=") and (-value, sign == "<") > (-high, not closed[1]):
            high, closed[1] = value, sign == "<="
    if low > high or (low == high and not all(closed)):
        raise NotARule(f"Line {at}, “{line[:60]}”, holds for no number: it ends before it begins.")
    return Rule(at, low, high, (closed[0], closed[1]), state, line, loose=_is_range(plain)), typed


def _shared(rules: Sequence[Rule]) -> list[Rule]:
    """The rules, each bare range with those of its ends that its neighbours leave out.

    An end that another rule names as its own goes to that one; where two ranges meet the upper one begins there.
    """

    def taken(rule: Rule, value: float, upper: bool) -> bool:
        for other in rules:
            if other is rule or other.rest:
                continue
            if other.inside(value) or (not other.loose and other.holds(value)):
                return True
            if upper and other.loose and other.low == value:
                return True
        return False

    found = []
    for rule in rules:
        if rule.loose and rule.low < rule.high:
            closed = (not taken(rule, rule.low, False), not taken(rule, rule.high, True))
            rule = replace(rule, closed=closed)
        found.append(rule)
    return found


def _bounds(plain: str) -> list[tuple[str, str]]:
    """The comparisons of a line: (sign, number)."""
    if found := re.search(rf"between\s*{_NUMBER}\s*(?:and|to|-|–)\s*{_NUMBER}", plain):
        return [(">=", found[1]), ("<=", found[2])]
    if found := re.search(rf"{_NUMBER}\s*(<=|<|≤)\s*[a-z_ ]*?\s*(<=|<|≤)\s*{_NUMBER}", plain):
        return [(_TURNED[found[2].replace("≤", "<=")], found[1]), (found[3].replace("≤", "<="), found[4])]
    if found := re.search(_RANGE, plain):
        return [(">=", found[1]), ("<" if found["not"] else "<=", found[3])]
    bounds = []
    signs = ((">=", _LEAST), ("<=", _MOST), (">", _OVER), ("<", _UNDER))
    pattern = "|".join(f"(?P<s{n}>{words})" for n, (_, words) in enumerate(signs))
    for found in re.finditer(rf"(?:{pattern})\s*{_NUMBER}", plain):
        sign = next(sign for n, (sign, _) in enumerate(signs) if found[f"s{n}"])
        bounds.append((sign, found.groups()[-1]))
    # The number first: 85 <= share; or “92 and above”.
    if found := re.search(rf"{_NUMBER}\s*(?:and|or)\s*(above|over|more|higher|up|below|under|less|lower)\b", plain):
        bounds.append((">=" if found[2] in ("above", "over", "more", "higher", "up") else "<=", found[1]))
    if not bounds and (found := re.search(rf"{_NUMBER}\s*(<=|>=|<|>|≤|≥)", plain)):
        bounds.append((_TURNED[found[2].replace("≤", "<=").replace("≥", ">=")], found[1]))
    return bounds


def _is_range(plain: str) -> bool:
    """Whether a line is a bare range, which does not say whose its ends are."""
    found = None if plain.find("between") >= 0 else re.search(_RANGE, plain)
    return found is not None and not found["not"] and not re.search(rf"{_NUMBER}\s*(<=|<|≤)", plain)


def _scales(read: Sequence[tuple[Rule, list[str]]], unit: Unit) -> list[Finding]:
    """Percents and fractions side by side: 85 in one rule, 0.92 in another."""
    if unit.kind != "percent":
        return []
    fractions: list[tuple[int, str]] = []
    percents: list[tuple[int, str]] = []
    for rule, typed in read:
        for number in typed:
            digits = re.sub(r"[^\d.]", "", number.replace(",", "."))
            if digits and float(digits.rstrip(".")) not in (0.0, 1.0):
                (fractions if "%" not in number and float(digits.rstrip(".")) < 1 else percents).append(
                    (rule.line, number)
                )
    if not fractions or not percents:
        return []
    said = f"“{fractions[0][1]}” in line {fractions[0][0]} is a fraction and “{percents[0][1]}” in line {percents[0][0]} a percent"
    return [Finding("scale", f"{said}. Both were read as percents.", (fractions[0][0], percents[0][0]))]


@dataclass(frozen=True)
class _Piece:
    """A stretch of numbers between two places where a rule begins or ends, or one such place alone."""

    low: float
    high: float
    state: str | None

    @property
    def point(self) -> bool:
        return self.low == self.high

    def words(self, unit: Unit, style: NumberStyle) -> str:
        low, high = show(self.low, unit, style), show(self.high, unit, style)
        if self.point:
            return f"exactly {low}"
        if math.isinf(self.low):
            return f"below {high}"
        return f"{low} and above" if math.isinf(self.high) else f"{low} to {high}"


def _pieces(rules: Sequence[Rule], unit: Unit, style: NumberStyle) -> tuple[list[_Piece], list[Finding]]:
    """Every piece of the line with the state that was meant, in order, and what was wrong."""
    plain = [rule for rule in rules if not rule.rest]
    edges = sorted({edge for rule in plain for edge in (rule.low, rule.high) if math.isfinite(edge)})
    outer = [-math.inf, *edges, math.inf]
    stretches: list[_Piece] = []
    for low, high in pairwise(outer):
        stretches.append(_Piece(low, high, None))
        if math.isfinite(high):
            stretches.append(_Piece(high, high, None))
    rest = next((rule for rule in rules if rule.rest), None)
    found: list[Finding] = []
    reached: set[int] = set()
    gaps: list[int] = []
    overlaps: dict[tuple[int, ...], list[_Piece]] = {}
    pieces: list[_Piece] = []
    for at, piece in enumerate(stretches):
        inside = _middle(piece)
        held = [rule for rule in plain if rule.holds(inside)]
        if not held and rest is not None:
            held = [rest]
        if not held:
            gaps.append(at)
            pieces.append(piece)
            continue
        reached.add(held[0].line)
        if len({rule.state for rule in held}) > 1:
            overlaps.setdefault(tuple(rule.line for rule in held), []).append(piece)
        pieces.append(replace(piece, state=_meant(held).state))
    by_line = {rule.line: rule for rule in rules}
    for lines, places in overlaps.items():
        told = " and ".join(f"line {line}" for line in lines)
        won = _meant([by_line[line] for line in lines])
        state = STATES[won.state].name
        told_where = _Piece(places[0].low, places[-1].high, None).words(unit, style)
        kind = "order" if won.line != lines[0] else "overlap"
        why = "the narrower rule was taken" if kind == "order" else "the first was taken"
        found.append(Finding(kind, f"{told.capitalize()} both hold {told_where}; {why}: {state}.", lines))
    for rule in rules:
        if rule.line not in reached:
            cause = (
                "all it is about is taken by the lines above it"
                if not rule.rest
                else "the other lines leave nothing over"
            )
            found.append(
                Finding(
                    "unreachable", f"Line {rule.line}, “{rule.text[:60]}”, is never reached: {cause}.", (rule.line,)
                )
            )
    for at in sorted(gaps, key=lambda at: pieces[at].point):  # stretches first: a number alone follows its neighbour
        pieces[at] = replace(pieces[at], state=_filled(pieces, at))
    for first, last in _runs(gaps):
        given = [STATES[key].name for key in dict.fromkeys(pieces[at].state or "" for at in range(first, last + 1))]
        where = _between(pieces[first], pieces[last], unit, style)
        found.append(Finding("gap", f"No rule says what {where} is; it was given to {' and '.join(given)}."))
    return pieces, found


def _between(first: _Piece, last: _Piece, unit: Unit, style: NumberStyle) -> str:
    """Where a run of pieces lies, in words; a stretch does not hold its own ends."""
    if not first.point and math.isfinite(first.low) and math.isinf(last.high):
        return f"above {show(first.low, unit, style)}"
    if last.point and not first.point and math.isinf(first.low):
        return f"{show(last.low, unit, style)} and below"
    return _Piece(first.low, last.high, None).words(unit, style)


def _runs(places: Sequence[int]) -> list[tuple[int, int]]:
    """Neighbouring places as runs from first to last."""
    found: list[tuple[int, int]] = []
    for at in places:
        if found and found[-1][1] == at - 1:
            found[-1] = (found[-1][0], at)
        else:
            found.append((at, at))
    return found


def _middle(piece: _Piece) -> float:
    """A number inside of a piece."""
    if piece.point:
        return piece.low
    if math.isinf(piece.low):
        return piece.high - 1 - abs(piece.high) if math.isfinite(piece.high) else 0.0
    if math.isinf(piece.high):
        return piece.low + 1 + abs(piece.low)
    return piece.low + (piece.high - piece.low) / 2


def _meant(held: Sequence[Rule]) -> Rule:
    """Of rules that hold at one place the one most likely meant: the narrowest, else the first."""
    narrow = [rule for rule in held if all(rule is other or rule.within(other) for other in held)]
    return narrow[0] if narrow else held[0]


def _filled(pieces: Sequence[_Piece], at: int) -> str:
    """The state for a gap: a number alone goes to the band above it, a stretch to the worse of its neighbours."""
    before = next((p.state for p in reversed(pieces[:at]) if p.state), None)
    after = next((p.state for p in pieces[at + 1 :] if p.state), None)
    if before is None or after is None:
        return before or after or "short"
    if pieces[at].point:
        return after
    return min((before, after), key=lambda state: STATES[state].rank)


def _yardstick(pieces: Sequence[_Piece]) -> Yardstick | None:
    """Bands of the stretches, alike neighbours as one; a cut belongs to the side whose state its number has."""
    bands: list[str] = []
    cuts: list[Cut] = []
    for at, piece in enumerate(pieces):
        if piece.point or piece.state is None:
            continue
        if bands and bands[-1] == piece.state and pieces[at - 1].state == piece.state:
            continue
        if bands:
            edge = pieces[at - 1]
            below = edge.state == bands[-1] and edge.state != piece.state
            cuts.append(Cut(edge.low, belongs="below" if below else "above"))
        bands.append(piece.state)
    return Yardstick(tuple(bands), tuple(cuts)) if 2 <= len(bands) <= MAX_BANDS else None
