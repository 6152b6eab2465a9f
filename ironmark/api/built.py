"""The built front end, held in memory: it is served whatever else is being worked on."""

from __future__ import annotations

import mimetypes
from dataclasses import dataclass
from hashlib import sha256
from pathlib import Path

from fastapi import FastAPI, Request, Response
from starlette.exceptions import HTTPException

YEAR = "public, max-age=31536000, immutable"  # their names change with what is in them


@dataclass(frozen=True)
class Asset:
    body: bytes
    media: str
    tag: str


def _held(path: Path) -> Asset:
    body = path.read_bytes()
    media = mimetypes.guess_type(path.name)[0] or "application/octet-stream"
    text = media.startswith("text/") or media.endswith(("javascript", "json", "svg+xml"))
    return Asset(body, f"{media}; charset=utf-8" if text else media, f'"{sha256(body).hexdigest()[:16]}"')


def serve(app: FastAPI, folder: Path) -> None:
    """Serve what was built, where it was. folder: holds index.html and assets."""
    if not (folder / "assets").is_dir():
        return
    assets = {path.name: _held(path) for path in (folder / "assets").iterdir() if path.is_file()}
    index = _held(folder / "index.html")

    @app.api_route("/assets/{name}", methods=["GET", "HEAD"], include_in_schema=False)
    async def asset(name: str, request: Request) -> Response:
        if name not in assets:
            raise HTTPException(404)
        return _answer(assets[name], request, YEAR)

    @app.api_route("/", methods=["GET", "HEAD"], include_in_schema=False)
    async def page(request: Request) -> Response:
        return _answer(index, request, "no-cache")


def _answer(held: Asset, request: Request, kept: str) -> Response:
    headers = {"ETag": held.tag, "Cache-Control": kept}
    if request.headers.get("if-none-match") == held.tag:
        return Response(status_code=304, headers=headers)
    return Response(held.body, media_type=held.media, headers=headers)
