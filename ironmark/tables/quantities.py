"""Figures as people write them: with units, scales, brackets and footnote signs, in cells and in what they stand under."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

from ironmark.core.currencies import money_in
from ironmark.core.measuring import told_by
from ironmark.tables.celltypes import BLANKS, Decimal

_BLANK = frozenset(BLANKS)
_WORDS = {"euro": "EUR", "euros": "EUR", "pounds": "GBP", "dollars": "USD", "francs": "CHF"}
# Units by how they may be written; the first is how they are kept.
_UNITS = {
    "%": ("%", "percent", "pct", "prozent", "per cent", "v. h."),
    "h": ("h", "hr", "hrs", "hour", "hours", "std", "stunden", "heures", "horas"),
    "min": ("min", "mins", "minute", "minutes", "minuten", "mm:ss", "m:ss", "min:sec", "h:mm", "hh:mm", "h:mm:ss", "hh:mm:ss"),
    "s": ("s", "sec", "secs", "second", "seconds", "sek", "sekunden"),
    "d": ("d", "day", "days", "tage", "jours"),
    "kg": ("kg",), "g": ("g",), "t": ("t", "tonnes", "tons", "tonnen"), "l": ("l", "litres", "liter"), "km": ("km",), "m²": ("m²", "m2", "sqm"),
    "m³": ("m³", "m3"), "kWh": ("kwh",), "MWh": ("mwh",), "°C": ("°c",), "pt": ("pt", "pts", "points"), "‰": ("‰", "promille"),
    "kr": ("kr", "kr."), "tCO₂e": ("tco2e", "tco₂e", "t co2e", "t co₂e", "t co2", "t co₂"), "kgCO₂e": ("kgco2e", "kg co2e", "kg co₂e", "kg co2", "kg co₂"),
}  # fmt: skip
# Units that are spelt in one way alone; of some of them a word is made of the same letters.
_AS_SPELT = frozenset({
    "mg", "µg", "μg", "ml", "cl", "dl", "hl", "mm", "cm", "mi", "ha", "km²", "kW", "MW", "GW", "Wh", "GWh", "TWh", "kJ", "MJ", "GJ", "TJ", "kV", "mA",
    "kVA", "bar", "mbar", "Pa", "hPa", "kPa", "MPa", "mmHg", "°F", "dB", "dB(A)", "ppm", "ppb", "Hz", "kHz", "MHz", "rpm", "lx", "lm", "GB", "MB", "TB", "kB",
    "Mbit/s", "Gbit/s", "kbit/s", "FTE", "VZÄ", "ETP", "VBE", "TEU", "NM", "nm", "kn", "kcal", "mmol", "IU", "CFU", "KBE", "NTU", "dwt", "pax", "bbl", "lb", "lbs", "oz", "gal", "°dH",
})  # fmt: skip
_ONLY_IN_BRACKETS = frozenset(
    {"bar", "mi", "ha", "rm", "rp", "tl", "din", "lei", "nm", "kn", "gal", "oz", "pax", "k", "w", "v", "j"}
)
_FOR_ONE = frozenset({"per", "je", "pro", "par", "por", "na", "al", "a", "/"})
_IN_ONE = re.compile(r"^([^\W\d_][^\s/]{0,5}) ?/ ?((?:\d{2,4} ?)?[^\W\d_][^\s/]{0,5})$")  # mg/l, l/100 km
_PRICE = re.compile(r"^([^\d/]{1,4}) ?/ ?((?:\d{2,4} ?)?[^\W\d][^\s/]{0,11})$")  # €/t, £/visit
_BY_WORD = {word: unit for unit, words in _UNITS.items() for word in words}
_TIMES = frozenset(
    {
        "a",
        "y",
        "yr",
        "year",
        "wk",
        "week",
        "month",
        "mo",
        "jahr",
        "tag",
        "woche",
        "monat",
        "jour",
        "an",
        "mois",
        "día",
        "mes",
        "año",
        "dag",
        "år",
        "shift",
    }
)
_COUNTS = frozenset({"#", "no", "no.", "number", "count", "anzahl", "nombre", "stk", "stk.", "pcs", "units", "qty", "anz", "anz.", "stück", "st", "st.", "szt", "szt.", "ks", "ks.", "db", "kpl", "ant.", "шт", "шт.", "個", "件", "台", "个", "개", "건"})  # fmt: skip
_SCALES = {
    "k": 1e3, "t": 1e3, "tsd": 1e3, "tsd.": 1e3, "thousand": 1e3, "thousands": 1e3, "tausend": 1e3, "000": 1e3, "'000": 1e3, "000s": 1e3, "'000s": 1e3,
    "m": 1e6, "mn": 1e6, "mm": 1e6, "mio": 1e6, "mio.": 1e6, "million": 1e6, "millions": 1e6, "millionen": 1e6,
    "lakh": 1e5, "lakhs": 1e5, "lac": 1e5, "cr": 1e7, "crore": 1e7, "crores": 1e7, "bn": 1e9, "mrd": 1e9, "mrd.": 1e9, "billion": 1e9, "milliarden": 1e9,
    "tys": 1e3, "tys.": 1e3, "tis": 1e3, "tis.": 1e3, "miles": 1e3, "milliers": 1e3, "tusen": 1e3, "тыс": 1e3, "тыс.": 1e3, "тис.": 1e3, "千": 1e3, "천": 1e3,
    "mln": 1e6, "mln.": 1e6, "milj.": 1e6, "miljoner": 1e6, "mill.": 1e6, "millones": 1e6, "mi": 1e6, "mil": 1e3, "bi": 1e9, "bin": 1e3, "milyon": 1e6, "milyar": 1e9, "ezer": 1e3, "millió": 1e6, "tuh": 1e3, "χιλ": 1e3, "χιλ.": 1e3, "εκατ": 1e6, "εκατ.": 1e6, "δισ": 1e9, "δισ.": 1e9,
    "nghìn": 1e3, "ngàn": 1e3, "triệu": 1e6, "tỷ": 1e9, "ribu": 1e3, "rb": 1e3, "juta": 1e6, "jt": 1e6, "miliar": 1e9, "พัน": 1e3, "ล้าน": 1e6, "אלפי": 1e3, "מיליון": 1e6, "מיליוני": 1e6, "milhões": 1e6, "milioni": 1e6, "млн": 1e6, "百万": 1e6, "백만": 1e6,
    "mld": 1e9, "mld.": 1e9, "mlrd": 1e9, "milliards": 1e9, "млрд": 1e9, "万": 1e4, "만": 1e4, "億": 1e8, "亿": 1e8, "억": 1e8,
}  # fmt: skip
_KRONOR = {"tkr": 1e3, "kkr": 1e3, "mkr": 1e6, "mnkr": 1e6}  # as they are written in Sweden alone
_AMBIGUOUS = frozenset(
    {"m", "t", "k", "mi", "bi", "bin", "mil", "cr", "rb", "jt"}
)  # metres, tonnes, miles: scales only beside money, or k alone
_FOOTNOTE = re.compile(
    r"(?<=[\d%)])\s*(?:[*†‡§]+|[¹²³⁴⁵⁶⁷⁸⁹]+|\s[a-e]\)|\s*\((?:p|e|r|s|prov\.?|est\.?|rev\.?|vorl\.?)\))$", re.I
)
_BOUND = re.compile(r"^[<>≤≥]=?\s*(?=[\d.,+\-−])")
_NOTHING_BEHIND = re.compile(r"(?<=\d)[,.][-–—]{1,2}(?=$|\s)")  # 500,- and 12.– €
_BELOW = re.compile(r"^\(([^()+\-−–]*\d[^()]*)\)$|^[\-−–]\s*([^\d\s.,()+\-−–].*)$")
_HOURS = re.compile(r"^(?P<h>\d{1,3})\s*(?:h|hrs?|std\.?)\s*(?:(?P<m>\d{1,2})\s*(?:m|min\.?)?)?$", re.I)  # 1 h 30
_NUMBER = re.compile(r"^[+\-−–]?\s*(?:\d{1,3}(?:[\s\u00a0\u202f',.’]\d{3})+|\d+)?(?:[.,]\d+)?(?:e[+\-]?\d+)?$", re.I)
_SPLIT = re.compile(r"^(?P<before>[^\d+\-−–(.,]*)(?P<number>\(?\s*[+\-−–]?\s*[\d.,'’\s\u00a0\u202f]*\d(?:e[+\-]?\d+)?\s*\)?-?)(?P<after>[^\d]*)$", re.I)  # fmt: skip


_SURELY_POINT = re.compile(r"[+-]?(\d+\.\d{1,2}|\d+\.\d{4,}|0\.\d+|\d{1,3}(,\d{3}){2,}(\.\d+)?|\d{1,3}(,\d{3})+\.\d+)")
_SURELY_COMMA = re.compile(r"[+-]?(\d+,\d{1,2}|\d+,\d{4,}|0,\d+|\d{1,3}(\.\d{3}){2,}(,\d+)?|\d{1,3}(\.\d{3})+,\d+)")


@dataclass(frozen=True, slots=True)
class Measure:
    """A unit, and what its figures are multiplied by: £k are pounds times a thousand. unit: "GBP", "%", "min" …, "" for
    a plain number."""

    unit: str = ""
    scale: float = 1.0

    def __bool__(self) -> bool:
        return bool(self.unit) or self.scale != 1


PLAIN = Measure()


@dataclass(frozen=True, slots=True)
class Quantity:
    """A figure as it was written, and the measure it carries itself."""

    value: float
    measure: Measure = PLAIN
    places: int = 0


def is_blank(text: str) -> bool:
    """Whether a cell says that there is nothing."""
    return not text[:1].isdigit() and text.strip().lower() in _BLANK


def measure_of(text: str) -> Measure | None:
    """A unit as it is written by itself: ``£k``, ``min``, ``%``, ``Mio. €``, ``in TEUR``; None for anything else."""
    plain = re.sub(r"^(in|en)\s+", "", text.strip().strip("()[]").strip(), flags=re.I).strip()
    if not plain or len(plain) > 24:
        return None
    if plain in _AS_SPELT:
        return Measure(plain)
    if plain.lower() in _COUNTS:
        return Measure()
    if plain.lower() in _KRONOR:
        return Measure("SEK", _KRONOR[plain.lower()])
    if plain.lower() in _BY_WORD and (len(plain) > 1 or plain.islower() or plain in "%‰"):
        return Measure(_BY_WORD[plain.lower()])
    if (of := _IN_ONE.match(plain)) and all(map(_is_part, of.groups())):
        return Measure(re.sub(r"(?<=m)[23]\b", lambda power: "²³"[int(power[0]) - 2], plain))
    if (of := _PRICE.match(plain)) and money_in(of[1])[0] and not money_in(of[1])[1].strip():
        return Measure(f"{of[1].strip()}/{of[2].strip()}")
    scale, (unit, rest) = 1.0, money_in(plain)
    for part in rest.replace("/", " ").split():
        word = part.lower()
        if not unit and word in _WORDS:
            unit = _WORDS[word]
        elif not unit and scale != 1 and word in _BY_WORD:  # thousands of tonnes
            unit = _BY_WORD[word]
        elif word in _SCALES and (unit or word not in _AMBIGUOUS or word == "k"):
            scale *= _SCALES[word]
        elif word not in ("of", "x", "in", "von"):
            return None
    return Measure(unit, scale) if unit or scale != 1 else None


def unit_said(text: str) -> Measure | None:
    """The unit in a column of units: whatever stands there, since its table says that it is one; None for nothing."""
    if (found := measure_of(text)) is not None or is_blank(text):
        return found
    return Measure(text.strip()) if len(text.strip()) <= _MOST_OF_A_UNIT else None


_MOST_OF_A_UNIT = 16  # letters


def _is_part(text: str) -> bool:
    """Whether a text is a unit by itself, or what it is counted for: km, 100 km, h, day."""
    plain = text.lstrip("0123456789 ")
    found = _BY_WORD.get(plain.lower()) or (plain in _AS_SPELT and plain) or plain.lower() in _TIMES
    return bool(found) and found != "%"


def taken_apart(label: str) -> tuple[str, Measure | None]:
    """A heading without the unit it gives, and that unit: ``Revenue (£k)`` is Revenue in pounds times a thousand."""
    name, measure = _taken_apart(label)
    hours = measure is not None and measure.unit == "t" and measure.scale == 1 and "duration" in told_by(name)
    return name, Measure("h") if hours else measure  # t is timer in the north, and tonnes


_WIDE = str.maketrans("（）［］％", "()[]%")  # brackets of East Asia


# Units behind a stroke in a name without blanks, as machines write it, which keep no capital letters: active_power_kw. Some are
# codes of countries or words as well.
_NO_UNITS = frozenset({"nm", "kn", "IU", "dwt", "TEU", "FTE", "bar", "GB", "cl", "Pa", "mA", "mi", "lb"})
_MORE = (
    "kg", "km", "kWh", "MWh", "m2", "m3", "sqm", "hrs", "hours", "mins", "minutes", "secs", "seconds", "litres", "tonnes",
)  # fmt: skip
_BY_MACHINES = {one.lower(): one for one in (*_AS_SPELT - _NO_UNITS, *_MORE)}


def _by_a_machine(label: str) -> Measure | None:
    name, _, last = label.rpartition("_")
    known = _BY_MACHINES.get(last.lower()) if name else None
    return measure_of(known) if known else None


def _taken_apart(label: str) -> tuple[str, Measure | None]:
    plain = " ".join(label.translate(_WIDE).split())
    if " " not in plain and (measure := _by_a_machine(plain)) is not None:
        return plain, measure  # what a machine calls a column it goes on calling it
    for found in re.finditer(r"[(\[]([^()\[\]]+)[)\]]", plain):
        if (measure := measure_of(found[1])) is not None:
            return _trimmed(plain[: found.start()] + plain[found.end() :]), measure
    if (found := re.search(r"(?:,\s*|\s+in\s+|\s+[–-]\s+)([^,]{1,16})$", plain)) and (measure := measure_of(found[1])):  # type: ignore[assignment]
        return _trimmed(plain[: found.start()]), measure
    words = plain.split()
    before = words[-3:-2] if words[-2:-1] and words[-2].isdigit() else words[-2:-1]
    if before and before[0].lower() in _FOR_ONE:  # calls per day are no days
        return plain, None
    if len(words) > 2 and (measure := measure_of(" ".join(words[-2:]))) and measure.unit:  # Mio EUR, l/100 km
        return _trimmed(" ".join(words[:-2])), measure
    last = words[-1] if len(words) > 1 and words[-1].lower() not in _ONLY_IN_BRACKETS else ""
    if last and (measure := measure_of(last)) and (len(last) > 1 or last in "%‰£€$¥₹h"):
        return _trimmed(" ".join(words[:-1])), measure
    return plain, None


def _trimmed(text: str) -> str:
    return " ".join(text.split()).strip(" ,;:–-")


def written_way(texts: Sequence[str]) -> Decimal:
    """Whether figures have a decimal point or comma, by those that can be read in one way alone."""
    point = comma = 0
    for text in texts:
        found = re.sub(r"[^\d.,]", "", text)
        if _SURELY_POINT.fullmatch(found):
            point += 1
        elif _SURELY_COMMA.fullmatch(found):
            comma += 1
    return "comma" if comma > point else "point"


@lru_cache(maxsize=1 << 17)
def quantity(text: str, way: Decimal = "point") -> Quantity | None:
    """A cell as a figure: brackets and a trailing minus take off, footnote signs fall away; None for anything else."""
    if text.isdigit() and text.isascii():
        return Quantity(float(text))
    plain = _NOTHING_BEHIND.sub("", _BOUND.sub("", _FOOTNOTE.sub("", text.strip())))
    below = _BELOW.match(plain)  # ($45.00), -$45
    plain = (below[1] or below[2]).strip() if below else plain
    if (lasts := _HOURS.match(plain)) and lasts["m"]:
        return Quantity(float(int(lasts["h"]) * 60 + int(lasts["m"])), Measure("min"))
    split = _SPLIT.match(plain)
    if split is None:
        return None
    number = split["number"].strip()
    measure = PLAIN
    if beside := f"{split['before'].strip()} {split['after'].strip()}".strip():
        found = measure_of(beside)
        if found is None:
            return None
        measure = found
    bracketed = number.startswith("(") and number.endswith(")") and "+" not in number
    less = below is not None or bracketed or number.endswith("-")
    number = number.strip("()-−– " if less else "() ").strip()  # (-5) is as much below zero as (5)
    if not _NUMBER.match(number) or not any(sign.isdigit() for sign in number):
        return None
    number = re.sub(r"[\s\u00a0\u202f'’]", "", number).replace("−", "-").replace("–", "-")
    if number == "000":  # GBP 000: thousands of them
        return None
    thousands, point = (".", ",") if way == "comma" else (",", ".")
    if point == "," and _SURELY_POINT.fullmatch(number):
        thousands, point = ",", "."  # it can be read in this way alone
    elif point == "." and _SURELY_COMMA.fullmatch(number):
        thousands, point = ".", ","
    number = number.replace(thousands, "").replace(point, ".")
    try:
        value = float(number)
    except ValueError:
        return None
    if measure.unit == "%":
        measure, value = Measure("%", measure.scale), round(value / 100, 12)
    return Quantity(-value if less else value, measure, len(number.partition(".")[2]))


def shared_measure(cells: Sequence[Quantity]) -> Measure:
    """The unit that figures of one column or row carry themselves; a plain number where they differ."""
    units = Counter(cell.measure.unit for cell in cells)
    unit, count = units.most_common(1)[0] if units else ("", 0)
    return Measure(unit) if unit and count >= 0.6 * len(cells) else PLAIN


def plain_number(text: str, measure: Measure, way: Decimal) -> str:
    """A cell as a plain number, its scale multiplied in; "" for one that is none."""
    found = quantity(text, way) if text and not is_blank(text) else None
    if found is None:
        return "" if is_blank(text) else text
    return _as_text(found, measure)


def as_written(measure: Measure, cells: Sequence[Quantity]) -> Measure:
    """Of what is said to be percents: 0.904 is a share already, 90.4 is not."""
    shares = [abs(cell.value) for cell in cells if cell.measure.unit != "%"]
    return (
        Measure("%", 100.0) if measure.unit == "%" and measure.scale == 1 and shares and max(shares) <= 1 else measure
    )


def _as_text(found: Quantity, measure: Measure) -> str:
    value = found.value
    scale = found.measure.scale if found.measure.scale != 1 else measure.scale
    if measure.unit == "%" and found.measure.unit == "%":
        scale = 1.0
    elif measure.unit == "%":
        value = round(value / 100, 12)  # 90.4 below a head that says percent
    if scale != 1:
        value = round(value * scale, 9)
    text = repr(value)
    # A number has a decimal point; a fourth decimal keeps 1.234 from looking like thousands.
    return f"{text}0" if "e" not in text and len(text.partition(".")[2]) == 3 else text
