"""Lists from outside as plain texts: CSV in any dress, and workbooks. Only a child process reads them (lists/apart.py).

Workbooks are unpacked once to see how large they really are, before anything reads them.
"""

from __future__ import annotations

import csv
import datetime as dt
import io
import zipfile
import zlib
from collections.abc import Callable, Collection, Iterable, Iterator, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from typing import Any

import re2

from canaleta.core.notation.text import begins_formula, plain_figure
from canaleta.exchange.turning import turned
from canaleta.exchange.workbook_marks import Marked, marked_cells

__all__ = ["MOST_BYTES", "MOST_ROWS", "Page", "SheetError", "Told", "read_book"]

MOST_BYTES = 20 * 1024 * 1024
MOST_INFLATED = 200 * 1024 * 1024
MOST_ROWS = 200_000
MOST_COLUMNS = 300
MOST_CELL = 4_000
MOST_PAGES = 40
MEMORY = 1024 * 1024 * 1024
_CHUNK = 1 << 20
_FAR_COLUMN = re2.compile(rb'<c r="(?:[A-Z]{3}|[L-Z][A-Z]|K[O-Z])\d')
"""A cell beyond column KN, which is the 300th."""
_DIMENSION = re2.compile(rb'<dimension ref="A1:([A-Z]{1,3})(\d{1,7})"')
_ROW = re2.compile(rb'<row[^>]*? r="(\d{6,})"')


class SheetError(ValueError):
    """The file cannot be read as a list. The message says what was wrong and what to do."""


EXACT = "\u2060"
"""Behind the text of a workbook's number that would else be read two ways: its point marks decimals."""
Spans = Mapping[int, Sequence[tuple[int, int, int]]]


@dataclass(frozen=True)
class Told:
    """Something about how a file was read. code: encodings, mangled, formulas, nulls. rows: from 1, the first of them."""

    code: str
    says: str
    rows: tuple[int, ...] = ()


@dataclass(frozen=True)
class Page:
    """One sheet of a file: rows of texts, of a text file each as long as its last filled cell.

    merged: {row: cells joined sideways in it (first column, last column, rows)}. Cells joined downwards hold their text
    in each of their rows. told: what was noticed while it was read.
    """

    name: str
    rows: tuple[tuple[str, ...], ...]
    merged: Spans = field(default_factory=dict)
    told: tuple[Told, ...] = ()


def read_book(data: bytes, meanwhile: Callable[[], object] = lambda: None) -> tuple[Page, ...]:
    """Every sheet of a file that holds anything. meanwhile: what may be done while a workbook's reader works. Raises
    SheetError."""
    if len(data) > MOST_BYTES:
        raise SheetError(
            f"the file has {len(data) // 1024 // 1024} MB; at most {MOST_BYTES // 1024 // 1024} are read"
        )
    if not data.strip():
        raise SheetError("the file is empty")
    if data[:4] == b"PK\x03\x04" or data[:8] == b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1":
        pages = _workbook(data, meanwhile)
    else:
        pages = (_text_page(data),)
    filled = tuple(page for page in pages if page.rows)
    if not filled:
        raise SheetError("no sheet of the file holds anything")
    for page in filled:
        wide = max(len(row) for row in page.rows)
        if len(page.rows) > MOST_ROWS or wide > MOST_COLUMNS:
            raise SheetError(
                f"“{page.name}” has {len(page.rows)} rows of {wide} columns; at most {MOST_ROWS} of {MOST_COLUMNS} are read"
            )
    return filled


def _text_page(data: bytes) -> Page:
    text, told = _decoded(data)
    if "\0" in text:
        raise SheetError("the file is neither text nor a workbook: save it as CSV or XLSX")
    lines = [line for line in text.splitlines() if line.strip()][:50]
    # The mark that cuts most lines into the same number of cells, more than one.
    mark = max(";\t,|", key=lambda m: (_evenness([line.count(m) for line in lines]), ";\t,|".index(m) == 0))
    return Page("the file", _trimmed(_cut(text, mark)), told=told)


def _cut(text: str, mark: str) -> Iterator[tuple[str, ...]]:
    """The rows of a text. A quote that is opened and never closed would swallow what is behind it: its line is told."""
    reader = csv.reader(io.StringIO(f"{text}\n{_END}", newline=""), delimiter=mark)
    begins, wide, row = 1, 0, []
    try:
        for row in reader:
            if row == [_END]:
                return
            swallowed = reader.line_num - begins
            if swallowed and (_END in row[-1] or _swallows(row, mark, wide)):
                raise _unclosed(row, begins, swallowed, text)
            if not swallowed:
                wide = max(wide, len(row))
            begins = reader.line_num + 1
            yield _row(row)
    except csv.Error as error:
        if "field larger" in str(error):
            raise _unclosed(row, begins, text.count("\n", 0) + 1 - begins, text) from error
        raise SheetError(f"line {reader.line_num}: {error}: save it as CSV again, or as XLSX") from error


_END = "\x1e"
"""A last line of our own: where it is missing, a quote swallowed it."""


def _swallows(row: Sequence[str], mark: str, wide: int) -> bool:
    """Whether a cell over several lines holds rows of the file: as many marks as a row has."""
    return any("\n" in cell and cell.count(mark) >= max(2, wide - 1) for cell in row)


def _unclosed(row: Sequence[str], begins: int, swallowed: int, text: str) -> SheetError:
    lines = text.splitlines()
    at = lines[begins - 1] if begins <= len(lines) else ""
    swallowed = min(swallowed, len(lines) - begins)
    quote = at.rfind('"')
    return SheetError(
        f"line {begins} opens a quote that is not closed where its cell ends, before “{at[quote + 1 :][:30]}”: it would "
        f"swallow the {swallowed} lines behind it. close the quote there, or take it away; nothing else is wrong so far"
    )


def _evenness(counts: list[int]) -> float:
    """How well a mark cuts lines: how many lines have it, and the same number of times."""
    most = max(set(counts), key=lambda n: (counts.count(n) * (n > 0), n)) if counts else 0
    return counts.count(most) * min(most, 8) if most else 0


def _decoded(data: bytes) -> tuple[str, tuple[Told, ...]]:
    """The text of a file, and what its encoding has to tell."""
    if data[:2] in (b"\xff\xfe", b"\xfe\xff"):
        try:
            return data.decode("utf-16"), ()
        except UnicodeDecodeError as error:
            raise SheetError("the file says that it is UTF-16 and is cut short: save it as UTF-8") from error
    if data[1:200:2].count(0) > 40:
        # Every second byte of a plain text in UTF-16 is nothing; its mark may be left away.
        return data[: len(data) // 2 * 2].decode("utf-16-le", errors="replace"), ()
    body = data.removeprefix(b"\xef\xbb\xbf")
    try:
        return _mended(body.decode("utf-8"))
    except UnicodeDecodeError:
        pass
    lines, odd, utf8 = [], [], 0
    for number, line in enumerate(body.split(b"\n"), start=1):
        try:
            text = line.decode("utf-8")
            utf8 += not text.isascii()
        except UnicodeDecodeError:
            odd.append(number)
            text = line.decode("cp1252", errors="replace").replace("\ufffd", "?")
        lines.append(text)
    declared = body is not data and len(body) != len(data)
    if not utf8 and not declared:
        return "\n".join(lines), ()
    says = f"{len(odd)} lines are in Windows-1252 although the file is in UTF-8; they were read so: look at their special letters"
    return "\n".join(lines), (Told("encodings", says, tuple(odd[:200])),)


def _mended(text: str) -> tuple[str, tuple[Told, ...]]:
    """A text that was once read in the wrong encoding and saved so ("Â°C", "Ã¼"): as it was meant, and which lines."""
    if "Ã" not in text and "Â" not in text and "â€" not in text:
        return text, ()
    lines, mended = text.split("\n"), []
    for number, line in enumerate(lines):
        if "Ã" in line or "Â" in line or "â€" in line:
            try:
                lines[number] = line.encode("cp1252").decode("utf-8")
            except (UnicodeEncodeError, UnicodeDecodeError):
                continue
            mended.append(number + 1)
    if not mended:
        return text, ()
    says = f"{len(mended)} lines had their special letters mangled by a wrong encoding (as in Â°C); they were read as they were meant"
    return "\n".join(lines), (Told("mangled", says, tuple(mended[:200])),)


def _workbook(data: bytes, meanwhile: Callable[[], object]) -> tuple[Page, ...]:
    beside = data[:2] == b"PK" and _seems_small(data)
    if data[:2] == b"PK" and not beside:
        _weigh(data)
    # Imported here: only the child needs it, and it may end the child.
    from python_calamine import CalamineError, CalamineWorkbook, PasswordError

    # The reader works beside us: meanwhile the parts are looked through for what it does not tell. What is found wrong
    # is told at once; nobody waits for the reader then.
    readers = ThreadPoolExecutor(1)
    try:
        book = CalamineWorkbook.from_filelike(io.BytesIO(data))
        names = book.sheet_names[:MOST_PAGES]
        coming = [readers.submit(book.get_sheet_by_name, name) for name in names]
        if beside:
            _weigh(data)
        meanwhile()
        marked = marked_cells(data) if data[:2] == b"PK" else {}
        return tuple(_sheet(one.result(), name, marked.get(name)) for name, one in zip(names, coming, strict=True))
    except CalamineError as error:
        locked = isinstance(error, PasswordError)
        hint = "take its password away first" if locked else "save it again as XLSX or CSV"
        raise SheetError(f"the workbook cannot be read ({error}): {hint}") from error
    finally:
        readers.shutdown(wait=False, cancel_futures=True)


def _seems_small(data: bytes) -> bool:
    """Whether a workbook says of itself that it is of a size that is read: then the reader may begin before that is
    known for sure. A file that lies can only end the child."""
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as packed:
            sheets = [i.filename for i in packed.infolist() if "worksheets/" in i.filename and not i.is_dir()]
            if sum(i.file_size for i in packed.infolist()) > MOST_INFLATED or not 0 < len(sheets) <= MOST_PAGES:
                return False
            for name in sheets:
                with packed.open(name) as part:
                    said = _DIMENSION.search(part.read(4096))
                if not said or len(said[1]) > 2 or int(said[2]) > MOST_ROWS:
                    return False
    except (zipfile.BadZipFile, NotImplementedError, EOFError, OSError, RuntimeError, zlib.error):
        return False
    return True


def _sheet(sheet: Any, name: str, marked: Marked | None) -> Page:
    rows = _rows(sheet.to_python(skip_empty_area=False))
    told: tuple[Told, ...] = ()
    if marked:
        told = _put(rows, marked)
    merged: dict[int, list[tuple[int, int, int]]] = {}
    for (top, left), (bottom, right) in sheet.merged_cell_ranges or ():
        if right > left:
            merged.setdefault(top, []).append((left, right, bottom - top + 1))
        elif top < len(rows) and left < len(rows[top]) and bottom - top < 20_000:
            for at in range(top + 1, min(bottom + 1, len(rows))):
                _set(rows, at, left, rows[top][left])
    return Page(name, _trimmed(rows), merged, told)


def _rows(cells: Sequence[Sequence[Any]]) -> list[tuple[str, ...]]:
    """The texts of a sheet, worked out column by column: each text once, however often it stands."""
    columns: list[Sequence[str]] = []
    for column in turned(cells):
        different = set(column)
        if set(map(type, different)) == {str}:
            if _are_plain(different):
                columns.append(column)
                continue
        elif set(map(type, column)) - {str, float}:
            # True is 1 and a day may be another's key: they are told apart by their kinds.
            kinds = {(type(cell), cell): _text(cell) for cell in column}
            columns.append([kinds[type(cell), cell] for cell in column])
            continue
        known = {cell: _text(cell) for cell in different}
        columns.append([known[cell] for cell in column])
    while columns and not any(columns[-1]):
        columns.pop()
    return list(zip(*columns, strict=True)) if columns else [() for _ in cells]


def _are_plain(texts: Collection[str]) -> bool:
    """Whether texts are all as they should be, asked of all of them at once."""
    if max(map(len, texts)) > MOST_CELL or not "".join(texts).isprintable():
        return False
    joined = "\n".join(("", *texts, ""))
    return not any(odd in joined for odd in ("  ", "\n ", " \n", "\n'"))


def _put(rows: list[tuple[str, ...]], marked: Marked) -> tuple[Told, ...]:
    """What the cells' own figures do not say: failed formulas, formulas without a value, shares shown as percent."""
    for (row, column), text in marked.texts.items():
        _set(rows, row, column, text)
    for row, column in marked.percents:
        if row < len(rows) and column < len(rows[row]) and rows[row][column]:
            cell = rows[row][column].rstrip(EXACT)
            try:
                _set(rows, row, column, f"{plain_figure(float(f'{float(cell) * 100:.12g}'))} %")
            except ValueError:
                continue
    failed = sorted({row + 1 for row, _ in marked.texts})
    if not failed:
        return ()
    says = (
        f"{len(marked.texts)} cells hold a formula that failed or was never worked out: they are told in their rows"
    )
    return (Told("formulas", says, tuple(failed[:200])),)


def _set(rows: list[tuple[str, ...]], row: int, column: int, text: str) -> None:
    while row >= len(rows):
        rows.append(())
    cells = [*rows[row], *[""] * (column + 1 - len(rows[row]))]
    cells[column] = text
    rows[row] = tuple(cells)


def _weigh(data: bytes) -> None:
    """See how large a workbook is when unpacked, whatever it says of itself."""
    try:
        packed = zipfile.ZipFile(io.BytesIO(data))
        names = packed.infolist()
        if any(info.flag_bits & 1 for info in names):
            raise SheetError("the file is locked with a password: take it away first")
        if not {"[Content_Types].xml", "mimetype"} & {info.filename for info in names} or len(names) > 5000:
            raise SheetError("this is an archive, not a workbook: unpack it and choose the list inside")
        total = 0
        for info in names:
            sheet = "worksheets/" in info.filename
            with packed.open(info) as part:
                while chunk := part.read(_CHUNK):
                    total += len(chunk)
                    if total > MOST_INFLATED:
                        raise SheetError(
                            f"unpacked, the file has more than {MOST_INFLATED // 1024 // 1024} MB: save the list alone, "
                            "without pictures and empty formatted cells"
                        )
                    if sheet:
                        _extent(chunk)
    except (zipfile.BadZipFile, NotImplementedError, EOFError, OSError, RuntimeError) as error:
        raise SheetError(f"the workbook is damaged ({error}): save it as XLSX again, or as CSV") from error


def _extent(chunk: bytes) -> None:
    if _FAR_COLUMN.search(chunk):
        raise SheetError(f"the sheet has cells beyond column {MOST_COLUMNS}: save the list alone")
    if any(int(number) > MOST_ROWS for number in _ROW.findall(chunk)):
        raise SheetError(f"the sheet has cells below row {MOST_ROWS}: delete what stands far below the list")


def _row(cells: Iterable[object]) -> tuple[str, ...]:
    out = [_text(cell) for cell in cells]
    while out and not out[-1]:
        out.pop()
    return tuple(out)


def _is_plain(cell: str) -> bool:
    """Whether a text is as it should be, as most are: nothing to take off, nothing to make one of."""
    return (
        cell.isprintable()
        and "  " not in cell
        and len(cell) <= MOST_CELL
        and cell[:1] not in (" ", "'")
        and cell[-1:] != " "
    )


def _text(cell: object) -> str:
    if isinstance(cell, str) and _is_plain(cell):
        return cell
    if isinstance(cell, bool):
        return "yes" if cell else "no"
    if isinstance(cell, float):
        text = plain_figure(float(f"{cell:.15g}"))
        # 12.345 is no twelve thousand, whatever mark the rest of the list has.
        return text + EXACT if text[-4:-3] == "." and len(text) <= 8 else text
    if isinstance(cell, (dt.datetime, dt.date, dt.time)):
        return cell.isoformat(sep=" ") if isinstance(cell, dt.datetime) else cell.isoformat()
    text = " ".join(str(cell).split()) if cell is not None else ""
    if len(text) > MOST_CELL:
        raise SheetError(f"a cell has more than {MOST_CELL} characters: it begins with “{text[:40]}”")
    # The quote that exports put before = + - @, so that no sheet computes what it reads.
    return text[1:] if text[:1] == "'" and begins_formula(text[1:]) else text


def _trimmed(rows: Iterable[tuple[str, ...]]) -> tuple[tuple[str, ...], ...]:
    out = list(rows)
    while out and not any(out[-1]):
        out.pop()
    return tuple(out)
