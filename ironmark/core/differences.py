"""What is different between two forms of a document, in words that can be read a year later."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

MOST, LONGEST = 40, 200  # differences that are told, and letters of each
_NAMED_BY = ("name", "title", "label", "key", "id")


@dataclass(frozen=True)
class Difference:
    """what: the way to it, as in ``sections › Crew › instruments › Sickness › face``. before, after: "" for nothing."""

    what: str
    before: str
    after: str


def differences(before: Any, after: Any, path: tuple[str, ...] = ()) -> list[Difference]:
    """What became another between two documents, each a tree of mappings, lists and plain values.

    Entries of lists are the same where they have the same ``id``, else the same name, else the same place. At most ``MOST``
    are told, the last of which then says how many more there are.
    """
    found = list(_walk(before, after, path))
    if len(found) > MOST:
        found = [*found[: MOST - 1], Difference("more", "", f"{len(found) - MOST + 1} other differences")]
    return found


def _walk(before: Any, after: Any, path: tuple[str, ...]) -> list[Difference]:
    if before == after:
        return []
    if isinstance(before, Mapping) and isinstance(after, Mapping):
        return [
            one
            for key in dict.fromkeys([*before, *after])
            for one in _walk(before.get(key), after.get(key), (*path, str(key).replace("_", " ")))
        ]
    if _is_list(before) and _is_list(after) and any(isinstance(one, Mapping) for one in (*before, *after)):
        mine, theirs = _by_name(before), _by_name(after)
        found = [
            one
            for key in dict.fromkeys([*mine, *theirs])
            for one in _walk(mine.get(key), theirs.get(key), (*path, _name_of(theirs.get(key, mine.get(key)), key)))
        ]
        order = [key for key in mine if key in theirs], [key for key in theirs if key in mine]
        if not found and order[0] != order[1]:
            found.append(Difference(" › ".join((*path, "order")), "", "another order"))
        return found
    return [Difference(" › ".join(path) or "all of it", _said(before), _said(after))]


def _is_list(value: Any) -> bool:
    return isinstance(value, Sequence) and not isinstance(value, str)


def _by_name(entries: Sequence[Any]) -> dict[str, Any]:
    found: dict[str, Any] = {}
    for place, one in enumerate(entries, 1):
        key = str(one["id"]) if isinstance(one, Mapping) and one.get("id") else _name_of(one, str(place))
        while key in found:
            key += "’"
        found[key] = one
    return found


def _name_of(entry: Any, otherwise: str) -> str:
    if isinstance(entry, Mapping):
        for name in _NAMED_BY:
            if isinstance(entry.get(name), str) and entry[name]:
                return str(entry[name])
    return otherwise


def _said(value: Any) -> str:
    """A value as it is told."""
    if value is None or value == "" or value == [] or value == {}:
        return ""
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, float):
        return f"{value:.12g}"
    if isinstance(value, Mapping):
        name = _name_of(value, "")
        text = name or ", ".join(f"{key}: {_said(held)}" for key, held in value.items() if _said(held))
    elif _is_list(value):
        text = ", ".join(_said(one) for one in value)
    else:
        text = str(value)
    return text if len(text) <= LONGEST else text[: LONGEST - 1] + "…"
