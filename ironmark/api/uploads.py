"""Uploads that take a while: read in the background, with how far they are, and a way to stop them."""

from __future__ import annotations

from collections.abc import Callable
from contextlib import ExitStack
from dataclasses import dataclass
from typing import Annotated, Any

from anyio import to_thread
from fastapi import APIRouter, Depends, Form, Header, Path, Query, Request, UploadFile
from pydantic import BaseModel, Field

from ironmark.api.access import Reader, reader
from ironmark.api.background_uploads import AS_BEFORE, DONE, KEPT, READ, Ended, Upload, Uploads, Work, keeping, uploads
from ironmark.api.upload_files import Staged, body_of, clean_name, file_name_of, name_from
from ironmark.api.versions import seen_version
from ironmark.pages.datasets.intake import keep_new, keep_next, reading_of, recipe_in, refuse_live, require_room
from ironmark.pages.datasets.table_looks import TableLook, UnfoldedTable, looked_at, unfolded
from ironmark.pages.model.field_types import Key, Model
from ironmark.pages.model.problems import Refused
from ironmark.store import datasets
from ironmark.store import uploads as store
from ironmark.tables.celltypes import Decimal
from ironmark.tables.files import LongFile, ReadFile, look_at
from ironmark.tables.grid import even
from ironmark.tables.refresh import How
from ironmark.tables.understanding import understand
from ironmark.work.looking_ahead import look_ahead

router = APIRouter(prefix="/api/uploads", tags=["uploads"], dependencies=[Depends(reader)])
PIECE_BYTES, MOST_PIECES = 8 * 1024 * 1024, 256  # 2 GB in all
_RAW = {
    "requestBody": {
        "required": True,
        "content": {"application/octet-stream": {"schema": {"type": "string", "format": "binary"}}},
    }
}


class Pieces(BaseModel):
    """How many pieces of a file have come without a gap, and their bytes."""

    pieces: int
    size: int


@router.post("", status_code=202)
def begin_upload(
    file: UploadFile,
    sheet: str | None = Query(None, max_length=120),
    decimal: Decimal | None = Query(None),
    dataset: Key | None = Query(None),
    how: How = Query("replace"),
    ticket: Key | None = Query(None),
    recipe: str | None = Form(None, max_length=200_000),
    name: str = Form("", max_length=120),
    force: bool = Query(False),
    if_match: str | None = Header(None),
    who: Reader = Depends(reader),
    held: Uploads = Depends(uploads),
) -> Upload:
    """Read a file as a new dataset, or with ``dataset`` as new rows of that one, whose version If-Match names.

    recipe: how it is read, as it was looked at; force: also where it is no longer read as the rows before were.
    """
    saw = seen_version(if_match) if dataset else None
    into = _Into(file_name_of(file), sheet, decimal, dataset, how, saw, recipe_in(recipe), name, force)
    with ExitStack() as until_it_waits:
        sent = until_it_waits.enter_context(Staged.of(file))
        upload = held.begin(into.work(who, lambda: sent), ticket, sent.size)
        until_it_waits.pop_all()
    return upload


@dataclass(frozen=True)
class _Into:
    """What a file is read as."""

    file_name: str
    sheet: str | None
    decimal: Decimal | None
    dataset: str | None
    how: How
    saw: int | None
    recipe: dict[str, Any] | None = None
    name: str = ""
    force: bool = False

    def work(self, who: Reader, sent: Callable[[], Staged]) -> Work:
        """sent: fetches the file. Refuses a dataset that takes none."""
        if self.dataset:
            with who.read() as session:
                refuse_live(datasets.get(session, self.dataset))
        return lambda tell: self._read(who, sent, tell)

    def _read(self, who: Reader, sent: Callable[[], Staged], tell: Callable[[str, float], None]) -> str | Ended:
        tell("Reading the table", READ)
        with sent() as file:
            with who.read() as session:
                held = datasets.get(session, self.dataset) if self.dataset else None
                reading = reading_of(session, held, self.recipe, self.sheet, self.decimal)
            read = reading.of_file(
                file.path, self.file_name, file.pieces, who.sources.room,
                lambda share: tell("Reading the table", READ + (KEPT - READ) * share),
            )  # fmt: skip
            return self._keep(who, read, tell)

    def _keep(self, who: Reader, read: ReadFile | LongFile, tell: Callable[[str, float], None]) -> str | Ended:
        tell(f"Looking through {read.table.rows.height:,} rows", KEPT)
        made = self._kept(who, read, keeping(tell, read.table))
        look_ahead(who.sources, made if isinstance(made, str) else made.dataset)
        return made

    def _kept(self, who: Reader, read: ReadFile | LongFile, kept: Callable[[float], None]) -> str | Ended:
        with who.write() as session:
            if self.dataset:
                before = datasets.get(session, self.dataset).rows_version
                made = keep_next(
                    session, self.dataset, self.saw, self.file_name, read, self.how, force=self.force, tell=kept
                )
                return Ended(made.id, DONE if made.rows_version != before else AS_BEFORE)
            return keep_new(session, self.name or name_from(self.file_name), self.file_name, read, kept).id


@router.post("/look")
def look_at_table(
    file: UploadFile,
    sheet: str | None = Query(None, max_length=120),
    recipe: str | None = Form(None, max_length=200_000),
    who: Reader = Depends(reader),
) -> TableLook:
    """A table as it came, with what each line and column is taken for; recipe: what was said by hand so far."""
    body, name = body_of(file), file_name_of(file)
    require_room(body, who.sources.room)
    with who.read() as session:
        reading, style = reading_of(session, None, recipe_in(recipe), sheet), who.context(session).style
    found = look_at(body, reading.recipe or {}, sheet=sheet, name=name, year_start=reading.year_start)
    return looked_at(found, name_from(name), style)


class PastedCells(Model):
    cells: list[list[Annotated[str, Field(max_length=20_000)]]] = Field(min_length=1, max_length=5000)


@router.post("/unfold")
def unfold_table(body: PastedCells, who: Reader = Depends(reader)) -> UnfoldedTable | None:
    """Pasted cells as rows of their own; nothing of a plain list."""
    with who.read() as session:
        year_start = reading_of(session).year_start
    return unfolded(understand(even(body.cells), year_start=year_start))


@router.get("/{key}/pieces")
def get_pieces(key: Key, who: Reader = Depends(reader)) -> Pieces:
    """What has come of a file that is sent in pieces: where to go on."""
    with who.read() as session:
        many, size = store.pieces(session, key)
    return Pieces(pieces=many, size=size)


@router.put("/{key}/pieces/{place}", openapi_extra=_RAW)
async def put_piece(
    key: Key, request: Request, place: int = Path(ge=0, lt=MOST_PIECES), who: Reader = Depends(reader)
) -> Pieces:
    """A piece of a file, of at most 8 MB, counted from 0; sent again it takes its own place."""
    body = await request.body()
    if not 0 < len(body) <= PIECE_BYTES:
        raise Refused(413, "piece-size", "The piece does not fit", "A piece has 1 to 8,388,608 bytes.")

    def keep() -> Pieces:
        with who.write() as session:
            store.put_piece(session, key, place, body)
            many, size = store.pieces(session, key)
        return Pieces(pieces=many, size=size)

    return await to_thread.run_sync(keep)


@router.post("/{key}/pieces", status_code=202)
def begin_whole(
    key: Key,
    size: int = Query(gt=0, le=MOST_PIECES * PIECE_BYTES),
    file_name: str = Query(max_length=400),
    sheet: str | None = Query(None, max_length=120),
    decimal: Decimal | None = Query(None),
    dataset: Key | None = Query(None),
    how: How = Query("replace"),
    ticket: Key | None = Query(None),
    force: bool = Query(False),
    if_match: str | None = Header(None),
    who: Reader = Depends(reader),
    held: Uploads = Depends(uploads),
) -> Upload:
    """Read a file that came in pieces, ``size`` bytes in all. Once it is read they are given up."""
    with who.read() as session:
        many, known = store.pieces(session, key)
    if known != size:
        detail = f"{known:,} of {size:,} bytes have come, in {many} pieces. Send the rest first."
        raise Refused(409, "pieces-missing", "The file is not whole yet", detail, {"pieces": many})
    saw = seen_version(if_match) if dataset else None
    into = _Into(clean_name(file_name), sheet, decimal, dataset, how, saw, force=force)

    def sent() -> Staged:
        with ExitStack() as until_whole:
            staged = until_whole.enter_context(Staged())
            with staged.path.open("wb") as whole:
                for place in range(many):  # one at a time: no connection is held for long
                    with who.read() as session:
                        whole.write(store.piece(session, key, place) or b"")
            if staged.size != size:
                detail = "It was changed meanwhile. Send it again."
                raise Refused(409, "pieces-missing", "The file is not whole yet", detail)
            until_whole.pop_all()
        return staged

    work = into.work(who, sent)

    def alone(tell: Callable[[str, float], None]) -> str | Ended:
        with held.alone:  # two of them at once would take twice the memory
            made = work(tell)
        with who.write() as session:
            store.drop_pieces(session, key)
        return made

    return held.begin(alone, ticket, 0)


@router.delete("/{key}/pieces", status_code=204)
def drop_pieces(key: Key, who: Reader = Depends(reader)) -> None:
    """Give up what has come of a file."""
    with who.write() as session:
        store.drop_pieces(session, key)


@router.get("/{key}")
def get_upload(key: str, held: Uploads = Depends(uploads)) -> Upload:
    return held.get(key)


@router.delete("/{key}")
def stop_upload(key: str, held: Uploads = Depends(uploads)) -> Upload:
    """Stop an upload; what it wrote so far is taken back. One that has ended stays as it is."""
    return held.stop(key)
