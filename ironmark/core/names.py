"""Names as formulas write them: a letter or _ first, then letters, digits and _, in any alphabet. Vowels and tones that stand above or
below a letter (Thai, Hindi, Arabic) are part of it, which is more than ``\\w`` has in Python."""

from __future__ import annotations

import re
import unicodedata


def _marks() -> str:
    """The signs that go along with a letter, as ranges within the brackets of a pattern."""
    held = [code for code in range(0x300, 0x10000) if unicodedata.category(chr(code)).startswith("M")]
    ends: list[list[int]] = []
    for code in held:
        if ends and ends[-1][1] == code - 1:
            ends[-1][1] = code
        else:
            ends.append([code, code])
    return "".join(f"{chr(first)}-{chr(last)}" if last > first else chr(first) for first, last in ends)


MARKS = _marks()
NAME = rf"[^\W\d][\w{MARKS}]*"
_NAME, _BETWEEN, _BETWEEN_WORDS = re.compile(NAME), re.compile(rf"[^\w{MARKS}]+"), re.compile(rf"(?:[^\w{MARKS}]|_)+")


_NO_BEGIN = re.compile(f"^[_{MARKS}]+")
# İ has its dot beside it; what Thai and Lao write as one vowel is two.
_TOGETHER = ("i\u0307", "i"), ("\u0e4d\u0e32", "\u0e33"), ("\u0ecd\u0eb2", "\u0eb3")


def is_name(text: str) -> bool:
    return _NAME.fullmatch(text) is not None


def as_name(text: str, words: bool = False) -> str:
    """A text in small letters as one word: whatever no name holds becomes _. words: several _ become one. It may begin with
    a digit, and be empty."""
    plain = unicodedata.normalize("NFKC", text).strip().lower()
    for apart, together in _TOGETHER:
        plain = plain.replace(apart, together)
    return _NO_BEGIN.sub("", (_BETWEEN_WORDS if words else _BETWEEN).sub("_", plain)).strip("_")
