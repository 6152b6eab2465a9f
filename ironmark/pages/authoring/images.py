"""Pictures on a page: what a file is, and drawings made harmless."""

from __future__ import annotations

import hashlib
import io
import re
from typing import Literal
from xml.etree.ElementTree import Element, ParseError, register_namespace, tostring

from defusedxml.common import DefusedXmlException
from defusedxml.ElementTree import fromstring
from PIL import Image, UnidentifiedImageError

from ironmark.pages.model.problems import Refused

MOST_BYTES = 3 << 20
MOST_PIXELS = 40_000_000
Kind = Literal["png", "jpeg", "svg"]
_SVG, _XLINK = "http://www.w3.org/2000/svg", "http://www.w3.org/1999/xlink"
# What draws. All else of SVG runs, is fetched, or holds another language.
_DRAWS = set(
    [
        "svg",
        "g",
        "defs",
        "symbol",
        "use",
        "path",
        "rect",
        "circle",
        "ellipse",
        "line",
        "polyline",
        "polygon",
        "text",
        "tspan",
        "textPath",
        "title",
        "desc",
        "style",
        "marker",
        "linearGradient",
        "radialGradient",
        "stop",
        "pattern",
        "clipPath",
        "mask",
        "filter",
        "feGaussianBlur",
        "feOffset",
        "feMerge",
        "feMergeNode",
        "feBlend",
        "feColorMatrix",
        "feComposite",
        "feFlood",
        "image",
        "switch",
        "view",
    ]
)
_EMBEDDED = re.compile(r"^data:image/(png|jpeg|gif|webp);base64,", re.I)
_FETCHES = re.compile(r"@import|url\(\s*[\"']?\s*(?!#)|expression\(|javascript:|\\", re.I)


def harmless(body: bytes) -> tuple[Kind, bytes]:
    """A picture and what it is; of a drawing (SVG) what draws, and nothing that runs or is fetched. Refuses all else."""
    if len(body) > MOST_BYTES:
        raise _refused(f"The picture is larger than {MOST_BYTES >> 20} MB. Make it smaller first.")
    if body.lstrip()[:1] == b"<":
        return "svg", _drawing(body)
    try:
        with Image.open(io.BytesIO(body), formats=("PNG", "JPEG")) as image:
            if image.width * image.height > MOST_PIXELS:
                raise _refused("The picture has more than 40 million pixels. Make it smaller first.")
            kind: Kind = "png" if image.format == "PNG" else "jpeg"
            image.load()
    except (UnidentifiedImageError, OSError, SyntaxError, ValueError, Image.DecompressionBombError):
        raise _refused(
            "This is no PNG, JPEG or SVG, or it is damaged. Save it as one of these and try again."
        ) from None
    return kind, body


def key_of(body: bytes) -> str:
    """The key a picture is kept under: the same picture is kept once."""
    return hashlib.blake2b(body, digest_size=16).hexdigest()


def _refused(detail: str) -> Refused:
    return Refused(422, "no-picture", "The picture cannot be taken", detail, {"field": "file"})


def _drawing(body: bytes) -> bytes:
    try:
        root = fromstring(body, forbid_dtd=False)
    except (ParseError, DefusedXmlException, ValueError, LookupError):
        raise _refused("The SVG cannot be read as one, or it holds what no drawing needs.") from None
    if _name(root) != "svg":
        raise _refused("The file is XML, but no SVG.")
    _clean(root)
    register_namespace("", _SVG)
    register_namespace("xlink", _XLINK)
    return bytes(tostring(root, encoding="utf-8"))


def _name(element: Element) -> str:
    space, _, name = str(element.tag).rpartition("}")
    return name if space in ("", "{" + _SVG) else ""


def _clean(element: Element) -> None:
    if _name(element) == "style" and _FETCHES.search(element.text or ""):
        element.text = ""
    for name, value in list(element.attrib.items()):
        plain = name.rpartition("}")[2].lower()
        points = plain == "href" and not (value.startswith("#") or _EMBEDDED.match(value))
        if plain.startswith("on") or points or (plain != "href" and _FETCHES.search(value)):
            del element.attrib[name]
    for child in list(element):
        if _name(child) in _DRAWS:
            _clean(child)
        else:
            element.remove(child)
