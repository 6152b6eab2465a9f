"""Rows that are read anew by the clock, and the lease of the one worker that does it"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0010"
down_revision = "0009"
branch_labels = None
depends_on = None


def upgrade() -> None:
    moment = mysql.DATETIME(fsp=6)
    op.create_table(
        "refreshes",
        sa.Column("dataset_id", sa.String(80), sa.ForeignKey("datasets.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("body", sa.JSON(), nullable=False),
        sa.Column("token", sa.String(400), nullable=False),
        sa.Column("state", sa.String(10), nullable=False),
        sa.Column("said", sa.Text(), nullable=False),
        sa.Column("tries", sa.Integer(), nullable=False),
        sa.Column("held", sa.Integer(), nullable=True),
        sa.Column("due_at", moment, nullable=False, index=True),
        sa.Column("read_at", moment, nullable=True),
    )
    op.create_table(
        "leases",
        sa.Column("name", sa.String(40), primary_key=True),
        sa.Column("holder", sa.String(80), nullable=False),
        sa.Column("until", moment, nullable=False),
    )


def downgrade() -> None:
    op.drop_table("leases")
    op.drop_table("refreshes")
