"""The table of faces, for the interface."""

from __future__ import annotations

from fastapi import APIRouter, Depends
from pydantic import BaseModel

from ironmark.api.access import reader
from ironmark.core.faces import TABLE, Face
from ironmark.core.kinds import KINDS
from ironmark.core.ramp import RAMPS

router = APIRouter(prefix="/api/faces", tags=["scorecards"], dependencies=[Depends(reader)])


@router.get("")
def list_faces() -> list[Face]:
    """Every face there is and what it can do, in the order in which they are offered."""
    return list(TABLE)


class Colours(BaseModel):
    """What an instrument can be coloured in besides its states: plain ones, and the ramps from their low end up."""

    plain: dict[str, str]
    ramps: dict[str, tuple[str, ...]]


@router.get("/colours")
def list_colours() -> Colours:
    return Colours(plain=KINDS, ramps=RAMPS)
