"""The name that was most likely meant by one that nothing is called."""

from __future__ import annotations

import unicodedata
from collections.abc import Iterable

from rapidfuzz import fuzz, process

# Letters that few keyboards have and that are no letter with an accent.
LETTERS = {"æ": "ae", "œ": "oe", "ø": "o", "ł": "l", "đ": "d", "ð": "d", "þ": "th", "ı": "i"}
_LETTERS = str.maketrans(LETTERS)


def folded(text: str) -> str:
    """A text as it is compared where something is looked for: without case and accents, syllables of Hangul whole."""
    if text.isascii():  # as most are
        return text.lower()
    plain = unicodedata.normalize("NFKD", text.casefold())
    bare = "".join(letter for letter in plain if not unicodedata.combining(letter)).translate(_LETTERS)
    return unicodedata.normalize("NFC", bare)


def nearest(name: str, known: Iterable[str], likeness: float = 0.6) -> str | None:
    """The one of ``known`` that is most like a name, or has it in it; None where none is.

    likeness: 0 to 1, the share of letters that both have in one order, from which two are alike; case and accents are
    nothing to it. Source: normalised InDel similarity, as RapidFuzz works it out.
    """
    by_folded = {folded(one): one for one in reversed(list(known))}
    wanted = folded(name)
    alike = process.extractOne(wanted, list(by_folded), scorer=fuzz.ratio, score_cutoff=100 * likeness)
    found = alike[0] if alike else next((one for one in by_folded if wanted and wanted in one), None)
    return by_folded[found] if found is not None else None


def did_you_mean(name: str, known: Iterable[str], sign: str = "", quoted: bool = True) -> str:
    """The same as words to put behind what is not known; "" where none is like it. sign: what stands before a name."""
    found = nearest(name, known)
    if found is None:
        return ""
    return f"; did you mean “{sign}{found}”?" if quoted else f"; did you mean {sign}{found}?"
