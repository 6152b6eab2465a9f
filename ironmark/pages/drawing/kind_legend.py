"""The legend of the kinds that members are of."""

from __future__ import annotations

from ironmark.core.kinds import KINDS, OTHERS, shade_of
from ironmark.pages.model.page import Kinds
from ironmark.pages.model.pictures import KindPicture


def kind_legend(kinds: Kinds, members: set[str]) -> list[KindPicture]:
    """The kinds that some members are of, each with its colour; those past the last colour as one."""
    used = sorted({kinds.of[member] for member in members if member in kinds.of})
    told = [KindPicture(kinds.names[at], shade_of(at)) for at in used if at < len(KINDS)]
    others = [at for at in used if at >= len(KINDS)]
    if others:
        told.append(KindPicture(kinds.names[others[0]] if len(others) == 1 else f"{len(others)} others", OTHERS))
    return told
