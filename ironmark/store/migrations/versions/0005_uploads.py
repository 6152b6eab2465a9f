"""Uploads are known to every server process"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "uploads",
        sa.Column("id", sa.String(80), primary_key=True),
        sa.Column("state", sa.String(10), nullable=False),
        sa.Column("stage", sa.String(200), nullable=False),
        sa.Column("share", sa.Double(), nullable=False),
        sa.Column("dataset", sa.String(80), nullable=True),
        sa.Column("problem", sa.JSON(), nullable=True),
        sa.Column("stopping", sa.Boolean(), nullable=False),
        sa.Column("updated_at", mysql.DATETIME(fsp=6), nullable=False),
    )


def downgrade() -> None:
    op.drop_table("uploads")
