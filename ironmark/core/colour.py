"""Colours: contrast, how far apart two are, and what a reader with a colour-vision deficiency sees.

Colours are sRGB, written ``#rrggbb``; arrays of them are (n, 3) float from 0 to 1.
"""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from functools import lru_cache
from typing import Literal

import numpy as np

from ironmark.core.evaluate import Floats

Vision = Literal["full", "protan", "deutan", "tritan", "grey"]
VISIONS: tuple[Vision, ...] = ("full", "protan", "deutan", "tritan", "grey")
SEEN_BY: Mapping[Vision, str] = {
    "full": "to everybody",
    "protan": "to readers without red cones (protan)",
    "deutan": "to readers without green cones (deutan)",
    "tritan": "to readers without blue cones (tritan)",
    "grey": "in grey",
}
# Machado, Oliveira & Fernandes (2009), A physiologically-based model for simulation of color vision deficiency,
# severity 1.0, for linear sRGB.
_SEEN: dict[str, Floats] = {
    "protan": np.array([[0.152286, 1.052583, -0.204868], [0.114503, 0.786281, 0.099216], [-0.003882, -0.048116, 1.051998]]),
    "deutan": np.array([[0.367322, 0.860646, -0.227968], [0.280085, 0.672501, 0.047413], [-0.011820, 0.042940, 0.968881]]),
    "tritan": np.array([[1.255528, -0.076749, -0.178779], [-0.078411, 0.930809, 0.147602], [0.004733, 0.691367, 0.303900]]),
}  # fmt: skip
_LUMINANCE = np.array([0.2126, 0.7152, 0.0722])  # of linear sRGB, IEC 61966-2-1
_TO_XYZ = np.array([[0.4124564, 0.3575761, 0.1804375], [0.2126729, 0.7151522, 0.0721750], [0.0193339, 0.1191920, 0.9503041]])  # fmt: skip
_WHITE = np.array([0.95047, 1.0, 1.08883])  # D65
# Ottosson (2020), A perceptual color space for image processing.
_TO_LMS = np.array([[0.4122214708, 0.5363325363, 0.0514459929], [0.2119034982, 0.6806995451, 0.1073969566], [0.0883024619, 0.2817188376, 0.6299787005]])  # fmt: skip
_TO_OKLAB = np.array([[0.2104542553, 0.7936177850, -0.0040720468], [1.9779984951, -2.4285922050, 0.4505937099], [0.0259040371, 0.7827717662, -0.8086757660]])  # fmt: skip
_HEX = re.compile(r"#[0-9a-fA-F]{6}")


def rgb(colours: Sequence[str]) -> Floats:
    """Colours as (n, 3) float, sRGB from 0 to 1. Raises ValueError for one that is not ``#rrggbb``."""
    for colour in colours:
        if not _HEX.fullmatch(colour):
            raise ValueError(f"“{colour[:20]}” is no colour; write it as #2a7f78")
    return np.array([[int(colour[i : i + 2], 16) / 255 for i in (1, 3, 5)] for colour in colours]).reshape(-1, 3)


def written(colours: Floats) -> list[str]:
    """``rgb`` undone: (n, 3) float to ``#rrggbb``, held within sRGB."""
    levels = np.rint(np.clip(colours, 0.0, 1.0) * 255).astype(int)
    return [f"#{r:02x}{g:02x}{b:02x}" for r, g, b in levels]


def _linear(colours: Floats) -> Floats:
    return np.where(colours <= 0.04045, colours / 12.92, ((colours + 0.055) / 1.055) ** 2.4)


def _encoded(linear: Floats) -> Floats:
    linear = np.clip(linear, 0.0, 1.0)
    return np.where(linear <= 0.0031308, linear * 12.92, 1.055 * linear ** (1 / 2.4) - 0.055)


def seen(colours: Floats, vision: Vision) -> Floats:
    """Colours (n, 3) as they look to a reader of this vision; grey is what a printer without colour makes of them."""
    if vision == "full":
        return colours
    linear = _linear(colours)
    if vision == "grey":
        return _encoded(np.repeat((linear @ _LUMINANCE)[:, None], 3, axis=1))
    return _encoded(linear @ _SEEN[vision].T)


def contrast(one: str, other: str) -> float:
    """The contrast ratio of two colours, 1 to 21 (WCAG 2.2, relative luminance)."""
    light, dark = sorted((_linear(rgb([one, other])) @ _LUMINANCE).tolist(), reverse=True)
    return float((light + 0.05) / (dark + 0.05))


def lab(colours: Floats) -> Floats:
    """CIE L*a*b* under D65 of sRGB colours (n, 3)."""
    scaled = _linear(colours) @ _TO_XYZ.T / _WHITE
    curve = np.where(scaled > (6 / 29) ** 3, np.cbrt(scaled), scaled * (29 / 6) ** 2 / 3 + 4 / 29)
    x, y, z = curve.T
    return np.stack([116 * y - 16, 500 * (x - y), 200 * (y - z)], axis=1)


def distance(one: Floats, other: Floats) -> Floats:
    """CIEDE2000 between L*a*b* colours, (n, 3) each, to (n,); about 1 is just noticed side by side.

    Source: Sharma, Wu & Dalal (2005), The CIEDE2000 color-difference formula.
    """
    (l1, a1, b1), (l2, a2, b2) = one.T, other.T
    mean = (np.hypot(a1, b1) + np.hypot(a2, b2)) / 2
    g = 0.5 * (1 - np.sqrt(mean**7 / (mean**7 + 25.0**7)))
    a1, a2 = a1 * (1 + g), a2 * (1 + g)
    c1, c2 = np.hypot(a1, b1), np.hypot(a2, b2)
    h1, h2 = np.degrees(np.arctan2(b1, a1)) % 360, np.degrees(np.arctan2(b2, a2)) % 360
    none = c1 * c2 == 0
    turn = h2 - h1
    turn = np.where(none, 0.0, turn - 360 * (turn > 180) + 360 * (turn < -180))
    dl, dc, dh = l2 - l1, c2 - c1, 2 * np.sqrt(c1 * c2) * np.sin(np.radians(turn / 2))
    far = np.abs(h1 - h2) > 180
    h = np.where(none, h1 + h2, (h1 + h2 + 360 * far * np.where(h1 + h2 < 360, 1, -1)) / 2)
    lm, cm = (l1 + l2) / 2, (c1 + c2) / 2
    t = 1 - 0.17 * _cos(h - 30) + 0.24 * _cos(2 * h) + 0.32 * _cos(3 * h + 6) - 0.20 * _cos(4 * h - 63)
    sl = 1 + 0.015 * (lm - 50) ** 2 / np.sqrt(20 + (lm - 50) ** 2)
    sc, sh = 1 + 0.045 * cm, 1 + 0.015 * cm * t
    turned = 60 * np.exp(-(((h - 275) / 25) ** 2))
    rt = -2 * np.sqrt(cm**7 / (cm**7 + 25.0**7)) * np.sin(np.radians(turned))
    return np.asarray(
        np.sqrt((dl / sl) ** 2 + (dc / sc) ** 2 + (dh / sh) ** 2 + rt * (dc / sc) * (dh / sh)), dtype=float
    )


def _cos(degrees: Floats) -> Floats:
    return np.asarray(np.cos(np.radians(degrees)))


def oklab(colours: Floats) -> Floats:
    """OKLab of sRGB colours (n, 3): equal steps in it look equal.

    Source: Ottosson (2020), A perceptual color space for image processing.
    """
    return np.asarray(np.cbrt(_linear(colours) @ _TO_LMS.T) @ _TO_OKLAB.T)


def from_oklab(colours: Floats) -> Floats:
    """``oklab`` undone, (n, 3) to (n, 3), held within sRGB."""
    return _encoded((colours @ np.linalg.inv(_TO_OKLAB).T) ** 3 @ np.linalg.inv(_TO_LMS).T)


def mix(one: str, other: str, share: float) -> str:
    """``share`` of the one and the rest of the other, mixed in OKLab."""
    both = oklab(rgb([one, other]))
    return written(from_oklab((both[0] * share + both[1] * (1 - share))[None, :]))[0]


@lru_cache(maxsize=512)
def until(colour: str, ground: str, towards: str, least: float) -> str:
    """``colour`` moved towards another as little as gives it a contrast of ``least`` on its ground."""
    for share in np.linspace(1.0, 0.0, 41):
        moved = mix(colour, towards, float(share))
        if contrast(moved, ground) >= least:
            return moved
    return towards
