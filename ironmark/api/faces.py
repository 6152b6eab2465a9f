"""The table of faces, for the interface."""

from __future__ import annotations

from fastapi import APIRouter, Depends

from ironmark.api.who import reader
from ironmark.core.faces import TABLE, Face

router = APIRouter(prefix="/api/faces", tags=["scorecards"], dependencies=[Depends(reader)])


@router.get("")
def list_faces() -> list[Face]:
    """Every face there is and what it can do, in the order in which they are offered."""
    return list(TABLE)
