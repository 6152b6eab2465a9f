"""A page as one HTML file that opens without a server: script, style, fonts, pictures and figures within.

It is read as it is, printed, and drawn as a picture; see ``web/src/leaf``.
"""

from __future__ import annotations

import base64
import hashlib
from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache
from html import escape
from pathlib import Path
from typing import Any, Literal

from pydantic import TypeAdapter

from ironmark.core.faces import TABLE
from ironmark.core.kinds import KINDS
from ironmark.core.ramp import RAMPS
from ironmark.pages.looks import look
from ironmark.publish.leaf import Leaf
from ironmark.publish.plain import as_plain

BUILT = Path(__file__).parents[2] / "web" / "dist" / "leaf"
Paper = Literal["a4", "a3", "letter", "wide"]
Mode = Literal["read", "paper", "slides", "picture"]
Images = Mapping[str, tuple[str, bytes]]  # kind and bytes, by key
MEDIA = {"png": "image/png", "jpeg": "image/jpeg", "svg": "image/svg+xml"}
_ANY: TypeAdapter[Any] = TypeAdapter(Any)


@dataclass(frozen=True, slots=True)
class Form:
    """How a page is drawn. instrument: the only one that is."""

    mode: Mode = "read"
    paper: Paper = "a4"
    instrument: str | None = None


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
    leaf: Leaf, images: Images, form: Form = Form(), *, served: bool = False, again_s: int = 0,
) -> bytes:  # fmt: skip
    """served: by a server that says the policy itself; a file brings it along. again_s: after how many seconds a page
    that is served is read again by itself, 0 for never."""
    script, style = _built()
    data = _ANY.dump_json(_told(leaf, images, form)).decode().replace("<", "\\u003c")
    security = "" if served else f'<meta http-equiv="Content-Security-Policy" content="{escape(_within())}">'
    again = f'<meta http-equiv="refresh" content="{again_s};url=?again=1">' if again_s else ""
    return (
        '<!doctype html>\n<html lang="en-GB" data-theme="ironmark" data-mode="light">\n<head><meta charset="utf-8">'
        f'<meta name="viewport" content="width=device-width, initial-scale=1">{security}{again}'
        f"<title>{escape(leaf.name)}</title><style>{style}</style></head>\n"
        f'<body><div id="app">{as_plain(leaf) if form.mode == "read" else ""}</div><script type="application/json" id="told">{data}</script>'
        f"<script>{script}</script></body></html>\n"
    ).encode()


def _within() -> str:
    """The policy that a file brings along: what only a server can say is left out."""
    return policy().partition("; frame-ancestors")[0]


def _told(leaf: Leaf, images: Images, form: Form) -> dict[str, Any]:
    about, frozen = leaf.about, leaf.frozen
    return {
        "mode": form.mode,
        "paper": form.paper,
        "instrument": form.instrument,
        "name": leaf.name,
        "title": leaf.title,
        "heading": leaf.heading,
        "through": f"Data through {leaf.through_words}" if leaf.through else "",
        "edition": about
        and {
            "number": about.number, "state": about.state, "note": about.note, "why": about.why,
            "words": leaf.published_words,
        },
        "body": frozen.body,
        "picture": leaf.picture,
        "palettes": [look(palette) for palette in frozen.looks()],
        "faces": TABLE,
        "colours": {"plain": KINDS, "ramps": RAMPS},
        "locale": frozen.locale,
        "images": {
            key: f"data:{MEDIA[kind]};base64,{base64.b64encode(body).decode()}" for key, (kind, body) in images.items()
        },
        "workings": frozen.workings if form.mode == "read" else {},
    }  # fmt: skip
