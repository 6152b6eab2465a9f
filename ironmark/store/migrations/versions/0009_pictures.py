"""Pictures that stand on pages"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0009"
down_revision = "0008"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "pictures",
        sa.Column("id", sa.String(80), primary_key=True),
        sa.Column("kind", sa.String(10), nullable=False),
        sa.Column("body", mysql.LONGBLOB(), nullable=False),
        sa.Column("created_at", mysql.DATETIME(fsp=6), nullable=False),
    )


def downgrade() -> None:
    op.drop_table("pictures")
