"""What goes with what it is about, indices of what is asked for by time and state, and a log of changes"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

from ironmark.clock import now

revision = "0019"
down_revision = "0018"
branch_labels = None
depends_on = None

# What was left of something that is gone: what it is called, its table, and when it is one.
LEFT = (
    ("pieces of rows whose version is gone", "dataset_segments",
     "NOT EXISTS (SELECT 1 FROM dataset_versions v WHERE v.dataset_id = t.dataset_id AND v.number = t.number)"),
    ("marks of KPIs that are gone", "mark_books",
     "NOT EXISTS (SELECT 1 FROM records r WHERE r.kind = 'kpi' AND r.id = t.kpi_id)"),
    ("notes of KPIs that are gone", "notes",
     "NOT EXISTS (SELECT 1 FROM records r WHERE r.kind = 'kpi' AND r.id = t.kpi_id)"),
    (None, "note_books", "NOT EXISTS (SELECT 1 FROM records r WHERE r.kind = 'kpi' AND r.id = t.kpi_id)"),
    (None, "glances", "NOT EXISTS (SELECT 1 FROM records r WHERE r.kind = 'scorecard' AND r.id = t.scorecard)"),
    ("links to editions that are gone", "links",
     "t.edition IS NOT NULL AND NOT EXISTS (SELECT 1 FROM editions e WHERE e.id = t.edition)"),
    (None, "link_tries", "NOT EXISTS (SELECT 1 FROM links l WHERE l.id = t.link)"),
)  # fmt: skip
OF_KIND = (("mark_books", "kpi", "kpi_id"), ("note_books", "kpi", "kpi_id"), ("glances", "scorecard", "scorecard"))


def upgrade() -> None:
    bind = op.get_bind()
    op.create_table(
        "change_log",
        sa.Column("number", sa.BigInteger(), primary_key=True),
        sa.Column("kind", sa.String(20), nullable=False),
        sa.Column("record_id", sa.String(80), nullable=False),
        sa.Column("at", mysql.DATETIME(fsp=6), nullable=False),
    )
    mended = []
    for called, table, where in LEFT:
        count = bind.execute(sa.text(f"DELETE FROM t USING {table} AS t WHERE {where}")).rowcount
        if count and called:
            mended.append(f"{count} {called}")
    bind.execute(
        sa.text("UPDATE standing_orders o LEFT JOIN editions e ON e.id = o.made SET o.made = NULL WHERE e.id IS NULL")
    )
    bind.execute(
        sa.text("INSERT IGNORE INTO note_books (kpi_id, version) SELECT DISTINCT kpi_id, 1 FROM notes")
    )  # an early note may have none
    if mended:
        notices = sa.table("notices", sa.column("kind"), sa.column("body", sa.JSON), sa.column("made_at"))
        op.bulk_insert(notices, [{"kind": "mended", "body": {"changes": [], "mended": mended}, "made_at": now()}])
    for table, kind, column in OF_KIND:
        op.add_column(table, sa.Column("of_kind", sa.String(20), sa.Computed(f"'{kind}'", persisted=True)))
        op.create_foreign_key(
            f"fk_{table}_{kind}", table, "records", ["of_kind", column], ["kind", "id"], ondelete="CASCADE"
        )
    for held in sa.inspect(bind).get_foreign_keys("dataset_segments"):
        op.drop_constraint(str(held["name"]), "dataset_segments", type_="foreignkey")
    op.create_foreign_key(
        "fk_dataset_segments_version", "dataset_segments", "dataset_versions",
        ["dataset_id", "number"], ["dataset_id", "number"], ondelete="CASCADE",
    )  # fmt: skip
    op.create_foreign_key("fk_notes_book", "notes", "note_books", ["kpi_id"], ["kpi_id"], ondelete="CASCADE")
    op.create_foreign_key("fk_links_edition", "links", "editions", ["edition"], ["id"], ondelete="CASCADE")
    op.create_foreign_key("fk_link_tries_link", "link_tries", "links", ["link"], ["id"], ondelete="CASCADE")
    op.create_foreign_key("fk_standing_made", "standing_orders", "editions", ["made"], ["id"], ondelete="SET NULL")
    op.create_index("ix_uploads_updated_at", "uploads", ["updated_at"])
    op.create_index("ix_upload_pieces_added_at", "upload_pieces", ["added_at"])
    op.create_index("ix_exports_state", "exports", ["state"])


def downgrade() -> None:
    op.drop_index("ix_exports_state", "exports")
    op.drop_index("ix_upload_pieces_added_at", "upload_pieces")
    op.drop_index("ix_uploads_updated_at", "uploads")
    for table, name in (
        ("standing_orders", "fk_standing_made"), ("link_tries", "fk_link_tries_link"), ("links", "fk_links_edition"),
        ("notes", "fk_notes_book"), ("dataset_segments", "fk_dataset_segments_version"),
    ):  # fmt: skip
        op.drop_constraint(name, table, type_="foreignkey")
    op.create_foreign_key(
        "dataset_segments_ibfk_1", "dataset_segments", "datasets", ["dataset_id"], ["id"], ondelete="CASCADE"
    )
    for table, kind, _ in OF_KIND:
        op.drop_constraint(f"fk_{table}_{kind}", table, type_="foreignkey")
        op.drop_column(table, "of_kind")
    op.drop_table("change_log")
