"""Being signed in from a browser from now on."""

from __future__ import annotations

from collections.abc import Sequence

from fastapi import Request, Response
from sqlalchemy.orm import Session

from ironmark.api.access import Reader
from ironmark.api.signing import Signing
from ironmark.pages.model.problems import Refused
from ironmark.pages.watches.letters import tell_account, tell_owners
from ironmark.store import accounts, trail
from ironmark.store.people_models import Account


def refuse_too_soon(who: Reader, places: Sequence[tuple[str, int]]) -> None:
    """Count a try, and refuse one that comes too soon after others. places: see ``accounts.may_try``."""
    with who.write() as session:
        wait = accounts.may_try(session, places)
        if wait:
            tell_owners(
                session,
                "Sign-in was tried too often",
                f"It was slowed down: {places[0][0]}, from {who.address}",
                f"tries:{places[0][0]}",
            )
    if wait:
        raise Refused(429, "slow-down", "Not so fast", f"It was tried too often. Try again in {wait} seconds.")


def seat(session: Session, row: Account, request: Request, response: Response, who: Reader) -> None:
    """Give a browser a session of its own; one that it had before has ended."""
    signing: Signing = request.app.state.signing
    if (held := request.cookies.get(signing.cookie)) and (before := accounts.sitting(session, held)) is not None:
        accounts.stand_up(session, before.id, before.sitting)
    browser = request.headers.get("user-agent", "")
    if row.seen_at is not None and all(one.browser != browser[:200] for one in accounts.sittings(session, row.id)):
        said = f"You signed in from a browser that was not known, at {who.address}. If it was not you, end it and take another password"
        tell_account(session, row, "A new browser", said)
    token = accounts.sit_down(session, row.id, who.address, browser)
    response.set_cookie(
        signing.cookie, token, max_age=int(accounts.LONGEST.total_seconds()), path="/", secure=signing.tls, httponly=True,
        samesite="lax",
    )  # fmt: skip
    by = trail.by.set(trail.By(row.id, who.address))
    try:
        trail.note(session, "signed in", "sign-in", row.id, row.name, who=row.name)
        session.flush()
    finally:
        trail.by.reset(by)
