"""Whose marks are: what was any's of a sum becomes each member's or all together's, and is told"""

import json
import re
from collections import Counter

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

from ironmark import clock

revision = "0003"
down_revision = "0002"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("marks", sa.Column("whose", sa.String(length=10), nullable=False, server_default="member"))
    op.add_column("marks", sa.Column("segment2", sa.String(length=80), nullable=False, server_default=""))
    op.add_column("marks", sa.Column("member2", sa.String(length=200), nullable=False, server_default=""))
    op.create_table(
        "notices",
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("kind", sa.String(length=40), nullable=False),
        sa.Column("body", sa.JSON(), nullable=False),
        sa.Column("made_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.Column("read_at", mysql.DATETIME(fsp=6), nullable=True),
        sa.PrimaryKeyConstraint("number"),
    )
    op.create_unique_constraint(
        "uq_marks_owner", "marks", ["kpi_id", "name", "whose", "segment", "member", "segment2", "member2", "since"]
    )
    op.drop_constraint("uq_marks_from", "marks", type_="unique")
    op.execute("UPDATE marks SET whose = 'together', segment = '', member = '' WHERE segment = '*'")
    told = _any_of_sums(op.get_bind())
    op.execute("UPDATE marks SET whose = 'everyone' WHERE whose = 'member' AND segment = ''")
    if told:
        notices = sa.table("notices", sa.column("kind"), sa.column("body", sa.JSON), sa.column("made_at"))
        now = clock.now()
        op.bulk_insert(notices, [{"kind": "whose-marks", "body": {"changes": told}, "made_at": now}])


def _any_of_sums(bind: sa.Connection) -> list[dict[str, object]]:
    """Entries that were for any member of a sum, with what becomes of them."""
    told = []
    kpis = bind.execute(sa.text("SELECT id, body FROM records WHERE kind = 'kpi'")).all()
    for key, text in kpis:
        body = text if isinstance(text, dict) else json.loads(text)
        ratio = re.search(r"/|\b(mean|median|min|max|stdev)\b", body.get("formula", ""))
        if body.get("nature") == "rate" or (body.get("nature") == "stock" and ratio):
            continue
        entries = bind.execute(
            sa.text("SELECT number, name, segment, since, value, whose FROM marks WHERE kpi_id = :key"), {"key": key}
        ).all()
        for number, name, segment, since, value, whose in entries:
            if segment or whose != "member":
                continue
            own = Counter(other.segment for other in entries if other.name == name and other.segment)
            beside = min(own, key=lambda found: (-own[found], found)) if own else ""
            # All together may have its own entry from the same period already: that one holds.
            taken = not beside and any(
                other.name == name and other.whose == "together" and other.since == since for other in entries
            )
            if taken:
                bind.execute(sa.text("DELETE FROM marks WHERE number = :number"), {"number": number})
            else:
                bind.execute(
                    sa.text("UPDATE marks SET whose = :whose, segment = :segment WHERE number = :number"),
                    {"whose": "each" if beside else "together", "segment": beside, "number": number},
                )
            told.append(
                {
                    "kpi": key, "kpi_name": body.get("name", key), "mark": name, "since": since, "value": float(value),
                    "whose": "dropped" if taken else "each" if beside else "together", "segment": beside,
                }
            )  # fmt: skip
    return told


def downgrade() -> None:
    raise NotImplementedError("marks of two segments, of each and of everyone have no place in the older tables")
