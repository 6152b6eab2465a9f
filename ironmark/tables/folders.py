"""Rows that stay in a folder of files: Parquet or CSV, also in folders named ``key=value``, read as they are asked for.

Polars' streaming engine reads them piece by piece; they are never held whole. What is added up is added side by side,
so that the last digit of a sum may differ from one reading to the next, as in a database.
"""

from __future__ import annotations

import datetime as dt
import hashlib
import os
import re
import secrets
from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, field, replace
from pathlib import Path

import numpy as np
import polars as pl
from polars.exceptions import PolarsError

from ironmark.core import formula_nodes
from ironmark.core.evaluate import Floats
from ironmark.core.formula_nodes import ColumnType
from ironmark.core.periods import Period
from ironmark.core.readings import Members
from ironmark.tables import joined_columns
from ironmark.tables.cells import BLANK_MEMBER, NOT_OPENED, Cells, Line, NoPeriod, PartKey, Unit, Within
from ironmark.tables.celltypes import way_of
from ironmark.tables.connections import LiveProblem, Wrong
from ironmark.tables.joined_columns import Matched, Twice, Wide
from ironmark.tables.pieces import merged, piece_rows
from ironmark.tables.query_cache import AskedSource
from ironmark.tables.row_expressions import ADDED, part_expression
from ironmark.tables.table import Column, assign_roles, identifiers, overview

MOST_FILES, MOST_MEMBERS = 100_000, 5000
TOGETHER = 3  # segments whose members are looked for in one pass, by all their combinations
_ENDINGS = (".parquet", ".csv")
_SAMPLE = 64_000  # bytes that tell how a CSV file is written
_EPOCH = dt.date(1970, 1, 1).toordinal()
_PART_OF_PATH = re.compile(r"^([^=]+)=(.*)$")


def files_in(folder: Path) -> list[Path]:
    """The files of a folder and those below it, all of one kind. Raises Wrong where there are none or two kinds."""
    found = sorted(path for path in folder.rglob("*") if path.suffix.lower() in _ENDINGS and path.is_file())
    kinds = {path.suffix.lower() for path in found}
    if not found:
        raise Wrong(f"There is no Parquet or CSV file in {folder.name}. Put one there, or choose another folder.")
    if len(kinds) > 1:
        raise Wrong(f"{folder.name} holds Parquet and CSV files. Keep one kind of them there.")
    if len(found) > MOST_FILES:
        raise Wrong(f"{folder.name} holds more than {MOST_FILES:,} files. Join some of them.")
    return found


Files = tuple[tuple[str, int, int], ...]  # of a folder: name, bytes and when it was changed


def files_now(folder: Path) -> Files:
    """What tells whether any file of a folder was added, changed or taken away. Raises Wrong."""
    found = ((str(path), path.stat()) for path in files_in(folder))
    return tuple((name, held.st_size, held.st_mtime_ns) for name, held in found)


def allowed(folders: Sequence[Path], path: str) -> Path:
    """A folder below one that may be read. Raises Wrong for any other."""
    if not folders:
        raise Wrong("No folder may be read. Start the server with --folder and the path of one.")
    for base in folders:
        wanted = (base / path).resolve()
        if wanted.is_relative_to(base.resolve()) and wanted.is_dir():
            return wanted
    raise Wrong(f"There is no folder “{path[:100]}” in what may be read. Choose one of those that are offered.")


def subfolders(folders: Sequence[Path], most: int = 200) -> list[str]:
    """The folders with files that may be read, by their paths within what may be read; those named ``key=value`` are
    part of the one they lie in."""
    found: dict[str, None] = {}
    for base in folders:
        for path in sorted(base.rglob("*")):
            if path.suffix.lower() in _ENDINGS and path.is_file():
                within = path.parent.relative_to(base)
                parts = list(within.parts)
                while parts and "=" in parts[-1]:
                    parts.pop()
                found["/".join(parts) or "."] = None
            if len(found) >= most:
                break
    return list(found)


@contextmanager
def in_words(folder: Path) -> Iterator[None]:
    """Turns what goes wrong in reading files into words for whoever set the source up."""
    try:
        yield
    except (PolarsError, OSError) as error:
        said = str(error).strip().splitlines()[0][:200] if str(error).strip() else type(error).__name__
        if "utf-8" in said:
            raise LiveProblem(
                f"A file in {folder.name} is not UTF-8. Save the files there as UTF-8 or Parquet, or upload them: that takes other "
                "letters, too."
            ) from None
        raise LiveProblem(f"The files in {folder.name} cannot be read as one table. It was said: {said}") from None


@dataclass(frozen=True)
class FolderTable:
    """The files of a folder as one table with all that is said about it. others: the rows it looks into, by their
    datasets. packed: where CSV files are kept once more as Parquet, None where they are not."""

    folder: Path
    columns: tuple[Column, ...]
    merges: Mapping[str, Mapping[str, str]] = field(default_factory=dict)
    wide: Wide = Wide()
    others: Mapping[str, pl.DataFrame] = field(default_factory=dict)
    packed: Path | None = None

    def scan(self) -> pl.LazyFrame:
        """Its rows with all its columns, nothing of them read yet. Raises LiveProblem."""
        with in_words(self.folder):
            raw = _raw(self.folder, self.packed)
            there = raw.collect_schema()
            missing = [column.label for column in self.columns if column.label not in there]
            if missing:
                raise LiveProblem(f"The files in {self.folder.name} have no column “{missing[0]}” any more.")
            frame = raw.select(_typed(column, there[column.label]) for column in self.columns)
            return joined_columns.with_all(merged(frame, self.merges), self.wide, self.others, self.merges)

    def first(self, limit: int) -> pl.DataFrame:
        """Some rows. Raises LiveProblem."""
        with in_words(self.folder):
            return replace(self, packed=None).scan().head(limit).collect(engine="streaming")

    def every(self, most: int) -> Iterator[pl.DataFrame]:
        """Its rows as they are now, at most so many, some at a time. Raises LiveProblem."""
        with in_words(self.folder):
            rows = replace(self, packed=None).scan().head(most)
            yield pl.DataFrame(schema=rows.collect_schema())
            size = piece_rows(len(rows.collect_schema()))
            yield from rows.collect_batches(chunk_size=size, maintain_order=True, lazy=True)

    def matched(self, at: int) -> Matched:
        """How the keys of one of its lookups are found, over all rows. Raises LiveProblem."""
        lookup = self.wide.lookups[at]
        with in_words(self.folder):
            keys = replace(self, wide=Wide(self.wide.lookups[:at])).scan().select(lookup.here)
            counted = keys.group_by(lookup.here).len().collect(engine="streaming")
        return joined_columns.matched(counted, self.others[lookup.dataset], lookup, "len")

    def twice(self, keys: Sequence[str]) -> list[Twice]:
        with in_words(self.folder):
            return joined_columns.twice(self.scan().select(keys).collect(engine="streaming"), keys)


def columns_of(folder: Path) -> tuple[Column, ...]:
    """The columns of the files, typed, each with the role it most likely has. Raises LiveProblem."""
    with in_words(folder):
        raw = _raw(folder)
        schema = raw.collect_schema()
        labels = list(schema)
        made = [
            Column(name, label, _type(schema[label]), "text")
            for name, label in zip(identifiers(labels), labels, strict=True)
        ]
        return assign_roles(overview(FolderTable(folder, tuple(made)).first(2000), made), made)


def _raw(folder: Path, packed: Path | None = None) -> pl.LazyFrame:
    files, kept = files_in(folder), set[Path]()
    pieces: dict[tuple[tuple[str, str], ...], list[Path]] = {}
    for path in files:
        matches = (_PART_OF_PATH.match(part) for part in path.relative_to(folder).parts[:-1])
        pieces.setdefault(tuple((found[1], found[2]) for found in matches if found), []).append(path)
    frames = []
    for parts, some in pieces.items():
        if some[0].suffix.lower() == ".parquet":
            frame = pl.scan_parquet(some, missing_columns="insert", extra_columns="ignore", glob=False)
        else:
            separator, comma = _written(some[0])
            frame = pl.scan_csv(
                some,
                separator=separator,
                decimal_comma=comma,
                try_parse_dates=True,
                infer_schema_length=10_000,
                glob=False,
            )
            if packed is not None:
                made = [_packed(path, packed, separator, comma, frame.collect_schema()) for path in some]
                kept.update(made)
                frame = pl.scan_parquet(made, glob=False)
        frames.append(frame.with_columns(_said_by_path(name, text) for name, text in parts))
    if packed is not None and kept:
        for old in set(packed.glob("*.parquet")) - kept:
            old.unlink(missing_ok=True)
    return pl.concat(frames, how="diagonal_relaxed") if len(frames) > 1 else frames[0]


def _written(path: Path) -> tuple[str, bool]:
    """What stands between the cells of a CSV file, and whether its numbers have a decimal comma."""
    with path.open("rb") as file:
        sample = file.read(_SAMPLE)
    lines = sample[: sample.rfind(b"\n") + 1] or sample
    separator = max(",;\t|", key=lines[: lines.find(b"\n") + 1 or None].decode("utf-8", "replace").count)
    try:
        texts = pl.read_csv(lines, separator=separator, infer_schema=False, truncate_ragged_lines=True)
    except PolarsError:  # what is wrong is said where all of it is read
        return separator, False
    return separator, separator != "," and way_of(texts) == "comma"


def _packed(path: Path, folder: Path, separator: str, comma: bool, schema: pl.Schema) -> Path:
    """A CSV file as Parquet, made unless it is there: by its name, its bytes, when it was changed and what its columns hold."""
    now = path.stat()
    told = repr((str(path), now.st_size, now.st_mtime_ns, sorted((name, str(kind)) for name, kind in schema.items())))
    made = folder / f"{hashlib.blake2b(told.encode(), digest_size=16).hexdigest()}.parquet"
    if not made.exists():
        folder.mkdir(parents=True, exist_ok=True)
        rows = pl.scan_csv(
            path, separator=separator, decimal_comma=comma, schema_overrides=schema, infer_schema=False, glob=False
        )
        unfinished = made.with_suffix(f".{os.getpid()}.{secrets.token_hex(4)}")
        try:
            rows.sink_parquet(unfinished, compression="zstd", compression_level=1)
            unfinished.replace(made)
        finally:
            unfinished.unlink(missing_ok=True)
    return made


def _said_by_path(name: str, text: str) -> pl.Expr:
    """What the name of a folder says of all rows below it: a day, a number, or a text."""
    if text == "__HIVE_DEFAULT_PARTITION__":
        return pl.lit(None, pl.String).alias(name)
    if re.fullmatch(r"\d{4}-\d{2}-\d{2}", text):
        return pl.lit(dt.date.fromisoformat(text)).alias(name)
    return pl.lit(float(text) if re.fullmatch(r"-?\d{1,15}(\.\d+)?", text) else text).alias(name)


def _type(kind: pl.DataType) -> ColumnType:
    if kind.is_numeric():
        return "number"
    return "flag" if kind == pl.Boolean else "date" if isinstance(kind, pl.Date | pl.Datetime) else "text"


def _typed(column: Column, kind: pl.DataType) -> pl.Expr:
    raw = pl.col(column.label)
    if column.type == "number":
        value = raw.cast(pl.Float64, strict=False)
        value = pl.when(value.is_finite()).then(value)
    elif column.type == "date":
        value = raw.cast(pl.Date)
    elif column.type == "flag":
        value = raw.cast(pl.Boolean)
    else:
        text = raw.cast(pl.String)
        value = pl.when(text != "").then(text)
    return value.alias(column.name)


class FolderSource(AskedSource):
    """A folder whose files are aggregated where they are, in as few passes as there are cells."""

    def __init__(
        self, table: FolderTable, order: Mapping[str, Sequence[str]] | None = None, through: dt.date | None = None,
        within: Within = (),
    ) -> None:  # fmt: skip
        """within: the rows that count, as if there were no others. through: the day it is complete through; None takes the last day of its rows. Raises LiveProblem, NoPeriod."""
        self._folder = table.folder
        every = (*table.columns, *table.wide.columns)
        period = next((column.name for column in every if column.role == "period"), None)
        if period is None:
            raise NoPeriod("The folder has no period: give a column of dates that role on its page under Data.")
        for lookup in table.wide.lookups:
            if found := joined_columns.twice(table.others[lookup.dataset], lookup.there):
                raise LiveProblem(f"“{found[0].key}” stands in several rows of what is looked into. Mend that table.")
        rows = table.scan()
        day = pl.col(period)
        segments = [column for column in every if column.role == "segment"]
        for column, names in ((one, names) for one in segments for name, names in within if name == one.name):
            rows = rows.filter(_label(column).is_in(list(names)))
        days = [day.min().alias("low"), day.max().alias("high"), day.dt.day().max().alias("latest")]
        # Some segments in one pass: every further one reads the files once more.
        looks = [
            self._collected(rows.group_by(_label(column).alias(f"of:{column.name}") for column in segments[at : at + TOGETHER]).agg(days))
            for at in range(0, len(segments), TOGETHER)
        ] or [self._collected(rows.select(days))]  # fmt: skip
        first, last, latest = looks[0].select(pl.col("low").min(), pl.col("high").max(), pl.col("latest").max()).row(0)
        if first is None:
            raise NoPeriod(NOT_OPENED if within else "The files have no rows with a date yet.")
        complete = through or (Period.of(last).end if latest == 1 else last)
        if complete < first:
            raise NoPeriod(
                f"The folder has no rows up to {complete:%-d %B %Y}, the day it is said to be complete through."
            )
        # Rows after the complete day, and those without any, are not read: what is among them alone is not there.
        rows = rows.filter(day <= complete)
        looks = [look.filter(pl.col("low") <= complete) for look in looks]
        if last > complete:
            last = self._collected(rows.select(day.max())).item()
        ordinal = day.to_physical().cast(pl.Int64) + _EPOCH
        self._rows = rows.with_columns(
            *(_label(column).alias(f"of:{column.name}") for column in segments), pl.lit(0).alias("cell"),
            ordinal.alias("at:day"), ((ordinal - 1) // 7).alias("at:week"),
            (day.dt.year().cast(pl.Int64) * 12 + day.dt.month().cast(pl.Int64) - 1).alias("at:month"),
        )  # fmt: skip
        self._dates = frozenset(column.name for column in every if column.type == "date")
        members = {}
        for column in segments:
            look = next(look for look in looks if f"of:{column.name}" in look.columns)
            there = look[f"of:{column.name}"].unique().sort().to_list()
            if len(there) > MOST_MEMBERS:
                raise Wrong(
                    f"“{column.name}” has more than {MOST_MEMBERS:,} members. Give it another role than segment."
                )
            wanted = [name for name in (order or {}).get(column.name, ()) if name in set(there)]
            members[column.name] = tuple(dict.fromkeys([*wanted, *there]))
        self._answers = []
        super().__init__(
            first.toordinal(), last.toordinal(), members, complete, [column.name for column in table.columns]
        )

    def close(self) -> None:
        """Nothing is held open."""

    def _collected(self, frame: pl.LazyFrame) -> pl.DataFrame:
        with in_words(self._folder):
            return frame.collect(engine="streaming")

    def _ask_cells(self, unit: Unit, segments: tuple[str, ...], parts: Sequence[PartKey]) -> Cells:
        keys = [f"at:{unit}", *(f"of:{segment}" for segment in segments)]
        plan = [self._part(*key).alias(str(at)) for at, key in enumerate(parts)]
        found = self._collected(self._rows.group_by(keys).agg(pl.len(), *plan)).filter(self._known(segments)).sort(keys)
        first = Period.of(self.first, unit).ordinal
        member = {segment: self._codes(segment, found[f"of:{segment}"]) for segment in segments}
        figures = {key: found[str(at)].cast(pl.Float64).fill_null(np.nan).to_numpy() for at, key in enumerate(parts)}
        return Cells(found[keys[0]].to_numpy() - first, member, found["len"].cast(pl.Int64).to_numpy(), figures)

    def _known(self, segments: Sequence[str]) -> pl.Expr:
        """Whether a group's members were there at the first look: files may have come since."""
        tests = [pl.col(f"of:{segment}").is_in(list(self.members[segment])) for segment in segments]
        return pl.all_horizontal(tests) if tests else pl.lit(True)

    def _codes(self, segment: str, labels: pl.Series) -> np.ndarray:
        place = {name: at for at, name in enumerate(self.members[segment])}
        return labels.replace_strict(place, return_dtype=pl.Int64).to_numpy()

    def _part(self, name: str, of: formula_nodes.Node | None, where: formula_nodes.Node | None) -> pl.Expr:
        if name == "matching" and where is None:
            return pl.len()
        value = part_expression(name, of, where, self._dates)
        return value.std(ddof=1) if name == "stdev" else value.sum() if name in ADDED else value

    def _see_rows(self, a: formula_nodes.Aggregate, by: str | None, where: Members, line: Line) -> Floats:
        every = self.members[by] if by else (None,)
        full = np.full((len(line.periods), len(every)), np.nan)
        rows = self._rows
        for segment, names in where.items():
            rows = rows.filter(pl.col(f"of:{segment}").is_in(list(names)))
        place = pl.col(f"at:{line.unit}") - line.first
        inside = place.is_between(0, len(line.bucket) - 1)
        if a.window is None:
            buckets = dict(enumerate(line.bucket.tolist()))
            rows = rows.filter(inside).with_columns(place.replace_strict(buckets, return_dtype=pl.Int64).alias("p"))
            rows = rows.filter(pl.col("p") >= 0)
            if a.last:  # only the rows of the last day of each series
                series = ["p", *(f"of:{segment}" for segment in self._own)]
                ends = rows.group_by(series).agg(pl.col("at:day").max())
                rows = rows.join(ends, on=[*series, "at:day"], how="semi", nulls_equal=True)
            self._put(full, rows, a, by)
            return full
        for p, (start, end) in enumerate(line.windows(a.window)):
            if end > start:
                self._put(full, rows.filter(place.is_between(start, end - 1)).with_columns(p=pl.lit(p)), a, by)
        return full

    def _put(self, full: Floats, rows: pl.LazyFrame, a: formula_nodes.Aggregate, by: str | None) -> None:
        keys = ["p", *([f"of:{by}"] if by else [])]
        found = self._collected(rows.group_by(keys).agg(self._part(a.name, a.of, a.where).alias("figure")))
        found = found.filter(self._known([by] if by else []))
        member = self._codes(by, found[f"of:{by}"]) if by else np.zeros(found.height, dtype=np.int64)
        full[found["p"].to_numpy(), member] = found["figure"].cast(pl.Float64).fill_null(np.nan).to_numpy()


def _label(column: Column) -> pl.Expr:
    """The member that a cell names."""
    cell = pl.col(column.name)
    text: pl.Expr
    if column.type == "flag":
        text = pl.when(cell).then(pl.lit("yes")).when(~cell).then(pl.lit("no"))
    elif column.type == "number":
        text = (
            pl.when(cell % 1 == 0)
            .then(cell.cast(pl.Int64, strict=False).cast(pl.String))
            .otherwise(cell.cast(pl.String))
        )
    else:
        text = cell.cast(pl.String)
    return text.fill_null(BLANK_MEMBER)
