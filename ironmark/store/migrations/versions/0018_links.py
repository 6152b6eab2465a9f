"""Links that let something be taken, one for each reader, tries of a password by who tries, kept secrets and files"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0018"
down_revision = "0017"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("links", sa.Column("takes", sa.JSON(), nullable=True))
    op.add_column("links", sa.Column("reader", sa.String(120), nullable=False, server_default=""))
    op.create_table(
        "link_tries",
        sa.Column("link", sa.String(80), primary_key=True),
        sa.Column("who", sa.String(64), primary_key=True),
        sa.Column("failures", sa.Integer(), nullable=False),
        sa.Column("wait_until", mysql.DATETIME(fsp=6), nullable=True),
        sa.Column("tried_at", mysql.DATETIME(fsp=6), nullable=False, index=True),
    )
    op.create_table(
        "kept_keys",
        sa.Column("name", sa.String(40), primary_key=True),
        sa.Column("value", mysql.TINYBLOB(), nullable=False),
    )
    op.create_table(
        "kept_files",
        sa.Column("name", sa.String(40), primary_key=True),
        sa.Column("file_name", sa.String(200), nullable=False),
        sa.Column("body", mysql.LONGBLOB(), nullable=False),
        sa.Column("kept_at", mysql.DATETIME(fsp=6), nullable=False),
    )
    op.drop_column("links", "failures")
    op.drop_column("links", "wait_until")


def downgrade() -> None:
    op.add_column("links", sa.Column("failures", sa.Integer(), nullable=False, server_default="0"))
    op.add_column("links", sa.Column("wait_until", mysql.DATETIME(fsp=6), nullable=True))
    op.drop_table("kept_files")
    op.drop_table("kept_keys")
    op.drop_table("link_tries")
    op.drop_column("links", "reader")
    op.drop_column("links", "takes")
