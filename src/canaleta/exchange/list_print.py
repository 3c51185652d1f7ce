"""The list on paper: A4 or A3 across, heads on every page, and what changed since the last issue marked."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

from canaleta.core.model.field_table import ALARM_LEVELS
from canaleta.core.model.image import PlantImage
from canaleta.exchange.prints.paper import About, Column, Framed, Paper, Told

__all__ = ["MOST_PRINTED", "Issue", "Paper", "printed_list"]

MOST_PRINTED = 3000
"""Points on a print that is waited for; a larger one is made apart."""
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


def printed_list(
    image: PlantImage, rows: Sequence[int], plant: str, day: str, issue: Issue, paper: Paper = "A3",
    told: Told = lambda share: None,
) -> bytes:  # fmt: skip
    """Points of the list as PDF, in the order of rows. day: of today, as printed; issue: what changes are told from; told:
    hears the share that is done."""
    columns = [column for column in _COLUMNS if paper == "A3" or not column.a3]
    heads = [Column(c.head, c.share, c.a3) for c in _COLUMNS]
    page = Framed(About(plant, issue.mark, day), "I/O list", paper, heads, rows=len(rows))
    texts = image.filled_texts()
    was = issue.points or {}
    page.add_page()
    if not rows:
        page.words("no points")
    for done, row in enumerate(rows):
        told(done / len(rows))
        point, cells = int(image.ids[row]), texts[row]
        before = was.get(point, {})
        changed = [bool(issue.mark) and column.text(cells) != column.text(before) for column in columns]
        page.point([column.text(cells) for column in columns], changed, new=bool(issue.mark) and point not in was)
    gone = [cells.get("tag", "") for point, cells in was.items() if not image.has(point)]
    if gone and len(rows) == len(image):
        page.ln(4)
        page.words(f"taken away since issue {issue.mark}: {', '.join(gone)}", 8, bold=True)
    return page.packed()
