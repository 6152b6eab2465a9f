"""The file of a bundle: what stands in it, written and read back."""

from __future__ import annotations

import io
import json
import zipfile
import zlib
from dataclasses import dataclass, field
from typing import Any, Literal, get_args

from pydantic import BaseModel, ValidationError

from ironmark.pages.authoring.images import harmless, key_of
from ironmark.pages.model.field_types import Model
from ironmark.pages.model.kpi import AssumptionBody, CaseBody, KpiBody
from ironmark.pages.model.palette import PaletteBody
from ironmark.pages.model.problems import Refused
from ironmark.pages.model.scorecard import ScorecardBody
from ironmark.pages.model.yardstick import YardstickBody
from ironmark.publish.bundle_checks import KEY

MOST_FILES, MOST_BYTES, MOST_JSON = 20_000, 2 << 30, 16 << 20
FORMAT = "ironmark-bundle-1"


_MOMENT = (2000, 1, 1, 0, 0, 0)


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


@dataclass(frozen=True, slots=True)
class Wanted:
    """rows: with the rows of datasets, not their shape alone; notes: with notes; editions: with editions, standing orders
    and the holidays that these go by."""

    rows: bool = True
    notes: bool = True
    editions: bool = False


def written(bundle: Bundle) -> bytes:
    """A bundle as one file; the rows are taken out of it."""
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
    bundle.rows.clear()  # they are in memory once, here or packed
    files |= {f"pictures/{key}.{kind}": body for key, (kind, body) in bundle.pictures.items()}
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as packed:
        for name in sorted(files):
            packed.writestr(zipfile.ZipInfo(name, _MOMENT), files.pop(name), zipfile.ZIP_DEFLATED)
    return buffer.getvalue()


def _json(body: object) -> bytes:
    return json.dumps(body, indent=1, ensure_ascii=False, sort_keys=True).encode() + b"\n"


class _Files:
    """The files of a bundle, of which only those are read that something names."""

    def __init__(self, packed: zipfile.ZipFile) -> None:
        self._packed = packed
        self._infos = {info.filename: info for info in packed.infolist()}
        self._left = MOST_BYTES
        if len(self._infos) > MOST_FILES:
            raise refused("It holds more files than a bundle may.")

    def __contains__(self, name: str) -> bool:
        return name in self._infos

    def under(self, folder: str) -> list[tuple[str, str]]:
        """The files of a folder, by their names without it."""
        return sorted((name.removeprefix(f"{folder}/"), name) for name in self._infos if name.startswith(f"{folder}/"))

    def bytes(self, name: str, most: int) -> bytes:
        info = self._infos.get(name)
        if info is None:
            raise refused(f"It has no {name}.")
        self._left -= info.file_size
        if info.file_size > most or self._left < 0:
            raise refused(f"{name} is larger than a bundle may hold.")
        return self._packed.read(info)

    def object(self, name: str, most: int = MOST_JSON) -> dict[str, Any]:
        try:
            made = json.loads(self.bytes(name, most))
        except (ValueError, RecursionError):
            raise refused(f"{name} is no JSON.") from None
        if not isinstance(made, dict):
            raise refused(f"{name} holds no object.")
        return made


def read(body: bytes) -> Bundle:
    """What a bundle holds. Refuses what is none; what nothing names is not read."""
    try:
        with zipfile.ZipFile(io.BytesIO(body)) as packed:
            return _held(_Files(packed))
    except ValidationError as error:
        first = error.errors()[0]
        raise refused(f"Something in it does not fit: {'.'.join(map(str, first['loc']))}: {first['msg']}.") from None
    except (zipfile.BadZipFile, OSError, NotImplementedError, RuntimeError, EOFError, zlib.error):
        raise refused("It is no zip file, or it is damaged.") from None
    except (KeyError, TypeError, ValueError, AttributeError) as error:
        raise refused(f"Something in it is missing or of another form ({error}).") from None


def _held(files: _Files) -> Bundle:
    manifest = files.object("manifest.json")
    if manifest.get("format") != FORMAT:
        raise refused("Its manifest does not say that it is a bundle of this product.")
    found = Bundle(calendar=files.object("calendar.json"))
    order = {str(kind): [KEY.validate_python(key) for key in keys] for kind, keys in dict(manifest["order"]).items()}
    for kind in KINDS:
        for key in order.get(kind, []):
            found.documents[kind][key] = plain(kind, files.object(f"{kind}s/{key}.json"))
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
    shown = {key for body in found.documents["scorecard"].values() for key in pictures_on(body)}
    for name, path in files.under("pictures"):
        key = name.partition(".")[0]
        if key in shown:
            sort, picture = harmless(files.bytes(path, MOST_JSON))
            if key != key_of(picture):
                raise refused(f"The picture {path} is not the one its name says.")
            found.pictures[key] = sort, picture
    return found


def pictures_on(body: dict[str, Any]) -> list[str]:
    return [held["image"] for section in body["sections"] for held in section["pictures"] if held["image"]]


def refused(detail: str) -> Refused:
    return Refused(422, "no-bundle", "The bundle cannot be read", detail, {"field": "file"})


def called(kind: str, body: dict[str, Any], bundle: Bundle) -> str:
    """What a list of holidays or a standing order is called."""
    if kind == "holidays":
        return str(body.get("name"))
    card = bundle.documents["scorecard"].get(str(body.get("scorecard")), {})
    return f"{card.get('title', body.get('scorecard'))}, every {body.get('every')}"


def plain(kind: Kind, body: dict[str, Any]) -> dict[str, Any]:
    """A body as this version of the product writes it."""
    return BODIES[kind].model_validate(body).model_dump(mode="json")
