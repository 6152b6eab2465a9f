"""An edition: a page frozen with everything it takes to draw and explain it, without rows, documents or a database.

It is kept as JSON and read back unchanged. What changed since is told by ``pages.comparison``.
"""

from __future__ import annotations

import gzip
from collections.abc import Collection, Mapping
from dataclasses import dataclass, field, replace
from functools import lru_cache

from pydantic import TypeAdapter

from ironmark.core.dependencies import handles_in
from ironmark.core.formula_nodes import FormulaError
from ironmark.core.numbers import NumberStyle, style_of
from ironmark.core.palette import PALETTES, Palette, palette_of
from ironmark.pages.context.reading_context import ReadingContext
from ironmark.pages.drawing.draw import draw_page
from ironmark.pages.model.kpi import KpiBody
from ironmark.pages.model.page import Page, Sheet
from ironmark.pages.model.pictures import ScorecardPicture
from ironmark.pages.model.problems import Refused
from ironmark.pages.model.scorecard import Rehearsed, ScopeBody, ScorecardBody
from ironmark.pages.reading.read import read_page
from ironmark.pages.reading.workings import Explained, Workings, asked_of, workings
from ironmark.store.database import Missing
from ironmark.tables.cells import NoPeriod
from ironmark.tables.connections import LiveProblem, Slow

FORMAT = 1


@dataclass(frozen=True, slots=True)
class FrozenEntry:
    """An entry of the mark book as it was. whose, of: whose it is; since: the period it takes effect from."""

    name: str
    whose: str
    of: dict[str, str]
    since: str
    value: float


@dataclass(frozen=True, slots=True)
class FrozenRows:
    """A dataset that was read. version: of its document; rows: of its rows; through: the last complete day."""

    name: str
    version: int
    rows: int
    through: str


@dataclass(frozen=True)
class Frozen:
    """Everything an edition holds. body: the scorecard, which says where each sheet stands; scope: what was asked for,
    its period resolved. kpis: those that are shown and those that these name, by key; computed: the formulas of their
    computed marks; entries: of their mark books. workings: by sheet, then by the key of a reading. locale: how its
    numbers are written."""

    page: Page
    body: ScorecardBody
    scope: ScopeBody
    kpis: dict[str, KpiBody]
    computed: dict[str, dict[str, str]]
    entries: dict[str, tuple[FrozenEntry, ...]]
    datasets: dict[str, FrozenRows]
    palettes: dict[str, str]  # the names of those whose states it carries, by key
    locale: str
    workings: dict[str, dict[str, Workings]] = field(default_factory=dict)
    format: int = FORMAT

    def to_json(self) -> bytes:
        return _adapter().dump_json(self)

    def to_bytes(self) -> bytes:
        return gzip.compress(self.to_json(), 3, mtime=0)

    @classmethod
    def from_json(cls, text: bytes) -> Frozen:
        return _adapter().validate_json(text)

    @classmethod
    def from_bytes(cls, kept: bytes) -> Frozen:
        return cls.from_json(gzip.decompress(kept))

    @property
    def style(self) -> NumberStyle:
        """How its numbers are written, as they were when it was made."""
        return style_of(self.locale)

    def only(self, sections: Collection[str]) -> Frozen:
        """With some of its sections alone, and what is said of what stands in them."""
        kept = [section for section in self.body.sections if section.id in sections]
        page, shown = self.page, {section.id for section in kept}
        parts = tuple(part for part in page.sections if part.id in shown)
        ids = {item.id for section in kept for held in (section.instruments, section.texts, section.pictures) for item in held}  # type: ignore[attr-defined]  # fmt: skip
        sheets = tuple(sheet for sheet in page.sheets if sheet.id in ids)
        about = {reading.about for sheet in sheets for reading in sheet.readings}
        return replace(
            self,
            body=self.body.model_copy(update={"sections": kept}),
            page=replace(
                page, sections=parts, sheets=sheets, texts=tuple(text for text in page.texts if text.id in ids),
                pictures=tuple(one for one in page.pictures if one.id in ids),
                notes=tuple(note for note in page.notes if note.about in about),
            ),
            workings={key: held for key, held in self.workings.items() if key in ids},
        )  # fmt: skip

    def draw(self) -> ScorecardPicture:
        return draw_page(self.page, self.style)

    def looks(self) -> list[Palette]:
        """The palettes whose states it carries, as they were."""
        found: dict[str, list[str]] = {}
        for state in self.page.states:
            found.setdefault(palette_of(state.key), []).append(state.key)
        return [
            Palette(key, self.palettes.get(key, key), tuple(self.page.known[one] for one in states))
            for key, states in found.items()
        ]


@lru_cache(maxsize=1)
def _adapter() -> TypeAdapter[Frozen]:
    return TypeAdapter(Frozen)


def freeze(
    context: ReadingContext, body: ScorecardBody, scope: ScopeBody, *, explained: bool = True, whole: bool = True,
    rehearsals: Mapping[str, Rehearsed] | None = None,
) -> Frozen:  # fmt: skip
    """A scorecard as it reads now. explained: with the workings of every reading, as an edition is kept; whole: not before all its
    rows have come; rehearsals: values that are tried, by instrument.

    Raises Slow for a page whose rows have not all come yet.
    """
    page = read_page(context, body, scope, rehearsals)
    if any(sheet.waiting for sheet in page.sheets) and whole:
        waits = next(sheet for sheet in page.sheets if sheet.waiting)
        raise Slow(f"{waits.problem or waits.title} An edition is made of a whole page: try again once it is there.")
    scope = scope.model_copy(update={"period": page.period or scope.period, "grain": page.grain})
    kpis = _named(context, page)
    states = {palette_of(state.key) for state in page.states}
    known = context.palettes if states - PALETTES.keys() else PALETTES
    rests_on = page.rests_on
    return Frozen(
        page=page,
        body=body,
        scope=scope,
        kpis=kpis,
        computed={key: found for key in kpis if (found := context.computed(key))},
        entries={
            key: tuple(
                FrozenEntry(e.name, e.owner.whose, dict(e.owner.of), e.since.key, e.value) for e in context.entries(key)
            )
            for key in kpis
        },
        datasets={
            key: FrozenRows(held.name, held.version, held.rows_version, held.through.isoformat() if held.through else "")
            for key in rests_on.datasets
            if (held := context.dataset(key))
        },
        palettes={key: known[key].name for key in sorted(states)},
        locale=context.style.locale,
        workings={sheet.id: _explained(context, sheet, scope) for sheet in page.sheets} if explained else {},
    )  # fmt: skip


def _named(context: ReadingContext, page: Page) -> dict[str, KpiBody]:
    """The KPIs of a page, and those that they name or are made up of."""
    found: dict[str, KpiBody] = {}
    sheets = (*page.sheets, *page.figures.values())
    waiting = [key for sheet in sheets for key in sheet.instrument.kpis]
    while waiting:
        key = waiting.pop()
        if key in found:
            continue
        try:
            body = found[key] = context.kpi(key)
        except Missing:
            continue
        waiting += [part.kpi for part in body.composite.parts] if body.composite else []
        handles = handles_in(body.formula, *context.computed(key).values())
        if handles:
            by_handle = {held.handle: one for one, held in context.every_kpi.items()}
            waiting += [by_handle[handle] for handle in handles if handle in by_handle]
    return dict(sorted(found.items()))


def _explained(context: ReadingContext, sheet: Sheet, scope: ScopeBody) -> dict[str, Workings]:
    """The workings of a sheet's readings, by their keys; none of what cannot be read."""
    found = {}
    together: Explained | None = None  # those that are asked for alike
    for reading in sheet.readings if not sheet.problem else ():
        try:
            if reading.ask is not None:
                found[reading.key] = workings(context, *asked_of(sheet.instrument, scope, reading.ask), reading.member)
                continue
            together = together or Explained(context, sheet.instrument, scope)
            found[reading.key] = together.of(reading.member)
        except (FormulaError, NoPeriod, Missing, LiveProblem, Refused, KeyError):
            continue  # the sheet says why
    return found
