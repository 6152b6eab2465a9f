"""What a watch would have sent, before it is kept; and what it would have with other settings."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass

from ironmark import clock
from ironmark.core.hold_off import Falls, Flags
from ironmark.core.numbers import show, show_gap
from ironmark.pages.context.reading_context import ReadingContext
from ironmark.pages.model.pictures import StatePicture
from ironmark.pages.model.watch import OF_A_HISTORY, WatchBody
from ironmark.pages.watches.answering import answer, told
from ironmark.pages.watches.histories import Answer, History

MOST_PERIODS = {"day": 62, "week": 53, "month": 24, "quarter": 12, "year": 8}
MOST_ROWS = 60
A_YEAR = dt.timedelta(days=366)
AT_ONCE = {"stays": 1, "back": 0.0, "rest": 0}


@dataclass(slots=True)
class TriedCell:
    """One reading, or with no period the room of one that there is not. state: of its yardstick, None where it is not graded or not there. did: "sent", "unheld" a change that did not
    hold or had not gone back far enough, "" neither. noise: whether what was sent is within its usual variation."""

    period: str
    label: str
    shown: str
    state: str | None
    did: str
    noise: bool


NOTHING = TriedCell("", "", "", None, "", False)


@dataclass(slots=True)
class TriedRow:
    name: str
    cells: list[TriedCell]


@dataclass(slots=True)
class OtherSetting:
    """words: the setting, such as ``After 2 readings``; sent: how many messages it would have sent."""

    words: str
    sent: int


@dataclass(slots=True)
class TriedWatch:
    """span: over what it was tried, in words. sent: how many changes would have been told, noise: how many of them are within
    usual variation. axis: the short names of periods, each with its place. now: what it would tell now, where no history says."""

    span: str
    sent: int
    noise: int
    rows: list[TriedRow]
    left_out: int
    axis: list[str]
    states: list[StatePicture]
    others: list[OtherSetting]
    now: list[str]


def try_watch(context: ReadingContext, body: WatchBody) -> TriedWatch:
    """Raises what reading raises."""
    found = answer(context, body)
    if body.asks not in OF_A_HISTORY:
        return _now(context, body, found)
    rows, sent, noise = [], 0, 0
    states: dict[str, StatePicture] = {}
    for history, falls, within in found.asked:
        first = _first(history)
        would = _told(body, falls, within)
        whose = [m for m, _, _ in history.places()]
        sent += int(would[first:, whose].sum())
        noise += int((would & within)[first:, whose].sum())
        rows += _rows(context, history, falls, within, would, first, body.kpi is not None)
        if history.readings.yardstick is not None:
            states |= {s.key: StatePicture(s.key, s.name, s.rank, s.sign) for s in history.readings.yardstick.states}
    longest = max((row.cells for row in rows), key=len, default=[])
    for row in rows:  # the newest of all stand under each other
        row.cells[:0] = [NOTHING] * (len(longest) - len(row.cells))
    return TriedWatch(
        span=_span(body, rows, len(longest)), sent=sent, noise=noise, rows=rows[:MOST_ROWS], left_out=max(0, len(rows) - MOST_ROWS),
        axis=[cell.label for cell in longest], states=list(states.values()), others=_others(context, body, sent), now=[],
    )  # fmt: skip


def _told(body: WatchBody, falls: Falls, noise: Flags) -> Flags:
    return falls.told & ~noise if body.only_signals else falls.told


def _first(history: History) -> int:
    """The row that a try-out begins with: of the last year at least, and as many periods as can be looked at."""
    newest = history.newest()
    grain = history.readings.periods[0].grain
    return max(0, (newest if newest is not None else len(history.readings.periods) - 1) + 1 - MOST_PERIODS[grain])


def _rows(
    context: ReadingContext, history: History, falls: Falls, noise: Flags, sent: Flags, first: int, alone: bool
) -> list[TriedRow]:  # fmt: skip
    readings, block = history.readings, history.block
    name = context.kpi(history.kpi).name
    newest = history.newest()
    last = newest if newest is not None else len(readings.periods) - 1
    rows = []
    for m, _, _ in history.places():
        cells = []
        for p in range(first, last + 1):
            value = block.values[p][m]
            did = "sent" if sent[p, m] else "unheld" if falls.unheld[p, m] else ""
            shown = show(value, readings.kpi.unit, context.style) if value is not None else "no reading"
            cells.append(
                TriedCell(
                    readings.periods[p].key, readings.periods[p].short, shown, readings.state(p, m), did,
                    bool(noise[p, m] and sent[p, m]),
                )
            )  # fmt: skip
        who = history.who(m)
        rows.append(TriedRow(who if who and alone else " · ".join(part for part in (who, name) if part), cells))
    return rows


def _span(body: WatchBody, rows: list[TriedRow], periods: int) -> str:
    many = f"last {periods} {body.grain}{'' if periods == 1 else 's'}"
    return f"{many}, {len(rows)} {'readings' if not body.by else 'members'}" if len(rows) != 1 else many


def _others(context: ReadingContext, body: WatchBody, sent: int) -> list[OtherSetting]:
    """The same with other settings, where those are others."""
    unit_of = context.kpi(body.kpi).unit.as_unit() if body.kpi else None
    tried: list[tuple[str, dict[str, object]]] = [
        ("At once, and at every change,", {**AT_ONCE, "only_signals": False}),
        ("After 2 readings", {"stays": 2}),
        ("After 3 readings", {"stays": 3}),
        ("For signals alone", {"only_signals": True}),
    ]
    if body.asks == "signal":  # what people watch who do not know of signals
        tried.insert(0, ("At every state that is worse", {"asks": "worsens", "side": ""}))
    if unit_of is not None and not body.back and body.asks != "signal":
        tried.append(("With 2 readings back before it counts again", {"rest": 2}))
    if body.back and unit_of is not None:
        tried.append((f"Without {show_gap(body.back, unit_of, context.style)} back over the cut", {"back": 0.0}))
    found = []
    for words, change in tried:
        other = body.model_copy(update=change)
        if other.question == body.question or (body.asks == "signal" and "only_signals" in change and len(change) == 1):
            continue
        found.append(OtherSetting(words, _count(context, other)))
    return [one for one in found if one.sent != sent][:3]


def _count(context: ReadingContext, body: WatchBody) -> int:
    total = 0
    for history, falls, noise in answer(context, body).asked:
        places = [m for m, _, _ in history.places()]
        total += int(_told(body, falls, noise)[_first(history) :][:, places].sum())
    return total


def _now(context: ReadingContext, body: WatchBody, found: Answer) -> TriedWatch:
    """What stands now, and of editions those of the last year: their history is the list of them."""
    events = sorted(found.events, key=lambda one: one.ends, reverse=True)
    if body.asks == "edition":
        events = [one for one in events if one.ends >= (clock.now() - A_YEAR).date().isoformat()]
    said = [
        f"{one.who + ' · ' if one.who else ''}{one.kpi}: {one.words}" for one in told(context, body, found, events, "")
    ]
    span = "the last year" if body.asks == "edition" else "as it stands now"
    return TriedWatch(span, len(events), 0, [], 0, [], [], [], said[:MOST_ROWS])
