"""Files that become rows: read as their maker meant them, the next one like the one before, and asked about where it no
longer fits."""

from __future__ import annotations

import datetime as dt
import math
from collections.abc import Mapping
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

from pydantic import Field, ValidationError
from sqlalchemy.orm import Session

from ironmark.clock import now
from ironmark.pages.context.source_registry import OF_WORK, OWN
from ironmark.pages.model.field_types import Model
from ironmark.pages.model.problems import Refused
from ironmark.store import calendar, dataset_versions, scratch
from ironmark.store.dataset_versions import Tell, nobody
from ironmark.store.datasets import StoredDataset
from ironmark.tables.celltypes import Decimal
from ironmark.tables.files import FIRST_BYTES, LongFile, ReadFile, heads_periods, of_long, read_table
from ironmark.tables.formats import as_lines, is_records, unpacked_size
from ironmark.tables.grid import WORKBOOKS
from ironmark.tables.lines import LineKind
from ironmark.tables.long_lists import read_long
from ironmark.tables.plain_text import as_utf8, is_packed, unpacked
from ironmark.tables.refresh import How
from ironmark.tables.table import Unreadable
from ironmark.tables.told import ColumnKind, Down, GroupsAre

# Shares of the room that is worked with: from one a file is read by parts, up to one it may be held whole.
# One with periods across the top comes to more rows than lines; of a workbook all cells, or one sheet row by row; of a text
# every cell by itself.
LONG, WHOLE, UNFOLDED, RECORDS, CELLS, SHEET, EACH = 16, 4, 10, 12, 7, 2, 20


@dataclass(frozen=True)
class Reading:
    """How a file is to be read. recipe: what was said by hand, or how the dataset's rows were read before; listed: whether these
    stood as they were."""

    year_start: int = 1
    recipe: Mapping[str, Any] | None = None
    sheet: str | None = None
    decimal: Decimal | None = None
    listed: bool = False

    def of(self, body: bytes, name: str) -> ReadFile:
        """Raises Unreadable."""
        return read_table(
            body, sheet=self.sheet, decimal=self.decimal, name=name, year_start=self.year_start, recipe=self.recipe,
            listed=self.listed,
        )  # fmt: skip

    def of_file(self, path: Path, name: str, folder: Path, room: int, tell: Tell = nobody) -> ReadFile | LongFile:
        """A file on the disk, some rows at a time where it is long. folder: an empty one, for as long as its rows are
        needed; room: bytes that may be worked with. Raises Unreadable."""
        if not is_packed(path):
            return self._of_plain(path, name, folder, room, tell)
        with scratch.folder("unpacked") as beside:
            path = unpacked(path, beside / "once")
            if is_packed(path):
                path = unpacked(path, beside / "twice")
            return self._of_plain(path, name, folder, room, tell)

    def _of_plain(self, path: Path, name: str, folder: Path, room: int, tell: Tell) -> ReadFile | LongFile:
        with path.open("rb") as file:
            first = file.read(FIRST_BYTES)
        if first[:4] in WORKBOOKS:
            return self._of_workbook(path, name, folder, room, tell)
        asked = self.sheet is not None or self.decimal is not None or self.recipe is not None
        size, across, records = path.stat().st_size, heads_periods(first), is_records(first)
        if (
            size > room // LONG
            and not (asked or across or records)
            and (long := _long(path, first, folder, tell, room)) is not None
        ):
            return long
        takes = "a line for each period, in place of a column, " if across else ""
        _refuse_beyond(
            size, RECORDS if records else UNFOLDED if across else WHOLE, room,
            "Records are looked at together: save them as CSV or Parquet" if records else
            f"It cannot be read by parts: that takes {takes}one line of heads, quotes that end, and numbers and days written in "
            "one way. Mend the file, save it as Parquet",
        )  # fmt: skip
        return self.of(path.read_bytes(), name)

    def _of_workbook(self, path: Path, name: str, folder: Path, room: int, tell: Tell) -> ReadFile | LongFile:
        """All its cells are looked at where there is room for them, or a recipe asks for it; else a sheet, row by row."""
        unpacked = unpacked_size(path)
        whole = self.recipe is not None or unpacked <= room // CELLS
        _refuse_beyond(unpacked, CELLS if whole else SHEET, room, "Save the sheet you need as CSV")
        if whole:
            return self.of(path.read_bytes(), name)
        with scratch.folder("sheet") as beside:
            said = as_lines(path, lines := beside / "sheet.csv", self.sheet)
            read = Reading(self.year_start).of_file(lines, name, folder, room, tell)
        return replace(read, table=replace(read.table, problems=(*said, *read.table.problems)))  # type: ignore[arg-type]


def _long(path: Path, first: bytes, folder: Path, tell: Tell, room: int) -> LongFile | None:
    with scratch.folder("plain") as beside:
        plain, said = (path, ()) if first.startswith(b"PAR1") else as_utf8(path, beside / "lines")
        long = read_long(plain, folder, tell, room)
        return None if long is None else of_long(replace(long, problems=(*said, *long.problems)))


def require_room(body: bytes, room: int, *, rows: bool = True) -> None:
    """Refuse a workbook or a text that would take more memory than there is if each of its cells was looked at; of a workbook
    without rows, if its sheets were only listed. Raises Unreadable."""
    if body[:4] in WORKBOOKS:
        _refuse_beyond(unpacked_size(body), CELLS if rows else SHEET, room, "Save the sheet you need as CSV")
    elif rows:
        _refuse_beyond(len(body), EACH, room, "Leave out lines")


def _refuse_beyond(size: int, share: int, room: int, instead: str) -> None:
    """Refuse what takes more memory than there is room. instead: what else can be done."""
    if size > room // share:
        least = math.ceil((size * share / OF_WORK + OWN) / 1e9)
        raise Unreadable(
            f"To look at all of the file together, {size / 1e6:,.0f} MB of it, takes more memory than this server was told it may "
            f"take. {instead}, or start with --memory {least}GB."
        )


def reading_of(
    session: Session, dataset: StoredDataset | None = None, recipe: Mapping[str, Any] | None = None,
    sheet: str | None = None, decimal: Decimal | None = None,
) -> Reading:  # fmt: skip
    """How a new file is read, or with a dataset the next one of its rows."""
    held = recipe or (dataset.settings.get("recipe") if dataset else None)
    if held and dataset and held.get("as_of") and not recipe:
        held = {**held, "as_of": now().date().isoformat()}  # each refresh adds another day
    year_start = calendar.year_start_of(calendar.get(session))
    return Reading(year_start, held, sheet, decimal, listed=dataset is not None and not held)


class RecipeBody(Model):
    """What was said by hand of a table: lines by their number from 1, columns by their heads, and what it rests on."""

    sheet: str | None = Field(None, max_length=120)
    lines: dict[int, LineKind] = Field({}, max_length=500)
    head: list[str] = Field([], max_length=500)
    rows: dict[str, LineKind] = Field({}, max_length=500)
    columns: dict[str, ColumnKind] = Field({}, max_length=500)
    down: Down | None = None
    block: int | None = Field(None, ge=1, le=500)
    groups: GroupsAre | None = None
    measure: str = Field("", max_length=60)
    year: int | None = Field(None, ge=1900, le=2199)
    as_of: dt.date | None = None
    day_first: bool | None = None


def recipe_in(text: str | None) -> dict[str, Any] | None:
    """A recipe as it was sent. Refuses one that is none."""
    if not text:
        return None
    try:
        return RecipeBody.model_validate_json(text).model_dump(mode="json")
    except ValidationError as error:
        first = error.errors()[0]
        where = ".".join(map(str, first["loc"]))
        detail = f"{where}: {first['msg']}. Send the recipe as it was answered by the look at the table."
        raise Refused(422, "no-recipe", "This is no recipe", detail, {"field": f"recipe.{where}"}) from None


def keep_new(
    session: Session, name: str, file_name: str, read: ReadFile | LongFile, tell: Tell = nobody
) -> StoredDataset:
    return dataset_versions.create(session, name, file_name, read.table, tell=tell)


def keep_next(
    session: Session, key: str, saw: int | None, file_name: str, read: ReadFile | LongFile, how: How, *, force: bool = False,
    tell: Tell = nobody,
) -> StoredDataset:  # fmt: skip
    """New rows of a dataset. Refuses those that no longer fit its recipe, unless force; nothing is replaced then."""
    if read.differs and not force:
        detail = f"{' '.join(read.differs)} Nothing was changed. Send force=true to take it as it is read now."
        raise Refused(409, "recipe-differs", "It is not the table it was", detail, {"differs": list(read.differs)})
    return dataset_versions.refresh(session, key, saw, file_name, read.table, how_kept(read, how), tell)


def how_kept(read: ReadFile | LongFile, how: How) -> How:
    """How rows go in: those as of a day stand beside those of other days."""
    return "periods" if read.recipe and read.recipe.get("as_of") else how


def refuse_live(dataset: StoredDataset) -> None:
    if dataset.kind == "live":
        raise Refused(
            422, "live", "Its rows live elsewhere", "A live source is read where it is; change its rows there."
        )
