"""Periods in the words and the order of a language: what no plain notation fits is taken apart into numbers and words.

Months, days of the week and quarters are called as the Unicode common locale data has it, through Babel.
"""

from __future__ import annotations

import re
import unicodedata
from calendar import monthrange
from collections import Counter
from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from functools import cache, lru_cache

from babel import Locale

from ironmark.core.nearest import folded

# Where two languages call different months the same, and a column tells no more, the earlier one counts.
LANGUAGES = (
    "en", "de", "fr", "es", "it", "nl", "pt", "pl", "sv", "da", "nb", "fi", "cs", "tr", "hu", "ro", "sk", "sl", "et", "lv",
    "lt", "el", "ru", "uk", "bg",
)  # fmt: skip
MORE_LANGUAGES = (
    "hr", "sr", "sr_Latn", "bs", "mk", "sq", "ca", "eu", "gl", "ga", "cy", "gd", "br", "fy", "is", "fo", "nn", "lb", "rm", "mt",
    "de_AT", "fr_CA", "be", "ka", "hy", "az", "kk", "ky", "uz", "tg", "ar", "he", "fa", "ur", "hi", "bn", "mr", "gu", "pa",
    "ta", "te", "kn", "ml", "ne", "si", "th", "lo", "km", "my", "vi", "id", "ms", "fil", "af", "sw", "zu", "xh", "am", "ja", "ko",
    "zh", "zh_Hant",
)  # fmt: skip
_SIGNS_WITHIN = str.maketrans("", "", ".()[]'’׳״·․\u200c\u200d")


@lru_cache(maxsize=1 << 14)
def key_of(word: str) -> str:
    """A word as it is looked up: without case, accents and the signs of an abbreviation."""
    return folded(word.translate(_SIGNS_WITHIN))


def _keys(words: str) -> frozenset[str]:
    return frozenset(map(key_of, words.split()))


# Words that stand beside others and tell nothing, and what periods are called.
_IGNORED = _keys(
    "de del d do da den der le la el les am a i an th st nd rd er re o e of and the m d g г р ж թ года год року gada ko eko dnia dia ta "
    "et em í en om à au kl năm ngày ค.ศ. 年 第 제 于 metų uhr ke ya al lea hrs h dhen ils"
)
_MONTH_SIGNS, _DAY_SIGNS = _keys("月 월 tháng thg"), _keys("日 일")
_WEEKS = _keys(
    "week wk w kw woche sem semaine semana settimana setmana uge uke vecka v vk viikko vika nädal nedėlia savaitė týden tydzień tyd "
    "týždeň teden tjedan hafta hét неделя нед тиждень тыдзень седмица εβδομάδα εβδ săptămâna săpt 周 週 주 주차 tuần minggu aste "
    "seachtain wythnos javë"
)
_HALVES = _keys(
    "half h hj halbjahr semestre semester halvår pololetí półrocze polrok polletje полугодие півріччя полугодје félév puolivuosi poolaasta "
    "pusgads pusmetis yarıyıl εξάμηνο 半期 반기 halfjaar"
)
_QUARTERS = _keys("q t τ quarter qtr quartal trimestre trim kwartaal kvartal kvartalet kvt 季 分기 분기")
_ROMAN = dict(zip("i ii iii iv і іі ііі ⅰ ⅱ ⅲ ⅳ".split(), "1 2 3 4 1 2 3 1 2 3 4".split(), strict=True))  # noqa: SIM905
_DIRECTION = dict.fromkeys(
    [0x200B, 0x200C, 0x200E, 0x200F, 0x061C, 0xFEFF, *range(0x202A, 0x202F), *range(0x2066, 0x206A)]
)
_YEAR = re.compile(r"(?:19|20|21)\d\d")
_NUMBER, _LETTERS = re.compile(r"\d+"), re.compile(r"[a-z]{4,}")
_SHORT_DAY = re.compile(r"\s*(\d{1,2})[./] ?(\d{1,2})[./] ?(\d{2})(?![\d.])")
_CLOCK = re.compile(r"\d{1,2}(?::| ?h )\d{2}(?::\d{2}(?:[.,]\d+)?)?")
_PART = re.compile(r"\d+|[^\d\s,،;:/–—-]+")
_AFTER_A_NUMBER = re.compile(r"[年月日년월일]")
Told = tuple[str, dict[str, str]]  # the notation that says the same, and its parts


@dataclass(frozen=True)
class _Words:
    """months: by word, what number it is in each language."""

    months: Mapping[str, Mapping[str, int]]
    weekdays: frozenset[str]
    quarters: frozenset[str]


@lru_cache(maxsize=3)
def _in(languages: tuple[str, ...]) -> _Words:
    months: dict[str, dict[str, int]] = {}
    weekdays, quarters = set[str](), set(_QUARTERS)
    for language in languages:
        told = Locale.parse(language)
        for context in ("format", "stand-alone"):
            for width in ("wide", "abbreviated"):
                for number, name in told.months[context][width].items():
                    if (word := key_of(str(name))) and not re.search(r"[\d\s]", word):
                        months.setdefault(word, {}).setdefault(language, int(number))
                weekdays.update(word for name in told.days[context][width].values() for word in _words_in(str(name)))
                named = [set(_words_in(str(name))) for name in told.quarters[context][width].values()]
                quarters |= {word for word in set.intersection(*named) if len(word) > 1}
        short = {int(number): key_of(str(name))[:3] for number, name in told.months["format"]["wide"].items()}
        of_letters = Counter(word for word in short.values() if word.isalpha())
        for number, word in short.items() if language in LANGUAGES else ():
            if of_letters[word] == 1:  # no two months of the language begin with them
                months.setdefault(word, {}).setdefault(language, number)
    for word, number in (("sept", 9), ("mrz", 3), ("mar", 3)):
        months.setdefault(word, {"en": number})
    return _Words(months, frozenset(weekdays), frozenset(quarters) - months.keys())


def _known() -> _Words:
    """Of all languages; reading these takes half a second, once."""
    return _in((*LANGUAGES, *MORE_LANGUAGES))


def _words_in(text: str) -> Iterator[str]:
    return (key_of(part) for part in _PART.findall(text) if not part.isdigit())


def month_called(word: str) -> int:
    """The number of a month by its name in one of ``LANGUAGES``; 0 of any other word."""
    return next(iter(_in(LANGUAGES).months.get(key_of(word), {}).values()), 0)


def is_weekday(word: str) -> bool:
    return key_of(word) in _in(LANGUAGES).weekdays


def weekdays_of(words: Sequence[str]) -> list[int] | None:
    """Which days of the week they are, Monday 0, in the first language that has all of them; None of any others."""
    keys = [key_of(word) for word in words]
    for language in LANGUAGES:
        known = _weekdays_in(language)
        found = [known.get(key, -1) for key in keys]
        if -1 not in found and len(set(found)) == len(found):
            return found
    return None


@cache
def _weekdays_in(language: str) -> Mapping[str, int]:
    days = Locale.parse(language).days
    return {
        key_of(str(name)): int(number)
        for context in ("stand-alone", "format")
        for width in ("short", "abbreviated", "wide")
        for number, name in days[context].get(width, {}).items()
    }


def months_of(words: Collection[str]) -> tuple[Mapping[str, int], str]:
    """The numbers of the months of a column, as the first language has them that knows all of their names; and what is to be told
    where another one that does has others."""
    languages: list[str] = []
    for some in ((*LANGUAGES, "hr"), (*LANGUAGES, *MORE_LANGUAGES)):  # Croatian alone calls other months as they do
        by_word = {word: _in(some).months.get(key_of(word), {}) for word in words}
        if languages := [one for one in some if all(one in of for of in by_word.values())]:
            break
    if not languages:
        return {}, ""
    read = {word: of[languages[0]] for word, of in by_word.items()}
    for language in languages[1:]:
        for word, of in by_word.items():
            if of[language] != read[word] and len(word) > 3:
                called = Locale.parse("en").months["format"]["wide"]
                return read, (
                    f"“{word}” was read as {called[read[word]]}; in {Locale.parse(language).get_display_name('en')} it is "
                    f"{called[of[language]]}. Write months as numbers if that was meant."
                )
    return read, ""


@dataclass
class _Parts:
    """The parts of a text. numbers: with the sign that stands behind each (年, or none); of: the words that were looked for."""

    text: str
    of: _Words
    numbers: list[str] = field(default_factory=list)
    signs: list[str] = field(default_factory=list)
    words: list[str] = field(default_factory=list)


def in_words(text: str) -> Told | None:
    """A period that is written in words or in another order; None of a text that is none.

    The year has four figures; without one, a day and the name of its month are needed.
    """
    if len(text) > 60:
        return None
    plain = text if text.isascii() else _in_plain_signs(text)
    numbers = _NUMBER.findall(plain)
    if not 1 <= len(numbers) <= 7 or (
        ":" not in plain and any(len(number) == 3 or len(number) > 4 for number in numbers)
    ):
        return None
    dated = _YEAR.search(plain)
    if dated is None and text.isascii() and not _SHORT_DAY.match(plain):  # most names, such as Route 12
        longer = _LETTERS.findall(plain.casefold())
        if not any(word in _in(LANGUAGES).months for word in longer):
            return None
    found = _taken_apart(plain, _in(LANGUAGES) if dated is None else _known())
    if found is None:
        return None
    years = [number for number in found.numbers if _YEAR.fullmatch(number)]
    rest = [number for number in found.numbers if number not in years]
    months = [word for word in found.words if word in found.of.months and word not in _ROMAN]
    months = [word for word in months if word not in found.of.weekdays] or months
    if len(years) > 1 or len(months) > 1 or any(len(number) > 2 for number in rest):
        return None
    if months:
        return _of_a_named_month(months[0], found.of, years, rest)
    if not years:
        return _without_a_year(found)
    of = {"y": years[0]}
    named = set(found.words)
    for kind, part, words in (("quarter", "q", found.of.quarters), ("half", "h", _HALVES), ("week", "w", _WEEKS)):
        if named & words:
            which = rest or [_ROMAN[word] for word in found.words if word in _ROMAN]
            return (kind, {part: which[0], **of}) if len(which) == 1 else None
    return None if named & _ROMAN.keys() else _of_numbers(found, years[0], rest)


def _in_plain_signs(text: str) -> str:
    """Every figure one of 0 to 9, blanks plain, and no marks of the direction of writing."""
    plain = unicodedata.normalize("NFKC", text.translate(_DIRECTION))
    return "".join(str(unicodedata.digit(one)) if one.isdigit() else one for one in plain)


def _taken_apart(text: str, of: _Words) -> _Parts | None:
    """Numbers and known words; None where a word is unknown, or there are too many numbers."""
    clock = _CLOCK.search(text)
    last = clock is not None and bool(_NUMBER.search(text, 0, clock.start()))  # whether a time stands behind the day
    if clock:
        text = text[: clock.start()] if last else text[clock.end() :]
    found = _Parts(text, of)
    unknown, end = list[int](), -2  # how many numbers stood before each unknown word
    for match in _PART.finditer(text):
        part = match.group()
        if part.isdigit():
            found.numbers.append(part)
            found.signs.append("")
            end = match.end()
            continue
        beside = match.start() - end < 2 and not text[end : match.start()].isspace()  # as the nd of 2nd
        if beside and _AFTER_A_NUMBER.match(part):
            found.signs[-1], part = key_of(part[0]), part[1:]
        word = next((word for word in _forms_of(part) if _is_known(word, of)), key_of(part))
        if _is_known(word, of):
            found.words.append(word)
        elif word and word not in _IGNORED and not (beside and len(word) <= 4):
            unknown.append(len(found.numbers))
    every = len(found.numbers)
    of_the_time = every if last else 0  # what stands beside it: PM, 下午
    odd = unknown if clock is None else [at for at in unknown if at != of_the_time]
    return None if odd or not 1 <= every <= 3 else found


def _forms_of(part: str) -> Iterator[str]:
    """A word as it stands, and without what some languages put right before a month: d’abril, באפריל."""
    yield key_of(part)
    plain = part.replace("’", "'")
    if "'" in plain[:3]:
        yield key_of(plain.split("'", 1)[1])
    if part.startswith("ב"):
        yield key_of(part[1:])


def _is_known(word: str, of: _Words) -> bool:
    return any(word in words for words in (of.months, of.weekdays, of.quarters, _WEEKS, _HALVES, _ROMAN, _MONTH_SIGNS))


def _of_a_named_month(month: str, of: _Words, years: list[str], rest: list[str]) -> Told | None:
    numbers = of.months[month].values()
    fits = (number for number in numbers if not rest or int(rest[0]) <= monthrange(2000, number)[1])
    parts = {"m": month, "month": str(next(fits, 0))}
    if len(rest) > 1 or not (years or (rest and len(month) > 3)):
        return None
    if not years:
        return "day and month alone", {"d": rest[0], **parts}
    return (
        ("day of a month", {"d": rest[0], **parts, "y": years[0]})
        if rest
        else ("named month", {**parts, "y": years[0]})
    )


def _of_numbers(found: _Parts, year: str, rest: list[str]) -> Told | None:
    """A day or a month of figures alone."""
    marked = bool({*found.signs, *found.words} & _MONTH_SIGNS)
    if not marked and not re.search(r"\d\s*[./\-]", found.text):
        return None
    if len(rest) == 1:
        return "year-month", {"y": year, "m": rest[0]}
    if len(rest) != 2:
        return None
    if found.numbers[0] == year:
        return "iso", {"y": year, "m": rest[0], "d": rest[1]}
    if found.numbers[2] != year:
        return None
    return (
        ("iso", {"y": year, "m": rest[1], "d": rest[0]})
        if marked
        else ("numeric", {"a": rest[0], "b": rest[1], "y": year})
    )


def _without_a_year(found: _Parts) -> Told | None:
    signs = {*found.signs, *found.words} & _MONTH_SIGNS
    if len(found.numbers) == 2 and signs and set(found.words) <= found.of.weekdays | _MONTH_SIGNS:
        month, day = found.numbers if found.signs[0] in signs else reversed(found.numbers)
        return "day and month alone", {"d": day, "m": month, "month": month}
    plain = _SHORT_DAY.match(found.text)
    return ("numeric", {"a": plain[1], "b": plain[2], "y": plain[3]}) if plain and not found.words else None
