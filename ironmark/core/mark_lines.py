"""One way to marks: the lines that readings are held to, resolved for many periods and members at once.

The sources of a line are asked in order: the entry that is its own; each member's; for all but sums the nearest
wider one, then everyone's; and for all together, or several members read as one, the marks of these members
together. What the book leaves open a computed mark fills (``core.reading``).
"""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Protocol

import numpy as np

from ironmark.core.evaluate import Floats
from ironmark.core.marks import FINE, Ints, MarkEntry, Nature, Within, candidates, entry_amounts, look_up
from ironmark.core.periods import Period, pieces

Where = Mapping[str, tuple[str, ...]]
NO_SEGMENT = -1
A_PART = {"": ""}  # stands for being narrowed to members that no entry is about


class Rows(Protocol):
    """What lines have to know of the rows they are for."""

    @property
    def members(self) -> Mapping[str, tuple[str, ...]]: ...

    @property
    def through(self) -> dt.date: ...

    def counted(self, by: str | None, where: Where, periods: Sequence[Period]) -> Ints:
        """How many rows there are, (N, K), by the members of ``by``."""
        ...

    def weighed(self, by: str | None, where: Where, periods: Sequence[Period]) -> Floats | None:
        """The formula's denominator, (N, K), not negative; None where it has none."""
        ...

    def within(self, segment: str, member: str, other: str) -> frozenset[str]:
        """The members of another segment that the rows of a member are of; none for what is no member."""
        ...


@dataclass(frozen=True)
class Lines:
    """The marks of one name by period and member, (P, M) each, KPI unit, NaN for none.

    value: of whole periods. rated: of what has data of them. entry: the index of the entry in force at the period's
    end, of a stock when its last piece began, −1 where it is none of the reading's own or inherited. split: the place in ``segments`` of the one whose
    members' marks were put together, NO_SEGMENT for none.
    """

    value: Floats
    rated: Floats
    entry: Ints
    split: Ints
    segments: tuple[str, ...] = ()

    def segment(self, p: int, m: int) -> str | None:
        """The segment whose members' marks make up this one; None where it is an entry's."""
        at = int(self.split[p, m])
        return self.segments[at] if at != NO_SEGMENT else None


@dataclass(frozen=True)
class Found:
    """Marks of pieces of periods, (N, K) each; see ``Lines``."""

    value: Floats
    entry: Ints
    split: Ints


@dataclass(frozen=True)
class Asked:
    """The marks of one name for the pieces of some periods.

    adds: the figure of several members is the sum of theirs. parts, of: the pieces, and the period each belongs to.
    """

    entries: Sequence[MarkEntry]
    name: str
    nature: Nature
    adds: bool
    periods: Sequence[Period]
    parts: Sequence[Period]
    of: Ints
    rows: Rows
    segments: tuple[str, ...]  # those that entries of this name are about

    def find(self, by: str | None, where: Where) -> Found:
        """The marks of everything in ``where``, by the members of ``by``, narrowed as ``marks.narrowed`` does."""
        names = named(self.rows, by, where)
        others = {segment: held for segment, held in where.items() if segment != by}
        alone = by is None or len(self.rows.members[by]) == 1  # the only member of a segment is everything
        alike = len(names) if not self.segments and not alone else 1  # no entry is about any of them
        names = names[:1] if alike > 1 else names
        asked = [self._spelled(others if alone else {**others, str(by): (str(name),)}) for name in names]
        several = [self._several(of) for of in asked]
        wanted = [
            [] if apart else candidates(self._fixed(of), self.rows.members, self.adds, self.rows.within)
            for of, apart in zip(asked, several, strict=True)
        ]
        days = np.array([part.start.toordinal() for part in self.parts], dtype=np.int64)
        entry = look_up(self.entries, self.name, days, wanted, self.rows.members)
        lines = np.array([one.value for one in self.entries] or [np.nan])
        value = np.where(entry >= 0, lines[np.maximum(entry, 0)], np.nan)
        if self.nature == "flow":
            value = value * entry_amounts(self.entries, entry, self.parts)
        if alike > 1:
            value, entry = np.repeat(value, alike, axis=1), np.repeat(entry, alike, axis=1)
        found = Found(value, entry, np.full(value.shape, NO_SEGMENT))
        for k, (of, apart) in enumerate(zip(asked, several, strict=True)):
            if apart:
                self._put_together(found, k, apart, of)
            elif np.isnan(found.value[:, k]).any():
                for segment, members in self._made_up_of(of):
                    self._put_together(found, k, segment, {**of, segment: members} if members else of)
        return found

    def _fixed(self, of: Where) -> dict[str, str]:
        """The one member in each segment that marks are kept for, and A_PART where it is narrowed in others."""
        fixed = {segment: held[0] for segment, held in of.items() if segment in self.segments}
        return fixed | (A_PART if len(fixed) < len(of) else {})

    def _several(self, of: Where) -> str | None:
        """The segment of which several members are read as one, where marks are kept for it."""
        return next((segment for segment, held in of.items() if len(held) > 1 and segment in self.segments), None)

    def _spelled(self, of: Where) -> Where:
        """What is read, in the segments that marks are kept for, as far as these say the same rows: a member's own
        region takes nothing away from it, and all the members of a region are that region."""
        if not of or not self.segments or len(self.rows.members) < 2:
            return of
        found = dict(of)
        for segment, held in of.items():
            whole = self._whole_of(segment, held) if len(held) > 1 else None
            if whole and whole[1] in found.get(whole[0], whole[1:]):
                del found[segment]
                found[whole[0]] = (whole[1],)
            elif segment not in self.segments:
                for finer in self.segments:
                    if finer not in found and (members := self._lying_in(finer, segment, held)):
                        del found[segment]
                        found[finer] = members
                        break
        # What a member lies within is said too, in place of more of that segment: marks may be kept for it. Where there
        # is one of it alone, that is everything, and its mark nobody else's.
        for segment, held in list(found.items()):
            for other in (other for other in self.segments if len(self.rows.members[other]) > 1):
                names = tuple(self.rows.within(segment, held[0], other)) if len(held) == 1 else ()
                if len(names) == 1 and set(names) <= set(found.get(other, names)):
                    found[other] = names
        for segment in [segment for segment in found if segment not in self.segments]:
            held = found[segment]
            inner = [(other, names[0]) for other, names in found.items() if other != segment and len(names) == 1]
            if any((around := self.rows.within(*own, segment)) and around <= set(held) for own in inner):
                del found[segment]
        return {segment: found[segment] for segment in sorted(found)}

    def _whole_of(self, segment: str, held: Sequence[str]) -> tuple[str, str] | None:
        """The member of a coarser segment that some members make up."""
        for other in self.segments:
            if other != segment:
                names = tuple({name for member in held for name in self.rows.within(segment, member, other)})
                if len(names) == 1 and set(self._lying_in(segment, other, names)) == set(held):
                    return other, names[0]
        return None

    def _lying_in(self, finer: str, segment: str, held: Sequence[str]) -> tuple[str, ...]:
        return lying_in(self.rows.within, finer, segment, held)

    def _made_up_of(self, of: Where) -> Iterator[tuple[str, tuple[str, ...]]]:
        """The segments whose members make up what is read, with those members where they are not all there are."""
        for segment in self.segments:
            if not of and len(self.rows.members[segment]) > 1:
                yield segment, ()
            elif of and segment not in of:
                for other, held in of.items():
                    if len(members := self._lying_in(segment, other, held)) > 1:
                        yield segment, members

    def _put_together(self, found: Found, k: int, segment: str, where: Where) -> None:
        """Fill column ``k`` where it has no mark yet with the marks of the members of ``segment`` together.

        Every member with rows has to have one. A sum's are added up, also those of members without rows; all else
        is their mean weighted by the formula's denominator.
        """
        members = self.find(segment, where)
        known = np.isfinite(members.value)
        needed = self._counted(segment, where) > 0
        # Who will have rows in what is to come is not known, so that needs the marks of all.
        needed |= np.array([[part.start > self.rows.through] for part in self.parts])
        whole = ~(needed & ~known).any(axis=1) & known.any(axis=1)
        if self.adds:
            total = np.where(known, members.value, 0.0).sum(axis=1)
        else:
            weights = self.rows.weighed(segment, where, self.parts)
            total = mean(members.value, needed.astype(float) if weights is None else weights)
        free = np.isnan(found.value[:, k]) & whole
        found.value[free, k] = total[free]
        found.split[free, k] = self.segments.index(segment)

    def _counted(self, segment: str, where: Where) -> Ints:
        if self.nature == "stock":  # a level may be older than the piece it is read in
            return self.rows.counted(segment, where, self.periods)[self.of]
        return self.rows.counted(segment, where, self.parts)


def lying_in(within: Within, finer: str, segment: str, held: Sequence[str]) -> tuple[str, ...]:
    """The members of one segment that make up some members of another; none where one of them is also elsewhere."""
    some = {member for name in held for member in within(segment, name, finer)}
    wholly = all(within(finer, member, segment) <= set(held) for member in some)
    return tuple(sorted(some)) if wholly else ()


def plainly(where: Where, within: Within) -> dict[str, tuple[str, ...]]:
    """``where`` without the segments that take nothing away, since all members named in another lie within them. Two
    scopes of the same rows are told to be the same by it."""
    kept = dict(where)
    for outer in sorted(where):
        for inner in sorted(kept):
            if inner != outer and outer in kept:
                around = [within(inner, name, outer) for name in kept[inner]]
                if all(names and names <= set(kept[outer]) for names in around):
                    del kept[outer]
    return kept


def named(rows: Rows, by: str | None, where: Where) -> tuple[str | None, ...]:
    """The members that are read one by one, in their kept order; None alone for all rows together."""
    if by is None:
        return (None,)
    wanted = set(where.get(by, rows.members[by]))
    return tuple(name for name in rows.members[by] if name in wanted)


def mean(values: Floats, weights: Floats) -> Floats:
    """The mean of the known values of each row, (N, K) to (N,), by weights (N, K); plain where none is above zero.

    Values that are all the same are that value, to the last digit. So a rate's mark of several members is the one
    its numerators would have to reach together: Σ mark × denominator ÷ Σ denominator.
    """
    if not values.shape[1]:
        return np.full(len(values), np.nan)
    known = np.isfinite(values)
    weights = np.where(known & (weights > 0), weights, 0.0)
    weights = np.where(weights.sum(axis=1, keepdims=True) > 0, weights, known)
    counted = weights > 0
    low = np.where(counted, values, np.inf).min(axis=1)
    high = np.where(counted, values, -np.inf).max(axis=1)
    with np.errstate(all="ignore"):
        found = np.where(counted, values * weights, 0.0).sum(axis=1) / weights.sum(axis=1)
    return np.where(low == high, low, np.where(np.isfinite(found), found, np.nan))


def lines(
    entries: Sequence[MarkEntry],
    name: str,
    periods: Sequence[Period],
    nature: Nature,
    adds: bool,
    by: str | None,
    where: Where,
    rows: Rows,
    part: Floats | None = None,
) -> Lines:
    """The marks called ``name`` of whole periods and of what has data of them, however long the periods are.

    A flow's marks add up over the months or days a period is made of; those that are over count in full, the one
    under way by its share, those to come not at all. A stock takes the mark of its last piece that has
    begun; a rate takes the mark when it is the same throughout, else the mean weighted by the formula's denominator, by
    days where there is none. A piece without a mark leaves the whole period without one, but for a rate's without rows. by, where: see ``core.reading.read``, narrowed by
    ``marks.narrowed``. part: the share (N, M) of each of ``pieces_for`` that has data; None for all of it.
    """
    of_name = [entry for entry in entries if entry.name == name]
    shape = (len(periods), len(named(rows, by, where)))
    if not of_name:
        nothing = np.full(shape, np.nan)
        return Lines(nothing, nothing, np.full(shape, -1), np.full(shape, NO_SEGMENT))
    parts, of = pieces_for(periods, of_name)
    segments = tuple(sorted({segment for entry in of_name for segment, _ in entry.owner.of if segment in rows.members}))
    found = Asked(entries, name, nature, adds, periods, parts, of, rows, segments).find(by, where)
    first = np.searchsorted(of, np.arange(len(periods)))
    last = np.append(first[1:], len(parts)) - 1
    if nature == "stock":
        last = _last_begun(parts, first, last, rows.through)
    if nature == "flow":
        value = np.add.reduceat(found.value, first, axis=0)
        rated = value if part is None else _rated(found.value, part, first)
    elif nature == "stock" or len(parts) == len(periods):
        rated = value = found.value[last]
    else:
        counted = rows.counted(by, where, parts)
        rated = value = _throughout(found.value, parts, first, rows.weighed(by, where, parts), counted)
    return Lines(value, rated, found.entry[last], found.split[last], segments)


def pieces_for(periods: Sequence[Period], entries: Sequence[MarkEntry]) -> tuple[tuple[Period, ...], Ints]:
    """The months that periods are made of, days where any of them or of the entries is finer; and whose each is, (N,) into ``periods``."""
    fine = any(p.unit != "month" for p in periods) or any(e.since.grain in FINE for e in entries)
    parts, of = pieces(periods, "day" if fine else "month")
    return parts, np.array(of, dtype=np.int64)


def _rated(value: Floats, part: Floats, first: Ints) -> Floats:
    """The sum over the pieces of each period by the share of them that has data; those to come need no mark, and a
    period that is all to come has none."""
    total = np.add.reduceat(np.where(part > 0, value * part, 0.0), first, axis=0)
    return np.where(np.maximum.reduceat(part, first, axis=0) > 0, total, np.nan)


def _last_begun(parts: Sequence[Period], first: Ints, last: Ints, through: dt.date) -> Ints:
    """The last piece of each period that has begun; of one that is all to come its last."""
    begun = int(np.searchsorted([part.start.toordinal() for part in parts], through.toordinal(), side="right")) - 1
    return np.where(first <= begun, np.minimum(last, begun), last)


def _throughout(
    value: Floats, parts: Sequence[Period], first: Ints, weights: Floats | None, counted: Ints
) -> Floats:  # fmt: skip
    """A rate's marks over periods: the one it has throughout, else the mean by weights (N, M), or by days.

    counted: how many rows there are (N, M); a piece without rows needs no mark, but in a period that has none at all.
    """
    repeats = np.diff(np.append(first, len(parts)))

    def by_period(figures: Floats) -> Floats:
        """Sums over each period, for each of its pieces."""
        return np.asarray(np.repeat(np.add.reduceat(figures, first, axis=0), repeats, axis=0))

    known = ~np.isnan(value)
    needed = (counted > 0) | (by_period(counted.astype(float)) == 0)
    low = np.fmin.reduceat(value, first, axis=0)
    high = np.fmax.reduceat(value, first, axis=0)
    missing = np.add.reduceat(needed & ~known, first, axis=0) > 0
    if (missing | (low == high)).all():
        return np.where(missing, np.nan, low)
    days = np.array([part.days for part in parts], dtype=float)[:, None]
    weights = np.broadcast_to(days, value.shape) if weights is None else np.nan_to_num(weights)
    weights = np.where(known, weights, 0.0)
    # A period whose denominator comes to nothing has none to weigh by.
    weights = np.where(by_period(weights) > 0, weights, np.where(known, days, 0.0))
    with np.errstate(all="ignore"):
        total = np.add.reduceat(np.where(known, value, 0.0) * weights, first, axis=0)
        found = total / np.add.reduceat(weights, first, axis=0)
    return np.where(missing, np.nan, np.where(low == high, low, found))


def why_none(
    entries: Sequence[MarkEntry],
    name: str,
    adds: bool,
    where: Where,
    without: Sequence[str],
) -> str:
    """The reason in words that a reading has no mark, and what would give it one.

    where: what is read, narrowed. without: the members with rows that have no mark, where others have one.
    """
    of_name = [entry for entry in entries if entry.name == name]
    who = ", ".join(name for names in where.values() for name in names[:3]) if where else "all together"
    if not of_name:
        return f"no {name} in the mark book"
    if without:
        named = ", ".join(without[:3]) + (f" and {len(without) - 3} more" if len(without) > 3 else "")
        return f"no {name} for {who}, and {named} {'has' if len(without) == 1 else 'have'} none to add up or weigh"
    wider = {
        frozenset(segment for segment, _ in entry.owner.of) for entry in of_name if entry.owner.whose != "everyone"
    }
    if adds and where and any(held < frozenset(where) for held in wider):
        return f"no {name} for {who}: a part is not held to the whole’s {name}"
    return f"no {name} for {who} in the mark book"
