"""Ticks are none, the ends, the cuts or round ones; a dial says how its bands are named; a ring has 4 to 40 segments"""

import json
from collections.abc import Callable
from typing import Any

import sqlalchemy as sa
from alembic import op

revision = "0008"
down_revision = "0007"
branch_labels = None
depends_on = None


def upgrade() -> None:
    _change(_forth)


def downgrade() -> None:
    _change(_back)


def _forth(instrument: dict[str, Any]) -> None:
    if isinstance(instrument.get("ticks"), bool):
        instrument["ticks"] = "own" if instrument["ticks"] else "none"
    look = instrument.get("look", {})
    if isinstance(look.get("dial", {}).get("names"), bool):
        look["dial"]["names"] = "names" if look["dial"]["names"] else "none"
    count = look.get("ring", {}).get("segments")
    if count is not None and count > 1:
        look["ring"]["segments"] = min(max(count, 4), 40)


def _back(instrument: dict[str, Any]) -> None:
    instrument["ticks"] = instrument.get("ticks", "own") != "none"
    instrument.pop("tick_count", None)
    look = instrument.get("look", {})
    look.pop("column", None)
    for face, new in (
        ("dial", ("paint", "colours", "turned", "segments", "needle")),
        ("bar", ("full",)),
        ("ring", ("paint", "colours", "turned", "full")),
    ):
        for slot in new:
            look.get(face, {}).pop(slot, None)
    if "names" in look.get("dial", {}):
        look["dial"]["names"] = look["dial"]["names"] != "none"


def _change(change: Callable[[dict[str, Any]], None]) -> None:
    connection = op.get_bind()
    for key, text in connection.execute(sa.text("SELECT id, body FROM records WHERE kind = 'scorecard'")).all():
        body = json.loads(text)
        for section in body.get("sections", []):
            for instrument in section.get("instruments", []):
                change(instrument)
        connection.execute(
            sa.text("UPDATE records SET body = :body WHERE kind = 'scorecard' AND id = :key"),
            {"body": json.dumps(body, ensure_ascii=False), "key": key},
        )
