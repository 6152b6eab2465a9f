"""What would be asked of many rows, worked out once these are kept, so that whoever asks has it at once."""

from __future__ import annotations

import structlog
from sqlalchemy.exc import SQLAlchemyError

from ironmark.pages.authoring.from_rows import propose
from ironmark.pages.context.reading_context import ReadingContext
from ironmark.pages.context.source_registry import Sources
from ironmark.pages.datasets.summaries import summaries
from ironmark.pages.model.problems import Refused
from ironmark.pages.reading import asking_ahead
from ironmark.store import datasets
from ironmark.store.database import Missing
from ironmark.tables.cells import NoPeriod
from ironmark.tables.columns import ColumnSource

log = structlog.get_logger()


def look_ahead(sources: Sources, key: str) -> None:
    """What its KPIs read, or would be proposed where it has none yet; which members share rows, and what stands in its columns.
    Its rows are kept by then, whatever comes of this. Of changes that come fast the last is looked at."""
    sources.ahead.do(key, lambda: _look(sources, key))


def _look(sources: Sources, key: str) -> None:
    def wanted() -> bool:
        """Of rows that were replaced meanwhile nothing more is worked out: they would stand in memory beside the others."""
        sources.make_way()
        return not sources.ahead.is_asked_again(key)

    try:
        with sources.reading_behind() as session:
            dataset = datasets.get(session, key)
            if not dataset.is_many:
                return
            context = ReadingContext(sources, session)
            if not asking_ahead.of_dataset(context, key, wanted):
                propose(context, dataset)
            if isinstance(source := sources.source(session, dataset), ColumnSource):
                source.know_members(wanted)
            del source, context
            if wanted():
                summaries(sources, session, dataset, sources.rows_of(session, dataset))
    except (Refused, Missing, NoPeriod, SQLAlchemyError, OSError):
        pass  # whoever asks is told
    except Exception as error:
        log.error("look ahead", dataset=key, exc_info=error)
