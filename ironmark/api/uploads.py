"""Uploads that take a while: read in the background, with how far they are, and a way to stop them."""

from __future__ import annotations

import secrets
import threading
from collections import OrderedDict
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from typing import Literal

import structlog
from fastapi import APIRouter, Depends, Header, Query, Request, UploadFile
from pydantic import BaseModel

from ironmark.api.datasets import body_of, file_name_of, name_from
from ironmark.api.problems import problem_of
from ironmark.api.rows import refuse_live
from ironmark.api.versions import seen_version
from ironmark.api.who import Reader, reader
from ironmark.pages.documents import Key
from ironmark.pages.problems import Problem, Refused
from ironmark.store import datasets
from ironmark.tables.formats import read_file
from ironmark.tables.reader import Decimal
from ironmark.tables.refresh import How

router = APIRouter(prefix="/api/uploads", tags=["uploads"])
log = structlog.get_logger()
KEPT = 50
MOST_WAITING = 600 * 1024 * 1024  # bytes of files that are not read yet
_READ, _KEPT = 0.1, 0.4  # how far it is when reading has begun, and when the rows begin to be kept


class Stopped(Exception):
    """Somebody stopped the upload."""


class Upload(BaseModel):
    """``state``: running, done, failed or stopped. ``share`` is how far it is, 0 to 1."""

    id: str
    state: Literal["running", "done", "failed", "stopped"]
    stage: str
    share: float
    dataset: str | None = None
    problem: Problem | None = None


class Uploads:
    """The uploads under way, two read at a time, and the last ones that ended."""

    def __init__(self) -> None:
        self._pool = ThreadPoolExecutor(2, thread_name_prefix="upload")
        self._held: OrderedDict[str, Upload] = OrderedDict()
        self._stop: OrderedDict[str, None] = OrderedDict()
        self._lock = threading.Lock()
        self._waiting = 0  # bytes of files that are not read yet

    def begin(self, work: Callable[[Callable[[str, float], None]], str], ticket: str | None, size: int) -> Upload:
        """size: bytes that are held until it is read; refused while too many wait already. work: does it, telling stage and share on the way, and returns the dataset it made or refreshed.

        ticket: what the upload goes by, so that its sender can stop it before the answer has come.
        """
        upload = Upload(id=ticket or secrets.token_urlsafe(9), state="running", stage="Waiting its turn", share=0)
        with self._lock:
            if upload.id in self._held:
                raise Refused(
                    409, "ticket-taken", "This is sent already", "An upload goes by this ticket. Take another."
                )
            if self._waiting and self._waiting + size > MOST_WAITING:
                raise Refused(
                    503, "too-many-uploads", "Other files are read first",
                    "Too many files are waiting to be read. Wait until one of them is done, then send this one again.",
                )  # fmt: skip
            self._waiting += size
            self._held[upload.id] = upload
            while len(self._held) > KEPT:
                self._held.popitem(last=False)
        self._pool.submit(self._run, upload, work).add_done_callback(lambda _: self._done(size))
        return upload

    def _done(self, size: int) -> None:
        with self._lock:
            self._waiting -= size

    def get(self, key: str) -> Upload:
        with self._lock:
            if key not in self._held:
                raise Refused(404, "not-found", "Not found", "There is no such upload. It may have ended long ago.")
            return self._held[key].model_copy()

    def stop(self, key: str) -> Upload:
        with self._lock:
            self._stop[key] = None
            while len(self._stop) > 4 * KEPT:
                self._stop.popitem(last=False)
            if key not in self._held:  # on its way, it is stopped as it comes
                return Upload(id=key, state="stopped", stage="Stopped; nothing was kept", share=0)
        return self.get(key)

    def _run(self, upload: Upload, work: Callable[[Callable[[str, float], None]], str]) -> None:
        def tell(stage: str, share: float) -> None:
            with self._lock:
                if upload.id in self._stop:
                    raise Stopped
                upload.stage, upload.share = stage, share

        try:
            dataset = work(tell)
            edit = {"state": "done", "stage": "Done", "share": 1.0, "dataset": dataset}
        except Stopped:
            edit = {"state": "stopped", "stage": "Stopped; nothing was kept"}
        except Exception as error:
            problem = problem_of(error)
            if problem is None:
                log.error("upload", exc_info=error)
                detail = "The fault is ours and was logged. Try again."
                problem = Problem(type="unexpected", title="Something went wrong here", status=500, detail=detail)
            edit = {"state": "failed", "stage": "Nothing was kept", "problem": problem}
        with self._lock:
            for name, value in edit.items():
                setattr(upload, name, value)


def uploads(request: Request) -> Uploads:
    found: Uploads = request.app.state.uploads
    return found


@router.post("", status_code=202)
def begin_upload(
    file: UploadFile,
    sheet: str | None = Query(None, max_length=120),
    decimal: Decimal | None = Query(None),
    dataset: Key | None = Query(None),
    how: How = Query("replace"),
    ticket: Key | None = Query(None),
    if_match: str | None = Header(None),
    who: Reader = Depends(reader),
    held: Uploads = Depends(uploads),
) -> Upload:
    """Read a file as a new dataset, or with ``dataset`` as new rows of that one, whose version If-Match names."""
    saw = seen_version(if_match) if dataset else None
    if dataset:
        with who.read() as session:
            refuse_live(datasets.get(session, dataset))
    body, file_name = body_of(file), file_name_of(file)

    def work(tell: Callable[[str, float], None]) -> str:
        tell("Reading the table", _READ)
        table = read_file(body, sheet, decimal)
        rows = f"{table.frame.height:,} rows"
        tell(f"Looking through {rows}", _KEPT)

        def kept(share: float) -> None:
            tell(f"Keeping {rows}", _KEPT + (1 - _KEPT) * share)

        with who.write() as session:
            if dataset:
                return datasets.refresh(session, dataset, saw, file_name, table, how, kept).id
            return datasets.create(session, name_from(file_name), file_name, table, tell=kept).id

    return held.begin(work, ticket, len(body))


@router.get("/{key}")
def get_upload(key: str, held: Uploads = Depends(uploads)) -> Upload:
    return held.get(key)


@router.delete("/{key}")
def stop_upload(key: str, held: Uploads = Depends(uploads)) -> Upload:
    """Stop an upload; what it wrote so far is taken back. One that has ended stays as it is."""
    return held.stop(key)
