"""The fonts of paper: named ones of one weight each, cut once out of the variable one that the interface is set in.

A PDF cannot hold a variable font; it would become nameless drawings of its signs, which nobody can search a font by and
some printers refuse.
"""

from __future__ import annotations

import base64
import io
import os
import re
from contextlib import suppress
from pathlib import Path

BUILT = Path(__file__).parents[2] / "web" / "dist" / "leaf"
KEPT = BUILT / "paper.css"
# Name; weight and width it is cut at; the weights and widths that it stands for.
_CUTS = (
    ("Book", 450, 100, (1, 475), (97, 200)),
    ("Medium", 530, 100, (476, 570), (97, 200)),
    ("SemiBold", 615, 100, (571, 630), (97, 200)),
    ("Bold", 650, 100, (631, 1000), (97, 200)),
    ("SemiCondensed", 650, 95, (1, 1000), (92, 96)),
    ("Condensed", 680, 88, (1, 1000), (50, 91)),
)
_FACE = re.compile(r"@font-face ?\{.*?\}", re.S)


def as_cut(css: str) -> str:
    """The rules of a style's variable fonts, each as those of single weights."""
    return "".join(_rule(face, *cut) for face in _FACE.findall(css) for cut in _CUTS if "font-weight:100 900" in face)


def for_paper(css: str) -> str:
    """A style with the fonts of paper in the place of its variable ones. Cutting them takes many seconds: they are kept."""
    if KEPT.is_file():
        cut = KEPT.read_text("utf-8")
    else:
        cut = as_cut(css)
        with suppress(OSError):
            _keep(cut)
    return cut + _FACE.sub(lambda face: "" if "font-weight:100 900" in face[0] else face[0], css)


def _keep(cut: str) -> None:
    """In one step: several processes may do so."""
    own = KEPT.with_suffix(f".{os.getpid()}")
    own.write_text(cut, "utf-8")
    own.replace(KEPT)


def _rule(face: str, name: str, weight: int, width: int, weights: tuple[int, int], widths: tuple[int, int]) -> str:
    from fontTools.ttLib import TTFont
    from fontTools.varLib import instancer

    found = re.search(r"base64,([A-Za-z0-9+/=]+)", face)
    assert found is not None
    font = TTFont(io.BytesIO(base64.b64decode(found[1])))
    axes = {"wght": weight, "wdth": width}
    cut = instancer.instantiateVariableFont(font, {a.axisTag: axes.get(a.axisTag) for a in font["fvar"].axes})
    family = next(str(n) for n in cut["name"].names if n.nameID == 1).split()[0]
    for number, text in ((1, f"{family} {name}"), (2, "Regular"), (4, f"{family} {name}"), (6, f"{family}-{name}")):
        cut["name"].setName(text, number, 3, 1, 0x409)
    cut.flavor = "woff2"
    buffer = io.BytesIO()
    cut.save(buffer)
    url = f"url(data:font/woff2;base64,{base64.b64encode(buffer.getvalue()).decode()}) format('woff2')"
    rule = re.sub(r"url\(data:font[^)]*\) ?format\([^)]*\)", url, face, count=1)
    rule = rule.replace("font-weight:100 900", f"font-weight:{weights[0]} {weights[1]}")
    return re.sub(r"font-stretch:[^;]*", f"font-stretch:{widths[0]}% {widths[1]}%", rule)


if __name__ == "__main__":
    _keep(as_cut((BUILT / "leaf.css").read_text("utf-8")))
