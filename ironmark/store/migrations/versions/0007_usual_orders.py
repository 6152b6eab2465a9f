"""The order nobody chose is told from the one somebody did: periods then stand in time"""

import json

import sqlalchemy as sa
from alembic import op

revision = "0007"
down_revision = "0006"
branch_labels = None
depends_on = None


def upgrade() -> None:
    _rename("gap", None)


def downgrade() -> None:
    _rename(None, "gap")


def _rename(old: str | None, new: str | None) -> None:
    connection = op.get_bind()
    for key, text in connection.execute(sa.text("SELECT id, body FROM records WHERE kind = 'scorecard'")).all():
        body = json.loads(text)
        for section in body.get("sections", []):
            for instrument in section.get("instruments", []):
                if instrument.get("order", "gap") == old:
                    instrument["order"] = new
        connection.execute(
            sa.text("UPDATE records SET body = :body WHERE kind = 'scorecard' AND id = :key"),
            {"body": json.dumps(body, ensure_ascii=False), "key": key},
        )
