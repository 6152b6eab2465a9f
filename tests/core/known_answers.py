"""What core answers to many questions at once: each line of ``known_answers.txt`` is a question and its answer.

They are what the program answered when they were written, so they tell that something changed and not that it is right;
the tests beside this one tell that. ``python -m tests.core.known_answers`` writes them anew: read what differs before it is
kept.
"""

from __future__ import annotations

import datetime as dt
import itertools
from collections.abc import Callable, Iterator
from dataclasses import astuple, replace
from pathlib import Path
from typing import Any

import numpy as np

from ironmark.core import (
    axis,
    check,
    colour,
    distances,
    drafting,
    expand,
    formula_nodes,
    mark_lines,
    marks,
    measuring,
    nearest,
    numbers,
    palette,
    pasted_rules,
    periods,
    propose,
    prose,
    ramp,
    scope_shift,
    units,
    why_nothing,
    words,
    workdays,
    written,
)
from ironmark.core import reading as core
from ironmark.core import yardstick as grading
from ironmark.core.formula import parse
from ironmark.core.marks import EVERYONE, TOGETHER, MarkEntry, Owner
from ironmark.core.numbers import Unit
from ironmark.core.periods import GRAINS, ROW_GRAINS, Period
from ironmark.core.readings import Kpi, Readings, Totals
from ironmark.core.yardstick import Cut, Yardstick
from tests.core import edge_answers, world_answers
from tests.core.edge_answers import asked
from tests.styles import ENGLISH

FILE = Path(__file__).with_name("known_answers.txt")
Answers = Iterator[tuple[str, object]]


def plain(value: object) -> str:
    """A value as a line of text; numbers to eight digits, so that every machine says the same."""
    if isinstance(value, (float, np.floating)):
        return f"{float(value):.8g}"
    if isinstance(value, np.ndarray):
        return plain(value.tolist())
    if isinstance(value, (list, tuple)):
        return "[" + ", ".join(plain(one) for one in value) + "]"
    if isinstance(value, (set, frozenset)):
        return plain(sorted(value))
    if isinstance(value, dt.date):
        return value.isoformat()
    return str(value).replace("\n", " / ")


DAYS = [dt.date(2023, 12, 31), dt.date(2024, 2, 29), dt.date(2025, 3, 31), dt.date(2026, 1, 1), dt.date(2026, 11, 26)]


def _days() -> Answers:
    feast = {dt.date(2026, 5, 1), dt.date(2026, 5, 4), dt.date(2026, 5, 29)}
    first, last = dt.date(2026, 5, 1), dt.date(2026, 5, 31)
    for n, working in itertools.product((1, 2, 3, 5, 19, 20, 31, 40, -1), (True, False)):
        for held in ((), feast):
            yield (
                f"day {n} of May 2026, working {working}, {len(held)} feasts",
                workdays.nth_day(first, last, n, working=working, holidays=held),
            )
            if n > 0:
                yield (
                    f"the {n}th from May Day, working {working}, {len(held)} feasts",
                    workdays.later_day(first, n, working=working, holidays=held),
                )
    weekend = dt.date(2026, 5, 2), dt.date(2026, 5, 3)
    yield "the first working day of a weekend", workdays.nth_day(*weekend, 1, working=True)
    yield "and its last", workdays.nth_day(*weekend, -1, working=True)
    always = {first + dt.timedelta(days=at) for at in range(400)}
    yield "where every day is a feast", workdays.later_day(first, 2, working=True, holidays=always)
    for at in range(9):
        day = dt.date(2026, 4, 30) + dt.timedelta(days=at)
        yield f"is {day} one", workdays.is_working_day(day, feast)
    for day, rows in itertools.product(DAYS, ROW_GRAINS):
        yield f"rows by {rows} from {day} end", periods.end_of_rows(day.replace(day=1), rows)
    for one, rows in itertools.product(GRAINS, ROW_GRAINS):
        yield f"{one} finer than rows by {rows}", periods.finer(one, rows)


def _periods() -> Answers:
    for day, grain, start in itertools.product(DAYS, GRAINS, (1, 4, 7)):
        one = Period.of(day, grain, start)
        for read in (one, replace(one, length=2), replace(one, length=14), replace(one, length=5, without=(1, 3))):
            yield f"{day} by {grain} from month {start}, {read.length} less {read.without}", (
                read.key, read.label, read.short, read.brief, read.start, read.end, read.days, read.unit, read.units,
                read.year.key, read.first_of_year.key, read.shift(-3).key, asked(lambda read=read: read.years_back(1).key),
                [run.key for run in read.runs], [hole.key for hole in read.holes], read.days_through(dt.date(2026, 1, 15)),
            )  # fmt: skip
    for text in (
        "2026", "2026-Q3", "2026-10", "2026-W43", "2026-W54", "2026-10-07", "2026-13", "2026-04..2026-09", "2026-09..2026-04",
        "2023,2025", "2026-Q1..2026-10", "2026-10,2026-W43", "", "26", "0999", "9001", "2026-02-30", "2026-q2", "2024..2026,2030",
    ):  # fmt: skip
        for start in (1, 4):
            yield f"“{text}” from month {start}", asked(lambda text=text, start=start: Period.parse(text, start).key)  # type: ignore[misc]
            yield f"“{text}” guessed", getattr(Period.guess(text, start), "key", None)
    for first, through in itertools.product(("2026-10", "2026-Q4", "2026", "2026-W48", "2026-11-26"), DAYS):
        read = Period.parse(first)
        part = periods.part_of(read, through)
        yield f"{first} through {through}", part and (part.days, part.of, part.share, part.words)
        yield (
            f"{first} as {first} a year before, through {through}",
            periods.same_part(read, read.years_back(1), through),
        )
        yield (
            f"the last complete one by {first}, through {through}",
            periods.latest_complete(read.shift(-3), read, through).key,
        )
        yield (
            f"complete for most by {first}",
            periods.complete_for_most(
                read.shift(-3), read, [(through, 3), (dt.date(2026, 9, 30), 2), (dt.date(2026, 12, 31), 1)]
            ).key,
        )
    for day, n in itertools.product(DAYS, (1, 2, 13)):
        yield f"{n} years before {day}", periods.day_years_back(day, n)
        yield f"{n} months before {day}", periods.day_months_back(day, n)
    for grain in GRAINS:
        line = periods.timeline(Period.of(DAYS[3], grain), dt.date(2025, 12, 30), dt.date(2026, 1, 20))
        yield f"timeline by {grain}", [one.key for one in line]
    for text, piece in itertools.product(("2026-Q1", "2026-W01", "2023,2025"), ("day", "month")):
        parts, at = periods.pieces([Period.parse(text)], piece)
        yield f"{text} in {piece}s", (len(parts), parts[0].key, parts[-1].key, at)
    for reach, page in itertools.product(
        scope_shift.REACHES, ("2026-10", "2026-08..2026-09", "2026-Q1", "2025", "2026-W03")
    ):
        for start in (1, 4):
            on = Period.parse(page, start)
            read = scope_shift.reached(on, reach, 3, "2025-06")
            yield f"{page} from month {start}: {reach}", (read.key, scope_shift.shift_words(on, read, reach, 3))


UNITS = [
    Unit(), Unit(decimals=2), Unit("percent", 1), Unit("percent", 0), Unit("currency", 0), Unit("currency", 2, "EUR"),
    Unit("currency", 0, "USD", compact=True), Unit("number", 1, compact=True), Unit("number", 0, text="L"), Unit("duration", 0, text="min"),
    Unit("duration", 1, text="h"), Unit("duration", 0, text="s"),
]  # fmt: skip
VALUES = [0.0, 1.0, -1.0, 0.005, 0.5, 0.995, 1.5, 2.5, 12.345, -12.345, 59.5, 60.0, 61.25, 99.95, 100.0, 999.5, 1000.0, 3600.0, 86_399.6, 123_456.789, -1e6, 1_049_999.0, 2.5e9, 1e15, float("nan"), float("inf")]  # fmt: skip


def _numbers() -> Answers:
    for locale in ("en_GB", "de_DE", "fr_FR"):
        style = numbers.style_of(locale)
        for unit in UNITS:
            name = f"{unit.kind} {unit.decimals} {unit.text}{' compact' if unit.compact else ''} in {locale}"
            yield f"{name} shows", [numbers.show(value, unit, style) for value in VALUES]
            yield (
                f"{name} with sign",
                [numbers.show(value, unit, style, sign=True, decimals=1) for value in VALUES[:12]],
            )
            yield f"{name} exactly", [numbers.show_exact(value, unit) for value in VALUES[:-2]]
            yield f"{name} gaps", [numbers.show_gap(value, unit, style) for value in VALUES[:-2]]
            yield f"{name} rounds", [numbers.rounded(value, unit) for value in VALUES]
            yield f"{name} is called", numbers.unit_words(unit)
            yield f"{name} scales", [numbers.scale(value, unit, 1) for value in VALUES[:-2]]
            typed = (
                "12", "1,234.5", "1.234,5", "1 234,5", "12 %", "0.7", "70%", "£1.2m", "1.2bn", "3k", "-5", "−5", "(5)", "1 h 30", "1:30",
                "1:30:15", "90 min", "45s", "2.5h", "", "abc", "1e3", "12..5", "1,2,3", "€ 5", "5 €", "1h", "1h5m", "100%%",
            )  # fmt: skip
            for text in typed:
                yield (
                    f"{name}: “{text}”",
                    asked(lambda text=text, unit=unit, style=style: numbers.understand(text, unit, style)),
                )  # type: ignore[misc]
        yield f"a day in {locale}", [numbers.show_day(day, style) for day in DAYS]
    for value, places in itertools.product((0.5, 1.5, 2.5, -0.5, 1.005, 2.675, 1e15 + 0.5, 0.05), (0, 1, 2)):
        yield f"{value} to {places}", numbers.round_half_up(value, places)


COLUMNS: dict[str, Any] = {
    "crates": "number", "kilos": "number", "picked": "date", "packed": "date", "grade": "text", "orchard": "text", "ripe": "flag",
}  # fmt: skip
FORMULAS = (
    "sum(crates)", "count()", "count(where ripe = yes)", "count(where ripe)", "sum(crates) / count()", "mean(kilos / crates)",
    "sum(kilos) * 100 / sum(crates)", "100 * count(where ripe) / count()", "count(where grade = \"A\") / count()", "count(where grad = \"A\")",
    "count(where grade = \"Z\")", "count(where grade != \"Z\")", "count(where grade in (\"A\", \"Q\"))", "sum(grade)", "sum(ripe)", "mean(picked)",
    "distinct(grade)", "distinct(crates where ripe)", "median(kilos)", "stdev(kilos)", "min(picked)", "max(kilos)", "sum(days(picked, packed))",
    "mean(days(picked, packed) where ripe = no)", "days(picked, packed)", "sum(days(picked, crates))", "count(where weekday(picked) = \"Monday\")",
    "count(where weekday(picked) = \"Mon\")", "count(where month(picked) in (\"July\", \"August\"))", "count(where steps(crates, 5, 15) = \"5 to 15\")",
    "count(where steps(crates, 5, 5) = \"a\")", "count(where steps(crates, 15, 5) = \"a\")", "count(where steps(grade, 5) = \"a\")",
    "sum(if(ripe, crates, 0))", "sum(if(crates, 1, 0))", "sum(if(ripe, 1, \"a\"))", "sum(if(crates > 5, 1, 0))", "prior(sum(crates))",
    "prior(sum(crates), 3)", "prior(sum(crates), 0)", "prior(sum(crates), 240)", "prior(sum(crates), 241)", "prior(sum(crates), 1.5)",
    "rolling(sum(crates), 12)", "rolling(sum(crates), 1)", "rolling(rolling(sum(crates), 2), 3)", "to_date(share(sum(crates)))", "to_date(sum(crates))",
    "year_ago(sum(crates))", "share(sum(crates))", "round(mean(kilos), 1)", "round(mean(kilos), 11)", "round(mean(kilos), 1.5)", "round(mean(kilos))",
    "least(sum(crates), 5)", "least(5)", "greatest(sum(crates), sum(kilos), 0)", "abs(sum(crates) - sum(kilos))", "abs()", "abs(1, 2)",
    "if(count() > 30, mean(kilos), 0)", "if(count(), 1, 0)", "if(count() > 5 and sum(crates) < 3, 1, 0)", "sum(crates where picked >= \"2026-01-01\")",
    "sum(crates where picked >= \"2026-13-01\")", "sum(crates where picked > 5)", "sum(crates where grade > 5)", "sum(crates where ripe > yes)",
    "sum(crates where grade starts \"A\")", "sum(crates where crates starts \"A\")", "sum(crates where grade is blank)", "sum(crates where (ripe = yes) is blank)",
    "sum(crates where not ripe)", "sum(crates where not crates)", "sum(crates where ripe and grade = \"A\" or orchard = \"Hill\")",
    "sum(crates where ripe and (grade = \"A\" or orchard = \"Hill\"))", "sum(crates where crates in (1, 2))", "sum(crates where crates in (1, \"a\"))",
    "1 + 2 * 3", "(1 + 2) * 3", "-sum(crates)", "2 - -3", "1 / 0", "sum(crates) / 0", "sum(crates) / sum(crates)", "@yield + 1", "@yield / @waste",
    "@yield - @waste", "mean(@yield)", "sum(crates", "sum(crates))", "sum(crates) +", "sum crates", "avg(kilos)", "total(kilos)", "unknown(kilos)", "sum()",
    "where ripe", "count(where)", "count(where ripe = yes", "\"text\"", "sum(crates) where ripe", "sum(crates) = 5", "", "#", "sum(“a)", "count(crates)",
    "sum((crates)", "sum(crates) 5", "5 5", "(1", "1)", "where", "sum(crates where", "sum(crates where ripe) where ripe", "@", "sum(crates) % 2", "  1  ", "(((1)))",
    "2 / (1 - 1)", "1 - -(2)", "sum(crates) - (sum(kilos) - 1)", "sum(crates) / (sum(kilos) * 2)", "10000 * sum(crates) / sum(kilos)", "sum(crates * 2)", "sum(crates / 100)", "mean(crates) * 100",
)  # fmt: skip


def _formulas() -> Answers:
    members = {"grade": frozenset({"A", "B", "Best"}), "orchard": frozenset({"Hill", "Dale"})}
    own = {"yield": Unit("percent", 1), "waste": Unit("number", 0, text="kg")}
    given = {"kilos": "kg"}
    labels = {"crates": "Crates", "kilos": "Weight kg"}
    for text in FORMULAS:
        tree = asked(lambda text=text: parse(text))  # type: ignore[misc]
        if isinstance(tree, str):
            yield text, tree
            continue
        wrong = asked(lambda tree=tree: check.check(tree, COLUMNS))
        yield f"{text} is fit", wrong
        yield f"{text} in a row", asked(lambda tree=tree: check.check_row(tree, COLUMNS))
        yield f"{text} written", written.written(tree)
        if wrong:
            continue
        yield f"{text} reads as", prose.reads_as(tree, ENGLISH, lambda name: labels.get(name, name))
        for nature, unit in (("flow", "number"), ("rate", "percent"), ("stock", "currency")):
            yield (
                f"{text} as {nature} in {unit}",
                prose.warnings(tree, nature, unit, members, ["yield"], {"yield": "rate", "waste": "flow"}),
            )
        found = units.proposed_unit(tree, labels, own, given)
        yield f"{text} in", found and (astuple(found.unit), found.why)
    for names in ({}, COLUMNS, {"day": "date"}, {"ok": "flag"}, {"who": "text"}):
        yield f"an example of {list(names)}", check.row_example(names)
    for label in (
        "Claims £", "fare_eur", "Overtime hrs", "Cost in euros", "Pounds lost", "Downtime (h)", "H block", "Wait min", "Minutes", "Share %", "kg", "",
    ):  # fmt: skip
        found = units.unit_of_label(label)
        yield f"“{label}” is in", found and (astuple(found.unit), found.why)
        yield f"“{label}” called", units.unit_called(label)
    for name in ("grad", "orchad", "kilo", "Crates", "æpfel", "zzz", "pick"):
        yield (
            f"nearest to {name}",
            (nearest.nearest(name, COLUMNS), nearest.did_you_mean(name, COLUMNS), nearest.folded(name)),
        )


RULES = (
    ">= 85 green\n>= 70 and < 85 amber\n< 70 red", "above 10 bad\n5 to 10 ok\nbelow 5 good", "0-50 red; 50-80 amber; 80-100 green", ">= 0.85 green\n< 85% red",
    ">= 85 green\n< 80 red", ">= 80 green\n> 70 amber\n<= 75 red", "at least 3 good\nless than 3 poor", "from 1 to 2 red\n2 to 3 green", "> 5 green", "hello",
    "", "= 5 green\n< 5 red\n> 5 amber", "10 <= x < 20 amber\nx >= 20 green\nx < 10 red", "up to 5 red\nmore than 5 green", "else green\n< 3 red",
    "> 100 red\n> 90 amber\notherwise green", "1k to 2k amber\n> 2k green\n< 1k red", "0 up to but not including 5 red\n5 up to 9 green",
    ">=90 beyond\n>=80 met\n>=70 near\n<70 short", "-5 to 5 good\n< -5 bad\n> 5 bad",
)  # fmt: skip


SINGLE = (
    ">= 5 green", "<= 5 red", "5 to 9 amber", "> 9 blue", "= 5 amber", "9 to 5 red", "< 5 red", "else blue", "> 5 and > 7 green", "< 9 and <= 9 amber",
    "6 to 8 but not 8 green", "x >= 5 and x <= 5 met",
)  # fmt: skip


def _rules() -> Answers:
    together = (
        "\n".join(some) for n in (2, 3) for some in itertools.permutations(SINGLE, n) if n == 2 or some < some[::-1]
    )
    some = [(text, Unit("percent", 0)) for text in itertools.islice(together, 0, 600, 3)]
    for text, unit in (*some, *itertools.product(RULES, (Unit(), Unit("percent", 0), Unit("currency", 0)))):
        found = asked(lambda text=text, unit=unit: pasted_rules.turn(text, unit, ENGLISH))  # type: ignore[misc]
        if isinstance(found, pasted_rules.Turned):
            made = found.yardstick
            answer: object = (
                made and (made.bands, [(cut.offset, cut.belongs) for cut in made.cuts]),
                [(one.kind, one.message, one.lines) for one in found.findings],
            )
        else:
            answer = found
        yield f"“{text}” as {unit.kind}", answer


TINTS = ("#b03a48", "#d3932a", "#2a7f78", "#2f4e9e", "#ffffff", "#000000", "#808080", "#f5f1e8", "#00ff00", "#7a1f4d")


def _colours() -> Answers:
    yield "lab", colour.lab(colour.rgb(TINTS))
    yield "oklab", colour.oklab(colour.rgb(TINTS))
    yield "and back", colour.written(colour.from_oklab(colour.oklab(colour.rgb(TINTS))))
    for vision in colour.VISIONS:
        yield f"seen by {vision}", colour.written(colour.seen(colour.rgb(TINTS), vision))
    for one, other in itertools.combinations(TINTS, 2):
        apart = colour.distance(colour.lab(colour.rgb([one])), colour.lab(colour.rgb([other])))[0]
        yield (
            f"{one} and {other}",
            (apart, colour.contrast(one, other), colour.mix(one, other, 0.3), ramp.doubts([one, other])),
        )
    for one in TINTS:
        yield f"{one} until 4.5", colour.until(one, "#ffffff", "#000000", 4.5)
    for three in itertools.permutations(TINTS[:6], 3):
        if three[0] < three[2]:
            yield f"{three} as a ramp", ramp.doubts(three)
    for name, colours in ramp.RAMPS.items():
        yield f"{name} in steps", ramp.Ramp(tuple(colours), tuple(np.linspace(0, 1, len(colours)))).steps()
    values = np.array([-3.0, 0.0, 2.0, 7.0, np.nan])
    for anchor, low, middle, high in itertools.product(
        ("extent", "ends", "midpoint"), (None, -1.0, 9.0), (None, 1.0), (None, 5.0)
    ):
        for colours in (TINTS[:2], TINTS[:3]):
            made = asked(
                lambda a=anchor, lo=low, mi=middle, hi=high, c=colours: ramp.anchored(c, values, a, lo, mi, hi)
            )  # type: ignore[misc]
            yield (
                f"{anchor} {low} {middle} {high} of {len(colours)}",
                (
                    made if isinstance(made, str) else (made.anchors, made.colours, made.shades(values))  # type: ignore[attr-defined]
                ),
            )
    for key, held in palette.PALETTES.items():
        yield f"palette {key}", [(astuple(state), astuple(palette.shades(state, True)), astuple(palette.shades(state, False))) for state in held.states]  # fmt: skip
        yield f"doubts of {key}", [astuple(one) for one in palette.doubts(held.states)]
    alike = [replace(state, colour="#b03a48") for state in palette.STANDARD.states[:3]]
    yield "doubts of one colour", [astuple(one) for one in palette.doubts(alike)]
    pale = [replace(state, colour="#fafafa") for state in palette.STANDARD.states[:2]]
    yield "doubts of pale ones", [astuple(one) for one in palette.doubts(pale)]


def _axes() -> Answers:
    for values in (
        [1.0, 2.0],
        [0.0],
        [5.0, 5.0],
        [-3.0, 8.0],
        [1e-9, 3e-9],
        [99.0, 101.0],
        [0.91, 0.97],
        [],
        [1e12],
        [-7.0],
    ):
        for zero, ceiling in itertools.product((False, True), (None, 1.0)):
            made = axis.choose(values, from_zero=zero, ceiling=ceiling)
            yield (
                f"an axis for {values}, from zero {zero}, to {ceiling}",
                (made.low, made.high, axis.ticks(made), axis.about(made, 4)),
            )
            for low, high in ((None, 3.0), (0.5, None), (2.0, 1.0)):
                ends = asked(lambda made=made, low=low, high=high: axis.with_ends(made, low, high))  # type: ignore[misc]
                yield f"… with ends {low} {high}", ends if isinstance(ends, str) else (ends.low, ends.high, ends.broken)  # type: ignore[attr-defined]
            yield "… places", [(made.place(value), made.past(value)) for value in (-10.0, 0.0, 0.5, 1.5, 200.0)]
    for values, percent in itertools.product(([0.2, 0.9], [0.5, 1.2], [3.0, 90.0], [np.nan], []), (True, False)):
        yield f"the whole of {values}, percent {percent}", axis.whole_of(np.array(values, dtype=float), percent)
    for span, most in itertools.product((1.0, 3.0, 7.0, 0.03, 12_000.0), (3, 6, 10)):
        yield f"a step for {span} in {most}", axis.step_for(span, most)


def _yardsticks() -> Answers:
    rng = np.random.default_rng(7)
    values = np.round(rng.normal(50, 20, 40), 2)
    none, target, near_one = np.full(40, np.nan), np.full(40, 55.0), np.full(40, 0.97)
    for direction, share in itertools.product(("higher", "lower", "inside"), (True, False)):
        for name, line in (
            ("none", none),
            ("target", target),
            ("target near 1", near_one),
            ("target at .995", near_one + 0.025),
            ("target .93", near_one - 0.04),
        ):
            made = propose.propose(values / 100 if share else values, line, direction, share)
            yield f"proposed {direction}, share {share}, {name}", (made.bands, [astuple(cut) for cut in made.cuts])
    for direction, count in itertools.product(("higher", "lower", "inside"), range(2, 13)):
        yield f"{count} bands {direction}", propose.dealt_states(direction, count)
    for typed in (
        [0.5, 0.5],
        [0.2, 0.3, 0.5],
        [0.5],
        [0.5, 0.4],
        [0.5, 0.7],
        [0, 1],
        [0.1] * 10,
        [1 / 13] * 13,
        [0.5, 0.5 + 2e-8],
        [0.5, 0.5 + 1e-9],
    ):
        yield f"shares {typed}", asked(lambda typed=typed: propose.shares_of(typed))  # type: ignore[misc]
    shares = np.array([0.2, 0.3, 0.5])
    for direction in ("higher", "lower", "inside"):
        for held in (None, values):
            made = asked(lambda d=direction, v=held: propose.deal(d, shares, low=0, high=10, values=v))  # type: ignore[misc]
            yield (
                f"dealt {direction}, by values {held is not None}",
                (
                    made if isinstance(made, str) else (made.bands, [cut.offset for cut in made.cuts])  # type: ignore[attr-defined]
                ),
            )
    four = Yardstick(("short", "near", "met", "beyond"), (Cut(10), Cut(20, belongs="below"), Cut(0, "target", 1.1)))
    five = Yardstick(("short", "near", "met", "near", "short"), (Cut(50), Cut(60), Cut(75), Cut(85)))
    for name, made, cuts in (
        ("four", four, [10.0, 20.0, 33.0]),
        ("five", five, [50.0, 60.0, 75.0, 85.0]),
        ("out of order", four, [10.0, 9.0, 33.0]),
    ):
        yield f"{name} proved", [astuple(one) for one in grading.prove(made, cuts)]
        yield f"{name} swept", grading.sweep(made, cuts, 5, 90)
        yield f"{name} swept within a band", grading.sweep(made, cuts, 11, 12)
        yield f"{name} swept from a cut", grading.sweep(made, cuts, cuts[0], cuts[-1])
        yield f"{name} at its best", grading.best(made)
        yield (
            f"{name} not graded",
            (grading.why_not_graded(made, cuts), grading.why_not_graded(made, [*cuts[:-1], np.nan])),
        )
        for unit in (Unit(), Unit("percent", 1), Unit("currency", 2)):
            yield (
                f"{name} in words, {unit.kind}",
                [words.band_words(made, cuts, at, unit, ENGLISH) for at in range(len(made.bands))],
            )
            yield (
                f"{name}'s cuts, {unit.kind}",
                [
                    (words.cut_words(cut, unit, ENGLISH), words.show_cut(at, unit, ENGLISH))
                    for cut, at in zip(made.cuts, cuts, strict=True)
                ],
            )
    for value, line, direction, unit in itertools.product(
        (-5.0, 0.0, 4.0, 20.0), (0.0, 4.0, -4.0), ("higher", "lower", "inside", "open"), (Unit(), Unit("percent", 0))
    ):
        yield (
            f"{value} against {line}, {direction}, {unit.kind}",
            words.gap_words(value, line, "target", direction, unit, ENGLISH),
        )
    for edge, gap, inside in itertools.product((5.0, 0.0), (0.0, 1.5, -2.5), (True, False)):
        yield f"edge {edge} {gap} {inside}", words.edge_words(edge, gap, inside, Unit(decimals=1), ENGLISH)
    for value, size in itertools.product((0.0, 0.04, 0.05, 1.0, 39.9, 40.0, 41.0, -50.0), ([1.0, 2.0], [])):
        yield f"{value} beside {size}", words.doubt(value, Unit(decimals=2), np.array(size), ENGLISH)
    yield (
        "several asked about",
        words.doubts_of(
            {"axis to": 900.0, "axis from": None, "x": 1.0}, Unit(), np.array([1.0, np.nan, -2.0]), ENGLISH
        ),
    )
    for value, unit in itertools.product((0.5, 0.925, 0.9251, 12.0, 1234.56, 0.333333), UNITS[:5]):
        yield (
            f"a mark of {value} in {unit.kind} {unit.decimals}",
            (
                words.show_mark(value, unit, ENGLISH),
                words.show_line(value, unit, ENGLISH),
                words.decimals_for(value, unit),
            ),
        )
    for days in ([9, 10, 11], [9], [9, 11], [1, 3, 5, 7, 9, 11, 13, 15, 17]):
        yield f"days {days}", words.days_words([dt.date(2026, 10, day) for day in days])
    yield "over a year's end", words.days_words([dt.date(2026, 12, 31), dt.date(2027, 1, 1)])
    yield "over a month's end", words.days_words([dt.date(2026, 9, 30), dt.date(2026, 10, 1)])


def _marks() -> Answers:
    for weights, total, decimals in itertools.product(
        ([1, 1, 1], [0, 1, 2.5], [0, 0], [-1, 2], [], [np.nan, 1]), (100.0, 0.0, 7.0), (0, 2)
    ):
        yield (
            f"{total} over {weights} to {decimals}",
            asked(
                lambda w=weights, t=total, d=decimals: marks.spread(t, np.array(w, dtype=float), d)  # type: ignore[misc]
            ),
        )
    for per, text in itertools.product(GRAINS, ("2026-02", "2026-Q1", "2026", "2026-W05", "2026-02-14")):
        yield f"of {text} for one {per}", marks.piece_amounts([Period.parse(text)], per, 1)
    jan = Period.parse("2026-01")
    east, both = Owner.member(orchard="East"), Owner.member(orchard="East", grade="A")
    entries = [MarkEntry("target", owner, jan, 5.0) for owner in (EVERYONE, TOGETHER, east, both, Owner.each("grade"))]
    for some, adds, where in itertools.product(
        ([], entries[:1], entries[1:2], entries[2:3], entries[3:], entries),
        (True, False),
        (
            {},
            {"orchard": ("East",)},
            {"orchard": ("West",), "grade": ("A",)},
            {"orchard": ("East", "West", "North", "South")},
        ),
    ):
        for without in ([], ["A"], ["A", "B", "C", "D", "E"]):
            yield (
                f"{len(some)} entries, adds {adds}, of {where}, without {len(without)}",
                mark_lines.why_none(some, "target", adds, where, without),
            )
    for owner in (EVERYONE, TOGETHER, east, both, Owner.each("grade")):
        yield f"key of {owner}", marks.key_of(owner, {"orchard": ("West", "East"), "grade": ("B", "A")})
    for where in ({}, {"orchard": ["East"]}, {"orchard": ["West", "East"]}, {"grade": []}, {"none": ["x"]}):
        yield f"narrowed {where}", marks.narrowed(where, {"orchard": ("West", "East"), "grade": ("A",)})


def block(values: list[float], line: float | None, direction: str, yardstick: Yardstick | None = None) -> Readings:
    value = np.array([values], dtype=float)
    totals = Totals(
        (Period.parse("2026-10"),), tuple(f"m{i}" for i in range(len(values))), np.ones(value.shape, dtype=np.int64), {}
    )
    held = (
        {}
        if line is None
        else {
            "target": np.full(value.shape, line),
            "floor": np.full(value.shape, line - 2),
            "limit": np.full(value.shape, line + 3),
        }
    )
    made = Readings(Kpi("k", "K", parse("count()"), direction=direction), "orchard", totals, value, held, {}, (None,))  # type: ignore[arg-type]
    return core.regrade(made, yardstick) if yardstick else made


def _distances() -> Answers:
    inner = Yardstick(("short", "met", "short"), (Cut(2.0), Cut(6.0)))
    low = Yardstick(("met", "short"), (Cut(4.0),))
    for line, direction, held in itertools.product(
        (None, 5.0, 0.0, -4.0), ("higher", "lower", "inside", "open"), (None, inner, low)
    ):
        read = block([-6.0, 0.0, 2.0, 4.0, 5.0, 6.5, np.nan], line, direction, held)
        name = f"{direction} against {line}, bands {held and held.bands}"
        for mark in ("target", "floor"):
            yield f"{name}: gap and attainment of {mark}", distances.gap_and_attainment(read, mark)
            yield f"{name}: headroom of {mark}", distances.headroom(read, mark)
            yield f"{name}: goodness by {mark}", distances.goodness(read, mark)
        yield f"{name}: nearer edge", distances.nearer_edge(read)
        yield f"{name}: bands", read.band.tolist()
    for unit in UNITS:
        yield f"as shown in {unit.kind} {unit.decimals} {unit.text}", distances.shown_values(np.array(VALUES), unit)


LABELS = (
    "Crates", "Weight kg", "Price per crate", "Cost", "Revenue £", "Budget", "Planned crates", "Returned crates", "Yield %", "Year", "Row no", "Phone", "Postcode",
    "Latitude", "Rating", "Wait min", "Temperature", "Headcount", "Balance", "Speed", "Age", "Hours worked", "Visits", "Complaints", "Accidents", "Umsatz", "Kosten",
    "Anzahl Kisten", "Temperatur", "Chiffre d'affaires", "Nombre de caisses", "Ventas", "Durata media", "Stock on hand", "Share of spoiled", "CO2 saved", "Score", "x7",
    "Opened at", "Members", "Capacity", "Seats", "Overtime hrs", "Discount rate", "Margin", "Invoice number", "Distance km", "Energy kWh",
)  # fmt: skip
SHAPES: tuple[dict[str, Any], ...] = (
    {"least": 0.0, "most": 900.0, "whole": True, "distinct": 400, "rows": 1000},
    {"least": 0.0, "most": 1.0, "distinct": 300, "rows": 1000},
    {"least": 0.0, "most": 100.0, "distinct": 201, "rows": 1001, "blank": 0.3},
    {"least": 1.0, "most": 5.0, "whole": True, "distinct": 5, "rows": 80},
    {"least": 1.0, "most": 1000.0, "whole": True, "distinct": 1000, "rows": 1000, "increasing": True},
    {"least": 1990.0, "most": 2026.0, "whole": True, "distinct": 30, "rows": 1000},
    {"least": -40.0, "most": 60.0, "distinct": 200, "rows": 999},
    {"least": 0.0, "most": 2359.0, "whole": True, "distinct": 700, "rows": 1000, "clock": True},
    {"least": 10.0, "most": 10.0, "distinct": 1, "rows": 500, "same_within": "orchard"},
    {"least": 1e7, "most": 9e9, "whole": True, "distinct": 990, "rows": 1000},
)


def _reasons() -> Answers:
    """Why there is nothing to read, and formulas worked out and put in place of others."""
    months = tuple(Period.parse(f"2026-{at:02d}") for at in (1, 2, 3))
    for text in (
        "sum(crates)",
        "prior(sum(crates))",
        "prior(sum(crates), 2) + 1",
        "year_ago(sum(crates))",
        "rolling(sum(crates), 3)",
        "to_date(sum(crates))",
        "sum(crates) / sum(kilos)",
        "1 / 0",
    ):
        tree = expand.expand(parse(text))
        used = formula_nodes.aggregates(tree)
        for filled, grain in itertools.product((0, 1), ("day", "month", "quarter")):
            counts = np.full((3, 1), filled, dtype=np.int64)
            parts = {one: np.full((3, 1), np.nan if at == 0 else 0.0) for at, one in enumerate(used)}
            totals = Totals(months, (None,), counts, parts)
            made = Readings(
                Kpi("k", "K", tree), None, totals, np.full((3, 1), np.nan), {}, {}, (None, None, None), row_grain=grain
            )  # type: ignore[arg-type]
            yield f"{text}, {filled} rows by {grain}", why_nothing.why_nothing(made, 1, 0)
    values = {"price": 2.5, "waste": 0.1}
    for text in ("sum(crates) * @price", "sum(crates * @price where kilos > @waste)", "@other + @price", "1"):
        yield f"{text} assuming", written.written(expand.assuming(parse(text), values))
        yield (
            f"{text} expanded",
            asked(lambda text=text: written.written(expand.expand(parse(text), lambda found: parse("sum(x)")))),
        )  # type: ignore[misc]
        yield f"{text} expanded of nothing", asked(lambda text=text: expand.expand(parse(text)))  # type: ignore[misc]


def _measures() -> Answers:
    for label, (at, shape) in itertools.product(LABELS, enumerate(SHAPES)):
        column = measuring.Facts(label.lower().replace(" ", "_"), label, "number", "measure", **shape)
        found = measuring.measured(column)
        yield f"“{label}” of shape {at}", (found.sort, round(found.sure, 6), found.evidence)
    for label in LABELS:
        yield (
            f"“{label}” tells",
            (sorted(measuring.told_by(label).items()), measuring.better_of(label), measuring.words_of(label)),
        )


def _drafts() -> Answers:
    orchard = measuring.Facts(
        "orchard", "Orchard", "text", "segment", members=("East", "Hill", "West"), distinct=3, rows=1000
    )
    outcome = measuring.Facts(
        "outcome", "Outcome", "text", "segment", members=("sold", "spoiled"), distinct=2, rows=1000
    )
    ripe = measuring.Facts("ripe", "Ripe", "flag", "flag", rows=1000)
    spoiled = measuring.Facts("spoiled", "Spoiled", "flag", "flag", rows=1000)
    ticket = measuring.Facts("ticket", "Ticket number", "text", "key", distinct=1000, rows=1000)
    packed = measuring.Facts("packed", "Packed on", "date", "detail", rows=1000, blank=0.2)
    some = [LABELS[at : at + 6] for at in range(0, len(LABELS), 4)]
    for at, labels in enumerate(some):
        shape = itertools.cycle((*SHAPES[:3], SHAPES[0], SHAPES[6]))
        columns = [
            measuring.Facts(
                f"c{n}", label, "number", "measure", within=(("c0", 0.9),) if n in (2, 5) else (), **next(shape)
            )
            for n, label in enumerate(labels)
        ]
        beside = [[orchard], [orchard, outcome, ripe], [spoiled, ticket, packed]][at % 3]
        for counted in (True, False):
            made = drafting.draft("Crates", [*beside, *columns], counted_rows=counted)
            for kpi in made.kpis:
                yield f"{labels} counted {counted}: {kpi.name}", astuple(kpi)
            yield f"{labels} counted {counted} left out", [astuple(one) for one in made.left_out]


SECTIONS: dict[str, Callable[[], Answers]] = {
    "days": _days, "periods": _periods, "numbers": _numbers, "formulas": _formulas, "rules": _rules, "colours": _colours, "axes": _axes,
    "yardsticks": _yardsticks, "marks": _marks, "distances": _distances, "reasons": _reasons, "measures": _measures, "drafts": _drafts,
    **edge_answers.SECTIONS, **world_answers.SECTIONS, "formulas at edges": lambda: edge_answers.formulas_at_edges(FORMULAS, COLUMNS),
}  # fmt: skip


def lines(section: str) -> list[str]:
    return [f"{section}: {plain(question)} = {plain(answer)}" for question, answer in SECTIONS[section]()]


if __name__ == "__main__":
    FILE.write_text("".join(line + "\n" for section in SECTIONS for line in lines(section)))
