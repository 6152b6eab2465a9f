"""To whom something is opened, and with which of its rows."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from typing import Annotated, Final, Literal, get_args

from pydantic import Field, StringConstraints, model_validator

from ironmark.pages.model.field_types import Key, Member, Model
from ironmark.store.accounts import Role

Kind = Literal["scorecard", "dataset", "kpi", "folder"]
KINDS: Final = get_args(Kind)
Verb = Literal["read", "note", "mark", "upload", "make", "own"]
EVERYONE, MAKERS = "everyone", "makers"  # whoever signs in; analysts
Subject = Annotated[
    str, StringConstraints(pattern=r"^(everyone|makers|(team|person):[A-Za-z0-9-]{1,80})$", max_length=90)
]
Subjects = Annotated[list[Subject], Field(max_length=200)]
MAY: Mapping[Role, frozenset[Verb]] = {
    "reader": frozenset({"read", "note"}),
    "keeper": frozenset({"read", "note", "mark"}),
    "analyst": frozenset({"read", "note", "mark", "upload", "make"}),
    "owner": frozenset({"read", "note", "mark", "upload", "make", "own"}),
}


class RowRule(Model):
    """Some read the rows of these members of a segment alone. Several rules for one person on one segment open what any of
    them does; rules on several segments hold together."""

    who: Subject
    segment: str = Field(max_length=80)
    members: list[Member] = Field(min_length=1, max_length=2000)


class RulesFrom(Model):
    """The same, told by the rows of another dataset: whoever's mail address or team stands in ``person`` reads the rows of
    the ``member`` beside it. Who does not stand there reads none."""

    dataset: Key
    person: str = Field(max_length=80)
    member: str = Field(max_length=80)
    segment: str = Field(max_length=80)


class OpeningBody(Model):
    """read, change: by whom; marks: who keeps a KPI's mark book; notes: who writes them. rules: who reads some rows of a
    dataset only; rules_from: those of another dataset."""

    read: Subjects = []
    change: Subjects = [MAKERS]
    marks: Subjects = [MAKERS]
    notes: Literal["readers", "makers"] = "readers"
    rules: list[RowRule] = Field(default=[], max_length=500)
    rules_from: RulesFrom | None = None

    @model_validator(mode="after")
    def each_once(self) -> OpeningBody:
        for name in ("read", "change", "marks"):
            setattr(self, name, list(dict.fromkeys(getattr(self, name))))
        return self


# Where nothing is kept. A dataset's rows are figures of whoever reads a scorecard; the rows themselves are for makers. A
# KPI is read by whoever reads a scorecard that shows it.
USUAL: Mapping[Kind, OpeningBody] = {
    "scorecard": OpeningBody(read=[MAKERS]),
    "dataset": OpeningBody(read=[EVERYONE]),
    "kpi": OpeningBody(read=[MAKERS]),
    "folder": OpeningBody(),
}


@dataclass(frozen=True)
class Person:
    """Somebody who asks. teams: their keys. verbs: what they may at all."""

    id: str
    name: str
    role: Role
    teams: frozenset[str] = frozenset()
    mail: str = ""

    @property
    def verbs(self) -> frozenset[Verb]:
        return MAY[self.role]

    def is_among(self, subjects: Collection[str]) -> bool:
        return bool(self.because(subjects))

    def because(self, subjects: Collection[str]) -> list[str]:
        """Those of some subjects that are or hold them."""
        mine = {EVERYONE, f"person:{self.id}", *(f"team:{team}" for team in self.teams)}
        if "make" in self.verbs:
            mine.add(MAKERS)
        return [subject for subject in subjects if subject in mine]


def rows_for(person: Person, rules: Sequence[RowRule]) -> dict[str, tuple[str, ...]]:
    """The members whose rows somebody reads, by segment; empty where no rule is for them."""
    found: dict[str, set[str]] = {}
    for rule in rules:
        if person.is_among([rule.who]):
            found.setdefault(rule.segment, set()).update(rule.members)
    return {segment: tuple(sorted(names)) for segment, names in sorted(found.items())}
