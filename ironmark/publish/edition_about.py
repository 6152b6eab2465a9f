"""What is told about an edition wherever it goes."""

from __future__ import annotations

import datetime as dt

from ironmark.pages.publishing.editions import Frozen
from ironmark.publish.export_page import About
from ironmark.publish.proof import checksum
from ironmark.store.models import Edition

_CHECKSUMS: dict[str, str] = {}  # by edition: what one holds never changes


def about_of(row: Edition, frozen: Frozen) -> About:
    if row.id not in _CHECKSUMS:
        if len(_CHECKSUMS) > 1000:
            _CHECKSUMS.clear()
        _CHECKSUMS[row.id] = checksum(frozen.to_json())
    return About(
        id=row.id, number=f"{row.number}{row.suffix}", state=row.state, title=row.title, note=row.note,  # type: ignore[arg-type]
        made_at=_moment(row.made_at), made_by=row.made_by, published_at=_moment(row.published_at), published_by=row.published_by,
        withdrawn_at=_moment(row.withdrawn_at), withdrawn_by=row.withdrawn_by, why=row.why, sha256=_CHECKSUMS[row.id],
    )  # fmt: skip


def _moment(at: dt.datetime | None) -> str:
    return f"{at.isoformat()}Z" if at else ""
