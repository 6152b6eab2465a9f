"""Two changes to one scorecard as one, where they are to different sheets."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from itertools import combinations
from typing import Any

_KINDS = ("instruments", "texts", "pictures")
_Sheets = dict[str, tuple[str, str, dict[str, Any]]]  # by id: its section, its kind, and itself
_GONE = object()


class _Both(Exception):
    """Both changed the same."""


def merged(base: Mapping[str, Any], mine: Mapping[str, Any], theirs: Mapping[str, Any]) -> dict[str, Any] | None:
    """What comes of two forms of a scorecard that both go back to ``base``; None where both changed the same sheet or the
    same words, where the order of things was changed by both, or where sheets would come to lie over one another."""
    try:
        return _merged(base, mine, theirs)
    except _Both:
        return None


def _merged(base: Mapping[str, Any], mine: Mapping[str, Any], theirs: Mapping[str, Any]) -> dict[str, Any]:
    found = {
        name: _one(base.get(name, _GONE), mine.get(name, _GONE), theirs.get(name, _GONE))
        for name in dict.fromkeys([*theirs, *mine])
        if name != "sections"
    }
    forms = [_by_id(one.get("sections", [])) for one in (base, mine, theirs)]
    sheets = [_sheets(one.get("sections", [])) for one in (base, mine, theirs)]
    kept = {
        key: held
        for key in _order(*(list(one) for one in sheets))
        if (held := _one(*(one.get(key, _GONE) for one in sheets))) is not _GONE
    }
    sections = []
    for key in _order(*(list(one) for one in forms)):
        heads = [{n: v for n, v in one[key].items() if n not in _KINDS} if key in one else _GONE for one in forms]
        if (head := _head(heads)) is _GONE:
            if any(section == key for section, _, _ in kept.values()):
                raise _Both  # one took the section away, the other put a sheet into it
            continue
        own = {
            kind: [sheet for section, of, sheet in kept.values() if section == key and of == kind] for kind in _KINDS
        }
        _refuse_overlap([sheet for some in own.values() for sheet in some])
        sections.append({**head, **own})
    if any(section not in {one["id"] for one in sections} for section, _, _ in kept.values()):
        raise _Both
    return {**found, "sections": sections}


def _one(base: Any, mine: Any, theirs: Any) -> Any:
    if mine in (base, theirs):
        return theirs
    if theirs == base:
        return mine
    raise _Both


def _head(heads: Sequence[Any]) -> Any:
    base, mine, theirs = heads
    if _GONE in (mine, theirs) or base is _GONE:
        return _one(base, mine, theirs)
    return {name: _one(base.get(name), mine.get(name), theirs.get(name)) for name in dict.fromkeys([*theirs, *mine])}


def _by_id(sections: Sequence[Mapping[str, Any]]) -> dict[str, Mapping[str, Any]]:
    return {one["id"]: one for one in sections}


def _sheets(sections: Sequence[Mapping[str, Any]]) -> _Sheets:
    return {sheet["id"]: (one["id"], kind, sheet) for one in sections for kind in _KINDS for sheet in one.get(kind, ())}


def _order(base: list[str], mine: list[str], theirs: list[str]) -> list[str]:
    """In which order things stand: of what all have, as whoever changed it; what is new comes after what it came after."""
    common = [key for key in base if key in mine and key in theirs]
    by = [[key for key in one if key in common] for one in (mine, theirs)]
    first, second = (mine, theirs) if by[1] == common else (theirs, mine)
    if common not in by and by[0] != by[1]:
        raise _Both
    found = list(first)
    for at, key in enumerate(second):
        if key not in found:
            before = second[at - 1] if at else None
            found.insert(found.index(before) + 1 if before in found else len(found) if at else 0, key)
    return found


def _refuse_overlap(sheets: Sequence[Mapping[str, Any]]) -> None:
    for a, b in combinations(sheets, 2):
        beside = a["x"] + a["w"] <= b["x"] or b["x"] + b["w"] <= a["x"]
        below = a["y"] + a["h"] <= b["y"] or b["y"] + b["h"] <= a["y"]
        if not beside and not below:
            raise _Both
