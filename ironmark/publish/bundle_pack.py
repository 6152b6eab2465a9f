"""Documents gathered for a bundle, with all that they rest on."""

from __future__ import annotations

import json
from collections.abc import Iterable
from dataclasses import asdict
from typing import Any

from sqlalchemy.orm import Session

from ironmark.core.dependencies import handles_in
from ironmark.pages.model.kpi import KpiBody
from ironmark.pages.model.markdown import figures_of
from ironmark.pages.model.scorecard import ScorecardBody
from ironmark.publish.bundle_editions import packed_editions, packed_orders
from ironmark.publish.bundle_format import (
    KINDS,
    Bundle,
    Kind,
    Wanted,
    pictures_on,
    plain,
    written,
)
from ironmark.store import calendar, datasets, images, marks, notes, records, scratch
from ironmark.store.database import Missing
from ironmark.store.datasets import StoredDataset
from ironmark.tables.pieces import one_file


def pack(session: Session, scorecards: Iterable[str] | None = None, wanted: Wanted = Wanted()) -> bytes:
    """Everything, or some scorecards with all they rest on. Raises Missing."""
    return written(gathered(session, scorecards, wanted))


def gathered(session: Session, scorecards: Iterable[str] | None, with_: Wanted) -> Bundle:
    every = {kind: {d.id: plain(kind, d.body) for d in records.list_all(session, kind)} for kind in KINDS}
    stored = {one.id: one for one in datasets.list_all(session)}
    books = books_of(session, every["kpi"])
    bundle = Bundle(calendar={k: v for k, v in calendar.get(session).body.items() if k in ("year_start", "locale")})
    if scorecards is None:
        bundle.documents, wanted = every, set(stored)
    else:
        bundle.documents, wanted = _closure(every, books, stored, list(scorecards))
    bundle.books = {key: book for key, book in books.items() if key in bundle.documents["kpi"]}
    if with_.notes:
        bundle.notes = notes_of(session, bundle.documents["kpi"])
    if with_.editions:
        cards_too = None if scorecards is None else set(bundle.documents["scorecard"])
        bundle.kept["edition"] = packed_editions(session, cards_too)
        bundle.kept["order"], bundle.kept["holidays"] = packed_orders(session, cards_too)
    for one in stored.values():
        if one.id in wanted:
            bundle.datasets[one.id] = as_entry(one)
            if with_.rows and one.kind != "live":
                with scratch.folder("bundle") as folder:
                    bundle.rows[one.id] = one_file(datasets.raw(session, one), folder)
    cards = bundle.documents["scorecard"].values()
    kept = images.get_many(session, (key for body in cards for key in pictures_on(body)))
    bundle.pictures = {key: (found.kind, found.body) for key, found in kept.items()}
    return bundle


def books_of(session: Session, kpis: Iterable[str]) -> dict[str, dict[str, Any]]:
    keys = list(kpis)
    year_start = calendar.year_start_of(calendar.get(session))
    held = marks.books(session, keys)
    found = {}
    for key, entries in marks.entries(session, keys, year_start).items():
        listed: list[dict[str, Any]] = [
            {"name": e.name, "whose": e.owner.whose, "of": dict(e.owner.of), "since": e.since.key, "value": e.value}
            for e in entries
        ]
        computed: dict[str, str] = held[key][1] if key in held else {}
        if listed or computed:
            listed.sort(key=place_of)
            found[key] = {"entries": listed, "computed": computed}
    return found


def notes_of(session: Session, kpis: Iterable[str]) -> dict[str, dict[str, Any]]:
    found: dict[str, dict[str, Any]] = {}
    for note in notes.about(session, list(kpis)):
        found.setdefault(note.kpi, {})[note.id] = {
            "narrow": note.narrow, "members": note.members, "period": note.period, "text": note.text,
            "value": note.value, "saved_at": note.saved_at.isoformat(), "saved_by": note.saved_by,
        }  # fmt: skip
    return found


def place_of(entry: dict[str, Any]) -> str:
    return json.dumps([entry[name] for name in ("name", "whose", "of", "since")], sort_keys=True)


def as_entry(one: StoredDataset) -> dict[str, Any]:
    """A dataset without its rows, and without a password or a token."""
    settings = dict(one.settings)
    return {
        "name": one.name, "kind": one.kind, "file_name": one.file_name, "settings": settings,
        "through": one.through.isoformat() if one.through else None, "columns": [asdict(column) for column in one.own],
        "problems": [asdict(problem) for problem in one.problems],
    }  # fmt: skip


def _closure(
    every: dict[Kind, dict[str, dict[str, Any]]], books: dict[str, dict[str, Any]], stored: dict[str, StoredDataset],
    scorecards: list[str],
) -> tuple[dict[Kind, dict[str, dict[str, Any]]], set[str]]:  # fmt: skip
    """Some scorecards with everything they rest on."""
    for key in scorecards:
        if key not in every["scorecard"]:
            raise Missing("scorecard", key)
    cards = [ScorecardBody.model_validate(every["scorecard"][key]) for key in scorecards]
    instruments = [one for card in cards for section in card.sections for one in section.instruments]
    handles = {body["handle"]: (kind, key) for kind in ("kpi", "assumption") for key, body in every[kind].items()}  # type: ignore[index]
    texts = [text.text for card in cards for section in card.sections for text in section.texts]
    named = [span.handle for text in texts for span in figures_of(text) if span.handle in handles]
    kpis: set[str] = set()
    assumptions: set[str] = set()
    waiting = [key for one in instruments for key in one.kpis] + [k for h in named for kind, k in [handles[h]] if kind == "kpi"]  # fmt: skip
    graded = {one.yardstick for one in instruments} | {more.yardstick for one in instruments for more in one.further}
    while waiting:
        key = waiting.pop()
        if key in kpis or key not in every["kpi"]:
            continue
        kpis.add(key)
        body = KpiBody.model_validate(every["kpi"][key])
        graded |= {part.yardstick for part in body.composite.parts} if body.composite else set()
        waiting += [part.kpi for part in body.composite.parts] if body.composite else []
        for text in (body.formula, *books.get(key, {}).get("computed", {}).values()):
            for handle in handles_in(text):
                kind, its = handles.get(handle, ("", ""))
                waiting += [its] if kind == "kpi" else []
                assumptions |= {its} if kind == "assumption" else set()
    graded |= {key for key, body in every["yardstick"].items() if body.get("kpi") in kpis}
    palettes = {band.rpartition("-")[0] for key in graded if key in every["yardstick"] for band in every["yardstick"][key]["bands"]}  # type: ignore[index]  # fmt: skip
    wanted = {every["kpi"][key]["dataset"] for key in kpis} & stored.keys()
    for key in list(wanted):
        wanted |= _looked_into(stored, key)
    chosen: dict[Kind, set[Any]] = {
        "scorecard": set(scorecards), "kpi": kpis, "assumption": assumptions, "yardstick": graded, "palette": palettes,
        "case": {key for key, body in every["case"].items() if body["scorecard"] in scorecards},
    }  # fmt: skip
    return {kind: {key: body for key, body in every[kind].items() if key in chosen[kind]} for kind in KINDS}, wanted


def _looked_into(stored: dict[str, StoredDataset], key: str) -> set[str]:
    found: set[str] = set()
    waiting = [key]
    while waiting:
        one = stored.get(waiting.pop())
        for lookup in one.wide.lookups if one else ():
            if lookup.dataset not in found:
                found.add(lookup.dataset)
                waiting.append(lookup.dataset)
    return found
