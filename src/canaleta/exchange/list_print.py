"""The list on paper: A4 or A3 across, heads on every page, and what changed since the last issue marked."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

from canaleta.core.model.field_table import ALARM_LEVELS
from canaleta.core.model.image import PlantImage
from canaleta.exchange.pages import THIN, Page

__all__ = ["MOST_PRINTED", "Issue", "Paper", "printed_list"]

Paper = Literal["A4", "A3"]
MOST_PRINTED = 3000
"""Points on one print; more is nothing that anybody reads."""
_LINE = 3.6
_SIZE = 7.0
_MOST_LINES = 4
_BAR = 1.2
Cells = Mapping[str, str]
"""A point as texts by field."""


@dataclass(frozen=True)
class Issue:
    """The last issue of the list: its mark, and its points as they were; no mark where it was never issued."""

    mark: str = ""
    points: Mapping[int, Cells] | None = None


@dataclass(frozen=True)
class _Column:
    head: str
    share: float
    text: Callable[[Cells], str]
    a3: bool = False
    """Whether it is only on the larger paper."""


def _range(station: str) -> Callable[[Cells], str]:
    def text(cells: Cells) -> str:
        low, high = cells.get(f"{station}_low", ""), cells.get(f"{station}_high", "")
        if not low and not high:
            return ""
        return f"{low or '?'} … {high or '?'} {cells.get(f'{station}_unit', '')}".strip()

    return text


def _shows(cells: Cells) -> str:
    words = [f"{n}: {word}" for n in (0, 1) if (word := cells.get(f"text_{n}", ""))]
    return _range("value")(cells) or ", ".join(words)


def _signal(cells: Cells) -> str:
    wires = cells.get("wires", "")
    return " ".join(part for part in (cells.get("signal", ""), f"{wires}-wire" if wires else "") if part)


def _cable(cells: Cells) -> str:
    return " · ".join(part for part in (cells.get("cable", ""), cells.get("cores", "")) if part)


def _limits(cells: Cells) -> str:
    told = [f"{level.upper()} {limit}" for level in ALARM_LEVELS if (limit := cells.get(f"alarm_{level}", ""))]
    return "  ".join(told)


_COLUMNS = (
    _Column("tag", 22, lambda c: c.get("tag", "")),
    _Column("service", 46, lambda c: c.get("service", "")),
    _Column("area", 18, lambda c: c.get("area", ""), a3=True),
    _Column("signal", 22, _signal),
    _Column("device range", 28, _range("device")),
    _Column("shows", 32, _shows),
    _Column("limits", 26, _limits),
    _Column("channel", 24, lambda c: c.get("channel", "")),
    _Column("strip", 24, lambda c: c.get("strip", "")),
    _Column("cable · cores", 24, _cable, a3=True),
    _Column("status", 16, lambda c: c.get("status", ""), a3=True),
    _Column("notes", 40, lambda c: c.get("notes", ""), a3=True),
)


class _Print(Page):
    """The pages, with what stands on top of each."""

    def __init__(self, paper: Paper, title: str, about: str, columns: Sequence[_Column]) -> None:
        super().__init__(paper=paper, across=True)
        self._title, self._about, self._columns = title, about, columns
        total = sum(column.share for column in columns)
        self.widths = [self.epw * column.share / total for column in columns]

    def header(self) -> None:
        """The plant and the issue, and the heads of the columns."""
        self.set_text_color(20)
        self.set_font("plex-latin", "B", 11)
        self.cell(self.epw * 0.5, 6, self._title.translate(THIN))
        self.set_font("plex-latin", size=8)
        self.cell(self.epw * 0.5, 6, self._about.translate(THIN), align="R")
        self.ln(7)
        self.set_font("plex-latin", "B", _SIZE)
        for column, width in zip(self._columns, self.widths, strict=True):
            self.cell(width, 5, column.head)
        self.ln(5)
        self.set_line_width(0.4)
        self.line(self.l_margin, self.y, self.l_margin + self.epw, self.y)
        self.set_line_width(0.1)
        self.ln(0.6)

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
        for texts_of, width, mark in zip(lines, self.widths, changed, strict=True):
            if mark and not new:
                self.set_fill_color(225)
                self.rect(left - 0.4, top, width - 0.6, height - 0.4, style="F")
            self.set_font("plex-latin", "B" if mark else "", _SIZE)
            for number, line in enumerate(texts_of):
                self.set_xy(left, top + 0.2 + number * _LINE)
                self.cell(width, _LINE, line)
            left += width
        self.set_xy(self.l_margin, top + height)
        self.set_draw_color(190)
        self.line(self.l_margin, self.y - 0.2, self.l_margin + self.epw, self.y - 0.2)

    def broken(self, text: str, width: float) -> list[str]:
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
        return out if len(out) <= _MOST_LINES else [*out[: _MOST_LINES - 1], out[_MOST_LINES - 1][:-1] + "…"]


def printed_list(
    image: PlantImage, rows: Sequence[int], plant: str, day: str, issue: Issue, paper: Paper = "A3"
) -> bytes:
    """Points of the list as PDF, in the order of rows. day: of today, as printed; issue: what changes are told from."""
    columns = [column for column in _COLUMNS if paper == "A3" or not column.a3]
    texts = image.filled_texts()
    was = issue.points or {}
    told = [(int(image.ids[row]), texts[row]) for row in rows]
    changes = [
        [bool(issue.mark) and column.text(cells) != column.text(was.get(point, {})) for column in columns]
        for point, cells in told
    ]
    since = sum(map(any, changes))
    if not issue.mark:
        about = f"never issued · {day}"
    else:
        about = f"issue {issue.mark}" + (f" and {since} rows changed since, marked" if since else "") + f" · {day}"
    page = _Print(paper, f"{plant}: I/O list", about, columns)
    page.set_title(f"{plant}: I/O list")
    page.foot = f"{plant} · I/O list · {about}"
    page.add_page()
    if not told:
        page.words("no points")
    for (point, cells), changed in zip(told, changes, strict=True):
        page.point([column.text(cells) for column in columns], changed, new=bool(issue.mark) and point not in was)
    gone = [cells.get("tag", "") for point, cells in was.items() if not image.has(point)]
    if gone and len(told) == len(image):
        page.ln(4)
        page.words(f"taken away since issue {issue.mark}: {', '.join(gone)}", 8, bold=True)
    return bytes(page.output())
