"""Numbers as people type and read them, by the unit of their KPI."""

from __future__ import annotations

import math
import re
from dataclasses import dataclass
from typing import Literal

from babel.numbers import format_decimal, get_currency_precision, get_currency_symbol

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
    for sign in {get_currency_symbol(unit.currency, locale=LOCALE), unit.currency, unit.text} - {""}:
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
    scaled = value * 100 if unit.kind == "percent" else value
    suffix = ""
    if unit.compact or abs(scaled) >= 1e12:
        limits = (("bn", 1e9), ("m", 1e6), ("k", 1e3)) if unit.kind != "percent" else ()
        for name, size in limits:
            if abs(round(scaled, places)) >= size * (1 - 10.0 ** -(places + 3)):
                scaled, suffix = scaled / size, name
                break
    body = _digits(abs(scaled), places)
    negative = scaled < 0 and any(figure not in "0.," for figure in body)
    prefix = MINUS if negative else "+" if sign and any(figure in "123456789" for figure in body) else ""
    if unit.kind == "percent":
        return f"{prefix}{body}%"
    if unit.kind == "currency":
        return f"{prefix}{get_currency_symbol(unit.currency, locale=LOCALE)}{body}{suffix}"
    return f"{prefix}{body}{suffix}" + (f" {unit.text}" if unit.text else "")


def _digits(size: float, places: int) -> str:
    if size >= 1e15:
        return f"{size:.{min(places, 3)}e}".replace("e+", " × 10^")
    return format_decimal(size, format="#,##0" + ("." + "0" * places if places else ""), locale=LOCALE)


def show_gap(gap: float, unit: Unit) -> str:
    """The size of a gap in words: ``1.2 points``, ``£3.2k``."""
    if unit.kind == "percent":
        points = format_decimal(
            abs(gap) * 100,
            format="#,##0" + ("." + "0" * unit.decimals if unit.decimals else ""),
            locale=LOCALE,
        )
        return f"{points} {'point' if points == '1' else 'points'}"
    return show(abs(gap), unit)


def show_exact(value: float, unit: Unit) -> str:
    """A value with all the digits that tell it apart, for workings: ``0.907850``."""
    return f"{value:.10g}".replace("-", MINUS) if math.isfinite(value) else ""


def rounded(value: float, unit: Unit) -> float:
    """The value as shown, as a number in the KPI's unit."""
    places = unit.decimals + (2 if unit.kind == "percent" else 0)
    return round(value, places)


def currency_decimals(code: str) -> int:
    return get_currency_precision(code)
