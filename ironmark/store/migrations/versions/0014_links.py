"""Links by which people without an account read one page"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0014"
down_revision = "0013"
branch_labels = None
depends_on = None


def upgrade() -> None:
    moment = mysql.DATETIME(fsp=6)
    op.create_table(
        "links",
        sa.Column("id", sa.String(80), primary_key=True),
        sa.Column("token", sa.String(64), nullable=False, unique=True),
        sa.Column("name", sa.String(200), nullable=False),
        sa.Column("edition", sa.String(80), nullable=True, index=True),
        sa.Column("scorecard", sa.String(80), nullable=True, index=True),
        sa.Column("scope", sa.JSON(), nullable=True),
        sa.Column("until", sa.Date(), nullable=False),
        sa.Column("password", sa.String(200), nullable=False),
        sa.Column("frames", sa.JSON(), nullable=False),
        sa.Column("workings", sa.Boolean(), nullable=False),
        sa.Column("readings", sa.Integer(), nullable=False),
        sa.Column("failures", sa.Integer(), nullable=False),
        sa.Column("wait_until", moment, nullable=True),
        sa.Column("made_at", moment, nullable=False),
        sa.Column("made_by", sa.String(120), nullable=False),
        sa.Column("ended_at", moment, nullable=True),
    )


def downgrade() -> None:
    op.drop_table("links")
