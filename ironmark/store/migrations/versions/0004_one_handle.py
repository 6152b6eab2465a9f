"""No two KPIs have one handle, whoever saves first"""

import json

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision = "0003"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("records", sa.Column("handle", sa.String(60, collation="utf8mb4_bin"), nullable=True))
    bind = op.get_bind()
    taken: set[str] = set()
    for key, body in bind.execute(sa.text("SELECT id, body FROM records WHERE kind = 'kpi' ORDER BY created_at, id")):
        handle = (json.loads(body) if isinstance(body, str) else body).get("handle")
        if handle and handle not in taken:  # of two that were let through once the first keeps it
            bind.execute(
                sa.text("UPDATE records SET handle = :handle WHERE kind = 'kpi' AND id = :key"),
                {"handle": handle, "key": key},
            )
            taken.add(handle)
    op.create_unique_constraint("one_handle", "records", ["handle"])


def downgrade() -> None:
    op.drop_constraint("one_handle", "records", type_="unique")
    op.drop_column("records", "handle")
