"""The names marks have: those that always stand in the book, and those that somebody gave."""

from __future__ import annotations

from fastapi import APIRouter, Depends

from ironmark.api.access import Reader, reader
from ironmark.store import marks

router = APIRouter(prefix="/api/mark-names", tags=["marks"])


@router.get("")
def list_mark_names(who: Reader = Depends(reader)) -> list[str]:
    with who.read() as session:
        return marks.names(session)
