"""Everything, or a part, as one file: packed, looked at, and read."""

from __future__ import annotations

from contextlib import nullcontext

from fastapi import APIRouter, Depends, Query, Response, UploadFile

from ironmark.api.access import Reader, reader
from ironmark.api.downloads import download
from ironmark.api.upload_files import body_of
from ironmark.publish import bundle_format, bundle_pack
from ironmark.publish.bundle_format import Report
from ironmark.publish.bundle_unpack import Unpacking
from ironmark.publish.tidy import ZIP

router = APIRouter(prefix="/api/bundle", tags=["bundle"])


@router.get("", response_class=Response, responses={200: {"content": {ZIP: {}}}})
def pack_bundle(
    scorecard: list[str] = Query([], max_length=200), rows: bool = True, notes: bool = True, editions: bool = False,
    who: Reader = Depends(reader),
) -> Response:  # fmt: skip
    """Everything, or some scorecards with all they rest on. rows: with the rows of datasets, not their columns alone;
    editions: with editions, standing orders and holidays."""
    takes_long = who.going_through_many() if rows else nullcontext()
    with takes_long, who.sources.lent(who.sources.room if rows else 0), who.read() as session:
        made = bundle_pack.pack(session, scorecard or None, bundle_format.Wanted(rows, notes, editions))
    return download(made, "ironmark-bundle.zip", ZIP)


@router.post("/look")
def look_at_bundle(file: UploadFile, who: Reader = Depends(reader)) -> Report:
    """What reading a bundle would change. Nothing is."""
    held = bundle_format.read(body_of(file))
    with who.read() as session:
        return Unpacking(session, held).report()


@router.post("")
def read_bundle(file: UploadFile, replace: bool = False, who: Reader = Depends(reader)) -> Report:
    """Keep what is new in a bundle, and where ``replace`` says so what differs; all of it or nothing."""
    held = bundle_format.read(body_of(file))
    with who.write() as session:
        return Unpacking(session, held).carry_out(replace=replace)
