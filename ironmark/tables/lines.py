"""The lines of a table: which are titles, heads, figures, groups, totals and notes, and which tables stand on a sheet."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Literal

from ironmark.core.nearest import folded
from ironmark.tables.celltypes import Decimal
from ironmark.tables.notations import is_period
from ironmark.tables.parts_across import FEWEST_HOURS, parts_across
from ironmark.tables.quantities import is_blank, measure_of, quantity
from ironmark.tables.table_words import AVERAGES, BOUNDS, LIMITS, TARGETS, TOTALS, YEAR

LineKind = Literal["title", "head", "row", "group", "total", "note", "blank", "out"]
HEAD_WITHIN, MOST_HEADS = 40, 3
NEAR = 0.006  # of a total, by which it may differ from its sum: figures are rounded
MOST_BELOW = 40  # rows whose total may stand above them


@dataclass(frozen=True)
class LineMark:
    kind: LineKind
    why: str = ""


@dataclass(frozen=True)
class Block:
    """One of the tables of a sheet: from its first line up to the one after its last, counted from 0. head: its line
    of heads; name: what stands above it."""

    start: int
    end: int
    head: int
    name: str


OF_TARGETS = "the targets of the columns"  # why a line is no row


@lru_cache(maxsize=1 << 17)
def sign_of(cell: str) -> str:
    """What a cell is: n a figure, p a period, t a text, "" nothing."""
    if not cell or is_blank(cell):
        return ""
    if quantity(cell) is not None and not is_period(cell):
        return "n"
    return "p" if is_period(cell) else "t"


_MARKED = re.compile(r"^(.*?\d.*?)\s*\[[eprxz]\]$")


def _unmarked(row: tuple[str, ...]) -> tuple[str, ...]:
    """A line whose periods say no more of their figures than that these are revised: 2024 [r]."""
    plain = [found[1] if (found := _MARKED.match(cell)) else cell for cell in row]
    return tuple(one if YEAR.fullmatch(one) or is_period(one) else cell for one, cell in zip(plain, row, strict=True))


def _but_for_unit(cell: str) -> str:
    """2024 of 2024 (hl), which heads figures in that unit; any other cell as it is."""
    found = _YEAR_IN.fullmatch(cell)
    return found[1] if found and measure_of(found[2]) is not None else cell


_YEAR_IN = re.compile(r"((?:19|20)\d\d)\s?(\D{1,16})")


class Lines:
    """The lines of one table. told: what was said of them by hand, by their number from 1; block: which of the tables of
    the sheet is meant, from 1."""

    def __init__(self, rows: Sequence[tuple[str, ...]], told: Mapping[int, LineKind], block: int | None) -> None:
        self.rows, self.told = [*map(_unmarked, rows[:HEAD_WITHIN]), *rows[HEAD_WITHIN:]], told
        self.signs = [[sign_of(cell) for cell in row] for row in self.rows]
        self._figures = [0 if self._heads_by_number(at) else signs.count("n") for at, signs in enumerate(self.signs)]
        self._filled = [sum(map(bool, signs)) for signs in self.signs]
        self.blocks = self._blocks()
        most = max(range(len(self.blocks)), key=lambda n: (self._weight(self.blocks[n]), -n))
        self.block = block - 1 if block and block <= len(self.blocks) else most
        mine = self.blocks[self.block]
        # Tables with the same heads are one, each with a name of its own.
        self.alike = [one for one in self.blocks if self._same(one, mine)] if len(self.blocks) > 1 else [mine]
        if len(self.alike) > 1:
            mine = self.alike[0]
            self.block = self.blocks.index(mine)
        self.start, self.end = mine.start, mine.end
        self.parts: dict[int, str] = {}  # rows below their own total, by its name
        self.aims = -1  # the line that holds what the columns aim at
        self.heads = self._heads()
        self.marks = self._marks()

    # Which tables there are

    def _same(self, one: Block, other: Block) -> bool:
        return one is other or (one.head >= 0 and self.rows[one.head] == self.rows[other.head])

    def _weight(self, block: Block) -> int:
        return sum(self.figures(at) for at in range(max(block.head, block.start), block.end))

    def _blocks(self) -> list[Block]:
        """A table begins below a blank line where words head figures, and figures stood above."""
        begins, heads, names = [0], [-1], [""]
        seen = False  # figures since the last beginning
        blank = True
        for at in range(len(self.rows)):
            if not any(self.rows[at]):
                blank = True
                continue
            if self._names(at):
                pass
            elif self.figures(at):
                seen = True
            elif self.filled(at) > 1 and self._heads_figures(at) and at + 1 not in self.told:
                first = at
                while first > 0 and self._names(first - 1):
                    first -= 1
                alike = heads[-1] >= 0 and self.rows[at] == self.rows[heads[-1]]
                begun = blank or (first > 0 and not any(self.rows[first - 1])) or (alike and first < at)
                name = next((cell for cell in self.rows[at - 1] if cell), "") if first < at else ""
                if not seen:
                    heads[-1], names[-1] = at, name or names[-1]
                elif begun:
                    begins.append(first)
                    heads.append(at)
                    names.append(name)
                    seen = False
            blank = False
        ends = [*begins[1:], len(self.rows)]
        return [Block(*one) for one in zip(begins, ends, heads, names, strict=True)]

    def _names(self, at: int) -> bool:
        """Whether a line is a name by itself, which may be a year."""
        if self.filled(at) != 1:
            return False
        cell = next(cell for cell, sign in zip(self.rows[at], self.signs[at], strict=True) if sign)
        return not self.figures(at) or (bool(YEAR.fullmatch(cell)) and len(self.rows[at]) > 1)

    def _heads_figures(self, at: int) -> bool:
        """Whether the next line that is filled has figures below several of these words."""
        below = next((n for n in range(at + 1, min(at + 4, len(self.rows))) if self.filled(n) > 1), None)
        if below is None or not self.figures(below):
            return False
        met = sum(bool(own) and under == "n" for own, under in zip(self.rows[at], self.signs[below], strict=True))
        return met > 0 and sum(bool(cell) for cell in self.rows[at]) >= 0.6 * self.filled(below)

    # What each is

    def figures(self, at: int) -> int:
        """How many figures a line has; years and the numbers of months that head columns are none."""
        return self._figures[at]

    def _heads_by_number(self, at: int) -> bool:
        signs = self.signs[at]
        if signs.count("n") >= FEWEST_HOURS and self._heads_hours(at):
            return True
        if self._only_bounds(at) or self._years_above(at):
            return True
        first = _but_for_unit(self.rows[at][signs.index("n")]) if "n" in signs else ""
        if first != "1" and (len(first) != 4 or first[:2] not in ("19", "20")):
            return False
        cells = [_but_for_unit(cell) for cell, sign in zip(self.rows[at], signs, strict=True) if sign == "n"]
        if not all(cell.isdigit() for cell in cells):
            return False
        numbers = [int(cell) for cell in cells]
        if numbers == list(range(1, len(numbers) + 1)) and (len(numbers) == 12 or len(numbers) in range(28, 32)):
            above = at and self.signs[at - 1].count("n") >= len(numbers) / 2
            return not above and at + 1 < len(self.rows) and self.signs[at + 1].count("n") >= len(numbers) / 2
        if not all(re.fullmatch(r"(19|20)\d\d", cell) for cell in cells):
            return False
        if len(cells) == 1:  # 2026 beside its quarters
            return self.signs[at].count("p") > 1
        return numbers == sorted(set(numbers)) or numbers == sorted(set(numbers), reverse=True) or _repeating(numbers)

    def _heads_hours(self, at: int) -> bool:
        """Whether the hours of a day stand in a line, above figures and below none."""
        places = [c for c, sign in enumerate(self.signs[at]) if sign == "n"]
        above = at and sum(bool(self.signs[at - 1][c]) for c in places) >= len(places) / 2
        below = at + 1 < len(self.rows) and sum(self.signs[at + 1][c] == "n" for c in places) >= len(places) / 2
        return bool(below and not above and parts_across([self.rows[at][c] for c in places]))

    def _only_bounds(self, at: int) -> bool:
        """Whether no figure of a line of words is more than a bound: 0-30 days, 31-60 days, >60 days."""
        figures = [cell for cell, sign in zip(self.rows[at], self.signs[at], strict=True) if sign == "n"]
        return 0 < len(figures) < self.signs[at].count("t") and all(cell[0] in "<>≤≥" for cell in figures)

    def _years_above(self, at: int) -> bool:
        """Whether the figures of a line are years above periods of theirs: 2026 above Q1, Q2, Q3."""
        figures = [cell for cell, sign in zip(self.rows[at], self.signs[at], strict=True) if sign == "n"]
        below = self.signs[at + 1] if at + 1 < len(self.signs) else []
        return (
            bool(figures) and all(map(YEAR.fullmatch, figures)) and "n" not in below and below.count("p") > len(figures)
        )

    def filled(self, at: int) -> int:
        return self._filled[at]

    def _heads(self) -> list[int]:
        """The lines of the head: the last wide line of words above the first figures, and those that go with it."""
        rows = range(self.start, self.end)
        if said := sorted(at - 1 for at, kind in self.told.items() if kind == "head" and 0 < at <= len(self.rows)):
            return said
        taken = {at - 1 for at, kind in self.told.items() if kind != "head"}
        taken |= {at for at in rows[:HEAD_WITHIN] if self._holds_limits(at)}
        near = rows[:HEAD_WITHIN]
        first = next((at for at in near if self.figures(at) and self.filled(at) > 1 and at not in taken), None)
        if first is None:  # nothing but words: the first line of several is the head
            first = next((at for at in near if self.filled(at) > 1), self.end - 1) + 1
        width = max((self.filled(at) for at in range(first, min(first + 20, self.end))), default=1)
        above = [at for at in range(self.start, first) if self.filled(at) >= max(1, min(2, width)) and at not in taken]
        wide = [at for at in above if self.filled(at) >= 0.45 * width] or above[-1:]
        if not wide:
            return []
        last = wide[0]
        for at in wide[1:]:
            last = last if self._is_row_without_figures(at, last, first) else at
        heads = [last]
        for at in range(last - 1, max(-1, last - MOST_HEADS), -1):
            if at not in above or self.filled(at) < 2 or at in taken:
                break
            heads.insert(0, at)
        below = last + 1
        free = below < first < len(self.rows) and below not in taken
        if free and (self._is_units(below, first) or self._heads_names(below, last, first)):
            heads.append(below)
        return heads

    def _is_units(self, at: int, first: int) -> bool:
        """Whether a line holds nothing but units, of columns whose first figures are known."""
        cells = [(cell, sign) for cell, sign in zip(self.rows[at], self.signs[first], strict=True) if cell]
        return bool(cells) and all(sign == "n" and measure_of(cell) is not None for cell, sign in cells)

    def _heads_names(self, at: int, head: int, first: int) -> bool:
        """Whether a line heads the names beside figures, which the line above it heads alone. One name by itself may as well
        be that of the rows below it."""
        signs = self.signs[first]
        cells = [(over, sign) for cell, over, sign in zip(self.rows[at], self.rows[head], signs, strict=True) if cell]
        return len(cells) > 1 and all(not over and sign != "n" for over, sign in cells)

    def _is_row_without_figures(self, at: int, head: int, first: int) -> bool:
        """Whether a line below a head is a row whose figures are missing: blank where the first figures stand, and words only
        below words of the head. A head of two lines has words above the figures in the lower one, or none above its own."""
        if first >= len(self.rows):
            return False
        figures = [c for c, sign in enumerate(self.signs[first]) if sign == "n"]
        row, above = self.rows[at], self.rows[head]
        return (
            not all(is_blank(above[c]) for c in figures)
            and all(is_blank(row[c]) for c in figures)
            and all(over for cell, over in zip(row, above, strict=True) if cell)
        )

    def _marks(self) -> list[LineMark]:
        found: list[LineMark] = []
        heads = self.heads
        own = [range(one.start, one.end) for one in self.alike]
        inside = [at for block in own for at in block]
        last = max((at for at in inside if self.figures(at)), default=-1)
        begin = heads[-1] if heads else -1
        named = {one.head - 1 for one in self.alike[1:] if one.name}
        for at, row in enumerate(self.rows):
            said = self.told.get(at + 1)
            filled = self.filled(at)
            first = next((cell for cell, sign in zip(row, self.signs[at], strict=True) if sign), "")
            if said:
                found.append(LineMark(said, "told by hand"))
            elif at in heads:
                found.append(LineMark("head"))
            elif not any(row):
                found.append(LineMark("blank"))
            elif not any(at in block for block in own):
                found.append(LineMark("out", "of another table"))
            elif at < begin:
                found.append(LineMark("title"))
            elif at in named:
                found.append(LineMark("group", "the name of the rows below"))
            elif heads and row == self.rows[begin]:
                found.append(LineMark("out", "the head once more"))
            elif self.figures(at) and TOTALS.search(folded(first)):
                found.append(LineMark("total"))
            elif self.figures(at) and self._is_average(at, first):
                found.append(LineMark("out", "an average of the rows"))
            elif self._holds_limits(at):
                found.append(LineMark("out", "the limits of the columns"))
            elif self.figures(at) and self._aims(at, first):
                self.aims = at
                found.append(LineMark("out", OF_TARGETS))
            elif at > last and last > begin and ((filled < 2 and not any(map(is_blank, filter(None, row)))) or len(first) > 40):  # fmt: skip
                found.append(LineMark("note"))
            elif filled == 1 and last > begin and self.signs[at].index(next(s for s in self.signs[at] if s)) == 0 and not self.figures(at) and not any(map(is_blank, filter(None, row))):  # fmt: skip
                following = at + 1 < len(self.rows) and self.figures(at + 1)
                found.append(LineMark("group" if following and len(first) <= 60 else "note"))
            else:
                found.append(LineMark("row"))
        return found

    def _is_average(self, at: int, first: str) -> bool:
        """Whether a line is the average of the others: the first or last of them, and nowhere beyond them all. Some are called so
        for what they hold: good, average, poor."""
        if not AVERAGES.fullmatch(folded(first)):
            return False
        others = [n for n in range(self.start, self.end) if self.figures(n) and n != at]
        if len(others) < 3 or min(others) < at < max(others) or any(first in self.rows[n] for n in others):
            return False
        for c, sign in enumerate(self.signs[at]):
            own, beside = quantity(self.rows[at][c]), [quantity(self.rows[n][c]) for n in others]
            known = [one.value for one in beside if one]
            if sign == "n" and own and known and not min(known) <= own.value <= max(known):
                return False
        return True

    def _aims(self, at: int, first: str) -> bool:
        """Whether a line holds what the columns aim at, below or above rows that begin with their periods."""
        if not TARGETS.fullmatch(folded(first)):
            return False
        others = [next(filter(None, signs), "") for n, signs in enumerate(self.signs) if n != at and self.figures(n)]
        return len(others) > 1 and others.count("p") >= 0.6 * len(others)

    def _holds_limits(self, at: int) -> bool:
        """Whether a line says where each column ought to lie, and nothing else."""
        cells = filter(None, self.rows[at])
        if not LIMITS.search(folded(next(cells, ""))):  # as nearly all
            return False
        others = [*cells]
        return bool(others) and all(map(BOUNDS.fullmatch, others))

    @property
    def body(self) -> list[int]:
        return [at for at, line in enumerate(self.marks) if line.kind == "row"]

    @property
    def titles(self) -> list[str]:
        return [cell for at, line in enumerate(self.marks) if line.kind == "title" for cell in self.rows[at] if cell]

    def groups(self) -> dict[int, str]:
        """The group heading that a row stands under, by its line."""
        found, group = {}, self.alike[0].name if len(self.alike) > 1 else ""
        for at, line in enumerate(self.marks):
            if line.kind == "group":
                group = next(cell for cell in self.rows[at] if cell)
            elif line.kind == "row" and group:
                found[at] = group
        return found | self.parts

    # Totals

    def hold_totals(self, wide: Sequence[int], dated: Sequence[int], way: Decimal) -> list[str]:
        """Leave out rows that are the sum of those above them, and hold what is called a total against that sum.

        wide: the columns of figures; dated: those of periods. Returns what totals do not come to, in sentences.
        """
        said: list[str] = []
        run: list[int] = []
        # Summed as they come: of those since the last total, and of all that stand above.
        none = [0.0] * len(wide)
        since, above, rows_above = none, none, 0
        least, most = [float("inf")] * len(wide), [float("-inf")] * len(wide)
        final = max((at for at, line in enumerate(self.marks) if line.kind in ("row", "total")), default=-1)
        for at, line in enumerate(self.marks):
            if line.kind in ("group", "blank") and len(run) < 2:
                run, since = [], none
            if line.kind not in ("row", "total"):
                continue
            own = [quantity(self.rows[at][c], way) for c in wide]
            pairs = [(q.value, total) for q, total in zip(own, since, strict=True) if q is not None]
            guess = line.kind == "row" and at + 1 not in self.told
            if guess and len(pairs) == 1 and len(wide) > 2 and (of := self._sum_of(run[-60:], wide, pairs[0][0], way)):
                self.marks[at] = LineMark("total", f"the sum of {of}")
                continue
            meets = [near(value, total) for value, total in pairs]
            if line.kind == "total" and not all(meets) and rows_above > len(run):
                meets = [near(q.value, total) for q, total in zip(own, above, strict=True) if q is not None]
            # A row with a period of its own is one of the figures, whatever it adds up to. One figure meets a sum
            # sooner by chance: it is a total where it stands last, below several.
            enough = (len(pairs) > 1 and len(run) > 1) or (len(pairs) == 1 and len(run) > 2 and at == final)
            free = not any(is_period(self.rows[at][c]) for c in dated)
            if guess and enough and free and all(meets) and any(value for value, _ in pairs):
                self.marks[at] = LineMark("total", "the sum of the rows above it")
                run, since = [], none
            elif line.kind == "total":
                # A mean is no sum that is wrong.
                means = [low <= q.value <= high for q, low, high in zip(own, least, most, strict=True) if q]
                if pairs and all(meets):
                    self.marks[at] = LineMark("total", line.why or "the sum of the rows above it")
                elif pairs and len(run) > 1 and not any("%" in self.rows[at][c] for c in wide):
                    wrong = [pair for pair, *fine in zip(pairs, meets, means, strict=True) if not any(fine)]
                    first = next(cell for cell in self.rows[at] if cell)
                    said += [
                        f"“{first}” says {v:g}, and the rows above it come to {total:g}." for v, total in wrong[:1]
                    ]
                run, since = [], none
            else:
                run.append(at)
                rows_above += 1
                since = [total + (q.value if q else 0) for total, q in zip(since, own, strict=True)]
                above = [total + (q.value if q else 0) for total, q in zip(above, own, strict=True)]
                least = [min(low, q.value) if q else low for low, q in zip(least, own, strict=True)]
                most = [max(high, q.value) if q else high for high, q in zip(most, own, strict=True)]
        if not dated:
            self._totals_above(wide, way)
        return said

    def _sum_of(self, run: Sequence[int], wide: Sequence[int], value: float, way: Decimal) -> str:
        """The row whose figures add up to a value; "" for none."""
        for r in reversed(run):
            figures = [q.value for c in wide if (q := quantity(self.rows[r][c], way))]
            if len(figures) > 2 and near(value, sum(figures)):
                return next((cell for cell in self.rows[r] if cell), "a row above")
        return ""

    def _totals_above(self, wide: Sequence[int], way: Decimal) -> None:
        """Leave out rows that are the sum of the two or more below them, whose name they give to these."""
        body = self.body
        if len(wide) < 2 or len(body) > 2000:
            return
        values = {at: [q.value if (q := quantity(self.rows[at][c], way)) else None for c in wide] for at in body}
        parts: dict[int, str] = {}
        for n in range(len(body) - 3, -1, -1):
            own = values[body[n]]
            known = [c for c, value in enumerate(own) if value]
            if len(known) < 2 or body[n] + 1 in self.told:
                continue
            total = [0.0] * len(wide)
            for count, below in enumerate(body[n + 1 : n + 1 + MOST_BELOW], start=1):
                if self.marks[below].kind == "total":
                    break
                total = [sum_ + (value or 0) for sum_, value in zip(total, values[below], strict=True)]
                if count > 1 and all(near(own[c] or 0, total[c], 1e-9) for c in known):
                    name = next((cell for cell in self.rows[body[n]] if cell), "")
                    self.marks[body[n]] = LineMark("total", f"the sum of the {count} rows below it")
                    parts |= dict.fromkeys(body[n + 1 : n + 1 + count], name)
                    break
        self.parts = parts


def near(value: float, total: float, by: float = NEAR) -> bool:
    return abs(value - total) <= by * max(1.0, abs(total))


def _repeating(years: Sequence[int]) -> bool:
    """2025, 2026, 2025, 2026: years below measures that stand above them."""
    size = len(set(years))
    return size > 1 and len(years) % size == 0 and list(years) == list(years[:size]) * (len(years) // size)
