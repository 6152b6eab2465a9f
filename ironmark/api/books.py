"""Books: several editions that leave as one."""

from __future__ import annotations

from dataclasses import asdict

from fastapi import APIRouter, Depends, Request, Response
from fastapi.concurrency import run_in_threadpool
from sqlalchemy.orm import Session

from ironmark.api.access import Reader, reader
from ironmark.api.answers.edition import export_page_of
from ironmark.api.answers.export import FILE, WAIT_S, put_in_line, waited
from ironmark.api.answers.saved import Book
from ironmark.api.downloads import download
from ironmark.api.records import add_routes
from ironmark.core.words import days_words
from ironmark.pages.model.scorecard import BookBody
from ironmark.publish import book as books
from ironmark.publish import exporting
from ironmark.publish.book import BookKind, Cover
from ironmark.publish.page import Paper
from ironmark.store import editions, records
from ironmark.work.printing import pictures_of, seal_of

router = APIRouter(prefix="/api/books", tags=["editions"])


def _check(session: Session, body: BookBody, _: str | None) -> None:
    for key in body.editions:
        editions.get(session, key)


def _held(who: Reader, key: str) -> books.Book:
    with who.read() as session:
        document = records.get(session, "book", key)
    body = BookBody.model_validate(document.body)
    by = f" by {document.saved_by}" if document.saved_by else ""
    said = f"Put together on {days_words([document.updated_at.date()])}{by}"
    return books.Book(Cover(body.title, body.note, said), tuple(export_page_of(who, one) for one in body.editions))


@router.get("/{key}/export/{kind}", response_class=Response, responses=FILE)
async def export_book(
    key: str, kind: BookKind, request: Request, paper: Paper = "a4", who: Reader = Depends(reader)
) -> Response:
    """A book as PDF, slides, or one HTML file: cover, contents, one numbering, each page of its own period."""
    book = await run_in_threadpool(_held, who, key)
    name = f"{book.name}.{kind}".replace("/", "–")[-180:]
    if kind == "html":

        def written() -> bytes:
            with who.read() as session:
                images = [pictures_of(session, leaf.frozen) for leaf in book.leaves]
            with who.write() as session:
                seal = seal_of(session)
            return books.render(book, kind, paper, images, None, lambda *_: False, seal)

        return download(await run_in_threadpool(written), name, exporting.MEDIA[kind])
    return await waited(
        who, request, await run_in_threadpool(_asked, who, request, book, kind, paper, name), WAIT_S * len(book.leaves)
    )


def _asked(who: Reader, request: Request, book: books.Book, kind: BookKind, paper: Paper, name: str) -> str:
    for leaf in book.leaves:
        exporting.check(leaf, kind, exporting.Options(paper))
    told = {"cover": asdict(book.cover), "pages": [asdict(leaf.about) for leaf in book.leaves if leaf.about]}
    return put_in_line(who, request, kind, book.to_bytes(), told, {"paper": paper}, name)


add_routes(router, "book", BookBody, Book, name="title", check=_check, may_delete=lambda *_: None)
