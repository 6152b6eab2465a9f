"""Told at once: an event whenever anything a page rests on has changed, as a stream of server-sent events."""

from __future__ import annotations

import asyncio
from collections.abc import AsyncIterator
from dataclasses import dataclass

from fastapi import APIRouter, Depends, Request
from fastapi.responses import StreamingResponse
from sqlalchemy.exc import DBAPIError
from starlette.concurrency import run_in_threadpool

from ironmark.api.access import Reader, reader
from ironmark.pages.context.source_registry import Sources
from ironmark.store import change_log

router = APIRouter(prefix="/api/changes", tags=["changes"])
LOOK_S = 1.0
BEAT_S = 15.0  # a line that says nothing, so that a connection that is gone is found out
LASTS_S = 600.0  # then the browser asks again by itself
MOST = 500  # who listens at once, to one process


@dataclass
class Changes:
    """Looks once a second for what all who listen share; not at all while nobody does."""

    sources: Sources
    listening: int = 0
    number: int = 0
    ended: bool = False
    _stamp: tuple[object, ...] | None = None
    _task: asyncio.Task[None] | None = None

    def end(self) -> None:
        """The server is told to end: nobody is kept waiting."""
        self.ended = True

    async def listen(self, request: Request) -> AsyncIterator[str]:
        self.listening += 1
        if self._task is None or self._task.done():
            self._task = asyncio.create_task(self._look())
        try:
            yield "retry: 2000\n\nevent: here\ndata: 0\n\n"
            told, quiet, left = self.number, 0.0, LASTS_S
            while not self.ended and left > 0 and not await request.is_disconnected():
                await asyncio.sleep(LOOK_S / 2)
                left -= LOOK_S / 2
                quiet += LOOK_S / 2
                if self.number != told:
                    told, quiet = self.number, 0.0
                    yield f"event: changed\ndata: {told}\n\n"
                elif quiet >= BEAT_S:
                    quiet = 0.0
                    yield ": here\n\n"
        finally:
            self.listening -= 1

    async def _look(self) -> None:
        while self.listening and not self.ended:
            stamp: tuple[object, ...] | None
            try:
                stamp = await run_in_threadpool(self._read)
            except DBAPIError:
                stamp = self._stamp  # the database is away; what changed meanwhile is told when it is back
            if self._stamp is not None and stamp != self._stamp:
                self.number += 1
            self._stamp = stamp
            await asyncio.sleep(LOOK_S)
        self._stamp = None

    def _read(self) -> tuple[object, ...]:
        with self.sources.readings() as session:
            return change_log.stamp(session)


@router.get("", response_class=StreamingResponse, responses={200: {"content": {"text/event-stream": {}}}})
async def changes(request: Request, who: Reader = Depends(reader)) -> StreamingResponse:
    """``changed`` whenever a document, marks, notes, rows or an edition were changed; what is in view is then asked for
    anew, which costs little where it does not rest on that."""
    listens: Changes = request.app.state.changes
    del who
    if listens.listening >= MOST or listens.ended:
        return StreamingResponse(iter(["retry: 30000\n\n"]), media_type="text/event-stream")
    return StreamingResponse(listens.listen(request), media_type="text/event-stream")
