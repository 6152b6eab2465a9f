"""Sheets of words: Markdown read into plain blocks, with the figures that are named in them."""

from __future__ import annotations

import re
from collections.abc import Collection, Iterator, Sequence
from functools import lru_cache
from typing import get_args
from urllib.parse import urlsplit

from markdown_it import MarkdownIt
from markdown_it.token import Token

from ironmark.core.names import NAME
from ironmark.core.nearest import did_you_mean
from ironmark.pages.model.page import Block, FigurePart, Span

FIGURE = re.compile(rf"\{{\s*({NAME})\s*(?::\s*([^{{}}]*?))?\s*\}}")
PARTS: tuple[FigurePart, ...] = get_args(FigurePart)
REACHED = {
    "the period before": "before",
    "a year earlier": "year_earlier",
    "the year to date": "to_date",
    "the whole year": "year",
}
# Such as ``gap of Night freight in the period before``: each of the three may be left out.
_ASKED = re.compile(
    r"(?:(?!of\b|in\b)(?P<part>\w+))?\s*(?:of\s+(?P<member>.+?))?\s*"
    rf"(?:\bin\s+(?P<reach>{'|'.join(REACHED)}|\d{{4}}\S*))?",
    re.IGNORECASE,
)
SCHEMES = {"http", "https", "mailto", ""}


@lru_cache(maxsize=256)
def blocks_of(text: str) -> tuple[Block, ...]:
    """Headings, paragraphs and list items of some Markdown. Nothing of it is ever HTML: tags in it are its words."""
    tokens = MarkdownIt("commonmark", {"html": False}).disable(["image", "autolink"]).parse(text)
    found: list[Block] = []
    kinds: list[str] = []
    numbers: list[int] = []
    for token in tokens:
        match token.type:
            case "bullet_list_open":
                kinds.append("item")
            case "ordered_list_open":
                kinds.append("numbered")
                numbers.append(int(token.attrGet("start") or 1) - 1)
            case "bullet_list_close":
                kinds.pop()
            case "ordered_list_close":
                kinds.pop()
                numbers.pop()
            case "list_item_open" if kinds[-1] == "numbered":
                numbers[-1] += 1
            case "heading_open":
                found.append(Block("heading", int(token.tag[1:]), 0, ()))
            case "paragraph_open" if kinds:
                found.append(
                    Block(
                        "numbered" if kinds[-1] == "numbered" else "item",
                        len(kinds),
                        numbers[-1] if kinds[-1] == "numbered" else 0,
                        (),
                    )
                )
            case "paragraph_open":
                found.append(Block("paragraph", 0, 0, ()))
            case "inline":
                held = found.pop()
                found.append(Block(held.kind, held.level, held.number, tuple(_spans(token.children or ()))))
            case "fence" | "code_block":
                found.append(Block("paragraph", 0, 0, (Span(token.content.rstrip()),)))
    return tuple(found)


def _spans(tokens: Sequence[Token]) -> Iterator[Span]:
    bold = italic = 0
    href = ""
    for token in tokens:
        match token.type:
            case "strong_open" | "strong_close":
                bold += token.nesting
            case "em_open" | "em_close":
                italic += token.nesting
            case "link_open":
                href = str(token.attrGet("href") or "")
                href = href if urlsplit(href).scheme.lower() in SCHEMES else ""
            case "link_close":
                href = ""
            case "softbreak" | "hardbreak":
                yield Span(" " if token.type == "softbreak" else "\n")
            case "code_inline":
                yield Span(token.content, bool(bold), bool(italic), href)
            case "text":
                yield from _figures(token.content, bool(bold), bool(italic), href)


def _figures(text: str, bold: bool, italic: bool, href: str) -> Iterator[Span]:
    at = 0
    for found in FIGURE.finditer(text):
        if found.start() > at:
            yield Span(text[at : found.start()], bold, italic, href)
        yield Span(found[0], bold, italic, href, found[1], *_asked(found[2] or ""))
        at = found.end()
    if at < len(text):
        yield Span(text[at:], bold, italic, href)


def _asked(text: str) -> tuple[str, str, str]:
    """What is asked of a figure: the part of its reading, whose it is, and in which period; "" for what the text itself
    is about."""
    found = _ASKED.fullmatch(text.strip())
    if found is None:
        return text.strip().lower(), "", ""
    member = (found["member"] or "").strip().strip('"“”')
    reach = (found["reach"] or "").lower()
    return (found["part"] or "value").lower(), member, REACHED.get(reach, reach.upper())


def figures_of(text: str) -> list[Span]:
    """The figures in a text, each once."""
    spans = (span for block in blocks_of(text) for span in block.spans)
    return list({span.figure: span for span in spans if span.handle}.values())


def plain(blocks: Sequence[Block]) -> str:
    """A text without its looks, its figures as they are named."""
    lines = ("".join(span.text for span in block.spans) for block in blocks)
    return "\n".join(line for line in lines if line.strip())


def what_is_wrong(span: Span, handles: Collection[str]) -> str:
    """What a figure in a text has to be told of: nobody has its handle, or there is no such part of a reading."""
    if span.handle not in handles:
        return f"no KPI “{span.handle}”{did_you_mean(span.handle, handles, quoted=False)}"
    if span.part not in PARTS:
        return f"no “{span.part}” of a reading; there are {', '.join(PARTS)}"
    return ""
