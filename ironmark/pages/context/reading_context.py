"""What one request reads with: documents, formulas, rows and readings, each fetched and worked out at most once."""

from __future__ import annotations

from collections.abc import Hashable, Mapping, Sequence

from sqlalchemy.orm import Session

from ironmark.core import composite, formula_nodes
from ironmark.core import reading as readings
from ironmark.core.formula_nodes import FormulaError
from ironmark.core.marks import MarkEntry
from ironmark.core.periods import Period, timeline
from ironmark.core.readings import EDGES, Kpi, Members, Readings
from ironmark.core.yardstick import Yardstick
from ironmark.pages.context.formula_expander import FormulaExpander
from ironmark.pages.context.readings_cache import CachedReadings, Readable
from ironmark.pages.context.source_registry import Sources
from ironmark.pages.context.version_cache import Seen
from ironmark.pages.model.kpi import KpiBody, NamedDate


class ReadingContext(FormulaExpander):
    """Documents with their marks and rows, and the readings taken of them."""

    def __init__(self, sources: Sources, session: Session) -> None:
        super().__init__(sources, session)
        self.taken: dict[Hashable, CachedReadings] = {}
        self.by_readings: dict[int, CachedReadings] = {}
        self.by_instrument: dict[Hashable, tuple[object, object, Readings, list[str]]] = {}
        self._taken: Seen | None = sources.taken if self._shared else None

    def cached_readings(
        self,
        key: str,
        marks: Sequence[str],
        yardstick: str | None,
        *,
        by: str | None,
        where: Members,
        periods: tuple[Period, ...],
    ) -> Readings:
        """The readings of a KPI by its own mark book, worked out once: in this request, and while nothing that they
        rest on changes also for all others. Raises FormulaError, NoPeriod, Missing, KeyError."""
        scope = tuple((segment, tuple(names)) for segment, names in where.items())
        asked = (key, tuple(marks), yardstick, by, scope, periods)
        held = self.taken.get(asked)
        if held is None:
            held = self.taken[asked] = self._readings_of(*asked)
            self.by_readings[id(held.readings)] = held
        return held.readings

    def _readings_of(
        self,
        key: str,
        marks: tuple[str, ...],
        yardstick: str | None,
        by: str | None,
        where: tuple[tuple[str, tuple[str, ...]], ...],
        periods: tuple[Period, ...],
    ) -> CachedReadings:
        kpi, computed = self.kpi(key), self.computed(key)
        graded = self.graded_by(self.yardstick(yardstick)) if yardstick else None

        formulas, found = self._formulas(kpi, marks, graded, computed), self.expanded(kpi)

        def read() -> CachedReadings:
            entries = self.entries(key)
            return CachedReadings(self._read(kpi, found, entries, marks, graded, formulas, by, dict(where), periods))

        if self._taken is None or key in self._drafts or kpi.composite is not None:
            return read()
        used = {kpi.dataset, *self.sources_of(found.formula, *formulas.values())}
        if any(self.dataset(one).kind == "live" for one in used):
            return read()
        readable = Readable(
            frozenset((one, self.dataset(one).version, self.eyes.within(one)) for one in used),
            found, tuple(formulas.items()), key, (self._versions["kpi"][key], self.book(key)),
            marks, (yardstick, graded, graded.states if graded else ()), by, where, periods,
        )  # fmt: skip
        return self._taken.several({0: readable}, lambda _: {0: read()})[0]

    def _formulas(
        self, kpi: KpiBody, marks: Sequence[str], yardstick: Yardstick | None, computed: Mapping[str, str]
    ) -> dict[str, formula_nodes.Node]:
        """The formulas of the computed marks that readings are held to."""
        names = {*marks, *EDGES, *(yardstick.marks if yardstick else ())}
        return {name: self.mark_formula(kpi, text) for name, text in computed.items() if name in names}

    def named_dates(self, key: str) -> list[NamedDate]:
        """Days from which a KPI is otherwise: its own, and those of the datasets it is read from, earliest first."""
        kpi = self.kpi(key)
        used = dict.fromkeys((kpi.dataset, *self.sources_of(self.expanded(kpi).formula)))
        own = [NamedDate(**one) for dataset in used for one in self.dataset(dataset).named_dates]
        return sorted([*kpi.named_dates, *own], key=lambda one: one.date)

    def read(
        self,
        kpi: KpiBody,
        entries: Sequence[MarkEntry] = (),
        marks: Sequence[str] = (),
        yardstick: Yardstick | None = None,
        *,
        by: str | None = None,
        where: Members | None = None,
        periods: Sequence[Period] | None = None,
        computed: Mapping[str, str] | None = None,
    ) -> Readings:
        """Take the readings of a KPI from its own dataset and those of the KPIs it names. See ``core.reading.read``."""
        if periods is None:
            source = self.source(kpi)
            periods = timeline(Period.of(source.last, "month", self.year_start), source.first, source.last)
        formulas = self._formulas(kpi, marks, yardstick, computed or {})
        return self._read(kpi, self.expanded(kpi), entries, marks, yardstick, formulas, by, where, periods)

    def _read(
        self,
        kpi: KpiBody,
        found: Kpi,
        entries: Sequence[MarkEntry],
        marks: Sequence[str],
        yardstick: Yardstick | None,
        formulas: Mapping[str, formula_nodes.Node],
        by: str | None,
        where: Members | None,
        periods: Sequence[Period],
    ) -> Readings:
        others = self.sources_of(found.formula, *formulas.values())
        taken = readings.read(
            found, self.source(kpi), entries, marks, yardstick,
            by=by, where=where, others=others, periods=periods, computed=formulas,
        )  # fmt: skip
        if kpi.composite is None:
            return taken
        value = composite.compose(self.parts(kpi, by=by, where=where, periods=periods, members=taken.members))
        return readings.regrade(taken, yardstick, value)

    def parts(
        self,
        kpi: KpiBody,
        *,
        by: str | None,
        where: Members | None,
        periods: Sequence[Period],
        members: Sequence[str | None],
    ) -> list[composite.WeightedPart]:
        """The parts of a composite with their scores. Raises FormulaError for one that is gone or goes in a circle."""
        assert kpi.composite is not None
        held, found = kpi.composite, []
        self.fetch([part.kpi for part in held.parts], [part.yardstick for part in held.parts if part.yardstick])
        for part in held.parts:
            body = self.kpis.get(part.kpi)
            if body is None:
                raise FormulaError(f"a part of {kpi.name} was deleted; take it out", 0, 0)
            self.refuse_circle(body, (kpi.handle,))
            yardstick = self.graded_by(self.yardsticks[part.yardstick]) if part.yardstick in self.yardsticks else None
            source = self.source(body)
            chosen = {segment: names for segment, names in (where or {}).items() if segment in source.members}
            read = self.read(
                body, self.entries(part.kpi), [part.mark], yardstick,
                by=by, where=chosen, periods=periods, computed=self.computed(part.kpi),
            )  # fmt: skip
            if held.by == "score":
                score = composite.state_scores(read)
            else:
                score = composite.attainment_scores(read, part.mark, held.low, held.high)
            found.append(
                composite.WeightedPart(body.name, part.weight, readings.aligned(read.totals, score, members), read)
            )
        return found
