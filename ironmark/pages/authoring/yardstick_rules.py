"""What has to hold before a yardstick is kept or deleted."""

from __future__ import annotations

from typing import Any

from sqlalchemy.orm import Session

from ironmark.core.nearest import did_you_mean
from ironmark.pages.context.reading_context import ReadingContext
from ironmark.pages.model.problems import Refused
from ironmark.pages.model.yardstick import YardstickBody
from ironmark.pages.reading.usages import refuse_in_use
from ironmark.store import marks, records


def check_yardstick(session: Session, body: YardstickBody, key: str | None) -> None:
    context = ReadingContext(None, session)  # type: ignore[arg-type]
    context.graded_by(body)
    if body.kpi:
        context.kpi(body.kpi)
    known = marks.names(session)
    for at, cut in enumerate(body.cuts):
        if cut.mark and cut.mark not in known:
            detail = (
                f"Cut {at + 1} is derived from “{cut.mark}”, and no mark has that name{did_you_mean(cut.mark, known)}."
            )
            if "did you mean" not in detail:
                detail += " Set one in the mark book first, or derive the cut from another."
            raise Refused(422, "no-mark", "No such mark", detail, {"field": f"cuts.{at}.mark"})


def may_delete_yardstick(session: Session, _: Any, key: str | None) -> None:
    assert key is not None
    refuse_in_use(session, key, "yardstick", "yardstick")
    for kpi in records.list_all(session, "kpi"):
        if any(part["yardstick"] == key for part in (kpi.body.get("composite") or {}).get("parts", [])):
            name = kpi.body["name"]
            detail = f"It grades a part of the composite {name}. Give that part another yardstick first."
            raise Refused(409, "in-use", "The yardstick is in use", detail)
