"""What is common to all tables of a manual: their lines and cells, and what reading them gives."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import Any

from canaleta.core.notation.patterns import compiled

__all__ = ["FROM_TO", "FromManual", "LineTrouble", "lines_of"]

MOST_LINES = 2000


@dataclass(frozen=True)
class LineTrouble:
    """A line that could not be taken: its number from 1, the line, and why."""

    line: int
    text: str
    says: str


@dataclass
class FromManual:
    """What a pasted table gives: parts of a module type as its document has them. guesses: what was concluded from
    words alone; troubles: lines that were left out; codes: the number that each choice is written as."""

    parts: dict[str, Any] = field(default_factory=dict)
    guesses: list[str] = field(default_factory=list)
    troubles: list[LineTrouble] = field(default_factory=list)
    codes: dict[str, int] = field(default_factory=dict)


_WIDE = compiled(r"\s{2,}")


def lines_of(text: str) -> Iterator[tuple[int, list[str]]]:
    """(number, cells) of every line that is not empty. The sign that stands between cells is that of the table."""
    lines = text.replace("\r\n", "\n").replace("\r", "\n").split("\n")[:MOST_LINES]
    apart = next((sign for sign in ("\t", "|", ";") if sum(sign in line for line in lines) * 2 > len(lines)), None)
    for number, line in enumerate(lines, start=1):
        if not line.strip():
            continue
        cells = line.split(apart) if apart else _WIDE.split(line.strip())
        cells = [cell.strip() for cell in cells]
        if any(set(cell) - set("-=+: ") for cell in cells):
            yield number, cells if apart != "|" else [c for c in cells if c]


FROM_TO = compiled(r"(.+?)\s*(?:-|–|—|…|\.\.\.?|\bto\b)\s*(.+)", ignore_case=True)
"""Two ends of a range, however a manual writes what stands between them."""
