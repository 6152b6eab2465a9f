"""Reading, writing and deleting versioned documents: the same for KPIs, yardsticks and scorecards."""

# Annotations are needed as objects here: a route's body type is a parameter of add_routes.
from collections.abc import Callable, Mapping
from typing import Any

from fastapi import APIRouter, Depends, Header, Query, Response
from pydantic import BaseModel
from sqlalchemy.orm import Session

from ironmark.api.access import Reader, reader
from ironmark.api.answers.saved import Saved
from ironmark.api.versions import seen_version
from ironmark.pages.model.field_types import Model
from ironmark.store import records
from ironmark.store.database import StaleVersion
from ironmark.store.records import Document, Kind

Merge = Callable[[Mapping[str, Any], Mapping[str, Any], Mapping[str, Any]], dict[str, Any] | None]
Check = Callable[[Session, Any, str | None], None]


class RevisionOut(BaseModel):
    """A form of a document: which version it was, who saved it and when. The newest is the one that holds now."""

    version: int
    saved_at: str
    saved_by: str
    body: dict[str, Any]


def saved(document: Document, out: type[Saved]) -> Any:
    return out(
        id=document.id,
        version=document.version,
        updated_at=document.updated_at.isoformat() + "Z",
        **{"body": document.body},
    )


def _saved(session: Session, kind: Kind, key: str, mine: dict[str, Any], saw: int, merge: Merge | None) -> Document:
    """Keep a form; where another one was saved since, and both can stand, what comes of both."""
    try:
        return records.save(session, kind, key, mine, saw)
    except StaleVersion as stale:
        base = records.at_version(session, kind, key, saw) if merge is not None else None
        if merge is None or base is None:
            raise
        both = merge(base, mine, records.get(session, kind, key).body)
        if both is None:
            raise
        return records.save(session, kind, key, both, stale.current)


def add_routes(
    router: APIRouter,
    kind: Kind,
    body: type[Model],
    out: type[Saved],
    *,
    name: str,
    check: Check,
    may_delete: Check,
    merge: Merge | None = None,
) -> None:
    """Give ``router`` the five routes of a document of ``kind``.

    check(session, body, key) runs before a body is kept and refuses what does not fit; may_delete(session,
    None, key) refuses to delete what is in use. merge(base, mine, theirs) makes one of two forms that both go back to a
    third, or None.
    """

    @router.get("", response_model=list[out], operation_id=f"list_{kind}s")  # type: ignore[valid-type]
    def list_all(who: Reader = Depends(reader)) -> Any:
        with who.read() as session:
            return [saved(document, out) for document in records.list_all(session, kind)]

    @router.post("", response_model=out, status_code=201, operation_id=f"create_{kind}")
    def create(content: body, response: Response, who: Reader = Depends(reader)) -> Any:  # type: ignore[valid-type]
        with who.write() as session:
            check(session, content, None)
            dumped = content.model_dump()  # type: ignore[attr-defined]
            document = records.create(session, kind, dumped, name=dumped[name])
        response.headers["ETag"] = f'"{document.version}"'
        return saved(document, out)

    @router.get("/{key}", response_model=out, operation_id=f"get_{kind}")
    def get(key: str, response: Response, who: Reader = Depends(reader)) -> Any:
        with who.read() as session:
            document = records.get(session, kind, key)
        response.headers["ETag"] = f'"{document.version}"'
        return saved(document, out)

    @router.put("/{key}", response_model=out, operation_id=f"save_{kind}")
    def save(
        key: str,
        content: body,  # type: ignore[valid-type]
        response: Response,
        if_match: str | None = Header(None),
        who: Reader = Depends(reader),
    ) -> Any:
        saw = seen_version(if_match)
        with who.write() as session:
            check(session, content, key)
            document = _saved(session, kind, key, content.model_dump(), saw, merge)  # type: ignore[attr-defined]
        response.headers["ETag"] = f'"{document.version}"'
        return saved(document, out)

    @router.delete("/{key}", status_code=204, operation_id=f"delete_{kind}")
    def delete(key: str, if_match: str | None = Header(None), who: Reader = Depends(reader)) -> None:
        saw = seen_version(if_match)
        with who.write() as session:
            records.get(session, kind, key)
            may_delete(session, None, key)
            records.remove(session, kind, key, saw)

    @router.get("/{key}/revisions", operation_id=f"list_{kind}_revisions")
    def revisions(
        key: str,
        before: int | None = Query(None, ge=1, le=1_000_000_000),
        limit: int = Query(50, ge=1, le=500),
        who: Reader = Depends(reader),
    ) -> list[RevisionOut]:
        """Its forms, the newest first, at most ``limit`` of those of versions below ``before``."""
        with who.read() as session:
            held = records.get_many(session, kind, [key]).get(key) if before is None else None
            every: list[Any] = records.revisions(session, kind, key, before, limit - (held is not None))
        now = [(held.version, held.updated_at, held.saved_by, held.body)] if held else []
        return [
            RevisionOut(version=version, saved_at=moment.isoformat() + "Z", saved_by=who, body=body)
            for version, moment, who, body in [*now, *((r.version, r.saved_at, r.saved_by, r.body) for r in every)]
        ]
