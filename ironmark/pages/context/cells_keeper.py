"""Cells of many rows are kept beside these a moment after they were worked out, so that no process reads the rows again for
them, nor after a start."""

from __future__ import annotations

import threading
import weakref
import zipfile
from collections.abc import Callable
from contextlib import AbstractContextManager, suppress

import polars as pl
from sqlalchemy.exc import SQLAlchemyError
from sqlalchemy.orm import Session

from ironmark.pages.context.response_cache import program
from ironmark.store import eyes, worked_out
from ironmark.store.datasets import StoredDataset
from ironmark.tables.cells import Within
from ironmark.tables.columns import ColumnSource
from ironmark.tables.kept_cells import KeptCells, narrowed, packed, unpacked

AFTER_S = 1.0  # a page asks for several things, one after the other


class CellsKeeper:
    def __init__(self, changes: Callable[[], AbstractContextManager[Session]]) -> None:
        self._changes = changes
        self._coming: set[tuple[str, int]] = set()
        self._being_kept = threading.Lock()  # one at a time: what is packed stands in memory once more
        self._lock = threading.Lock()

    def kept(self, session: Session, dataset: StoredDataset, within: Within) -> KeptCells | None:
        """What is kept of the rows of a dataset, of some of them as if there were no others."""
        if not dataset.is_many:
            return None
        with eyes.of_all_rows(session):
            body = worked_out.kept(session, dataset.id, dataset.version, program(), "cells")
        with suppress(ValueError, KeyError, zipfile.BadZipFile, pl.exceptions.PolarsError):
            found = None if body is None else unpacked(body)
            return narrowed(found, within) if found is not None and within else found
        return None

    def watch(self, source: ColumnSource, dataset: StoredDataset) -> None:
        """Keep what is worked out of a source that has all rows of a dataset."""
        place, itself = (dataset.id, dataset.version), weakref.ref(source)  # it holds what it tells

        def later() -> None:
            told = itself()
            with self._lock:
                if told is None or place in self._coming:
                    return
                self._coming.add(place)
            self._soon(told, dataset)

        if dataset.is_many:
            source.worked_out = later

    def _soon(self, source: ColumnSource, dataset: StoredDataset) -> None:
        timer = threading.Timer(AFTER_S, self._keep, (source, dataset))
        timer.daemon = True
        timer.start()

    def _keep(self, source: ColumnSource, dataset: StoredDataset) -> None:
        if not self._being_kept.acquire(blocking=False):
            self._soon(source, dataset)
            return
        try:
            with self._lock:
                self._coming.discard((dataset.id, dataset.version))
            body = packed(source.worth_keeping())
            if body is None:
                return
            with suppress(SQLAlchemyError, OSError), self._changes() as session:  # else it is worked out once more
                worked_out.put(session, dataset.id, dataset.version, program(), "cells", body)
        finally:
            self._being_kept.release()
