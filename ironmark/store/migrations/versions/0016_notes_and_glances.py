"""Notes on readings, and how scorecards stood"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0016"
down_revision = "0015"
branch_labels = None
depends_on = None


def upgrade() -> None:
    moment = mysql.DATETIME(fsp=6)
    op.create_table(
        "notes",
        sa.Column("id", sa.String(80), primary_key=True),
        sa.Column("kpi_id", sa.String(80), nullable=False, index=True),
        sa.Column("narrow", sa.Text(), nullable=False),
        sa.Column("members", sa.JSON(), nullable=False),
        sa.Column("period", sa.String(700), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("text", sa.Text(), nullable=False),
        sa.Column("value", mysql.DOUBLE(asdecimal=False), nullable=True),
        sa.Column("made_at", moment, nullable=False),
        sa.Column("made_by", sa.String(120), nullable=False),
        sa.Column("saved_at", moment, nullable=False, index=True),
        sa.Column("saved_by", sa.String(120), nullable=False),
    )
    op.create_table(
        "note_books",
        sa.Column("kpi_id", sa.String(80), primary_key=True),
        sa.Column("version", sa.Integer(), nullable=False),
    )
    op.create_table(
        "glances",
        sa.Column("scorecard", sa.String(80), primary_key=True),
        sa.Column("number", sa.Integer(), primary_key=True, autoincrement=False),
        sa.Column("at", moment, nullable=False, index=True),
        sa.Column("rests", sa.String(64), nullable=False),
        sa.Column("body", mysql.LONGBLOB(), nullable=False),
        sa.Column("drawing", mysql.LONGBLOB(), nullable=False),
    )


def downgrade() -> None:
    op.drop_table("glances")
    op.drop_table("note_books")
    op.drop_table("notes")
