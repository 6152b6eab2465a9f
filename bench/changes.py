"""Whether anything was changed, asked once a second by everybody who has the product open: the end of the log, beside the
sums over whole tables that told it before; and what a change costs with the log and without."""

from __future__ import annotations

from collections.abc import Callable

from sqlalchemy import insert, text
from sqlalchemy.orm import Session

from bench.measure import report, side_by_side
from ironmark.clock import now
from ironmark.store import change_log
from ironmark.store.models import Record
from tests import world

DOCUMENTS, RUNS = 20_000, 30
SUMS = (
    "SELECT (SELECT COUNT(*) FROM records), (SELECT SUM(version) FROM records), (SELECT MAX(number) FROM revisions), "
    "(SELECT SUM(version) FROM mark_books), (SELECT COUNT(*) FROM datasets), (SELECT SUM(version) FROM datasets), "
    "(SELECT COUNT(*) FROM editions), (SELECT SUM(version) FROM editions), (SELECT SUM(version) FROM note_books)"
)
ONE = "UPDATE records SET version = version + 1 WHERE kind = 'kpi' AND id = 'bench-1'"


def main() -> None:
    with Session(world.engine()) as session:
        rows = [
            {"kind": "kpi", "id": f"bench-{at}", "version": 1, "body": {}, "created_at": now(), "updated_at": now()}
            for at in range(DOCUMENTS)
        ]
        session.execute(insert(Record), rows)
        session.commit()
        try:
            print(f"\nBeside {DOCUMENTS:,} documents")
            asked: dict[str, Callable[[], object]] = {
                "the end of the log": lambda: change_log.stamp(session),
                "sums over whole tables": lambda: session.connection().exec_driver_sql(SUMS).one(),
            }
            report(
                "Was anything changed?",
                side_by_side(asked, RUNS),
                "the end of the log",
                {"sums over whole tables": (0.1, "at most")},
            )

            def change(logged: bool) -> None:
                session.execute(text(ONE))
                if logged:
                    change_log.append(session, ("kpi", "bench-1"))
                session.commit()

            made: dict[str, Callable[[], object]] = {
                "with the log": lambda: change(True),
                "without": lambda: change(False),
            }
            report("A change, committed", side_by_side(made, RUNS), "with the log", {})
        finally:
            session.execute(text("DELETE FROM records WHERE id LIKE 'bench-%'"))
            session.commit()
