"""What leaves: a page with what is told about it, an edition or a page as it was read, and its readings in one table."""

from __future__ import annotations

import datetime as dt
from collections.abc import Collection, Iterator
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Literal

from ironmark.core import words
from ironmark.core.numbers import unit_words
from ironmark.core.palette import State
from ironmark.pages.drawing.draw_texts import in_a_line
from ironmark.pages.model.page import Reading, Sheet
from ironmark.pages.model.pictures import InstrumentPicture, ReadingPicture, ScorecardPicture
from ironmark.pages.publishing.editions import Frozen


@dataclass(frozen=True, slots=True)
class About:
    """What is told about an edition. number: such as 10, or 10a; moments as ISO 8601 in UTC, "" for none. sha256: the
    checksum of what it holds."""

    id: str
    number: str
    state: Literal["draft", "published", "withdrawn"]
    title: str
    note: str
    made_at: str
    made_by: str
    published_at: str
    published_by: str
    withdrawn_at: str
    withdrawn_by: str
    why: str
    sha256: str


@dataclass(frozen=True, slots=True)
class Row:
    """A reading as a row of the tidy table. Numbers are in the KPI's unit, a percent as a fraction; ``shown`` and
    ``mark_shown`` are as the page writes them. rank: of its state, from worst (1) to best. partial: how much of its
    period it is of."""

    section: str
    instrument: str
    kpi: str
    handle: str
    member: str
    role: str
    period: str
    period_name: str
    value: float | None
    shown: str
    unit: str
    mark_name: str
    mark: float | None
    mark_shown: str
    gap: float | None
    attainment: float | None
    state: str
    rank: int | None
    status: str
    reason: str
    partial: str
    before: str
    usual_low: float | None
    usual_high: float | None
    signal: str
    few_rows: str
    outlook: float | None
    outlook_low: float | None
    outlook_high: float | None
    note: str
    remarks: str


COLUMNS: dict[str, str] = {
    "section": "The section of the page",
    "instrument": "The title of the sheet",
    "kpi": "The KPI",
    "handle": "The name by which formulas call the KPI",
    "member": "What is read: a member, a period or a group; empty for all rows together",
    "role": "Of what it is: all, member, period, kpi, group, rest",
    "period": "The period, such as 2026-10",
    "period_name": "The period in words",
    "value": "The reading, in the unit; a percent is a fraction",
    "shown": "The reading as the page writes it",
    "unit": "percent, an ISO 4217 currency, seconds, minutes or hours, or the KPI's own unit",
    "mark_name": "The mark it is measured against first",
    "mark": "That mark, in the unit",
    "mark_shown": "That mark as the page writes it",
    "gap": "Value less mark, in the unit; to the nearer edge where a range is best",
    "attainment": "How far the mark is reached, as a fraction",
    "state": "The state it is graded to",
    "rank": "The state's rank, 1 for the worst",
    "status": "graded, not_graded or no_reading",
    "reason": "Why it is not graded, or why there is no reading",
    "partial": "How much of its period it is of, where that is not over",
    "before": "The state a period earlier",
    "usual_low": "The low end of what is usual for it by its own history, in the unit; empty where that is too short",
    "usual_high": "The high end of that",
    "signal": "Why usual variation does not explain it; empty where it does",
    "few_rows": "The states it could be in, where it is a share of too few rows to tell",
    "outlook": "Where a period that is not over is going, in the unit",
    "outlook_low": "Between this and the next, eight of ten earlier periods ended that stood like it",
    "outlook_high": "The high end of that",
    "note": "What somebody wrote about the reading",
    "remarks": "What there is to say about the sheet",
}


@dataclass(frozen=True)
class ExportPage:
    """A page that leaves. about: None for one that is no edition; some: some of its sections alone."""

    frozen: Frozen
    about: About | None = None
    some: bool = False

    def only(self, sections: Collection[str]) -> ExportPage:
        """Some of its sections, told as such."""
        return replace(self, frozen=self.frozen.only(sections), some=True)

    @cached_property
    def picture(self) -> ScorecardPicture:
        return self.frozen.draw()

    @property
    def title(self) -> str:
        return self.about.title if self.about else self.frozen.page.title

    @property
    def heading(self) -> str:
        """Which edition it is of which period: ``October 2026, edition 10``."""
        parts = [self.picture.period_label, self.edition_words, f"{self.sections_words} only" if self.some else ""]
        return ", ".join(part for part in parts if part)

    @property
    def sections_words(self) -> str:
        return ", ".join(section.title or "untitled" for section in self.frozen.body.sections)

    @property
    def edition_words(self) -> str:
        if self.about is None:
            return ""
        state = {"draft": " (draft)", "withdrawn": " (withdrawn)"}.get(self.about.state, "")
        return f"edition {self.about.number}{state}"

    @property
    def through(self) -> str:
        """Through which day all data of the page are complete, as ISO 8601; "" where that is not known."""
        return min((held.through for held in self.frozen.datasets.values() if held.through), default="")

    @property
    def through_words(self) -> str:
        """That day, and what is there of datasets that go further."""
        if not self.through:
            return ""
        further = {held.name: held.through for held in self.frozen.datasets.values() if held.through > self.through}
        told = [
            f"{name} through {words.days_words([dt.date.fromisoformat(day)])}" for name, day in sorted(further.items())
        ]
        day = words.days_words([dt.date.fromisoformat(self.through)])
        return f"{day}; {', '.join(told)}" if told else day

    @property
    def published_words(self) -> str:
        """When it was published or made, and by whom."""
        if self.about is None:
            return ""
        verb, at, by = "Published", self.about.published_at, self.about.published_by
        if not at:
            verb, at, by = "Made", self.about.made_at, self.about.made_by
        return f"{verb} on {words.days_words([dt.date.fromisoformat(at[:10])])}{f' by {by}' if by else ''}"

    @property
    def name(self) -> str:
        """What a file of it is called, without its ending."""
        return ", ".join(part for part in (self.title, self.picture.period_label, self.edition_words) if part)

    @property
    def states(self) -> dict[str, State]:
        return self.frozen.page.known

    def sheets(self) -> Iterator[tuple[str, Sheet, InstrumentPicture]]:
        """Every instrument in its order, with the title of its section and its picture."""
        page = self.frozen.page
        sheets = {sheet.id: sheet for sheet in page.sheets}
        pictures = {picture.id: picture for picture in self.picture.instruments}
        for section in page.sections:
            for key in section.sheets:
                yield section.title, sheets[key], pictures[key]

    @cached_property
    def notes(self) -> dict[str, str]:
        """The notes of the page, each as a line, by what they are about."""
        return {note.about: in_a_line(note) for note in self.picture.notes}

    @cached_property
    def rows(self) -> list[Row]:
        """Every reading of every instrument, in the order of the page."""
        return [
            self.row(section, sheet, reading, drawn)
            for section, sheet, picture in self.sheets()
            for reading, drawn in zip(sheet.readings, picture.readings, strict=False)
        ]

    def row(self, section: str, sheet: Sheet, reading: Reading, drawn: ReadingPicture) -> Row:
        subject = sheet.subjects[reading.subject]
        state, before = (self.states.get(key or "") for key in (reading.state, reading.before))
        mark = drawn.marks[0] if drawn.marks else None
        return Row(
            section=section, instrument=sheet.title, kpi=subject.name, handle=subject.handle,
            member=reading.label if reading.role not in ("all", "kpi") else "", role=reading.role, period=reading.period,
            period_name=self.frozen.page.when(reading.period).label if reading.period else "",
            value=reading.value, shown=drawn.shown, unit=unit_words(subject.unit), mark_name=mark.name if mark else "",
            mark=mark.value if mark else None, mark_shown=mark.shown if mark else "", gap=reading.gap,
            attainment=reading.attainment, state=state.name if state else "", rank=state.rank if state else None,
            status=reading.status, reason=reading.reason, partial=reading.partial.words if reading.partial else "",
            before=before.name if before else "",
            usual_low=reading.usual.low if reading.usual else None, usual_high=reading.usual.high if reading.usual else None,
            signal=drawn.usual.signal if drawn.usual else "", few_rows=drawn.few,
            outlook=reading.going.end if reading.going else None, outlook_low=reading.going.low if reading.going else None,
            outlook_high=reading.going.high if reading.going else None, note=self.notes.get(reading.about, ""),
            remarks=" · ".join(sheet.notes),
        )  # fmt: skip
