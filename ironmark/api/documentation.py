"""The documentation of the API, drawn from its own description by a page that comes with a package."""

from __future__ import annotations

from importlib.resources import files
from pathlib import Path

from fastapi import APIRouter, FastAPI, Response
from fastapi.responses import HTMLResponse
from fastapi.staticfiles import StaticFiles

router = APIRouter(prefix="/api/docs", include_in_schema=False)
STATIC = Path(str(files("fastapi_offline"))) / "static"
PAGE = """<!doctype html>
<html lang="en-GB">
  <head>
    <meta charset="utf-8" />
    <meta name="viewport" content="width=device-width, initial-scale=1" />
    <title>Iron Mark: the API</title>
    <link rel="stylesheet" href="/api/docs/parts/swagger-ui.css" />
    <script src="/api/docs/parts/swagger-ui-bundle.js" defer></script>
    <script src="/api/docs/start.js" defer></script>
  </head>
  <body><div id="api"></div></body>
</html>
"""
START = """SwaggerUIBundle({ url: "/api/openapi.json", dom_id: "#api", validatorUrl: null, deepLinking: true,
  defaultModelsExpandDepth: 0, docExpansion: "none", filter: true })
"""


@router.get("")
def documentation() -> HTMLResponse:
    return HTMLResponse(PAGE)


@router.get("/start.js")
def start() -> Response:
    return Response(START, media_type="text/javascript")


def add_to(app: FastAPI) -> None:
    app.include_router(router)
    app.mount("/api/docs/parts", StaticFiles(directory=STATIC))
