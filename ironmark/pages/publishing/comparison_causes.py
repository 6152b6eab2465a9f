"""Why a figure of two editions differs: rows, marks, yardsticks, formulas, and who changed them when."""

from __future__ import annotations

import datetime as dt
import math
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field
from typing import Any, Literal

from pydantic import BaseModel
from sqlalchemy.orm import Session

from ironmark.core import words
from ironmark.core.dependencies import handles_in
from ironmark.core.marks import EVERYONE, TOGETHER, Owner
from ironmark.core.numbers import NumberStyle, Unit, show
from ironmark.core.palette import palette_of
from ironmark.pages.datasets.changed_days import days_that_differ
from ironmark.pages.model.kpi import KpiBody
from ironmark.pages.model.page import COUNTED, GradedBy, Reading, Sheet
from ironmark.pages.model.yardstick import YardstickBody
from ironmark.pages.publishing.editions import Frozen
from ironmark.store import datasets, marks, records
from ironmark.store.database import Missing

Cause = Literal["rows", "mark", "yardstick", "formula", "assumption", "palette", "brief", "period"]


class Because(BaseModel):
    """A cause, in words. at, by: when it came about and by whom, where that is known."""

    cause: Cause
    text: str
    at: str | None = None
    by: str = ""


@dataclass
class Half:
    """One of the two, with its readings by where they stand and by what they are of."""

    frozen: Frozen
    found: dict[str, tuple[Sheet, Reading]] = field(default_factory=dict)
    by_place: dict[tuple[str, str], tuple[Sheet, Reading]] = field(default_factory=dict)
    by_rows: dict[str, tuple[Sheet, Reading]] = field(default_factory=dict)

    def __post_init__(self) -> None:
        page = self.frozen.page
        for sheet in page.sheets:
            for reading in (*sheet.readings, *sheet.folded):
                if reading.role in COUNTED:
                    self.found.setdefault(reading.of, (sheet, reading))
                    self.by_place.setdefault((sheet.id, reading.key), (sheet, reading))
                    self.by_rows.setdefault(of_rows(reading), (sheet, reading))

    def side(self, sheet: Sheet, reading: Reading) -> Side:
        unit = sheet.subjects[reading.subject].unit
        state = self.frozen.page.known.get(reading.state or "")
        mark = reading.marks[0] if reading.marks else None
        style = self.frozen.style
        return Side(
            shown=show(reading.value, unit, style) if reading.value is not None else "no reading",
            value=reading.value,
            state=reading.state,
            state_name=state.name if state else reading.status.replace("_", " "),
            mark=mark.value if mark else None,
            mark_name=mark.name if mark else "",
            mark_shown=words.show_mark(mark.value, unit, style) if mark else "",
        )

    def kpi_of(self, sheet: Sheet, reading: Reading) -> str:
        return sheet.subjects[reading.subject].kpi

    def yardstick_of(self, sheet: Sheet, reading: Reading) -> GradedBy | None:
        return sheet.subjects[reading.subject].yardstick


def of_rows(reading: Reading) -> str:
    """What a reading is of, whatever it is graded by."""
    kpi, bar, rest = reading.of.partition("|")
    return f"{kpi}|{rest.partition('|')[2]}" if bar else kpi


class Causes:
    """Finds what a difference comes from, by what each of the two was read from."""

    def __init__(
        self, session: Session, one: Half, other: Half, now: bool,
        reread: Callable[[dict[str, KpiBody]], Frozen] | None,
    ) -> None:  # fmt: skip
        self.session, self.one, self.other, self.now = session, one, other, now
        self._reread = reread
        self.style = other.frozen.style
        self._again: Half | None = None
        self._rows: dict[tuple[str, str], Because | None] = {}
        self._who: dict[object, tuple[str, dt.datetime] | None] = {}

    def of(self, before: tuple[Sheet, Reading], after: tuple[Sheet, Reading]) -> list[Because]:
        (sheet, a), (_, b) = before, after
        kpi = self.one.kpi_of(sheet, a)
        found: list[Because] = []
        if a.period != b.period:
            names = [half.frozen.page.when(r.period).label for half, r in ((self.one, a), (self.other, b))]
            found.append(Because(cause="period", text=f"{names[1]} beside {names[0]}"))
        elif not alike(a.value, b.value):
            found += self._value(kpi, a, b)
        found += self._mark(kpi, sheet, a, b)
        found += self._yardstick(before, after)
        found += self._palette(a, b)
        return list({(one.cause, one.text): one for one in found}.values())

    def gone(self, sheet: Sheet, reading: Reading) -> list[Because]:
        kpi = self.one.kpi_of(sheet, reading)
        if kpi not in self.other.frozen.kpis:
            known = records.get_many(self.session, "kpi", [kpi])
            return [Because(cause="brief", text="the scorecard no longer shows it" if known else "its KPI was deleted")]
        there = next((s for s in self.other.frozen.page.sheets if s.id == sheet.id), None)
        if there is not None and there.problem:
            return [Because(cause="rows", text=there.problem)]
        if there is not None and reading.member is not None:
            return [self._rows_of(one, reading.period) or Because(cause="rows", text="there are no rows of it") for one in self._reads(kpi)][:1]  # fmt: skip
        return [Because(cause="brief", text="the scorecard no longer shows it")]

    def _value(self, kpi: str, a: Reading, b: Reading) -> list[Because]:
        formulas, tried = list(self._formulas(kpi)), list(self._assumptions(kpi))
        rows = [told for one in self._reads(kpi) if (told := self._rows_of(one, a.period)) is not None]
        if (formulas or tried) and rows and self._reread is not None:
            # With the formulas of then and the rows of now: what still differs comes from the rows.
            if self._again is None:
                self._again = Half(self._reread(self.one.frozen.kpis))
            again = self._again.by_rows.get(of_rows(b))
            if again is not None and not tried:
                if alike(again[1].value, a.value):
                    rows = []
                elif alike(again[1].value, b.value):
                    formulas = []
        return [*rows, *formulas, *tried] or [Because(cause="rows", text="the rows it reads are others now")]

    def _closure(self, kpi: str) -> Iterator[str]:
        """A KPI and those it names or is made up of, as they were or as they are."""
        seen: set[str] = set()
        waiting = [kpi]
        both = self.one.frozen.kpis, self.other.frozen.kpis
        while waiting:
            key = waiting.pop()
            if key in seen:
                continue
            seen.add(key)
            yield key
            for kpis in both:
                body = kpis.get(key)
                if body is None:
                    continue
                waiting += [part.kpi for part in body.composite.parts] if body.composite else []
                named = handles_in(body.formula)
                waiting += [k for k, held in kpis.items() if held.handle in named]

    def _reads(self, kpi: str) -> list[str]:
        """The datasets that a KPI reads."""
        kpis = self.one.frozen.kpis
        return list(dict.fromkeys(kpis[key].dataset for key in self._closure(kpi) if key in kpis))

    def _formulas(self, kpi: str) -> Iterator[Because]:
        for key in self._closure(kpi):
            a, b = (half.frozen.kpis.get(key) for half in (self.one, self.other))
            if a is None or b is None or _meaning(a) == _meaning(b):
                continue
            who = self._changed("kpi", key, lambda body: _meaning(KpiBody.model_validate(body)))
            its = "" if key == kpi else f" of {b.name}"
            if a.formula != b.formula:
                text = f"formula{its} {_short(a.formula)} → {_short(b.formula)}"
            else:
                text = f"how {b.name} is worked out was changed"
            yield _told("formula", text, who)
        for key in self._closure(kpi):
            body = self.other.frozen.kpis.get(key)
            if body is not None and body.composite is not None:
                yield from self._parts(body)

    def _parts(self, body: KpiBody) -> Iterator[Because]:
        """What changed of the marks and yardsticks that a composite's parts are scored by."""
        assert body.composite is not None
        for part in body.composite.parts:
            a, b = (half.frozen.entries.get(part.kpi, ()) for half in (self.one, self.other))
            if a != b:
                name = self.other.frozen.kpis[part.kpi].name if part.kpi in self.other.frozen.kpis else part.kpi
                yield Because(cause="mark", text=f"marks of its part {name} were changed")
            versions = [half.frozen.page.rests_on.documents.get("yardstick", {}).get(part.yardstick or "") for half in (self.one, self.other)]  # fmt: skip
            if versions[0] != versions[1]:
                yield Because(cause="yardstick", text="the yardstick of one of its parts was changed")

    def _assumptions(self, kpi: str) -> Iterator[Because]:
        kpis = self.one.frozen.kpis
        named = handles_in(*(kpis[key].formula for key in self._closure(kpi) if key in kpis))
        before = {held.key: held for held in self.one.frozen.page.assumptions}
        for held in self.other.frozen.page.assumptions:
            was = before.get(held.key)
            if was is not None and not alike(was.value, held.value) and held.handle in named:
                who = self._changed("assumption", held.key, lambda body: body["value"])
                text = (
                    f"{held.name} {show(was.value, was.unit, self.style)} → {show(held.value, held.unit, self.style)}"
                )
                yield _told("assumption", text, who)

    def _rows_of(self, dataset: str, period: str) -> Because | None:
        """What became of a dataset's rows, and of which days of a period."""
        if (dataset, period) not in self._rows:
            self._rows[dataset, period] = self._rows_between(dataset, period)
        return self._rows[dataset, period]

    def _rows_between(self, key: str, period: str) -> Because | None:
        was, became = (half.frozen.datasets.get(key) for half in (self.one, self.other))
        if was is None or (became is not None and was == became):
            return None
        if became is None:
            return Because(cause="rows", text=f"the dataset {was.name} was deleted")
        if was.rows == became.rows:
            try:
                if datasets.get(self.session, key).kind == "live":
                    return Because(cause="rows", text=f"{was.name} is a live source and has other rows now")
            except Missing:
                pass
            if was.through != became.through:
                return Because(cause="rows", text=f"{was.name} is complete through {became.through}, not {was.through}")
            return Because(cause="rows", text=f"columns, spellings or lookups of {was.name} were changed")
        low, high = sorted((was.rows, became.rows))
        between = [v for v in datasets.versions(self.session, key) if low < v.number <= high]
        days = days_that_differ(self.session, key, was.rows, became.rows)
        when = self.one.frozen.page.when(period) if period else None
        # Days outside of it are told only where it reads those, since none within differ.
        days = [day for day in days if when and when.start <= day <= when.end] or days
        which = f"rows of {words.days_words(days)}" if days else "rows"
        verb = "replaced" if was.rows < became.rows else "put back"
        text = f"{which} {verb} ({was.name}, version {was.rows} → {became.rows})"
        newest = max(between, key=lambda v: v.number, default=None)
        return _told("rows", text, (newest.saved_by, newest.created_at) if newest else None)

    def _mark(self, kpi: str, sheet: Sheet, a: Reading, b: Reading) -> Iterator[Because]:
        was = {mark.name: mark for mark in a.marks}
        became = {mark.name: mark for mark in b.marks}
        unit = sheet.subjects[a.subject].unit
        for name in was.keys() | became.keys():
            before, after = was.get(name), became.get(name)
            if before and after and alike(before.value, after.value):
                continue
            shown = [words.show_mark(m.value, unit, self.style) if m else "none" for m in (before, after)]
            text = f"{name} {shown[0]} → {shown[1]}"
            held = [_of(half.frozen.entries.get(kpi, ()), name) for half in (self.one, self.other)]
            formulas = [half.frozen.computed.get(kpi, {}).get(name) for half in (self.one, self.other)]
            if held[0] == held[1] and formulas[0] == formulas[1]:
                if a.period != b.period:
                    yield Because(cause="period", text=f"{text}, as each period has it")
                elif a.partial != b.partial:
                    yield Because(cause="rows", text=f"{text}, since another part of the period is over")
                else:
                    yield Because(cause="rows", text=f"{text}, worked out from other rows")
                continue
            owners = [EVERYONE, TOGETHER, *(Owner(w, o) for w, o in _owners(held[0] ^ held[1], a.member))]
            yield _told("mark", text, self._mark_changed(kpi, name, owners))

    def _mark_changed(self, kpi: str, name: str, owners: Sequence[Owner]) -> tuple[str, dt.datetime] | None:
        versions = [half.frozen.page.rests_on.marks.get(kpi, 0) for half in (self.one, self.other)]
        low, high = min(versions), None if self.now else max(versions)
        return marks.last_change(self.session, kpi, name, (low, high), owners)

    def _yardstick(self, before: tuple[Sheet, Reading], after: tuple[Sheet, Reading]) -> Iterator[Because]:
        was, became = self.one.yardstick_of(*before), self.other.yardstick_of(*after)
        if graded(was) == graded(became):
            return
        if was is None or became is None or was.key != became.key:
            names = [found.name if found else "no yardstick" for found in (was, became)]
            yield Because(cause="yardstick", text=f"graded by {names[1]}, not by {names[0]}")
            return
        unit = before[0].subjects[before[1].subject].unit
        who = self._changed("yardstick", was.key, _yardstick_meaning)
        cuts = _cuts_that_differ(was, became, unit, self.style)
        yield _told("yardstick", f"yardstick {became.name}: {cuts}", who)

    def _palette(self, a: Reading, b: Reading) -> Iterator[Because]:
        looks = [half.frozen.page.known.get(r.state or "") for half, r in ((self.one, a), (self.other, b))]
        if a.state != b.state or looks[0] == looks[1] or a.state is None:
            return
        palette = palette_of(a.state)
        name = self.other.frozen.palettes.get(palette, palette)
        was, became = looks
        if was and became and was.name != became.name:
            text = f"palette {name}: {was.name} is called {became.name}"
        elif was and became and was.sign != became.sign:
            text = f"palette {name}: another sign"
        else:
            text = f"palette {name}: another colour"
        yield _told("palette", text, self._changed("palette", palette, lambda body: body))

    def _changed(self, kind: Any, key: str, part: Callable[[dict[str, Any]], object]) -> tuple[str, dt.datetime] | None:
        if (kind, key) not in self._who:
            versions = [
                half.frozen.page.rests_on.documents.get(kind, {}).get(key, 0) for half in (self.one, self.other)
            ]
            between = min(versions), None if self.now else max(versions)
            self._who[kind, key] = records.last_change(self.session, kind, key, between, part)
        return self._who[kind, key]


def _told(cause: Cause, text: str, who: tuple[str, dt.datetime] | None) -> Because:
    if who is None:
        return Because(cause=cause, text=text)
    return Because(cause=cause, text=text, by=who[0], at=who[1].isoformat() + "Z")


def _meaning(body: KpiBody) -> object:
    """What a KPI's value depends on, besides rows."""
    return body.formula, body.nature, body.dataset, body.graded_as, body.pro_rating, body.composite


def _yardstick_meaning(body: dict[str, Any]) -> object:
    held = YardstickBody.model_validate(body)
    return held.bands, held.cuts, held.per


def _short(formula: str) -> str:
    return formula if len(formula) <= 60 else formula[:57] + "…"


def _of(entries: Sequence[Any], name: str) -> frozenset[Any]:
    return frozenset((e.whose, tuple(e.of.items()), e.since, e.value) for e in entries if e.name == name)


def _owners(entries: frozenset[Any], member: str | None) -> Iterator[tuple[Any, Any]]:
    """Whose the entries are that may be a reading's: its member's own, and those of each member."""
    for whose, of, _, _ in entries:
        if whose == "each" or member is None or any(name == member for _, name in of):
            yield whose, tuple(of)


def _cuts_that_differ(was: GradedBy, became: GradedBy, unit: Unit, style: NumberStyle) -> str:
    if was.bands != became.bands:
        return "other bands"
    pairs = [(a, b) for a, b in zip(was.cuts, became.cuts, strict=True) if a != b]
    told = [f"cut {words.cut_words(a, unit, style)} → {words.cut_words(b, unit, style)}" for a, b in pairs if (a.offset, a.mark, a.factor) != (b.offset, b.mark, b.factor)]  # fmt: skip
    told += ["a cut belongs to the other band" for a, b in pairs if a.belongs != b.belongs]
    return ", ".join(dict.fromkeys(told)) or "its cuts are for another period"


class Side(BaseModel):
    shown: str
    value: float | None
    state: str | None
    state_name: str
    mark: float | None
    mark_name: str
    mark_shown: str


def alike(one: float | None, other: float | None) -> bool:
    if one is None or other is None:
        return one is other
    return math.isclose(one, other, rel_tol=SAME, abs_tol=1e-12)


def graded(yardstick: GradedBy | None) -> object:
    return yardstick and (yardstick.bands, yardstick.cuts, yardstick.per)


SAME = 1e-9  # relative; nearer than this is the same figure, added up in another order
