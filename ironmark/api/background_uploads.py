"""Files that are read in the background, two at a time."""

from __future__ import annotations

import secrets
import threading
import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from typing import Any, Literal

import structlog
from fastapi import Request
from pydantic import BaseModel
from sqlalchemy.exc import DBAPIError

from ironmark.api.problems import problem_of
from ironmark.clock import now
from ironmark.pages.context.source_registry import Sources
from ironmark.pages.model.problems import Problem, Refused
from ironmark.store import uploads as store
from ironmark.tables.table import LongTable, Table

log = structlog.get_logger()
Work = Callable[[Callable[[str, float], None]], "str | Ended"]
DONE, AS_BEFORE = "Done", "These rows are here already: no version was made of them"
STOPPED = "Stopped; nothing was kept"
TELL_S = 0.15  # how often it is noted how far an upload is
LEFT = Problem(
    type="left", title="The upload was left", status=500,
    detail="The server ended while it read this file. Nothing was kept; send it again.",
)  # fmt: skip
MOST_WAITING = 600 * 1024 * 1024  # bytes of files that are not read yet
READ, KEPT = 0.1, 0.4  # how far it is when reading has begun, and when the rows begin to be kept


def keeping(tell: Callable[[str, float], None], table: Table | LongTable) -> Callable[[float], None]:
    """Tells how much of a table's rows is kept, as the last part of an upload."""
    rows = f"{table.rows.height:,} rows"
    return lambda share: tell(f"Keeping {rows}", KEPT + (1 - KEPT) * share)


@dataclass(frozen=True)
class Ended:
    """What an upload came to: the dataset it made or refreshed, and what is to be said of that."""

    dataset: str
    said: str = DONE


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
    """Reads files in the background, two at a time; how far they are stands in the database, for every process."""

    def __init__(self, sources: Sources) -> None:
        self._sources = sources
        self._pool = ThreadPoolExecutor(2, thread_name_prefix="upload")
        self.alone = threading.Lock()  # for files that are large
        self._waiting = 0  # bytes of files that are not read yet
        self._lock = threading.Lock()

    def begin(self, work: Work, ticket: str | None, size: int) -> Upload:
        """work: does it, telling stage and share on the way, and returns the dataset it made or refreshed.

        ticket: what the upload goes by, so that its sender can stop it before the answer has come. size: bytes that
        are held until it is read; refused while too many wait already.
        """
        key, stage = ticket or secrets.token_urlsafe(9), "Waiting its turn"
        with self._lock:
            if self._waiting and self._waiting + size > MOST_WAITING:
                raise Refused(
                    503, "too-many-uploads", "Other files are read first",
                    "Too many files are waiting to be read. Wait until one of them is done, then send this one again.",
                )  # fmt: skip
            self._waiting += size
        try:
            with self._sources.changes() as session:
                store.begin(session, key, stage)
        except store.Taken:
            self._done(size)
            detail = "An upload goes by this ticket. Take another."
            raise Refused(409, "ticket-taken", "This is sent already", detail) from None
        except BaseException:
            self._done(size)
            raise
        self._pool.submit(self._run, key, work).add_done_callback(lambda _: self._done(size))
        return Upload(id=key, state="running", stage=stage, share=0)

    def _done(self, size: int) -> None:
        with self._lock:
            self._waiting -= size

    def get(self, key: str) -> Upload:
        with self._sources.readings() as session:
            held = store.get(session, key)
        if held is None:
            raise Refused(404, "not-found", "Not found", "There is no such upload. It may have ended long ago.")
        if held.state == "running" and held.updated_at < now() - store.SILENT:
            return Upload(id=key, state="failed", stage="Nothing was kept", share=held.share, problem=LEFT)
        problem = Problem.model_validate(held.problem) if held.problem else None
        return Upload(
            id=key, state=held.state, stage=held.stage or STOPPED, share=held.share, dataset=held.dataset, problem=problem,  # type: ignore[arg-type]
        )  # fmt: skip

    def stop(self, key: str) -> Upload:
        with self._sources.changes() as session:
            store.ask_to_stop(session, key)
        return self.get(key)

    def _run(self, key: str, work: Work) -> None:
        told: dict[str, float] = {}

        def tell(stage: str, share: float) -> None:
            if time.monotonic() - told.get(stage, -1e9) < TELL_S:
                return
            told[stage] = time.monotonic()
            with self._sources.changes() as session:
                stopping = store.tell(session, key, stage, share)
            if stopping:
                raise Stopped

        edit: dict[str, Any]
        try:
            made = work(tell)
            ended = made if isinstance(made, Ended) else Ended(made)
            edit = {"state": "done", "stage": ended.said, "share": 1.0, "dataset": ended.dataset}
        except Stopped:
            edit = {"state": "stopped", "stage": STOPPED}
        except Exception as error:
            problem = problem_of(error)
            if problem is None:
                log.error("upload", exc_info=error)
                detail = "The fault is ours and was logged. Try again."
                problem = Problem(type="unexpected", title="Something went wrong here", status=500, detail=detail)
            edit = {"state": "failed", "stage": "Nothing was kept", "problem": problem.model_dump()}
        for _ in range(120):  # the database may be away for a while
            try:
                with self._sources.changes() as session:
                    store.end(session, key, **edit)
                break
            except (DBAPIError, OSError):  # or its disk is full
                time.sleep(0.5)


def uploads(request: Request) -> Uploads:
    found: Uploads = request.app.state.uploads
    return found
