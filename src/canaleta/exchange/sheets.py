"""Lists from outside as plain texts: CSV in any dress, and workbooks, read in a child process with limits.

The child (`python -m canaleta.exchange.sheets`) takes the file on standard input and answers JSON: a file can at most
end the child. Workbooks are unpacked once to see how large they really are, before anything reads them.
"""

from __future__ import annotations

import csv
import datetime as dt
import io
import json
import resource
import subprocess
import sys
import zipfile
from collections.abc import Iterable
from dataclasses import dataclass

import re2

from canaleta.core.notation.text import begins_formula, plain_figure

__all__ = ["MOST_BYTES", "MOST_ROWS", "Page", "SheetError", "read_apart", "read_book"]

MOST_BYTES = 20 * 1024 * 1024
MOST_INFLATED = 200 * 1024 * 1024
MOST_ROWS = 200_000
MOST_COLUMNS = 300
MOST_CELL = 4_000
MOST_PAGES = 40
MEMORY = 1024 * 1024 * 1024
SECONDS = 30
_CHUNK = 1 << 20
_FAR_COLUMN = re2.compile(rb'<c r="(?:[A-Z]{3}|[L-Z][A-Z]|K[O-Z])\d')
"""A cell beyond column KN, which is the 300th."""
_ROW = re2.compile(rb'<row[^>]*? r="(\d{6,})"')


class SheetError(ValueError):
    """The file cannot be read as a list. The message says what was wrong and what to do."""


@dataclass(frozen=True)
class Page:
    """One sheet of a file: rows of texts, each as long as its last filled cell."""

    name: str
    rows: tuple[tuple[str, ...], ...]


def read_book(data: bytes) -> tuple[Page, ...]:
    """Every sheet of a file that holds anything. Raises SheetError."""
    if len(data) > MOST_BYTES:
        raise SheetError(
            f"the file has {len(data) // 1024 // 1024} MB; at most {MOST_BYTES // 1024 // 1024} are read"
        )
    if not data.strip():
        raise SheetError("the file is empty")
    if data[:4] == b"PK\x03\x04" or data[:8] == b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1":
        pages = _workbook(data)
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
    text = _decoded(data)
    if "\0" in text:
        raise SheetError("the file is neither text nor a workbook: save it as CSV or XLSX")
    lines = [line for line in text.splitlines() if line.strip()][:50]
    # The mark that cuts most lines into the same number of cells, more than one.
    mark = max(";\t,|", key=lambda m: (_evenness([line.count(m) for line in lines]), ";\t,|".index(m) == 0))
    reader = csv.reader(io.StringIO(text, newline=""), delimiter=mark)
    try:
        rows = tuple(_row(line) for line in reader)
    except csv.Error as error:
        raise SheetError(f"line {reader.line_num}: {error}: save it as CSV again") from error
    return Page("the file", _trimmed(rows))


def _evenness(counts: list[int]) -> float:
    """How well a mark cuts lines: how many lines have it, and the same number of times."""
    most = max(set(counts), key=lambda n: (counts.count(n) * (n > 0), n)) if counts else 0
    return counts.count(most) * min(most, 8) if most else 0


def _decoded(data: bytes) -> str:
    if data[:2] in (b"\xff\xfe", b"\xfe\xff"):
        encodings: tuple[str, ...] = ("utf-16",)
    else:
        encodings = ("utf-8-sig", "cp1252")
    for encoding in encodings:
        try:
            return data.decode(encoding)
        except UnicodeDecodeError:
            continue
    raise SheetError("the file is neither UTF-8, UTF-16 nor Windows-1252: save it as UTF-8")


def _workbook(data: bytes) -> tuple[Page, ...]:
    if data[:2] == b"PK":
        _weigh(data)
    # Imported here: only the child needs it, and it may end the child.
    from python_calamine import CalamineError, CalamineWorkbook, PasswordError

    try:
        book = CalamineWorkbook.from_filelike(io.BytesIO(data))
        names = book.sheet_names[:MOST_PAGES]
        return tuple(
            Page(name, _trimmed(_row(row) for row in book.get_sheet_by_name(name).to_python(skip_empty_area=False)))
            for name in names
        )
    except CalamineError as error:
        locked = isinstance(error, PasswordError)
        hint = "take its password away first" if locked else "save it again as XLSX or CSV"
        raise SheetError(f"the workbook cannot be read ({error}): {hint}") from error


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
        raise SheetError(f"the workbook is damaged ({error}): save it again") from error


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


def _text(cell: object) -> str:
    if isinstance(cell, bool):
        return "yes" if cell else "no"
    if isinstance(cell, float):
        return plain_figure(float(f"{cell:.15g}"))
    if isinstance(cell, (dt.datetime, dt.date, dt.time)):
        return cell.isoformat(sep=" ") if isinstance(cell, dt.datetime) else cell.isoformat()
    text = " ".join(str(cell).split()) if cell is not None else ""
    if len(text) > MOST_CELL:
        raise SheetError(f"a cell has more than {MOST_CELL} characters: it begins with “{text[:40]}”")
    # The quote that exports put before = + - @, so that no sheet computes what it reads.
    return text[1:] if text[:1] == "'" and begins_formula(text[1:]) else text


def _trimmed(rows: Iterable[tuple[str, ...]]) -> tuple[tuple[str, ...], ...]:
    out = list(rows)
    while out and not out[-1]:
        out.pop()
    return tuple(out)


def read_apart(data: bytes) -> tuple[Page, ...]:
    """`read_book` in a child process with limits on memory and time. Raises SheetError."""
    if len(data) > MOST_BYTES:
        raise SheetError(
            f"the file has {len(data) // 1024 // 1024} MB; at most {MOST_BYTES // 1024 // 1024} are read"
        )
    try:
        done = subprocess.run(
            [sys.executable, "-m", "canaleta.exchange.sheets"],
            input=data,
            capture_output=True,
            timeout=SECONDS,
            check=False,
        )
    except subprocess.TimeoutExpired as error:
        raise SheetError(f"reading took longer than {SECONDS} s: save the list alone and try again") from error
    if done.returncode:
        raise SheetError("the file could not be read: it needs more memory than a list may take, or it is damaged")
    answer = json.loads(done.stdout)
    if "says" in answer:
        raise SheetError(answer["says"])
    return tuple(Page(page["name"], tuple(tuple(row) for row in page["rows"])) for page in answer["pages"])


def _child() -> None:
    resource.setrlimit(resource.RLIMIT_AS, (MEMORY, MEMORY))
    resource.setrlimit(resource.RLIMIT_CPU, (SECONDS, SECONDS))
    try:
        pages = read_book(sys.stdin.buffer.read(MOST_BYTES + 1))
        answer: dict[str, object] = {"pages": [{"name": page.name, "rows": page.rows} for page in pages]}
    except SheetError as error:
        answer = {"says": str(error)}
    sys.stdout.write(json.dumps(answer))


if __name__ == "__main__":
    _child()
