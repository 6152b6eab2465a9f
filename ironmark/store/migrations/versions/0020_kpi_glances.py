"""How each KPI stands, as lists tell it"""

import sqlalchemy as sa
from alembic import op

revision = "0020"
down_revision = "0019"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "kpi_glances",
        sa.Column("kpi_id", sa.String(80), primary_key=True),
        sa.Column("rests", sa.JSON(), nullable=False),
        sa.Column("body", sa.JSON(), nullable=False),
        sa.Column("of_kind", sa.String(20), sa.Computed("'kpi'", persisted=True)),
        sa.ForeignKeyConstraint(
            ["of_kind", "kpi_id"], ["records.kind", "records.id"], ondelete="CASCADE", name="fk_kpi_glances_kpi"
        ),
    )


def downgrade() -> None:
    op.drop_table("kpi_glances")
