"""What scorecards come to, as the front page and Find tell them."""

from __future__ import annotations

from sqlalchemy.orm import Session

from ironmark.pages.context.source_registry import Sources
from ironmark.pages.publishing import scorecard_summaries as pages
from ironmark.pages.publishing.scorecard_summaries import Glance
from ironmark.store import glances


def glances_now(sources: Sources, session: Session) -> tuple[dict[str, Glance], dict[str, str]]:
    """How the scorecards that there are stand, and which glance of each that is."""
    kept = glances.newest(session)
    return pages.held(sources, session, kept), {key: f"{one.number}.{one.rests[:16]}" for key, one in kept.items()}
