"""A page as plain HTML, for whoever reads it without scripts: its titles, and its readings as tables."""

from __future__ import annotations

from html import escape
from itertools import groupby

from ironmark.publish.export_page import ExportPage, Row

_HEADS = ("", "Value", "Mark", "State", "")


def as_plain(leaf: ExportPage) -> str:
    """What stands in the page until its script draws over it."""
    lead = [leaf.heading, leaf.published_words, f"Data through {leaf.through_words}" if leaf.through else ""]
    parts = [f"<h1>{escape(leaf.title)}</h1>", f"<p>{escape('. '.join(part for part in lead if part))}</p>"]
    if leaf.about and leaf.about.note:
        parts.append(f"<p>{escape(leaf.about.note)}</p>")
    for section, rows in groupby(leaf.rows, lambda row: row.section):
        parts.append(f"<h2>{escape(section)}</h2>")
        parts += [_table(title, list(own)) for title, own in groupby(rows, lambda row: row.instrument)]
    for note in leaf.picture.notes:
        parts.append(f"<p>{escape(leaf.notes.get(note.about, ''))}</p>")
    return f'<main class="page plain-page">{"".join(parts)}</main>'


def _table(title: str, rows: list[Row]) -> str:
    lines = "".join(f"<tr>{''.join(f'<td>{escape(cell)}</td>' for cell in _cells(row))}</tr>" for row in rows)
    heads = "".join(f'<th scope="col">{head}</th>' for head in _HEADS)
    return f"<table><caption>{escape(title)}</caption><thead><tr>{heads}</tr></thead><tbody>{lines}</tbody></table>"


def _cells(row: Row) -> tuple[str, ...]:
    who = " · ".join(part for part in (row.member or row.kpi, row.period_name, row.partial) if part)
    mark = f"{row.mark_name} {row.mark_shown}".strip()
    return who, row.shown, mark, row.state or row.status.replace("_", " "), row.note or row.reason
