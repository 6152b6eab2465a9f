"""A watch is answered: what it finds with somebody's eyes, and how that is told."""

from __future__ import annotations

from collections.abc import Iterable
from urllib.parse import quote

import numpy as np

from ironmark.core.numbers import show
from ironmark.core.palette import State
from ironmark.core.periods import Period
from ironmark.core.told_once import Event
from ironmark.core.words import edge_words, gap_words
from ironmark.pages.context.reading_context import ReadingContext
from ironmark.pages.datasets.late_data import late_data
from ironmark.pages.drawing.draw_texts import as_text
from ironmark.pages.model.note_words import asked as asked_for
from ironmark.pages.model.note_words import label_of
from ironmark.pages.model.page import narrow_of
from ironmark.pages.model.scorecard import InstrumentBody, ScopeBody
from ironmark.pages.model.watch import OF_A_HISTORY, Kind, Told, ToldState, WatchBody
from ironmark.pages.publishing.note_alone import note_alone
from ironmark.pages.reading.instrument_scope import own_scope
from ironmark.pages.reading.read import read_page
from ironmark.pages.reading.usages import yardsticks_in_use
from ironmark.pages.watches.histories import FORESEEN, Answer, Found, History, ask_of, history_of
from ironmark.store import editions, notes

SIGNED = 200  # characters of a note that are told


def answer(context: ReadingContext, body: WatchBody) -> Answer:
    """Everything that a watch finds, told or not. Raises Missing, Refused, FormulaError, NoPeriod, NoSegment, LiveProblem."""
    found = Answer()
    if body.asks == "late":
        _late(context, body, found)
    elif body.asks == "edition":
        _editions(context, str(body.scorecard), found)
    elif body.asks == "note":
        _notes(context, str(body.scorecard), found)
    elif body.kpi is not None:
        _kpi(context, body, body.kpi, found)
    else:
        _anything(context, body, found)
    return found


def _kpi(context: ReadingContext, body: WatchBody, kpi: str, found: Answer) -> None:
    yardstick = yardsticks_in_use(context.session).get(kpi)
    marks = (body.mark,) if body.mark else ()
    history = history_of(context, kpi, yardstick, body.by, {}, body.grain, body.members, marks)
    if body.asks in OF_A_HISTORY:
        ask_of(found, history, body)
        return
    p = len(history.readings.periods) - 1
    ends = history.readings.periods[p].end.isoformat()
    for m, key, _ in history.places():
        found.series.add(key)
        found.newest[key] = ends
        if body.asks == "unmarked":
            held = history.readings.lines[str(body.mark)]
            if np.isfinite(history.readings.value[p, m]) and not np.isfinite(held.value[p, m]):
                found.events[Event(key, ends, f"no {body.mark}")] = Found(history, m, p, p)
        elif _turns(history, body, p, m):
            found.events[Event(key, ends, f"outlook {body.state}")] = Found(history, m, p, p)


def _turns(history: History, body: WatchBody, p: int, m: int) -> bool:
    """Whether the likeliest end of the period under way is the state that is asked about, or a worse one."""
    going, yardstick = history.block.outlooks.at(p, m), history.readings.yardstick
    if going is None or not going.states or yardstick is None or body.state not in yardstick.known:
        return False
    return yardstick.known[going.states[0][0]].rank <= yardstick.known[body.state].rank


def _anything(context: ReadingContext, body: WatchBody, found: Answer) -> None:
    """All readings of a scorecard that are graded, each KPI and segment once."""
    card = context.scorecard(str(body.scorecard))
    seen, failed = set[tuple[object, ...]](), None
    instruments = [one for section in card.sections for one in section.instruments]
    context.fetch([one.kpi for one in instruments], [one.yardstick for one in instruments if one.yardstick])
    for one in instruments:
        if one.yardstick is None and body.asks != "signal":
            continue
        where = _where(one, card.scope)
        place = (one.kpi, one.yardstick, one.by, narrow_of(where))
        if place in seen:
            continue
        seen.add(place)
        try:
            history = history_of(context, one.kpi, one.yardstick, one.by, where, body.grain, coarser=True)
        except FORESEEN as error:
            failed = failed or error  # it holds up nothing else
            continue
        if history.readings.kpi.direction != "open":
            ask_of(found, history, body)
    if failed is not None and not found.series:
        raise failed


def _where(one: InstrumentBody, scope: ScopeBody) -> dict[str, list[str]]:
    """Which members an instrument reads, whatever the period."""
    own, _ = own_scope(one, scope, Period.parse("2026-01"))
    return {segment: names for segment, names in own.members.items() if names}


def _late(context: ReadingContext, body: WatchBody, found: Answer) -> None:
    if body.kpi is not None:
        kpis = [body.kpi]
    else:
        card = context.scorecard(str(body.scorecard))
        kpis = [key for section in card.sections for one in section.instruments for key in one.kpis]
    used = set[str]()
    for key in dict.fromkeys(kpis):
        kpi = context.kpi(key)
        used |= {kpi.dataset, *context.sources_of(context.expanded(kpi).formula)}
    found.series |= used
    for one in late_data(context.session):
        if one.dataset in used:
            through = context.dataset(one.dataset).through
            event = Event(one.dataset, through.isoformat() if through else "", "late")
            found.events[event] = f"{one.name} {one.said}"
            found.newest[one.dataset] = event.ends


def _editions(context: ReadingContext, scorecard: str, found: Answer) -> None:
    context.scorecard(scorecard)
    found.series.add(scorecard)
    for row in editions.list_all(context.session, scorecard):
        if row.published_at is None:
            continue
        ends = row.published_at.date().isoformat()
        found.newest[scorecard] = min(
            ends, found.newest.get(scorecard, ends)
        )  # each of them is news, in whichever order
        found.events[Event(scorecard, ends, f"published {row.id}")] = row.id
        if row.state == editions.WITHDRAWN:
            found.events[Event(scorecard, ends, f"withdrawn {row.id}")] = row.id


def _notes(context: ReadingContext, scorecard: str, found: Answer) -> None:
    card = context.scorecard(scorecard)
    page = read_page(context, card, card.scope)
    noted = {note.about for note in page.notes}
    found.series.add(scorecard)
    if not page.period:
        return
    ends = Period.parse(page.period, page.year_start).end.isoformat()
    found.newest[scorecard] = ends
    for reading in asked_for(page):
        if reading.about not in noted:
            found.events[Event(scorecard, ends, reading.about[:600])] = label_of(page, reading)


# In words


def told(context: ReadingContext, body: WatchBody, found: Answer, events: Iterable[Event], kind: Kind) -> list[Told]:
    """Events as they are told. kind: "" for news, ``restated``, ``taken back``."""
    return [_told(context, body, event, found.events.get(event), kind) for event in events]


def _told(context: ReadingContext, body: WatchBody, event: Event, where: Found | str | None, kind: Kind) -> Told:
    if isinstance(where, Found):
        return _reading(context, body, where, kind)
    if body.asks == "edition" and isinstance(where, str):
        return _edition(context, event, where, kind)
    if where is None:
        return _gone(context, event, kind)
    kpi = context.kpi(body.kpi).name if body.kpi else context.scorecard(str(body.scorecard)).title
    link = f"#/data/{event.series}" if body.asks == "late" else f"#/scorecards/{event.series}"
    said = where if body.asks == "late" else f"a word is asked for: {where}"
    return Told(kind, "", kpi, said, link=link)


def _gone(context: ReadingContext, event: Event, kind: Kind) -> Told:
    """What is no longer so: its reading was read otherwise since."""
    kpi, by, member = (*event.series.split("|"), "", "")[:3]
    known = context.kpis.get(kpi)
    day = event.ends and f"the period to {event.ends}"
    return Told(kind, member, known.name if known else kpi, day, link=_link(kpi, "", by, member) if known else "")


def _edition(context: ReadingContext, event: Event, key: str, kind: Kind) -> Told:
    row = editions.get(context.session, key)
    name = f"{row.title}, edition {row.number}{row.suffix}"
    done = "was withdrawn" if event.what.startswith("withdrawn") else "is out"
    why = row.why if event.what.startswith("withdrawn") else row.note
    note = why[:SIGNED]
    return Told(
        kind,
        "",
        name,
        f"{row.period_label} {done}",
        note=note,
        link=f"#/editions/{key}",
        about=f"edition:{key}",
        gone=event.what.startswith("withdrawn"),
    )


def _reading(context: ReadingContext, body: WatchBody, where: Found, kind: Kind) -> Told:
    history, m, p = where.history, where.m, where.p
    block, readings, style = history.block, history.readings, context.style
    unit, period, member = readings.kpi.unit, readings.periods[p], readings.members[m]
    value, going = block.values[p][m], block.outlooks.at(p, m) if body.asks == "outlook" else None
    state = readings.state(p, m)
    if going is not None and readings.yardstick is not None:
        value, state = going.end, going.states[0][0]
    known = readings.yardstick.known if readings.yardstick else {}
    against = "" if value is None else _against(context, history, value, p, m)
    if going is not None:
        against = f"on its way there: {', '.join(f'{known[s].name} in {n} of 10' for s, n in going.states)}"
    if body.asks == "unmarked":
        against = f"it has no {body.mark}"
    usual, why = block.usual.at(p, m), ""
    signal = any(block.usual.is_signal(at, m) for at in range(where.began, p + 1))
    if usual is not None:
        why = usual.signal(period.grain, unit, style) or f"Within its usual variation, {usual.words(unit, style)}"
    of = block.of(p, m)
    kpi, _, narrow, _ = of.split("|", 3)
    note = _note(context, notes.key_of(kpi, narrow, period.key))
    before = known.get(where.before) if where.before else None
    return Told(
        kind, history.who(m), context.kpi(history.kpi).name, period.label,
        shown=show(value, unit, style) if value is not None else "no reading", against=against,
        before=_state(before) if before and state and before.key != state else None,
        state=_state(known.get(state) if state else None), since=_since(where, period), why=why, note=note,
        signal=signal, link=_link(history.kpi, period.key, history.by or "", member or ""),
    )  # fmt: skip


def _note(context: ReadingContext, key: str) -> str:
    """The first words of what was noted about a reading, its live figures as they are now."""
    kept = notes.get_many(context.session, [key]).get(key)
    if kept is None or not kept.text:
        return ""
    said = " ".join(as_text(note_alone(context, kept).blocks).split())
    return said if len(said) <= SIGNED else said[: SIGNED - 1] + "…"


def _since(where: Found, period: Period) -> str:
    lasts = where.p - where.began + 1
    if lasts < 2:
        return ""
    return f"So for {lasts} {period.grain}s, since {where.history.readings.periods[where.began].label}"


def _against(context: ReadingContext, history: History, value: float, p: int, m: int) -> str:
    """Where a value stands to its mark."""
    block, unit = history.block, history.readings.kpi.unit
    if block.edge is not None:
        edge = block.edge[p][m]
        inside = bool(block.inside and block.inside[p][m])
        return "" if edge is None else edge_words(edge, abs(value - edge), inside, unit, context.style)
    for mark in block.marks_at(p, m):
        if mark.name == block.first:
            return gap_words(value, mark.value, mark.name, history.readings.kpi.direction, unit, context.style)
    return ""


def _state(state: State | None) -> ToldState | None:
    return ToldState(state.name, state.sign, state.colour) if state else None


def _link(kpi: str, period: str, by: str, member: str) -> str:
    asks = {"period": period, "segment": by if member else "", "member": member}
    said = "&".join(f"{name}={quote(value, safe='')}" for name, value in asks.items() if value)
    return f"#/kpis/{kpi}/signals{f'?{said}' if said else ''}"


def changes_words(found: Iterable[Told]) -> str:
    """What a message is headed with: the worst of what it tells, and how many more there are."""
    every = list(found)
    first = every[0]
    name = f"{first.who} · {first.kpi}" if first.who else first.kpi
    said = first.state.name if first.state else first.period
    head = {"restated": "Restated: ", "taken back": "No longer so: "}.get(first.kind, "")
    more = f" and {len(every) - 1} more" if len(every) > 1 else ""
    return f"{head}{name}: {said}{more}"
