"""A page in every form that leaves: which there are, what they are called, and how each is made."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import asdict, dataclass, replace
from typing import Any, Literal

from ironmark.pages.model.problems import Refused
from ironmark.pages.model.scorecard import ScorecardBody
from ironmark.publish import document, paper, slides, tidy, workbook
from ironmark.publish.export_page import ExportPage
from ironmark.publish.page import Form, Images, Paper, as_html, job
from ironmark.publish.printer import MOST_PIXELS, Printer, PrintingStopped
from ironmark.publish.proof import Seal, mark_pdf, marked
from ironmark.publish.sheets import XLSX

Kind = Literal["pdf", "pptx", "xlsx", "csv", "json", "html", "png", "svg"]
EXPLAINED: tuple[Kind, ...] = ("html", "json")  # in which the workings of its readings stand
PRINTED: tuple[Kind, ...] = ("pdf", "pptx", "png", "svg")  # what takes a printer
MEDIA: dict[Kind, str] = {
    "pdf": "application/pdf", "pptx": slides.MEDIA, "xlsx": XLSX, "csv": tidy.ZIP, "json": "application/json",
    "html": "text/html; charset=utf-8", "png": "image/png", "svg": "image/svg+xml",
}  # fmt: skip
Tell = Callable[[str, float], bool]  # what is being done and how much is; whether it should stop


@dataclass(frozen=True, slots=True)
class Options:
    """paper: of a PDF. instrument: the only one that is drawn, on a picture. scale: of a PNG. sections: those alone; none:
    all of them. charts: on slides, bars, columns and lines as charts of their own;
    template: on the template of one's own."""

    paper: Paper = "a4"
    instrument: str | None = None
    scale: int = 2
    sections: tuple[str, ...] = ()
    charts: bool = False
    template: bool = False


def name_of(leaf: ExportPage, kind: Kind, options: Options) -> str:
    """What the file is called."""
    of = ""
    if options.instrument and kind in ("png", "svg"):
        of = next((f", {sheet.title}" for _, sheet, _ in leaf.sheets() if sheet.id == options.instrument), "")
    return f"{leaf.name}{of}".replace("/", "–")[:180] + ("-readings.zip" if kind == "csv" else f".{kind}")


MOST_READINGS = {"pdf": 30_000, "pptx": 5_000}
_LOW = 26  # pixels of a row, at least


def check(leaf: ExportPage, kind: Kind, options: Options) -> None:
    """Refuse an instrument or a section that does not stand on the page, and what is longer than the form can be."""
    known = {section.id for section in leaf.frozen.body.sections}
    if odd := [key for key in options.sections if key not in known]:
        raise Refused(
            404, "no-section", "No such section", f"No section of this page goes by “{odd[0]}”.", {"field": "sections"}
        )
    leaf = leaf.only(options.sections) if options.sections else leaf
    if options.instrument is not None and options.instrument not in set(_placed(leaf.frozen.body)):
        raise Refused(
            404, "no-instrument", "No such sheet", f"No sheet of this page goes by “{options.instrument}”.",
            {"field": "instrument"},
        )  # fmt: skip
    counts = {sheet.id: len(sheet.readings) for sheet in leaf.frozen.page.sheets if sheet.instrument.face == "ledger"}
    drawn = counts.get(options.instrument, 0) if options.instrument else max(counts.values(), default=0)
    if kind in ("png", "svg") and drawn * _LOW * (options.scale if kind == "png" else 1) > MOST_PIXELS:
        raise _too_long(f"A list of {drawn:,} rows is too long for one picture.", "a PDF, a workbook or CSV")
    count, most = sum(len(sheet.readings) for sheet in leaf.frozen.page.sheets), MOST_READINGS.get(kind)
    if most and count > most:
        raise _too_long(
            f"This page lists {count:,} readings, and {'a PDF' if kind == 'pdf' else 'slides'} can hold {most:,}.",
            "a workbook, CSV, JSON or HTML, or some of its sections only",
        )


def to_draw(
    leaf: ExportPage, kind: Kind, options: Options
) -> tuple[Kind, bytes, dict[str, Any] | None, dict[str, Any], str]:
    """What is kept of a page until it is drawn, as ``store.exports.ask`` takes it. Refuses what cannot be drawn."""
    check(leaf, kind, options)
    source = (leaf.frozen if kind in EXPLAINED else replace(leaf.frozen, workings={})).to_bytes()
    return kind, source, asdict(leaf.about) if leaf.about else None, asdict(options), name_of(leaf, kind, options)


def _too_long(said: str, instead: str) -> Refused:
    return Refused(422, "too-long", "It does not fit", f"{said} Take it out as {instead}.", {"field": "kind"})


def _placed(body: ScorecardBody) -> list[str]:
    return [
        item.id for section in body.sections for held in (section.instruments, section.texts, section.pictures) for item in held  # type: ignore[attr-defined]
    ]  # fmt: skip


def images_of(body: ScorecardBody) -> list[str]:
    """The pictures that stand on a page, by the keys they are kept under."""
    return [held.image for section in body.sections for held in section.pictures if held.image]


def render(
    leaf: ExportPage, kind: Kind, options: Options, images: Images, printer: Printer | None, tell: Tell, seal: Seal,
    template: bytes | None = None,
) -> bytes:  # fmt: skip
    """Numbers are written as they were when the page was read. Raises NoPrinter, PrinterFailed, PrintingStopped; only what
    is printed takes a printer."""
    leaf = leaf.only(options.sections) if options.sections else leaf
    return marked(_made(leaf, kind, options, images, printer, tell, seal, template), kind, [leaf], seal)


def _made(
    leaf: ExportPage, kind: Kind, options: Options, images: Images, printer: Printer | None, tell: Tell, seal: Seal,
    template: bytes | None,
) -> bytes:  # fmt: skip
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
        return paper.as_pdf(
            [(leaf, images)], options.paper, printer, lambda share: tell("is drawn", share),
            lambda pdf: mark_pdf(pdf, [leaf], seal),
        )  # fmt: skip
    if kind == "pptx":
        pieces = printer.pieces(
            job(leaf, images, Form("slides", "wide")), 2, slides.as_tables(leaf, charts=options.charts), stopped
        )
        if tell("is put on slides", 0.8):
            raise PrintingStopped
        return slides.as_slides(leaf, pieces, charts=options.charts, template=template)
    picture = job(leaf, images, Form("picture", instrument=options.instrument))
    if kind == "svg":
        return printer.svg(picture, name_of(leaf, kind, options).removesuffix(".svg"), stopped)
    return printer.png(picture, options.scale, stopped)
