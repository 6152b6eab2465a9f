"""Notes and what they are about, in words: from a page alone."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence

from ironmark.core.palette import State
from ironmark.pages.model.page import Page, PageNote, Reading, members_in


def where_words(members: Mapping[str, Sequence[str]]) -> str:
    """Whose a reading is: ``Night freight``, or ``Night freight, Marram``; "" for all rows together."""
    return ", ".join(name for segment in sorted(members) for name in members[segment])


def moved(note: PageNote) -> bool:
    """Whether the reading has another value than when its note was written."""
    if note.value is None or note.now is None:
        return note.value is not note.now
    return not math.isclose(note.value, note.now, rel_tol=1e-9)


def asked(page: Page) -> list[Reading]:
    """The readings of a page that need a word, each once, the worst first."""
    asks = page.asks
    if not asks.any:
        return []
    worst = {
        subject.yardstick.key: min((page.known[b] for b in subject.yardstick.bands), key=lambda s: s.rank).key
        for sheet in page.sheets
        for subject in sheet.subjects
        if subject.yardstick and all(band in page.known for band in subject.yardstick.bands)
    }
    chosen = set(asks.readings)
    found: dict[str, Reading] = {}
    for reading in page.counted():
        if not reading.about:
            continue
        kpi_and_members = reading.about.rpartition("|")[0]
        yardstick = reading.of.split("|", 2)[1]
        if (
            (asks.worst and reading.state is not None and reading.state == worst.get(yardstick))
            or (asks.fell and reading.step < 0)
            or (asks.signals and reading.is_signal)
            or kpi_and_members in chosen
        ):
            found.setdefault(reading.about, reading)
    return sorted(found.values(), key=lambda reading: _rank(reading, page.known))


def label_of(page: Page, reading: Reading) -> str:
    """What a reading is called away from its sheet: ``Night freight · On-time departures``."""
    kpi = reading.about.partition("|")[0]
    names = where_words(members_in(reading.narrow))
    name = next((s.name for sheet in page.sheets for s in sheet.subjects if s.kpi == kpi), "")
    return " · ".join(part for part in (names, name) if part)


def _rank(reading: Reading, known: Mapping[str, State]) -> int:
    return known[reading.state].rank if reading.state and reading.state in known else len(known) + 1


def listed(page: Page) -> list[PageNote]:
    """The notes of a page by state, the worst first; each state's in the order of the page."""
    return sorted(page.notes, key=lambda note: page.known[note.state].rank if note.state in page.known else 99)


def heading(note: PageNote) -> str:
    return " · ".join(part for part in (note.where, note.kpi) if part)
