"""Everything, or a chosen part, as one file of plain JSON and Parquet; read into another installation it says what it
would change before it does. The same contents make the same bytes."""

from __future__ import annotations

import datetime as dt
import io
import json
import zipfile
import zlib
from collections.abc import Iterable, Iterator
from dataclasses import asdict, dataclass, field
from typing import Any, Literal, get_args

import polars as pl
from pydantic import BaseModel, ValidationError
from sqlalchemy.orm import Session

from ironmark.core.dependencies import handles_in
from ironmark.core.marks import Owner
from ironmark.pages.authoring.images import harmless, key_of
from ironmark.pages.model.field_types import Model
from ironmark.pages.model.kpi import AssumptionBody, CaseBody, KpiBody
from ironmark.pages.model.markdown import figures_of
from ironmark.pages.model.palette import PaletteBody
from ironmark.pages.model.problems import Refused
from ironmark.pages.model.scorecard import ScorecardBody
from ironmark.pages.model.yardstick import YardstickBody
from ironmark.pages.reading.notes import MOST_OF_A_NOTE
from ironmark.publish.bundle_checks import KEY, check_document, check_marks, columns_of
from ironmark.publish.bundle_editions import HeldEdition, differs, make, packed_editions, packed_orders
from ironmark.store import calendar, datasets, images, marks, notes, records
from ironmark.store.database import Missing
from ironmark.store.datasets import StoredDataset
from ironmark.store.marks import Change
from ironmark.store.models import Dataset
from ironmark.tables.refresh import conform
from ironmark.tables.table import Table

FORMAT = "ironmark-bundle-1"
_MOMENT = (2000, 1, 1, 0, 0, 0)
MOST_FILES, MOST_BYTES, MOST_JSON = 20_000, 2 << 30, 16 << 20
MOST_EDITION = 256 << 20
Kind = Literal["palette", "assumption", "kpi", "yardstick", "scorecard", "case"]
KINDS: tuple[Kind, ...] = get_args(Kind)
BODIES: dict[Kind, type[Model]] = {
    "palette": PaletteBody, "assumption": AssumptionBody, "kpi": KpiBody, "yardstick": YardstickBody,
    "scorecard": ScorecardBody, "case": CaseBody,
}  # fmt: skip
KEPT: dict[str, str] = {"holidays": "holidays", "order": "orders", "edition": "editions"}  # and the folder of each
NAMES: dict[Kind, str] = {"scorecard": "title"}


class Item(BaseModel):
    """What reading a bundle would do with one thing. new: made; same: left; changed: replaced, where that is asked for;
    clash: another thing has its id or its handle; said: which, in words."""

    kind: str
    id: str
    name: str
    what: Literal["new", "same", "changed", "clash"]
    said: str = ""


class Report(BaseModel):
    """needs: what has to be given by hand afterwards, such as the password of a live source."""

    items: list[Item]
    needs: list[str]

    @property
    def clashes(self) -> list[Item]:
        return [item for item in self.items if item.what == "clash"]


@dataclass
class Bundle:
    """What a bundle holds, in the order in which it was made. documents: bodies by kind and id; books: marks by KPI;
    notes: by KPI, then by the key of each; kept: lists of holidays, standing orders and editions, by kind and id."""

    calendar: dict[str, Any] = field(default_factory=dict)
    documents: dict[Kind, dict[str, dict[str, Any]]] = field(default_factory=lambda: {kind: {} for kind in KINDS})
    books: dict[str, dict[str, Any]] = field(default_factory=dict)
    notes: dict[str, dict[str, Any]] = field(default_factory=dict)
    kept: dict[str, dict[str, dict[str, Any]]] = field(default_factory=lambda: {kind: {} for kind in KEPT})
    datasets: dict[str, dict[str, Any]] = field(default_factory=dict)
    rows: dict[str, bytes] = field(default_factory=dict)  # Parquet
    pictures: dict[str, tuple[str, bytes]] = field(default_factory=dict)


# Packing


@dataclass(frozen=True, slots=True)
class Wanted:
    """rows: with the rows of datasets, not their shape alone; notes: with notes; editions: with editions, standing orders
    and the holidays that these go by."""

    rows: bool = True
    notes: bool = True
    editions: bool = False


def pack(session: Session, scorecards: Iterable[str] | None = None, wanted: Wanted = Wanted()) -> bytes:
    """Everything, or some scorecards with all they rest on. Raises Missing."""
    return written(gathered(session, scorecards, wanted))


def gathered(session: Session, scorecards: Iterable[str] | None, with_: Wanted) -> Bundle:
    every = {kind: {d.id: _plain(kind, d.body) for d in records.list_all(session, kind)} for kind in KINDS}
    stored = {one.id: one for one in datasets.list_all(session)}
    books = _books(session, every["kpi"])
    bundle = Bundle(calendar={k: v for k, v in calendar.get(session).body.items() if k in ("year_start", "locale")})
    if scorecards is None:
        bundle.documents, wanted = every, set(stored)
    else:
        bundle.documents, wanted = _closure(every, books, stored, list(scorecards))
    bundle.books = {key: book for key, book in books.items() if key in bundle.documents["kpi"]}
    if with_.notes:
        bundle.notes = _notes(session, bundle.documents["kpi"])
    if with_.editions:
        cards_too = None if scorecards is None else set(bundle.documents["scorecard"])
        bundle.kept["edition"] = packed_editions(session, cards_too)
        bundle.kept["order"], bundle.kept["holidays"] = packed_orders(session, cards_too)
    for one in stored.values():
        if one.id in wanted:
            bundle.datasets[one.id] = _dataset(one)
            if with_.rows and one.kind != "live":
                buffer = io.BytesIO()
                datasets.raw_rows(session, one).write_parquet(buffer, compression="zstd", statistics=False)
                bundle.rows[one.id] = buffer.getvalue()
    cards = bundle.documents["scorecard"].values()
    kept = images.get_many(session, (key for body in cards for key in _pictures_on(body)))
    bundle.pictures = {key: (found.kind, found.body) for key, found in kept.items()}
    return bundle


def _plain(kind: Kind, body: dict[str, Any]) -> dict[str, Any]:
    """A body as this version of the product writes it."""
    return BODIES[kind].model_validate(body).model_dump(mode="json")


def _books(session: Session, kpis: Iterable[str]) -> dict[str, dict[str, Any]]:
    keys = list(kpis)
    year_start = calendar.year_start_of(calendar.get(session))
    held = marks.books(session, keys)
    found = {}
    for key, entries in marks.entries(session, keys, year_start).items():
        listed: list[dict[str, Any]] = [
            {"name": e.name, "whose": e.owner.whose, "of": dict(e.owner.of), "since": e.since.key, "value": e.value}
            for e in entries
        ]
        computed: dict[str, str] = held[key][1] if key in held else {}
        if listed or computed:
            listed.sort(key=_place)
            found[key] = {"entries": listed, "computed": computed}
    return found


def _notes(session: Session, kpis: Iterable[str]) -> dict[str, dict[str, Any]]:
    found: dict[str, dict[str, Any]] = {}
    for note in notes.about(session, list(kpis)):
        found.setdefault(note.kpi, {})[note.id] = {
            "narrow": note.narrow, "members": note.members, "period": note.period, "text": note.text,
            "value": note.value, "saved_at": note.saved_at.isoformat(), "saved_by": note.saved_by,
        }  # fmt: skip
    return found


def _place(entry: dict[str, Any]) -> str:
    return json.dumps([entry[name] for name in ("name", "whose", "of", "since")], sort_keys=True)


def _dataset(one: StoredDataset) -> dict[str, Any]:
    """A dataset without its rows, and without a password or a token."""
    settings = dict(one.settings)
    return {
        "name": one.name, "kind": one.kind, "file_name": one.file_name, "settings": settings,
        "through": one.through.isoformat() if one.through else None, "columns": [asdict(column) for column in one.own],
        "problems": [asdict(problem) for problem in one.problems],
    }  # fmt: skip


def _closure(
    every: dict[Kind, dict[str, dict[str, Any]]], books: dict[str, dict[str, Any]], stored: dict[str, StoredDataset],
    scorecards: list[str],
) -> tuple[dict[Kind, dict[str, dict[str, Any]]], set[str]]:  # fmt: skip
    """Some scorecards with everything they rest on."""
    for key in scorecards:
        if key not in every["scorecard"]:
            raise Missing("scorecard", key)
    cards = [ScorecardBody.model_validate(every["scorecard"][key]) for key in scorecards]
    instruments = [one for card in cards for section in card.sections for one in section.instruments]
    handles = {body["handle"]: (kind, key) for kind in ("kpi", "assumption") for key, body in every[kind].items()}  # type: ignore[index]
    texts = [text.text for card in cards for section in card.sections for text in section.texts]
    named = [span.handle for text in texts for span in figures_of(text) if span.handle in handles]
    kpis: set[str] = set()
    assumptions: set[str] = set()
    waiting = [key for one in instruments for key in one.kpis] + [k for h in named for kind, k in [handles[h]] if kind == "kpi"]  # fmt: skip
    graded = {one.yardstick for one in instruments} | {more.yardstick for one in instruments for more in one.further}
    while waiting:
        key = waiting.pop()
        if key in kpis or key not in every["kpi"]:
            continue
        kpis.add(key)
        body = KpiBody.model_validate(every["kpi"][key])
        graded |= {part.yardstick for part in body.composite.parts} if body.composite else set()
        waiting += [part.kpi for part in body.composite.parts] if body.composite else []
        for text in (body.formula, *books.get(key, {}).get("computed", {}).values()):
            for handle in handles_in(text):
                kind, its = handles.get(handle, ("", ""))
                waiting += [its] if kind == "kpi" else []
                assumptions |= {its} if kind == "assumption" else set()
    graded |= {key for key, body in every["yardstick"].items() if body.get("kpi") in kpis}
    palettes = {band.rpartition("-")[0] for key in graded if key in every["yardstick"] for band in every["yardstick"][key]["bands"]}  # type: ignore[index]  # fmt: skip
    wanted = {every["kpi"][key]["dataset"] for key in kpis} & stored.keys()
    for key in list(wanted):
        wanted |= _looked_into(stored, key)
    chosen: dict[Kind, set[Any]] = {
        "scorecard": set(scorecards), "kpi": kpis, "assumption": assumptions, "yardstick": graded, "palette": palettes,
        "case": {key for key, body in every["case"].items() if body["scorecard"] in scorecards},
    }  # fmt: skip
    return {kind: {key: body for key, body in every[kind].items() if key in chosen[kind]} for kind in KINDS}, wanted


def _looked_into(stored: dict[str, StoredDataset], key: str) -> set[str]:
    found: set[str] = set()
    waiting = [key]
    while waiting:
        one = stored.get(waiting.pop())
        for lookup in one.wide.lookups if one else ():
            if lookup.dataset not in found:
                found.add(lookup.dataset)
                waiting.append(lookup.dataset)
    return found


def written(bundle: Bundle) -> bytes:
    order = {kind: list(bundle.documents[kind]) for kind in KINDS} | {"dataset": list(bundle.datasets)}
    files: dict[str, bytes] = {"manifest.json": _json({"format": FORMAT, "order": order}), "calendar.json": _json(bundle.calendar)}  # fmt: skip
    for kind in KINDS:
        files |= {f"{kind}s/{key}.json": _json(body) for key, body in bundle.documents[kind].items()}
    files |= {f"marks/{key}.json": _json(book) for key, book in bundle.books.items()}
    files |= {f"notes/{key}.json": _json(held) for key, held in bundle.notes.items()}
    for kept, folder in KEPT.items():
        files |= {f"{folder}/{key}.json": _json(body) for key, body in bundle.kept[kept].items()}
    files |= {f"datasets/{key}.json": _json(body) for key, body in bundle.datasets.items()}
    files |= {f"datasets/{key}.parquet": body for key, body in bundle.rows.items()}
    files |= {f"pictures/{key}.{kind}": body for key, (kind, body) in bundle.pictures.items()}
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as packed:
        for name in sorted(files):
            packed.writestr(zipfile.ZipInfo(name, _MOMENT), files[name], zipfile.ZIP_DEFLATED)
    return buffer.getvalue()


def _json(body: object) -> bytes:
    return json.dumps(body, indent=1, ensure_ascii=False, sort_keys=True).encode() + b"\n"


# Reading


class _Files:
    """The files of a bundle, of which only those are read that something names."""

    def __init__(self, packed: zipfile.ZipFile) -> None:
        self._packed = packed
        self._infos = {info.filename: info for info in packed.infolist()}
        self._left = MOST_BYTES
        if len(self._infos) > MOST_FILES:
            raise _refused("It holds more files than a bundle may.")

    def __contains__(self, name: str) -> bool:
        return name in self._infos

    def under(self, folder: str) -> list[tuple[str, str]]:
        """The files of a folder, by their names without it."""
        return sorted((name.removeprefix(f"{folder}/"), name) for name in self._infos if name.startswith(f"{folder}/"))

    def bytes(self, name: str, most: int) -> bytes:
        info = self._infos.get(name)
        if info is None:
            raise _refused(f"It has no {name}.")
        self._left -= info.file_size
        if info.file_size > most or self._left < 0:
            raise _refused(f"{name} is larger than a bundle may hold.")
        return self._packed.read(info)

    def object(self, name: str, most: int = MOST_JSON) -> dict[str, Any]:
        try:
            made = json.loads(self.bytes(name, most))
        except (ValueError, RecursionError):
            raise _refused(f"{name} is no JSON.") from None
        if not isinstance(made, dict):
            raise _refused(f"{name} holds no object.")
        return made


def read(body: bytes) -> Bundle:
    """What a bundle holds. Refuses what is none; what nothing names is not read."""
    try:
        with zipfile.ZipFile(io.BytesIO(body)) as packed:
            return _held(_Files(packed))
    except ValidationError as error:
        first = error.errors()[0]
        raise _refused(f"Something in it does not fit: {'.'.join(map(str, first['loc']))}: {first['msg']}.") from None
    except (zipfile.BadZipFile, OSError, NotImplementedError, RuntimeError, EOFError, zlib.error):
        raise _refused("It is no zip file, or it is damaged.") from None
    except (KeyError, TypeError, ValueError, AttributeError) as error:
        raise _refused(f"Something in it is missing or of another form ({error}).") from None


def _held(files: _Files) -> Bundle:
    manifest = files.object("manifest.json")
    if manifest.get("format") != FORMAT:
        raise _refused("Its manifest does not say that it is a bundle of this product.")
    found = Bundle(calendar=files.object("calendar.json"))
    order = {str(kind): [KEY.validate_python(key) for key in keys] for kind, keys in dict(manifest["order"]).items()}
    for kind in KINDS:
        for key in order.get(kind, []):
            found.documents[kind][key] = _plain(kind, files.object(f"{kind}s/{key}.json"))
    for key in order.get("dataset", []):
        found.datasets[key] = files.object(f"datasets/{key}.json")
        if f"datasets/{key}.parquet" in files:
            found.rows[key] = files.bytes(f"datasets/{key}.parquet", MOST_BYTES)
    for key in found.documents["kpi"]:
        if f"marks/{key}.json" in files:
            found.books[key] = files.object(f"marks/{key}.json")
        if f"notes/{key}.json" in files:
            found.notes[key] = files.object(f"notes/{key}.json")
    for kept, folder in KEPT.items():
        for name, path in files.under(folder):
            key = KEY.validate_python(name.removesuffix(".json"))
            found.kept[kept][key] = files.object(path, MOST_EDITION if kept == "edition" else MOST_JSON)
    shown = {key for body in found.documents["scorecard"].values() for key in _pictures_on(body)}
    for name, path in files.under("pictures"):
        key = name.partition(".")[0]
        if key in shown:
            sort, picture = harmless(files.bytes(path, MOST_JSON))
            if key != key_of(picture):
                raise _refused(f"The picture {path} is not the one its name says.")
            found.pictures[key] = sort, picture
    return found


def _pictures_on(body: dict[str, Any]) -> list[str]:
    return [held["image"] for section in body["sections"] for held in section["pictures"] if held["image"]]


def _refused(detail: str) -> Refused:
    return Refused(422, "no-bundle", "The bundle cannot be read", detail, {"field": "file"})


class Unpacking:
    """A bundle beside what there is: what it would change, and then the change itself, all or nothing."""

    def __init__(self, session: Session, bundle: Bundle) -> None:
        self.session, self.bundle = session, bundle
        self.here = {kind: {d.id: d for d in records.list_all(session, kind)} for kind in KINDS}
        self.stored = {one.id: one for one in datasets.list_all(session)}
        self.books = _books(session, self.here["kpi"])
        self.noted = _notes(session, bundle.notes)

    def report(self) -> Report:
        items = [self._calendar(), *self._datasets()]
        for kind in KINDS:
            items += [self._document(kind, key, body) for key, body in self.bundle.documents[kind].items()]
        items += [*self._marks(), *self._of_notes()]
        for what, held in self.bundle.kept.items():
            for key, body in held.items():
                how, said = differs(self.session, what, key, body)
                name = (
                    HeldEdition.model_validate(body).called if what == "edition" else _called(what, body, self.bundle)
                )
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
        if held is not None and item.what != "clash" and _plain(kind, held.body) == body:
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
                mine = _dataset(held)
                shape = all(mine[name] == body[name] for name in ("columns", "settings"))
                rows = key not in self.bundle.rows or self._rows(key).equals(datasets.raw_rows(self.session, held))
                item.what = "same" if shape and rows else "changed"
                item.said = "" if shape and rows else "other rows" if shape else "other columns"
            elif key not in self.bundle.rows and body["kind"] != "live":
                item.said = "its columns alone, without rows"
            yield item

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

    def _rows(self, key: str) -> pl.DataFrame:
        try:
            return pl.read_parquet(io.BytesIO(self.bundle.rows[key]))
        except (pl.exceptions.PolarsError, OSError, ValueError):
            raise _refused(f"datasets/{key}.parquet is no Parquet file, or it is damaged.") from None

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
            raise _refused(f"Something in it does not fit: {'.'.join(map(str, first['loc']))}: {first['msg']}. Nothing was changed.") from None  # fmt: skip
        except (KeyError, TypeError, ValueError, AttributeError) as error:
            raise _refused(f"Something in it is missing or of another form ({error}). Nothing was changed.") from None
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
        frame = self._rows(key) if key in self.bundle.rows else None
        if frame is None and (key not in self.stored or body["kind"] != "live"):
            frame = pl.DataFrame(schema={column.name: _TYPES[column.type] for column in columns})
        held = self.stored.get(key)
        settings = body["settings"] or None
        if held is None:
            assert frame is not None
            table = Table(frame, columns, recipe=(settings or {}).get("recipe"))
            datasets.create(
                self.session, body["name"], body["file_name"], table, key=key, kind=body["kind"], settings=settings,
                findings_too=False,
            )  # fmt: skip
        elif key in self.bundle.rows and frame is not None:
            table = conform(Table(frame, columns, recipe=(settings or {}).get("recipe")), columns)
            datasets.refresh_with(self.session, key, held.version, body["file_name"], table, "replace")
        row = self.session.get_one(Dataset, key, populate_existing=True)
        row.settings, row.columns, row.problems = settings, body["columns"], body["problems"]
        if body["through"] is not None:
            row.through = dt.date.fromisoformat(body["through"])
        if held is not None:
            row.version += 1
        self.session.flush()

    def _make_marks(self, key: str, book: dict[str, Any], year_start: int) -> None:
        wanted = {_place(entry): entry for entry in book["entries"]}
        held = {_place(entry): entry for entry in self.books.get(key, {}).get("entries", ())}
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


def _called(kind: str, body: dict[str, Any], bundle: Bundle) -> str:
    """What a list of holidays or a standing order is called."""
    if kind == "holidays":
        return str(body.get("name"))
    card = bundle.documents["scorecard"].get(str(body.get("scorecard")), {})
    return f"{card.get('title', body.get('scorecard'))}, every {body.get('every')}"


def _lookups_first(given: dict[str, dict[str, Any]]) -> list[str]:
    """Datasets in an order in which each comes after those that it looks into."""
    found: list[str] = []

    def put(key: str, way: tuple[str, ...]) -> None:
        if key in found or key not in given or key in way:
            return
        for lookup in (given[key].get("settings") or {}).get("lookups", []):
            put(str(lookup.get("dataset", "")), (*way, key))
        found.append(key)

    for key in given:
        put(key, ())
    return found
