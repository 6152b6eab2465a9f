"""First KPIs for rows that nobody has written formulas for yet: what each column most likely measures, and why."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace

from ironmark.core.belonging import (
    OF_ALL,
    UNNAMED,
    base_of,
    direction_of,
    is_bad,
    parts_among,
    plan_of,
    says_plan,
    shares_a_word,
)
from ironmark.core.draft_kpis import SENSE, Direction, Draft, DraftKpi, LeftOut
from ironmark.core.drafting_answers import of_answers
from ironmark.core.drafting_days import SPAN, of_days, spans_among
from ironmark.core.drafting_money import by_currency, currency_of, in_currencies
from ironmark.core.drafting_words import (
    CAPACITY,
    EARLIER,
    GAINED,
    GOOD_OUTCOMES,
    GREEN,
    OUTCOME,
    RUNNING,
    SPENT,
    TICKS,
    UNITS,
    USED,
    VARIANCE,
    WHOLE,
    affirmed_of,
    handle_of,
    one_of,
    physical,
    stem_in,
    stem_of,
    unanswered,
    unsigned,
    words,
    yes_of,
)
from ironmark.core.measuring import (
    NO_MEASURE,
    OF_ONE_LENGTH,
    SURE,
    Facts,
    Measured,
    better_of,
    is_average,
    measured,
    per_what,
    told_by,
    words_of,
)
from ironmark.core.numbers import Unit
from ironmark.core.units import PERCENT, is_per_time, unit_of_label

MOST_KPIS = 12  # that are made unasked
_MOST_STATES = 6  # of which each has its share
FEW_BLANK, MANY_BLANK = 0.002, 0.6  # shares of rows without a time of an event, between which that tells something


def _unit(column: Facts) -> Unit:
    if column.unit is not None:
        return column.unit
    given = unit_of_label(column.label) or (None if is_per_time(column.label) else unit_of_label(column.name))
    if given:
        return given.unit
    return Unit("number", 0 if column.whole else 1, text=physical(column.label))


def draft(rows_name: str, columns: Sequence[Facts], *, counted_rows: bool = True) -> Draft:
    """KPIs for rows called ``rows_name``, in the order in which they tell: how many rows, shares of them, ratios of
    amounts that belong together, amounts, means, keys. counted_rows: whether a row is one of something, so that their
    number says anything.

    What a column measures is found by ``measured``; what is not sure is offered and not made, what measures nothing is
    left out with the reason, and with what could be made of it all the same.
    """
    measures = [c for c in columns if c.role == "measure"]
    spans = spans_among(columns)
    measures = [spans.get(c.name, c) for c in measures]
    sorts = {c.name: SPAN if c.name in spans else _sort_of(c, counted_rows) for c in measures}
    plans = {c.name: base for c in measures if (base := plan_of(c, measures))}
    of_all = {c.label.removesuffix(OF_ALL) for c in measures if c.label.endswith(OF_ALL)}
    counted = [
        c for c in measures if sorts[c.name].sort in ("amount", "level") or c.label.removesuffix(OF_ALL) in of_all
    ]
    amounts = [c for c in counted if c.name not in plans]
    # What somebody has put together by member and period is reported: there each column is a figure of its own.
    enough = SURE if counted_rows else 0.0
    sure = [c for c in amounts if sorts[c.name].sure >= enough]
    always = [c for c in measures if c.whole and sorts[c.name].sort == "same" and stem_of(c, (*CAPACITY, *WHOLE))]
    parts = parts_among(amounts, always)
    rows = _rows_counted(rows_name.strip() or "Rows")
    shares = _shares(columns, measures, counted_rows)
    currency = currency_of(columns)
    of_money = [c for c in amounts if in_currencies(c, currency)]
    measures = [c for c in measures if c not in of_money]
    ratios = [_share_of_whole(part, whole) for part, whole in parts.items()]
    sums, means, spare, left = _each_measure(measures, sorts, plans, parts, enough)
    sums = [*(kpi for c in of_money if currency for kpi in by_currency(c, currency)), *sums]
    left += [LeftOut(c.label, "its figures are in several currencies: there is one KPI for each") for c in of_money]
    keys = [kpi for column in columns if (kpi := _distinct(column))]
    order = (
        [rows, *shares, *ratios, *sums, *means]
        if counted_rows
        else [*shares, *ratios, *sums, *means, replace(rows, name="Rows", place="offered", reason=_TOTALS)]
    )
    order.sort(key=lambda kpi: not kpi.plan)  # what has its target in the rows is what is watched
    if not any(kpi.place == "made" for kpi in order):  # the likeliest is better than nothing
        order[0] = replace(order[0], place="made")
    taken = [kpi for kpi in order if kpi.place == "made"]
    spreads = (
        c for c in measures if sorts[c.name].sort in ("each", "rating", "duration") and sorts[c.name].sure >= enough
    )
    whole = _counted(sure, parts)
    offered = [
        *(replace(kpi, place="offered") for kpi in taken[MOST_KPIS:]),
        *(kpi for kpi in order if kpi.place == "offered"),
        *keys,
        *(kpi for kpi in spare if kpi.place == "offered"),
        *[_spread(c) for c in spreads][:2],
        *[_used_per(c, whole) for c in sure if whole is not None and whole is not c and _is_used(c)][:2],
    ]
    kpis = (*taken[:MOST_KPIS], *offered, *(kpi for kpi in spare if kpi.place == "left"))
    if not counted_rows and rows_name.strip():  # the only figures of a table are what it is called
        kpis = tuple(replace(kpi, name=rows_name.strip()[:60]) if kpi.name == UNNAMED else kpi for kpi in kpis)
    return Draft(kpis, tuple(left))


def _sort_of(column: Facts, counted_rows: bool) -> Measured:
    """What a column measures: a running total is a level, and of totals by member and period none is a key for its length alone."""
    found = measured(column)
    if stem_of(column, RUNNING) and found.sort == "amount":
        return Measured("level", found.sure, ("a running total",))
    if found.sort == "code" and not counted_rows and found.evidence == (OF_ONE_LENGTH,):
        return Measured("amount", found.sure, ("its values alone",))
    return found


def _shares(columns: Sequence[Facts], measures: Sequence[Facts], counted_rows: bool) -> list[DraftKpi]:
    """Shares of rows, and what their days tell."""
    return [
        *(_share_of_flag(column) for column in columns if column.role == "flag"),
        *(kpi for column in columns if column.role == "segment" for kpi in _share_of_outcome(column, counted_rows)),
        *(kpi for column in columns if column.label == UNNAMED and not measures for kpi in _share_of_each(column)),
        *(_share_ticked(column) for column in columns if _is_ticked(column)),
        *(_share_that_happened(column) for column in columns if _may_not_happen(column)),
        *of_days(columns),
    ]


def _each_measure(
    measures: Sequence[Facts], sorts: Mapping[str, Measured], plans: Mapping[str, Facts], parts: Mapping[Facts, Facts],
    enough: float,
) -> tuple[list[DraftKpi], list[DraftKpi], list[DraftKpi], list[LeftOut]]:  # fmt: skip
    """What is made of each column of figures: sums, means, what could be made all the same, and what is left out."""
    sums, means, spare, left = list[DraftKpi](), list[DraftKpi](), list[DraftKpi](), list[LeftOut]()
    for column in measures:
        found = sorts[column.name]
        plan = next((name for name, base in plans.items() if base.name == column.name), "")
        if column.name in plans:
            left.append(LeftOut(column.label, f"it is the plan of {plans[column.name].label}: its target"))
        elif (stem := stem_of(column, RUNNING)) and (base := base_of(column, stem, measures)):
            left.append(LeftOut(column.label, f"it is {base.label} since the year began: a year to date tells that"))
        elif plans and stem_of(column, VARIANCE):
            left.append(LeftOut(column.label, "it says how far a figure is from its plan, as its target does"))
        elif found.sort in NO_MEASURE:
            other = replace(_of_no_measure(column, found.sort), place="left")
            spare.append(other)
            told = f"{NO_MEASURE[found.sort]} ({', '.join(found.evidence[:2])})"
            left.append(LeftOut(column.label, told, other.handle))
        elif (column in parts and not plan) or column.label.endswith(OF_ALL) or _is_earlier(column, measures):
            spare.append(replace(_amount(column, found, plan, measures, sorts), place="offered"))
        else:
            made = _amount(column, found, plan, measures, sorts)
            made = made if found.sure >= enough else replace(made, place="offered")
            (sums if found.sort in ("amount", "level") else means).append(made)
    return sums, means, spare, left


def _is_earlier(column: Facts, among: Sequence[Facts]) -> bool:
    stem = stem_of(column, EARLIER)
    return bool(stem) and base_of(column, stem, among) is not None


_TOTALS = "A row is the total of several here: how many rows there are says little."


def _rows_counted(name: str) -> DraftKpi:
    return DraftKpi(
        handle_of(name, "number_of"), name if name.lower().endswith("s") else f"Number of {name.lower()}", "count()",
        Unit("number", 0), better_of(name), "flow",
        "Every row counts once.",
    )  # fmt: skip


def _may_not_happen(column: Facts) -> bool:
    """Whether a blank of a column says that something did not happen: the time or day of an event that some lack."""
    timed = column.clock or (column.type == "date" and column.role != "period")
    event = bool({"clock"} & set(told_by(column.label))) or column.type == "date"
    return timed and event and FEW_BLANK <= column.blank <= MANY_BLANK


def _is_ticked(column: Facts) -> bool:
    """Whether its cells hold a tick or nothing."""
    return column.type == "text" and 0 < column.blank < 1 and len(column.members) == 1 and column.members[0].strip().lower() in TICKS  # fmt: skip


def _share_ticked(column: Facts) -> DraftKpi:
    return _share_where(
        column, column.label, f"{column.name} is filled", "is ticked or blank: the share of rows where it is ticked"
    )


def _share_that_happened(column: Facts) -> DraftKpi:
    return DraftKpi(
        handle_of(f"with {column.label}", "share_with"), f"With {column.label.lower()}", f"count(where {column.name} is filled) / count()",
        PERCENT, "open", "rate",
        f"“{column.label}” is blank on some rows: there it did not happen. The share of rows where it did.",
    )  # fmt: skip


def _of_no_measure(column: Facts, sort: str) -> DraftKpi:
    """What could be made of a column that measures nothing."""
    if sort in ("code", "place"):
        return _distinct_of(column, "How many different ones there are.")
    return DraftKpi(
        handle_of(f"mean {column.label}", "mean_of"), f"Mean {column.label.lower()}", f"mean({column.name})", Unit("number", 1), "open", "rate",
        "Its mean, as you asked for it.",
    )  # fmt: skip


def _spread(column: Facts) -> DraftKpi:
    unit = _unit(column)
    return DraftKpi(
        handle_of(f"spread of {column.label}", "spread_of"), f"Spread of {unsigned(column).lower()}", f"stdev({column.name})",
        Unit(unit.kind, max(1, unit.decimals), unit.currency, unit.text), "open", "rate",
        f"How far “{column.label}” lies apart from row to row: its standard deviation.", place="offered",
    )  # fmt: skip


def _distinct(column: Facts) -> DraftKpi | None:
    """How many different keys there are, where rows hold one several times."""
    if column.type != "text" or column.role not in ("text", "segment") or column.distinct < 13 or not column.rows:
        return None
    if column.distinct > 0.9 * column.rows:
        return None
    return _distinct_of(column, f"“{column.label}” is named on every row: how many different ones there are.")


def _distinct_of(column: Facts, reason: str) -> DraftKpi:
    return DraftKpi(
        handle_of(f"different {column.label}", "different"), f"Different {column.label.lower()}", f"distinct({column.name})",
        Unit("number", 0), "open", "rate", reason, place="offered",
    )  # fmt: skip


def _counted(counts: Sequence[Facts], parts: dict[Facts, Facts]) -> Facts | None:
    """What the rows count, where a row is the totals of several: the most of what others are a part of."""
    found = [c for c in counts if c in parts.values() and c not in parts]
    found = found or [c for c in counts if c.whole and stem_of(c, WHOLE) and not is_bad(c) and c not in parts]
    return max(found, key=lambda column: column.most or 0.0, default=None)


def _is_used(column: Facts) -> bool:
    """Whether it grows with what is done, so that its sum says little by itself."""
    if stem_of(column, USED) and not stem_of(column, GAINED):
        return True
    parts = set(words(column).strip("_").split("_"))
    return bool(parts & set(UNITS)) and (parts <= set(UNITS) or bool(stem_of(column, SPENT)))


def _used_per(column: Facts, counted: Facts) -> DraftKpi:
    unit = _unit(column)
    name = f"{unsigned(column)} per {one_of(counted.label)}"
    return DraftKpi(
        handle_of(name, "value_of"), name, f"sum({column.name}) / sum({counted.name})",
        Unit(unit.kind, max(2, unit.decimals), unit.currency, unit.text), "lower", "rate",
        f"“{column.label}” grows with {counted.label.lower()}: a ratio of totals, so that busy rows are not held against it.",
        place="offered",
    )  # fmt: skip


def _share_where(column: Facts, label: str, where: str, said: str) -> DraftKpi:
    """The share of rows where something holds of a column."""
    way = direction_of(column)
    return DraftKpi(
        handle_of(label, "share_of"), f"{label} share", f"count(where {where}) / count()", PERCENT, way, "rate",
        f"“{column.label}” {said}, {SENSE[way]}.",
    )  # fmt: skip


def _share_of_flag(column: Facts) -> DraftKpi:
    return _share_where(column, column.label, f"{column.name} = yes", "is yes or no: the share of rows where it is yes")


def _share_of_yes(column: Facts, yes: str) -> DraftKpi:
    label = unanswered(column.label)
    return _share_where(
        column, label, f'{column.name} = "{yes}"', f"says “{yes}” or not: the share of rows where it does"
    )


def _share_of_outcome(column: Facts, counted_rows: bool) -> list[DraftKpi]:
    """The share of the member that a segment of outcomes is read by: the good one, else the bad one. counted_rows: whether a row is
    one of something; of totals there is an answer to yes or no at most."""
    if not 2 <= len(column.members) <= 8:
        return []
    if answers := of_answers(column):
        return answers
    if (yes := yes_of(column)) is not None:
        return [_share_of_yes(column, yes)]
    if not counted_rows:
        return []
    affirmed = affirmed_of(column.members)
    outcome = bool(stem_of(column, OUTCOME)) or affirmed is not None
    others = [m for m in column.members if m != affirmed]
    good = next((m for m in others if stem_in(m, GOOD_OUTCOMES) or m.strip().lower() in GREEN), None)
    bad = next((m for m in column.members if better_of(m) == "lower"), None)
    shifts = {"early", "late"} <= {m.strip().lower() for m in column.members}
    # One of several departments may well be called Complaints.
    if shifts or not (outcome or good or len(column.members) == 2):
        bad = None
    good = good if outcome else None
    member = affirmed or good or bad
    if member is None:
        return []
    way: Direction = "lower" if member == bad else "higher" if good else "open"
    if member == affirmed:
        way = (
            better_of(member) if better_of(member) != "open" else "higher" if stem_in(member, GOOD_OUTCOMES) else "open"
        )
    quoted = member.replace('"', "'")
    return [
        DraftKpi(
            handle_of(f"{member} share", "share_of"), f"{member[:60].capitalize()} share",
            f'count(where {column.name} = "{quoted}") / count()', PERCENT, way, "rate",
            f"“{column.label}” tells how each row ended: the share that is “{member}”.",
        )
    ]  # fmt: skip


def _share_of_each(column: Facts) -> list[DraftKpi]:
    """The shares of the states that stand below the periods of a table."""
    return [
        DraftKpi(
            handle_of(f"{member} share", "share_of"), f"{member[:60].capitalize()} share",
            f'count(where {column.name} = "{member.replace(chr(34), chr(39))}") / count()', PERCENT, better_of(member), "rate",
            f"The share of cells that say “{member}”.",
        )
        for member in column.members
        if column.role == "segment" and 2 <= len(column.members) <= _MOST_STATES
    ]  # fmt: skip


def _share_of_whole(part: Facts, whole: Facts) -> DraftKpi:
    one, other = part.label.lower(), whole.label.lower()
    own = one.startswith(other) or other == f"{one}{OF_ALL}"
    name = f"{part.label}, share" if own else f"{part.label} of {whole.label.lower()}"
    return DraftKpi(
        handle_of(f"{part.label} per {whole.label}", "share_of"), name, f"sum({part.name}) / sum({whole.name})", PERCENT, direction_of(part), "rate",
        f"“{part.label}” is never more than “{whole.label}”: a ratio of totals, so that small rows weigh little.",
    )  # fmt: skip


def _amount(
    column: Facts, found: Measured, plan: str, among: Sequence[Facts], sorts: Mapping[str, Measured]
) -> DraftKpi:
    """A KPI of one column, by what it measures."""
    unit, way, handle = _unit(column), direction_of(column), handle_of(column.label, "value_of")
    if column.whole and (column.least, column.most) == (0.0, 1.0):
        return DraftKpi(
            handle, f"{column.label} share", f"mean({column.name})", PERCENT, way, "rate",
            f"“{column.label}” is 0 or 1: the share of rows where it is 1; {SENSE[way]}.", plan,
        )  # fmt: skip
    why = f"by {' and '.join(found.evidence[:2])}" if found.evidence else ""
    sense = SENSE[way]
    if found.sort == "amount":
        large = max(abs(column.most or 0), abs(column.least or 0)) > 1000
        places = unit.decimals if column.whole or unit.kind != "number" or large else 1
        return DraftKpi(
            handle, unsigned(column), f"sum({column.name})", Unit(unit.kind, places, unit.currency, unit.text, large), way, "flow",
            f"“{column.label}” adds up, {why}: its sum; {sense}.", plan,
        )  # fmt: skip
    if found.sort == "level":
        return DraftKpi(
            handle, unsigned(column), f"sum({column.name})", unit, way, "stock",
            f"“{column.label}” is how much there is at a time, {why}: over a span the last day counts; {sense}.", plan,
        )  # fmt: skip
    average = is_average(column.label)
    if found.sort == "share":
        fraction = (column.most or 0) <= 1.5 and not (column.unit and column.unit.text == "%")
        unit, what = PERCENT if fraction else Unit("number", 1, text="%"), "a share"
    else:
        own = "an average" if average else "measured on each row"
        what = {"price": "the price of one", "rating": "a rating", "duration": "how long each took"}.get(
            found.sort, own
        )
        places = max(1, unit.decimals) if unit.kind != "currency" else 2
        unit = Unit(unit.kind, places, unit.currency, unit.text)
    formula, mean = f"mean({column.name})", "its mean"
    if (average or found.sort == "share") and (weight := _weight(column, among, sorts, average)):
        formula = f"sum({column.name} * {weight.name}) / sum({weight.name})"
        mean = f"weighed by “{weight.label}”, so that small rows weigh little"
    elif found.sort == "share":
        mean = "its mean, in which every row weighs the same"
    told = f"“{column.label}” is {what}, {why}: {mean}; {sense}."
    return DraftKpi(handle, unsigned(column), formula, unit, way, "rate", told, plan)


def _weight(
    column: Facts, among: Sequence[Facts], sorts: Mapping[str, Measured], average: bool = False
) -> Facts | None:
    """The count that a share beside it is of: the one whose name it shares a word with, else the only one there is. average: of what
    it says that it is per, else the only one that is called otherwise: average sales are not weighed by sales."""
    if average and len(of := per_what(column.label)) > 1:
        return next(
            (
                c
                for c in among
                if c is not column
                and not says_plan(c)
                and any(word[: len(of)] == of or of == f"{word}s" for word in words_of(c.label))
            ),
            None,
        )
    counts = [
        c
        for c in among
        if c.whole and (c.least or 0) >= 0 and sorts[c.name].sort == "amount" and sorts[c.name].sure >= SURE
        and not is_bad(c) and _unit(c).kind == "number" and not says_plan(c)
    ]  # fmt: skip
    named = [c for c in counts if shares_a_word(column, c)]
    if average:
        counts, named = [c for c in counts if c not in named], []
    likely = named[0] if named else counts[0] if len(counts) == 1 else None
    if likely is not None and likely.within:  # a share is of all that there were, not of those that it counts
        likely = next((c for c in counts if c.name in dict(likely.within)), likely)
    return None if likely is None or _unit(likely).text else likely  # kilowatt hours are not what an availability is of
