"""A receipt as PDF, A4, with the fonts and pictures inside."""

from __future__ import annotations

import logging
from io import BytesIO
from pathlib import Path

from fpdf import FPDF

from velkin.core.handoff.receipt import Line, Receipt, facts_of_line
from velkin.core.handoff.receipt_page import spoken_time

_MARGIN, _PICTURE, _ROW = 16.0, 46.0, 4.4
_INK, _SOFT = 22, 69


class _Paper(FPDF):
    """Pages with a foot."""

    def __init__(self, foot: str) -> None:
        super().__init__(format="A4")
        self._foot = foot
        self.set_margins(_MARGIN, _MARGIN)
        self.set_auto_page_break(True, 18)
        logging.getLogger("fpdf").setLevel(logging.ERROR)  # a letter that the font does not have is no news here
        logging.getLogger("fontTools").setLevel(logging.ERROR)
        for weight, style in (("Regular", ""), ("SemiBold", "B")):
            self.add_font("Inter", style, Path(__file__).parents[2] / "fonts" / f"Inter-{weight}-paper.ttf")

    def footer(self) -> None:
        """The shoot and the page's number, at the bottom."""
        self.set_y(-12)
        self.set_font("Inter", "", 8)
        self.set_text_color(_SOFT)
        self.cell(0, 5, self._foot)
        self.set_x(_MARGIN)
        self.cell(0, 5, f"{self.page_no()}", align="R")

    def line_of(self, text: str, size: float, *, style: str = "", grey: int = _INK, height: float = 5.0) -> None:
        """A paragraph."""
        self.set_font("Inter", style, size)
        self.set_text_color(grey)
        self.multi_cell(0, height, text, new_x="LMARGIN", new_y="NEXT", align="L")


def as_pdf(receipt: Receipt) -> bytes:
    """The pages as a file."""
    paper = _Paper(f"{receipt.shoot}, handed off {spoken_time(receipt.begun)}")
    paper.set_title(f"{receipt.shoot}: receipt")
    paper.set_creator(receipt.program)
    paper.add_page()
    paper.line_of(receipt.shoot, 18, style="B", height=9)
    paper.line_of(f"Handed off {spoken_time(receipt.begun)} with {receipt.program}", 9, grey=_SOFT)
    paper.ln(2)
    paper.line_of(receipt.summary(), 11)
    for destination in receipt.destinations():
        paper.ln(4)
        paper.line_of(destination, 12, style="B", height=7)
        for line in receipt.lines:
            if line.destination == destination:
                _file(paper, line)
    return bytes(paper.output())


def _file(paper: _Paper, line: Line) -> None:
    rows = [(n, v) for n, v in facts_of_line(line) if n != "Destination"]
    # as high as the text or the picture, whichever is more; what does not fit goes to the next page whole
    height = max(12 + _ROW * sum(_lines_of(paper, v) for _, v in rows), _PICTURE * 0.75 + 6)
    if paper.get_y() + height > paper.h - 20 and paper.get_y() > 40:
        paper.add_page()
    paper.set_draw_color(190)
    paper.line(_MARGIN, paper.get_y(), paper.w - _MARGIN, paper.get_y())
    paper.ln(2)
    top = paper.get_y()
    if line.picture:
        paper.image(BytesIO(line.picture), _MARGIN, top, _PICTURE, _PICTURE * 0.75, keep_aspect_ratio=True)
    left = _MARGIN + _PICTURE + 6
    paper.set_left_margin(left)
    paper.set_xy(left, top)
    paper.line_of(line.name, 10, style="B", height=5)
    verdict = "read back and found as meant" if line.ok else f"NOT handed off: {line.finding}"
    paper.line_of(verdict, 8.5, style="" if line.ok else "B", grey=_SOFT if line.ok else _INK, height=_ROW)
    for name, value in rows:
        paper.set_font("Inter", "", 8.5)
        paper.set_text_color(_SOFT)
        paper.cell(26, _ROW, name)
        paper.set_text_color(_INK)
        paper.multi_cell(0, _ROW, value, new_x="LMARGIN", new_y="NEXT", align="L")
    paper.set_left_margin(_MARGIN)
    paper.set_xy(_MARGIN, max(paper.get_y(), top + (_PICTURE * 0.75 if line.picture else 0)) + 3)


def _lines_of(paper: _Paper, text: str) -> int:
    paper.set_font("Inter", "", 8.5)
    return max(1, int(paper.get_string_width(text) / (paper.w - 2 * _MARGIN - _PICTURE - 6 - 26)) + 1)
