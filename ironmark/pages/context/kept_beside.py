"""What looking at all rows of a dataset comes to, kept beside them where they are many."""

from __future__ import annotations

from collections.abc import Callable
from contextlib import suppress
from typing import TypeVar

from pydantic import TypeAdapter, ValidationError
from sqlalchemy.exc import SQLAlchemyError
from sqlalchemy.orm import Session

from ironmark.pages.context.response_cache import program
from ironmark.pages.context.source_registry import Sources
from ironmark.store import eyes, worked_out
from ironmark.store.datasets import StoredDataset

T = TypeVar("T")


def kept_beside(
    sources: Sources,
    session: Session,
    dataset: StoredDataset,
    what: worked_out.What,
    kind: TypeAdapter[T],
    look: Callable[[], T],
) -> T:
    """Looked for once for a version of the rows. Raises Narrowed, and what looking raises."""
    eyes.require_all_rows(session, dataset.id)

    def found() -> T:
        if not dataset.is_many:
            return look()
        asked = dataset.id, dataset.version, program()
        body = worked_out.kept(session, *asked, what)
        with suppress(ValidationError):
            if body is not None:
                return kind.validate_json(body)
        made = look()
        with suppress(SQLAlchemyError, OSError), sources.changes() as changing:  # else it is looked for once more
            worked_out.put(changing, *asked, what, kind.dump_json(made))
        return made

    seen: T = sources.seen.several({0: (what, dataset.id, dataset.version)}, lambda _: {0: found()})[0]
    return seen
