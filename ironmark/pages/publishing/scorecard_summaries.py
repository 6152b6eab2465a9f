"""How a scorecard stands, at a glance: its tally, its readings with what was before, and its sheets as small as a
stamp. Made from its page whenever something that rests under it has changed, never while somebody waits."""

from __future__ import annotations

import gzip
import time
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache

from pydantic import TypeAdapter
from sqlalchemy.orm import Session

from ironmark.pages.context.reading_context import ReadingContext
from ironmark.pages.context.response_cache import told_now
from ironmark.pages.context.source_registry import Sources
from ironmark.pages.drawing.draw import draw_page
from ironmark.pages.drawing.draw_texts import as_text
from ironmark.pages.model.note_words import label_of
from ironmark.pages.model.page import Page, Reading, RestsOn, Segment
from ironmark.pages.model.pictures import InstrumentPicture, ReadingPicture, ScorecardPicture, TallyPart
from ironmark.pages.model.scorecard import PictureBody, ScorecardBody, TextBody
from ironmark.pages.reading.read import read_page
from ironmark.store import change_log, glances, records
from ironmark.store.database import Missing

LIVE_S = 60.0  # how often a scorecard on a live source is looked at: it has no versions
MOST_ROWS = 7  # of a sheet that is drawn as small as a stamp
SIGNED = 90  # characters of a note beside a change


@dataclass(frozen=True, slots=True)
class Glimpse:
    """A reading of a scorecard. about: as a note has it; sheet: one that shows it, and its key there. before: its state
    a period earlier; note: the first words of its note; wanted: asked for a note that it has not."""

    about: str
    name: str
    sheet: str
    key: str
    shown: str
    against: str
    state: str | None
    rank: int
    before: str | None
    step: int
    note: str
    wanted: bool
    signal: str = ""  # why it is one, in words
    usual: str = ""  # its usual range; "" where none is known
    few: bool = False  # of too few rows to tell its state
    partial: bool = False  # of a period that is not over

    @property
    def place(self) -> str:
        """Its KPI and members, whatever the period."""
        return self.about.rpartition("|")[0]


@dataclass(frozen=True, slots=True)
class Glance:
    title: str
    period: str
    period_label: str
    previous_label: str
    partial: str
    tally: tuple[TallyPart, ...]
    readings: tuple[Glimpse, ...]
    ranks: dict[str, int]
    segments: tuple[Segment, ...]
    rests_on: RestsOn
    still: bool


@dataclass(frozen=True, slots=True)
class Stamp:
    """A sheet as small as a stamp. x, y, w, h: its place on the page in the grid's columns and rows. kind: which form it
    is drawn in; rows: of its readings, how far each goes (0 to 1) and its state; bands: of a dial, from where to where and
    of which state; of a quadrant its dots, across and up."""

    x: int
    y: int
    w: int
    h: int
    kind: str
    rows: tuple[tuple[float, str | None], ...]
    bands: tuple[tuple[float, float, str], ...] = ()


@lru_cache(maxsize=1)
def _glance() -> TypeAdapter[Glance]:
    return TypeAdapter(Glance)


@lru_cache(maxsize=1)
def _stamps() -> TypeAdapter[tuple[Stamp, ...]]:
    return TypeAdapter(tuple[Stamp, ...])


def unpacked(body: bytes) -> Glance:
    return _glance().validate_json(gzip.decompress(body))


def held(sources: Sources, session: Session, kept: Mapping[str, glances.Kept]) -> dict[str, Glance]:
    """Glances by their scorecard. One that was unpacked before is neither read nor unpacked again."""
    found = sources.seen.several(
        {(key, one.number): ("glance", key, one.number, one.rests) for key, one in kept.items()},
        lambda missing: {place: unpacked(body) for place, body in glances.bodies(session, missing).items()},
    )
    return {scorecard: glance for (scorecard, _), glance in found.items()}


def reads_as_all(context: ReadingContext, body: bytes) -> bool:
    """Whether a glance, packed, is how whoever asks reads the scorecard too: all rows under it are opened to them."""
    return context.eyes.read_all_rows or reads_as(context, unpacked(body))


def reads_as(context: ReadingContext, glance: Glance) -> bool:
    return context.eyes.reads_as({key: [] for key in glance.rests_on.datasets})


def own_glance(context: ReadingContext, key: str, stamp: object) -> tuple[Glance, bytes]:
    """A scorecard at a glance with the eyes of who reads some rows only, and its stamps; kept until anything changes."""
    place = ("own glance", key, context.eyes.key, stamp)
    return context.sources.seen.several({key: place}, lambda _: {key: _own(context, key)})[key]


def _own(context: ReadingContext, key: str) -> tuple[Glance, bytes]:
    body = context.scorecard(key)
    page = read_page(context, body, body.scope)
    picture = draw_page(page, context.style)
    return glance_of(page, True, picture), _stamps().dump_json(stamps_of(body, picture))


def stamps_json(drawing: bytes) -> bytes:
    return gzip.decompress(drawing)


def _packed(json: bytes) -> bytes:
    return gzip.compress(json, 4, mtime=0)


def glance_of(page: Page, still: bool, picture: ScorecardPicture) -> Glance:
    drawn: dict[str, tuple[str, ReadingPicture]] = {}
    for instrument in picture.instruments:
        for shown in instrument.readings:
            if shown.about:
                drawn.setdefault(shown.about, (instrument.id, shown))
    notes = {note.about: " ".join(as_text(note.blocks).split()) for note in picture.notes}
    found: dict[str, Glimpse] = {}
    for reading in page.counted():
        if reading.about in found or reading.about not in drawn:
            continue
        sheet, shown = drawn[reading.about]
        said = notes.get(reading.about, "")
        found[reading.about] = Glimpse(
            about=reading.about, name=label_of(page, reading), sheet=sheet, key=shown.key, shown=shown.shown,
            against=shown.gap_words or shown.band_words, state=reading.state, rank=_rank(page, reading),
            before=reading.before, step=reading.step, note=said if len(said) <= SIGNED else said[: SIGNED - 1] + "…",
            wanted=shown.word == "wanted", signal=shown.usual.signal if shown.usual else "",
            usual=shown.usual.range if shown.usual else "", few=bool(shown.few), partial=shown.partial is not None,
        )  # fmt: skip
    return Glance(
        page.title, page.period, picture.period_label, picture.previous_label, picture.partial, tuple(picture.tally),
        tuple(found.values()), {state.key: state.rank for state in page.states}, page.segments, page.rests_on, still,
    )  # fmt: skip


def _rank(page: Page, reading: Reading) -> int:
    return page.known[reading.state].rank if reading.state and reading.state in page.known else 0


_DIALS, _RINGS = {"dial"}, {"ring", "profile"}
_PLATES = {"lamp", "tile", "chip", "pips"}


def stamps_of(body: ScorecardBody, picture: ScorecardPicture) -> tuple[Stamp, ...]:
    """The sheets of a page one section under the other, each in its place."""
    pictures = {one.id: one for one in picture.instruments}
    found: list[Stamp] = []
    top = 0
    for section in body.sections:
        bottom = 0
        for one in section.instruments:
            found.append(Stamp(one.x, top + one.y, one.w, one.h, *_small(one.face, pictures[one.id])))
            bottom = max(bottom, one.y + one.h)
        worded: list[TextBody | PictureBody] = [*section.texts, *section.pictures]
        for words in worded:
            found.append(Stamp(words.x, top + words.y, words.w, words.h, "words", ()))
            bottom = max(bottom, words.y + words.h)
        top += bottom
    return tuple(found)


def _small(
    face: str, picture: InstrumentPicture
) -> tuple[str, tuple[tuple[float, str | None], ...], tuple[tuple[float, float, str], ...]]:
    readings = picture.readings[:MOST_ROWS]
    rows = tuple((round(min(1.0, max(0.0, one.fraction)), 3), one.state) for one in readings)
    if picture.quadrant is not None:
        return "dots", (), tuple((round(dot.x, 3), round(dot.y, 3), dot.state) for dot in picture.quadrant.dots[:30])
    if len(readings) == 1 and readings[0].history is not None:
        points = [p for p in readings[0].history.points if p.fraction is not None][-12:]
        return "history", tuple((round(p.fraction or 0.0, 3), p.state) for p in points), ()
    if len(readings) == 1 and face in _DIALS:
        return "dial", rows, tuple((round(b.start, 3), round(b.end, 3), b.state) for b in readings[0].bands)
    if len(readings) == 1 and face in _RINGS:
        return "ring", rows, ()
    if face in _PLATES or face == "strip":
        return "plates", rows, ()
    return "bars", rows, ()


# Keeping up


class Glancing:
    """Keeps the glances of all scorecards up: looks which rest on versions that have changed since."""

    def __init__(self, sources: Sources) -> None:
        self._sources = sources
        self._rests_on: dict[str, tuple[RestsOn, bool]] = {}
        self._stamp: change_log.Stamp | None = None
        self._live_at, self._live = 0.0, False

    def changed(self, stamp: change_log.Stamp) -> bool:
        """Whether anything at all was changed since this was last asked, or a live source may have. stamp: of all
        versions, as it is now."""
        before, self._stamp = self._stamp, stamp
        return stamp != before or (self._live and time.monotonic() - self._live_at > LIVE_S)

    def again(self) -> None:
        """Have the next look look at everything."""
        self._stamp = None

    def look(self) -> None:
        """Make anew every glance whose versions are not those it was made at, each by itself."""
        with self._sources.readings() as session:
            keys = [head.id for head in records.heads(session, "scorecard")]
            kept = glances.newest(session)
            before = held(self._sources, session, kept)
        looks_live = time.monotonic() - self._live_at > LIVE_S
        if looks_live:
            self._live_at = time.monotonic()
        for key in keys:
            last = kept.get(key)
            with self._sources.reading_behind() as session:
                if key not in self._rests_on and key in before:
                    self._rests_on[key] = before[key].rests_on, before[key].still
                rests_on, still = self._rests_on.get(key, (None, True))
                as_read = last is not None and rests_on is not None and last.rests == told_now(session, rests_on)
                if as_read and (still or not looks_live):
                    continue
                context = ReadingContext(self._sources, session)
                try:
                    body = context.scorecard(key)
                except Missing:
                    continue  # deleted meanwhile
                page = read_page(context, body, body.scope)
                still = context.is_cacheable and page.settled
                found = told_now(session, page.rests_on)
            picture = draw_page(page, context.style)
            made = glance_of(page, still, picture)
            self._rests_on[key] = page.rests_on, still
            drawing = _packed(_stamps().dump_json(stamps_of(body, picture)))
            as_before = key in before and _stands(before[key]) == _stands(made)
            with self._sources.changes() as session:
                glances.put(session, key, found, _packed(_glance().dump_json(made)), drawing, as_before)
        self._live = any(not still for _, still in self._rests_on.values())
        for gone in self._rests_on.keys() - set(keys):
            del self._rests_on[gone]
        if kept.keys() - set(keys):
            with self._sources.changes() as session:
                glances.keep_only(session, keys)


def _stands(glance: Glance) -> dict[str, str | None]:
    """What a change since a glance is told by."""
    return {reading.about: reading.state for reading in glance.readings}


@dataclass(frozen=True, slots=True)
class Moved:
    """A reading whose state is another one than it was. scorecard: one that shows it."""

    scorecard: str
    reading: Glimpse
    before: str
    better: bool


def moved(now: Mapping[str, Glance], was: Mapping[str, Glance] | None, order: Sequence[str]) -> list[Moved]:
    """The readings of some scorecards that changed state, each once, on the first in ``order`` that shows it; signals
    first, then what no usual range is known of, then the rest, periods that are not over last; of these the worst first, what fell before what rose. was: how they stood when they are held against that; None against the period
    before."""
    found: dict[str, Moved] = {}
    for key in order:
        glance = now[key]
        earlier = {one.place: one.state for one in was[key].readings} if was and key in was else {}
        for reading in glance.readings:
            before = reading.before if was is None else earlier.get(reading.place)
            if reading.state is None or before is None or before == reading.state:
                continue
            if before not in glance.ranks:
                continue
            better = reading.rank > glance.ranks[before]
            found.setdefault(reading.about, Moved(key, reading, before, better))
    return sorted(found.values(), key=_telling)


def _telling(one: Moved) -> tuple[int, bool, int, str]:
    reading = one.reading
    return (
        0 if reading.signal else 3 if reading.partial else 2 if reading.usual else 1,
        one.better,
        reading.rank,
        reading.name,
    )
