"""Live figures in text: what a text names, found among KPIs, members and periods, and read like any sheet."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from functools import cached_property

from ironmark.core.nearest import did_you_mean
from ironmark.core.periods import Period
from ironmark.pages.context.reading_context import ReadingContext
from ironmark.pages.model.markdown import REACHED, figures_of, what_is_wrong
from ironmark.pages.model.page import Sheet, Span
from ironmark.pages.model.scorecard import InstrumentBody, OwnScope
from ironmark.pages.reading.usages import mark_of
from ironmark.store.database import Missing
from ironmark.tables.cells import NoPeriod
from ironmark.tables.connections import LiveProblem

_FIGURE = InstrumentBody(id="figure", kpi="kpi", face="figure")  # whose settings are made once for all figures


class LiveFigures:
    """The figures that the texts of a page name. bodies: by ``Span.figure``, each KPI as the page reads it, all rows
    together unless the text says whose, and graded as on the page: by the yardstick made for it where the page shows
    it nowhere else."""

    def __init__(self, context: ReadingContext, instruments: Sequence[InstrumentBody]) -> None:
        self.bodies: dict[str, InstrumentBody] = {}
        self._library, self._instruments = context, instruments
        self._wrong: dict[str, str] = {}

    def add(self, text: str, under: str = "") -> list[str]:
        """Have the figures of a text among the bodies, ``under`` the page's own or a note's; which they are."""
        return [key for span in figures_of(text) if (key := self._add(span, under))]

    def problems(self, text: str, read: Mapping[str, Sheet], under: str = "") -> tuple[str, ...]:
        """What is wrong with the figures of a text. read: the bodies as they were read."""
        spans = figures_of(text)
        known = self._library.by_handle if spans else {}
        wrong = [what_is_wrong(span, known) or self._wrong.get(under + span.figure, "") for span in spans]
        sheets = [read[key] for span in spans if (key := under + span.figure) in read]
        wrong += [f"{sheet.title}: {sheet.problem}" for sheet in sheets if sheet.problem]
        return tuple(dict.fromkeys(problem for problem in wrong if problem))

    @cached_property
    def _keys(self) -> dict[str, str]:
        return {body.handle: key for key, body in self._library.every_kpi.items()}

    @cached_property
    def _yardsticks(self) -> dict[str, str]:
        known = self._library.yardsticks
        shown = {i.kpi: i.yardstick for i in reversed(self._instruments) if i.yardstick and i.yardstick in known}
        return self._library.yardsticks_made | shown

    def _add(self, span: Span, under: str) -> str:
        place, key = under + span.figure, self._keys.get(span.handle)
        if key is None:
            return ""
        context, used = self._library, self._yardsticks.get(key)
        context.fetch([key], [used] if used else [])
        try:
            own = self._own(key, span)
        except ValueError as error:
            self._wrong[place] = str(error)
            return ""
        told = {"id": span.handle, "kpi": key, "yardstick": used, "marks": [mark_of(context, used)], "own": own}
        self.bodies[place] = _FIGURE.model_copy(update=told)
        return place

    def _own(self, key: str, span: Span) -> OwnScope:
        """What a figure reads where it says so. Raises ValueError for a member or a period there is not."""
        members: dict[str, list[str]] = {}
        if span.member:
            members = self._found(key, span.member)
        if not span.reach or span.reach in REACHED.values():
            return OwnScope(period=span.reach or "page", members=members)  # type: ignore[arg-type]
        try:
            fixed = Period.parse(span.reach, self._library.year_start)
        except ValueError:
            raise ValueError(f"“{span.reach}” is no period; write 2026-09, 2026-Q3, 2026 or {_or(REACHED)}") from None
        return OwnScope(period="fixed", fixed=fixed.key, members=members)

    def _found(self, key: str, wanted: str) -> dict[str, list[str]]:
        """The segment that has a member of this name."""
        kpi = self._library.kpi(key)
        try:
            known = self._library.source(kpi).members
        except (Missing, NoPeriod, LiveProblem) as error:
            raise ValueError(str(error)) from None
        for segment, names in known.items():
            if (name := next((n for n in names if n.casefold() == wanted.casefold()), None)) is not None:
                return {segment: [name]}
        every = [name for names in known.values() for name in names]
        raise ValueError(f"{kpi.name} has no member “{wanted}”{did_you_mean(wanted, every, quoted=False)}")


def _or(words: Mapping[str, str]) -> str:
    *most, last = words
    return f"{', '.join(most)} or {last}"
