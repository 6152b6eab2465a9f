"""How many readings of each published edition are restated by now: kept up by itself, whenever something changes."""

from __future__ import annotations

from sqlalchemy.orm import Session

from ironmark.pages.context.reading_context import ReadingContext
from ironmark.pages.context.response_cache import told_now
from ironmark.pages.context.source_registry import Sources
from ironmark.pages.model.kpi import KpiBody
from ironmark.pages.model.page import RestsOn
from ironmark.pages.publishing import comparison
from ironmark.pages.publishing.editions import Frozen, freeze
from ironmark.store import change_log, editions


class Restating:
    """Looks which editions read otherwise than they were last found to. What an edition rests on never changes, so it
    is held by its key."""

    def __init__(self, sources: Sources) -> None:
        self._sources = sources
        self._rests_on: dict[str, RestsOn] = {}
        self._stamp: change_log.Stamp | None = None

    def changed(self, stamp: change_log.Stamp) -> bool:
        """Whether anything at all was changed since this was last asked. stamp: of all versions, as it is now."""
        before, self._stamp = self._stamp, stamp
        return stamp != before

    def again(self) -> None:
        """Have the next look look at everything."""
        self._stamp = None

    def look(self) -> None:
        """Count anew for every published edition whose versions are not those it was last counted at."""
        with self._sources.readings() as session:
            published = [(row.id, row.checked) for row in editions.list_all(session) if row.state == editions.PUBLISHED]
            self._rests_on = {key: held for key, held in self._rests_on.items() if key in dict(published)}
        for key, checked in published:
            with self._sources.readings() as session:
                found = self._versions(session, key)
                if found == checked:
                    continue
                count = self._count(session, key)
            with self._sources.changes() as session:
                editions.note_restated(session, key, count, found if count is not None else "")

    def _versions(self, session: Session, key: str) -> str:
        if key not in self._rests_on:
            self._rests_on[key] = Frozen.from_bytes(editions.frozen_bytes(session, key)).page.rests_on
        return told_now(session, self._rests_on[key])

    def _count(self, session: Session, key: str) -> int | None:
        """None while a live source has not answered."""
        was, now = _both(ReadingContext(self._sources, session), key)
        if any(sheet.waiting for sheet in now.page.sheets):
            return None
        return comparison.compare(session, was, now, now=True, reread=None).restated


def _both(context: ReadingContext, key: str) -> tuple[Frozen, Frozen]:
    """An edition as it was made, and the same page now."""
    was = Frozen.from_bytes(editions.frozen_bytes(context.session, key))
    return was, comparison.now_of(context, was, editions.get(context.session, key).scorecard)


def beside_now(context: ReadingContext, key: str) -> comparison.SideBySide:
    """An edition beside the same page now."""
    was, now = _both(context, key)

    def reread(kpis: dict[str, KpiBody]) -> Frozen:
        again = ReadingContext(context.sources, context.session)
        again.override_kpis(kpis)
        return freeze(again, now.body, was.scope, explained=False, whole=False)

    return comparison.compare(context.session, was, now, now=True, reread=reread)
