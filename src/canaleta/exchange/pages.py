"""Pages for paper: in the program's own faces, with tables, photos and records as they were signed."""

from __future__ import annotations

import base64
import binascii
import io
from collections.abc import Sequence
from importlib import resources
from typing import Literal

from fpdf.enums import XPos, YPos

from canaleta.exchange.tags import Tagged
from canaleta.plant.checks.evidence import Evidence

__all__ = ["THIN", "Page", "write_record"]

_MOST_KNOWN = 50_000
_PARTS = ("latin", "latin-ext", "greek")
_LINE_MM, _STEP_MM, _MOST_LINES = 6.0, 4.0, 4
THIN = str.maketrans({"\u2009": " ", "\u202f": " ", "≤": "<=", "≥": ">=", "→": "to", "✓": "yes", "■": "•"})
"""What the fonts do not have, written otherwise."""


class Page(Tagged):
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
        self.set_lang("en")
        self._known_widths: dict[tuple[str, str, str], float] = {}
        # The number of pages is known at the end; until then this holds its place, as wide as four figures.
        self.alias_nb_pages("{nnb}")

    def _faces(self) -> None:
        """The program's own faces."""
        fonts = resources.files("canaleta.exchange") / "fonts"
        for part in _PARTS:
            for style, weight in (("", 400), ("B", 600)):
                with resources.as_file(fonts / f"plex-{part}-{weight}.ttf") as file:
                    self.add_font(f"plex-{part}", style, file)
        self.set_fallback_fonts([f"plex-{part}" for part in _PARTS[1:]], exact_match=False)

    def footer(self) -> None:
        with self.beside():
            self.set_y(-14)
            self.set_font("plex-latin", size=7)
            self.set_text_color(90)
            self.cell(0, 4, self.foot)
            self.set_x(-30)
            self.cell(14, 4, self.which_page(), align="R")

    def which_page(self) -> str:
        """This page's number and how many there are."""
        return f"{self.page_no()} of {self.str_alias_nb_pages}"

    def put(self, x: float, baseline: float, text: str) -> None:
        """A text at a place, mm, in the face as it is set. What one face does not have another gives, which `text` does not."""
        turned, margin = self.auto_page_break, self.b_margin
        self.set_auto_page_break(False)
        size = self.font_size
        self.set_xy(x, baseline - 0.8 * size)
        self.cell(self.get_string_width(text) + 1, size, text)
        self.set_auto_page_break(turned, margin)

    def get_string_width(self, s: str, normalized: bool = False, markdown: bool = False) -> float:
        """As the library's, mm. Most cells of a list say what others say: each text is measured once."""
        key = (self.font_family, self.font_style, s)
        one = self._known_widths.get(key)
        if one is None:
            one = super().get_string_width(s, normalized, markdown) / self.font_size_pt
            if len(self._known_widths) < _MOST_KNOWN:
                self._known_widths[key] = one
        return one * self.font_size_pt

    def words(self, text: str, size: float = 9, *, bold: bool = False) -> None:
        """A paragraph; what is large and bold is a heading."""
        with self.tagged("P" if not bold or size < 11 else "H2" if size < 14 else "H1"):
            self._words(text, size, bold=bold)

    def _words(self, text: str, size: float, *, bold: bool) -> None:
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
        across = [self.epw * width / sum(widths) for width in widths]
        align = "L" if left else "R"
        with self.tagged("Table"):
            for k, line in enumerate((head, *rows)):
                cells = [
                    self.broken(text.translate(THIN), wide - 1.2) for text, wide in zip(line, across, strict=True)
                ]
                high = max(_LINE_MM, 1.2 + _STEP_MM * max(map(len, cells), default=1))
                if self.will_page_break(high):
                    self.add_page()
                    if k:
                        with self.beside():
                            heads = [
                                self.broken(text.translate(THIN), wide - 1.2)
                                for text, wide in zip(head, across, strict=True)
                            ]
                            self._grid_line(heads, across, align, _LINE_MM, bold=True)
                with self.tagged("TR"):
                    self._grid_line(cells, across, align, high, bold=not k)
        self.ln(2)

    def _grid_line(
        self, cells: Sequence[Sequence[str]], across: Sequence[float], align: str, high: float, *, bold: bool
    ) -> None:
        self.set_font("plex-latin", "B" if bold else "", 8)
        top, left = self.y, self.l_margin
        for lines, width in zip(cells, across, strict=True):
            with self.tagged("TH" if bold else "TD", scope="Column" if bold else ""):
                step = high if len(lines) == 1 else _STEP_MM
                for n, text in enumerate(lines):
                    self.set_xy(left, top + (0.6 if len(lines) > 1 else 0) + n * step)
                    self.cell(width, step, text, align=align)
            left += width
        self.set_xy(self.l_margin, top + high)
        self.line(self.l_margin, self.y, self.l_margin + self.epw, self.y)

    def broken(self, text: str, width: float, most: int = _MOST_LINES) -> list[str]:
        """A text in the lines that fit; what is beyond the last of them is told by dots."""
        if self.get_string_width(text) <= width:
            return [text]
        out, now = [], ""
        for word in text.split():
            while self.get_string_width(word) > width and len(word) > 1:
                # A word without blanks, as tags may be, is cut where the cell ends.
                fits = next(
                    n for n in range(len(word) - 1, 0, -1) if n == 1 or self.get_string_width(word[:n]) <= width
                )
                out += [part for part in (now, word[:fits]) if part]
                now, word = "", word[fits:]
            longer = f"{now} {word}".strip()
            if self.get_string_width(longer) <= width:
                now = longer
            else:
                out, now = [*out, now], word
        out = [line for line in [*out, now] if line]
        return out if len(out) <= most else [*out[: most - 1], out[most - 1][:-1] + "…"]

    def picture(self, jpeg: bytes, width: float = 90) -> None:
        """A photo; one that cannot be read is told in words."""
        try:
            self.image(io.BytesIO(jpeg), w=width, alt_text="photo")
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
