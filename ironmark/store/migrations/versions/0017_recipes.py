"""How the rows of each version were read from their file"""

import sqlalchemy as sa
from alembic import op

revision = "0017"
down_revision = "0016"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("dataset_versions", sa.Column("recipe", sa.JSON(), nullable=True))


def downgrade() -> None:
    op.drop_column("dataset_versions", "recipe")
