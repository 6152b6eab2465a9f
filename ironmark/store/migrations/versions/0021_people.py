"""Accounts, how they sign in, what is opened to whom, tokens of machines, and who did what"""

from typing import Any

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.mysql import DATETIME

revision = "0021"
down_revision = "0020"
branch_labels = None
depends_on = None

KEY, NAME, HASH = sa.String(80), sa.String(200), sa.String(64)
MOMENT = DATETIME(fsp=6)
EXACT = sa.String(254, collation="utf8mb4_bin")


def _column(name: str, kind: Any, **more: Any) -> sa.Column[Any]:
    return sa.Column(name, kind, **({"nullable": False} | more))


def _account(**more: Any) -> sa.Column[Any]:
    return sa.Column("account", KEY, sa.ForeignKey("accounts.id", ondelete="CASCADE"), **more)


def upgrade() -> None:
    op.create_table(
        "accounts",
        _column("id", KEY, primary_key=True),
        _column("version", sa.Integer()),
        _column("mail", EXACT, unique=True),
        _column("name", NAME),
        _column("role", sa.String(10)),
        _column("password", NAME),
        _column("second", sa.String(400)),
        _column("second_at", sa.BigInteger()),
        _column("recovery", sa.JSON()),
        _column("kept", sa.JSON()),
        _column("outside", EXACT, unique=True, nullable=True),
        _column("made_at", MOMENT),
        _column("seen_at", MOMENT, nullable=True),
        _column("ended_at", MOMENT, nullable=True),
    )
    op.create_table(
        "sittings",
        _column("id", HASH, primary_key=True),
        _account(nullable=False, index=True),
        _column("made_at", MOMENT),
        _column("used_at", MOMENT),
        _column("ends_at", MOMENT, index=True),
        _column("address", HASH),
        _column("browser", NAME),
    )
    op.create_table(
        "passes",
        _column("id", HASH, primary_key=True),
        _column("kind", sa.String(10), index=True),
        _account(nullable=True),
        _column("body", sa.JSON()),
        _column("ends_at", MOMENT, index=True),
    )
    op.create_table(
        "attempts",
        _column("who", HASH, primary_key=True),
        _column("failures", sa.Integer()),
        _column("wait_until", MOMENT, nullable=True),
        _column("tried_at", MOMENT, index=True),
    )
    op.create_table(
        "teams",
        _column("id", KEY, primary_key=True),
        _column("version", sa.Integer()),
        _column("name", NAME),
        _column("made_at", MOMENT),
    )
    op.create_table(
        "team_members",
        sa.Column("team", KEY, sa.ForeignKey("teams.id", ondelete="CASCADE"), primary_key=True),
        _account(primary_key=True, index=True),
        _column("by", sa.String(10)),
    )
    op.create_table(
        "openings",
        _column("kind", sa.String(20), primary_key=True),
        _column("id", NAME, primary_key=True),
        _column("version", sa.Integer()),
        _column("body", sa.JSON()),
    )
    op.create_table(
        "machine_tokens",
        _column("id", KEY, primary_key=True),
        _column("hash", HASH, unique=True),
        _column("name", NAME),
        _account(nullable=True),
        _column("verbs", sa.JSON()),
        _column("scorecards", sa.JSON()),
        _column("datasets", sa.JSON()),
        _column("made_at", MOMENT),
        _column("made_by", sa.String(120)),
        _column("ends_at", MOMENT, nullable=True),
        _column("used_at", MOMENT, nullable=True),
        _column("ended_at", MOMENT, nullable=True),
    )
    op.create_table(
        "trail",
        _column("number", sa.BigInteger(), primary_key=True),
        _column("at", MOMENT, index=True),
        _column("person", KEY, index=True),
        _column("who", sa.String(120)),
        _column("address", HASH),
        _column("verb", sa.String(20)),
        _column("kind", sa.String(20)),
        _column("record_id", NAME),
        _column("name", NAME),
        _column("changed", sa.JSON()),
        sa.Index("ix_trail_record", "kind", "record_id"),
    )
    op.create_table(
        "presence",
        _column("scorecard", KEY, primary_key=True),
        _account(primary_key=True, index=True),
        _column("at", MOMENT, index=True),
        _column("changing", sa.Boolean()),
    )
    op.create_table(
        "house_settings",
        _column("name", sa.String(40), primary_key=True),
        _column("version", sa.Integer()),
        _column("body", sa.JSON()),
    )
    for table, column in (("datasets", "secret"), ("refreshes", "token")):  # sealed, they are longer
        op.alter_column(table, column, type_=sa.String(1000), existing_type=sa.String(400), existing_nullable=False)
    # Tokens that machines upload with are tokens like all others from now on.
    op.execute(
        "INSERT INTO machine_tokens (id, hash, name, verbs, scorecards, datasets, made_at, made_by) "
        "SELECT CONCAT('uploads-', LEFT(token, 12)), token, LEFT(CONCAT('Uploads into ', name), 200), '[\"upload\"]', '[]', "
        "JSON_ARRAY(id), updated_at, '' FROM datasets WHERE token <> ''"
    )
    # Whose eyes an edition was made with, and who asked for a file; NULL for all rows, and for whoever has its key.
    op.add_column("editions", sa.Column("eyes", sa.JSON(), nullable=True))
    op.add_column("exports", sa.Column("asked_by", KEY, nullable=False, server_default=""))


def downgrade() -> None:
    op.drop_column("exports", "asked_by")
    op.drop_column("editions", "eyes")
    for table in (
        "house_settings", "presence", "trail", "machine_tokens", "openings", "team_members", "teams", "attempts", "passes", "sittings",
        "accounts",
    ):  # fmt: skip
        op.drop_table(table)
