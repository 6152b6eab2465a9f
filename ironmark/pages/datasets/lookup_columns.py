"""What a dataset may take from others and derive: checked, tried, and what rests on it kept in mind."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import replace
from typing import Any

import polars as pl
from pydantic import BaseModel, Field
from sqlalchemy.orm import Session

from ironmark.core import formula as f
from ironmark.core import formula_nodes
from ironmark.core.formula import MAX_LENGTH
from ironmark.core.formula_nodes import ColumnType, FormulaError
from ironmark.core.nearest import did_you_mean
from ironmark.core.numbers import NumberStyle, show_day
from ironmark.pages.context.source_registry import Sources
from ironmark.pages.model.field_types import Key, Model, Name
from ironmark.pages.model.problems import Refused
from ironmark.store import dataset_versions, datasets, records
from ironmark.store.database import Missing
from ironmark.store.datasets import StoredDataset
from ironmark.tables.column_looks import look_at, summaries
from ironmark.tables.joined_columns import (
    MOST_KEYS,
    Derived,
    Lookup,
    Matched,
    Twice,
    Wide,
    derived,
    matched,
    twice,
    type_of,
)
from ironmark.tables.pieces import Pieces, Rows, frames_of
from ironmark.tables.table import ROLES, Column, Role, identifiers

_USUAL: dict[ColumnType, Role] = {"text": "segment", "number": "measure", "flag": "flag", "date": "text"}
FIRST_ROWS, MOST_VALUES = 8, 20
MOST_LOOKED_AT = 2000  # rows of a live source
_SHOWN_OF = 100_000  # rows that a first look shows some of
_ROWS = "#rows"


class TakenBody(Model):
    """A column of the other dataset. name: what formulas call it here, kept once it has one."""

    column: str = Field(max_length=80)
    name: str | None = Field(None, max_length=80)
    label: Name | None = None
    role: Role | None = None


class KeyBody(Model):
    """A column here and the one there that has to be the same."""

    here: str = Field(max_length=80)
    there: str = Field(max_length=80)


class LookupBody(Model):
    """Takes columns from another dataset, the one row of which has the same key."""

    dataset: Key
    on: list[KeyBody] = Field(min_length=1, max_length=MOST_KEYS)
    take: list[TakenBody] = Field(min_length=1, max_length=50)


class DerivedBody(Model):
    """A column by a formula over the other cells of its row, those derived before it among them."""

    name: str | None = Field(None, max_length=80)
    label: Name
    formula: str = Field(max_length=MAX_LENGTH)
    role: Role | None = None


class Counted(BaseModel):
    """A key or a value, and how many rows have it."""

    name: str
    rows: int


class MatchedOut(BaseModel):
    """What a lookup finds. missing: keys that are in no row of the other dataset, with how many rows have them."""

    dataset: str
    name: str
    rows: int
    found: int
    blank: int
    missing: list[Counted]
    keys_missing: int


class LookupLook(MatchedOut):
    """A first look at what would be taken: some rows with their keys and what comes with them."""

    columns: list[str]
    first: list[list[Any]]


class DerivedLook(BaseModel):
    """What a formula comes to: its type, the roles that allows, the cells it reads in some rows and what comes of
    them; the values there are, the most frequent first, or the least and the most of numbers."""

    type: ColumnType
    roles: list[Role]
    columns: list[str]
    first: list[list[Any]]
    values: list[Counted]
    least: str
    most: str
    blanks: int


class RowsThere:
    """Rows as they are looked at before anything is kept: all of them, or some of a live source."""

    def __init__(self, sources: Sources, session: Session) -> None:
        self.sources, self.session = sources, session
        self._rows: dict[tuple[str, Wide], Rows] = {}

    def dataset(self, key: str) -> StoredDataset:
        return datasets.get(self.session, key)

    def rows(self, dataset: StoredDataset) -> Rows:
        """All of them, of a live source the first ones."""
        place = (dataset.id, dataset.wide)
        if place not in self._rows:
            live = dataset.kind == "live"
            self._rows[place] = (
                self.sources.table_of(self.session, dataset).first(MOST_LOOKED_AT)
                if live
                else datasets.every_row(self.session, dataset)
            )
        return self._rows[place]

    def twice(self, dataset: StoredDataset, keys: Sequence[str]) -> list[Twice]:
        if dataset.kind == "live":
            return self.sources.table_of(self.session, dataset).twice(keys)
        return twice(self.rows(dataset).select(keys), keys)

    def matched(self, dataset: StoredDataset, at: int) -> Matched:
        """How the keys of one of a dataset's lookups are found in all of its rows."""
        lookup = dataset.wide.lookups[at]
        if dataset.kind == "live":
            return self.sources.table_of(self.session, dataset).matched(at)
        keys = [
            frame.group_by(lookup.here).agg(pl.len().alias(_ROWS))
            for frame in frames_of(self.rows(dataset), list(lookup.here))
        ]
        there = self.rows(self.dataset(lookup.dataset)).select(list(lookup.there))
        return matched(pl.concat(keys), there, lookup, _ROWS)


def lookups_of(there: RowsThere, dataset: StoredDataset, bodies: Sequence[LookupBody]) -> Wide:
    """What a dataset has with these lookups in place of its own. Refuses what could not be taken."""
    wide = Wide((), dataset.wide.derived)
    known = [*dataset.own, *(one.column for one in wide.derived)]
    columns = list(dataset.own)
    lookups: list[Lookup] = []
    for n, body in enumerate(bodies):
        lookup = _lookup(there, dataset, body, columns, known, f"lookups.{n}")
        lookups.append(lookup)
        taken = [column for _, column in lookup.take]
        columns += taken
        known += taken
    made = replace(wide, lookups=tuple(lookups))
    _check_formulas(dataset, made)
    refuse_two_periods([*dataset.own, *made.columns])
    _refuse_lost(there.session, dataset, made)
    return made


def _lookup(
    looked: RowsThere, dataset: StoredDataset, body: LookupBody, columns: Sequence[Column], known: Sequence[Column], field: str
) -> Lookup:  # fmt: skip
    other = _other(looked.session, dataset, body.dataset, field)
    here, there = {c.name: c for c in columns}, {c.name: c for c in other.columns}
    for at, pair in enumerate(body.on):
        for name, these, whose in ((pair.here, here, dataset.name), (pair.there, there, other.name)):
            if name not in these:
                detail = f"“{whose}” has no column “{name}”{did_you_mean(name, these)} to go by."
                raise Refused(422, "no-column", "No such column", detail, {"field": f"{field}.on.{at}"})
        one, its = here[pair.here], there[pair.there]
        if one.type != its.type:
            detail = f"“{one.label}” holds {one.type}s and “{its.label}” of {other.name} {its.type}s: they are never the same."
            raise Refused(422, "other-type", "These cannot be the same", detail, {"field": f"{field}.on.{at}"})
    before = {(lookup.dataset, their): column for lookup in dataset.wide.lookups for their, column in lookup.take}
    names, take = [column.name for column in known], []
    for at, wanted in enumerate(body.take):
        its_column = there.get(wanted.column)
        if its_column is None:
            detail = f"“{other.name}” has no column “{wanted.column}”{did_you_mean(wanted.column, there)}; there are {', '.join(there)}."
            raise Refused(422, "no-column", "No such column", detail, {"field": f"{field}.take.{at}.column"})
        held = before.get((other.id, wanted.column))
        label = wanted.label or (held.label if held else its_column.label)
        called = wanted.name or (held.name if held else None)
        if called is None or called in names:
            called = identifiers([*names, label])[-1]
        names.append(called)
        role = wanted.role or (held.role if held else _usual(its_column, known))
        refuse_role(its_column.type, role, label, f"{field}.take.{at}.role")
        take.append((wanted.column, Column(called, label, its_column.type, role, "lookup")))
    lookup = Lookup(other.id, tuple((pair.here, pair.there) for pair in body.on), tuple(take))
    if found := looked.twice(other, lookup.there):
        raise Refused(
            422, "key-twice", "A key stands twice", f"In {other.name}, {dataset_versions.told_twice(found, lookup.there)}",
            {"field": f"{field}.on", "keys": [{"key": one.key, "rows": list(one.rows)} for one in found]},
        )  # fmt: skip
    return lookup


def _usual(column: Column, known: Sequence[Column]) -> Role:
    """The role a column has where it comes from; a second period is a plain date."""
    if column.role == "period":
        return "text" if any(one.role == "period" for one in known) else "period"
    return column.role


def _other(session: Session, dataset: StoredDataset, key: str, field: str) -> StoredDataset:
    """The dataset that is looked into. Refuses one there is not, a circle, and rows that lie elsewhere."""
    where = {"field": f"{field}.dataset"}
    try:
        other = datasets.get(session, key)
    except Missing:
        raise Refused(
            422, "no-dataset", "No such dataset", f"There is no dataset “{key}” to look into.", where
        ) from None
    way = _way_back(session, other, dataset.id, (dataset.name,))
    if way:
        raise Refused(422, "circle", "These would go in a circle", f"{' → '.join(way)}.", where)
    if other.folder:
        detail = f"The rows of “{other.name}” stay in their files; only rows that are kept here can be looked into from there."
        raise Refused(422, "elsewhere", "Its rows lie apart", detail, where)
    if _is_far(dataset) != _is_far(other):
        far, near = (dataset, other) if _is_far(dataset) else (other, dataset)
        detail = f"The rows of “{far.name}” stay in their database, those of “{near.name}” do not. Only tables of one place can be put together."
        raise Refused(422, "elsewhere", "Their rows lie apart", detail, where)
    if not _is_far(dataset):
        return other
    for lookup in other.wide.lookups:  # what it takes itself is read along
        _other(session, dataset, lookup.dataset, field)
    server = [_server(one) for one in (dataset, other)]
    if server[0] != server[1]:
        detail = (
            f"“{dataset.name}” and “{other.name}” are on two servers; only tables of one server can be put together."
        )
        raise Refused(422, "elsewhere", "Their rows lie apart", detail, where)
    return other


def _is_far(dataset: StoredDataset) -> bool:
    """Whether its rows stay in a database, where only tables of that one can be joined."""
    return dataset.connection is not None


def _server(dataset: StoredDataset) -> tuple[Any, ...]:
    """What has to be the same for one statement to read two tables; a PostgreSQL sees one database at a time."""
    held = dataset.connection or {}
    one_database = held["database"] if held["protocol"] == "postgresql" else None
    return held["protocol"], held["host"], held["port"], one_database


def _way_back(session: Session, at: StoredDataset, home: str, way: tuple[str, ...]) -> tuple[str, ...]:
    way = (*way, at.name)
    if at.id == home:
        return way
    for lookup in at.wide.lookups:
        if found := _way_back(session, datasets.get(session, lookup.dataset), home, way):
            return found
    return ()


def derived_of(session: Session, dataset: StoredDataset, bodies: Sequence[DerivedBody]) -> Wide:
    """What a dataset has with these formulas in place of its own. Raises FormulaError, Refused."""
    columns: list[Column] = [*dataset.own, *Wide(dataset.wide.lookups).columns]
    made: list[Derived] = []
    kept = {one.column.name for one in dataset.wide.derived}
    for n, body in enumerate(bodies):
        kind = type_in(body.formula, columns, f"derived.{n}.formula")
        names = [column.name for column in columns]
        name = body.name if body.name in kept and body.name not in names else identifiers([*names, body.label])[-1]
        role = body.role or _USUAL[kind]
        refuse_role(kind, role, body.label, f"derived.{n}.role")
        column = Column(name, body.label, kind, role, "derived")
        made.append(Derived(column, body.formula))
        columns.append(column)
    wide = Wide(dataset.wide.lookups, tuple(made))
    refuse_two_periods(columns)
    _refuse_lost(session, dataset, wide)
    return wide


def type_in(formula: str, columns: Sequence[Column], field: str) -> ColumnType:
    """What a row formula comes to. Refuses one that cannot be read, pointing into it."""
    try:
        return type_of(formula, columns)
    except FormulaError as error:
        where = {"field": field, "start": error.start, "end": error.end}
        raise Refused(422, "formula", "The formula cannot be read", error.message, where) from None


def refuse_role(kind: ColumnType, role: Role, label: str, field: str) -> None:
    if kind not in ROLES[role]:
        detail = f"“{label}” holds {kind} cells; the role {role} needs {' or '.join(ROLES[role])}."
        raise Refused(422, "role-does-not-fit", "This role does not fit the column", detail, {"field": field})


def refuse_two_periods(columns: Iterable[Column]) -> None:
    if sum(column.role == "period" for column in columns) > 1:
        raise Refused(422, "two-periods", "Two columns are the period", "Give one of them another role first.")


def _check_formulas(dataset: StoredDataset, wide: Wide) -> None:
    """Refuse lookups without which a derived column could not be worked out."""
    columns = [*dataset.own, *Wide(wide.lookups).columns]
    for one in wide.derived:
        try:
            type_of(one.formula, columns)
        except FormulaError as error:
            detail = f"“{one.column.label}” is derived by a formula that could not be read any more: {error.message}."
            raise Refused(409, "in-use", "A column is in use", detail) from None
        columns.append(one.column)


def _refuse_lost(session: Session, dataset: StoredDataset, wide: Wide) -> None:
    """Refuse to take out a column that KPIs or other datasets read, or that became of another type."""
    after = {column.name: column.type for column in (*dataset.own, *wide.columns)}
    lost = {column.name: column.label for column in dataset.wide.columns if after.get(column.name) != column.type}
    if not lost:
        return
    users = [
        (kpi.body["name"], name)
        for kpi in records.list_all(session, "kpi")
        if kpi.body["dataset"] == dataset.id
        for name in _read_by(kpi.body["formula"], lost)
    ]
    users += [
        (one.name, name)
        for one in datasets.takers(session, dataset.id)
        for lookup in one.wide.lookups
        if lookup.dataset == dataset.id
        for name in {*lookup.there, *(their for their, _ in lookup.take)} & lost.keys()
    ]
    if users:
        named = ", ".join(dict.fromkeys(f"{user} (“{lost[name]}”)" for user, name in users[:5]))
        raise Refused(409, "in-use", "A column is in use", f"It is read by {named}. Change those first.")


def _read_by(formula: str, names: Mapping[str, str]) -> list[str]:
    try:
        return [name for name in formula_nodes.columns_used(f.parse(formula)) if name in names]
    except FormulaError:
        return []


def orders_of(dataset: StoredDataset, wide: Wide) -> dict[str, list[str]]:
    """The members of derived columns in their own order, where none was chosen: weekdays, months, ranges from low to high."""
    orders = dict(dataset.order)
    before = {one.column.name: one.formula for one in dataset.wide.derived}
    for one in wide.derived:
        if before.get(one.column.name) != one.formula and (named := formula_nodes.named_values(f.parse(one.formula))):
            orders[one.column.name] = list(named)
    return orders


def matches(there: RowsThere, dataset: StoredDataset) -> list[MatchedOut]:
    """How a dataset's lookups find its rows as they are now."""
    return [
        _matched_out(there.dataset(lookup.dataset), there.matched(dataset, at))
        for at, lookup in enumerate(dataset.wide.lookups)
    ]


def _matched_out(other: StoredDataset, one: Matched) -> MatchedOut:
    return MatchedOut(
        dataset=other.id, name=other.name, rows=one.rows, found=one.found, blank=one.blank,
        missing=[Counted(name=name, rows=rows) for name, rows in one.missing], keys_missing=one.keys_missing,
    )  # fmt: skip


def look_up(there: RowsThere, dataset: StoredDataset, body: LookupBody, style: NumberStyle) -> LookupLook:
    """A first look at a lookup that is not kept yet."""
    earlier = tuple(one for one in dataset.wide.lookups if not _alike(one, body))
    columns = [*dataset.own, *Wide(earlier).columns]
    lookup = _lookup(there, dataset, body, columns, columns, "lookup")
    trial = replace(dataset, settings=dataset.settings | Wide((*earlier, lookup)).settings())
    names = [*lookup.here, *(column.name for _, column in lookup.take)]
    labels = {column.name: column.label for column in (*columns, *(column for _, column in lookup.take))}
    return LookupLook(
        **_matched_out(there.dataset(lookup.dataset), there.matched(trial, len(earlier))).model_dump(),
        columns=[labels[name] for name in names], first=_first(there.rows(trial), names, style),
    )  # fmt: skip


def _alike(lookup: Lookup, body: LookupBody) -> bool:
    """Whether a lookup is the one that is being changed."""
    return lookup.dataset == body.dataset and lookup.here == [pair.here for pair in body.on]


def _first(rows: Rows, names: Sequence[str], style: NumberStyle) -> list[list[Any]]:
    """Some rows, no two of them alike."""
    some = rows.slice(0, _SHOWN_OF).select(names).unique(maintain_order=True).head(FIRST_ROWS)
    return [[plain(cell, style) for cell in line] for line in some.rows()]


def derive(there: RowsThere, dataset: StoredDataset, body: DerivedBody, style: NumberStyle) -> DerivedLook:
    """A first look at a formula that is not kept yet; it may use all columns but itself and those derived after it."""
    before = list(dataset.wide.derived)
    names = [one.column.name for one in before]
    if body.name in names:
        before = before[: names.index(body.name)]
    columns = [*dataset.own, *Wide(dataset.wide.lookups).columns, *(one.column for one in before)]
    kind = type_in(body.formula, columns, "formula")
    one = Derived(Column("by formula", body.label, kind, "text", "derived"), body.formula)
    rows, used = there.rows(dataset), list(formula_nodes.columns_used(f.parse(body.formula)))
    made = rows.with_more(lambda frame: derived(frame, one), used) if isinstance(rows, Pieces) else derived(rows, one)
    number = kind == "number"
    look = summaries(made, {"by formula": kind})["by formula"] if number else look_at(made, "by formula", kind, True)
    labels = {column.name: column.label for column in columns}
    counted = (look.counts or [])[:MOST_VALUES]
    if kind == "date":  # they were counted as texts
        counted = [(dt.date.fromisoformat(day), rows) for day, rows in counted]
    ends = ["", ""]
    if number and look.blanks < look.rows:
        ends = [str(plain(end, style)) for end in (look.smallest, look.largest)]
    return DerivedLook(
        type=kind, roles=[role for role, kinds in ROLES.items() if kind in kinds],
        columns=[*(labels[name] for name in used), body.label],
        first=_first(made, [*used, "by formula"], style),
        values=[Counted(name=str(plain(value, style)), rows=int(rows)) for value, rows in counted],
        least=ends[0], most=ends[1],
        blanks=look.blanks,
    )  # fmt: skip


def plain(cell: Any, style: NumberStyle) -> Any:
    """A cell as JSON has it."""
    if isinstance(cell, float):
        return float(f"{cell:.10g}")
    return show_day(cell, style) if isinstance(cell, dt.date) else cell
