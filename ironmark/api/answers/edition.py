"""An edition as it is answered, and as a page that leaves."""

from __future__ import annotations

from collections.abc import Iterable

from pydantic import BaseModel

from ironmark.api.access import Reader
from ironmark.api.timestamps import moment
from ironmark.pages.publishing.editions import Frozen
from ironmark.publish.edition_about import about_of
from ironmark.publish.export_page import ExportPage
from ironmark.store import editions
from ironmark.store.editions import State
from ironmark.store.eyes import Eyes
from ironmark.store.models import Edition

WHOLE_S = 30.0  # that live sources are waited for, so that the page is whole


class EditionOut(BaseModel):
    """number: as it is told, such as 10, or 10a for one that restates it. restated: how many of its readings have
    another value, mark or state by now; null until that is worked out. made_with: the members whose rows alone it was made
    of, "" for all; opened: to those too who read some rows only."""

    id: str
    version: int
    scorecard: str
    number: str
    state: State
    title: str
    note: str
    period: str
    period_label: str
    made_at: str
    made_by: str
    published_at: str | None
    published_by: str
    withdrawn_at: str | None
    withdrawn_by: str
    why: str
    restated: int | None
    by_clock: bool
    made_with: str
    opened: bool


def rows_read(sees: Eyes, datasets: Iterable[str]) -> dict[str, object]:
    """The rows of some datasets as somebody reads them, as an edition keeps them."""
    return {key: [[segment, list(names)] for segment, names in sees.within(key)] for key in datasets}


def _made_with(row: Edition) -> str:
    """Whose eyes it was made with, in words; "" for all rows."""
    rows = (row.eyes or {}).get("rows", {})
    told = {", ".join(names) for some in rows.values() for _, names in some}
    return "; ".join(sorted(told))


def edition_out(row: Edition) -> EditionOut:
    return EditionOut(
        id=row.id, version=row.version, scorecard=row.scorecard, number=f"{row.number}{row.suffix}", state=row.state,  # type: ignore[arg-type]
        title=row.title, note=row.note, period=row.period, period_label=row.period_label, made_at=moment(row.made_at) or "",
        made_by=row.made_by, published_at=moment(row.published_at), published_by=row.published_by,
        withdrawn_at=moment(row.withdrawn_at), withdrawn_by=row.withdrawn_by, why=row.why, restated=row.restated,
        by_clock=row.standing is not None, made_with=_made_with(row), opened=bool((row.eyes or {}).get("open")),
    )  # fmt: skip


def export_page_of(who: Reader, edition: str) -> ExportPage:
    with who.read() as session:
        row = editions.get(session, edition)
        frozen = Frozen.from_bytes(editions.frozen_bytes(session, edition))
        return ExportPage(frozen, about_of(row, frozen))
