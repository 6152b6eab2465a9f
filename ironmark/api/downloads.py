"""Files as answers."""

from __future__ import annotations

import re
from urllib.parse import quote

from fastapi import Response


def download(body: bytes, name: str, kind: str) -> Response:
    plain = re.sub(r"[^A-Za-z0-9. _-]", "_", name)
    disposition = f"attachment; filename=\"{plain}\"; filename*=UTF-8''{quote(name)}"
    return Response(body, media_type=kind, headers={"Content-Disposition": disposition})
