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
    op.execute(
        "UPDATE records SET body = JSON_SET(body, '$.per', 'month') WHERE kind = 'yardstick' AND JSON_VALUE(body, '$.per') = 'any'"
    )


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
    instrument.pop("colour", None)
    (instrument.get("ramp") or {}).pop("own", None)
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
    """What was kept before a change is changed too, so that it can be returned to."""
    connection = op.get_bind()
    for table, key in (("records", "id"), ("revisions", "number")):
        found = connection.execute(sa.text(f"SELECT {key}, body FROM {table} WHERE kind = 'scorecard'")).all()
        for place, text in found:
            body = json.loads(text or "null")
            if body is None:  # a deletion's own entry
                continue
            for section in body.get("sections", []):
                for instrument in section.get("instruments", []):
                    change(instrument)
            connection.execute(
                sa.text(f"UPDATE {table} SET body = :body WHERE kind = 'scorecard' AND {key} = :place"),
                {"body": json.dumps(body, ensure_ascii=False), "place": place},
            )
