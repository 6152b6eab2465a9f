"""Files that are sent in pieces"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0011"
down_revision = "0010"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "upload_pieces",
        sa.Column("upload", sa.String(80), primary_key=True),
        sa.Column("place", sa.Integer(), primary_key=True, autoincrement=False),
        sa.Column("body", mysql.LONGBLOB(), nullable=False),
        sa.Column("size", sa.Integer(), nullable=False),
        sa.Column("added_at", mysql.DATETIME(fsp=6), nullable=False),
    )


def downgrade() -> None:
    op.drop_table("upload_pieces")
