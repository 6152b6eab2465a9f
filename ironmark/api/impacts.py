"""What a change of a shared yardstick does to every instrument that uses it."""

from __future__ import annotations

from fastapi import APIRouter, Depends

from ironmark.api.access import Reader, reader
from ironmark.pages.authoring.yardstick_impact import Impact, ImpactAsk, impacts_of

router = APIRouter(prefix="/api/yardsticks", tags=["yardsticks"])


@router.post("/{key}/impact")
def yardstick_impact(key: str, ask: ImpactAsk, who: Reader = Depends(reader)) -> list[Impact]:
    """Which readings, on all scorecards, would be in another state."""
    return who.look(lambda context: impacts_of(context, key, ask))
