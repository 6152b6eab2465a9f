"""What core answers over whole worlds made up by chance: rows of orchards in districts, mark books, yardsticks, periods
that are not over; values, marks, states and the reasons there are none. ``known_answers`` asks these too."""

from __future__ import annotations

import datetime as dt
import itertools
import random
from collections.abc import Iterator
from typing import Any

import numpy as np
import polars as pl

from ironmark.core import colour, composite, distances, ledger, mark_lines, numbers, quadrant, ramp, units, workings
from ironmark.core import reading as core
from ironmark.core.expand import expand
from ironmark.core.formula import parse, renamed
from ironmark.core.formula_nodes import Call, FormulaError, aggregates, steps_of, walk
from ironmark.core.marks import EVERYONE, TOGETHER, MarkEntry, Owner
from ironmark.core.periods import Period, timeline
from ironmark.core.readings import Kpi, Readings
from ironmark.core.why_nothing import no_mark, why_nothing
from ironmark.core.yardstick import Cut, Yardstick
from ironmark.tables.columns import ColumnSource
from tests.styles import ENGLISH

Answers = Iterator[tuple[str, object]]
DISTRICTS = {"Ash": "North", "Birch": "North", "Cedar": "South", "Dale": "South", "Elm": "West"}
FORMULAS = (
    "sum(crates)", "count()", "sum(crates) / sum(hours)", "mean(crates)", "prior(sum(crates))", "year_ago(sum(crates))", "rolling(sum(crates), 3)",
    "to_date(sum(crates))", "share(sum(crates))", "if(count() > 3, mean(crates), 0)", "sum(crates where kind = \"plum\")", "sum(crates) / (sum(hours) - sum(hours))",
    "median(crates)", "stdev(hours)", "distinct(orchard)",
)  # fmt: skip
COMPUTED = (
    "rolling(mean(crates), 2)", "prior(sum(crates))", "rolling(sum(crates), 3) / 3", "year_ago(mean(crates))", "5",
    "rolling(sum(crates), 2) / rolling(count(), 2)",
)  # fmt: skip
OWNERS = (
    TOGETHER, EVERYONE, Owner.each("orchard"), Owner.each("district"), Owner.each("kind"), Owner.member(orchard="Ash"), Owner.member(orchard="Birch"),
    Owner.member(district="North"), Owner.member(district="South"), Owner.member(kind="plum"), Owner.member(orchard="Ash", kind="plum"), Owner.member(orchard="Elm"),
)  # fmt: skip
WHERES: tuple[dict[str, list[str]], ...] = (
    {}, {"orchard": ["Ash"]}, {"orchard": ["Ash", "Birch"]}, {"district": ["North"]}, {"district": ["North", "West"]}, {"orchard": ["Ash"], "district": ["North"]},
    {"orchard": ["Cedar", "Elm"], "kind": ["plum"]}, {"kind": ["pear"]}, {"orchard": ["Ash"], "district": ["South"]},
)  # fmt: skip
YARDSTICKS = (
    Yardstick(("short", "near", "met"), (Cut(40), Cut(80))), Yardstick(("short", "near", "met"), (Cut(0, "target", 0.9), Cut(0, "target"))),
    Yardstick(("met", "short"), (Cut(3, "limit"),), per="quarter"), Yardstick(("short", "met", "short"), (Cut(-5, "target"), Cut(5, "target"))), None,
)  # fmt: skip


def rows(rng: random.Random) -> tuple[pl.DataFrame, dt.date]:
    count, through = rng.choice((1, 8, 60, 200)), dt.date(2026, rng.randint(2, 12), rng.randint(1, 28))
    first = dt.date(2025, 1, 1)
    made: list[dict[str, Any]] = []
    for _ in range(count):
        orchard = rng.choice(tuple(DISTRICTS)[: rng.choice((1, 3, 5))])
        made.append({
            "day": first + dt.timedelta(days=rng.randrange((through - first).days + 1)), "orchard": orchard, "district": DISTRICTS[orchard],
            "kind": rng.choice(("plum", "pear")), "crates": rng.choice((None, 0.0, 1.0, 12.5, 20.0, 31.0)), "hours": rng.choice((0.0, 2.0, 8.0)),
        })  # fmt: skip
    return pl.DataFrame(made, schema_overrides={"crates": pl.Float64, "hours": pl.Float64}), through


def book(rng: random.Random) -> list[MarkEntry]:
    since = ("2025", "2025-01", "2025-Q3", "2025-11", "2026", "2026-02", "2026-03", "2026-05-10", "2026-W10")
    found = {}
    for _ in range(rng.randint(0, 9)):
        name, owner, start = (
            rng.choice(("target", "target", "limit")),
            rng.choice(OWNERS),
            Period.parse(rng.choice(since)),
        )
        found[name, owner, start] = MarkEntry(name, owner, start, rng.choice((0.0, 1.5, 30.0, 90.0, -4.0)))
    return list(found.values())


def worlds() -> Answers:
    rng = random.Random(29)
    for at in range(260):
        frame, through = rows(rng)
        source = ColumnSource(frame, "day", ["orchard", "district", "kind"], through)
        if rng.random() < 0.2:
            source.grain = rng.choice(("week", "month"))
        text, nature, where = rng.choice(FORMULAS), rng.choice(("flow", "rate", "stock")), rng.choice(WHERES)
        direction, pro = rng.choice(("higher", "lower", "inside")), rng.choice(("days", "none"))
        kpi = Kpi("k", "K", expand(parse(text)), direction=direction, nature=nature, pro_rating=pro, as_shown=rng.random() < 0.3)  # type: ignore[arg-type]  # fmt: skip
        entries, by, grain = book(rng), rng.choice((None, "orchard", "district", "kind")), rng.choice(("month", "month", "quarter", "year", "week"))  # fmt: skip
        line = timeline(Period.of(through, grain), source.first, source.last)[-rng.choice((2, 4, 9)) :]  # type: ignore[arg-type]
        name = f"{at}: {text}, {nature} {direction} by {by} of {where}, {grain}, {len(entries)} marks"
        more = {"computed": {"limit": expand(parse(rng.choice(COMPUTED)))}} if rng.random() < 0.4 else {}
        try:
            read = core.read(
                kpi, source, entries, ["target", "limit"], rng.choice(YARDSTICKS), by=by, where=where, periods=line,
                **more,  # type: ignore[arg-type]
            )  # fmt: skip
        except (KeyError, ValueError) as error:
            yield name, f"refused: {error}"
            continue
        yield from told(name, read, source, entries)


def told(name: str, read: Readings, source: ColumnSource, entries: list[MarkEntry]) -> Answers:
    p, m = len(read.periods) - 1, len(read.members) - 1
    yield name, (read.members, read.value[-3:], {key: line[-3:].tolist() for key, line in read.marks.items()})
    yield f"{name}: pro-rated", [distances.pro_rates(read, at) for at in range(len(read.periods))]
    yield (
        f"{name}: graded",
        (read.band[-3:], read.cuts[:, -1], [part and part.words for part in read.partial_periods[-2:]]),
    )
    if m < 0:
        return
    reasons = [why_nothing(read, p, m) if np.isnan(read.value[p, m]) else "", *(no_mark(read, source, entries, mark, p, m) for mark in read.marks if np.isnan(read.marks[mark][p, m]))]  # fmt: skip
    yield f"{name}: why not", reasons
    values = {
        one: float(read.totals.parts[one][p, m]) for one in aggregates(read.kpi.formula) if one in read.totals.parts
    }
    yield f"{name}: in numbers", workings.in_numbers(read.kpi.formula, lambda one: values.get(one, 0.0), ENGLISH)


def odds_and_ends() -> Answers:
    """Figures of workings, quadrants, tallies, composites, means."""
    for value in (0.0, 1.0, -1.0, 1e15, 1e15 - 1, 1e15 + 2, 1234.5, 0.1234567, 0.00001234, 99.999999, 1e-12, 12.0, 1234567.891, float("nan")):  # fmt: skip
        yield f"the figure {value!r}", workings.figure(value, ENGLISH)
    for text in ("a - (b - c)", "(a - b) - c", "a / (b / c)", "a / b / c", "a * (b + c)", "-(a + b)", "a - -b", "(a * b) / c", "a + (b + c)", "a * (b * c)", "a - (b + c)", "(a + b) * c"):  # fmt: skip
        tree = expand(parse("".join(f"sum({sign})" if sign.isalpha() else sign for sign in text)))
        yield f"{text} in numbers", workings.in_numbers(tree, lambda one: {"a": 1.5, "b": 2.0, "c": -3.0}[str(getattr(one.of, "name", "a"))], ENGLISH)  # fmt: skip
    arrays = (
        [],
        [0.0],
        [np.nan],
        [5.0, 5.0],
        [5.0, 5.0 + 4e-9],
        [5.0, 5.0 + 6e-9],
        [1.0, 2.0, 9.0],
        [-3.0, 0.0, 4.0],
        [0.5, np.nan, 0.25],
        [0.0, 0.0, 7.0],
    )
    for some in map(np.array, arrays):
        some = some.astype(float)
        yield f"of {some.tolist()}", (
            quadrant.cut_of(some, None), quadrant.cut_of(some, some + 1), quadrant.radii(some), ledger.stroke_of(some), ledger.strokes(some, 2.5),
            ledger.both_ways(some), quadrant.good(some, 5.0, "higher"), quadrant.good(some, 5.0, "lower"),
        )  # fmt: skip
    for values, weights in itertools.product(([[1.0, 3.0]], [[2.0, 2.0]], [[np.nan, 4.0]], [[np.nan, np.nan]], [[]], [[0.1, 0.3]]), ([1.0, 1.0], [0.0, 2.0], [0.0, 0.0], [-1.0, 1.0], [np.nan, 1.0])):  # fmt: skip
        held = np.array(values, dtype=float)
        yield (
            f"the mean of {values} by {weights}",
            mark_lines.mean(held, np.broadcast_to(np.array(weights)[: held.shape[1]], held.shape)),
        )
    for text in ("steps(crates, 5)", "steps(crates, 5, 15)", "steps(crates, -5, 0.25, 12345)"):
        tree = parse(f'count(where {text} = "a")')
        yield f"{text} is in", [steps_of(part) for part in walk(tree) if isinstance(part, Call)]
    for called in ("GBP", "EUR", "h", "min", "s", "%", "kg", "percent", "pt", "", "USD", "minutes"):
        yield f"a unit called {called}", units.unit_called(called)
    early = ("2026-W53", "2026-W01", "2020-W53", "2021-W53", "2024-02-29", "2026-Q3", "2026")
    for text, n in itertools.product(early, (0, 1, 2, 6)):
        if (period := Period.guess(text, 1)) is not None:
            yield f"{text}, {n} years back", period.years_back(n).key
    kinds = (
        numbers.Unit("number", 1, compact=True), numbers.Unit("duration", 0, text="s"), numbers.Unit("duration", 2, text="s"), numbers.Unit("percent", 3), numbers.Unit(),
    )  # fmt: skip
    for value in (9.94, 9.95, 10.0, 10.4, 10.94, 11.0, 59.4, 60.0, 60.4, 60.6, 61.0, 119.7, 1e12, 999_500.0, 999_949.0, 999_951.0, -0.4, -0.0):  # fmt: skip
        for unit in kinds:
            told = numbers.show(value, unit, ENGLISH), numbers.rounded(value, unit), numbers.scale(value, unit, 1)
            yield f"{value!r} in {unit.kind} {unit.decimals} {unit.text}", told
    for states in (("short", "near", "nowhere"), ("nowhere", "near"), ("short",), ("short", "met")):
        try:
            yield f"bands of {states}", Yardstick(states, (Cut(1.0),) * (len(states) - 1)).marks
        except ValueError as error:
            yield f"bands of {states}", f"refused: {error}"
    rng = random.Random(31)
    for _ in range(120):
        one, other = (f"#{rng.randrange(1 << 24):06x}" for _ in range(2))
        far = colour.distance(colour.lab(colour.rgb([one])), colour.lab(colour.rgb([other])))
        yield f"from {one} to {other}", (far, len(ramp.doubts([one, other])), ramp.doubts([one, "#eeeeee", other])[:1])
    for text in ("@yield + @yields", "@yield / @yield", "sum(a)", "(@waste + @yield) * 2", "prior(@yield)"):
        yield f"{text} renamed", renamed(text, "yield", "crop")
    for depth in (59, 60, 61):
        try:
            yield f"{depth} brackets", str(parse("(" * depth + "1" + ")" * depth))
        except FormulaError as error:
            yield f"{depth} brackets", f"{error} {error.start}–{error.end}"
    for weights in ((1.0, 1.0), (1.0, 3.0), (0.0, 2.0)):
        scores = (np.array([[0.5, np.nan], [1.0, 0.2]]), np.array([[0.25, 0.75], [np.nan, 0.4]]))
        parts = [
            composite.WeightedPart(f"part {weight}", weight, score, None)
            for score, weight in zip(scores, weights, strict=True)
        ]  # type: ignore[arg-type]
        yield f"composed by {weights}", (composite.compose(parts), [composite.contributions(parts, p, m) for p in (0, 1) for m in (0, 1)])  # fmt: skip


SECTIONS = {"worlds": worlds, "odds and ends": odds_and_ends}
