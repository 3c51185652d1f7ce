"""Where the lists are on a sheet: heads in one row or several, rows that are points, and all the rows that are none.

A sheet may hold several lists, one below the other or side by side, each with its own heads; a title, a legend, heads
again on each page, names of groups, totals, footers and lines to sign are none of its points.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from canaleta.core.notation.patterns import compiled
from canaleta.exchange.lists.contents import looks_like_tag
from canaleta.exchange.lists.figures import DoubtError, read_unit_text
from canaleta.exchange.lists.headings import Heading, read_heading
from canaleta.exchange.sheets import Page

__all__ = ["Table", "find_tables", "letters", "row_kind"]

FROM_TOP = 60
"""Rows from the top in which heads are looked for; further down, only behind a gap."""
MOST_HEADS = 4
_TOTAL = compiled(
    r"(?:sub[- ]?|grand |running |zwischen)?(?:totals?|summe|suma|somme|totale|totaal|gesamt(?:summe)?|subtotals?|total general|sous[- ]total|subtotale|subtotaal|count|anzahl)(?:$|[^\pL].*)",
    ignore_case=True,
)
_FOOTER = compiled(
    r"(?:prepared|checked|approved|reviewed|signed|signature|drawn|verified|issued|date|page|sheet|rev(?:ision)?|geprüft|erstellt|freigegeben|unterschrift|seite|blatt|datum|"
    r"firma|fecha|preparado|revisado|aprobado|elaborado|página|hoja|établi|vérifié|approuvé|visa|page|préparé|redatto|verificato|approvato|pagina|preparat|revisat|aprovat|"
    r"legend|legende|leyenda|légende|legenda|note|notes|hinweis|nota|remarque|end of (?:list|sheet)|ende der liste|fin de (?:lista|liste)|fine elenco|confidential|copyright|printed)(?:$|[^\pL].*)",
    ignore_case=True,
)
_SPARE = compiled(
    r"\W*(?:spare|reserve|reserva|réserve|riserva|libre|free|frei|unused|not used|n/?u|disponible|vacante|vacant|leer|lliure|reservado|réservé|libero|vrij|no usado|sin uso|non utilisé)\W*\d*\W*",
    ignore_case=True,
)
_SPARES = frozenset(
    [
        "spa",
        "res",
        "rés",
        "ris",
        "lib",
        "fre",
        "fri",
        "fra",
        "not",
        "unu",
        "dis",
        "vac",
        "lee",
        "lli",
        "vri",
        "no",
        "sin",
        "non",
        "n/u",
        "nu",
        "fre",
        "rie",
    ]
)
"""What a spare's word begins with."""
_DIGITS = frozenset("0123456789")


@dataclass(frozen=True)
class Table:
    """A list on a sheet. heads: its rows of heads, from 0, empty if it has none; data: first and behind-last row of its
    body. start, stop: its columns on the sheet. above: the lines over it. headings, read: one for each column, from
    start on."""

    sheet: int
    name: str
    heads: range
    data: range
    start: int
    stop: int
    above: tuple[str, ...]
    headings: tuple[str, ...]
    read: tuple[Heading, ...]
    again: frozenset[tuple[str, ...]] = field(default_factory=frozenset)


def find_tables(sheet: int, page: Page, heads_at: int | None = None) -> list[Table]:
    """The lists of a sheet from the top down. heads_at: the row of the heads, if somebody said so; −1: it has none."""
    rows = page.rows
    wide = max((len(row) for row in rows), default=0)
    if heads_at is not None:
        starts = [_heads_up_to(rows, heads_at, page.merged)] if heads_at >= 0 else [range(0)]
    else:
        starts = _head_rows(rows, page.merged) or [range(0)]
    out: list[Table] = []
    for number, heads in enumerate(starts):
        end = starts[number + 1].start if number + 1 < len(starts) else len(rows)
        begin = starts[number - 1].stop if number else 0
        above = _lines_above(rows, begin, heads.start)
        combined = _combined(rows, heads, wide, page.merged)
        again = frozenset(_trim(rows[at]) for at in heads if len(_trim(rows[at])) > 1)
        for start, stop in _side_by_side(combined, rows[heads.stop : min(end, heads.stop + 200)]):
            texts = tuple(_named(own, over, start + at) for at, (own, over) in enumerate(combined[start:stop]))
            read = tuple(_read(own, over) for own, over in combined[start:stop])
            read = _with_units(read, rows, heads)[: stop - start] if start == 0 else read
            out.append(Table(sheet, page.name, heads, range(heads.stop, end), start, stop, above, texts, read, again))
    return out


def _lines_above(rows: Sequence[Sequence[str]], begin: int, end: int) -> tuple[str, ...]:
    """The texts between the list before and the heads, the nearest first. Of the list before, its own rows are none."""
    near = []
    for row in reversed(rows[max(begin, end - 12) : end]):
        filled = [cell for cell in row if cell]
        if len(filled) > 4 and begin:
            break
        # "Cabinet: | KC-2" stands in two cells.
        near += filled if len(filled) > 6 else [*filled, " ".join(filled)]
    return tuple(near)


def _trim(row: Sequence[str]) -> tuple[str, ...]:
    return tuple(cell.casefold() for cell in row if cell)


def letters(column: int) -> str:
    """A column as a sheet names it, from 0: A, B … AA."""
    out = ""
    column += 1
    while column:
        column, rest = divmod(column - 1, 26)
        out = chr(65 + rest) + out
    return out


def _named(own: str, over: str, column: int) -> str:
    return " ".join(part for part in (over if over != own else "", own) if part) or f"column {letters(column)}"


def _read(own: str, over: str) -> Heading:
    if not own and not over:
        return Heading()
    alone = read_heading(own) if own else Heading()
    if not over or over == own:
        return alone
    both = read_heading(own, over)
    # A group reaches over columns that are not its own: what says itself surely needs none.
    if alone.meanings and max(alone.meanings.values()) >= 2 and len(alone.meanings) == 1 and not both.meanings:
        return alone
    return both if both.meanings else alone


def _score(row: Sequence[str]) -> tuple[int, int]:
    """How many cells of a row are heads that mean something, and how many are filled."""
    filled = [cell for cell in row if cell]
    if len(filled) < 2:
        return 0, len(filled)
    known = 0
    for cell in filled:
        if len(cell) <= 60 and (meanings := read_heading(cell).meanings):
            known += 2 if max(meanings.values()) >= 2 else 1
    return known, len(filled)


def _is_head(row: Sequence[str]) -> bool:
    known, filled = _score(row)
    if filled < 2 or known < 3:
        return False
    if any(looks_like_tag(cell) and not read_heading(cell).meanings for cell in row if cell):
        return False
    # Rows of points have figures in them; heads have next to none.
    figures = sum(cell[:1] in _DIGITS and any(c in _DIGITS for c in cell) and len(cell) > 1 for cell in row if cell)
    return known >= 0.8 * filled and figures <= filled / 4


def _head_rows(rows: Sequence[Sequence[str]], merged: Mapping[int, Sequence[tuple[int, int, int]]]) -> list[range]:
    """Blocks of rows that are heads, from the top down; the same heads again on a later page are none."""
    out: list[range] = []
    seen: set[tuple[str, ...]] = set()
    at = 0
    gap = True
    while at < len(rows):
        row = rows[at]
        filled = sum(map(bool, row))
        if (at < FROM_TOP or gap) and filled >= 2 and _is_head(row):
            stop = at + 1
            while (
                stop < len(rows) and stop - at < MOST_HEADS and (_is_head(rows[stop]) or _is_sub_head(rows, stop, at))
            ):
                stop += 1
            block = _heads_up_to(rows, stop - 1, merged, at)
            sign = tuple(text for r in block for text in _trim(rows[r]))
            if sign not in seen:
                seen.add(sign)
                out.append(block)
            at = stop
            gap = False
            continue
        gap = filled <= 2
        at += 1
    return out


def _is_sub_head(rows: Sequence[Sequence[str]], at: int, first: int) -> bool:
    """Whether a row below heads goes on with them: min and max under a group, or units."""
    row = rows[at]
    filled = [(column, cell) for column, cell in enumerate(row) if cell]
    if not filled:
        return False
    if _are_units(row):
        return True
    known, count = _score(row)
    over = rows[at - 1]
    under_blank = sum(1 for column, _ in filled if column >= len(over) or not over[column])
    return count >= 2 and known >= 2 * count * 0.8 and under_blank >= 1


def _are_units(row: Sequence[str]) -> bool:
    filled = [cell for cell in row if cell]
    if len(filled) < 1 or len(filled) > max(2, len(row) * 0.6):
        return False
    try:
        return all(read_unit_text(cell) for cell in filled) and not any(c in _DIGITS for c in "".join(filled)[:1])
    except DoubtError:
        return False


def _heads_up_to(
    rows: Sequence[Sequence[str]],
    last: int,
    merged: Mapping[int, Sequence[tuple[int, int, int]]],
    first: int | None = None,
) -> range:
    """The heads that end with a row, with the row of groups above it if there is one."""
    begin = last if first is None else first
    if begin > 0 and begin < len(rows):
        over, row = rows[begin - 1], rows[begin]
        filled = [cell for cell in over if cell]
        below = [cell for cell in row if cell]
        spans = [span for span in merged.get(begin - 1, ()) if span[1] > span[0]]
        # A group's name may stand over each of its columns.
        repeated = 2 <= len(filled) <= len(below) and len(set(filled)) <= len(filled) / 2
        groups = (2 <= len(filled) < len(below) or spans or repeated) and not any(
            cell[:1] in _DIGITS for cell in filled
        )
        # A title is one cell that reaches over everything.
        title = len(filled) == 1 and (not spans or spans[0][1] - spans[0][0] + 1 >= len(below))
        if groups and not title and not any(":" in cell for cell in filled):
            begin -= 1
    return range(begin, last + 1)


def _combined(
    rows: Sequence[Sequence[str]], heads: range, wide: int, merged: Mapping[int, Sequence[tuple[int, int, int]]]
) -> list[tuple[str, str]]:
    """(own head, head of its group) of each column."""
    out = [("", "")] * wide
    if not len(heads):
        return out
    spread = [
        _spread(rows[at], wide, merged.get(at), at == heads[-1])
        for at in heads
        if not _are_units(rows[at]) or at == heads[0]
    ]
    for column in range(wide):
        stack = [row[column] for row in spread if row[column]]
        stack = [text for at, text in enumerate(stack) if at == 0 or text != stack[at - 1]]
        own = stack[-1] if stack else ""
        if len(spread) > 1 and spread[-1][column] == "" and stack:
            # Its head stands in the upper row alone, as cells joined downwards have it; a group that only reaches here is none.
            own = rows[heads.start][column] if column < len(rows[heads.start]) else ""
            own = own or next((rows[at][column] for at in heads if column < len(rows[at]) and rows[at][column]), "")
            out[column] = (own, "")
            continue
        out[column] = (own, " ".join(stack[:-1]))
    return out


def _spread(row: Sequence[str], wide: int, spans: Sequence[tuple[int, int, int]] | None, last: bool) -> list[str]:
    """A row of heads with the heads of groups over each of their columns: as its cells are joined, or up to the next."""
    out = [row[column] if column < len(row) else "" for column in range(wide)]
    if last:
        return out
    if spans:
        for first, behind, _ in spans:
            for column in range(first, min(behind + 1, wide)):
                out[column] = out[first]
        return out
    now = ""
    for column in range(wide):
        now = out[column] or now
        out[column] = now
    return out


def _with_units(read: tuple[Heading, ...], rows: Sequence[Sequence[str]], heads: range) -> tuple[Heading, ...]:
    """Heads with the units of a row of units below them."""
    if len(heads) < 2 or not _are_units(rows[heads[-1]]):
        return read
    row = rows[heads[-1]]
    units = [row[c] if c < len(row) else "" for c in range(len(read))]
    return tuple(
        Heading(one.meanings, read_unit_text(unit)) if unit and not one.unit else one
        for one, unit in zip(read, units, strict=True)
    )


def _side_by_side(combined: Sequence[tuple[str, str]], body: Sequence[Sequence[str]]) -> list[tuple[int, int]]:
    """Columns of each list on the same rows: one, unless the same heads stand there again behind an empty column."""
    wide = len(combined)
    empty = [
        column
        for column in range(1, wide - 1)
        if not any(column < len(row) and row[column] for row in body)
        and not read_heading(combined[column][0]).meanings
    ]
    pieces: list[tuple[int, int]] = []
    begin = 0
    for cut in [*empty, wide]:
        if cut > begin:
            pieces.append((begin, cut))
        begin = cut + 1
    tagged = [
        piece
        for piece in pieces
        if any(
            read_heading(own, over).meanings.get("tag", 0) >= 1 for own, over in combined[piece[0] : piece[1]] if own
        )
    ]
    if len(tagged) < 2:
        return [(0, wide)]
    # A piece without tags of its own belongs to the one on its left.
    out: list[list[int]] = []
    for piece in pieces:
        if piece in tagged or not out:
            out.append(list(piece))
        else:
            out[-1][1] = piece[1]
    return [(a, b) for a, b in out]


def row_kind(
    cells: Sequence[str],
    filled: int,
    tag: str,
    again: frozenset[tuple[str, ...]],
    words: frozenset[str] | None = None,
) -> str:
    """What a row of a list's body is: "" for a point; else a code: heads, total, footer, spare, group, empty, no tag.

    cells: of the list's own columns. filled: how many hold something. tag: what stands where the tag does. words: all
    words of the heads, by which most rows are known to be none of them.
    """
    if not filled:
        return "empty"
    if again and (words is None or tag.casefold() in words) and _trim(cells) in again:
        return "heads"
    if filled > 4 and tag:
        if tag[:3].casefold() in _SPARES and _SPARE.fullmatch(tag):
            return "spare"
        if tag[0].isalpha() or any(c.isalpha() for c in tag):
            return ""
    first = next(cell for cell in cells if cell)
    if _TOTAL.fullmatch(first) and (not tag or tag == first or not any(c.isalpha() for c in tag)):
        return "total"
    if tag and _SPARE.fullmatch(tag):
        return "spare"
    if filled <= 2 or not tag:
        if _FOOTER.fullmatch(first):
            return "footer"
        if not tag and filled <= 4 and any(_FOOTER.fullmatch(cell) for cell in cells if cell):
            return "footer"
        if not tag and any(_SPARE.fullmatch(cell) for cell in cells if cell):
            return "spare"
        if not tag or (filled == 1 and tag == first and (" " in tag or not any(c in _DIGITS for c in tag))):
            return "group" if filled <= 2 else "no tag"
    return ""
