"""Files read and understood in a child process with limits: a file can at most end the child, and what it took in
memory goes with it.

The child (`python -m canaleta.exchange.lists.apart`) takes one line of JSON that says what is wanted, then the file, or
its sheets as they were read before; it answers with one line that tells two lengths, the answer in JSON and the sheets.
"""

from __future__ import annotations

import gc
import importlib
import os
import resource
import subprocess
import sys
import zlib
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass
from typing import Any

import orjson

from canaleta.core.notation.text import short
from canaleta.exchange.sheets import MEMORY, MOST_BYTES, Page, SheetError, Told, read_book

__all__ = [
    "COMMAND",
    "SECONDS",
    "Brought",
    "Wish",
    "asked",
    "bring_apart",
    "packed_pages",
    "read_here",
    "told",
    "unpacked_pages",
]

SECONDS = 60
TOO_LONG = f"reading took longer than {SECONDS} s: save the list alone and try again"
TOP_BEFORE, TOP_BEHIND = 6, 24
"""Rows that are shown of each list, before its heads end and behind."""
MOST_WIDE = 80


@dataclass(frozen=True)
class Wish:
    """What is wanted of a file: the plant's seats as they are (places.py), answers, and what somebody settled. looks: what
    was answered for lists before (memory.py)."""

    seats: Any
    answers: Mapping[str, str]
    sheet: int | None = None
    heads_at: int | None = None
    looks: Sequence[Mapping[str, Any]] = ()
    by: str = "tag"


@dataclass(frozen=True)
class Brought:
    """A file read. sheets: name, rows and what was told of each. packed: its sheets, for the next time. understood: the
    lists, as `understanding.Understood` in JSON. tops: rows of each list as they stand in the file."""

    sheets: tuple[tuple[str, int, tuple[Told, ...]], ...]
    packed: bytes
    understood: dict[str, Any]


def packed_pages(pages: Sequence[Page]) -> bytes:
    """Sheets as they are kept."""
    body = [[p.name, p.rows, {str(k): v for k, v in p.merged.items()}, [asdict(t) for t in p.told]] for p in pages]
    return zlib.compress(orjson.dumps(body), 1)


def unpacked_pages(packed: bytes) -> tuple[Page, ...]:
    """Sheets as they were kept."""
    return tuple(
        Page(
            name,
            tuple(map(tuple, rows)),
            {int(k): [tuple(span) for span in v] for k, v in merged.items()},
            tuple(Told(t["code"], t["says"], tuple(t["rows"])) for t in told),
        )
        for name, rows, merged, told in orjson.loads(zlib.decompress(packed))
    )


COMMAND = (sys.executable, "-m", "canaleta.exchange.lists.apart")
"""What reads a file: it is told `asked` on its standard input and tells what `told` reads."""


def asked(data: bytes, wish: Wish, *, packed: bool = False) -> bytes:
    """What the child is asked. packed: data are its sheets as they were kept. Raises SheetError for too long a file."""
    if not packed and len(data) > MOST_BYTES:
        raise SheetError(
            f"the file has {len(data) // 1024 // 1024} MB; at most {MOST_BYTES // 1024 // 1024} are read: save the list alone"
        )
    return orjson.dumps({**asdict(wish), "packed": packed}, option=orjson.OPT_NON_STR_KEYS) + b"\n" + data


def told(output: bytes) -> Brought:
    """What the child told. Raises SheetError for what it said, and where it ended before it had said anything."""
    line, _, body = output.partition(b"\n")
    length = int(line) if line.isdigit() else 0
    if not length or len(body) < length:
        raise SheetError(
            "the file could not be read: it needs more memory or time than a list may take, or it is damaged: save the "
            "list alone and try again"
        )
    answer = orjson.loads(body[:length])
    if "says" in answer:
        raise SheetError(answer["says"])
    sheets = tuple(
        (name, rows, tuple(Told(t["code"], t["says"], tuple(t["rows"])) for t in notes))
        for name, rows, notes in answer["sheets"]
    )
    return Brought(sheets, body[length:], answer["understood"])


def bring_apart(data: bytes, wish: Wish, *, packed: bool = False) -> Brought:
    """A file read and understood. packed: data are its sheets as they were kept. Raises SheetError."""
    question = asked(data, wish, packed=packed)
    try:
        done = subprocess.run(COMMAND, input=question, capture_output=True, timeout=SECONDS, check=False)
    except subprocess.TimeoutExpired as error:
        raise SheetError(TOO_LONG) from error
    return told(b"" if done.returncode else done.stdout)


def _child() -> None:
    resource.setrlimit(resource.RLIMIT_AS, (MEMORY, MEMORY))
    resource.setrlimit(resource.RLIMIT_CPU, (SECONDS, SECONDS))
    # What is taken in is kept to the end, and the end is near: nothing is looked through for what could go.
    gc.disable()
    packed = b""
    try:
        wish = orjson.loads(sys.stdin.buffer.readline())
        data = sys.stdin.buffer.read()
        if wish["packed"]:
            pages, packed = unpacked_pages(data), data
        else:
            # The rest of the house is loaded while the reader works.
            pages = read_book(data, lambda: importlib.import_module("canaleta.exchange.lists.understanding"))
            packed = packed_pages(pages)
        answer = _answer(pages, wish)
    except SheetError as error:
        answer, packed = orjson.dumps({"says": str(error)}), b""
    except RecursionError as error:
        answer, packed = (
            orjson.dumps({"says": f"the file is nested too deep ({short(error)}): save the list alone"}),
            b"",
        )
    sys.stdout.buffer.write(str(len(answer)).encode() + b"\n")
    sys.stdout.buffer.write(answer)
    sys.stdout.buffer.write(packed)
    sys.stdout.buffer.flush()
    # Nothing is taken down piece by piece, and nobody waits for a reader that is still at a file that lied.
    os._exit(0)


def read_here(pages: Sequence[Page], wish: Wish) -> dict[str, Any]:
    """Sheets understood in this process, told as the child tells them."""
    said = orjson.loads(orjson.dumps(asdict(wish), option=orjson.OPT_NON_STR_KEYS))
    understood: dict[str, Any] = orjson.loads(_answer(pages, said))["understood"]
    return understood


def _answer(pages: Sequence[Page], wish: Mapping[str, Any]) -> bytes:
    from canaleta.exchange.lists.memory import recalled
    from canaleta.exchange.lists.places import Seats
    from canaleta.exchange.lists.questions import no_target
    from canaleta.exchange.lists.understanding import understand

    racks = tuple((c, r, {int(s): n for s, n in slots.items()}) for c, r, slots in wish["seats"]["racks"])
    seats = Seats(racks, wish["seats"]["base"])
    sheet, heads_at = wish["sheet"], wish["heads_at"]
    if heads_at is not None and sheet is None and len(pages) == 1:
        sheet = 0
    if sheet is not None and sheet >= len(pages):
        many = "1 sheet" if len(pages) == 1 else f"{len(pages)} sheets"
        raise SheetError(f"the file has {many}: choose one of them")
    if sheet is not None and heads_at is not None and heads_at >= len(pages[sheet].rows):
        raise SheetError(
            f"“{pages[sheet].name}” has {len(pages[sheet].rows)} rows: choose the row of its heads among them"
        )
    answers, recalled_from = dict(wish["answers"]), ""
    if unknown := no_target(answers):
        raise SheetError(f"a column cannot be “{unknown}”: a dry run tells what each may be")
    understood = understand(pages, seats, answers, sheet=sheet, heads_at=heads_at, by=wish["by"])
    if wish["looks"]:
        more, recalled_from = recalled(understood, wish["looks"])
        if more := {k: v for k, v in more.items() if k not in answers and not no_target({k: v})}:
            answers = {**more, **answers}
            understood = understand(pages, seats, answers, sheet=sheet, heads_at=heads_at, by=wish["by"])
    tops = []
    for one in understood.tables:
        first = max(0, one.table.heads.start - TOP_BEFORE)
        rows = pages[one.table.sheet].rows[first : min(one.table.data.stop, one.table.data.start + TOP_BEHIND)]
        doubts = [
            {"row": one.rows.numbers[at], "at": doubt.at, "code": doubt.code}
            for at, some in one.rows.doubts.items()
            if one.rows.numbers[at] <= first + len(rows)
            for doubt in some
        ]
        tops.append([first, [row[:MOST_WIDE] for row in rows], doubts])
    sheets = [[p.name, len(p.rows), [asdict(t) for t in p.told]] for p in pages]
    body = {
        "sheets": sheets,
        "understood": {
            "tables": [_table(one) for one in understood.tables],
            "beside": understood.beside,
            "questions": understood.questions,
            "answered": understood.answered,
            "more": understood.more,
            "decimal": understood.marks.decimal,
            "tops": tops,
            "answers": answers,
            "recalled": recalled_from,
            "first": [[p.name, [row[:MOST_WIDE] for row in p.rows[:12]]] for p in pages]
            if not understood.tables
            else [],
        },
    }
    return orjson.dumps(body, option=orjson.OPT_NON_STR_KEYS)


def _table(one: Any) -> dict[str, Any]:
    table, rows = one.table, one.rows
    return {
        "sheet": table.sheet,
        "name": table.name,
        "heads": [table.heads.start, table.heads.stop],
        "data": [table.data.start, table.data.stop],
        "columns": one.columns,
        "numbers": rows.numbers,
        "fields": rows.fields,
        "doubts": {str(number): some for number, some in rows.doubts.items()},
        "out": rows.out,
    }


if __name__ == "__main__":
    _child()
