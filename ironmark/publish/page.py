"""A page as one HTML file that opens without a server: script, style, fonts, pictures and figures within.

It is read as it is, printed, and drawn as a picture; see ``web/src/leaf``.
"""

from __future__ import annotations

import base64
import hashlib
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from html import escape
from pathlib import Path
from typing import Any, Literal

from pydantic import TypeAdapter

from ironmark.core.faces import TABLE
from ironmark.core.kinds import KINDS
from ironmark.core.ramp import RAMPS
from ironmark.pages.drawing.palette_view import look
from ironmark.pages.model.pictures import ScorecardPicture
from ironmark.pages.model.scorecard import AsksBody, OwnScope, ScopeBody, ScorecardBody
from ironmark.publish import fonts
from ironmark.publish.export_page import ExportPage
from ironmark.publish.parts import Part
from ironmark.publish.plain import as_plain
from ironmark.publish.printer import Job

BUILT = Path(__file__).parents[2] / "web" / "dist" / "leaf"
Paper = Literal["a4", "a4-upright", "a3", "a3-upright", "letter", "wide"]
Mode = Literal["read", "paper", "slides", "picture"]
Images = Mapping[str, tuple[str, bytes]]  # kind and bytes, by key
MEDIA = {"png": "image/png", "jpeg": "image/jpeg", "svg": "image/svg+xml"}
_ANY: TypeAdapter[Any] = TypeAdapter(Any)


@dataclass(frozen=True, slots=True)
class Form:
    """How a page is drawn. instrument: the only one that is; part: what of it is printed at once."""

    mode: Mode = "read"
    paper: Paper = "a4"
    instrument: str | None = None
    part: Part = Part()


@lru_cache(maxsize=1)
def _built() -> tuple[str, str]:
    """The script and the style, as they may stand within HTML."""
    script = (BUILT / "leaf.js").read_text("utf-8").replace("</script", "<\\/script").replace("<!--", "<\\!--")
    return script, (BUILT / "leaf.css").read_text("utf-8").replace("</style", "<\\/style")


def policy(frames: tuple[str, ...] = ()) -> str:
    """The Content-Security-Policy of such a page: nothing is fetched, and only its own script runs. frames: the sites
    that may show it within theirs."""
    digest = base64.b64encode(hashlib.sha256(_built()[0].encode()).digest()).decode()
    around = " ".join(frames) or "'none'"
    return (
        f"default-src 'none'; script-src 'sha256-{digest}'; style-src 'unsafe-inline'; img-src data:; font-src data:; "
        f"base-uri 'none'; form-action 'self'; frame-ancestors {around}"
    )


def as_html(
    leaf: ExportPage, images: Images, *, served: bool = False, again_s: int = 0, takes: Sequence[str] = ()
) -> bytes:  # fmt: skip
    """A page to be read. served: by a server that says the policy itself; a file brings it along. again_s: after how many
    seconds a page that is served is read again by itself, 0 for never; takes: the forms it can be taken out in there."""
    data = page_json(leaf, images, Form(), takes).decode().replace("<", "\\u003c")
    again = f'<meta http-equiv="refresh" content="{again_s};url=?again=1">' if again_s else ""
    return _page(
        leaf.name, _built()[1], f'<div id="app">{as_plain(leaf)}</div><script type="application/json" id="told">{data}</script>',
        again if served else f'<meta http-equiv="Content-Security-Policy" content="{escape(_within())}">',
    )  # fmt: skip


@lru_cache(maxsize=2)
def for_printer(mode: Mode) -> bytes:
    """A page with nothing on it, which is handed to a printer once and told what to draw as often as there is something."""
    style = fonts.for_paper(_built()[1]) if mode == "paper" else _built()[1]
    return _page("", style, '<div id="app"></div>')


def job(leaf: ExportPage, images: Images, form: Form) -> Job:
    """A page as a printer is told of it."""
    paper = form.mode == "paper"
    return Job(
        for_printer("paper" if paper else "picture"), page_json(leaf, images, form), "print" if paper else "screen"
    )


def _page(name: str, style: str, body: str, meta: str = "") -> bytes:
    return (
        '<!doctype html>\n<html lang="en-GB" data-theme="ironmark" data-mode="light">\n<head><meta charset="utf-8">'
        f'<meta name="viewport" content="width=device-width, initial-scale=1">{meta}'
        f"<title>{escape(name)}</title><style>{style}</style></head>\n"
        f"<body>{body}<script>{_built()[0]}</script></body></html>\n"
    ).encode()


def _within() -> str:
    """The policy that a file brings along: what only a server can say is left out."""
    return policy().partition("; frame-ancestors")[0]


def page_json(leaf: ExportPage, images: Images, form: Form, takes: Sequence[str] = ()) -> bytes:
    """Everything a page is drawn from, as JSON."""
    about, frozen = leaf.about, leaf.frozen
    return _ANY.dump_json({
        "mode": form.mode,
        "paper": form.paper,
        "instrument": form.instrument,
        "takes": list(takes),
        "part": form.part.told(leaf.picture),
        "name": leaf.name,
        "title": leaf.title,
        "heading": leaf.heading,
        "through": f"Data through {leaf.through_words}" if leaf.through else "",
        "edition": about
        and {
            "number": about.number, "state": about.state, "note": about.note, "why": about.why,
            "words": leaf.published_words,
        },
        "body": _no_more(form.part.body(frozen.body) if form.part.sheets else frozen.body),
        "picture": _drawn_alone(form.part.picture(leaf.picture) if form.part.sheets else leaf.picture),
        "palettes": [look(palette) for palette in frozen.looks()],
        "faces": TABLE,
        "colours": {"plain": KINDS, "ramps": RAMPS},
        "locale": frozen.locale,
        "images": {
            key: f"data:{MEDIA[kind]};base64,{base64.b64encode(body).decode()}" for key, (kind, body) in images.items()
        },
        "workings": frozen.workings if form.mode == "read" else {},
    })  # fmt: skip


def _no_more(body: ScorecardBody) -> ScorecardBody:
    """What a page is laid out by: not whose it is and where it is kept, nor what it could be asked for."""
    sections = [
        section.model_copy(
            update={
                "instruments": [one.model_copy(update={"own": OwnScope()}) for one in section.instruments],
                "texts": [text.model_copy(update={"text": ""}) for text in section.texts],
            }
        )
        for section in body.sections
    ]
    plain: dict[str, Any] = {"folder": "", "owner": "", "scope": ScopeBody(), "asks": AsksBody(), "sections": sections}
    return body.model_copy(update=plain)


def _drawn_alone(picture: ScorecardPicture) -> ScorecardPicture:
    """What is drawn: without the members and periods it could be read for, and without what is asked of its readers here."""
    instruments = [
        replace(one, readings=[replace(r, word="") if r.word == "wanted" else r for r in one.readings])
        for one in picture.instruments
    ]
    return replace(
        picture,
        books={},
        periods=[],
        grains=[],
        segments=[],
        assumptions=[],
        asked=0,
        wanted=[],
        instruments=instruments,
    )


_MM = {"a4": (297, 210), "a4-upright": (210, 297), "a3": (420, 297), "a3-upright": (297, 420), "letter": (279.4, 215.9), "wide": (338.67, 190.5)}  # fmt: skip


def margins(told: Sequence[tuple[str, str, str]], counts: Sequence[int], paper: Paper) -> bytes:
    """Pages on which nothing but their margins stands. told: of each kind of page, what stands at its top to the left and
    to the right, and at its foot; counts: how many there are of each."""
    small = "font: 450 9pt 'Archivo Variable', sans-serif; color: #5c6870;"
    rules = []
    for at, (left, right, foot) in enumerate(told):
        rules.append(
            f"@page p{at} {{ @top-left {{ content: {_quoted(left)}; {small} font-weight: 650; color: #1e282e; }} "
            f"@top-right {{ content: {_quoted(right)}; {small} }} @bottom-left {{ content: {_quoted(foot)}; {small} }} "
            f'@bottom-right {{ content: counter(page) " / " counter(pages); {small} }} }} .p{at} {{ page: p{at}; }}'
        )
    pages = "".join(f'<div class="page p{at}"></div>' for at, count in enumerate(counts) for _ in range(count))
    style = "".join(rules) + "html, body { background: none; } .page { height: 1px; break-before: page; padding: 0 } .page:first-child { break-before: auto }"  # fmt: skip
    return _on_paper(style, pages, paper)


def cover(body: str, paper: Paper) -> bytes:
    """A cover and contents on paper."""
    apart = "section.contents { display: block; break-before: page; page-break-before: always }"
    return _on_paper(f"html, body {{ background: #fff; }} {_COVER} {apart}", body, paper)


def _on_paper(style: str, body: str, paper: Paper) -> bytes:
    """What is printed as it is, without a script."""
    across, along = _MM[paper]
    size = f"@page {{ size: {across}mm {along}mm; margin: 15mm 12mm 13mm; }}"
    return (
        '<!doctype html><html lang="en-GB" data-ready="yes"><head><meta charset="utf-8"><title>.</title>'
        f"<style>{fonts.for_paper(_built()[1])} {size} {style}</style></head><body>{body}</body></html>"
    ).encode()


_COVER = (
    ".cover { padding-top: 20vh } .cover h1 { font-size: 40px } .book-note { max-width: 80ch; margin-top: 16px; white-space: pre-line }"
    " .contents table { width: 100%; border-collapse: collapse; margin-top: 10px } .contents td { padding: 7px 14px 7px 0;"
    " border-bottom: 1px solid #d9d5cb; vertical-align: top; color: #5c6870 } .contents .named { font-weight: 650; color: #1e282e }"
    " .contents .page-of { text-align: right; padding-right: 0; color: #1e282e }"
)


def as_book(title: str, front: str, pages: Sequence[tuple[ExportPage, Images]]) -> bytes:
    """Several pages as one file, one after the other."""
    every = b"[" + b",".join(page_json(leaf, images, Form()) for leaf, images in pages) + b"]"
    data = every.decode().replace("<", "\\u003c")
    plain = "".join(as_plain(leaf) for leaf, _ in pages)
    security = f'<meta http-equiv="Content-Security-Policy" content="{escape(_within())}">'
    style = f"{_built()[1]} {_COVER} .book-front {{ padding: 20px 40px }} .cover {{ padding-top: 6vh }}"
    body = (
        f'<div class="book-front">{front}</div><div id="app">{plain}</div>'
        f'<script type="application/json" id="told">{data}</script>'
    )
    return _page(title, style, body, security)


def _quoted(text: str) -> str:
    """A text as a string of CSS within a page."""
    return '"' + "".join(f"\\{ord(sign):x} " if sign in '"\\<' or sign < " " else sign for sign in text) + '"'
