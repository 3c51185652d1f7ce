"""Sheets in a frame: plant, document, issue, day, page and who signed, with tables that go on over pages.

What changed since the last issue stands in bold on grey with a bar at the margin.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from contextlib import AbstractContextManager, nullcontext
from dataclasses import dataclass
from typing import Any, Literal

from canaleta.exchange.pages import THIN, Page

__all__ = ["About", "Column", "Framed", "Line", "Paper", "Told", "lines_of"]

Paper = Literal["A4", "A3"]
Told = Callable[[float], None]
"""Hears the share of the work that is done."""
_MOST_CELLS = 40_000
_LINE, _SIZE, _BAR, _FOOT = 3.6, 7.0, 1.2, 15.0


@dataclass(frozen=True)
class About:
    """What a frame says. issue: the mark of the last one, "" where it was never issued; signed: (meaning, who and when)."""

    plant: str
    issue: str
    day: str
    signed: tuple[tuple[str, str], ...] = ()


@dataclass(frozen=True)
class Column:
    """A column. share: of the width, against the others; a3: whether it is only on the larger paper."""

    head: str
    share: float
    a3: bool = False


@dataclass(frozen=True)
class Line:
    """A row of a table, or the heading of those below it. changed: which cells did since the last issue; new: whether it was
    not there."""

    cells: tuple[str, ...] = ()
    changed: tuple[bool, ...] = ()
    new: bool = False
    heading: str = ""


def lines_of(now: Iterable[tuple[str, str, Sequence[str]]], before: Mapping[str, Sequence[str]] | None) -> list[Line]:
    """Rows, (heading above it, key, cells) each, held against those of the last issue by their keys; None where nothing was
    issued."""
    out: list[Line] = []
    last = None
    for heading, key, cells in now:
        if heading != last:
            last = heading
            if heading:
                out.append(Line(heading=heading))
        was = None if before is None else before.get(key)
        if before is None:
            changed = tuple(False for _ in cells)
        else:
            changed = tuple(was is None or text != old for text, old in zip(cells, was or cells, strict=True))
        out.append(Line(tuple(cells), changed, before is not None and was is None))
    return out


class Framed(Page):
    """Sheets of one document. columns: of the table that goes over its pages, () for none; rows: how many it will have, about. A
    table of very many cells is told row by row: an element for each cell would take gigabytes."""

    def __init__(
        self,
        about: About,
        title: str,
        paper: Paper,
        columns: Sequence[Column] = (),
        *,
        across: bool = True,
        rows: int = 0,
    ) -> None:
        super().__init__(paper=paper, across=across)
        self._about, self._title = about, title
        self.columns = [column for column in columns if paper == "A3" or not column.a3]
        self._kept = [k for k, column in enumerate(columns) if paper == "A3" or not column.a3]
        self.set_margins(14, 10, 10)
        self.set_auto_page_break(True, _FOOT + 10)
        total = sum(column.share for column in self.columns) or 1.0
        self.widths = [self.epw * column.share / total for column in self.columns]
        self.set_title(f"{about.plant}: {title}")
        self._table: Any = None
        self._by_row = rows * len(self.columns) > _MOST_CELLS

    def _row(self, title: str = "") -> AbstractContextManager[Any]:
        """A row of the table, or a paragraph where rows are told as such."""
        return self.tagged("P" if self._by_row else "TR", title=title)

    def _told_cell(self, kind: str, *, title: str = "", scope: str = "") -> AbstractContextManager[Any]:
        return nullcontext() if self._by_row else self.tagged(kind, title=title, scope=scope)

    def header(self) -> None:
        """The frame, and the heads of the table: told with the first page's, and only shown on those behind."""
        first = bool(self.columns) and self._table is None
        if first:
            with self.tagged("Sect" if self._by_row else "Table") as self._table, self._row():
                self._heads()
        else:
            with self.beside():
                self._heads()

    def _heads(self) -> None:
        self.set_draw_color(60)
        self.set_line_width(0.35)
        self.rect(10, 7, self.w - 17, self.h - 14 - _FOOT + 7)
        self.set_line_width(0.1)
        if not self.columns:
            self.set_y(12)
            return
        self.set_text_color(20)
        self.set_y(9)
        self.set_font("plex-latin", "B", _SIZE)
        for column, width in zip(self.columns, self.widths, strict=True):
            with self._told_cell("TH", scope="Column"):
                self.cell(width, 5, column.head)
        self.ln(5)
        self.set_line_width(0.4)
        self.line(self.l_margin, self.y, self.l_margin + self.epw, self.y)
        self.set_line_width(0.1)
        self.ln(0.6)

    def footer(self) -> None:
        """The foot of the frame: plant and document, issue and day, who signed, which page."""
        with self.beside():
            self._foot()

    def _foot(self) -> None:
        top, left, width = self.h - _FOOT - 0.0, 10.0, self.w - 17
        self.set_draw_color(60)
        self.set_line_width(0.35)
        self.rect(left, top, width, _FOOT - 5)
        self.set_line_width(0.1)
        about = self._about
        signed = "   ".join(f"{meaning}: {who}" for meaning, who in about.signed) or "not signed"
        issue = f"issue {about.issue}" if about.issue else "never issued"
        shares = ((0.32, about.plant, self._title), (0.2, issue, about.day), (0.36, "signatures", signed))
        at = left + 2
        for share, small, large in shares:
            self.set_text_color(90)
            self.set_font("plex-latin", size=6)
            self.set_xy(at, top + 1)
            self.cell(width * share, 3, small.translate(THIN))
            self.set_text_color(20)
            self.set_font("plex-latin", "B" if small == about.plant else "", 8)
            self.set_xy(at, top + 4.2)
            self.cell(width * share - 3, 4, self.broken(large.translate(THIN), width * share - 4, most=1)[0])
            at += width * share
        self.set_xy(left + width - 26, top + 3.5)
        self.set_font("plex-latin", size=8)
        self.cell(24, 4, self.which_page(), align="R")

    def table_of(self, lines: Sequence[Line], empty: str, told: Told = lambda share: None) -> None:
        """A whole table; what is said where it has no row. told: hears the share that is done."""
        for done, line in enumerate(lines):
            told(done / len(lines))
            if line.heading:
                self.heading(line.heading)
            else:
                self.point([line.cells[k] for k in self._kept], [line.changed[k] for k in self._kept], new=line.new)
        if not lines:
            self.words(empty)

    def heading(self, text: str) -> None:
        """A heading within a table; it is never the last line of a page."""
        if self.will_page_break(14):
            self.add_page()
        self.ln(1.5)
        self.set_font("plex-latin", "B", 9)
        with self.inside(self._table), self._row(), self._told_cell("TH", scope="Row"):
            self.cell(self.epw, 5, text.translate(THIN))
        self.ln(5.5)

    def point(self, texts: Sequence[str], changed: Sequence[bool], *, new: bool) -> None:
        """A row; what changed stands in bold on grey, with a bar at the margin."""
        self.set_font("plex-latin", size=_SIZE)
        lines = [
            self.broken(text.translate(THIN), width - 1.5) for text, width in zip(texts, self.widths, strict=True)
        ]
        height = _LINE * max(1, *(len(one) for one in lines)) + 0.8
        if self.will_page_break(height):
            self.add_page()
        top, left = self.y, self.l_margin
        if any(changed):
            self.set_fill_color(60)
            self.rect(left - 3, top, _BAR, height - 0.4, style="F")
        with (
            self.inside(self._table),
            self._row("new" if new else "changed" if self._by_row and any(changed) else ""),
        ):
            for texts_of, width, mark in zip(lines, self.widths, changed, strict=True):
                if mark and not new:
                    self.set_fill_color(225)
                    self.rect(left - 0.4, top, width - 0.6, height - 0.4, style="F")
                self.set_font("plex-latin", "B" if mark else "", _SIZE)
                with self._told_cell("TD", title="changed" if mark and not new else ""):
                    for number, line in enumerate(texts_of):
                        self.set_xy(left, top + 0.2 + number * _LINE)
                        self.cell(width, _LINE, line)
                left += width
        self.set_xy(self.l_margin, top + height)
        self.set_draw_color(190)
        self.line(self.l_margin, self.y - 0.2, self.l_margin + self.epw, self.y - 0.2)
