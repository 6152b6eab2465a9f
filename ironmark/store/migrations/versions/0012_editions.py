"""Editions: frozen copies of scorecards"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0012"
down_revision = "0011"
branch_labels = None
depends_on = None


def upgrade() -> None:
    moment = mysql.DATETIME(fsp=6)
    op.create_table(
        "editions",
        sa.Column("id", sa.String(80), primary_key=True),
        sa.Column("scorecard", sa.String(80), nullable=False, index=True),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("suffix", sa.String(4), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("state", sa.String(10), nullable=False),
        sa.Column("title", sa.String(200), nullable=False),
        sa.Column("note", sa.Text(), nullable=False),
        sa.Column("period", sa.String(700), nullable=False),
        sa.Column("period_label", sa.String(700), nullable=False),
        sa.Column("made_at", moment, nullable=False),
        sa.Column("made_by", sa.String(120), nullable=False),
        sa.Column("published_at", moment, nullable=True),
        sa.Column("published_by", sa.String(120), nullable=False),
        sa.Column("withdrawn_at", moment, nullable=True),
        sa.Column("withdrawn_by", sa.String(120), nullable=False),
        sa.Column("why", sa.Text(), nullable=False),
        sa.Column("restated", sa.Integer(), nullable=True),
        sa.Column("checked", sa.String(64), nullable=False),
        sa.Column("standing", sa.String(80), nullable=True),
        sa.Column("standing_for", sa.String(80), nullable=True),
        sa.Column("body", mysql.LONGBLOB(), nullable=False),
        sa.UniqueConstraint("scorecard", "number", "suffix", name="uq_editions_number"),
        sa.UniqueConstraint("standing", "standing_for", name="uq_editions_standing"),
    )


def downgrade() -> None:
    op.drop_table("editions")
