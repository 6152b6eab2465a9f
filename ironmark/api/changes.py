"""Told at once: an event whenever anything a page rests on has changed, as a stream of server-sent events."""

from __future__ import annotations

import asyncio
from collections.abc import AsyncIterator
from dataclasses import dataclass

from fastapi import APIRouter, Depends, Request
from sqlalchemy.exc import DBAPIError
from sse_starlette import EventSourceResponse, ServerSentEvent
from starlette.concurrency import run_in_threadpool

from ironmark.api.access import Reader, reader
from ironmark.pages.context.source_registry import Sources
from ironmark.store import change_log, outbox

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
    told: int = 0
    ended: bool = False
    _stamp: tuple[change_log.Stamp, int] | None = None
    _task: asyncio.Task[None] | None = None

    def end(self) -> None:
        """The server is told to end: nobody is kept waiting."""
        self.ended = True

    async def listen(self) -> AsyncIterator[ServerSentEvent]:
        self.listening += 1
        if self._task is None or self._task.done():
            self._task = asyncio.create_task(self._look())
        try:
            yield ServerSentEvent("0", event="here", retry=2_000)
            changed, told, left = self.number, self.told, LASTS_S
            while not self.ended and left > 0:
                await asyncio.sleep(LOOK_S / 2)
                left -= LOOK_S / 2
                if self.number != changed:
                    changed = self.number
                    yield ServerSentEvent(str(changed), event="changed")
                if self.told != told:
                    told = self.told
                    yield ServerSentEvent(str(told), event="message")
        finally:
            self.listening -= 1

    async def _look(self) -> None:
        while self.listening and not self.ended:
            stamp: tuple[change_log.Stamp, int] | None
            try:
                stamp = await run_in_threadpool(self._read)
            except DBAPIError:
                stamp = self._stamp  # the database is away; what changed meanwhile is told when it is back
            if self._stamp is not None and stamp is not None:
                self.number += stamp[0] != self._stamp[0]
                self.told += stamp[1] != self._stamp[1]
            self._stamp = stamp
            await asyncio.sleep(LOOK_S)
        self._stamp = None

    def _read(self) -> tuple[change_log.Stamp, int]:
        with self.sources.readings() as session:
            return change_log.stamp(session), outbox.newest(session)


async def _later() -> AsyncIterator[ServerSentEvent]:
    yield ServerSentEvent(retry=30_000)


@router.get("", response_class=EventSourceResponse, responses={200: {"content": {"text/event-stream": {}}}})
async def changes(request: Request, who: Reader = Depends(reader)) -> EventSourceResponse:
    """``changed`` whenever a document, marks, notes, rows or an edition were changed; what is in view is then asked for
    anew, which costs little where it does not rest on that. ``message`` whenever somebody was told something."""
    listens: Changes = request.app.state.changes
    del who
    if listens.listening >= MOST or listens.ended:
        return EventSourceResponse(_later())
    return EventSourceResponse(listens.listen(), ping=BEAT_S)
