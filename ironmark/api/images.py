"""Pictures that stand on pages."""

from __future__ import annotations

from fastapi import APIRouter, Depends, Response, UploadFile
from pydantic import BaseModel

from ironmark.api.access import Reader, reader
from ironmark.api.upload_files import body_of
from ironmark.pages.authoring.images import harmless, key_of
from ironmark.store import images

router = APIRouter(prefix="/api/images", tags=["scorecards"])
TYPES = {"png": "image/png", "jpeg": "image/jpeg", "svg": "image/svg+xml"}
# Opened by itself a drawing is a document: it runs nothing and fetches nothing.
POLICY = "default-src 'none'; style-src 'unsafe-inline'; img-src data:; sandbox"


class KeptPicture(BaseModel):
    id: str
    kind: str


@router.post("", status_code=201)
def keep_image(file: UploadFile, who: Reader = Depends(reader)) -> KeptPicture:
    """Take a PNG, JPEG or SVG; of a drawing only what draws is kept."""
    kind, body = harmless(body_of(file))
    key = key_of(body)
    with who.write() as session:
        images.keep(session, key, kind, body)
    return KeptPicture(id=key, kind=kind)


@router.get("/{key}", response_class=Response, responses={200: {"content": {media: {} for media in TYPES.values()}}})
def get_image(key: str, who: Reader = Depends(reader)) -> Response:
    with who.read() as session:
        found = images.get(session, key)
    head = {"Content-Security-Policy": POLICY, "Cache-Control": "private, max-age=31536000, immutable"}
    return Response(found.body, headers=head, media_type=TYPES[found.kind])
