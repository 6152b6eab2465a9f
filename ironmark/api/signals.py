"""One reading's signals: whether it says anything, where it is going, what moved it."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Depends, Query

from ironmark.api.access import Reader, reader
from ironmark.pages.signals.reading_signals import SignalsAsk, SignalsPicture, reading_signals

router = APIRouter(prefix="/api/kpis", tags=["kpis"])


@router.get("/{key}/signals")
def get_signals(key: str, ask: Annotated[SignalsAsk, Query()], who: Reader = Depends(reader)) -> SignalsPicture:
    """Everything the page of one reading's signals says."""
    return who.look(lambda context: reading_signals(context, key, ask))
