"""How KPIs stand, as lists tell it: the newest glance of each, with what it was worked out from."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from typing import Any

from sqlalchemy import select
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.orm import Session

from ironmark.store.models import KpiGlance, Record

Held = tuple[dict[str, Any], dict[str, Any]]  # what it rests on, and what it says


def kept(session: Session, kpis: Collection[str]) -> dict[str, Held]:
    rows = session.execute(select(KpiGlance.kpi_id, KpiGlance.rests, KpiGlance.body).where(KpiGlance.kpi_id.in_(kpis)))
    return {row.kpi_id: (row.rests, row.body) for row in rows}


def put(session: Session, made: Mapping[str, Held]) -> None:
    """Keep glances in place of those that were kept; that of a KPI which is gone is not."""
    there = session.scalars(
        select(Record.id).where(Record.kind == "kpi", Record.id.in_(made)).with_for_update(read=True)
    )
    rows = [{"kpi_id": key, "rests": made[key][0], "body": made[key][1]} for key in sorted(there)]
    if rows:
        statement = insert(KpiGlance).values(rows)
        session.execute(statement.on_duplicate_key_update(rests=statement.inserted.rests, body=statement.inserted.body))
