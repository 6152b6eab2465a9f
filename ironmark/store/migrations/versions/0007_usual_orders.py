"""The order nobody chose is told from the one somebody did, and that of names from the kept one"""

import json

import sqlalchemy as sa
from alembic import op

revision = "0007"
down_revision = "0006"
branch_labels = None
depends_on = None


def upgrade() -> None:
    # What was called the order by name was the one the members are kept in.
    _rename({"gap": None, "name": "kept"})


def downgrade() -> None:
    _rename({None: "gap", "kept": "name", "time": "gap"})


def _rename(orders: dict[str | None, str | None]) -> None:
    connection = op.get_bind()
    for key, text in connection.execute(sa.text("SELECT id, body FROM records WHERE kind = 'scorecard'")).all():
        body = json.loads(text)
        for section in body.get("sections", []):
            for instrument in section.get("instruments", []):
                order = instrument.get("order", "gap")
                instrument["order"] = orders.get(order, order)
        connection.execute(
            sa.text("UPDATE records SET body = :body WHERE kind = 'scorecard' AND id = :key"),
            {"body": json.dumps(body, ensure_ascii=False), "key": key},
        )
