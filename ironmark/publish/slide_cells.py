"""What is written on a slide: texts, colours and the cells of its tables."""

from __future__ import annotations

import re
from typing import Any

from pptx.dml.color import RGBColor
from pptx.enum.text import MSO_ANCHOR, PP_ALIGN
from pptx.util import Inches, Pt

from ironmark.core import palette as palettes
from ironmark.core.palette import State
from ironmark.pages.model.pictures import ReadingPicture

FONT = "Arial"
INK, SOFT, SHEET = "1E282E", "5C6870", "FCFBF8"


_NOT_IN_XML = re.compile("[^\t\n\r\x20-\ud7ff\ue000-\ufffd\U00010000-\U0010ffff]")


def in_xml(text: str) -> str:
    """A text without the signs that no XML can hold: rows and titles may come with some."""
    return _NOT_IN_XML.sub("", text)


def rgb_of(colour: str) -> RGBColor:
    """A colour of six digits, with or without the sign before it."""
    digits = colour.lstrip("#")
    return RGBColor(  # type: ignore[no-untyped-call]
        *(int(digits[at : at + 2], 16) for at in (0, 2, 4))
    )


def figure_of(reading: ReadingPicture, column: str) -> str:
    if column == "value":
        return reading.shown or "no reading"
    if column == "mark":
        return reading.marks[0].shown if reading.marks else ""
    return {"gap": reading.gap_shown, "attainment": reading.attainment_shown, "headroom": reading.headroom_shown}[column]  # fmt: skip


def write_text(
    frame: Any, size: float, *, bold: bool = False, colour: str = INK, align: Any = PP_ALIGN.LEFT,
    font: str | None = FONT,
) -> None:  # fmt: skip
    """font: None for that of the theme."""
    frame.margin_left = frame.margin_right = frame.margin_top = frame.margin_bottom = 0
    for paragraph in frame.paragraphs:
        paragraph.alignment = align
        for run in paragraph.runs:
            run.font.size, run.font.bold, run.font.name = Pt(size), bold, font
            run.font.color.rgb = rgb_of(colour)


def write_cell(
    cell: Any, text: str, size: float, *, bold: bool = False, colour: str = INK, right: bool = False,
    state: State | None = None,
) -> None:  # fmt: skip
    cell.text = in_xml(text)
    cell.vertical_anchor = MSO_ANCHOR.MIDDLE
    cell.margin_top = cell.margin_bottom = Inches(0.02)
    shades = palettes.shades(state, dark=False) if state else None
    cell.fill.solid()
    cell.fill.fore_color.rgb = rgb_of(shades.full if shades else SHEET)
    for paragraph in cell.text_frame.paragraphs:
        paragraph.alignment = PP_ALIGN.RIGHT if right else PP_ALIGN.LEFT
        for run in paragraph.runs:
            run.font.size, run.font.bold, run.font.name = Pt(size), bold or state is not None, FONT
            run.font.color.rgb = rgb_of(shades.on if shades else colour)


def plain_shape(shape: Any, name: str) -> None:
    """A table in our own looks, with its head told as one."""
    shape._element._nvXxPr.cNvPr.set("descr", in_xml(name))
    shape.table.first_row, shape.table.horz_banding = True, False
