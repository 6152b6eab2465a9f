"""What is being taken out: drawn by the one worker, with its progress"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0013"
down_revision = "0012"
branch_labels = None
depends_on = None


def upgrade() -> None:
    moment = mysql.DATETIME(fsp=6)
    op.create_table(
        "exports",
        sa.Column("id", sa.String(80), primary_key=True),
        sa.Column("kind", sa.String(10), nullable=False),
        sa.Column("state", sa.String(10), nullable=False),
        sa.Column("stage", sa.String(200), nullable=False),
        sa.Column("share", mysql.DOUBLE(asdecimal=False), nullable=False),
        sa.Column("options", sa.JSON(), nullable=False),
        sa.Column("about", sa.JSON(), nullable=True),
        sa.Column("source", mysql.LONGBLOB(), nullable=False),
        sa.Column("file", mysql.LONGBLOB(), nullable=True),
        sa.Column("name", sa.String(200), nullable=False),
        sa.Column("problem", sa.JSON(), nullable=True),
        sa.Column("stopping", sa.Boolean(), nullable=False),
        sa.Column("tries", sa.Integer(), nullable=False),
        sa.Column("taken_by", sa.String(80), nullable=False),
        sa.Column("asked_at", moment, nullable=False, index=True),
        sa.Column("updated_at", moment, nullable=False),
    )


def downgrade() -> None:
    op.drop_table("exports")
