"""Data that is late: read anew without success, or behind what other datasets know by a month or more."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass

from sqlalchemy.orm import Session

from ironmark.core.periods import Period
from ironmark.core.words import days_words
from ironmark.store import datasets, records, refreshes


@dataclass(frozen=True, slots=True)
class Late:
    """kpis: how many wait for it."""

    dataset: str
    name: str
    said: str
    kpis: int


def late_data(session: Session) -> list[Late]:
    """The datasets that some KPI reads and that are late, those that most KPIs wait for first.

    A file is behind where the last month it is complete for ended before that of the furthest other one; sheets and
    checklists are kept up by hand, and a live source is as far as its table is.
    """
    waits = Counter(str(document.body.get("dataset")) for document in records.list_all(session, "kpi"))
    every = {dataset.id: dataset for dataset in datasets.list_all(session) if waits[dataset.id]}
    trouble = {row.dataset_id: row for row in refreshes.list_all(session) if row.state in ("failed", "held")}
    months = {
        key: Period.of(dataset.through, "month", 1)
        for key, dataset in every.items()
        if dataset.through and dataset.kind == "file"
    }
    over = {
        key: month.ordinal if every[key].through == month.end else month.ordinal - 1 for key, month in months.items()
    }
    furthest = max(over, key=lambda key: over[key], default=None)
    found = []
    for key, dataset in every.items():
        said = ""
        if key in trouble:
            verb = "could not be read" if trouble[key].state == "failed" else "is held back"
            said = f"{verb}: {trouble[key].said}"
        elif key in over and furthest is not None and over[key] < over[furthest]:
            other = every[furthest]
            assert dataset.through is not None and other.through is not None
            through, ahead = days_words([dataset.through]), days_words([other.through])
            said = f"complete through {through}; {other.name} is through {ahead}"
        if said:
            found.append(Late(key, dataset.name, said, waits[key]))
    return sorted(found, key=lambda one: -one.kpis)
