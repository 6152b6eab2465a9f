"""What a new version of the product changed in what is kept: listed once, until it was read."""

from __future__ import annotations

from fastapi import APIRouter, Depends
from pydantic import BaseModel

from ironmark.api.access import Reader, reader
from ironmark.core.numbers import show
from ironmark.core.periods import Period
from ironmark.store import notices

router = APIRouter(prefix="/api/notices", tags=["notices"])
BECAME = {
    "together": "now all together’s",
    "dropped": "taken out: all together has a mark of its own from then",
}


class MarkNotice(BaseModel):
    """An entry that was any member’s, and whose it is now."""

    kpi: str
    kpi_name: str
    mark: str
    since: str
    shown: str
    became: str


class NoticeOut(BaseModel):
    """changes: marks whose owner was settled; mended: what was left of something gone and was cleared away, in words."""

    id: int
    made_at: str
    changes: list[MarkNotice]
    mended: list[str]


@router.get("")
def list_notices(who: Reader = Depends(reader)) -> list[NoticeOut]:
    """Those that were not read yet."""
    with who.read() as session:
        context, found = who.context(session), notices.unread(session)
        context.fetch({change["kpi"] for notice in found for change in notice.body["changes"]})
        return [
            NoticeOut(
                id=notice.number,
                made_at=notice.made_at.isoformat() + "Z",
                mended=notice.body.get("mended", []),
                changes=[
                    MarkNotice(
                        kpi=change["kpi"], kpi_name=change["kpi_name"], mark=change["mark"],
                        since=Period.parse(change["since"], context.year_start).label,
                        shown=show(change["value"], context.kpis[change["kpi"]].unit.as_unit(), context.style) if change["kpi"] in context.kpis else str(change["value"]),
                        became=BECAME.get(change["whose"], f"now each {change['segment']}’s"),
                    )
                    for change in notice.body["changes"]
                ],
            )
            for notice in found
        ]  # fmt: skip


@router.post("/{number}/read", status_code=204)
def read_notice(number: int, who: Reader = Depends(reader)) -> None:
    """It is not told again."""
    with who.write() as session:
        notices.read(session, number)
