"""More of what core answers: values on, just under and just over every bound it knows. See ``known_answers``, which asks
these too."""

from __future__ import annotations

import itertools
import random
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import astuple
from typing import Any

import numpy as np

from ironmark.core import (
    axis,
    belonging,
    check,
    colour,
    drafting,
    drafting_words,
    measuring,
    pasted_rules,
    propose,
    ramp,
    words,
)
from ironmark.core.axis import Axis
from ironmark.core.formula import parse
from ironmark.core.formula_nodes import FormulaError
from ironmark.core.numbers import Unit
from ironmark.core.yardstick import Cut
from tests.styles import ENGLISH

Answers = Iterator[tuple[str, object]]
PERCENT, POUNDS, COMPACT = Unit("percent", 1), Unit("currency", 0), Unit("number", 1, compact=True)


def asked(work: Callable[[], object]) -> object:
    """The answer, or how it is refused."""
    try:
        return work()
    except (ValueError, ArithmeticError) as error:
        span = f" at {error.start}–{error.end}" if isinstance(error, FormulaError) else ""
        return f"refused{span}: {error}"


def words_at_edges() -> Answers:
    for unit in (Unit(), Unit(decimals=2), PERCENT, POUNDS, COMPACT):
        name = f"{unit.kind} {unit.decimals}{' compact' if unit.compact else ''}"
        for offset in (-7.0, -0.5, -0.004, 0.0, 0.004, 0.25, 0.5, 1.0, 3.2, 1234.5):
            cut = Cut(offset, "target", 0.9 if offset > 1 else 1.0)
            yield (
                f"an offset of {offset} in {name}",
                (
                    words.offset_words(offset, unit, ENGLISH),
                    words.cut_words(cut, unit, ENGLISH),
                    words.cut_words(Cut(offset), unit, ENGLISH),
                ),
            )
        for value in (
            3.2e-7, 1e-13, 9.9e-13, 0.00009, 0.00099, 0.001, 0.0011, 0.00999, 0.01, 0.0101, 0.1, 0.12345, 1.2345, 9.99, 1000 + 5e-7,
            1000 + 2e-6, 0.5 + 1.5e-9, 0.5 + 5e-10, 1234.56789, 12_345_678.9, float("inf"),
        ):  # fmt: skip
            yield (
                f"{value!r} told in {name}",
                (
                    words.decimals_for(value, unit),
                    words.show_mark(value, unit, ENGLISH),
                    words.show_line(value, unit, ENGLISH),
                ),
            )
        for gap, direction in itertools.product((-1.0, -0.5, -0.01, 0.01, 0.5, 1.0), ("higher", "lower", "inside")):
            yield (
                f"{gap} off, {direction}, in {name}",
                words.gap_words(4 + gap, 4.0, "target", direction, unit, ENGLISH),
            )


def axes_at_edges() -> Answers:
    tiny = 1e-9
    lows = (-1e308, -8.0, -0.5, 0.0, 1e-12, 0.2, 0.45, 0.5, 0.92, 1.0, 3.0, 99.0, 1e15, 1e300)
    for low, high in itertools.combinations_with_replacement(lows, 2):
        for zero, ceiling in itertools.product((False, True), (None, 1.0, 0.5)):
            made = asked(lambda lo=low, hi=high, z=zero, c=ceiling: axis.choose([lo, hi], from_zero=z, ceiling=c))  # type: ignore[misc]
            yield (
                f"an axis from {low} to {high}, zero {zero}, to {ceiling}",
                (made.low, made.high, made.broken, axis.ticks(made)) if isinstance(made, Axis) else made,
            )
    for some in ([None, 1.0], [float("nan"), 2.0, 3.0], [float("inf")], [axis.LARGEST, 1.0], [axis.LARGEST * 2, 1.0], [0.0, tiny], [0.3, 0.3 + tiny], [0.3, 0.3 + 2 * tiny], [5.0, 5 + 4 * tiny], [5.0, 5 + 6 * tiny], [1.0, 1.0], [1 + tiny]):  # fmt: skip
        for ceiling in (None, 1.0):
            made = asked(lambda s=some, c=ceiling: axis.choose(s, ceiling=c))  # type: ignore[misc]
            yield f"an axis for {some}, to {ceiling}", (made.low, made.high) if isinstance(made, Axis) else made
    for low, high in ((2.0, 6.0), (-4.0, 1.0), (0.0, 1.0), (1e12, 1e12 + 1), (0.13, 0.87), (-0.3, 12.7), (97.0, 103.0)):
        on = Axis(low, high)
        span = high - low
        at = [low - span, low - span * 2e-9, low - span * 1e-9, low - span * 5e-10, low, low + span / 3, high, high + span * 5e-10, high + span * 1e-9, high + span * 2e-9, high + 1, float("nan")]  # fmt: skip
        yield f"places from {low} to {high}", [(on.place(value), on.past(value)) for value in at]
        yield f"fractions from {low} to {high}", on.fraction(at)
        for count in range(1, 13):
            yield f"about {count} from {low} to {high}", (axis.about(on, count), axis.ticks(on, count))
        for given in ((None, None), (low + span, None), (None, low), (None, low - 1), (high, None), (low, high), (high, low), (1e308, None), (None, -1e308)):  # fmt: skip
            ends = axis.with_ends(on, *given)
            yield f"from {low} to {high} given {given}", (ends.low, ends.high)
    for top in (1.0, 1 + 5e-10, 1 + 1e-9, 1 + 2e-9, 1 - 5e-10, 0.5):
        yield f"the whole of {top!r}", axis.whole_of(np.array([0.2, top]), True)
    for span, most in itertools.product((0.0, 1e-300, 0.9999999999, 1.0, 2.0, 2.5, 2.0000000001, 5.0, 9.0, 10.0, 99.0), (0, 1, 2, 4, 5)):  # fmt: skip
        yield f"a step for {span!r} in {most}", axis.step_for(span, most)


def shares_at_edges() -> Answers:
    rng = np.random.default_rng(5)
    for target in (0.5, 0.9, 0.909, 0.91, 0.95, 0.989, 0.99, 0.991, 0.995, 1.0, 1.2):
        for direction, share in itertools.product(("higher", "lower", "inside"), (True, False)):
            made = propose.propose(rng.random(30), np.array([np.nan, target]), direction, share)
            yield f"around {target}, {direction}, share {share}", (made.bands, [(c.offset, c.mark, c.factor) for c in made.cuts])  # fmt: skip
    for shares in ([0.5, 0.5 - 9e-9], [0.5, 0.5 - 1.1e-8], [0.5, 0.5 + 9e-9], [0.5, 0.5 + 1.1e-8], [1.0], [0.0, 1.0], [-0.5, 1.5], [0.25] * 4, [1 / 12] * 12, [0.9, 0.3], [0.1, 0.3]):  # fmt: skip
        yield f"the shares {shares}", asked(lambda s=shares: propose.shares_of(s))  # type: ignore[misc]
    for some in (
        [],
        [3.0],
        [3.0, 3.0, 3.0],
        [0.0, 0.0],
        [-1.0, 4.0],
        list(range(30)),
        [1e16, 1.0],
        [0.001, 0.0011, 0.0012],
    ):
        values = np.array(some, dtype=float)
        yield f"quantiles of {some[:4]}", propose.round_quantiles(values, np.array([0.25, 0.5, 0.75]))
        yield f"dealt by {some[:4]}", [c.offset for c in propose.deal("higher", np.array([0.5, 0.3, 0.2]), values=values).cuts]  # fmt: skip
    for low, high in ((0.0, 1.0), (-5.0, 5.0), (2.0, 2.03), (0.0, 1e6)):
        for count in (2, 3, 7, 12):
            made = propose.deal("lower", np.full(count, 1 / count), low=low, high=high)
            yield f"{count} dealt from {low} to {high}", (made.bands, [c.offset for c in made.cuts])
    uneven = propose.deal("higher", np.array([0.001, 0.001, 0.998]), low=0, high=1)
    yield "narrow bands are kept apart", [c.offset for c in uneven.cuts]


def colours_at_edges() -> Answers:
    greys = [f"#{level:02x}{level:02x}{level:02x}" for level in (0, 10, 60, 118, 119, 120, 128, 190, 245, 255)]
    hues = ["#804040", "#408040", "#404080", "#807040", "#3d8f8f", "#c0392b", "#8e44ad"]
    for one, other in itertools.combinations([*greys[::3], *hues], 2):
        far = colour.distance(colour.lab(colour.rgb([one])), colour.lab(colour.rgb([other])))
        back = colour.distance(colour.lab(colour.rgb([other])), colour.lab(colour.rgb([one])))
        yield f"from {one} to {other} and back", (far, back, colour.contrast(other, one))
    for three in itertools.product(greys[::2], hues[:3], greys[1::3]):
        yield f"{three} as a ramp", ramp.doubts(three)
    for two in itertools.product(greys[::2], hues):
        yield f"{two} as a ramp", ramp.doubts(two)
    for values in ([], [4.0], [0.0], [-6.0, -2.0], [1.0, 3.0, 9.0], [float("nan"), 2.0]):
        for anchor, low, middle, high in itertools.product(("extent", "ends", "midpoint"), (None, 0.0, 2.0), (None, 0.0, 4.0), (None, 0.0, 4.0)):  # fmt: skip
            for count in (2, 3):
                made: Any = asked(lambda v=values, a=anchor, lo=low, mi=middle, hi=high, n=count: ramp.anchored(hues[:n], np.array(v), a, lo, mi, hi))  # type: ignore[misc]  # fmt: skip
                yield f"{count} colours over {values}, {anchor} {low} {middle} {high}", made if isinstance(made, str) else (made.anchors, made.colours)  # fmt: skip


SORTS: tuple[Any, ...] = ("calendar", "clock", "code", "share", "rating", "angle", "place", "amount")
LEASTS = (
    -361.0,
    -360.0,
    -181.0,
    -180.0,
    -101.0,
    -100.0,
    -2.0,
    -1.0,
    -0.5,
    0.0,
    1.0,
    1799.0,
    1800.0,
    1e5,
    1e5 + 1,
    3e5 - 1,
    3e5,
)
MOSTS = (
    0.0,
    1.0,
    180.0,
    181.0,
    300.0,
    301.0,
    360.0,
    361.0,
    366.0,
    367.0,
    1000.0,
    1001.0,
    2100.0,
    2101.0,
    2200.0,
    2201.0,
    4e5,
)


def facts(label: str, **told: Any) -> measuring.Facts:
    shape = {"least": 0.0, "most": 900.0, "whole": True, "distinct": 400, "rows": 1000} | told
    return measuring.Facts(label.lower().replace(" ", "_"), label, "number", "measure", **shape)


def measures_at_edges() -> Answers:
    for sort, whole in itertools.product(SORTS, (True, False)):
        found = [measuring._may_be(sort, facts("x7", least=least, most=most, whole=whole)) for least, most in itertools.product(LEASTS, MOSTS)]  # fmt: skip
        yield f"may be {sort}, whole {whole}", "".join("01"[one] for one in found)
    lengths = (0, 9, 10, 99, 100, 999, 1000, 1001, 4999, 5000, 9999, 10_000, 49_999, 50_000, 99_999, 100_000, 499_999)
    yield (
        "dealt out by their length",
        ["01"[measuring._of_one_length(a, b)] for a, b in itertools.combinations(lengths, 2)],
    )
    for label in ("x7", "Year", "Opened at", "Wait min", "Count", "Temperature", "Share of hives"):
        for told in (
            {"rows": 7, "distinct": 7, "increasing": True}, {"rows": 8, "distinct": 8, "increasing": True}, {"rows": 8, "distinct": 7, "increasing": True},
            {"rows": 19, "distinct": 19, "most": 18.0}, {"rows": 20, "distinct": 20, "most": 19.0}, {"rows": 20, "distinct": 20, "most": 29.0},
            {"rows": 20, "distinct": 20, "most": 30.0}, {"rows": 20, "distinct": 20, "most": 28.0}, {"rows": 40, "distinct": 20, "blank": 0.5, "most": 19.0},
            {"least": 1000.0, "most": 9999.0, "distinct": 300}, {"least": 1000.0, "most": 9999.0, "distinct": 301}, {"least": 1000.0, "most": 4999.0, "distinct": 400},
            {"least": 1900.0, "most": 2100.0, "distinct": 200}, {"least": 1900.0, "most": 2101.0, "distinct": 200}, {"least": 1899.0, "most": 2100.0, "distinct": 201},
            {"least": 1900.0, "most": 2100.0, "distinct": 201}, {"least": 1800.0, "most": 2100.0}, {"least": 1799.0, "most": 2100.0}, {"least": 1800.0, "most": 2101.0},
            {"clock": True, "distinct": 24, "most": 2359.0}, {"clock": True, "distinct": 25, "most": 300.0}, {"clock": True, "distinct": 25, "most": 301.0},
            {"most": 1.0, "distinct": 2}, {"most": 1.0, "distinct": 2, "whole": False}, {"most": 1.1, "whole": False}, {"least": -0.1, "most": 1.0, "whole": False},
            {"least": -1.0, "most": 5.0}, {"least": -1.0, "most": 0.0}, {"least": -5.0, "most": 5.0, "whole": False}, {"same_within": "yard", "distinct": 1},
            {"same_within": "yard", "distinct": 2}, {"sum_of": ("a", "b", "c", "d")}, {"distinct": 3}, {"distinct": 5, "least": 1.0, "most": 5.0}, {"distinct": 6, "least": 1.0, "most": 6.0},
            {"distinct": 11, "most": 10.0}, {"distinct": 12, "most": 11.0}, {"rows": 0, "distinct": 0}, {"rows": 1, "distinct": 1},
        ):  # fmt: skip
            column, case = facts(label, **told), measuring._Case()
            measuring._by_values(column, measuring.told_by(label), case)
            found = measuring.measured(column)
            yield f"“{label}” {told}", (found.sort, round(found.sure, 6), found.evidence, case.scores)
    units = (None, Unit("percent", 1), Unit(text="%"), POUNDS, *(Unit("duration", 0, text=text) for text in ("s", "min", "h")), *(Unit(text=text) for text in ("°C", "pt", "kWh", "MWh", "t", "l", "m³", "kg", "°")))  # fmt: skip
    for label, unit in itertools.product(("x7", "Price", "Count", "Wait min", "Share %", "Weight kg"), units):
        column = measuring.Facts("c", label, "number", "measure", least=1.0, most=9.0, distinct=9, rows=90, unit=unit)
        case = measuring._Case()
        measuring._by_unit(column, measuring.told_by(label), case)
        yield (
            f"“{label}” in {unit and (unit.kind, unit.text)}",
            (case.scores, case.why, str(measuring.measured(column))),
        )
    for head in (
        "number of calls", "Number of", "number calls", "no calls", "calls no", "no. of calls", "of number calls", "index of prices x", "x y", "y", "length mm", "mm", "bill_length_mm", "mm per bill",
        "per head cost", "cost per head", "head of cost", "arrDelay", "Überstunden", "Stundenlohn", "Lohnstunden", "Anzahl der Anrufe", "nombre de ruches", "total net weight kg", "net weight", "weight net of box",
        "avoided losses", "losses avoided", "saved cost", "late on time", "won lost", "good bad", "stdsatz", "stunden", "row", "row of seats", "position of hive", "", "___", "7", "kg",
    ):  # fmt: skip
        yield (
            f"the head “{head}” tells",
            (sorted(measuring.told_by(head).items()), measuring.better_of(head), measuring.words_of(head)),
        )
    for line in measuring._WORDS.read_text(encoding="utf-8").splitlines()[1::3]:
        head = line.split("\t")[-1]
        yield f"the head “{head}” tells too", sorted(measuring.told_by(head).items())


NOUNS = (
    "Hives", "Hives lost", "Colonies", "Swarms caught", "Queens replaced", "Capacity", "Seats taken", "Kilos", "Honey kg", "Sugar fed kg", "Hours", "Hours worked",
    "Diesel l", "Complaints", "Cancelled classes", "Classes", "Classes held", "Late deliveries", "Deliveries", "On time deliveries", "Members", "New members", "Frames of 10", "Stings",
)  # fmt: skip


TRADES = (
    "Calls", "Abandoned calls", "Calls answered", "Orders", "Orders shipped", "Late orders", "Rooms sold", "Rooms available", "Seats booked", "Passengers",
    "Passengers boarded", "Energy kWh", "Fuel cost", "Staff hours", "Overtime hours", "Labour hours", "Days", "Minutes", "Sick days", "Staff", "Nurses", "Beds occupied",
    "Beds", "Cases closed", "Cases reopened", "Total", "Total output", "Scrap", "Output", "Yield", "Breakdowns", "Shifts", "No shows", "Appointments", "Appointments kept",
    "Members left", "Waste recycled", "Energy saved", "Spend on staff", "Late", "Late on Mondays", "Lost in transit", "Units of power", "Hours of staff",
)  # fmt: skip


def drafts_at_edges() -> Answers:
    for one, other in itertools.permutations([facts(label) for label in (*NOUNS, *TRADES)], 2):
        told = [belonging._is_of(one, other, close) for close in (0.0, 0.69, 0.7, 0.9)]
        if any(told) or belonging.shares_a_word(one, other):
            yield f"{one.label} of {other.label}", (told, belonging.shares_a_word(one, other))
    for label in (*NOUNS, *TRADES):
        column = facts(label)
        yield f"{label} by itself", (belonging._of_others(column) if belonging.is_bad(column) else None, drafting._is_used(column), drafting_words.one_of(label))  # fmt: skip
        for sort in ("code", "place", "angle") if label in NOUNS else ():
            yield f"{label} as {sort}", str(drafting._of_no_measure(column, sort))
        for decimals in (0, 1, 2, 3) if label in NOUNS[:3] else ():
            unit = Unit("number", decimals, text="kg")
            told = measuring.Facts(column.name, label, "number", "measure", least=0.0, most=9.0, rows=10, unit=unit)
            yield f"{label} to {decimals}", (str(drafting._spread(told)), str(drafting._used_per(told, facts("Hives"))))
    shapes: tuple[dict[str, Any], ...] = (
        {}, {"least": 5.0, "most": 5.0}, {"least": -1.0}, {"whole": False}, {"least": None, "most": None}, {"within": (("hives", 0.66),)},
        {"within": (("hives", 0.64), ("capacity", 0.5))}, {"within": (("hives", 0.7), ("capacity", 0.72))}, {"within": (("capacity", 0.9),)}, {"within": ()}, {"sum_of": ("hives_lost",)},
        {"most": 899.0}, {"most": 901.0},
    )  # fmt: skip
    whole = facts("Hives")
    for label, shape in itertools.product(("Hives lost", "Hives sold", "Swarms caught", "Empty", "On time"), shapes):
        for most in (None, 0.5, 900.0, 1200.0):
            others = [whole, facts("Capacity", most=most)]
            found = belonging.parts_among([facts(label, **shape), *others], others[1:])
            yield f"{label} {shape} beside capacity {most}", [(a.label, b.label) for a, b in found.items()]
            yield f"{label} {shape} counted, {most}", getattr(drafting._counted([facts(label, **shape), *others], found), "label", None)  # fmt: skip


def columns_at_edges() -> Answers:
    """What is made of one column, by what it measures and what it holds."""
    for role, kind, distinct, rows in itertools.product(("text", "segment", "key"), ("text", "number"), (12, 13, 14, 899, 900, 901), (0, 1000)):  # fmt: skip
        column = measuring.Facts("hive", "Hive", kind, role, distinct=distinct, rows=rows)  # type: ignore[arg-type]
        yield f"different {role} {kind} {distinct} of {rows}", str(drafting._distinct(column))
    ends = ("sold", "spoiled", "late", "delivered", 'with "care"', "kept", "lost", "red", "blue")
    for label, n, at in itertools.product(("Outcome", "Status", "Colour"), (0, 1, 2, 3, 8, 9), range(4)):
        members = tuple(ends[(at * 2 + i) % len(ends)] for i in range(n))
        column = measuring.Facts("c", label, "text", "segment", members=members, distinct=n, rows=90)
        yield f"{label} of {members}", [str(one) for one in drafting._share_of_outcome(column, True)]
    for label, kind, clock in itertools.product(
        ("Closed on", "Arrival time", "Note", "Departed"), ("date", "number", "text"), (True, False)
    ):
        for role, blank in itertools.product(("detail", "period"), (0.0, 0.0019, 0.002, 0.0021, 0.3, 0.6, 0.6001)):
            column = measuring.Facts("c", label, kind, role, clock=clock, blank=blank, rows=1000)  # type: ignore[arg-type]
            if drafting._may_not_happen(column):
                yield (
                    f"{label} {kind} {clock} {role} {blank} may not happen",
                    drafting._share_that_happened(column).formula,
                )
    for label in (
        "",
        "7 hives",
        "æ",
        "a" * 39,
        "b" * 40,
        "c" * 41,
        "__x__",
        "Hives & bees (all)",
        "A-b",
        "9",
        "Säcke je Tag",
        "Опоздания",
        "遅れ 分",
        "Ⅳ-ſ",
        "²/م",
    ):
        yield f"the handle of {label}", drafting_words.handle_of(label, "value_of")
    for n in (59, 60, 61):
        long = "late " + "x" * (n - 5)
        column = measuring.Facts("c", "Outcome", "text", "segment", members=(long, "red"), distinct=2, rows=9)
        yield f"a member of {n} signs", [one.name for one in drafting._share_of_outcome(column, True)]
    planned = [
        facts(label)
        for label in (
            "Planned output",
            "Output",
            "Output planned",
            "Budget",
            "Plan",
            "Output cost",
            "Budget cost",
            "Cost",
            "Target",
        )
    ]
    for column in planned:
        for among in (planned, planned[::-1], [column], planned[1:3]):
            yield (
                f"{column.label} among {len(among)} from {among[0].label}",
                getattr(belonging.plan_of(column, among), "label", None),
            )
    shapes: tuple[dict[str, Any], ...] = (
        {}, {"most": 1.0}, {"most": 1.0, "whole": False}, {"most": 1.5, "whole": False}, {"most": 1.6, "whole": False}, {"most": 1000.0}, {"most": 1001.0},
        {"least": -1001.0, "most": 5.0, "whole": False}, {"least": -1000.0, "most": 5.0, "whole": False}, {"least": None, "most": None}, {"least": None, "most": 2.0},
    )  # fmt: skip
    whole = facts("Colonies")
    for label, shape, sort in itertools.product(
        ("Share of colonies", "Kilos kg", "Price £", "Wait min"), shapes, measuring.SORTS
    ):
        if shape and label in ("Price £", "Wait min"):
            continue
        column = facts(label, **shape)
        for evidence, among in (((), [column]), (("one", "two", "three"), [column, whole])):
            sorts = {c.name: measuring.measured(c) for c in among}
            made = drafting._amount(column, measuring.Measured(sort, 1.0, evidence), "", among, sorts)
            told: object = (
                made.formula,
                made.unit.kind,
                made.unit.decimals,
                made.unit.text,
                made.unit.compact,
                made.nature,
            )
            yield (
                f"{label} {shape} as {sort} beside {len(among) - 1}",
                (told, made.reason if evidence and not shape else ""),
            )
    counts = [
        facts("Colonies"),
        facts("Hives"),
        facts("Hives lost"),
        facts("Cost £"),
        facts("Debts", least=-1.0),
        facts("Frames", least=None),
        facts("Swarms", whole=False),
    ]
    for label, n in itertools.product(("Share of hives", "Yield", "Colonies kept"), range(1, 3)):
        for among in itertools.combinations(counts, n):
            sorts = {
                c.name: measuring.Measured("amount", sure, ())
                for c, sure in zip(among, (drafting.SURE, drafting.SURE - 0.01), strict=False)
            }
            yield (
                f"{label} weighed among {[c.label for c in among]}",
                getattr(drafting._weight(facts(label), among, sorts), "label", None),
            )
    rng = random.Random(13)
    for at in range(220):
        made_of = []
        for n, label in enumerate(
            rng.sample(
                (
                    *NOUNS,
                    *TRADES,
                    "Wait s",
                    "Handle time min",
                    "Score",
                    "Price £",
                    "Rating",
                    "Planned kilos",
                    "Row no",
                    "Share of hives",
                ),
                rng.randint(1, 7),
            )
        ):
            most = rng.choice((1.0, 5.0, 90.0, 900.0, 5000.0))
            told = {
                "most": most,
                "whole": rng.random() < 0.7,
                "distinct": rng.choice((3, 30, 400)),
                "least": rng.choice((0.0, 0.0, 1.0, -2.0, most)),
            }
            if n and rng.random() < 0.4:
                told["within"] = ((made_of[0].name, rng.choice((0.5, 0.7, 0.95))),)
            made_of.append(facts(label, **told))
        if rng.random() < 0.3:
            made_of.append(
                measuring.Facts(
                    "hive",
                    "Hive",
                    "text",
                    rng.choice(("segment", "text", "key")),
                    distinct=rng.choice((12, 40, 990)),
                    rows=1000,
                )
            )
        if rng.random() < 0.3:
            made_of.append(
                measuring.Facts("left_at", "Left at", "date", "detail", blank=rng.choice((0.0, 0.3)), rows=1000)
            )
        if rng.random() < 0.2:
            made_of.append(
                measuring.Facts("who", "Outcome", "text", "key", members=("sold", "lost"), distinct=2, rows=1000)
            )
        if rng.random() < 0.2:
            made_of.append(measuring.Facts("ripe", "Ripe", "flag", "flag", rows=1000))
        if rng.random() < 0.3:
            role, distinct = rng.choice(("segment", "text", "key")), rng.choice((12, 40, 990))
            made_of.append(measuring.Facts("hive", "Hive", "text", role, distinct=distinct, rows=1000))  # type: ignore[arg-type]
        if rng.random() < 0.3:
            blank = rng.choice((0.0, 0.3))
            made_of.append(measuring.Facts("left_at", "Left at", "date", "detail", blank=blank, rows=1000))
        if rng.random() < 0.2:
            made_of.append(
                measuring.Facts("who", "Outcome", "text", "key", members=("sold", "lost"), distinct=2, rows=1000)
            )
        if rng.random() < 0.2:
            made_of.append(measuring.Facts("ripe", "Ripe", "flag", "flag", rows=1000))
        if rng.random() < 0.4:
            made_of.append(
                measuring.Facts(
                    "state", "Status", "text", "segment", members=("sold", "spoiled"), distinct=2, rows=1000
                )
            )
        draft = drafting.draft(rng.choice(("Hives", "", "Visits")), made_of, counted_rows=at % 3 > 0)
        yield (
            f"drafted {at}: {[c.label for c in made_of]}",
            ([(k.handle, k.formula, k.place, k.plan) for k in draft.kpis], [astuple(one) for one in draft.left_out]),
        )


TEMPLATES = (
    ">= {a} {s}", "> {a} {s}", "<= {a} {s}", "< {a} {s}", "{a} to {b} {s}", "{a}-{b}: {s}", "between {a} and {b} {s}", "{a} <= x < {b} {s}", "{a} < x ≤ {b} {s}",
    "{a} and above {s}", "{a} or less {s}", "{a} <= share {s}", ">= {a} and < {b} {s}", "> {a} and <= {b} {s}", "at least {a} {s}", "up to {a} {s}", "{a} up to but not including {b} {s}",
    "else {s}", "= {a} {s}", "more than {a} {s}", "under {a} {s}", "{s}: from {a} to {b}",
)  # fmt: skip
BOUNDS = ("0", "1", "0.7", "0.85", "0,9", "5", "10", "70", "85", "85%", "70 %", "100", "1k", "-5", "99.")


def rules_at_edges() -> Answers:
    rng = random.Random(11)
    for at in range(500):
        unit = (PERCENT, Unit(), POUNDS)[at % 3]
        lines = []
        for _ in range(rng.choice((1, 2, 2, 3, 3, 4))):
            low, high = (
                sorted(rng.sample(range(len(BOUNDS)), 2)) if rng.random() < 0.9 else rng.sample(range(len(BOUNDS)), 2)
            )
            told = {"a": BOUNDS[low], "b": BOUNDS[high], "s": rng.choice(("red", "amber", "green", "short", "met"))}
            lines.append(rng.choice(TEMPLATES).format(**told))
        text = "\n".join(lines)
        found: Any = asked(lambda t=text, u=unit: pasted_rules.turn(t, u, ENGLISH))  # type: ignore[misc]
        if isinstance(found, str):
            yield f"“{text}” as {unit.kind}", found
            continue
        made = found.yardstick
        yield (
            f"“{text}” as {unit.kind}",
            (
                made and (made.bands, [(cut.offset, cut.belongs) for cut in made.cuts]),
                [(one.kind, one.message, one.lines) for one in found.findings],
            ),
        )


def formulas_at_edges(formulas: Sequence[str], columns: Mapping[str, Any]) -> Answers:
    """Formulas with a sign too few or too many, each told where it is wrong."""
    rng = random.Random(12)
    for text in formulas:
        for _ in range(4 if len(text) > 3 else 1):
            at = rng.randrange(len(text) + 1)
            other = text[:at] + rng.choice(("", "", ")", "(", " ", "5", "#", "where ", "“", ", 1")) + text[at + 1 :]
            yield f"{other} is fit", wrong_in(other, columns)


def wrong_in(text: str, columns: Mapping[str, Any]) -> object:
    try:
        check.check(parse(text), columns)
    except FormulaError as error:
        return f"{error} {error.start}–{error.end}"
    return "it is"


SECTIONS: dict[str, Callable[[], Answers]] = {
    "words at edges": words_at_edges, "axes at edges": axes_at_edges, "shares at edges": shares_at_edges,
    "colours at edges": colours_at_edges, "measures at edges": measures_at_edges, "drafts at edges": drafts_at_edges,
    "rules at edges": rules_at_edges, "columns at edges": columns_at_edges,
}  # fmt: skip
