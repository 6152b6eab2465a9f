"""A page: what a scorecard says for one scope, before anything is drawn. Plain frozen data.

It is written to JSON and read back unchanged, so that it can be kept, compared and drawn later, without rows,
documents or a database. Drawing is ``pages.draw``; what a page is read from is ``pages.read``.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property, lru_cache
from typing import Literal
from urllib.parse import unquote

from pydantic import TypeAdapter

from ironmark.core.numbers import Unit
from ironmark.core.palette import State
from ironmark.core.periods import Grain, Period, RowGrain
from ironmark.core.yardstick import Cut, Per, Yardstick
from ironmark.pages.model.scorecard import AsksBody, InstrumentBody
from ironmark.pages.model.standing import FewRows, Going, UsualRange

Figures = tuple[float | None, ...]
COUNTED = ("all", "member", "kpi")  # groups, the rest and earlier periods are readings of the same rows again
_SIGNS = {ord(sign): f"%{ord(sign):02X}" for sign in "%|;=,"}  # that stand between names, where a name has them itself


@dataclass(frozen=True, slots=True)
class Ask:
    """What to ask the workings of a reading for, where that is not just a member of its instrument."""

    kpi: str | None = None
    yardstick: str | None = None
    marks: tuple[str, ...] = ()
    by: str | None = None
    members: dict[str, list[str]] = field(default_factory=dict)
    period: str | None = None
    together: bool = False


@dataclass(frozen=True, slots=True)
class Partial:
    """How much of its period a reading is of."""

    days: int
    of: int
    words: str
    pro_rated: bool


@dataclass(frozen=True, slots=True)
class Moment:
    """A reading of an earlier period, KPI unit. cuts: () where none of them are drawn. usual: low, middle and high of the range
    drawn under it; begins: why a new one begins there; named: why the day there has a name; signal: whether it was one."""

    period: str
    value: float | None
    mark: float | None
    band: int
    partial: str
    cuts: Figures = ()
    usual: tuple[float, float, float] | None = None
    begins: str = ""
    named: str = ""
    new_range: bool = False
    signal: bool = False


@dataclass(frozen=True, slots=True)
class Done:
    """A step of a checklist, ``done`` from 0 to 1."""

    name: str
    done: float


@dataclass(frozen=True, slots=True)
class Mark:
    """A line a reading is measured against, KPI unit, and where it comes from: "entry" of the mark book, put
    together from "members", or "computed" by a formula."""

    name: str
    value: float
    source: str


@dataclass(frozen=True, slots=True)
class Reading:
    """One reading. Numbers are in the KPI's unit, None for none.

    key: unlike that of any other reading of its sheet. role: what it is: "all", "member", "period", "kpi", "group",
    "rest". of: what it is a reading of; the same on every sheet that shows it. subject: which of the sheet's KPIs.
    band: the index of the band it lies in, NOT_GRADED or NO_READING; state: that band's. edge: the nearer edge of
    its range where it is best inside one, and whether it lies inside. before: the band a period earlier, step by how
    many ranks it is better now. scale: what its yardstick's plain numbers are multiplied by, 1 but for a flow.
    colour: what a ramp colours it by.
    """

    key: str
    role: str
    of: str
    member: str | None
    label: str
    period: str
    subject: int
    value: float | None
    band: int
    state: str | None
    reason: str
    marks: tuple[Mark, ...]
    cuts: Figures
    gap: float | None
    attainment: float | None
    headroom: float | None
    edge: float | None
    inside: bool
    partial: Partial | None
    before: str | None
    step: int
    ask: Ask | None
    scale: float = 1.0
    colour: float | None = None
    earlier: tuple[Moment, ...] = ()
    steps: tuple[Done, ...] = ()
    usual: UsualRange | None = None
    few: FewRows | None = None
    going: Going | None = None

    @property
    def about(self) -> str:
        """The KPI, the members and the period it is a reading of, by whatever yardstick: what a note belongs to."""
        kpi, _, rest = self.of.split("|", 2) if self.of.count("|") > 2 else ("", "", "")
        return f"{kpi}|{rest}" if kpi else ""

    @property
    def narrow(self) -> str:
        """The members it is a reading of, as ``narrow_of`` writes them; "" for all rows together."""
        return self.about.partition("|")[2].rpartition("|")[0]

    @property
    def is_signal(self) -> bool:
        return self.usual is not None and bool(self.usual.signals)

    @property
    def status(self) -> str:
        return "no_reading" if self.value is None else "graded" if self.state else "not_graded"


@dataclass(frozen=True, slots=True)
class GradedBy:
    """The yardstick of a subject: its bands from the lowest values up, and its cuts as they are defined."""

    key: str
    name: str
    bands: tuple[str, ...]
    cuts: tuple[Cut, ...]
    per: Per

    def with_states(self, known: Mapping[str, State]) -> Yardstick:
        return Yardstick(self.bands, self.cuts, self.per, known)


@dataclass(frozen=True, slots=True)
class Subject:
    """A KPI that a sheet shows. unit: as it is shown there."""

    kpi: str
    handle: str
    name: str
    direction: str
    nature: str
    unit: Unit
    yardstick: GradedBy | None


@dataclass(frozen=True, slots=True)
class Colouring:
    """What a ramp colours by."""

    name: str
    unit: Unit


@dataclass(frozen=True, slots=True)
class Kinds:
    """What members are coloured by where it is no state. names: every kind, in its kept order. of: the place in
    ``names`` of each member's kind."""

    segment: str
    names: tuple[str, ...]
    of: dict[str, int]


@dataclass(frozen=True, slots=True)
class Crossing:
    """The figures of a quadrant by member, in the order of ``members``, each KPI's unit."""

    members: tuple[str, ...]
    up: Figures
    up_marks: Figures | None
    across: Figures
    across_marks: Figures | None
    across_subject: Subject
    sizes: Figures
    size_name: str


@dataclass(frozen=True)
class Sheet:
    """One instrument with what it says. instrument: its settings as they were.

    subjects: its own KPI, then the further ones. folded: the readings of members that are shown together as one; a
    tally counts them one by one. ahead: the period begins after the last row, so there is nothing to
    draw an axis for. waiting: a live source has not answered yet.
    """

    id: str
    instrument: InstrumentBody
    title: str
    problem: str | None
    notes: tuple[str, ...]
    subjects: tuple[Subject, ...]
    readings: tuple[Reading, ...]
    period: str
    grain: Grain
    folded: tuple[Reading, ...] = ()
    ahead: bool = False
    rehearsed: bool = False
    waiting: bool = False
    by_hand: str = ""
    tried: tuple[str, ...] = ()  # the assumptions it was read with other values of, by name
    reach: str = ""  # what it reads in words, where that is not what the page reads
    sorted: str = ""  # the order of its readings in words
    colouring: Colouring | None = None
    kinds: Kinds | None = None
    crossing: Crossing | None = None


@dataclass(frozen=True, slots=True)
class Assumed:
    """An assumption that a page depends on: the value that is kept, and the one it was read with."""

    key: str
    handle: str
    name: str
    unit: Unit
    least: float
    most: float
    step: float
    kept: float
    value: float
    version: int

    @property
    def tried(self) -> bool:
        return self.value != self.kept


@dataclass(frozen=True, slots=True)
class Segment:
    name: str
    label: str
    members: tuple[str, ...]


FigurePart = Literal["value", "gap", "mark", "state", "reached", "period"]


@dataclass(frozen=True, slots=True)
class Span:
    """Some words of a text. handle: of the KPI whose figure stands there; part: of its reading. member, reach: whose
    and which period's it is, where that is not what the page reads."""

    text: str
    bold: bool = False
    italic: bool = False
    href: str = ""
    handle: str = ""
    part: str = ""
    member: str = ""
    reach: str = ""

    @property
    def figure(self) -> str:
        """What ``Page.figures`` keeps its reading under; within a note after that note's ``under``."""
        return f"{self.handle}|{self.member}|{self.reach}" if self.member or self.reach else self.handle


@dataclass(frozen=True, slots=True)
class Block:
    """A heading (level 1 to 6), a paragraph, or an item of a list (level: how deep), numbered or not."""

    kind: Literal["heading", "paragraph", "item", "numbered"]
    level: int
    number: int
    spans: tuple[Span, ...]


@dataclass(frozen=True, slots=True)
class TextSheet:
    """A sheet of words as it was written, and what is wrong with the figures it names; or one that lists the notes of
    the page."""

    id: str
    blocks: tuple[Block, ...]
    problems: tuple[str, ...]
    lists: Literal["", "notes"] = ""


@dataclass(frozen=True, slots=True)
class PageNote:
    """Words about a reading that the page shows.

    about: the reading's; kpi: its name; where: its members in words, "" for all rows together. text: as it was typed.
    value: what the reading was when it was written; now: what it is on this page. again: whether it was changed since
    it was first written. saved_at: as ISO 8601 in UTC.
    """

    id: str
    about: str
    kpi: str
    where: str
    period: str
    version: int
    text: str
    blocks: tuple[Block, ...]
    problems: tuple[str, ...]
    unit: Unit
    value: float | None
    now: float | None
    state: str | None
    saved_at: str
    saved_by: str
    again: bool

    @property
    def under(self) -> str:
        """What stands before the names of its figures in ``Page.figures``."""
        return f"{self.id}/"


@dataclass(frozen=True, slots=True)
class PictureSheet:
    """A sheet with a picture, by the key it is kept under, and what it shows in words."""

    id: str
    image: str
    alt: str


@dataclass(frozen=True, slots=True)
class PageSection:
    """A section of the page: its title and which sheets stand in it."""

    id: str
    title: str
    sheets: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class RestsOn:
    """The versions a page was read from, by key."""

    documents: dict[str, dict[str, int]]  # by kind: kpi, assumption, yardstick, palette, scorecard, calendar
    marks: dict[str, int]  # mark books, by KPI
    datasets: dict[str, int]
    notes: dict[str, int] = field(default_factory=dict)  # all notes about a KPI, by KPI


@dataclass(frozen=True)
class Page:
    """A scorecard as it reads for one scope. states: those its bands carry, palette by palette, worst first."""

    title: str
    period: str
    grain: Grain
    year_start: int
    members: dict[str, tuple[str, ...]]  # what the scope is narrowed to, by segment
    periods: tuple[str, ...]
    segments: tuple[Segment, ...]
    states: tuple[State, ...]
    assumptions: tuple[Assumed, ...]
    sections: tuple[PageSection, ...]
    sheets: tuple[Sheet, ...]
    texts: tuple[TextSheet, ...]
    pictures: tuple[PictureSheet, ...]
    figures: dict[str, Sheet]  # those that texts and notes name, by ``Span.figure``
    rests_on: RestsOn
    notes: tuple[PageNote, ...] = ()
    asks: AsksBody = field(default_factory=AsksBody)
    notes_at_end: bool = True  # printed, where no sheet lists them
    rows_by: RowGrain = "day"  # the finest of its datasets: nothing finer is offered

    @cached_property
    def known(self) -> dict[str, State]:
        return {state.key: state for state in self.states}

    @property
    def settled(self) -> bool:
        """Whether nothing in it is said of what there is not, which may come without a version having changed."""
        wrong = any(sheet.problem for sheet in (*self.sheets, *self.figures.values()))
        return not wrong and not any(text.problems for text in self.texts)

    def counted(self) -> list[Reading]:
        """The readings a tally counts: each once, however many sheets show it."""
        return counted(self.sheets)

    def when(self, key: str) -> Period:
        return parsed(key, self.year_start)

    def to_json(self) -> bytes:
        return _adapter().dump_json(self)

    @classmethod
    def from_json(cls, text: bytes | str) -> Page:
        """Raises ValueError for what is no page."""
        return _adapter().validate_json(text)


def narrow_of(where: Mapping[str, Sequence[str]]) -> str:
    """Members by segment as one text, in whatever order they were named: ``line=Night freight;port=Hollin,Skarra``."""
    return ";".join(
        f"{segment.translate(_SIGNS)}={','.join(name.translate(_SIGNS) for name in sorted(set(where[segment])))}"
        for segment in sorted(where)
    )


def members_in(narrow: str) -> dict[str, list[str]]:
    """The members by segment that ``narrow_of`` wrote."""
    parts = (part.partition("=") for part in narrow.split(";") if part)
    return {unquote(segment): [unquote(name) for name in names.split(",")] for segment, _, names in parts}


def counted(sheets: Sequence[Sheet]) -> list[Reading]:
    """The readings of some sheets that a tally counts, each once."""
    shared = {id(some): some for sheet in sheets for some in (sheet.readings, sheet.folded)}  # sheets that are alike
    every = (reading for some in shared.values() for reading in some if reading.role in COUNTED)
    return list({reading.of: reading for reading in every}.values())


@lru_cache(maxsize=1)
def _adapter() -> TypeAdapter[Page]:
    return TypeAdapter(Page)


@lru_cache(maxsize=4096)
def parsed(key: str, year_start: int) -> Period:
    """A period by its key; many readings are of the same one."""
    return Period.parse(key, year_start)
