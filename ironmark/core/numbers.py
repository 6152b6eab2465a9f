"""Numbers as people type and read them, by the unit of their KPI."""

from __future__ import annotations

import datetime as dt
import math
import re
from dataclasses import dataclass
from decimal import ROUND_HALF_UP, Decimal
from functools import lru_cache
from typing import Literal

from babel import Locale, UnknownLocaleError
from babel.dates import format_date
from babel.numbers import get_currency_symbol, get_decimal_symbol, get_group_symbol

DEFAULT_LOCALE = "en_GB"
MINUS = "−"
UnitKind = Literal["number", "percent", "currency", "duration"]
SECONDS = {"s": 1.0, "min": 60.0, "h": 3600.0}
_SCALES = {"k": 1e3, "m": 1e6, "bn": 1e9}
_TYPED = re.compile(
    r"^([+\-−–]?)\s*([\d.,\s\u00a0\u202f'’_]*\d[\d.,\s\u00a0\u202f'’_]*|\.\d+)(?:e([+-]?\d{1,3}))?\s*(bn|k|m)?\s*(%|points?|pp)?$",
    re.I,
)


_CLOCK = re.compile(
    r"^([-−–])?\s*(?:(\d+):(\d{1,2})|(?=.*[a-z])(?:([\d.,]+)\s*h(?:ours?)?)?\s*(?:([\d.,]+)\s*m(?:in)?)?\s*(?:([\d.,]+)\s*s)?)$",
    re.I,
)


@dataclass(frozen=True)
class Unit:
    """What a KPI is measured in. ``currency`` is an ISO 4217 code; ``text`` follows a plain number, and says of a
    duration what its values count: ``s``, ``min`` or ``h``. ``sign`` writes the plus of positive values too."""

    kind: UnitKind = "number"
    decimals: int = 0
    currency: str = "GBP"
    text: str = ""
    compact: bool = False
    sign: bool = False


@dataclass(frozen=True, eq=False, slots=True)
class NumberStyle:
    """How a locale writes numbers; see ``style_of``, which makes one of each."""

    locale: str
    decimal: str
    group: str
    currency_first: bool
    currency_gap: str
    percent_gap: str


@lru_cache(maxsize=64)
def style_of(locale: str) -> NumberStyle:
    """How a locale such as en_GB or de_DE writes numbers. Raises ValueError for one that is not known."""
    # Asked of Babel once a locale: its formatting looks the locale up at every number.
    try:
        known = Locale.parse(locale)
    except (UnknownLocaleError, ValueError, TypeError):
        raise ValueError(f"“{locale}” is no locale; use one such as en_GB or de_DE") from None
    money, percent = (
        str(found[key].pattern).split(";")[0]
        for found, key in ((known.currency_formats, "standard"), (known.percent_formats, None))
    )
    return NumberStyle(
        locale,
        get_decimal_symbol(known),
        get_group_symbol(known),
        money.startswith("¤"),
        "\u00a0" if "\u00a0" in money else "",
        "\u00a0" if "\u00a0" in percent else "",
    )


class NotANumber(ValueError):
    """Typed text that is no number; its message says what to type."""


def understand(typed: str, unit: Unit, style: NumberStyle) -> float:
    """Read a number as it was typed, in the KPI's unit. Raises NotANumber.

    A percent is a fraction: ``88``, ``88%`` and ``0.88`` are all 0.88, that is, a bare number above 1 in size
    counts as percent. Thousands and decimal signs are told apart by where they stand.
    """
    text = typed.strip()
    if unit.kind == "duration" and (clock := _CLOCK.match(text)):
        parts = [float(part.replace(",", ".")) if part else 0.0 for part in clock.groups()[1:]]
        hours, minutes, more_hours, more_minutes, seconds = parts
        total = (hours + more_hours) * 3600 + (minutes + more_minutes) * 60 + seconds
        return (-total if clock[1] else total) / SECONDS[_base(unit)]
    for sign in {symbol(unit.currency, style), unit.currency, unit.text} - {""}:
        text = text.replace(sign, "")
    found = _TYPED.match(text.strip())
    if not found:
        raise NotANumber(f"“{typed.strip()[:40]}” is not a number; type for example {_example(unit)}")
    sign, digits, power, scale, percent = found.groups()
    value = float(_plain(digits)) * 10.0 ** int(power or 0) * _SCALES.get((scale or "").lower(), 1.0)
    if not math.isfinite(value):
        raise NotANumber("the number is too large")
    if percent and unit.kind != "percent":
        raise NotANumber(f"this KPI is no percent; type for example {_example(unit)}")
    if unit.kind == "percent" and (percent or value > 1):
        value /= 100
    return -value if sign and sign in "-−–" else value


def _example(unit: Unit) -> str:
    return {"percent": "88, 88% or 0.88", "currency": "1200 or 1.2k", "number": "42 or 42.5",
        "duration": "1 h 35 min, 1:35 or 95",
    }[unit.kind]  # fmt: skip


def _plain(digits: str) -> str:
    digits = re.sub(r"[\s\u00a0\u202f'’_]", "", digits)
    last = max(digits.rfind("."), digits.rfind(","))
    if last < 0:
        return digits
    sign, tail = digits[last], digits[last + 1 :]
    # A single comma before exactly three digits groups thousands; any other last sign is the decimal one.
    # Nothing and 0 have no thousands: 0,885 is a fraction, as 0.885 is.
    whole = digits[:last].strip("0") != ""
    grouping = digits.count(sign) > 1 or (sign == "," and len(tail) == 3 and "." not in digits and whole)
    if grouping:
        return digits.replace(",", "").replace(".", "")
    return digits[:last].replace(",", "").replace(".", "") + "." + (tail or "0")


def show(
    value: float | None, unit: Unit, style: NumberStyle, *, sign: bool = False, decimals: int | None = None
) -> str:
    """A value as it is read, with its unit: ``90.8%``, ``£412.6k``, ``41.2 L``, ``−3``; empty for none."""
    if value is None or not math.isfinite(value):
        return ""
    places = unit.decimals if decimals is None else decimals
    sign = sign or unit.sign
    if unit.kind == "duration":
        whole, shown, places = _time(abs(value), unit, places)
        body = _clock(shown, whole, places, style)
    else:
        shown, suffix, places = _scaled(value, unit, places)
        body = _digits(shown, places, style)
    prefix = MINUS if value < 0 else "+" if sign else ""
    if prefix and not any(figure in "123456789" for figure in body):
        prefix = ""  # nothing is left of it at these decimals
    if unit.kind == "duration":
        return f"{prefix}{body}"
    if unit.kind == "percent":
        return f"{prefix}{body}{style.percent_gap}%"
    if unit.kind == "currency":
        money = symbol(unit.currency, style)
        gap = style.currency_gap or ("\u00a0" if (money[-1:] if style.currency_first else money[:1]).isalpha() else "")
        if style.currency_first:
            return f"{prefix}{money}{gap}{body}{suffix}"  # £5, SEK 5
        return f"{prefix}{body}{suffix}{gap}{money}"
    return f"{prefix}{body}{suffix} {unit.text}" if unit.text else f"{prefix}{body}{suffix}"


def scale(value: float, unit: Unit, places: int) -> tuple[float, str]:
    """The size of a value as its digits are written, and what follows them: (412.6, "k")."""
    if unit.kind == "percent":
        return abs(round(value * 100, 12)), ""
    size = abs(value)
    if unit.compact or size >= 1e12:
        for name, factor in (("bn", 1e9), ("m", 1e6), ("k", 1e3)):
            # What would be rounded up to 1,000 of a scale is written in the next one: £1.0m, never £1000.0k.
            if size >= factor * (1 - 0.5 * 10.0 ** -(places + 3)):
                return size / factor, name
    return size, ""


def _scaled(value: float, unit: Unit, places: int) -> tuple[float, str, int]:
    """The size of a value rounded as its digits are written, what follows them, and how many decimals these have."""
    size, suffix = scale(value, unit, places)
    shown = round_half_up(size, places)
    if unit.compact and not suffix and unit.kind == "number" and (shown >= 10 or shown.is_integer()):
        # Decimals are for what was scaled: 22.5k, but 227, and a gap of 80 to a mark of 306.8.
        return round_half_up(size), suffix, 0
    return shown, suffix, places


def round_half_up(value: float, places: int = 0) -> float:
    """Rounded with a half going away from zero, as people do, by the decimals that ``value`` prints with: 2.5 is 3, and
    0.285 to two places 0.29. What is too large to have decimals stays."""
    if not abs(value) < 1e15:
        return value
    written = repr(float(value))
    if (written.endswith("5") and written[-2 - places : -1 - places] == ".") or "e" in written or places < 0:
        return float(Decimal(written).quantize(Decimal(1).scaleb(-places), ROUND_HALF_UP))
    return round(value, places)


def _digits(size: float, places: int, style: NumberStyle) -> str:
    """The digits of a size that was rounded."""
    if size >= 1e15:
        return f"{size:.{min(places, 3)}e}".replace("e+", " × 10^")
    return group(f"{size:,.{places}f}", style)


def group(digits: str, style: NumberStyle) -> str:
    """Python's ``1,234.5`` with the locale's own signs."""
    decimal, thousands = style.decimal, style.group
    return digits if (decimal, thousands) == (".", ",") else digits.translate({44: thousands, 46: decimal})


@lru_cache(maxsize=8192)
def show_day(day: dt.date, style: NumberStyle) -> str:
    """A day as the locale writes it: ``1 Oct 2026``."""
    return format_date(day, "medium", locale=style.locale)


@lru_cache(maxsize=256)
def symbol(currency: str, style: NumberStyle) -> str:
    """A currency's sign as the locale writes it; its code where it has none."""
    return get_currency_symbol(currency, locale=style.locale)


def _base(unit: Unit) -> str:
    return unit.text if unit.text in SECONDS else "min"


def _time(size: float, unit: Unit, places: int) -> tuple[Literal["h", "min", "s"], float, int]:
    """How long a size is, rounded as it is written: in hours and minutes (then counted in minutes), else in the largest
    unit there is a whole one of; with the decimals it has."""
    each = SECONDS[_base(unit)] / 60  # minutes
    minutes = round_half_up(size * each, places if _base(unit) != "s" or size >= 60 else 12)
    if minutes >= 60 or round_half_up(size * each) >= 60:
        return "h", round_half_up(size * each), 0
    if _base(unit) != "s" or size >= 60:
        return "min", minutes, places
    seconds = round_half_up(size, places)
    return ("s", seconds, places) if seconds < 60 else ("min", 1.0, places)


def _clock(shown: float, whole: Literal["h", "min", "s"], places: int, style: NumberStyle) -> str:
    """``1 h 35 min``, ``4.2 min``, ``42 s``."""
    if whole != "h":
        return f"{_digits(shown, places, style)} {whole}"
    hours, minutes = divmod(shown, 60)
    if hours >= 1e9:
        return f"{_digits(round_half_up(hours), 0, style)} h"
    return f"{_digits(hours, 0, style)} h {minutes:02.0f} min"


def unit_words(unit: Unit) -> str:
    """The unit in words, for the head of a column of plain figures: ``percent``, ``GBP``, ``minutes``; empty for none."""
    if unit.kind == "duration":
        return {"s": "seconds", "min": "minutes", "h": "hours"}[_base(unit)]
    return {"percent": "percent", "currency": unit.currency}.get(unit.kind, unit.text)


def show_gap(gap: float, unit: Unit, style: NumberStyle, *, decimals: int | None = None) -> str:
    """The size of a gap in words: ``1.2 points``, ``£3.2k``."""
    if unit.kind == "percent":
        places = unit.decimals if decimals is None else decimals
        points = _digits(round_half_up(abs(round(gap * 100, 12)), places), places, style)
        return f"{points} {'point' if points == '1' else 'points'}"
    return show(abs(gap), unit, style, decimals=decimals)


def show_exact(value: float, unit: Unit) -> str:
    """A value with all the digits that tell it apart, for workings: ``0.907850``."""
    return f"{value:.10g}".replace("-", MINUS) if math.isfinite(value) else ""


def rounded(value: float, unit: Unit) -> float:
    """The value as it is shown, as a number in the KPI's unit: shown again it reads the same. NaN stays NaN."""
    if math.isnan(value):
        return value
    if unit.kind == "duration":
        whole, shown, _ = _time(abs(value), unit, unit.decimals)
        shown = shown / SECONDS[_base(unit)] if whole == "s" else shown * 60 / SECONDS[_base(unit)]
    else:
        shown, suffix, _ = _scaled(value, unit, unit.decimals)
        shown = round_half_up(shown / 100, 15) if unit.kind == "percent" else shown * _SCALES.get(suffix, 1.0)
    return math.copysign(shown, value) if shown else 0.0
