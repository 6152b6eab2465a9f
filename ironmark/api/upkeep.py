"""How the server does: its health, figures for Prometheus, and the same as its owner reads it."""

from __future__ import annotations

import datetime as dt
import ipaddress

from anyio import CapacityLimiter, to_thread
from fastapi import APIRouter, Depends, Request, Response
from prometheus_client import CONTENT_TYPE_LATEST
from pydantic import BaseModel
from sqlalchemy.orm import Session

from ironmark import __version__
from ironmark.api.access import Reader, reader
from ironmark.api.signing import address_of
from ironmark.api.timestamps import moment
from ironmark.clock import now
from ironmark.pages.context.source_registry import Sources
from ironmark.publish.printer import there
from ironmark.store import exports, leases, outbox, refreshes, watches
from ironmark.store.database import Missing
from ironmark.work import meters

router = APIRouter(tags=["health"])
_OWN_THREAD = CapacityLimiter(2)  # so that it is answered however many others are worked on


class Health(BaseModel):
    """worker: whether some process does what is done without a request. printer: whether pages can be printed. oldest_unsent:
    seconds since the oldest message was made that should have been sent by now; null where none waits."""

    status: str
    database: str
    version: str
    worker: bool
    printer: bool
    oldest_unsent: float | None


class FailedSource(BaseModel):
    dataset: str
    said: str


class Upkeep(Health):
    """since: when the oldest unsent was made. waiting, failed: messages. drawing: pages that wait to be drawn. sources: those
    that could not be read by the clock; watches: those that cannot be answered, by name. rows, readings: entries of the caches
    of the process that answers, hits: how many of ten looks into them found what they looked for."""

    since: str | None
    waiting: int
    failed: int
    drawing: int
    sources: list[FailedSource]
    watches: list[str]
    rows: int
    readings: int
    hits: float


def _health(session: Session, oldest: dt.datetime | None) -> Health:
    return Health(
        status="ok", database="ok", version=__version__, worker=leases.anyone(session), printer=there(),
        oldest_unsent=_seconds(oldest),
    )  # fmt: skip


def _seconds(at: dt.datetime | None) -> float | None:
    return round((now() - at).total_seconds(), 1) if at is not None else None


@router.get("/api/health", responses={503: {"model": Health}})
async def health(who: Reader = Depends(reader)) -> Health:
    """Whether the server and its database answer, and whether what is done without a request is done."""

    def ask() -> Health:
        with who.sources.readings() as session:
            return _health(session, outbox.oldest_unsent(session))

    return await to_thread.run_sync(ask, limiter=_OWN_THREAD)


@router.get("/api/upkeep")
def upkeep(who: Reader = Depends(reader)) -> Upkeep:
    with who.sources.readings() as session:
        oldest = outbox.oldest_unsent(session)
        waiting, failed = outbox.counts(session)
        sources = [
            FailedSource(dataset=row.dataset_id, said=row.said)
            for row in refreshes.list_all(session)
            if row.state == "failed"
        ]
        silent = [row.name for row in watches.list_all(session) if row.said]
        held = who.sources.held()
        return Upkeep(
            **_health(session, oldest).model_dump(), since=moment(oldest), waiting=waiting, failed=failed,
            drawing=exports.waiting(session), sources=sources, watches=silent, **held,
        )  # fmt: skip


@router.get("/metrics", response_class=Response, include_in_schema=False)
def metrics(request: Request, who: Reader = Depends(reader)) -> Response:
    """For Prometheus: to this machine alone, unless the server was started with ``--metrics-to``."""
    allowed = request.app.state.metrics_to
    address = address_of(request.scope, request.app.state.signing)
    if not _is_allowed(address, allowed) or ("x-forwarded-for" in request.headers and address == _client(request)):
        raise Missing("page", "/metrics")
    with who.sources.readings() as session:
        text = meters.as_text(_now(session, who.sources))
    return Response(text, media_type=CONTENT_TYPE_LATEST)


def _client(request: Request) -> str:
    return request.client.host if request.client else ""


def _is_allowed(address: str, allowed: frozenset[str]) -> bool:
    try:
        return ipaddress.ip_address(address).is_loopback or address in allowed
    except ValueError:
        return False


def _now(session: Session, sources: Sources) -> dict[tuple[str, str], dict[tuple[str, ...], float]]:
    waiting, failed = outbox.counts(session)
    oldest = _seconds(outbox.oldest_unsent(session))
    failing = sum(1 for row in refreshes.list_all(session) if row.state == "failed")
    held = sources.held()
    return {
        ("ironmark_outbox_messages", "Messages that wait or were given up"): {("waiting",): waiting, ("given up",): failed},
        ("ironmark_outbox_oldest_seconds", "Since the oldest was made that should have been sent"): {(): oldest or 0.0},
        ("ironmark_sources_failing", "Datasets that could not be read by the clock"): {(): failing},
        ("ironmark_exports_waiting", "Pages that wait to be drawn"): {(): exports.waiting(session)},
        ("ironmark_worker_held", "Whether some process does what is done without a request"): {(): float(leases.anyone(session))},
        ("ironmark_cache_entries", "Entries of this process's caches"): {("rows",): held["rows"], ("readings",): held["readings"]},
        ("ironmark_cache_hits_ratio", "How many looks into them found something"): {(): held["hits"]},
    }  # fmt: skip
