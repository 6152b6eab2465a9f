"""Formulas with everything that they name worked in: other KPIs, assumptions, further datasets; and what goes in a circle."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterable, Mapping
from dataclasses import replace
from functools import cached_property, lru_cache

from sqlalchemy.orm import Session

from ironmark.core import formula, formula_nodes
from ironmark.core import reading as readings
from ironmark.core.check import check
from ironmark.core.dependencies import handles_in
from ironmark.core.expand import as_level, assuming, expand, read_from
from ironmark.core.formula_nodes import ColumnType, FormulaError
from ironmark.core.nearest import did_you_mean
from ironmark.core.numbers import NumberStyle, show
from ironmark.core.readings import Kpi, Source
from ironmark.pages.context.document_set import DocumentSet
from ironmark.pages.context.source_registry import Sources
from ironmark.pages.model.kpi import AssumptionBody, KpiBody
from ironmark.pages.model.page import Assumed
from ironmark.pages.model.problems import Refused


class FormulaExpander(DocumentSet):
    """KPIs with their formulas expanded, and the rows that those read."""

    def __init__(self, sources: Sources, session: Session) -> None:
        super().__init__(sources, session)
        self._sources: dict[str, Source] = {}
        self._alone: dict[int, tuple[KpiBody, Kpi]] = {}  # those that name no other, by their address, which they keep

    def source(self, kpi: KpiBody) -> Source:
        return self.source_of(kpi.dataset)

    def source_of(self, key: str) -> Source:
        """The rows of a dataset: the same ones for everything in this request."""
        if key not in self._sources:
            self._sources[key] = self.sources.source(self.session, self.dataset(key))
        return self._sources[key]

    def through(self, kpi: KpiBody) -> dt.date:
        """The day that everything a KPI reads is complete through. Raises FormulaError, NoPeriod, Missing, LiveProblem."""
        if kpi.composite is not None:
            return self.source(kpi).through
        found = self.expanded(kpi)
        return readings.read_through(found, self.source(kpi), self.sources_of(found.formula))

    def label_of(self, dataset: str, column: str) -> str:
        """What a column is called."""
        return next((c.label for c in self.dataset(dataset).columns if c.name == column), column)

    def sources_of(self, *trees: formula_nodes.Node) -> dict[str, Source]:
        """The sources of further datasets that formulas read, by key."""
        return {key: self.source_of(key) for tree in trees for key in _datasets_of(tree)}

    def expanded(self, kpi: KpiBody, path: tuple[str, ...] = ()) -> Kpi:
        """The KPI with its formula parsed, checked, and every ``@handle`` in it worked in. Raises FormulaError.

        path: the handles on the way here, so that a circle is found.
        """
        if (known := self._alone.get(id(kpi))) is not None:
            return known[1]
        dataset = self.dataset(kpi.dataset)
        types = tuple((column.name, column.type) for column in dataset.columns)
        unit, as_shown = kpi.unit.as_unit(), kpi.graded_as == "shown"
        if (alone := _alone(kpi.formula, types, kpi.nature == "stock")) is not None:
            made = Kpi(kpi.handle, kpi.name, alone, unit, kpi.direction, kpi.nature, kpi.pro_rating, as_shown)
            self._alone[id(kpi)] = kpi, made
            return made

        tree = self.assuming(formula.parse(kpi.formula))
        check(tree, dict(types))

        def resolve(reference: formula_nodes.Reference) -> formula_nodes.Node:
            way = (*path, kpi.handle)
            if reference.handle in way:
                circle = " → ".join(f"@{handle}" for handle in (*way[way.index(reference.handle) :], reference.handle))
                raise FormulaError(f"this goes in a circle: {circle}", *reference.span)
            other = self.by_handle.get(reference.handle)
            if other is None:
                known = [*self.by_handle, *self.assumptions]
                hint = did_you_mean(reference.handle, known, "@", quoted=False)
                hint = hint or "; KPIs and assumptions are named by their handle"
                raise FormulaError(f"no KPI or assumption “@{reference.handle}”{hint}", *reference.span)
            if other.composite is not None:
                raise FormulaError(f"@{reference.handle} is a composite; it can only be a part of one", *reference.span)
            try:
                found = self.expanded(other, way).formula
            except FormulaError as error:
                message = error.message if "circle" in error.message else f"@{reference.handle}: {error.message}"
                raise FormulaError(message, *reference.span) from None
            return read_from(found, other.dataset, kpi.dataset)

        expanded = expand(tree, resolve)
        if kpi.nature == "stock":
            expanded = as_level(expanded)
        return Kpi(kpi.handle, kpi.name, expanded, unit, kpi.direction, kpi.nature, kpi.pro_rating, as_shown)

    def mark_formula(self, kpi: KpiBody, text: str) -> formula_nodes.Node:
        """The formula of a computed mark, expanded; it may name the KPI itself. Raises FormulaError."""
        # Another handle, so that naming the KPI is no circle.
        return self.expanded(kpi.model_copy(update={"formula": text, "handle": ""})).formula

    def assuming(self, tree: formula_nodes.Node) -> formula_nodes.Node:
        """A formula as it was parsed, with its assumptions worked in."""
        return assuming(tree, {handle: held.value for handle, held in self.assumptions.items()})

    def assume(self, tried: Mapping[str, float]) -> None:
        """Have assumptions stand for other values in this request, by their key or handle. Refuses what they cannot be."""
        known = self.assumed if tried else {}
        for name, value in tried.items():
            held = known.get(name) or self.assumptions.get(name)
            if held is None:
                continue  # it was deleted since: a case may still name it
            refuse_outside(held, value, f"assume.{name}", self.style)
            self.assumptions[held.handle] = replace(held, value=value)

    @property
    def assumed(self) -> dict[str, Assumed]:
        """Every assumption by its key."""
        return {held.key: held for held in self.assumptions.values()}

    @cached_property
    def assumptions(self) -> dict[str, Assumed]:
        """Every assumption by its handle, fetched when a formula names something."""
        every = self._every("assumption", AssumptionBody)
        return {
            body.handle: Assumed(
                key, body.handle, body.name, body.unit.as_unit(), body.least, body.most, body.step, body.value,
                body.value, self._versions["assumption"][key],
            )
            for key, body in every.items()
        }  # fmt: skip

    def assumed_by(self, key: str) -> list[Assumed]:
        """The assumptions that a KPI, its computed marks and the KPIs it names or is made up of depend on."""
        found: dict[str, Assumed] = {}
        self._find_assumed([], [key], found, set())
        return list(found.values())

    def _find_assumed(
        self, texts: Iterable[str], parts: Iterable[str], found: dict[str, Assumed], seen: set[str]
    ) -> None:
        for handle in handles_in(*texts):
            if handle in seen:
                continue
            seen.add(handle)
            if handle in self.assumptions:
                found[handle] = self.assumptions[handle]
            elif (other := self.by_handle.get(handle)) is not None:
                self._find_assumed([other.formula], _parts_of(other), found, seen)
        for part in parts:
            if part not in seen:
                seen.add(part)
                self.fetch([part])
                if part in self.kpis:
                    texts = [self.kpis[part].formula, *self.computed(part).values()]
                    self._find_assumed(texts, _parts_of(self.kpis[part]), found, seen)

    def refuse_circle(self, kpi: KpiBody, path: tuple[str, ...]) -> None:
        """Refuse a composite that is, over its parts, a part of itself."""
        if kpi.handle in path:
            circle = " → ".join((*path[path.index(kpi.handle) :], kpi.handle))
            raise FormulaError(f"this composite goes in a circle: {circle}", 0, 0)
        for part in kpi.composite.parts if kpi.composite else ():
            self.fetch([part.kpi])
            if part.kpi in self.kpis:
                self.refuse_circle(self.kpis[part.kpi], (*path, kpi.handle))


def refuse_outside(held: Assumed, value: float, field: str, style: NumberStyle) -> None:
    """Refuse a value that an assumption cannot be tried with."""
    if not held.least <= value <= held.most:
        low, high = (show(bound, held.unit, style) for bound in (held.least, held.most))
        detail = f"{held.name} can be tried from {low} to {high}; {show(value, held.unit, style)} lies outside."
        raise Refused(422, "outside", "Outside of its range", detail, {"field": field})


@lru_cache(maxsize=512)
def _alone(text: str, types: tuple[tuple[str, ColumnType], ...], level: bool) -> formula_nodes.Node | None:
    """A formula expanded that names no other KPI, which is the same as long as its text is; None for one that does."""
    if formula_nodes.references(formula.parse(text)):
        return None
    tree = _checked(text, types)
    expanded = expand(tree, lambda reference: reference)
    return as_level(expanded) if level else expanded


def _parts_of(kpi: KpiBody) -> list[str]:
    return [part.kpi for part in kpi.composite.parts] if kpi.composite else []


@lru_cache(maxsize=512)
def _datasets_of(tree: formula_nodes.Node) -> frozenset[str]:
    return frozenset(a.dataset for a in formula_nodes.aggregates(tree) if a.dataset)


@lru_cache(maxsize=512)
def _checked(text: str, types: tuple[tuple[str, ColumnType], ...]) -> formula_nodes.Node:
    tree = formula.parse(text)
    check(tree, dict(types))
    return tree
