"""Draws what was asked for, one after the other, in the one process that holds the lease."""

from __future__ import annotations

import threading
import time

import structlog
from sqlalchemy.exc import DBAPIError
from sqlalchemy.orm import Session

from ironmark.pages.context.source_registry import Sources
from ironmark.pages.model.problems import Problem
from ironmark.pages.publishing.editions import Frozen
from ironmark.publish import book, exporting
from ironmark.publish.export_page import About, ExportPage
from ironmark.publish.exporting import Options
from ironmark.publish.page import Images
from ironmark.publish.printer import HOW, NoPrinter, Printer, PrinterFailed, PrintingStopped, TooLong
from ironmark.publish.proof import Seal, sealing
from ironmark.store import exports, images, kept_files, keys, leases, scratch
from ironmark.store.models import Export

log = structlog.get_logger()
TELL_S = 0.5
PRINTERS = 700 << 20  # bytes that printers take while a long list is printed


class Printing:
    """A thread that is woken when something may be waiting, and a printer that is its alone."""

    def __init__(self, sources: Sources, holder: str) -> None:
        self._sources, self._holder = sources, holder
        self.printer = Printer()
        self._wake, self._over = threading.Event(), False
        self._told, self._told_at = ("", ""), 0.0
        self._thread = threading.Thread(target=self._work, name="printing", daemon=True)

    def start(self) -> None:
        self._thread.start()

    def wake(self) -> None:
        self._wake.set()

    def stop(self) -> None:
        self._over = True
        self._wake.set()
        self.printer.close()
        self._thread.join(5)
        self.printer.end()

    def _work(self) -> None:
        while not self._over:
            self._wake.wait(30)
            self._wake.clear()
            try:
                while not self._over and self._next():
                    scratch.give_back()
                self.printer.rest()
            except (DBAPIError, OSError):
                pass  # the database is away, or its disk is full; what waits is there when it is back
            except Exception as error:
                log.error("printing", exc_info=error)

    def _next(self) -> bool:
        with self._sources.changes() as session:
            # What another process draws is not to be taken for what was left by one that ended.
            row = (
                exports.next_one(session, self._holder) if leases.is_held(session, leases.WORK, self._holder) else None
            )
        if row is None:
            return False
        with structlog.contextvars.bound_contextvars(request=row.request, export=row.id):
            how = self._drawn(row)
            log.info("drawn", kind=row.kind, state=how["state"])
        if not self._over:
            with self._sources.changes() as session:
                exports.end(session, row.id, self._holder, **how)
        return True

    def _drawn(self, row: Export) -> dict[str, object]:
        """What becomes of it: done with its file, stopped, or failed with the reason."""
        try:
            with self._sources.lent(PRINTERS if row.kind in exporting.PRINTED else 0):
                return {"state": "done", "stage": "", "share": 1.0, "file": self._file(row)}
        except PrintingStopped:
            return {"state": "stopped", "stage": ""}
        except NoPrinter:
            problem = Problem(type="no-printer", title="Printing needs Chromium", status=503, detail=HOW)
        except TooLong as error:
            problem = Problem(type="too-long", title="It does not fit", status=422, detail=str(error))
        except PrinterFailed as error:
            problem = Problem(
                type="printer", title="It could not be drawn", status=503,
                detail=f"The printer failed twice: {error}. Try again, or take it out in another form.",
            )  # fmt: skip
        except DBAPIError:
            raise
        except Exception as error:
            log.error("export", export=row.id, kind=row.kind, exc_info=error)
            detail = "The fault is ours and was logged. Try again, or take it out in another form."
            problem = Problem(type="unexpected", title="It could not be drawn", status=500, detail=detail)
        return {"state": "failed", "stage": "", "problem": problem.model_dump()}

    def _file(self, row: Export) -> bytes:
        if row.about and "pages" in row.about:
            return self._book(row)
        with self._sources.readings() as session:
            frozen = Frozen.from_bytes(exports.source(session, row.id))
            pictures = pictures_of(session, frozen)
        with self._sources.changes() as session:
            seal = seal_of(session)
        leaf = ExportPage(frozen, About(**row.about) if row.about else None)
        options = Options(**row.options)
        with self._sources.readings() as session:
            template = kept_files.body(session, kept_files.SLIDES) if options.template else None
        if self._tell(row.id, "is drawn", 0.2):
            raise PrintingStopped
        scratch.give_back()
        return exporting.render(
            leaf, row.kind, options, pictures, self.printer, lambda stage, share: self._tell(row.id, stage, share), seal, template  # type: ignore[arg-type]
        )  # fmt: skip

    def _book(self, row: Export) -> bytes:
        assert row.about is not None
        with self._sources.readings() as session:
            held = book.from_bytes(exports.source(session, row.id), row.about["cover"], row.about["pages"])
            images_of = [pictures_of(session, leaf.frozen) for leaf in held.leaves]
        with self._sources.changes() as session:
            seal = seal_of(session)
        return book.render(
            held, row.kind, row.options["paper"], images_of, self.printer, lambda stage, share: self._tell(row.id, stage, share), seal  # type: ignore[arg-type]
        )  # fmt: skip

    def _tell(self, key: str, stage: str, share: float) -> bool:
        """Note how far it is, once a while for each stage: printers that take turns tell of their own parts, many times a
        second. Returns whether it is to stop."""
        what, at = (key, stage), time.monotonic()
        if what == self._told and at - self._told_at < TELL_S:
            return self._over
        self._told, self._told_at = what, at
        with self._sources.changes() as session:
            return exports.tell(session, key, self._holder, stage, share) or self._over


def seal_of(session: Session) -> Seal:
    """What seals the files of this installation."""
    return sealing(keys.get(session, keys.PROOF))


def pictures_of(session: Session, frozen: Frozen) -> Images:
    """The pictures that stand on a page; without those that are gone."""
    held = images.get_many(session, exporting.images_of(frozen.body))
    return {key: (found.kind, found.body) for key, found in held.items()}
