"""Numbers as people type and read them, by the unit of their KPI."""

from __future__ import annotations

import math
import re
from dataclasses import dataclass
from decimal import ROUND_HALF_UP, Decimal
from functools import lru_cache
from typing import Literal

from babel import Locale
from babel.numbers import get_currency_symbol, get_decimal_symbol, get_group_symbol

LOCALE = "en_GB"
MINUS = "−"
UnitKind = Literal["number", "percent", "currency"]
_SCALES = {"k": 1e3, "m": 1e6, "bn": 1e9}
_TYPED = re.compile(
    r"^([+\-−–]?)\s*([\d.,\s\u00a0\u202f'’_]*\d[\d.,\s\u00a0\u202f'’_]*|\.\d+)(?:e([+-]?\d{1,3}))?\s*(bn|k|m)?\s*(%|points?|pp)?$",
    re.I,
)


@dataclass(frozen=True)
class Unit:
    """What a KPI is measured in. ``currency`` is an ISO 4217 code, ``text`` follows a plain number."""

    kind: UnitKind = "number"
    decimals: int = 0
    currency: str = "GBP"
    text: str = ""
    compact: bool = False


class NotANumber(ValueError):
    """Typed text that is no number; its message says what to type."""


def understand(typed: str, unit: Unit) -> float:
    """Read a number as it was typed, in the KPI's unit. Raises NotANumber.

    A percent is a fraction: ``88``, ``88%`` and ``0.88`` are all 0.88, that is, a bare number above 1 in size
    counts as percent. Thousands and decimal signs are told apart by where they stand.
    """
    text = typed.strip()
    for sign in {symbol(unit.currency), unit.currency, unit.text} - {""}:
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
    return {"percent": "88, 88% or 0.88", "currency": "1200 or 1.2k", "number": "42 or 42.5"}[unit.kind]


def _plain(digits: str) -> str:
    digits = re.sub(r"[\s\u00a0\u202f'’_]", "", digits)
    last = max(digits.rfind("."), digits.rfind(","))
    if last < 0:
        return digits
    sign, tail = digits[last], digits[last + 1 :]
    # A single comma before exactly three digits groups thousands; any other last sign is the decimal one.
    grouping = digits.count(sign) > 1 or (sign == "," and len(tail) == 3 and "." not in digits and last > 0)
    if grouping:
        return digits.replace(",", "").replace(".", "")
    return digits[:last].replace(",", "").replace(".", "") + "." + (tail or "0")


def show(value: float | None, unit: Unit, *, sign: bool = False, decimals: int | None = None) -> str:
    """A value as it is read, with its unit: ``90.8%``, ``£412.6k``, ``41.2 L``, ``−3``; empty for none."""
    if value is None or not math.isfinite(value):
        return ""
    places = unit.decimals if decimals is None else decimals
    size, suffix = scale(value, unit, places)
    body = _digits(size, places)
    prefix = MINUS if value < 0 else "+" if sign else ""
    if prefix and not any(figure in "123456789" for figure in body):
        prefix = ""  # nothing is left of it at these decimals
    if unit.kind == "percent":
        return f"{prefix}{body}%"
    if unit.kind == "currency":
        return f"{prefix}{symbol(unit.currency)}{body}{suffix}"
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


def _digits(size: float, places: int) -> str:
    if size >= 1e15:
        return f"{size:.{min(places, 3)}e}".replace("e+", " × 10^")
    written = repr(float(size))
    if written.endswith("5") and written[-2 - places : -1 - places] == ".":
        # A half is rounded up, as people do; Python would round it to the even neighbour.
        return group(f"{_half_up(size, places):,f}")
    return group(f"{size:,.{places}f}")


def group(digits: str) -> str:
    """Python's ``1,234.5`` with the locale's own signs."""
    decimal, thousands = _signs()
    return digits if (decimal, thousands) == (".", ",") else digits.translate({44: thousands, 46: decimal})


@lru_cache(maxsize=1)
def _signs() -> tuple[str, str]:
    # Asked of Babel once: its formatting looks the locale up at every number.
    locale = Locale.parse(LOCALE)
    return get_decimal_symbol(locale), get_group_symbol(locale)


@lru_cache(maxsize=64)
def symbol(currency: str) -> str:
    return get_currency_symbol(currency, locale=LOCALE)


def _half_up(value: float, places: int) -> Decimal:
    """Rounded with a half going away from zero, by the decimals that ``value`` prints with."""
    return Decimal(repr(float(value))).quantize(Decimal(1).scaleb(-places), ROUND_HALF_UP)


def show_gap(gap: float, unit: Unit, *, decimals: int | None = None) -> str:
    """The size of a gap in words: ``1.2 points``, ``£3.2k``."""
    if unit.kind == "percent":
        points = _digits(abs(round(gap * 100, 12)), unit.decimals if decimals is None else decimals)
        return f"{points} {'point' if points == '1' else 'points'}"
    return show(abs(gap), unit, decimals=decimals)


def show_exact(value: float, unit: Unit) -> str:
    """A value with all the digits that tell it apart, for workings: ``0.907850``."""
    return f"{value:.10g}".replace("-", MINUS) if math.isfinite(value) else ""


def rounded(value: float, unit: Unit) -> float:
    """The value as shown, as a number in the KPI's unit."""
    places = unit.decimals + (2 if unit.kind == "percent" else 0)
    return float(_half_up(value, places)) if abs(value) < 1e15 else value
