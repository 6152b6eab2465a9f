"""Proof of where a file is from: every form carries which edition it is of, the checksum of that edition, and a seal over
what it holds, which this installation alone can make.

``ironmark:edition:ID:NUMBER:SHA256:SEAL``, once for each edition of a book; the checksum is the SHA-256 of the edition's canonical JSON (keys sorted, no
spaces, UTF-8), the seal an HMAC-SHA-256 over the kind of file and its contents without the mark.
"""

from __future__ import annotations

import hashlib
import hmac
import io
import json
import re
import struct
import zipfile
import zlib
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from html import escape
from typing import Any

import pikepdf

from ironmark.publish.export_page import ExportPage

Seal = Callable[[str, bytes], str]
_FORM = r"ironmark:edition:([A-Za-z0-9_-]{1,80}):([0-9]{1,9}[a-z]{0,4}):([0-9a-f]{64})(?::([0-9a-f]{64}))?"
_MARK = re.compile(_FORM)
_ONE = _FORM.replace("([", "(?:[")
_SOME = f"{_ONE}(?: {_ONE})*"
_AROUND = re.compile(rf'<meta name="edition" content="{_SOME}">|<!-- {_SOME} -->')
_PNG = b"\x89PNG\r\n\x1a\n"
_CORE = "docProps/core.xml"
_MOMENT = (2000, 1, 1, 0, 0, 0)
MOST_BYTES = 1 << 30  # that a packed file may come to


class NoFile(Exception):
    """It is none of the forms that leave, or it is damaged."""


@dataclass(frozen=True, slots=True)
class Mark:
    edition: str
    number: str
    sha256: str
    seal: str = ""

    def __str__(self) -> str:
        plain = f"ironmark:edition:{self.edition}:{self.number}:{self.sha256}"
        return f"{plain}:{self.seal}" if self.seal else plain


def sealing(key: bytes) -> Seal:
    return lambda kind, body: hmac.new(key, kind.encode() + b"\0" + body, hashlib.sha256).hexdigest()


def marked(body: bytes, kind: str, leaves: Sequence[ExportPage], seal: Seal) -> bytes:
    """A file with its mark; as it is where it is of no edition. A PDF is marked as it is made: see ``mark_pdf``."""
    if kind == "pdf" or any(leaf.about is None for leaf in leaves):
        return body
    return _WRITE[kind](body, _mark(leaves, seal(kind, _contents(body, kind))))


def mark_pdf(pdf: pikepdf.Pdf, leaves: Sequence[ExportPage], seal: Seal) -> None:
    if any(leaf.about is None for leaf in leaves):
        return
    mark = _mark(leaves, seal("pdf", _of_pdf(pdf)))
    with pdf.open_metadata(set_pikepdf_as_editor=False) as told:
        told["dc:identifier"] = mark


def _mark(leaves: Sequence[ExportPage], seal: str) -> str:
    abouts = [leaf.about for leaf in leaves if leaf.about]
    return " ".join(str(Mark(about.id, about.number, about.sha256, seal)) for about in abouts)


def kind_of(body: bytes) -> str:
    """Raises NoFile."""
    if body.startswith(b"%PDF"):
        return "pdf"
    if body.startswith(_PNG):
        return "png"
    if body.startswith(b"PK"):
        names = {info.filename for info in _packed(body).infolist()}
        return "pptx" if "ppt/presentation.xml" in names else "xlsx" if "xl/workbook.xml" in names else "csv"
    head = body[:4000].lstrip(b"\xef\xbb\xbf \r\n\t").lower()
    if head.startswith(b"<!doctype html"):
        return "html"
    if head.startswith((b"<?xml", b"<svg")):
        return "svg"
    if head.startswith(b"{"):
        return "json"
    raise NoFile("This is none of the forms that a page leaves in: PDF, slides, workbook, CSV, JSON, HTML, PNG or SVG.")


def read(body: bytes) -> tuple[str, list[Mark]]:
    """What kind of file it is, and its marks: of a book one for each edition in it, none for one that has none. Raises
    NoFile."""
    kind = kind_of(body)
    found: dict[str, Mark] = {}
    for of in _MARK.finditer(_READ[kind](body)):  # a workbook tells it once more, without the seal
        found.setdefault(of[1], Mark(of[1], of[2], of[3], of[4] or ""))
    return kind, list(found.values())


def unchanged(body: bytes, kind: str, marks: Sequence[Mark], seal: Seal) -> bool:
    """Whether a file holds what it held when it left: the one seal that all its marks carry. Raises NoFile."""
    found = seal(kind, _contents(body, kind))
    return all(hmac.compare_digest(mark.seal, found) for mark in marks)


# What is sealed: all that a reader sees, and nothing that the mark itself changes


def _contents(body: bytes, kind: str) -> bytes:
    if kind == "pdf":
        with _opened(body) as pdf:
            return _of_pdf(pdf)
    if kind in ("xlsx", "pptx", "csv"):
        with _packed(body) as packed:
            if sum(info.file_size for info in packed.infolist()) > MOST_BYTES:
                raise NoFile("It is larger than what leaves.")
            parts = [
                info.filename.encode() + b"\0" + hashlib.sha256(packed.read(info)).digest()
                for info in sorted(packed.infolist(), key=lambda info: info.filename)
                if info.filename != _CORE
            ]
        return b"".join(parts)
    if kind == "png":
        return b"".join(body[start:end] for name, start, end in _chunks(body) if name in (b"IHDR", b"IDAT", b"PLTE"))
    if kind == "json":
        return canonical({name: held for name, held in _json(body).items() if name != "proof"})
    return _AROUND.sub("", body.decode("utf-8", "replace")).encode()


def checksum(frozen_json: bytes) -> str:
    """Of what an edition holds."""
    return hashlib.sha256(canonical(json.loads(frozen_json))).hexdigest()


def canonical(body: Any) -> bytes:
    return json.dumps(body, sort_keys=True, separators=(",", ":"), ensure_ascii=False).encode()


@contextmanager
def _opened(body: bytes) -> Iterator[pikepdf.Pdf]:
    try:
        with pikepdf.open(io.BytesIO(body)) as pdf:
            yield pdf
    except (pikepdf.PdfError, AttributeError, ValueError, TypeError) as error:
        raise NoFile(f"The PDF cannot be read: {error}.") from None


def _of_pdf(pdf: pikepdf.Pdf) -> bytes:
    """Every page's size, drawing, and what it draws with."""
    digest = hashlib.sha256()
    for page in pdf.pages:
        digest.update(repr([float(side) for side in page.mediabox]).encode())
        page.contents_coalesce()
        digest.update(page.Contents.read_bytes())
        for _, held in sorted(page.resources.get("/XObject", {}).items()):
            digest.update(held.read_bytes() if held.get("/Subtype") == "/Form" else held.read_raw_bytes())
    return digest.digest()


def _packed(body: bytes) -> zipfile.ZipFile:
    try:
        return zipfile.ZipFile(io.BytesIO(body))
    except (zipfile.BadZipFile, ValueError, OSError):
        raise NoFile("It is damaged: it begins as a packed file and is none.") from None


def _chunks(body: bytes) -> list[tuple[bytes, int, int]]:
    found, at = [], len(_PNG)
    while at + 12 <= len(body):
        (size,) = struct.unpack(">I", body[at : at + 4])
        found.append((body[at + 4 : at + 8], at + 8, at + 8 + size))
        at += 12 + size
    if not found:
        raise NoFile("It begins as a PNG and is none.")
    return found


def _json(body: bytes) -> dict[str, Any]:
    try:
        made = json.loads(body)
    except (ValueError, RecursionError):
        raise NoFile("It begins as JSON and is none.") from None
    return made if isinstance(made, dict) else {}


# Where the mark stands


def _from_pdf(body: bytes) -> str:
    with _opened(body) as pdf:
        return pdf.Root.Metadata.read_bytes().decode("utf-8", "replace") if "/Metadata" in pdf.Root else ""


def _in_office(body: bytes, mark: str) -> bytes:
    """In the properties of a document: open it, and it stands beside its title."""

    def change(text: bytes) -> bytes:
        return text.replace(
            b"</cp:coreProperties>", f"<dc:identifier>{mark}</dc:identifier></cp:coreProperties>".encode()
        )

    return _rewritten(body, lambda name, text: change(text) if name == _CORE else text)


def _from_office(body: bytes) -> str:
    with _packed(body) as packed:
        # A program that saves a workbook anew may leave the first out; its summary tells it once more.
        names = [
            name for name in (_CORE, "xl/sharedStrings.xml", "xl/worksheets/sheet1.xml") if name in packed.namelist()
        ]
        return " ".join(packed.read(name).decode("utf-8", "replace") for name in names)


def _in_zip(body: bytes, mark: str) -> bytes:
    return _rewritten(body, lambda _, text: text, mark.encode())


def _rewritten(body: bytes, change: Callable[[str, bytes], bytes], comment: bytes = b"") -> bytes:
    buffer = io.BytesIO()
    with _packed(body) as packed, zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as made:
        made.comment = comment
        for info in packed.infolist():
            text = change(info.filename, packed.read(info))
            made.writestr(zipfile.ZipInfo(info.filename, _MOMENT), text, zipfile.ZIP_DEFLATED)
    return buffer.getvalue()


def _from_zip(body: bytes) -> str:
    with _packed(body) as packed:
        return packed.comment.decode("utf-8", "replace")


def _in_png(body: bytes, mark: str) -> bytes:
    text = b"Identifier\0" + mark.encode()
    chunk = struct.pack(">I", len(text)) + b"tEXt" + text + struct.pack(">I", zlib.crc32(b"tEXt" + text))
    _, _, end = _chunks(body)[0]
    return body[: end + 4] + chunk + body[end + 4 :]


def _from_png(body: bytes) -> str:
    return " ".join(body[start:end].decode("latin-1") for name, start, end in _chunks(body) if name == b"tEXt")


def _in_text(before: str, around: tuple[str, str]) -> Callable[[bytes, str], bytes]:
    def write(body: bytes, mark: str) -> bytes:
        text = body.decode()
        at = text.index(before)
        return (text[:at] + around[0] + escape(mark) + around[1] + text[at:]).encode()

    return write


def _in_json(body: bytes, mark: str) -> bytes:
    return json.dumps(_json(body) | {"proof": mark}, indent=1, ensure_ascii=False).encode()


def _text(body: bytes) -> str:
    return body.decode("utf-8", "replace")


_HTML, _SVG = ('<meta name="edition" content="', '">'), ("<!-- ", " -->")
_WRITE: dict[str, Callable[[bytes, str], bytes]] = {
    "pptx": _in_office, "xlsx": _in_office, "csv": _in_zip, "png": _in_png, "json": _in_json,
    "html": _in_text("<title>", _HTML), "svg": _in_text("</svg>", _SVG),
}  # fmt: skip
_READ: dict[str, Callable[[bytes], str]] = {
    "pdf": _from_pdf, "pptx": _from_office, "xlsx": _from_office, "csv": _from_zip, "png": _from_png,
    "json": lambda body: str(_json(body).get("proof", "")), "html": lambda body: _text(body[:1_000_000]), "svg": _text,
}  # fmt: skip
