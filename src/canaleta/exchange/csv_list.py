"""A plain list as CSV: which column is which field, which rows are new, what cannot be read.

Runs as a child process (`python -m canaleta.exchange.csv_list`): bytes on standard input, JSON on standard output,
with limits on memory and time, so that a file from outside can at most end the child.
"""

from __future__ import annotations

import csv
import io
import json
import resource
import subprocess
import sys
from dataclasses import dataclass

from canaleta.core.fields import STATIONS, STORED, Field, Station

__all__ = ["CsvError", "Sheet", "columns_of", "read_csv", "read_csv_apart"]

MOST_BYTES = 20 * 1024 * 1024
MOST_ROWS = 200_000
MOST_COLUMNS = 300
MOST_CELL = 4_000
MEMORY = 1024 * 1024 * 1024
SECONDS = 30


class CsvError(ValueError):
    """The file cannot be read as a list. The message says what was wrong and what to do."""


@dataclass(frozen=True)
class Sheet:
    """Headers and rows of a file, all texts, every row as wide as the headers."""

    headers: tuple[str, ...]
    rows: tuple[tuple[str, ...], ...]


def read_csv(data: bytes) -> Sheet:
    """A CSV file in UTF-8 or Windows-1252, its cells apart by comma, semicolon or tab. Raises CsvError."""
    if len(data) > MOST_BYTES:
        raise CsvError(
            f"the file has {len(data) // 1024 // 1024} MB; at most {MOST_BYTES // 1024 // 1024} MB are read"
        )
    text = _decoded(data)
    if "\0" in text:
        raise CsvError("the file is not text: save it as CSV")
    first = next((line for line in text.splitlines() if line.strip()), "")
    mark = max(";\t,", key=first.count)
    reader = csv.reader(io.StringIO(text, newline=""), delimiter=mark)
    try:
        lines = [[cell.strip() for cell in line] for line in reader if any(cell.strip() for cell in line)]
    except csv.Error as error:
        raise CsvError(f"line {reader.line_num}: {error}") from error
    if len(lines) < 2:
        raise CsvError("the file needs a line of headers and at least one point")
    headers, rows = lines[0], lines[1:]
    if len(headers) > MOST_COLUMNS or len(rows) > MOST_ROWS:
        raise CsvError(f"{len(rows)} rows of {len(headers)} columns; at most {MOST_ROWS} of {MOST_COLUMNS} are read")
    if any(len(cell) > MOST_CELL for row in rows for cell in row):
        raise CsvError(f"a cell has more than {MOST_CELL} characters")
    wide = len(headers)
    return Sheet(tuple(headers), tuple(tuple(_plain(c) for c in (row + [""] * wide)[:wide]) for row in rows))


def _decoded(data: bytes) -> str:
    for encoding in ("utf-8-sig", "cp1252"):
        try:
            return data.decode(encoding)
        except UnicodeDecodeError:
            continue
    raise CsvError("the file is neither UTF-8 nor Windows-1252")


def _plain(cell: str) -> str:
    """A cell without the quote that exports put before = + - @ to keep a sheet from computing it."""
    return cell[1:] if cell[:1] == "'" and cell[1:2] in ("=", "+", "-", "@") else cell


def columns_of(headers: tuple[str, ...]) -> tuple[dict[int, Field], list[str]]:
    """({column: field}, headers that mean no field). A field's name, its label with its station, or a known synonym."""
    meant: dict[str, Field] = {}
    for f in STORED:
        says = {f.name, f"{f.station} {f.label}", *f.headers}
        if f.station is Station.POINT or f.station not in STATIONS:
            says.add(f.label)
        for said in says:
            meant.setdefault(_bare(said), f)
    found: dict[int, Field] = {}
    unknown = []
    for at, header in enumerate(headers):
        known = meant.get(_bare(header))
        if known is None or known in found.values():
            unknown.append(header)
        else:
            found[at] = known
    return found, unknown


def _bare(text: str) -> str:
    return "".join(c for c in text.lower() if c.isalnum())


def read_csv_apart(data: bytes) -> Sheet:
    """`read_csv` in a child process with limits. Raises CsvError."""
    if len(data) > MOST_BYTES:
        raise CsvError(
            f"the file has {len(data) // 1024 // 1024} MB; at most {MOST_BYTES // 1024 // 1024} MB are read"
        )
    try:
        done = subprocess.run(
            [sys.executable, "-m", "canaleta.exchange.csv_list"], input=data, capture_output=True, timeout=SECONDS,
            check=False,
        )  # fmt: skip
    except subprocess.TimeoutExpired as error:
        raise CsvError(f"reading took longer than {SECONDS} s; try a smaller file") from error
    if done.returncode:
        raise CsvError("the file could not be read: it needs more memory than a list may take")
    answer = json.loads(done.stdout)
    if "says" in answer:
        raise CsvError(answer["says"])
    return Sheet(tuple(answer["headers"]), tuple(tuple(row) for row in answer["rows"]))


def _child() -> None:
    resource.setrlimit(resource.RLIMIT_AS, (MEMORY, MEMORY))
    resource.setrlimit(resource.RLIMIT_CPU, (SECONDS, SECONDS))
    try:
        sheet = read_csv(sys.stdin.buffer.read(MOST_BYTES + 1))
        answer: dict[str, object] = {"headers": sheet.headers, "rows": sheet.rows}
    except CsvError as error:
        answer = {"says": str(error)}
    sys.stdout.write(json.dumps(answer))


if __name__ == "__main__":
    _child()
