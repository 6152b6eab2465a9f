"""Packed files, and texts in whatever letters, as plain files: some of it at a time, so that none is ever held whole."""

from __future__ import annotations

import codecs
import gzip
import shutil
import zipfile
import zlib
from collections.abc import Iterator
from contextlib import ExitStack
from pathlib import Path
from typing import IO, cast

from ironmark.tables.formats import MAX_UNPACKED
from ironmark.tables.numerals import has_others, in_plain_digits
from ironmark.tables.reader import TELLING, encoding_of, not_utf8
from ironmark.tables.table import Problem, Unreadable

_GZIP, _ZIP = b"\x1f\x8b", b"PK\x03\x04"
_OF_WORKBOOKS = ("[content_types].xml", "mimetype", "content.xml")
_AT_A_TIME = 8 << 20
_HEAD = 1 << 20
_LEFT = 1 << 30  # bytes of the disk that unpacking leaves free
_TIMES = 100  # its own size that a packed file may unpack to, where that is more than a workbook may


def is_packed(path: Path) -> bool:
    """Whether it is a file that holds another one; a workbook is none."""
    with path.open("rb") as file:
        first = file.read(4)
    return first[:2] == _GZIP or (first == _ZIP and bool(_names(path)))


def _names(path: Path) -> list[str]:
    """The files of an archive; none of a workbook, and of one that is damaged."""
    try:
        with zipfile.ZipFile(path) as packed:
            names = [one.filename for one in packed.infolist() if not one.is_dir()]
    except (zipfile.BadZipFile, OSError, ValueError):
        return []
    plain = [name for name in names if not name.startswith(("__MACOSX/", ".")) and "/." not in name]
    return [] if {name.lower() for name in names} & {*_OF_WORKBOOKS} else plain


def unpacked(path: Path, made: Path) -> Path:
    """What a packed file holds. made: where that is put. Raises Unreadable."""
    most = max(MAX_UNPACKED, _TIMES * path.stat().st_size)
    try:
        with ExitStack() as stack, made.open("wb") as plain:
            packed = _opened(path, stack)
            while more := packed.read(_AT_A_TIME):
                if shutil.disk_usage(made.parent).free < _LEFT + len(more):
                    raise Unreadable(
                        "There is too little room on the disk to unpack the file. Make some, or leave out lines."
                    )
                plain.write(more)
                if plain.tell() > most:
                    raise Unreadable(
                        f"The file unpacks to more than {_TIMES} times its size. Upload it as it is, not packed."
                    )
    except (EOFError, OSError, RuntimeError, NotImplementedError, zipfile.BadZipFile, zlib.error):
        raise Unreadable(
            "The packed file is damaged or locked. Pack it again, without a password, and upload that."
        ) from None
    return made


def _opened(path: Path, stack: ExitStack) -> IO[bytes]:
    with path.open("rb") as file:
        if file.read(2) == _GZIP:
            return cast(IO[bytes], stack.enter_context(gzip.open(path)))
    names = _names(path)
    if len(names) > 1:
        some = ", ".join(names[:3]) + (f" and {len(names) - 3} more" if len(names) > 3 else "")
        raise Unreadable(f"The archive holds several files: {some}. Upload the one with the table.")
    return stack.enter_context(stack.enter_context(zipfile.ZipFile(path)).open(names[0]))


def as_utf8(path: Path, made: Path) -> tuple[Path, tuple[Problem, ...]]:
    """A text as one in UTF-8 whose lines end in line feeds and whose digits are 0 to 9, and what is to be said of that; ``path`` itself where it is so.
    made: where it is put otherwise."""
    with path.open("rb") as file:
        head = file.read(_HEAD)
    marked = head.startswith((codecs.BOM_UTF16_LE, codecs.BOM_UTF16_BE))
    old_ends = not marked and b"\n" not in head and b"\r" in head
    digits = not marked and has_others(head.decode(errors="ignore"))
    said: tuple[Problem, ...] = ()
    if marked:
        encoding = "utf-16"
    elif _is_utf8(path):
        encoding = "utf-8-sig"
    else:
        encoding, called = encoding_of(_telling(path))
        said = (not_utf8(called),)
    if encoding == "utf-8-sig" and not (old_ends or digits):
        return path, ()
    decoder = codecs.getincrementaldecoder(encoding)(errors="replace")
    with made.open("wb") as plain:
        for some in _pieces(path):
            text = in_plain_digits(decoder.decode(some))
            plain.write((text.replace("\r", "\n") if old_ends else text).encode())
        plain.write(decoder.decode(b"", final=True).encode())
    return made, said


def _pieces(path: Path) -> Iterator[bytes]:
    with path.open("rb") as file:
        while some := file.read(_AT_A_TIME):
            yield some


def _is_utf8(path: Path) -> bool:
    decoder, begun = codecs.getincrementaldecoder("utf-8")(), False  # within a letter of several bytes
    try:
        for some in _pieces(path):
            if begun or not some.isascii():
                decoder.decode(some)
                begun = bool(decoder.getstate()[0])
        decoder.decode(b"", final=True)
    except UnicodeDecodeError:
        return False
    return True


def _telling(path: Path) -> bytes:
    """Lines with letters beyond ASCII."""
    found, size = [], 0
    for some in _pieces(path):
        for line in () if some.isascii() else some.splitlines():
            if not line.isascii():
                found.append(line)
                size += len(line) + 1
                if size > TELLING:
                    return b"\n".join(found)
    return b"\n".join(found)
