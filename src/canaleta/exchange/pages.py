"""Pages for paper: in the program's own faces, with tables, photos and records as they were signed."""

from __future__ import annotations

import base64
import binascii
import io
from collections.abc import Sequence
from importlib import resources
from typing import Literal

from fpdf import FPDF
from fpdf.enums import XPos, YPos

from canaleta.plant.checks.evidence import Evidence

__all__ = ["THIN", "Page", "write_record"]

_PARTS = ("latin", "latin-ext", "greek")
_LINE_MM = 6.0
THIN = str.maketrans({"\u2009": " ", "\u202f": " ", "≤": "<=", "≥": ">=", "→": "to", "✓": "yes", "■": "•"})
"""What the fonts do not have, written otherwise."""


class Page(FPDF):
    """A4 upright unless it is said otherwise, with the program's own face and a foot that says what the page belongs to. paper: its
    name, or (width, height) in mm.
    archive: as PDF/A-3, for what is kept for decades."""

    foot = ""

    def __init__(
        self, *, archive: bool = False, paper: Literal["A4", "A3"] | tuple[float, float] = "A4", across: bool = False
    ) -> None:
        orientation: Literal["landscape", "portrait"] = "landscape" if across else "portrait"
        super().__init__(orientation, format=paper, enforce_compliance="PDF/A-3B" if archive else None)
        self._faces()
        self.set_margins(16, 14, 16)
        self.c_margin = 0.0

    def _faces(self) -> None:
        """The program's own faces."""
        fonts = resources.files("canaleta.exchange") / "fonts"
        for part in _PARTS:
            for style, weight in (("", 400), ("B", 600)):
                with resources.as_file(fonts / f"plex-{part}-{weight}.ttf") as file:
                    self.add_font(f"plex-{part}", style, file)
        self.set_fallback_fonts([f"plex-{part}" for part in _PARTS[1:]], exact_match=False)

    def footer(self) -> None:
        self.set_y(-14)
        self.set_font("plex-latin", size=7)
        self.set_text_color(90)
        self.cell(0, 4, self.foot)
        self.set_x(-30)
        self.cell(14, 4, f"{self.page_no()} of {{nb}}", align="R")

    def put(self, x: float, baseline: float, text: str) -> None:
        """A text at a place, mm, in the face as it is set. What one face does not have another gives, which `text` does not."""
        turned, margin = self.auto_page_break, self.b_margin
        self.set_auto_page_break(False)
        size = self.font_size
        self.set_xy(x, baseline - 0.8 * size)
        self.cell(self.get_string_width(text) + 1, size, text)
        self.set_auto_page_break(turned, margin)

    def words(self, text: str, size: float = 9, *, bold: bool = False) -> None:
        """A paragraph."""
        self.set_text_color(20)
        self.set_font("plex-latin", "B" if bold else "", size)
        told = text.translate(THIN)
        if "\n" not in told and self.get_string_width(told) < self.epw:
            # What fits into a line need not be broken into any.
            if self.will_page_break(size * 0.5):
                self.add_page()
            self.cell(0, size * 0.5, told, new_x=XPos.LMARGIN, new_y=YPos.NEXT)
            return
        self.multi_cell(0, size * 0.5, told, align="L", new_x=XPos.LMARGIN, new_y=YPos.NEXT)

    def grid(
        self, head: Sequence[str], rows: Sequence[Sequence[str]], widths: Sequence[float], *, left: bool = False
    ) -> None:
        """A table: figures to the right, words to the left."""
        self.set_text_color(20)
        self.set_font("plex-latin", size=8)
        self.set_line_width(0.1)
        self.set_draw_color(150)
        told = [[cell.translate(THIN) for cell in line] for line in (head, *rows)]
        across = [self.epw * width / sum(widths) for width in widths]
        if all(self.get_string_width(text) + 2 <= w for line in told for text, w in zip(line, across, strict=True)):
            self._plain_grid(told, across, "L" if left else "R")
        else:
            with self.table(
                col_widths=tuple(widths),
                line_height=5,
                text_align="LEFT" if left else "RIGHT",
                borders_layout="HORIZONTAL_LINES",
                padding=0.6,
            ) as table:
                for line in told:
                    table.row(line)
        self.ln(2)

    def _plain_grid(self, lines: Sequence[Sequence[str]], across: Sequence[float], align: str) -> None:
        """A table whose every cell fits into one line: several times as fast as one that has to break them."""
        for k, line in enumerate(lines):
            if self.will_page_break(_LINE_MM):
                self.add_page()
                if k:
                    self._grid_line(lines[0], across, align, bold=True)
            self._grid_line(line, across, align, bold=not k)

    def _grid_line(self, line: Sequence[str], across: Sequence[float], align: str, *, bold: bool) -> None:
        self.set_font("plex-latin", "B" if bold else "", 8)
        for text, width in zip(line, across, strict=True):
            self.cell(width, _LINE_MM, text, align=align)
        self.ln(_LINE_MM)
        self.line(self.l_margin, self.y, self.l_margin + self.epw, self.y)

    def picture(self, jpeg: bytes, width: float = 90) -> None:
        """A photo; one that cannot be read is told in words."""
        try:
            self.image(io.BytesIO(jpeg), w=width)
        except (OSError, ValueError):
            self.words("(the photo cannot be read)")
        self.ln(2)


def write_record(page: Page, record: Evidence, about: str = "", photo: bytes | None = None) -> None:
    """A signed record, from its head to its signature, on the page as it stands. about: what stands below the head; photo: in
    place of the one that the record holds."""
    body = record.body
    page.words(f"{record.kind}: {body.get('tag', '')}", 14, bold=True)
    if about:
        page.words(about)
    page.ln(1)
    page.words(record.verdict, 11, bold=True)
    page.ln(1)
    for line in body.get("lines", []):
        page.words(line)
    page.ln(2)
    if table := body.get("table"):
        page.grid(table["head"], table["rows"], table["widths"])
    for name, value in body.get("open_wire", {}).items():
        page.words(f"open wire, {name}: {value}")
    if note := body.get("note"):
        page.ln(1)
        page.words(f"note: {note}")
    if photo is None and (text := body.get("photo")):
        try:
            photo = base64.b64decode(text, validate=True)
        except binascii.Error:
            page.words("(the photo cannot be read)")
    if photo:
        page.ln(2)
        page.picture(photo)
    page.ln(2)
    page.words(f"signed by {record.name} ({record.who}), {record.at:%Y-%m-%d %H:%M:%S} UTC", 10, bold=True)
    page.words(f"record {record.id} · {record.hash}", 7)
    if not record.sound:
        page.words("This record is not what was signed.", 10, bold=True)
