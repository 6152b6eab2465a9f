"""A page in parts that are printed one after the other: what takes a printer does so by far less than it has."""

from __future__ import annotations

from collections.abc import Generator, Iterator
from dataclasses import dataclass, field, replace
from itertools import chain
from typing import Any

from ironmark.pages.model.pictures import ReadingPicture, ScorecardPicture
from ironmark.pages.model.scorecard import ScorecardBody
from ironmark.publish.export_page import ExportPage

_ONE_DRAWING = ("quadrant", "profile")  # which hold all their readings
MOST = 420  # readings of a part; a printer holds more for each part, and takes longer in all, the more parts there are


@dataclass(frozen=True, slots=True)
class Part:
    """first, last: of the page. on: the section that the part before began; open: the list whose further readings come in
    the next part. sheets: by section, in their order; rows: of lists that come in parts, which of their readings; wide:
    those of their readings that are widest, by list."""

    first: bool = True
    last: bool = True
    on: str | None = None
    open: str | None = None
    sheets: dict[str, list[str]] = field(default_factory=dict)
    rows: dict[str, tuple[int, int]] = field(default_factory=dict)
    wide: dict[str, list[ReadingPicture]] = field(default_factory=dict)

    def body(self, whole: ScorecardBody) -> ScorecardBody:
        """The scorecard with what stands in this part."""
        sections = []
        for section in whole.sections:
            mine = self.sheets.get(section.id, [])
            kept: dict[str, Any] = {
                name: [item for item in getattr(section, name) if item.id in mine]
                for name in ("instruments", "texts", "pictures")
            }
            if any(kept.values()):
                sections.append(section.model_copy(update=kept))
        return whole.model_copy(update={"sections": sections})

    def picture(self, whole: ScorecardPicture) -> ScorecardPicture:
        shown = set(chain.from_iterable(self.sheets.values()))
        instruments = []
        for one in whole.instruments:
            if one.id not in shown:
                continue
            start, end = self.rows.get(one.id, (0, len(one.readings)))
            instruments.append(replace(one, readings=one.readings[start:end]))
        texts = type(whole.texts)(text for text in whole.texts if text.id in shown)
        return replace(whole, instruments=type(whole.instruments)(instruments), texts=texts)

    def told(self, whole: ScorecardPicture) -> dict[str, Any]:
        """What whoever draws it is told of it."""
        listed = [one for one in whole.instruments if one.id in self.rows]
        return {
            "first": self.first, "last": self.last, "on": self.on, "open": self.open,
            "from": {key: start for key, (start, _) in self.rows.items()},
            "of": {one.id: len(one.readings) for one in listed},
            "wide": [reading for one in listed for reading in self.wide[one.id]],
        }  # fmt: skip


def parts(leaf: ExportPage) -> Generator[Part, int, None]:
    """The parts of a page. To be sent how many readings of its open list found room in the part before."""
    readings = {
        sheet.id: picture.readings for _, sheet, picture in leaf.sheets() if sheet.instrument.face not in _ONE_DRAWING
    }
    counts = {key: len(held) for key, held in readings.items()}
    part, count = Part(last=False), 0
    for section, sheets in _placed(leaf.frozen.body):
        short = [key for key in sheets if counts.get(key, 0) <= MOST]
        many = sum(counts.get(key, 1) for key in short)
        if short and count and count + many > MOST:
            yield part
            part, count = Part(first=False, last=False), 0
        if short:
            part.sheets.setdefault(section, []).extend(short)
            count += many
        for key in (key for key in sheets if key not in short):
            at, wide = 0, widest(readings[key])  # looked for once, however many parts there are
            while (rest := counts[key] - at) > 0:
                some = min(rest, MOST)
                part.sheets.setdefault(section, []).append(key)
                part.rows[key], part.wide[key] = (at, at + some), wide
                count += some
                if some == rest:
                    break
                at = max((yield replace(part, open=key)) or 0, at + 1)
                part, count = Part(first=False, last=False, on=section), 0
    yield replace(part, last=True)


def _placed(body: ScorecardBody) -> Iterator[tuple[str, list[str]]]:
    for section in body.sections:
        items: list[Any] = [*section.instruments, *section.texts, *section.pictures]
        if items:
            yield section.id, [item.id for item in items]


def widest(readings: tuple[ReadingPicture, ...] | list[ReadingPicture]) -> list[ReadingPicture]:
    """Those readings of a list whose texts are the longest, so that every part of it is as wide."""
    found: dict[str, ReadingPicture] = {}
    for name in ("label", "shown", "gap_shown", "attainment_shown", "headroom_shown", "status"):
        most = max(readings, key=lambda one, name=name: len(getattr(one, name)))  # type: ignore[misc]
        found[most.key] = most
    marked = [one for one in readings if one.marks]
    if marked:
        most = max(marked, key=lambda one: len(one.marks[0].shown))
        found[most.key] = most
    for state in {one.state for one in readings}:
        most = next(one for one in readings if one.state == state)
        found[most.key] = most
    trail = max(readings, key=lambda one: len(one.trail))
    found[trail.key] = trail
    return list(found.values())
