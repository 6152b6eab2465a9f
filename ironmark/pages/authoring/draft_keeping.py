"""A draft that is kept: everything on it made together, and taken back together."""

from __future__ import annotations

import datetime as dt

from sqlalchemy.orm import Session

from ironmark.core.draft_kpis import DraftKpi
from ironmark.core.marks import EVERYONE, TOGETHER, Owner
from ironmark.pages.authoring.draft_held import Held, kpi_yardstick
from ironmark.pages.authoring.from_rows import Proposed, kpi_body
from ironmark.pages.authoring.kpi_rules import may_delete_kpi
from ironmark.pages.authoring.yardstick_rules import may_delete_yardstick
from ironmark.pages.context.reading_context import ReadingContext
from ironmark.pages.model.problems import Refused
from ironmark.pages.model.scorecard import InstrumentBody, ScorecardBody, SectionBody
from ironmark.store import marks, records
from ironmark.store.datasets import StoredDataset
from ironmark.store.marks import Change


def make(session: Session, context: ReadingContext, dataset: StoredDataset, title: str, proposed: Proposed) -> str:
    """Keep what is proposed, all at once. Returns the scorecard's key."""
    keys: dict[str, str] = {}
    yardsticks: dict[str, str] = {}
    shared: dict[tuple[object, ...], str] = {}
    for kpi in proposed.kpis:
        if not any(sheet.kpi == kpi.handle for sheet in proposed.sheets):
            continue
        body = kpi_body(kpi, dataset.id)
        keys[kpi.handle] = key = kpi.known or records.create(session, "kpi", body.model_dump(), name=kpi.name).id
        held = proposed.held[kpi.handle]
        if held.against != "own" and held.mark:
            _keep_marks(session, context, key, kpi, held)
        if held.yardstick:
            yardsticks[kpi.handle] = held.yardstick
        elif held.mark and kpi.direction != "open":
            form = held.mark, kpi.direction, kpi.unit.kind == "percent"
            if form not in shared:
                made = kpi_yardstick(kpi, held.mark)
                shared[form] = records.create(session, "yardstick", made.model_dump(), name=made.name).id
            yardsticks[kpi.handle] = shared[form]
    sections: dict[str, SectionBody] = {}
    for sheet in proposed.sheets:
        section = sections.setdefault(
            sheet.section, SectionBody(id=f"s{len(sections) + 1}", title=sheet.section, instruments=[])
        )
        x, y, w, h = sheet.place
        mark = proposed.held[sheet.kpi].mark
        section.instruments.append(
            InstrumentBody(
                id=sheet.id, kpi=keys[sheet.kpi], face=sheet.face, by=sheet.by, marks=[mark] if mark else [], first=sheet.first,
                order=sheet.order or ("value" if sheet.by and not mark else None), yardstick=yardsticks.get(sheet.kpi), x=x, y=y, w=w, h=h,
            )
        )  # fmt: skip
    for section in sections.values():
        _close_up(section.instruments)
    card = ScorecardBody(title=title or proposed.title, scope=proposed.scope, sections=list(sections.values()))
    return records.create(session, "scorecard", card.model_dump(), name=card.title).id


MADE_TOGETHER = dt.timedelta(minutes=1)


def take_back(session: Session, key: str) -> list[str]:
    """Undo what ``make`` kept: the scorecard, and those of its KPIs and yardsticks that were made with it, are as they
    were made and are used nowhere else. Returns the names of what stays. Refuses a scorecard that was changed since."""
    card = records.get(session, "scorecard", key)
    if card.version != 1:
        detail = f"“{card.body['title']}” was changed since it was made. Delete it by itself; its KPIs stay."
        raise Refused(409, "changed", "It is not as it was made", detail)
    instruments = [one for section in card.body["sections"] for one in section["instruments"]]
    records.remove(session, "scorecard", key, card.version)
    stays = []
    # KPIs first: a yardstick may rest on the mark of one.
    for kind, slot, may_delete in (("kpi", "kpi", may_delete_kpi), ("yardstick", "yardstick", may_delete_yardstick)):
        for name in dict.fromkeys(one[slot] for one in instruments if one[slot]):
            held = records.get_many(session, kind, [name]).get(name)  # type: ignore[arg-type]
            if held is None:
                continue
            if held.version != 1 or abs(held.updated_at - card.updated_at) > MADE_TOGETHER:
                continue  # it was there before
            try:
                may_delete(session, None, name)
            except Refused:
                stays.append(str(held.body["name"]))
                continue
            records.remove(session, kind, name, held.version)  # type: ignore[arg-type]
    return stays


def _keep_marks(session: Session, context: ReadingContext, key: str, kpi: DraftKpi, held: Held) -> None:
    if held.formula:
        marks.compute(session, key, held.mark, held.formula, context.book(key))
        return
    assert held.value is not None
    owner = EVERYONE if kpi.nature == "rate" else TOGETHER
    changes = [Change(held.mark, owner, held.since, held.value)]
    changes += [
        Change(held.mark, Owner.member(**{segment: member}), held.since, value) for segment, member, value in held.each
    ]
    marks.apply(session, key, changes, context.book(key))


def _close_up(instruments: list[InstrumentBody]) -> None:
    """Have what is left stand without gaps where sheets were dropped: row by row, from the left."""
    x = y = tall = 0
    for one in sorted(instruments, key=lambda one: (one.y, one.x)):
        if x + one.w > 12:
            x, y, tall = 0, y + tall, 0
        one.x, one.y = x, y
        x, tall = x + one.w, max(tall, one.h)
