"""What has to hold before an assumption or a case is kept or deleted, and what follows when one is renamed."""

from __future__ import annotations

from typing import Any

from sqlalchemy.orm import Session

from ironmark.pages.authoring.kpi_rules import named_in, refuse_taken, rename
from ironmark.pages.context.formula_expander import refuse_outside
from ironmark.pages.context.reading_context import ReadingContext
from ironmark.pages.model.kpi import AssumptionBody, CaseBody
from ironmark.pages.model.problems import Refused
from ironmark.store import calendar, records


def check_assumption(session: Session, body: AssumptionBody, key: str | None) -> None:
    refuse_taken(session, body.handle, key)
    if key is not None:
        rename(session, records.get(session, "assumption", key).body["handle"], body.handle)


def may_delete_assumption(session: Session, _: Any, key: str | None) -> None:
    assert key is not None
    if named := named_in(session, records.get(session, "assumption", key).body["handle"]):
        where = ", ".join(named)
        raise Refused(409, "in-use", "The assumption is in use", f"It is named in {where}. Change those first.")


def check_case(session: Session, body: CaseBody, key: str | None) -> None:
    """A case is of a scorecard and of assumptions that there are, each within its range."""
    records.get(session, "scorecard", body.scorecard)
    known = ReadingContext(None, session).assumed  # type: ignore[arg-type]
    for name, value in body.values.items():
        if name not in known:
            detail = f"There is no assumption “{name}”. It may have been deleted; leave it out."
            raise Refused(422, "no-assumption", "No such assumption", detail, {"field": f"values.{name}"})
        refuse_outside(known[name], value, f"values.{name}", calendar.style_by(calendar.get(session)))


def drop_cases(session: Session, _: Any, key: str | None) -> None:
    """The cases of a scorecard go with it."""
    for case in records.list_all(session, "case"):
        if case.body["scorecard"] == key:
            records.remove(session, "case", case.id, case.version)


def bring_cases_back(session: Session, key: str) -> None:
    """The cases that went with a scorecard come back with it."""
    for case in records.list_deleted(session, "case"):
        if case.body.get("scorecard") == key:
            records.restore(session, "case", case.record_id)
