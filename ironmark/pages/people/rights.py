"""What somebody sees and may do, from what is opened to whom. It is worked out once for each change of anything it rests on."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from typing import Any, cast

import polars as pl
from sqlalchemy.orm import Session

from ironmark.core.dependencies import handles_in
from ironmark.pages.context.source_registry import Sources
from ironmark.pages.context.version_cache import Seen
from ironmark.pages.model.markdown import figures_of
from ironmark.pages.model.scorecard import ScorecardBody
from ironmark.pages.people.openings import MAKERS, USUAL, Kind, OpeningBody, Person, RulesFrom, rows_for
from ironmark.store import accounts, change_log, datasets, eyes, marks, openings, records, refreshes
from ironmark.store.accounts import Role, Who
from ironmark.store.database import Missing
from ironmark.store.eyes import Eyes
from ironmark.store.people_models import Account
from ironmark.tables.cells import Within
from ironmark.tables.pieces import frames_of

RulesFromKey = tuple[str, str, str]  # a dataset, its column of people, that of members
NOBODY = "\x00"  # no member is called so: rows of it are none


@dataclass(frozen=True)
class _Card:
    title: str
    folder: str
    kpis: frozenset[str]


@dataclass(frozen=True)
class House:
    """Everything that rights follow from, as of one moment. lends: by dataset those whose columns or rows it has. people_of:
    by dataset that rules are taken from, its pairs of a person or team and a member."""

    stamp: change_log.Stamp
    opened: Mapping[tuple[str, str], OpeningBody]
    cards: Mapping[str, _Card]
    kpis: Mapping[str, frozenset[str]]  # the datasets that they are read from
    lends: Mapping[str, frozenset[str]]
    cases: Mapping[str, str]
    teams: Mapping[str, str]
    people_of: Mapping[RulesFromKey, tuple[tuple[str, str], ...]] = field(default_factory=dict)

    def opening(self, kind: Kind, key: str) -> OpeningBody:
        return self.opened.get((kind, key), USUAL[kind])

    def readers_of_card(self, key: str) -> list[str]:
        """Whom a scorecard is opened to: by itself, and by its folder."""
        folder = self.cards[key].folder
        by_folder = self.opening("folder", folder).read if folder else []
        return list(dict.fromkeys([*self.opening("scorecard", key).read, *by_folder]))

    def rests_on(self, kind: Kind, key: str) -> set[str]:
        """The datasets that the figures of a KPI, a scorecard or all in a folder are read from."""
        if kind == "kpi":
            return set(self.kpis.get(key, ()))
        cards = [card for one, card in self.cards.items() if (one if kind == "scorecard" else card.folder) == key]
        return {one for card in cards for kpi in card.kpis for one in self.kpis.get(kpi, ())}

    def may(self, person: Person, what: str, kind: Kind, key: str) -> bool:
        """Whether somebody may ``change`` something, keep a KPI's ``marks``, or write ``notes`` about it."""
        if person.role == "owner":
            return True
        if what == "notes":
            return person.is_among([MAKERS]) or any(
                self.opening("scorecard", one).notes == "readers" and person.is_among(self.readers_of_card(one))
                for one, card in self.cards.items()
                if key in card.kpis
            )
        subjects = list(getattr(self.opening(kind, key), what))
        if what == "change" and kind == "scorecard" and key in self.cards and self.cards[key].folder:
            folder = self.opened.get(("folder", self.cards[key].folder))
            subjects += folder.change if folder else []
        return person.is_among(subjects)


def house(session: Session, seen: Seen) -> House:
    """As it is now."""
    with eyes.of_all_rows(session):
        stamp = change_log.stamp(session)
        return seen.several({"": ("house", stamp)}, lambda _: {"": _house(session, stamp)})[""]


def _house(session: Session, stamp: change_log.Stamp) -> House:
    opened = {place: OpeningBody.model_validate(body) for place, (_, body) in openings.every(session).items()}
    kpis = records.list_all(session, "kpi")
    of = {kpi.id: str(kpi.body["dataset"]) for kpi in kpis}
    computed = marks.every_computed(session)
    by_handle = {kpi.body["handle"]: kpi.id for kpi in kpis}
    needs = {kpi.id: _named_by(kpi.body, computed.get(kpi.id, {}), by_handle) for kpi in kpis}
    taken: dict[str, set[str]] = {}
    every = datasets.list_all(session)
    for one in every:
        taken[one.id] = {lookup.dataset for lookup in one.wide.lookups}
    for row in refreshes.list_all(session):
        if origin := row.body.get("origin", {}).get("dataset"):
            taken.setdefault(row.dataset_id, set()).add(origin)
    tables = [body.rules_from for body in opened.values() if body.rules_from is not None]
    return House(
        stamp=stamp,
        opened=opened,
        cards={card.id: _card(card.body, needs, by_handle) for card in records.list_all(session, "scorecard")},
        kpis={kpi.id: frozenset(of[one] for one in _closure([kpi.id], needs) if one in of) for kpi in kpis},
        lends={key: frozenset(_closure([key], taken) - {key}) for key in taken},
        cases={case.id: str(case.body.get("scorecard", "")) for case in records.list_all(session, "case")},
        teams=accounts.team_names(session),
        people_of={_key(one): _pairs(session, one) for one in tables},
    )


def _key(told: RulesFrom) -> RulesFromKey:
    return told.dataset, told.person, told.member


def _pairs(session: Session, told: RulesFrom) -> tuple[tuple[str, str], ...]:
    """Who reads which member, as a dataset tells it; none where it is gone or has no such column."""
    try:
        rows = datasets.every_row(session, datasets.get(session, told.dataset))
    except Missing:
        return ()
    if told.person not in rows.columns or told.member not in rows.columns:
        return ()
    both = [told.person, told.member]
    found = pl.concat([frame.select(both).drop_nulls().unique() for frame in frames_of(rows, both)]).unique()
    return tuple((str(person).strip().casefold(), str(member)) for person, member in found.rows())


def _named_by(body: Mapping[str, Any], computed: Mapping[str, str], by_handle: Mapping[str, str]) -> set[str]:
    parts = (body.get("composite") or {}).get("parts", ())
    named = {by_handle[one] for one in handles_in(body["formula"], *computed.values()) if one in by_handle}
    return named | {part["kpi"] for part in parts}


def _card(body: Mapping[str, Any], needs: Mapping[str, set[str]], by_handle: Mapping[str, str]) -> _Card:
    card = ScorecardBody.model_validate(body)
    shown = {key for section in card.sections for one in section.instruments for key in one.kpis}
    for section in card.sections:
        for text in section.texts:
            shown |= {by_handle[span.handle] for span in figures_of(text.text) if span.handle in by_handle}
    return _Card(card.title, card.folder, frozenset(_closure(shown, needs)))


def _closure(first: Iterable[str], needs: Mapping[str, set[str]]) -> set[str]:
    found, left = set[str](), list(first)
    while left:
        key = left.pop()
        if key not in found:
            found.add(key)
            left += needs.get(key, ())
    return found


def person_of(session: Session, row: Account | Who) -> Person:
    """Whoever has an account, with their teams."""
    return Person(row.id, row.name, cast(Role, row.role), accounts.teams_of(session, row.id), row.mail)


def eyes_of(session: Session, sources: Sources, person: Person) -> Eyes:
    """What somebody sees."""
    if person.role == "owner":
        return Eyes(person.id)
    now = house(session, sources.seen)
    key = ("eyes", person, now.stamp)
    return sources.seen.several({"": key}, lambda _: {"": worked_out(now, person)})[""]


def worked_out(now: House, person: Person) -> Eyes:
    cards = frozenset(key for key in now.cards if person.is_among(now.readers_of_card(key)))
    shown = {kpi for key in cards for kpi in now.cards[key].kpis}
    # What is read on a scorecard is read; beyond that, what is opened by itself.
    kpis = frozenset(key for key in now.kpis if key in shown or person.is_among(now.opening("kpi", key).read))
    closed, narrowed = _rows(now, person)
    seen = {
        "scorecard": cards,
        "kpi": kpis,
        "dataset": frozenset(now.lends.keys() - closed),
        "case": frozenset(key for key, card in now.cases.items() if card in cards),
    }
    if not person.is_among([MAKERS]):
        seen["book"] = frozenset()
    rows = dict(narrowed)
    of_kpi = {key: _together(rows[one] for one in sorted(now.kpis[key]) if one in rows) for key in kpis}
    return Eyes(person.id, seen, closed, narrowed, {key: within for key, within in of_kpi.items() if within})


def _together(several: Iterable[Within]) -> Within:
    """What some datasets are narrowed to as one: of a segment that two of them name, the members of both."""
    found: dict[str, set[str]] = {}
    for segment, names in (pair for one in several for pair in one):
        found[segment] = found[segment] & set(names) if segment in found else set(names)
    return tuple((segment, tuple(sorted(found[segment]))) for segment in sorted(found))


def _rows(now: House, person: Person) -> tuple[frozenset[str], tuple[tuple[str, Within], ...]]:
    """The datasets of which somebody reads no row, and which rows they read of others."""
    closed, narrowed = set[str](), dict[str, Within]()
    for key in now.lends:
        opening = now.opening("dataset", key)
        if not person.is_among(opening.read):
            closed.add(key)
        elif within := _within(now, person, opening):
            narrowed[key] = within
    for key, others in now.lends.items():
        # What it took from rows that are not read is not read there either, unless a rule of its own says what is.
        if key not in narrowed and any(other in closed or other in narrowed for other in others):
            closed.add(key)
    return frozenset(closed), tuple(sorted((key, within) for key, within in narrowed.items() if key not in closed))


def _within(now: House, person: Person, opening: OpeningBody) -> Within:
    found = rows_for(person, opening.rules)
    if (told := opening.rules_from) is not None:
        mine = {person.mail.casefold(), *(now.teams[team].casefold() for team in person.teams if team in now.teams)}
        names = {member for who, member in now.people_of.get(_key(told), ()) if who in mine}
        names |= set(found.get(told.segment, ()))
        found[told.segment] = tuple(sorted(names)) or (NOBODY,)
    return tuple(sorted(found.items()))
