"""Which versions there are now: of documents, mark books and datasets, told in one statement."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass, field

from sqlalchemy import Connection
from sqlalchemy.orm import Session

from ironmark.store.records import Kind

Told = dict[tuple[str, str], int]
BOOK, NOTES, DATASET, CALENDAR = "book", "notes", "dataset", "calendar"


def current(session: Session, documents: Mapping[Kind, Collection[str]], all_else: bool = False) -> Told:
    """Versions by kind and key; what there is not is left out.

    documents: keys by kind; with KPIs the versions of their mark books are told, of kind ``BOOK``, and of their notes,
    of kind ``NOTES``. all_else: with those of all
    datasets, of kind ``DATASET``, and of the calendar.
    """
    # Written out: building it anew for every request takes longer than the database takes to answer it.
    asked: list[str] = []
    if all_else:
        asked.append(f"SELECT '{DATASET}', id, version FROM datasets")
        asked.append(f"SELECT kind, id, version FROM records WHERE kind = '{CALENDAR}'")
    names: list[str] = []
    for kind, keys in documents.items():
        if not keys:
            continue
        places = ", ".join(["%s"] * len(keys))
        asked.append(f"SELECT kind, id, version FROM records WHERE kind = '{kind}' AND id IN ({places})")
        names += keys
        if kind == "kpi":
            for what, table in ((BOOK, "mark_books"), (NOTES, "note_books")):
                asked.append(f"SELECT '{what}', kpi_id, version FROM {table} WHERE kpi_id IN ({places})")
                names += keys
    if not asked:
        return {}
    rows = session.connection().exec_driver_sql(" UNION ALL ".join(asked), tuple(names))
    return {(kind, key): version for kind, key, version in rows}


_EVERY = (
    "SELECT kind, id, version FROM records WHERE kind <> 'scorecard' "
    f"UNION ALL SELECT '{BOOK}', kpi_id, version FROM mark_books UNION ALL SELECT '{DATASET}', id, version FROM datasets"
)


def every(session: Session) -> Told:
    """The versions of all that KPIs can rest on: documents but scorecards, mark books, datasets."""
    return {(kind, key): version for kind, key, version in session.connection().exec_driver_sql(_EVERY)}


@dataclass(frozen=True, slots=True)
class Question:
    """One statement that tells some versions there are now in one row; told: what it tells while nothing has changed."""

    statement: str
    names: tuple[str, ...]
    told: tuple[str | None, ...] = field(compare=False)


def question(
    documents: Mapping[str, Mapping[str, int]], marks: Mapping[str, int], notes: Mapping[str, int], rows: Mapping[str, int]
) -> Question:  # fmt: skip
    """For the versions of documents (by kind), mark books, notes and datasets, by key; 0 is that of what there is not."""
    parts, names, told = [], list[str](), list[str | None]()
    for table, column, held, also in (
        *(("records", "id", held, f"kind = '{kind}' AND ") for kind, held in documents.items()),
        ("mark_books", "kpi_id", marks, ""), ("note_books", "kpi_id", notes, ""), ("datasets", "id", rows, ""),
    ):  # fmt: skip
        places = ", ".join(["%s"] * len(held)) or "NULL"
        row = f"CONCAT({column}, ' ', version) ORDER BY {column} SEPARATOR '/'"
        parts.append(f"(SELECT GROUP_CONCAT({row}) FROM {table} WHERE {also}{column} IN ({places}))")
        names += held
        told.append("/".join(f"{key} {held[key]}" for key in sorted(held) if held[key]) or None)
    return Question(f"SELECT {', '.join(parts)}", tuple(names), tuple(told))


def answer(connection: Connection, asked: Question) -> tuple[str | None, ...]:
    return tuple(connection.exec_driver_sql(asked.statement, asked.names).one())
