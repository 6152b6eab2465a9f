"""Cells that are kept beside the rows they were worked out of, so that nobody has to go through these again."""

from __future__ import annotations

import datetime as dt
import io
import json
import math
import zipfile
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np
import polars as pl

from ironmark.core.evaluate import Floats
from ironmark.core.marks import Ints
from ironmark.core.periods import Period
from ironmark.tables.cells import Cells, Unit, Within

MOST_BYTES = 8 << 20  # of a body, as of a piece of rows
_MOST_HELD = 64 << 20  # bytes of cells that one is made of
_MOST_PAIRS = 1 << 20  # of two segments; more are worked out once more
_HEAD = "head.json"


@dataclass(frozen=True)
class Head:
    """What is to be known of rows before any cell is. Days are counted from the first of January of year 1."""

    first_day: int
    last_day: int
    height: int
    members: Mapping[str, tuple[str, ...]]

    def possible(self, segments: Iterable[str]) -> int:
        """How many combinations of members of some segments there may be."""
        return math.prod(len(self.members[segment]) for segment in segments)


@dataclass(frozen=True)
class PlainCells:
    """cells: without parts; parts: (N,) each, by the text of its key."""

    cells: Cells
    parts: Mapping[str, Floats]

    @property
    def nbytes(self) -> int:
        held = (self.cells.unit, self.cells.rows, *self.cells.member.values(), *self.parts.values())
        return sum(one.nbytes for one in held)


@dataclass(frozen=True)
class KeptCells:
    """pairs: by two segments which of their members share rows, as ``CellSource._pairs`` says it. fine: by which segments'
    cells those of fewer are known, where that does not follow from how many there are."""

    head: Head
    cells: Mapping[tuple[Unit, tuple[str, ...]], PlainCells]
    pairs: Mapping[tuple[str, str], Ints]
    fine: Mapping[Unit, tuple[str, ...]] = field(default_factory=dict)


def narrowed(kept: KeptCells, within: Within) -> KeptCells | None:
    """What is kept of all rows, of some of them, as if there were no others; None where that cannot be told from cells, or there
    are none."""
    head, named = kept.head, dict(within)
    fine: dict[Unit, tuple[str, ...]] = {}
    for unit, segments in kept.cells:
        if named.keys() <= set(segments) and len(segments) > len(fine.get(unit, ())):
            fine[unit] = segments
    if "day" not in fine:
        return None
    keep = {}
    for unit, segments in fine.items():
        cells = kept.cells[unit, segments].cells
        keep[unit] = np.ones(len(cells.unit), dtype=bool)
        for segment, names in within:
            keep[unit] &= np.isin(head.members[segment], names)[cells.member[segment]]
    days = kept.cells["day", fine["day"]].cells
    if not keep["day"].any():
        return None
    found = days.unit[keep["day"]]
    seen = {segment: np.unique(days.member[segment][keep["day"]]) for segment in fine["day"]}
    for segment in head.members.keys() - seen.keys():
        if (some := _beside(kept, segment, within)) is None:
            return None
        seen[segment] = some
    members = {segment: tuple(names[at] for at in seen[segment]) for segment, names in head.members.items()}
    narrow = Head(
        head.first_day + int(found.min()), head.first_day + int(found.max()), int(days.rows[keep["day"]].sum()), members
    )
    cells_of = {
        (unit, segments): _some_of(kept.cells[unit, segments], keep[unit], seen, _units_between(head, narrow, unit))
        for unit, segments in fine.items()
    }
    return KeptCells(narrow, cells_of, {}, fine)


def _beside(kept: KeptCells, segment: str, within: Within) -> Ints | None:
    """The places of the members of a segment that share rows with some of another one; None where nothing tells them."""
    if len(within) != 1:
        return None
    ((other, names),) = within
    first, second = sorted((segment, other))
    pairs = kept.pairs.get((first, second))
    if pairs is None:
        return None
    one, two = np.divmod(pairs, len(kept.head.members[second]))
    mine, others = (one, two) if segment == first else (two, one)
    return np.unique(mine[np.isin(kept.head.members[other], names)[others]])


def _units_between(before: Head, after: Head, unit: Unit) -> int:
    first, second = (Period.of(dt.date.fromordinal(one.first_day), unit).ordinal for one in (before, after))
    return second - first


def _some_of(plain: PlainCells, keep: np.ndarray, seen: Mapping[str, Ints], later: int) -> PlainCells:
    """Some of the cells, of members and of a first unit that are fewer."""
    cells = plain.cells
    member = {segment: np.searchsorted(seen[segment], places[keep]) for segment, places in cells.member.items()}
    some = Cells(cells.unit[keep] - later, member, cells.rows[keep], {})
    return PlainCells(some, {key: part[keep] for key, part in plain.parts.items()})


def packed(kept: KeptCells) -> bytes | None:
    """As bytes, at most ``MOST_BYTES``: where all of them are more, without the parts that were asked for longest ago, and None
    where the cells alone are too many."""
    cells = dict(kept.cells)
    pairs = {place: some for place, some in kept.pairs.items() if len(some) <= _MOST_PAIRS}
    while cells:
        body = (
            _packed(replace(kept, cells=cells, pairs=pairs))
            if sum(one.nbytes for one in cells.values()) <= _MOST_HELD
            else b""
        )
        if body and len(body) <= MOST_BYTES:
            return body
        place = max(cells, key=lambda place: cells[place].nbytes)
        parts = list(cells[place].parts.items())
        if parts:
            cells[place] = replace(cells[place], parts=dict(parts[len(parts) // 2 + 1 :]))
        else:
            del cells[place]
    return None


def _packed(kept: KeptCells) -> bytes:
    buffer, places = io.BytesIO(), []
    with zipfile.ZipFile(buffer, "w") as body:
        for at, ((unit, segments), plain) in enumerate(kept.cells.items()):
            places.append({"unit": unit, "segments": segments, "parts": list(plain.parts)})
            columns: dict[str, Any] = {"unit": plain.cells.unit, "rows": plain.cells.rows}
            columns |= {f"m{n}": plain.cells.member[segment] for n, segment in enumerate(segments)}
            columns |= {f"p{n}": part for n, part in enumerate(plain.parts.values())}
            body.writestr(str(at), _parquet(columns))
        for at, some in enumerate(kept.pairs.values()):
            body.writestr(f"pairs {at}", _parquet({"pair": some}))
        head = {
            "first_day": kept.head.first_day, "last_day": kept.head.last_day, "height": kept.head.height,
            "members": kept.head.members, "cells": places, "pairs": list(kept.pairs),
        }  # fmt: skip
        body.writestr(_HEAD, json.dumps(head))
    return buffer.getvalue()


def _parquet(columns: Mapping[str, Any]) -> bytes:
    made = io.BytesIO()
    pl.DataFrame(columns).write_parquet(made, compression="zstd", statistics=False)
    return made.getvalue()


def unpacked(body: bytes) -> KeptCells:
    with zipfile.ZipFile(io.BytesIO(body)) as kept:
        said: dict[str, Any] = json.loads(kept.read(_HEAD))
        cells: dict[tuple[Unit, tuple[str, ...]], PlainCells] = {}
        for at, place in enumerate(said["cells"]):
            found: dict[str, Any] = {one.name: one.to_numpy() for one in pl.read_parquet(kept.read(str(at)))}
            segments = tuple(place["segments"])
            member = {segment: found[f"m{n}"] for n, segment in enumerate(segments)}
            parts = {text: found[f"p{n}"] for n, text in enumerate(place["parts"])}
            cells[place["unit"], segments] = PlainCells(Cells(found["unit"], member, found["rows"], {}), parts)
        pairs = {
            (one, two): pl.read_parquet(kept.read(f"pairs {at}"))["pair"].to_numpy()
            for at, (one, two) in enumerate(said["pairs"])
        }
    members = {segment: tuple(names) for segment, names in said["members"].items()}
    return KeptCells(Head(said["first_day"], said["last_day"], said["height"], members), cells, pairs)
