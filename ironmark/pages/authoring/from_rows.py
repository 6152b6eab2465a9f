"""A scorecard from rows: KPIs, marks, yardsticks, faces and sections proposed from a dataset, each with its reason;
changed where they stand, and made of those that are kept."""

from __future__ import annotations

import datetime as dt
import math
import re
import zlib
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from itertools import pairwise
from statistics import median

import numpy as np
import structlog

from ironmark.core.draft_kpis import DraftKpi, LeftOut
from ironmark.core.drafting import draft
from ironmark.core.evaluate import Floats
from ironmark.core.faces import FACES
from ironmark.core.formula import parse
from ironmark.core.formula_nodes import FormulaError, columns_used
from ironmark.core.nearest import folded
from ironmark.core.numbers import Unit
from ironmark.core.periods import Grain, Period, RowGrain, finer, latest_complete, timeline
from ironmark.core.written import written
from ironmark.pages.authoring.draft_held import FEW_PERIODS, Held, KpiChange, held_against, middle
from ironmark.pages.authoring.rows_seen import rows_seen
from ironmark.pages.context.reading_context import ReadingContext
from ironmark.pages.model.field_types import Order
from ironmark.pages.model.kpi import KpiBody, UnitBody
from ironmark.pages.model.problems import Refused
from ironmark.pages.model.scorecard import ScopeBody
from ironmark.pages.reading.usages import yardsticks_in_use
from ironmark.store.datasets import StoredDataset
from ironmark.tables.cells import NoPeriod
from ironmark.tables.facts import MOST_MEMBERS
from ironmark.tables.parts_across import HOUR

log = structlog.get_logger()
SHOWN_FIRST = 20
TOP: Mapping[int, tuple[int, ...]] = {1: (12,), 2: (7, 5), 3: (6, 3, 3)}  # how wide sheets at the top are: one headline
SAME = 0.005  # by which members have to differ, as a share of what they read, for one sheet of them to say something
FACES_OFFERED: Mapping[str, tuple[str, ...]] = {
    "one": ("figure", "dial", "bullet", "bar", "history", "tile"),
    "members": ("ranked", "ledger", "bullet", "tile", "strip"),
    "past": ("history", "strip", "ledger"),
}


@dataclass(frozen=True)
class Changes:
    """What was changed of a draft: sheets that were thrown away, KPIs that were taken in or thrown away by their
    handles, what was changed of them, and other faces by the sheet."""

    dropped: frozenset[str] = frozenset()
    taken: tuple[str, ...] = ()
    kpis: Mapping[str, KpiChange] = field(default_factory=dict)
    faces: Mapping[str, str] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Sheet:
    """A sheet that is proposed: where it stands, of which KPI, as which face, and why."""

    id: str
    section: str
    kpi: str
    face: str
    by: str | None
    place: tuple[int, int, int, int]
    why: str
    faces: tuple[str, ...]
    first: int | None = None
    order: Order | None = None  # None: the one that goes with what it is held against


@dataclass(frozen=True)
class Proposed:
    """kpis: those on the page; waiting: those that are not, with what was thrown away."""

    title: str
    scope: ScopeBody
    kpis: tuple[DraftKpi, ...]
    waiting: tuple[DraftKpi, ...]
    left_out: tuple[LeftOut, ...]
    held: Mapping[str, Held]
    sheets: tuple[Sheet, ...]
    dropped: tuple[Sheet, ...]


def propose(context: ReadingContext, dataset: StoredDataset, changes: Changes = Changes()) -> Proposed:
    """Refuses a dataset that has no period, or no rows, and a formula that cannot be read."""
    if dataset.kind == "live":
        raise Refused(422, "live", "Its rows are elsewhere", "Write KPIs for a live source under KPIs; rows that are uploaded or typed are read here.")  # fmt: skip
    try:
        source = context.source_of(dataset.id)
    except NoPeriod as error:
        raise Refused(422, "no-period", "Its rows have no period", str(error)) from None
    rows = rows_seen(context, dataset)
    drafted = draft(dataset.name, rows.facts, counted_rows=not rows.panel)
    grain = _no_finer(_grain(rows.days), source.grain)
    every = tuple(_named_apart(context, _already_there(context, dataset.id, drafted.kpis)))
    context.fetch([kpi.known for kpi in every if kpi.known])
    complete = latest_complete(
        Period.of(source.first, grain, context.year_start), Period.of(source.last, grain, context.year_start), source.through
    )  # fmt: skip
    periods = timeline(complete, source.first, source.last)
    over = [p for p in periods if p.end <= source.through] or list(periods)
    reading = _Reading(context, dataset.id, over)
    left = list(drafted.left_out)
    shown, waiting, held = list[DraftKpi](), list[DraftKpi](), dict[str, Held]()
    graded = yardsticks_in_use(context.session)
    for kpi in every:
        wanted = (kpi.place == "made" or kpi.handle in changes.taken) and f"kpi:{kpi.handle}" not in changes.dropped
        if not wanted:
            waiting.append(kpi)
            continue
        change = changes.kpis.get(kpi.handle, KpiChange())
        changed = _changed(kpi, change)
        try:
            values = reading.of(changed)
        except (FormulaError, NoPeriod) as error:
            if change.formula is not None:
                raise Refused(422, "formula", "The formula cannot be read", str(error), {"field": f"kpis.{kpi.handle}.formula"}) from None  # fmt: skip
            left.append(LeftOut(kpi.name, str(error)))
            continue
        if not np.isfinite(values).any():
            left.append(LeftOut(kpi.name, "it has no reading in any period"))
            continue
        if change.unit is None and not kpi.known:
            changed = replace(changed, unit=_fine_enough(changed.unit, values))
        shown.append(changed)
        held[kpi.handle] = held_against(context, changed, change, values, over, grain, graded)
    segments = _segments(dataset, rows.members, reading, shown)
    for kpi in shown:
        known = held[kpi.handle]
        if known.value is not None and kpi.nature != "rate" and not kpi.known:
            # A part is not held to the whole's target: each member has its own.
            names = [name for name, _, count in segments if count <= SHOWN_FIRST]
            held[kpi.handle] = replace(known, each=reading.of_each(kpi, names) if known.against == "median" else ())
    sheets = _sheets(shown, held, segments, len(over))
    sheets = [_with_face(sheet, changes.faces.get(sheet.id)) for sheet in sheets]
    kept = tuple(sheet for sheet in sheets if sheet.id not in changes.dropped)
    gone = tuple(sheet for sheet in sheets if sheet.id in changes.dropped)
    first_whole = any(p.end <= source.through for p in periods)
    scope = ScopeBody(grain=grain, period="complete" if first_whole else "latest")
    return Proposed(dataset.name, scope, tuple(shown), tuple(waiting), tuple(left), held, kept, gone)


# KPIs


@dataclass(frozen=True)
class _Reading:
    """What proposed KPIs read, over some periods."""

    context: ReadingContext
    dataset: str
    periods: Sequence[Period]

    def of(self, kpi: DraftKpi) -> Floats:
        """(P,). Raises FormulaError, NoPeriod."""
        return self.context.read(kpi_body(kpi, self.dataset), periods=self.periods).value[:, 0]

    def by(self, kpi: DraftKpi, segment: str) -> tuple[tuple[str | None, ...], Floats]:
        """Members and what they read, (P, M)."""
        read = self.context.read(kpi_body(kpi, self.dataset), by=segment, periods=self.periods)
        return tuple(read.members), read.value

    def of_each(self, kpi: DraftKpi, segments: Sequence[str]) -> tuple[tuple[str, str, float], ...]:
        found = []
        for segment in segments:
            members, values = self.by(kpi, segment)
            for m, member in enumerate(members):
                if member is not None and np.isfinite(values[:, m]).any():
                    found.append((segment, member, middle(values[:, m])))
        return tuple(found)


def _changed(kpi: DraftKpi, change: KpiChange) -> DraftKpi:
    """A KPI with what was changed of it; one that is there already stays as it is."""
    if kpi.known:
        return kpi
    return replace(
        kpi,
        name=change.name or kpi.name,
        formula=change.formula or kpi.formula,
        direction=change.direction or kpi.direction,
        unit=change.unit.as_unit() if change.unit else kpi.unit,
    )


_LONG = 100_000  # from which figures are told in thousands and millions


def _fine_enough(unit: Unit, values: Floats) -> Unit:
    """A unit with as many decimals as it takes to tell small readings from nothing, 0.03%, not 0.0%, and large ones from each
    other: 4,929 and 290.4k, not 5k and 290k."""
    known = np.abs(values[np.isfinite(values) & (values != 0)])
    if not len(known):
        return unit
    if unit.compact:
        return replace(unit, compact=bool(np.median(known) >= _LONG), decimals=int(np.median(known) >= _LONG))
    if unit.kind not in ("percent", "number"):
        return unit
    size = float(np.median(known)) * (100 if unit.kind == "percent" else 1)
    if size >= 1:
        return unit
    return replace(unit, decimals=min(6, max(unit.decimals, 1 - math.floor(math.log10(size)))))


def _grain(days: Sequence[dt.date]) -> Grain:
    """How often rows come: the step between their days, and how far they reach."""
    if len(days) > 1:
        step = median((after - before).days for before, after in pairwise(days))
        if step >= 26:
            return "year" if step >= 300 else "quarter" if step >= 80 else "month"
    reach = (days[-1] - days[0]).days if len(days) else 0
    return "month" if reach >= 75 else "week" if reach >= 21 else "day"


def _no_finer(grain: Grain, rows: RowGrain) -> Grain:
    """A grain that rows can be read by."""
    return grain if not finer(grain, rows) else "year" if rows == "half" else rows


def _already_there(context: ReadingContext, dataset: str, kpis: Sequence[DraftKpi]) -> list[DraftKpi]:
    """The KPIs, those that somebody wrote over the same rows as they are kept: none is made twice."""
    known = {
        written(parse(body.formula)): (key, body)
        for key, body in reversed(context.every_kpi.items())
        if body.dataset == dataset and not body.composite
    }
    found = []
    for kpi in kpis:
        if there := known.get(written(parse(kpi.formula))):
            key, body = there
            kpi = replace(
                kpi, known=key, handle=body.handle, name=body.name, unit=body.unit.as_unit(), direction=body.direction,
                nature=body.nature, plan="", reason="It is there already: that one is shown, as it is.",
            )  # fmt: skip
        found.append(kpi)
    return found


def _named_apart(context: ReadingContext, kpis: Sequence[DraftKpi]) -> list[DraftKpi]:
    """The KPIs with handles and names that nothing has yet."""
    handles = {*context.by_handle, *context.assumptions}
    names = {body.name for body in context.every_kpi.values()}
    found = []
    for kpi in kpis:
        if kpi.known:
            found.append(kpi)
            continue
        handle, name, count = kpi.handle, kpi.name, 2
        while handle in handles:
            handle, count = f"{kpi.handle}_{count}", count + 1
        count = 2
        while name in names:
            name, count = f"{kpi.name} ({count})", count + 1
        handles.add(handle)
        names.add(name)
        found.append(replace(kpi, handle=handle, name=name))
    return found


def kpi_body(kpi: DraftKpi, dataset: str) -> KpiBody:
    return KpiBody(
        handle=kpi.handle, name=kpi.name[:120], description=kpi.reason, dataset=dataset, formula=kpi.formula,
        unit=UnitBody.of(kpi.unit), direction=kpi.direction, nature=kpi.nature,
    )  # fmt: skip


# What they are held against


# Sheets


def _segments(
    dataset: StoredDataset, members: Mapping[str, int], reading: _Reading, kpis: Sequence[DraftKpi]
) -> list[tuple[str, str, int]]:
    """Segments worth reading one by one: name, label and how many members; those whose members differ, the handiest
    number of members first. Not those that a share is of: of the members of “Rejected” one has all of it."""
    found = []
    shares = {name for kpi in kpis for name in columns_used(parse(kpi.formula))}
    for column in dataset.columns:
        if 2 <= members.get(column.name, 0) <= MOST_MEMBERS and column.name not in shares:
            found.append((column.name, column.label, members[column.name]))
    found.sort(key=lambda one: (not 3 <= one[2] <= 12, one[2] > 12, one[2]))
    matter = []
    for segment in found:
        if any(_differs(reading, kpi, segment[0]) for kpi in kpis[:_TELL]):
            matter.append(segment)
        if len(matter) == 2:
            break
    return matter


_TELL = 3  # KPIs that tell whether members differ


def _differs(reading: _Reading, kpi: DraftKpi, segment: str) -> bool:
    """Whether the members of a segment differ in a KPI, in the last period."""
    try:
        _, values = reading.by(kpi, segment)
    except (FormulaError, NoPeriod):
        return False
    known = values[-1][np.isfinite(values[-1])] if len(values) else np.array([])
    return len(known) > 1 and float(np.ptp(known)) > SAME * max(1e-12, float(np.abs(known).max()))


_WHY: Mapping[str, str] = {
    "dial": "A share with its mark is read best on its bands.",
    "figure": "One number with its course is what is looked for first.",
    "bullet": "Members on one axis, each against its own mark.",
    "ranked": "Who gives most of it, in their order.",
    "ledger": "Members as rows, with what they were before.",
    "history": "What it was before says whether now is usual.",
}


def _sheet_id(kind: str, handle: str) -> str:
    """In the letters that identifiers have; a handle in others is told from those that are like it by a number."""
    plain = re.sub(r"[^a-z0-9_]", "", folded(handle))
    own = plain if plain == handle else f"{plain}-{zlib.crc32(handle.encode()):08x}".strip("-")
    return f"{kind}-{own}"[:80]


def _sheets(
    kpis: Sequence[DraftKpi], held: Mapping[str, Held], segments: Sequence[tuple[str, str, int]], periods: int
) -> list[Sheet]:
    """Headlines over members over the course: what a person would lay out first."""
    found: list[Sheet] = []

    def put(section: str, kpi: DraftKpi, face: str, by: str | None, place: tuple[int, int, int, int], kind: str, first: int | None = None, order: Order | None = None) -> None:  # fmt: skip
        why = _WHY[face] if first is None else f"{_WHY[face]} The first {first}, and the rest as one."
        offered = FACES_OFFERED["members" if by else "past" if kind == "past" else "one"]
        found.append(
            Sheet(
                _sheet_id(kind, kpi.handle),
                section,
                kpi.handle,
                face,
                by,
                place,
                why,
                tuple(dict.fromkeys((face, *offered))),
                first,
                order,
            )
        )

    top = list(kpis[: max(TOP)])
    wides = TOP.get(len(top), ())
    for at, kpi in enumerate(top):
        marked = bool(held[kpi.handle].mark) and kpi.direction != "open"
        put("At a glance", kpi, "dial" if kpi.unit.kind == "percent" and marked else "figure", None, (sum(wides[:at]), 0, wides[at], 6), "top")  # fmt: skip
    for row, (name, label, count) in enumerate(segments):
        order: Order | None = "name" if label == HOUR else None
        first = SHOWN_FIRST if count > SHOWN_FIRST and order is None else None
        high = max(5, min(14, count + 2))
        some = kpis[row * 2 : row * 2 + 2] or kpis[:2]
        for at, kpi in enumerate(some):
            marked = bool(held[kpi.handle].mark) and kpi.direction != "open"
            face = ("bullet" if at == 0 else "ledger") if marked else "ranked"
            wide = 12 // len(some)
            put(f"By {label.lower()}", kpi, face, name, (at * wide, 0, wide, high), f"by{row + 1}", first, order)
    if periods >= FEW_PERIODS:
        some = kpis[:2]
        for at, kpi in enumerate(some):
            put("Over time", kpi, "history", None, (at * (12 // len(some)), 0, 12 // len(some), 6), "past")
    for at, kpi in enumerate(kpis[max(TOP) :]):
        put("And also", kpi, "figure", None, ((at % 4) * 3, at // 4 * 5, 3, 5), "also")
    return found


def _with_face(sheet: Sheet, face: str | None) -> Sheet:
    if face is None or face == sheet.face or face not in FACES:
        return sheet
    x, y, w, h = sheet.place
    width, height = FACES[face].size
    return replace(sheet, face=face, place=(x, y, max(w, min(width, 12)), max(h, min(height, 6))))
