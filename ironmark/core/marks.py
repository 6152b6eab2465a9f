"""The mark book: whose marks are, and which of them is in force for what is read."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache
from itertools import combinations
from typing import Literal, get_args

import numpy as np
from numpy.typing import NDArray

from ironmark.core.evaluate import Floats
from ironmark.core.periods import Grain, Period

Ints = NDArray[np.int64]
Nature = Literal["flow", "stock", "rate"]
NAMES = TARGET, STRETCH, FLOOR, LIMIT = ("target", "stretch", "floor", "limit")
Whose = Literal["member", "each", "together", "everyone"]
WHOSE: tuple[Whose, ...] = get_args(Whose)
MOST_SEGMENTS = 2  # of a member whose marks are its own: this depot, express only


@dataclass(frozen=True)
class Owner:
    """Whose a mark is: one member's (of a segment, or of two), each member's of a segment, all together's, or
    everyone's, members and all together alike. ``of`` names segment and member, by segment; no member for "each".
    """

    whose: Whose
    of: tuple[tuple[str, str], ...] = ()

    @classmethod
    def member(cls, **of: str) -> Owner:
        return cls.of_members(of)

    @classmethod
    def of_members(cls, of: Mapping[str, str]) -> Owner:
        """One member's marks. Raises ValueError for more than MOST_SEGMENTS segments, or none."""
        if not 1 <= len(of) <= MOST_SEGMENTS:
            raise ValueError(f"a mark is one member’s of one segment, or of {MOST_SEGMENTS}; {len(of)} are named")
        return cls("member", tuple(sorted(of.items())))

    @classmethod
    def each(cls, segment: str) -> Owner:
        return cls("each", ((segment, ""),))


TOGETHER, EVERYONE = Owner("together"), Owner("everyone")


def owner_of(members: Mapping[str, Sequence[str]]) -> Owner | None:
    """Whose a mark is that is set where a page is narrowed to ``members``, by segment: all together's where to none; None
    where several members of a segment are read, or more segments than a mark can have."""
    narrowed = {segment: named for segment, named in members.items() if named}
    if any(len(named) > 1 for named in narrowed.values()) or len(narrowed) > MOST_SEGMENTS:
        return None
    return Owner.of_members({segment: named[0] for segment, named in narrowed.items()}) if narrowed else TOGETHER


@dataclass(frozen=True)
class MarkEntry:
    """A line from a period on. A flow's entry is an amount for a period of the grain of ``since``: a yearly one is
    a twelfth or so a month."""

    name: str
    owner: Owner
    since: Period
    value: float


# What a reading is of: the members it is narrowed to, by segment. A segment of which all are named is not there.
Reading = frozenset[tuple[str, str]]
Key = Reading | Owner
# Of a segment, one of its members, and another segment: the members of that one that its rows are of.
Within = Callable[[str, str, str], frozenset[str]]


def narrowed(where: Mapping[str, Sequence[str]], members: Mapping[str, Sequence[str]]) -> dict[str, tuple[str, ...]]:
    """The members that are read by segment, without the segments of which none or all are named.

    members: every member of every segment. Naming all members is the same as naming none, and the order and
    number of times they are named do not matter. Names that are no member stay where nobody else is named, so that
    such a scope reads nothing. A segment that is not in ``members`` is kept as it is.
    """
    found: dict[str, tuple[str, ...]] = {}
    for segment in sorted(where):
        known, named = members.get(segment), set(where[segment])
        if known is None and named:
            found[segment] = tuple(where[segment])
        elif known is not None and named and not named.issuperset(known):
            found[segment] = tuple(name for name in known if name in named) or tuple(where[segment])
    return found


def candidates(
    of: Mapping[str, str], members: Mapping[str, Sequence[str]], adds: bool, within: Within | None = None
) -> list[Key]:
    """Whose marks a reading may be held to, the first before the others.

    of: the one member the reading is narrowed to in each segment (``narrowed`` with single members). adds: the
    figure of several members is the sum of theirs, so that a part is not held to the whole's mark; all else takes
    the nearest wider one, of equally near ones that of the segments first by name, then everyone's. within: which
    members of another segment a member has rows of: where that is a single one, being narrowed to that as well takes
    nothing away, so the reading is also its own under fewer or more names. None where no segment is known to lie
    within another.
    """
    single = [segment for segment in sorted(members) if len(members[segment]) == 1]
    pairs = sorted(of.items())
    some = [frozenset(found) for size in range(len(pairs), 0, -1) for found in combinations(pairs, size)]

    def is_all(held: Reading) -> bool:
        return all(
            pair in held or (within is not None and any(within(*each, pair[0]) == {pair[1]} for each in held))
            for pair in pairs
        )

    own = [held for held in some if is_all(held)]
    found: list[Key] = [*own, *(Owner.each(segment) for held in own if len(held) == 1 for segment, _ in held)]
    if not of:  # everything is also the only member of a segment that has no other
        found = [frozenset(), *(Owner.each(segment) for segment in single)]
    if adds:
        return found
    wider = [Owner.each(segment) for segment, _ in pairs] if len(pairs) > 1 else []
    return list(dict.fromkeys([*found, *some, *wider, EVERYONE]))


def key_of(owner: Owner, members: Mapping[str, Sequence[str]]) -> Key:
    """What an entry is looked up by: the reading it is the own mark of, or its owner."""
    if owner.whose in ("each", "everyone"):
        return owner
    return frozenset((segment, name) for segment, name in owner.of if tuple(members.get(segment, ())) != (name,))


def look_up(
    entries: Sequence[MarkEntry],
    name: str,
    days: Ints,
    wanted: Sequence[Sequence[Key]],
    members: Mapping[str, Sequence[str]],
) -> Ints:
    """Which entry is in force for every day and reading.

    days: (N,) days counted from the first of January of year 1. wanted: for each of K readings its ``candidates``.
    Returns the index into ``entries`` (N, K), −1 where there is none. Of one owner's entries the latest on or before
    the day wins; of two from the same day the one for the shorter period.
    """
    asked = {key for keys in wanted for key in keys}
    owners = [
        (index, entry, key)
        for index, entry in enumerate(entries)
        if entry.name == name and (key := key_of(entry.owner, members)) in asked
    ]
    codes = {key: code for code, key in enumerate(dict.fromkeys(key for *_, key in owners))}
    # Where a segment has one member only, that member's mark and everything's are of the same reading: of two from
    # the same day the one that names fewer goes before, however the book is ordered.
    relevant = sorted(
        (codes[key], entry.since.start.toordinal(), -entry.since.days, -len(entry.owner.of), entry.owner.of, index)
        for index, entry, key in owners
    )
    shape = (len(days), len(wanted))
    row = np.full(shape, -1)
    if not relevant:
        return row
    table = np.array([(code, start, index) for code, start, *_, index in relevant], dtype=np.int64)
    stride = int(max(table[:, 1].max(), days.max() if len(days) else 0)) + 1
    keys = table[:, 0] * stride + table[:, 1]
    for level in range(max((len(found) for found in wanted), default=0)):
        code_of = [codes.get(found[level], -1) if level < len(found) else -1 for found in wanted]
        if max(code_of) < 0:
            continue  # nobody has an entry there
        of = np.array([code_of], dtype=np.int64)
        at = np.searchsorted(keys, of * stride + days[:, None], side="right") - 1
        held = (at >= 0) & (table[np.maximum(at, 0), 0] == of) & (row < 0)
        row = np.where(held, table[np.maximum(at, 0), 2], row)
    return row


FINE: tuple[Grain, ...] = ("day", "week")


def piece_amounts(parts: Sequence[Period], per: Grain, year_start: int) -> Floats:
    """How much of an amount for one ``per`` falls to each piece within it, (N,): by days, and 1 to the whole."""
    return np.array(_piece_amounts(tuple(parts), per, year_start))


@lru_cache(maxsize=512)
def _piece_amounts(parts: tuple[Period, ...], per: Grain, year_start: int) -> tuple[float, ...]:
    return tuple(part.days / Period.of(part.start, per, year_start).days for part in parts)


def entry_amounts(entries: Sequence[MarkEntry], index: Ints, parts: Sequence[Period]) -> Floats:
    """How much of the amount of its entry falls to each piece, (N, K); NaN where ``index`` (N, K) has none."""
    kinds = list(dict.fromkeys((entry.since.grain, entry.since.year_start) for entry in entries))
    if not kinds:
        return np.full(index.shape, np.nan)
    kind_of = np.array([kinds.index((entry.since.grain, entry.since.year_start)) for entry in entries])
    share = np.stack([piece_amounts(parts, *kind) for kind in kinds], axis=1)
    return np.where(index >= 0, share[np.arange(len(parts))[:, None], kind_of[np.maximum(index, 0)]], np.nan)


def spread(total: float, weights: Floats, decimals: int) -> Floats:
    """A figure dealt out by weights (n,), not negative, so that the parts add up to it to the last unit.

    decimals: of the smallest unit dealt out; the parts are rounded down to it and what is left over goes to those
    that lost most (the largest remainder method). Raises ValueError where there is nothing to go by.
    """
    weights = np.nan_to_num(weights)
    if weights.size == 0 or weights.min() < 0 or weights.sum() <= 0:
        raise ValueError("the weights must not be negative, and at least one above zero")
    unit = 10.0**decimals
    whole = round(total * unit)
    exact = whole * weights / weights.sum()
    parts = np.floor(exact)
    left = int(whole - parts.sum())
    parts[np.argsort(parts - exact, kind="stable")[:left]] += 1
    return np.asarray(np.round(parts / unit, decimals))
