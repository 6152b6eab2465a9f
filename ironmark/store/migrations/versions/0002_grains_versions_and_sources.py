"""Marks from any period on and computed marks, versions of rows, kinds of datasets, who saved what"""

import sqlalchemy as sa
from alembic import op

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.alter_column("marks", "since", new_column_name="month", existing_type=sa.Integer(), existing_nullable=False)
    op.add_column("marks", sa.Column("since", sa.String(length=24), nullable=False, server_default=""))
    op.execute("UPDATE marks SET since = CONCAT(LPAD(month DIV 12, 4, '0'), '-', LPAD(month % 12 + 1, 2, '0'))")
    # The foreign key of marks leans on this index until another one begins with kpi_id.
    op.create_unique_constraint("uq_marks_from", "marks", ["kpi_id", "name", "segment", "member", "since"])
    op.drop_constraint("uq_marks_place", "marks", type_="unique")
    op.drop_column("marks", "month")
    op.alter_column("marks", "since", existing_type=sa.String(length=24), existing_nullable=False, server_default=None)
    op.add_column("mark_books", sa.Column("computed", sa.JSON(), nullable=True))

    op.add_column("datasets", sa.Column("kind", sa.String(length=20), nullable=False, server_default="file"))
    op.add_column("datasets", sa.Column("settings", sa.JSON(), nullable=True))
    op.add_column("datasets", sa.Column("secret", sa.String(length=400), nullable=False, server_default=""))
    op.add_column("datasets", sa.Column("token", sa.String(length=64), nullable=False, server_default=""))
    op.add_column("dataset_versions", sa.Column("how", sa.String(length=20), nullable=False, server_default="first"))
    op.add_column("dataset_versions", sa.Column("changes", sa.JSON(), nullable=True))
    op.add_column("dataset_versions", sa.Column("columns", sa.JSON(), nullable=True))
    op.add_column("dataset_versions", sa.Column("problems", sa.JSON(), nullable=True))
    op.add_column("dataset_versions", sa.Column("through", sa.Date(), nullable=True))

    op.add_column("records", sa.Column("saved_by", sa.String(length=120), nullable=False, server_default=""))
    op.add_column("revisions", sa.Column("saved_by", sa.String(length=120), nullable=False, server_default=""))


def downgrade() -> None:
    raise NotImplementedError("marks from quarters and years have no place in the older tables")
