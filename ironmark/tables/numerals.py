"""Figures in the digits of other scripts, ٢٠٢٦ or ２０２６, as those that everything here is read by."""

from __future__ import annotations

import re
import unicodedata

_OTHER = re.compile(r"(?![0-9])\d|[٫٬٪]")


class _Plain(dict[int, str]):
    """Each sign as it is read, found when it is first met."""

    def __missing__(self, code: int) -> str:
        sign = chr(code)
        self[code] = str(unicodedata.decimal(sign)) if sign.isdecimal() else sign
        return self[code]


_PLAIN = _Plain({0x066B: ".", 0x066C: ",", 0x066A: "%", 0xFF05: "%", 0xFF0E: ".", 0xFF0C: ","})


def has_others(text: str) -> bool:
    """Whether a text has digits of another script."""
    return not text.isascii() and _OTHER.search(text) is not None


def in_plain_digits(text: str) -> str:
    """The same text with its digits, and the signs that stand among these alone, as 0 to 9."""
    return text.translate(_PLAIN) if has_others(text) else text
