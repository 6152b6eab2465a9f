"""A book: several editions as one, with a cover and contents, in one numbering, each page of its own period."""

from __future__ import annotations

import gzip
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from html import escape
from typing import Any, Literal

from ironmark.pages.publishing.editions import Frozen
from ironmark.publish import paper, slides
from ironmark.publish.export_page import About, ExportPage
from ironmark.publish.page import Form, Images, Paper, as_book, job
from ironmark.publish.printer import Printer, PrintingStopped
from ironmark.publish.proof import Seal, mark_pdf, marked

BookKind = Literal["pdf", "pptx", "html"]
Tell = Callable[[str, float], bool]


@dataclass(frozen=True, slots=True)
class Cover:
    """What stands on the first page. said: when it was made, and by whom."""

    title: str
    note: str
    said: str


@dataclass(frozen=True, slots=True)
class Book:
    cover: Cover
    leaves: tuple[ExportPage, ...]

    @property
    def name(self) -> str:
        periods = dict.fromkeys(leaf.picture.period_label for leaf in self.leaves)
        return ", ".join([self.cover.title, *(list(periods) if len(periods) == 1 else [])])

    def to_bytes(self) -> bytes:
        """What it holds, without the workings of its readings."""
        return gzip.compress(b"\n".join(leaf.frozen.to_json() for leaf in self.leaves), 5, mtime=0)


def from_bytes(body: bytes, cover: dict[str, Any], abouts: Sequence[dict[str, Any]]) -> Book:
    pages = [Frozen.from_json(line) for line in gzip.decompress(body).split(b"\n")]
    leaves = (ExportPage(frozen, About(**about)) for frozen, about in zip(pages, abouts, strict=True))
    return Book(Cover(**cover), tuple(leaves))


def render(
    book: Book, kind: BookKind, on: Paper, images: Sequence[Images], printer: Printer | None, tell: Tell, seal: Seal
) -> bytes:  # fmt: skip
    """Raises NoPrinter, PrinterFailed, PrintingStopped, TooLong."""
    return marked(_made(book, kind, on, images, printer, tell, seal), kind, book.leaves, seal)


def _made(
    book: Book, kind: BookKind, on: Paper, images: Sequence[Images], printer: Printer | None, tell: Tell, seal: Seal
) -> bytes:  # fmt: skip
    pages = list(zip(book.leaves, images, strict=True))
    if kind == "html":
        return as_book(book.cover.title, cover_html(book, []), pages)
    assert printer is not None
    if kind == "pdf":
        return paper.as_pdf(
            pages, on, printer, lambda share: tell("is drawn", share), lambda pdf: mark_pdf(pdf, book.leaves, seal),
            lambda starts: cover_html(book, starts), book.name,
        )  # fmt: skip
    found = []
    for at, (leaf, held) in enumerate(pages):
        share = 0.9 * at / len(pages)

        def stopped(share: float = share) -> bool:
            return tell("is drawn", share)

        found.append(
            (leaf, printer.pieces(job(leaf, held, Form("slides", "wide")), 2, slides.as_tables(leaf), stopped))
        )
    if tell("is put on slides", 0.9):
        raise PrintingStopped
    return slides.as_one_deck(found, book.cover.title, book.cover.note, book.cover.said)


def cover_html(book: Book, starts: Sequence[int]) -> str:
    """Title and contents. starts: the page that each begins on; none where pages have no numbers."""
    rows = []
    for at, leaf in enumerate(book.leaves):
        page = f'<td class="page-of">{starts[at]}</td>' if starts else ""
        title = escape(leaf.title)
        link = title if starts else f'<a class="link" href="#leaf-{at}">{title}</a>'
        through = f"data through {escape(leaf.through_words)}" if leaf.through else ""
        rows.append(f'<tr><td class="named">{link}</td><td>{escape(leaf.heading)}</td><td>{through}</td>{page}</tr>')
    note = f'<p class="book-note">{escape(book.cover.note)}</p>' if book.cover.note else ""
    return (
        f'<section class="cover"><h1>{escape(book.cover.title)}</h1><p class="sentence">{escape(book.cover.said)}</p>{note}</section>'
        f'<section class="contents"><h2>Contents</h2><table><tbody>{"".join(rows)}</tbody></table></section>'
    )
