"""What scorecards come to, as the front page and Find tell them."""

from __future__ import annotations

import time

from ironmark.pages.context.reading_context import ReadingContext
from ironmark.pages.context.source_registry import Sources
from ironmark.pages.publishing import scorecard_summaries as pages
from ironmark.pages.publishing.scorecard_summaries import Glance
from ironmark.store import change_log, glances, records

OWN_S = 2.0  # that a list may take with the glances of who reads some rows only; the rest are told next time


def glances_now(sources: Sources, context: ReadingContext) -> tuple[dict[str, Glance], dict[str, str]]:
    """How the scorecards that somebody sees stand, and which glance of each that is."""
    session = context.session
    kept = {key: one for key, one in glances.newest(session).items() if context.eyes.sees("scorecard", key)}
    found = pages.held(sources, session, kept)
    which = {key: f"{one.number}.{one.rests[:16]}" for key, one in kept.items()}
    if context.eyes.read_all_rows:
        return found, which
    until, stamp = time.monotonic() + OWN_S, change_log.stamp(session)
    for head in records.heads(session, "scorecard"):
        if head.id in found and pages.reads_as(context, found[head.id]):
            continue
        found.pop(head.id, None)
        which.pop(head.id, None)
        if time.monotonic() < until:
            found[head.id] = pages.own_glance(context, head.id, stamp)[0]
            which[head.id] = f"{stamp}.{context.eyes.person}"
    return found, which
