"""A signed record as PDF: one page for a loop check, with everything that was signed and the hash of it."""

from __future__ import annotations

import base64
import io
from collections.abc import Sequence
from importlib import resources

from fpdf import FPDF
from fpdf.enums import XPos, YPos

from canaleta.plant.checks.evidence import Evidence

__all__ = ["check_pdf"]

_PARTS = ("latin", "latin-ext", "greek")
_THIN = str.maketrans({" ": " ", "\u202f": " ", "≤": "<=", "≥": ">=", "→": "to", "✓": "yes"})
"""What the fonts do not have, written otherwise."""


class _Page(FPDF):
    """A4 upright, with the program's own face and a foot that says what the page belongs to."""

    foot = ""

    def footer(self) -> None:
        self.set_y(-14)
        self.set_font("plex-latin", size=7)
        self.set_text_color(90)
        self.cell(0, 4, self.foot)

    def words(self, text: str, size: float = 9, *, bold: bool = False) -> None:
        self.set_text_color(20)
        self.set_font("plex-latin", "B" if bold else "", size)
        self.multi_cell(0, size * 0.5, text.translate(_THIN), new_x=XPos.LMARGIN, new_y=YPos.NEXT)

    def grid(self, head: Sequence[str], rows: Sequence[Sequence[str]], widths: Sequence[float]) -> None:
        self.set_text_color(20)
        self.set_font("plex-latin", size=8)
        with self.table(
            col_widths=tuple(widths),
            line_height=5,
            text_align="RIGHT",
            borders_layout="HORIZONTAL_LINES",
            padding=0.6,
        ) as table:
            for line in (head, *rows):
                table.row([cell.translate(_THIN) for cell in line])
        self.ln(2)


def check_pdf(record: Evidence, plant: str) -> bytes:
    """A signed loop check or loop-back as PDF."""
    pdf = _Page(format="A4")
    fonts = resources.files("canaleta.exchange") / "fonts"
    for part in _PARTS:
        for style, weight in (("", 400), ("B", 600)):
            with resources.as_file(fonts / f"plex-{part}-{weight}.ttf") as file:
                pdf.add_font(f"plex-{part}", style, file)
    pdf.set_fallback_fonts([f"plex-{part}" for part in _PARTS[1:]], exact_match=False)
    pdf.set_margins(16, 14, 16)
    pdf.set_creation_date(record.at)
    pdf.foot = f"record {record.id} · {record.hash}"
    pdf.set_title(f"{record.kind} {record.body.get('tag', '')}")
    pdf.add_page()
    body = record.body
    pdf.words(f"{record.kind}: {body['tag']}", 16, bold=True)
    pdf.words(" · ".join(x for x in (plant, body.get("service", ""), body.get("address", "")) if x))
    pdf.ln(2)
    pdf.words(record.verdict, 12, bold=True)
    pdf.ln(1)
    for line in body.get("lines", []):
        pdf.words(line)
    pdf.ln(2)
    if table := body.get("table"):
        pdf.grid(table["head"], table["rows"], table["widths"])
    for name, value in body.get("open_wire", {}).items():
        pdf.words(f"open wire, {name}: {value}")
    if note := body.get("note"):
        pdf.ln(1)
        pdf.words(f"note: {note}")
    if photo := body.get("photo"):
        pdf.ln(2)
        pdf.image(io.BytesIO(base64.b64decode(photo)), w=90)
    pdf.ln(3)
    pdf.words(f"signed by {record.name} ({record.who}), {record.at:%Y-%m-%d %H:%M:%S} UTC", 10, bold=True)
    if not record.sound:
        pdf.words("This record is not what was signed.", 10, bold=True)
    return bytes(pdf.output())
