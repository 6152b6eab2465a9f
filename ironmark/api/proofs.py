"""Files that left, held against the edition they are of; and the template that slides are made on."""

from __future__ import annotations

from fastapi import APIRouter, Depends, UploadFile
from pydantic import BaseModel

from ironmark.api.access import Reader, reader
from ironmark.api.answers.edition import export_page_of
from ironmark.api.upload_files import body_of
from ironmark.pages.model.problems import Refused
from ironmark.publish import checking, proof, slides
from ironmark.publish.checking import Checked
from ironmark.store import kept_files
from ironmark.store.database import Missing
from ironmark.work.printing import seal_of

router = APIRouter(prefix="/api/editions/check", tags=["editions"])
template_router = APIRouter(prefix="/api/slide-template", tags=["exports"])


@router.post("")
def check_file(file: UploadFile, who: Reader = Depends(reader)) -> Checked:
    """From which edition a file is, and whether a figure in it was changed since it left. Nothing is kept."""
    return checked(who, body_of(file))


def checked(who: Reader, body: bytes) -> Checked:
    try:
        kind, marks = proof.read(body)
        if not marks:
            return checking.unmarked(kind)
        leaves = []
        for mark in marks:
            try:
                leaves.append(export_page_of(who, mark.edition))
            except Missing:
                return checking.unknown(kind, mark)
        with who.write() as session:
            seal = seal_of(session)
        return checking.compared(body, kind, marks, leaves, seal)
    except proof.NoFile as error:
        raise Refused(422, "no-form", "It cannot be checked", str(error), {"field": "file"}) from None


class SlideTemplate(BaseModel):
    """name: of the file that slides can be made on, "" where there is none."""

    name: str


@template_router.get("")
def get_slide_template(who: Reader = Depends(reader)) -> SlideTemplate:
    with who.read() as session:
        return SlideTemplate(name=kept_files.named(session, kept_files.SLIDES))


@template_router.put("")
def keep_slide_template(file: UploadFile, who: Reader = Depends(reader)) -> SlideTemplate:
    """Take a presentation whose size, masters, fonts and colours slides can be made with."""
    body = body_of(file)
    try:
        slides.opened(body)
    except ValueError as error:
        raise Refused(422, "no-template", "The template cannot be used", str(error), {"field": "file"}) from None
    with who.write() as session:
        kept_files.keep(session, kept_files.SLIDES, file.filename or "template.pptx", body)
        return SlideTemplate(name=kept_files.named(session, kept_files.SLIDES))


@template_router.delete("", status_code=204)
def drop_slide_template(who: Reader = Depends(reader)) -> None:
    with who.write() as session:
        kept_files.drop(session, kept_files.SLIDES)
