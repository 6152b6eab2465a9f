"""What was worked out of many rows, kept beside them"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.mysql import LONGBLOB

revision = "0023"
down_revision = "0022"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "worked_out",
        sa.Column("dataset_id", sa.String(80), sa.ForeignKey("datasets.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("what", sa.String(20), primary_key=True),
        sa.Column("rests", sa.String(80), nullable=False),
        sa.Column("body", LONGBLOB(), nullable=False),
    )


def downgrade() -> None:
    op.drop_table("worked_out")
