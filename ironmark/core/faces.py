"""The faces there are, and what each of them can do: one table, which the interface is served as well.

A new face is an entry here, a drawing under ``web/src/faces`` and a sentence of settings on the bench.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

Axis = Literal["open", "from_zero", "to_mark"]
Figure = Literal["above", "below", "within"]


@dataclass(frozen=True)
class Face:
    """What a face can do.

    phrase: how the brief names it. many: how it takes several readings: "together" as rows or marks of one drawing,
    "each" as one small drawing each, "only" where it draws nothing else. size: columns and rows a new one takes.
    kpis: whether it can list KPIs side by side. axis: "to_mark" for progress from nothing to a mark, what lies past
    it being an overrun; "from_zero" for bars whose length tells the amount; "open" where values, cuts and marks fit.
    ends: whether its axis can be given its ends. ticks: whether it has tick marks of its own. full: whether a full
    track can stand for each reading's own mark.
    trail: whether it shows earlier periods small. cuts: whether it writes the cuts of a list of readings too.
    listed: whether even one reading is listed. states: whether it tells the state by itself and needs no figure
    beside it. drags: whether cuts and marks can be dragged on it. legend: whether nothing else on it names the
    colours of several readings. sorted: whether its readings stand in an order. reaches: whether the sheet says how
    much of the mark is reached. shrinks: small ones beside each other are drawn narrower. figure: where the figure of
    a single reading stands. names_state: whether the state's word is part of it. steps: whether it shows steps, which
    can be ticked where they are kept by hand.
    """

    key: str
    name: str
    phrase: str
    many: Literal["together", "each", "only"]
    size: tuple[int, int]
    kpis: bool = False
    axis: Axis = "open"
    ends: bool = False
    ticks: bool = False
    full: bool = False
    trail: bool = False
    cuts: bool = False
    listed: bool = False
    states: bool = False
    drags: bool = False
    legend: bool = False
    sorted: bool = True
    reaches: bool = False
    shrinks: bool = False
    figure: Figure = "above"
    names_state: bool = False
    steps: bool = False


TABLE = (
    Face("dial", "Dial", "a dial", "each", (3, 6), ends=True, ticks=True, cuts=True, drags=True, shrinks=True, figure="below"),
    Face("bullet", "Bullet", "a bullet", "together", (4, 4), ends=True, ticks=True, drags=True),
    Face("bar", "Bar", "a bar of progress", "together", (4, 4), axis="to_mark", ends=True, ticks=True, full=True, reaches=True),
    Face("column", "Column", "a column", "each", (3, 5), axis="to_mark", ends=True, ticks=True, full=True, cuts=True, reaches=True, shrinks=True),
    Face("ring", "Ring", "a ring", "each", (3, 5), axis="to_mark", ends=True, full=True, cuts=True, reaches=True, figure="within"),
    Face("pips", "Pips", "pips", "together", (4, 4), axis="to_mark", ends=True, steps=True),
    Face("lamp", "Lamp", "a lamp", "together", (3, 3), kpis=True, states=True),
    Face("tile", "Tile", "a tile", "together", (3, 3), kpis=True, states=True, names_state=True),
    Face("chip", "Chip", "a chip", "together", (3, 3), kpis=True, states=True, names_state=True),
    Face("figure", "Figure", "a figure", "each", (3, 4), trail=True, cuts=True),
    Face("ledger", "Ledger", "a ledger", "together", (8, 7), ends=True, kpis=True, listed=True),
    Face("ranked", "Ranked bars", "ranked bars", "together", (6, 6), axis="from_zero", ends=True, ticks=True, legend=True),
    Face("quadrant", "Quadrant", "a quadrant", "only", (6, 9), listed=True, sorted=False),
    Face("profile", "Round profile", "a round profile", "only", (5, 8), kpis=True, axis="from_zero", ends=True, ticks=True, listed=True,
         legend=True, sorted=False),
    Face("history", "History", "a history", "each", (6, 5), ends=True, ticks=True, cuts=True, drags=True),
    Face("strip", "State strip", "a state strip", "together", (6, 4), trail=True, legend=True),
)  # fmt: skip
FACES = {face.key: face for face in TABLE}
