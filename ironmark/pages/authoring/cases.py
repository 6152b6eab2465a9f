"""Cases of assumptions side by side: a scorecard read with each of them, and which readings come out otherwise."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass

from ironmark.core.numbers import NumberStyle, show
from ironmark.pages.context.reading_context import ReadingContext
from ironmark.pages.drawing.tally import tally
from ironmark.pages.model.kpi import CaseBody
from ironmark.pages.model.page import Page, Reading
from ironmark.pages.model.pictures import TallyPart
from ironmark.pages.model.scorecard import ScopeBody, ScorecardBody
from ironmark.pages.reading.read import read_page
from ironmark.store import records

MOST_ROWS = 200


@dataclass(frozen=True)
class CaseColumn:
    """What a page comes to with some values. key: of the case; "" for what is kept, "tried" for what is being tried.
    values: of the assumptions the page depends on, as they are written, in the order they were made."""

    key: str
    name: str
    values: tuple[str, ...]
    differs: tuple[bool, ...]  # from what is kept
    tally: tuple[TallyPart, ...]


@dataclass(frozen=True)
class CaseCell:
    """One reading in one case. step: how many ranks better or worse its state is than with what is kept."""

    shown: str
    state: str | None
    step: int
    changed: bool


@dataclass(frozen=True)
class CaseRow:
    label: str
    cells: tuple[CaseCell, ...]


@dataclass(frozen=True)
class Comparison:
    """rows: the readings that come out otherwise in any column, at most so many; ``more`` are left out, ``same`` read
    the same in all."""

    assumptions: tuple[str, ...]
    columns: tuple[CaseColumn, ...]
    rows: tuple[CaseRow, ...]
    more: int
    same: int


def compared(
    context: ReadingContext, scorecard: str, scope: ScopeBody | None, cases: Collection[str] | None = None
) -> Comparison:
    """Raises Missing; refuses values outside of their range."""
    body = context.scorecard(scorecard)
    scope = scope or body.scope
    sets: list[tuple[str, str, Mapping[str, float]]] = [("", "As kept", {})]
    if scope.assume:
        sets.append(("tried", "As tried now", scope.assume))
    known = records.list_all(context.session, "case")
    for case in known:
        held = CaseBody.model_validate(case.body)
        if held.scorecard == scorecard and (cases is None or case.id in cases):
            sets.append((case.id, held.name, _within(context, held.values)))
    pages = [_read(context, body, scope.model_copy(update={"assume": dict(values)})) for *_, values in sets]
    found = [
        {reading.of: (label, shown, reading) for label, shown, reading in _readings(page, context.style)}
        for page in pages
    ]
    ranks = {state.key: state.rank for page in pages for state in page.states}
    rows, same = [], 0
    for of, (label, shown, kept) in found[0].items():
        every = [column.get(of) for column in found]
        if all(one is not None and (one[1], one[2].state) == (shown, kept.state) for one in every):
            same += 1
            continue
        rows.append(CaseRow(label, tuple(_cell(one, kept, shown, ranks) for one in every)))
    return Comparison(
        assumptions=tuple(one.name for one in pages[0].assumptions),
        columns=tuple(
            CaseColumn(
                key, name, tuple(show(one.value, one.unit, context.style) for one in page.assumptions),
                tuple(one.tried for one in page.assumptions), tuple(tally(page)),
            )
            for (key, name, _), page in zip(sets, pages, strict=True)
        ),
        rows=tuple(rows[:MOST_ROWS]),
        more=max(0, len(rows) - MOST_ROWS),
        same=same,
    )  # fmt: skip


def _within(context: ReadingContext, values: Mapping[str, float]) -> dict[str, float]:
    """The values of a case held within the ranges that their assumptions have by now."""
    known = context.assumed
    return {key: min(max(value, known[key].least), known[key].most) for key, value in values.items() if key in known}


def _read(context: ReadingContext, body: ScorecardBody, scope: ScopeBody) -> Page:
    return read_page(ReadingContext(context.sources, context.session), body, scope)


def _readings(page: Page, style: NumberStyle) -> list[tuple[str, str, Reading]]:
    """Every reading once, with what it is called and its value as it is written."""
    counted = {id(reading) for reading in page.counted()}
    found = []
    for sheet in page.sheets:
        for reading in sheet.readings:
            if id(reading) in counted:
                subject = sheet.subjects[reading.subject]
                own = reading.role == "kpi" or not reading.label
                label = subject.name if own else f"{subject.name}, {reading.label}"
                found.append((label, show(reading.value, subject.unit, style) or "no reading", reading))
    return found


def _cell(one: tuple[str, str, Reading] | None, kept: Reading, shown: str, ranks: Mapping[str, int]) -> CaseCell:
    if one is None:
        return CaseCell("–", None, 0, True)
    _, its, reading = one
    step = ranks[reading.state] - ranks[kept.state] if reading.state and kept.state else 0
    return CaseCell(its, reading.state, step, (its, reading.state) != (shown, kept.state))
