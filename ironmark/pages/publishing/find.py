"""Finding by name, typed with mistakes or without accents, whatever there is: scorecards, KPIs, members, yardsticks,
datasets, editions, notes."""

from __future__ import annotations

import unicodedata
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Literal

from rapidfuzz.distance import OSA

from ironmark.pages.publishing.scorecard_summaries import Glance
from ironmark.store.records import Document

What = Literal["scorecard", "kpi", "member", "yardstick", "dataset", "edition", "note"]
ORDER: tuple[What, ...] = ("scorecard", "kpi", "member", "yardstick", "dataset", "edition", "note")
MOST = 30


@dataclass(frozen=True, slots=True)
class Thing:
    """Something that can be found. place: where it is, as an address of the application. also: words it goes by too."""

    what: What
    name: str
    note: str
    place: str
    also: str = ""


@lru_cache(maxsize=1 << 16)
def plainly(text: str) -> str:
    """A text without accents and capitals, its signs as blanks."""
    bare = "".join(c for c in unicodedata.normalize("NFKD", text.casefold()) if not unicodedata.combining(c))
    return " ".join("".join(c if c.isalnum() else " " for c in bare).split())


def found(things: Iterable[Thing], wanted: str, most: int = MOST) -> list[Thing]:
    """The things that every typed word is alike to, the most alike first; of equally alike ones by what they are."""
    typed = plainly(wanted).split()
    if not typed:
        return []
    scored = []
    for thing in things:
        name, rest = plainly(thing.name), plainly(f"{thing.also} {thing.note}")
        score = _score(typed, name, rest)
        if score:
            scored.append((-score, ORDER.index(thing.what), len(name), thing.name, thing))
    return [thing for *_, thing in sorted(scored, key=lambda one: one[:4])[:most]]


def _score(typed: Sequence[str], name: str, rest: str) -> float:
    """0 where any typed word is alike to nothing."""
    named, other = name.split(), rest.split()
    whole = " ".join(typed)
    total = 30.0 if name.startswith(whole) else 15.0 if whole in name else 0.0
    for word in typed:
        best = max(_alike(word, named), 0.7 * _alike(word, other))
        if not best:
            return 0.0
        total += best
    return total / len(typed)


def _alike(word: str, among: Sequence[str]) -> float:
    best = 0.0
    for other in among:
        if other == word:
            return 110.0
        if other.startswith(word):
            best = max(best, 100.0)
        elif len(word) > 2 and word in other:
            best = max(best, 80.0)
        elif (allowed := _mistakes(word)) and abs(len(other) - len(word)) <= allowed:
            best = max(best, _off(word, other, allowed, 60.0))
        elif allowed and len(other) > len(word):
            best = max(best, _off(word, other[: len(word)], allowed, 50.0))
    return best


def _off(word: str, other: str, allowed: int, score: float) -> float:
    """``score`` less what each mistake takes; 0 past as many as are allowed."""
    mistakes = OSA.distance(word, other, score_cutoff=allowed)
    return score - 12.0 * mistakes if mistakes <= allowed else 0.0


def _mistakes(word: str) -> int:
    """How many letters of a word may be wrong, missing, too many or swapped."""
    return 0 if len(word) < 3 else 1 if len(word) < 6 else 2


def documents(kind: What, every: Iterable[Document], place: str) -> list[Thing]:
    """KPIs, yardsticks and the like, by their bodies."""
    made = []
    for one in every:
        body: Mapping[str, str] = one.body
        name = body.get("name") or body.get("title") or one.id
        note = body.get("owner") or body.get("folder") or ""
        made.append(Thing(kind, name, note, f"{place}/{one.id}", body.get("handle") or ""))
    return made


def members(glances: Mapping[str, Glance], order: Sequence[str]) -> list[Thing]:
    """The members that scorecards can be narrowed to, each on the first that can."""
    made: dict[tuple[str, str], Thing] = {}
    for key in order:
        glance = glances[key]
        for segment in glance.segments:
            for name in segment.members:
                place = f"scorecards/{key}\n{segment.name}\n{name}"
                thing = Thing("member", name, f"{segment.label}, on {glance.title}", place)
                made.setdefault((segment.label, name), thing)
    return list(made.values())
