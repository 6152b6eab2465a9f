"""What can be asked about a KPI or a scorecard, and who can be told: what the sentence of a watch is built from."""

from __future__ import annotations

from dataclasses import dataclass

from ironmark.core.numbers import unit_words
from ironmark.core.periods import GRAINS, finer
from ironmark.core.reading import grain_of
from ironmark.pages.context.reading_context import ReadingContext
from ironmark.pages.model.pictures import StatePicture
from ironmark.pages.model.watch import OF_A_KPI, OF_A_SCORECARD, Question
from ironmark.pages.people.openings import EVERYONE, MAKERS, Person
from ironmark.pages.reading.usages import yardsticks_in_use
from ironmark.store import accounts, hooks, outbox, records

# In the order they are offered: a signal first, for it alone says whether to act.
QUESTIONS: dict[Question, str] = {
    "signal": "shows a signal", "falls": "falls to", "reaches": "reaches", "leaves": "is no longer", "worsens": "worsens",
    "improves": "improves", "below": "goes under its", "above": "goes over its", "outlook": "is on its way to", "late": "has late data",
    "unmarked": "has no", "edition": "has a new edition", "note": "asks for a word",
}  # fmt: skip


@dataclass(slots=True)
class Named:
    key: str
    name: str


@dataclass(slots=True)
class SegmentOfKpi:
    key: str
    name: str
    members: list[str]


@dataclass(slots=True)
class WatchChoices:
    """questions: in the order they are offered. graded: the yardstick the readings are graded by, "" for none. margin: the unit a
    margin is typed in, scale: what that is divided by to be the KPI's. tell: people and teams; hooks: webhooks; alone: whether
    somebody else may be told."""

    kpis: list[Named]
    scorecards: list[Named]
    questions: list[Named]
    segments: list[SegmentOfKpi]
    states: list[StatePicture]
    marks: list[str]
    grains: list[str]
    graded: str
    margin: str
    scale: float
    tell: list[Named]
    hooks: list[Named]
    alone: bool
    by_mail: bool


def choices_for(context: ReadingContext, person: Person, kpi: str | None, scorecard: str | None) -> WatchChoices:
    """Raises Missing, FormulaError."""
    session = context.session
    named = [Named(one.id, str(one.body["name"])) for one in records.list_all(session, "kpi")]
    cards = [Named(one.id, str(one.body["title"])) for one in records.list_all(session, "scorecard")]
    asks = OF_A_KPI if kpi else OF_A_SCORECARD
    found = WatchChoices(
        kpis=sorted(named, key=lambda one: one.name.casefold()), scorecards=sorted(cards, key=lambda one: one.name.casefold()),
        questions=[Named(key, words) for key, words in QUESTIONS.items() if key in asks],
        segments=[], states=[], marks=[], grains=[], graded="", margin="", scale=1.0, tell=[], hooks=[], alone=False,
        by_mail=hooks.mail_server(session) is not None,
    )  # fmt: skip
    _receivers(context, person, found)
    if scorecard:
        context.scorecard(scorecard)
        found.grains = list(GRAINS)
    if kpi:
        _of_kpi(context, kpi, found)
    return found


def _receivers(context: ReadingContext, person: Person, found: WatchChoices) -> None:
    session = context.session
    found.alone = "make" not in person.verbs
    found.tell = [Named(outbox.HERE, "me")]
    if found.alone:
        return
    people = [one for one in accounts.list_all(session) if one.ended_at is None]
    if people:
        found.tell += [Named(EVERYONE, "everyone who may read it"), Named(MAKERS, "all analysts")]
        found.tell += [Named(f"team:{team.id}", team.name) for team in accounts.teams(session)]
        found.tell += [Named(f"person:{one.id}", one.name) for one in people if one.id != person.id]
    found.hooks = [Named(hook.id, hook.name) for hook in hooks.list_all(session)]


def _of_kpi(context: ReadingContext, key: str, found: WatchChoices) -> None:
    body = context.kpi(key)
    kpi, source = context.expanded(body), context.source(body)
    others = context.sources_of(kpi.formula)
    found.segments = [
        SegmentOfKpi(column.name, column.label, list(source.members[column.name])[:500])
        for column in context.dataset(body.dataset).columns
        if column.role == "segment"
        and column.name in source.members
        and all(column.name in o.members for o in others.values())
    ]
    rows = grain_of(kpi, source, others)
    found.grains = [grain for grain in GRAINS if not finer(grain, rows)]
    yardstick = yardsticks_in_use(context.session).get(key)
    if yardstick is not None:
        made = context.yardstick(yardstick)
        found.graded = made.name
        graded = context.graded_by(made)
        states = sorted({state.key: state for state in graded.states}.values(), key=lambda one: one.rank)
        found.states = [StatePicture(one.key, one.name, one.rank, one.sign) for one in states]
    found.marks = list(dict.fromkeys([*(entry.name for entry in context.entries(key)), *context.computed(key)]))
    unit = body.unit.as_unit()
    found.margin = "points" if unit.kind == "percent" else unit_words(unit)
    found.scale = 100.0 if unit.kind == "percent" else 1.0
