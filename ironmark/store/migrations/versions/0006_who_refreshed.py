"""Who brought a version of rows is kept with it"""

import sqlalchemy as sa
from alembic import op

revision = "0006"
down_revision = "0005"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("dataset_versions", sa.Column("saved_by", sa.String(120), nullable=False, server_default=""))


def downgrade() -> None:
    op.drop_column("dataset_versions", "saved_by")
