"""A file understood: its lists, what their columns are taken for, what is asked, and the rows that are points."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from canaleta.exchange.lists.cells import Answers
from canaleta.exchange.lists.contents import is_empty
from canaleta.exchange.lists.figures import Marks, decimal_marks
from canaleta.exchange.lists.headings import TAG_PARTS
from canaleta.exchange.lists.judging import Column, judge
from canaleta.exchange.lists.places import Seats
from canaleta.exchange.lists.questions import (
    LEFT_OUT,
    MOST,
    Question,
    answered_questions,
    askable,
    column_questions,
    doubt_questions,
)
from canaleta.exchange.lists.reading import Doubt, Rows, figures_of, read_rows
from canaleta.exchange.lists.tables import Table, find_tables
from canaleta.exchange.sheets import EXACT, Page
from canaleta.exchange.turning import turned

__all__ = ["Understood", "UnderstoodTable", "understand"]

LEAST_COLUMNS = 2


@dataclass(frozen=True)
class UnderstoodTable:
    """A list of the file with its columns and its rows as read."""

    table: Table
    columns: tuple[Column, ...]
    rows: Rows


@dataclass(frozen=True)
class Understood:
    """A file. tables: its lists. beside: sheets and tables that are no list, with why. questions: what is asked now,
    dearest first; more: how many wait behind them; answered: those that were. marks: what marks decimals."""

    tables: tuple[UnderstoodTable, ...]
    beside: tuple[tuple[int, str, str], ...] = ()
    questions: tuple[Question, ...] = ()
    more: int = 0
    answered: tuple[Question, ...] = ()
    marks: Marks = field(default_factory=Marks)


def understand(
    pages: Sequence[Page],
    seats: Seats,
    answers: Mapping[str, str] | None = None,
    *,
    sheet: int | None = None,
    heads_at: int | None = None,
    by: str = "tag",
) -> Understood:
    """Read a file. answers: {id of a question: reading, "left out", or "" for none}. sheet, heads_at: what somebody
    settled: only this sheet, whose heads stand in this row, from 0, −1 for none. by: the field that tells which point a
    row is."""
    said = dict(answers or {})
    by_column = {
        key.partition("@")[2]: ("" if answer == LEFT_OUT else answer)
        for key, answer in said.items()
        if key.startswith("column@") and answer
    }
    found: list[tuple[Table, list[Column]]] = []
    beside: list[tuple[int, str, str]] = []
    for number, page in enumerate(pages):
        if sheet is not None and number != sheet:
            continue
        for table in find_tables(number, page, heads_at if sheet is not None else None):
            columns = judge(table, page.rows, seats, by_column)
            if _is_list(columns, by):
                found.append((table, columns))
            else:
                beside.append((number, page.name, "no list: no column of tags"))
    found, left = _alike(found, chosen=sheet is not None)
    beside += left
    turned_pages = {at: turned(pages[at].rows, "") for at in dict.fromkeys(table.sheet for table, _ in found)}
    texts = [text for table, columns in found for text in figures_of(table, columns, turned_pages[table.sheet])]
    marks = Marks(decimal_marks(texts), _said(said, "figures_comma@file"), _said(said, "figures_point@file"))
    tables = []
    for table, columns in found:
        rows = read_rows(
            table, columns, pages[table.sheet].rows, turned_pages[table.sheet], seats, marks, _answers(said), by
        )
        tables.append(UnderstoodTable(table, tuple(columns), rows))
    questions = _questions(tables, pages, seats)
    open_ = [q for q in questions if not said.get(q.id)]
    closed = tuple(answered_questions(said, [c for one in tables for c in one.columns]))
    return Understood(tuple(tables), tuple(beside), tuple(open_[:MOST]), max(0, len(open_) - MOST), closed, marks)


def _said(said: Mapping[str, str], question: str) -> str:
    answer = said.get(question, "")
    return "" if answer == LEFT_OUT else answer


def _answers(said: Mapping[str, str]) -> Answers:
    def answers(code: str, key: str) -> str:
        return _said(said, f"{code}@{'file' if code.startswith('figures') else key}")

    return answers


def _is_list(columns: Sequence[Column], by: str) -> bool:
    """Whether columns are a list of points: one of tags, and another that says something of them."""
    targets = {c.target for c in columns if c.target}
    asked = any("tag" in c.likely for c in columns if c.why == "asked")
    return (by in targets or "tag" in targets or TAG_PARTS[0] in targets or asked) and len(
        targets
    ) + asked >= LEAST_COLUMNS


def _alike(
    found: list[tuple[Table, list[Column]]], *, chosen: bool
) -> tuple[list[tuple[Table, list[Column]]], list[tuple[int, str, str]]]:
    """The lists proper: of a workbook's sheets those that say as much as the fullest, more or less. A summary that
    names some tags beside three words is none."""
    if chosen or len(found) < 2:
        return found, []
    says = [{c.target for c in columns if c.target} for _, columns in found]
    most = max(map(len, says))
    kept, left = [], []
    for (table, columns), targets in zip(found, says, strict=True):
        if len(targets) >= 3 or len(targets) >= most / 2:
            kept.append((table, columns))
        else:
            left.append((table.sheet, table.name, "no list: it only names some tags"))
    return kept, left


def _questions(tables: Sequence[UnderstoodTable], pages: Sequence[Page], seats: Seats) -> list[Question]:
    columns = []
    doubts: dict[str, list[tuple[Column, Doubt]]] = {}
    for one in tables:
        body = [pages[one.table.sheet].rows[number - 1] for number in one.rows.numbers]
        for column in one.columns:
            if column.why == "asked" and not column.target:
                texts = [
                    t for row in body if column.at < len(row) and not is_empty(t := row[column.at].rstrip(EXACT))
                ]
                columns.append((column, len(texts), list(dict.fromkeys(texts))))
        at = {c.at: c for c in one.columns}
        for some in one.rows.doubts.values():
            for doubt in some:
                if askable(doubt.code) and doubt.at in at:
                    key = "file" if doubt.code.startswith("figures") else at[doubt.at].key
                    doubts.setdefault(f"{doubt.code}@{key}", []).append((at[doubt.at], doubt))
    asked = [*column_questions(columns), *doubt_questions(doubts, seats)]
    # Without a tag there are no points: how its parts are joined comes first.
    joined = [q for q in asked if q.code == "joined"]
    return [*joined, *(q for q in asked if q.code != "joined")]
