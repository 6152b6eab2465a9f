"""Watches, what they have told, and what is still to be sent"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.mysql import DATETIME

revision = "0022"
down_revision = "0021"
branch_labels = None
depends_on = None


def _moment(name: str, nullable: bool = False) -> sa.Column:  # type: ignore[type-arg]
    return sa.Column(name, DATETIME(fsp=6), nullable=nullable)


def upgrade() -> None:
    told = sa.String(300, collation="utf8mb4_bin")
    op.create_table(
        "watches",
        sa.Column("id", sa.String(80), primary_key=True),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("account", sa.String(80), sa.ForeignKey("accounts.id", ondelete="CASCADE"), index=True),
        sa.Column("name", sa.String(200), nullable=False),
        sa.Column("body", sa.JSON(), nullable=False),
        sa.Column("said", sa.Text(), nullable=False),
        sa.Column("stamp", sa.String(120), nullable=False),
        _moment("look_at", nullable=True),
        _moment("made_at"),
        _moment("saved_at"),
    )
    op.create_table(
        "watch_memories",
        sa.Column("watch", sa.String(80), sa.ForeignKey("watches.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("whose", told, primary_key=True),
        sa.Column("body", sa.JSON(), nullable=False),
    )
    op.create_table(
        "messages",
        sa.Column("number", sa.BigInteger(), primary_key=True, autoincrement=True),
        sa.Column("id", sa.String(80), nullable=False, unique=True),
        sa.Column("watch", sa.String(80), sa.ForeignKey("watches.id", ondelete="SET NULL"), index=True),
        sa.Column("whose", told, nullable=False),
        sa.Column("account", sa.String(80), sa.ForeignKey("accounts.id", ondelete="CASCADE")),
        _moment("at"),
        sa.Column("about", sa.String(100), nullable=False, index=True),
        sa.Column("title", sa.String(300), nullable=False),
        sa.Column("body", sa.JSON(), nullable=False),
        _moment("read_at", nullable=True),
        sa.Index("ix_messages_whose", "whose", "number"),
    )
    op.create_table(
        "deliveries",
        sa.Column("id", sa.String(80), primary_key=True),
        sa.Column("messages", sa.JSON(), nullable=False),
        sa.Column("watch", sa.String(80), sa.ForeignKey("watches.id", ondelete="SET NULL"), index=True),
        sa.Column("channel", sa.String(10), nullable=False),
        sa.Column("to", told, nullable=False),
        sa.Column("digest", sa.String(10), nullable=False),
        sa.Column("state", sa.String(10), nullable=False),
        sa.Column("tries", sa.Integer(), nullable=False),
        sa.Column("said", sa.Text(), nullable=False),
        _moment("made_at"),
        _moment("due_at"),
        _moment("sent_at", nullable=True),
        sa.Column("bundle", sa.String(80)),
        sa.Index("ix_deliveries_due", "state", "due_at"),
    )
    op.create_table(
        "hooks",
        sa.Column("id", sa.String(80), primary_key=True),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(200), nullable=False),
        sa.Column("url", sa.String(1000), nullable=False),
        sa.Column("secret", sa.String(400), nullable=False),
        sa.Column("older", sa.String(400), nullable=False),
        _moment("older_until", nullable=True),
        _moment("made_at"),
    )

    for table in ("change_log", "exports"):
        op.add_column(table, sa.Column("request", sa.String(40), nullable=False, server_default=""))


def downgrade() -> None:
    for table in ("change_log", "exports"):
        op.drop_column(table, "request")
    for table in ("hooks", "deliveries", "messages", "watch_memories", "watches"):
        op.drop_table(table)
