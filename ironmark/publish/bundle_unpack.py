"""Everything, or a chosen part, as one file of plain JSON and Parquet; read into another installation it says what it
would change before it does. The same contents make the same bytes."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import polars as pl
from pydantic import ValidationError
from sqlalchemy.orm import Session

from ironmark.core.marks import Owner
from ironmark.pages.model.problems import Refused
from ironmark.pages.reading.notes import MOST_OF_A_NOTE
from ironmark.publish.bundle_checks import check_document, check_marks, columns_of
from ironmark.publish.bundle_editions import HeldEdition, differs, make
from ironmark.publish.bundle_format import (
    KINDS,
    NAMES,
    Bundle,
    Item,
    Kind,
    Report,
    called,
    plain,
    refused,
)
from ironmark.publish.bundle_pack import as_entry, books_of, notes_of, place_of
from ironmark.store import calendar, dataset_versions, datasets, images, marks, notes, records, scratch
from ironmark.store.datasets import StoredDataset
from ironmark.store.marks import Change
from ironmark.store.models import Dataset
from ironmark.tables.long_refresh import conformed, same_rows
from ironmark.tables.pieces import Rows, of_one_file
from ironmark.tables.table import LongTable, Table, table_of

# Packing


# Reading


class Unpacking:
    """A bundle beside what there is: what it would change, and then the change itself, all or nothing."""

    def __init__(self, session: Session, bundle: Bundle) -> None:
        self.session, self.bundle = session, bundle
        self.here = {kind: {d.id: d for d in records.list_all(session, kind)} for kind in KINDS}
        self.stored = {one.id: one for one in datasets.list_all(session)}
        self.books = books_of(session, self.here["kpi"])
        self.noted = notes_of(session, bundle.notes)

    def report(self) -> Report:
        items = [self._calendar(), *self._datasets()]
        for kind in KINDS:
            items += [self._document(kind, key, body) for key, body in self.bundle.documents[kind].items()]
        items += [*self._marks(), *self._of_notes()]
        for what, held in self.bundle.kept.items():
            for key, body in held.items():
                how, said = differs(self.session, what, key, body)
                name = HeldEdition.model_validate(body).called if what == "edition" else called(what, body, self.bundle)
                items.append(Item(kind=what, id=key, name=name, what=how, said=said))  # type: ignore[arg-type]
        needs = [
            f"the password of {body['name']}" for key, body in self.bundle.datasets.items()
            if body["settings"].get("connection") and key not in self.stored
        ]  # fmt: skip
        return Report(items=[item for item in items if item is not None], needs=needs)

    def _calendar(self) -> Item | None:
        held = calendar.get(self.session)
        given = {name: self.bundle.calendar[name] for name in ("year_start", "locale") if name in self.bundle.calendar}
        same = all(held.body.get(name) == value for name, value in given.items())
        what: Any = "same" if same else "new" if held.version == 0 else "changed"
        said = "" if same else "the month the financial year begins in, and how numbers are written"
        return Item(kind="calendar", id="calendar", name="Calendar", what=what, said=said)

    def _document(self, kind: Kind, key: str, body: dict[str, Any]) -> Item:
        name = str(body[NAMES.get(kind, "name")])
        held = self.here[kind].get(key)
        item = Item(kind=kind, id=key, name=name, what="new" if held is None else "changed")
        if kind in ("kpi", "assumption"):
            for other_kind in ("kpi", "assumption"):
                for other in self.here[other_kind].values():  # type: ignore[index]
                    if other.body.get("handle") == body["handle"] and (other.id, other_kind) != (key, kind):
                        item.what, item.said = "clash", f"@{body['handle']} is {other.body['name']} here, with the id {other.id}"  # fmt: skip
            if held is not None and held.body.get("handle") != body["handle"]:
                item.what, item.said = (
                    "clash",
                    f"the id is that of {held.body['name']} (@{held.body.get('handle')}) here",
                )
        if held is not None and item.what != "clash" and plain(kind, held.body) == body:
            item.what = "same"
        if (
            kind == "kpi"
            and item.what != "same"
            and body["dataset"] not in self.stored.keys() | self.bundle.datasets.keys()
        ):
            item.what, item.said = (
                "clash",
                f"it reads the dataset {body['dataset']}, which is neither in the bundle nor here",
            )
        return item

    def _datasets(self) -> Iterator[Item]:
        for key, body in self.bundle.datasets.items():
            held = self.stored.get(key)
            item = Item(kind="dataset", id=key, name=str(body["name"]), what="new")
            if held is not None and held.kind != body["kind"]:
                item.what, item.said = "clash", f"the id is that of {held.name} here, which is of another kind"
            elif held is not None:
                mine = as_entry(held)
                shape = all(mine[name] == body[name] for name in ("columns", "settings"))
                rows = key not in self.bundle.rows or self._are_there(key, held)
                item.what = "same" if shape and rows else "changed"
                item.said = "" if shape and rows else "other rows" if shape else "other columns"
            elif key not in self.bundle.rows and body["kind"] != "live":
                item.said = "its columns alone, without rows"
            yield item

    def _are_there(self, key: str, held: StoredDataset) -> bool:
        with self._rows(key) as rows:
            return same_rows(rows, datasets.raw(self.session, held))

    def _marks(self) -> Iterator[Item]:
        for key, book in self.bundle.books.items():
            name = self.bundle.documents["kpi"].get(key, {}).get("name", key)
            held = self.books.get(key)
            what: Any = "new" if held is None else "same" if held == book else "changed"
            yield Item(kind="marks", id=key, name=f"Marks of {name}", what=what)

    def _of_notes(self) -> Iterator[Item]:
        for key, given in self.bundle.notes.items():
            name = self.bundle.documents["kpi"].get(key, {}).get("name", key)
            held = self.noted.get(key)
            what: Any = "new" if held is None else "same" if held == given else "changed"
            yield Item(kind="notes", id=key, name=f"Notes on {name}", what=what)

    def _make_notes(self, key: str, given: dict[str, Any]) -> None:
        there = notes.get_many(self.session, given)
        for place, note in given.items():
            narrow, period, text = str(note["narrow"]), str(note["period"]), str(note["text"])[:MOST_OF_A_NOTE]
            members = {str(s): [str(name) for name in names] for s, names in dict(note["members"]).items()}
            value = None if note["value"] is None else float(note["value"])
            if place != notes.key_of(key, narrow, period):
                raise ValueError(f"a note on {key} that is not what its key says")
            saw = there[place].version if place in there else 0
            notes.save(self.session, key, narrow, members, period, text, value, saw)
            said = dt.datetime.fromisoformat(str(note["saved_at"])).replace(tzinfo=None)
            notes.said_by(self.session, place, said, str(note["saved_by"])[:120])

    @contextmanager
    def _rows(self, key: str) -> Iterator[Rows]:
        with scratch.folder("bundle") as folder:
            yield self._read(key, folder)

    def _read(self, key: str, folder: Path) -> Rows:
        try:
            return of_one_file(self.bundle.rows[key], folder)
        except (pl.exceptions.PolarsError, OSError, ValueError):
            raise refused(f"datasets/{key}.parquet is no Parquet file, or it is damaged.") from None

    def carry_out(self, *, replace: bool) -> Report:
        """Make what is new and, where ``replace`` says so, what differs as the bundle has it. Refuses clashes."""
        report = self.report()
        if report.clashes:
            told = "; ".join(f"{item.name}: {item.said}" for item in report.clashes[:5])
            raise Refused(409, "clash", "The bundle does not fit what is here", f"{told}. Nothing was changed.")
        wanted = {(i.kind, i.id) for i in report.items if i.what == "new" or (replace and i.what == "changed")}
        try:
            self._make(wanted)
        except ValidationError as error:
            first = error.errors()[0]
            raise refused(f"Something in it does not fit: {'.'.join(map(str, first['loc']))}: {first['msg']}. Nothing was changed.") from None  # fmt: skip
        except (KeyError, TypeError, ValueError, AttributeError) as error:
            raise refused(f"Something in it is missing or of another form ({error}). Nothing was changed.") from None
        return report

    def _make(self, wanted: set[tuple[str, str]]) -> None:
        if ("calendar", "calendar") in wanted:
            held = calendar.get(self.session)
            calendar.save(self.session, held.body | self.bundle.calendar, held.version)
        for key, (kind, body) in self.bundle.pictures.items():
            images.keep(self.session, key, kind, body)
        for key in _lookups_first(self.bundle.datasets):
            if ("dataset", key) in wanted:
                self._make_dataset(key, self.bundle.datasets[key])
        for kind in KINDS:
            for key, document in self.bundle.documents[kind].items():
                if (kind, key) not in wanted:
                    continue
                held_document = self.here[kind].get(key)
                if held_document is None:
                    records.create(self.session, kind, document, name=key, key=key)
                else:
                    records.save(self.session, kind, key, document, held_document.version)
        year_start = calendar.year_start_of(calendar.get(self.session))
        for key, book in self.bundle.books.items():
            if ("marks", key) in wanted:
                self._make_marks(key, book, year_start)
        for key, given in self.bundle.notes.items():
            if ("notes", key) in wanted:
                self._make_notes(key, given)
        for kept, listed in self.bundle.kept.items():
            for key, one in listed.items():
                if (kept, key) in wanted:
                    make(self.session, kept, key, one)
        for kind in KINDS:
            for key, document in self.bundle.documents[kind].items():
                if (kind, key) in wanted:
                    check_document(self.session, kind, key, document)
        for key, book in self.bundle.books.items():
            if ("marks", key) in wanted:
                check_marks(self.session, key, book)

    def _make_dataset(self, key: str, body: dict[str, Any]) -> None:
        columns = columns_of(key, body)
        held = self.stored.get(key)
        settings = body["settings"] or None
        if key in self.bundle.rows:
            with self._rows(key) as rows:
                self._keep(key, body, table_of(rows, columns, (settings or {}).get("recipe")))
        elif held is None:
            frame = pl.DataFrame(schema={column.name: _TYPES[column.type] for column in columns})
            self._keep(key, body, Table(frame, columns, recipe=(settings or {}).get("recipe")))
        row = self.session.get_one(Dataset, key, populate_existing=True)
        row.settings, row.columns, row.problems = settings, body["columns"], body["problems"]
        if body["through"] is not None:
            row.through = dt.date.fromisoformat(body["through"])
        if held is not None:
            row.version += 1
        self.session.flush()

    def _keep(self, key: str, body: dict[str, Any], table: Table | LongTable) -> None:
        held = self.stored.get(key)
        if held is None:
            dataset_versions.create(
                self.session, body["name"], body["file_name"], table, key=key, kind=body["kind"],
                settings=body["settings"] or None, findings_too=False,
            )  # fmt: skip
        else:
            with scratch.folder("rows") as folder:
                new = conformed(table, table.columns, folder)
                dataset_versions.refresh_with(self.session, key, held.version, body["file_name"], new, "replace")

    def _make_marks(self, key: str, book: dict[str, Any], year_start: int) -> None:
        wanted = {place_of(entry): entry for entry in book["entries"]}
        held = {place_of(entry): entry for entry in self.books.get(key, {}).get("entries", ())}
        changes = [_change(entry, None) for place, entry in held.items() if place not in wanted]
        changes += [
            _change(entry, float(entry["value"])) for place, entry in wanted.items() if held.get(place) != entry
        ]
        if changes:
            marks.apply(self.session, key, changes, marks.version(self.session, key))
        for name, formula in book["computed"].items():
            if self.books.get(key, {}).get("computed", {}).get(name) != formula:
                marks.compute(self.session, key, str(name), str(formula), marks.version(self.session, key))


_TYPES: dict[str, Any] = {"number": pl.Float64, "text": pl.String, "date": pl.Date, "flag": pl.Boolean}


def _change(entry: dict[str, Any], value: float | None) -> Change:
    owner = Owner(entry["whose"], tuple(sorted((str(a), str(b)) for a, b in entry["of"].items())))
    return Change(str(entry["name"]), owner, str(entry["since"]), value)


def _lookups_first(given: dict[str, dict[str, Any]]) -> list[str]:
    """Datasets in an order in which each comes after those that it looks into."""
    found: dict[str, None] = {}
    for key in given:
        _put(key, (), given, found)
    return list(found)


def _put(key: str, way: tuple[str, ...], given: dict[str, dict[str, Any]], found: dict[str, None]) -> None:
    """A dataset after those that it looks into. way: those that look into it."""
    if key in found or key not in given or key in way:
        return
    for lookup in (given[key].get("settings") or {}).get("lookups", []):
        _put(str(lookup.get("dataset", "")), (*way, key), given, found)
    found[key] = None
