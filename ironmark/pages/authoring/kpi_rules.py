"""What has to hold before a KPI is kept or deleted, and what follows when it is renamed."""

from __future__ import annotations

from typing import Any

from sqlalchemy.orm import Session

from ironmark.core.dependencies import handles_in
from ironmark.core.formula import renamed
from ironmark.core.formula_nodes import FormulaError, never_a_flow
from ironmark.pages.context.reading_context import ReadingContext
from ironmark.pages.model.kpi import KpiBody
from ironmark.pages.model.problems import Refused
from ironmark.pages.reading.usages import refuse_in_use
from ironmark.store import marks, records


def check_kpi(session: Session, body: KpiBody, key: str | None) -> None:
    """A KPI is kept only when its formula fits its dataset and nobody else has its handle."""
    context = ReadingContext(None, session)  # type: ignore[arg-type]
    held = records.get(session, "kpi", key).body["handle"] if key is not None else body.handle
    # As it will be once this is saved: a formula that names it, by either handle, reads what it says now.
    context.by_handle.update({held: body, body.handle: body})
    made = context.expanded(body)
    if body.nature == "flow" and never_a_flow(made.formula):
        detail = (
            "A running total (to_date, rolling) is a level, and a share is a rate: neither adds up over time. "
            "Say stock for a level, rate for a share."
        )
        raise Refused(422, "no-flow", "This cannot be a flow", detail, {"field": "nature"})
    if body.composite:
        context.fetch([part.kpi for part in body.composite.parts])
        for part in body.composite.parts:
            if key is not None and part.kpi == key:
                raise FormulaError("a composite cannot be a part of itself; take it out", 0, 0)
            context.refuse_circle(context.kpi(part.kpi), (body.handle,))
    refuse_taken(session, body.handle, key)
    if key is not None:
        rename(session, held, body.handle)


def refuse_taken(session: Session, handle: str, key: str | None) -> None:
    """KPIs and assumptions are named alike in formulas: no two of them have one handle."""
    for kind in records.HANDLED:
        for other in records.list_all(session, kind):
            if other.id != key and other.body["handle"] == handle:
                detail = f"“{handle}” is the handle of {other.body['name']}. Choose another."
                raise Refused(409, "handle-taken", "The handle is taken", detail, {"field": "handle"})


def rename(session: Session, old: str, new: str) -> None:
    """Every formula that names a KPI or an assumption follows when its handle changes."""
    for other in records.list_all(session, "kpi") if old != new else ():
        text = renamed(other.body["formula"], old, new)
        if text != other.body["formula"]:
            records.save(session, "kpi", other.id, other.body | {"formula": text}, other.version)
    for key, formulas in marks.every_computed(session).items() if old != new else ():
        for name, formula in formulas.items():
            if (text := renamed(formula, old, new)) != formula:
                marks.compute(session, key, name, text, marks.version(session, key))


def may_delete_kpi(session: Session, _: Any, key: str | None) -> None:
    assert key is not None
    refuse_in_use(session, key, "kpi", "KPI")
    handle = records.get(session, "kpi", key).body["handle"]
    named = named_in(session, handle, key)
    for kpi in records.list_all(session, "kpi"):
        if any(part["kpi"] == key for part in (kpi.body.get("composite") or {}).get("parts", [])):
            named.append(kpi.body["name"])
    if named:
        raise Refused(409, "in-use", "The KPI is in use", f"It is named in {', '.join(named)}. Change those first.")
    marks.remove(session, key)


def named_in(session: Session, handle: str, key: str | None = None) -> list[str]:
    """What names a handle in its formula: KPIs, and computed marks but for those of the KPI ``key``."""
    named = [k.body["name"] for k in records.list_all(session, "kpi") if handle in handles_in(k.body["formula"])]
    for other, formulas in marks.every_computed(session).items():
        if other != key and handle in handles_in(*formulas.values()):
            named.append(f"a computed mark of {records.get(session, 'kpi', other).body['name']}")
    return named
