"""A page in every form that leaves: which there are, what they are called, and how each is made."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal

from ironmark.pages.documents import ScorecardBody
from ironmark.pages.problems import Refused
from ironmark.publish import document, slides, tidy, workbook
from ironmark.publish.leaf import Leaf
from ironmark.publish.page import Form, Images, Paper, as_html
from ironmark.publish.printer import Printer, PrintingStopped
from ironmark.publish.sheets import XLSX

Kind = Literal["pdf", "pptx", "xlsx", "csv", "json", "html", "png", "svg"]
PRINTED: tuple[Kind, ...] = ("pdf", "pptx", "png", "svg")  # what takes a printer
MEDIA: dict[Kind, str] = {
    "pdf": "application/pdf", "pptx": slides.MEDIA, "xlsx": XLSX, "csv": tidy.ZIP, "json": "application/json",
    "html": "text/html; charset=utf-8", "png": "image/png", "svg": "image/svg+xml",
}  # fmt: skip
Tell = Callable[[str, float], bool]  # what is being done and how much is; whether it should stop


@dataclass(frozen=True, slots=True)
class Options:
    """paper: of a PDF. instrument: the only one that is drawn, on a picture. scale: of a PNG."""

    paper: Paper = "a4"
    instrument: str | None = None
    scale: int = 2


def name_of(leaf: Leaf, kind: Kind, options: Options) -> str:
    """What the file is called."""
    of = ""
    if options.instrument and kind in ("png", "svg"):
        of = next((f", {sheet.title}" for _, sheet, _ in leaf.sheets() if sheet.id == options.instrument), "")
    return f"{leaf.name}{of}".replace("/", "–")[:180] + ("-readings.zip" if kind == "csv" else f".{kind}")


def check(leaf: Leaf, options: Options) -> None:
    """Refuse an instrument that does not stand on the page."""
    if options.instrument is not None and options.instrument not in set(_placed(leaf.frozen.body)):
        raise Refused(
            404, "no-instrument", "No such sheet", f"No sheet of this page goes by “{options.instrument}”.",
            {"field": "instrument"},
        )  # fmt: skip


def _placed(body: ScorecardBody) -> list[str]:
    return [
        item.id for section in body.sections for held in (section.instruments, section.texts, section.pictures) for item in held  # type: ignore[attr-defined]
    ]  # fmt: skip


def images_of(body: ScorecardBody) -> list[str]:
    """The pictures that stand on a page, by the keys they are kept under."""
    return [held.image for section in body.sections for held in section.pictures if held.image]


def made(leaf: Leaf, kind: Kind, options: Options, images: Images, printer: Printer | None, tell: Tell) -> bytes:
    """Raises NoPrinter, PrinterFailed, PrintingStopped; only what is printed takes a printer."""
    if kind == "xlsx":
        return workbook.as_workbook(leaf)
    if kind == "csv":
        return tidy.as_zip(leaf)
    if kind == "json":
        return document.as_json(leaf)
    if kind == "html":
        return as_html(leaf, images)
    assert printer is not None

    def stopped() -> bool:
        return tell("is drawn", 0.3)

    if kind == "pdf":
        return printer.pdf(as_html(leaf, images, Form("paper", options.paper)), stopped)
    if kind == "pptx":
        pieces = printer.pieces(as_html(leaf, images, Form("slides", "wide")), 2, slides.as_tables(leaf), stopped)
        if tell("is put on slides", 0.8):
            raise PrintingStopped
        return slides.as_slides(leaf, pieces)
    html = as_html(leaf, images, Form("picture", instrument=options.instrument))
    if kind == "svg":
        return printer.svg(html, name_of(leaf, kind, options).removesuffix(".svg"), stopped)
    return printer.png(html, options.scale, stopped)
