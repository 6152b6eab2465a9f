"""Editions by the calendar, and lists of holidays"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0015"
down_revision = "0014"
branch_labels = None
depends_on = None


def upgrade() -> None:
    moment = mysql.DATETIME(fsp=6)
    op.create_table(
        "holidays",
        sa.Column("id", sa.String(80), primary_key=True),
        sa.Column("name", sa.String(200), nullable=False),
        sa.Column("days", sa.JSON(), nullable=False),
        sa.Column("made_at", moment, nullable=False),
    )
    op.create_table(
        "standing_orders",
        sa.Column("id", sa.String(80), primary_key=True),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("body", sa.JSON(), nullable=False),
        sa.Column("state", sa.String(10), nullable=False),
        sa.Column("said", sa.Text(), nullable=False),
        sa.Column("tries", sa.Integer(), nullable=False),
        sa.Column("due_at", moment, nullable=False, index=True),
        sa.Column("standing_for", sa.String(80), nullable=False),
        sa.Column("made", sa.String(80), nullable=True),
        sa.Column("made_at", moment, nullable=False),
        sa.Column("made_by", sa.String(120), nullable=False),
    )


def downgrade() -> None:
    op.drop_table("standing_orders")
    op.drop_table("holidays")
