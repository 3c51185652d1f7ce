"""Finding the list in a sheet: which rows are headings, which column is which field; by their words, then by
content."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field

from canaleta.core.model.fields import read_signal
from canaleta.core.model.layout import Layout
from canaleta.core.notation.tags import read_tag
from canaleta.core.notation.text import TextError, read_range
from canaleta.exchange.headings import PARTS, Heading, bare, read_heading
from canaleta.exchange.sheets import Page

__all__ = ["FoundList", "find_list", "find_page", "signature"]

LOOKED_AT = 60
"""Rows from the top in which the headings are looked for."""
SAMPLE = 400

_FIGURE_MARKS = frozenset("0123456789.,+-")


@dataclass(frozen=True)
class FoundList:
    """Where the list is. first, last: heading rows, from 0, last −1 for a sheet without any; data begins below.

    headings: one text a column. targets: {column: field or part of the address}. units: {column: unit of its
    heading}.
    """

    last: int
    headings: tuple[str, ...]
    targets: dict[int, str]
    units: dict[int, str] = field(default_factory=dict)

    @property
    def data(self) -> int:
        """The first row of the list itself, from 0."""
        return self.last + 1


def find_page(pages: Sequence[Page], layout: Layout) -> int:
    """The sheet that looks most like a list: most known columns, then most rows."""
    scores = [(len(find_list(page, layout).targets), len(page.rows)) for page in pages]
    return scores.index(max(scores))


def find_list(
    page: Page, layout: Layout, header: int | None = None, known: Mapping[str, str] | None = None
) -> FoundList:
    """Where the list is in a sheet. header: the heading row, if somebody said so; −1: it has none.

    known: {heading: target} of a mapping that was kept; "" for a column that is left out.
    """
    last = _heading_row(page) if header is None else header
    wide = max(len(row) for row in page.rows)
    above = _group_row(page, last, wide)
    below = page.rows[last] if 0 <= last < len(page.rows) else ()
    headings: list[str] = []
    read: list[Heading] = []
    for column in range(wide):
        own = below[column] if column < len(below) else ""
        over = above[column]
        headings.append(" ".join(part for part in (over, own) if part) or f"column {_letters(column)}")
        read.append(read_heading(own, over) if own or over else Heading(""))
    targets: dict[int, str] = {}
    units: dict[int, str] = {}
    chosen = {bare(name): target for name, target in (known or {}).items()}
    taken: set[str] = set()
    for column in sorted(range(wide), key=lambda c: -read[c].sure):
        target = chosen.get(bare(headings[column]), read[column].target)
        if target and target not in taken:
            targets[column] = target
            taken.add(target)
            if read[column].unit:
                units[column] = read[column].unit
    _by_content(page, last + 1, layout, headings, targets, taken, chosen)
    return FoundList(last, tuple(headings), dict(sorted(targets.items())), units)


def signature(found: FoundList) -> str:
    """What tells one layout of a list from another: its headings."""
    return "|".join(bare(heading) for heading in found.headings)


def _heading_row(page: Page) -> int:
    """The row with the most headings that mean something; −1 if no row has two."""
    best, most = -1, 1
    for number, row in enumerate(page.rows[:LOOKED_AT]):
        above = _group_row(page, number, len(row))
        score = len({read_heading(cell, over).target for cell, over in zip(row, above, strict=False) if cell} - {""})
        if score > most:
            best, most = number, score
    return best


def _group_row(page: Page, last: int, wide: int) -> list[str]:
    """The headings of groups over the heading row, each reaching to the next one; blanks if there are none."""
    none = [""] * wide
    if last < 1 or last >= len(page.rows):
        return none
    row, below = page.rows[last - 1], page.rows[last]
    filled = [cell for cell in row if cell]
    # A title is one cell; a row of data above the headings would hold figures.
    if len(filled) < 2 or len(filled) >= len([c for c in below if c]) or any(set(c) <= _FIGURE_MARKS for c in filled):
        return none
    out, now = [], ""
    for column in range(wide):
        cell = row[column] if column < len(row) else ""
        now = cell or now
        out.append(now)
    return out


def _by_content(
    page: Page,
    first: int,
    layout: Layout,
    headings: Sequence[str],
    targets: dict[int, str],
    taken: set[str],
    chosen: Mapping[str, str],
) -> None:
    """What cells themselves show, where headings said nothing: tags, signals, ranges with their units, channels."""
    rows = page.rows[first : first + SAMPLE]
    tests: tuple[tuple[str, Callable[[str], bool]], ...] = (
        ("channel", lambda text: _can(lambda: layout.read_address(text))),
        ("signal", lambda text: _can(lambda: read_signal(text))),
        ("device_low", lambda text: bool((ends := _range(text)) and ends)),
        ("tag", lambda text: read_tag(text) is not None and len(text) < 24),
    )
    for target, test in tests:
        if target in taken or (target == "channel" and not taken.isdisjoint(PARTS)):
            continue
        best: tuple[float, int] | None = None
        for column in range(len(headings)):
            if column in targets or bare(headings[column]) in chosen:
                continue
            cells = [row[column] for row in rows if column < len(row) and row[column]]
            if len(cells) < 2 or len(cells) < len(rows) / 4:
                continue
            share = sum(map(test, cells)) / len(cells)
            if target == "tag" and len(set(cells)) < 0.9 * len(cells):
                continue
            if share > 0.7 and (best is None or share > best[0]):
                best = share, column
        if best:
            targets[best[1]] = target
            taken.add(target)


def _range(text: str) -> bool:
    try:
        ends = read_range(text)
    except TextError:
        return False
    return ends is not None and bool(ends.unit) and not _can(lambda: read_signal(text))


def _can(read: Callable[[], object]) -> bool:
    try:
        read()
    except TextError:
        return False
    return True


def _letters(column: int) -> str:
    out = ""
    column += 1
    while column:
        column, rest = divmod(column - 1, 26)
        out = chr(65 + rest) + out
    return out
