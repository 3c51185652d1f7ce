"""Sheets as a workbook, written row by row as they come, in a child process: a long one holds up nobody, and nobody
holds all of it.

This module is that child as well (`python -m canaleta.exchange.workbook`): it takes in nothing of the house, or each
workbook would begin with two seconds of loading it. A line of JSON says what the sheets are; then each line is a block
of rows, and an empty line ends a sheet. What comes out is the workbook, from its first byte on.

XlsxWriter makes everything of a workbook but the rows (docs/decisions/0034): it took three quarters of the time to write
them cell by cell.
"""

from __future__ import annotations

import contextlib
import io
import subprocess
import sys
import threading
import zipfile
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import IO, Any, Literal
from xml.sax.saxutils import escape

import orjson

from canaleta.core.notation.patterns import compiled

__all__ = ["BLOCK", "NUMBER", "Form", "Sheet", "as_workbook", "streamed_workbook"]

NUMBER = compiled(r"-?\d{1,15}(\.\d{1,15})?")
"""A text that a workbook holds as a figure without losing a digit."""
BLOCK = 1000
"""Rows that are handed over at once."""
MOST_DECIMALS = 15
Form = Literal["xlsx", "ods"]


@dataclass(frozen=True)
class Sheet:
    """A sheet: heads of columns, their group above, widths in characters, and rows of texts. figures: columns of
    numbers. rows may come one by one, and are taken once."""

    name: str
    groups: Sequence[str]
    heads: Sequence[str]
    widths: Sequence[int]
    figures: Sequence[bool]
    rows: Iterable[Sequence[str]]


def as_workbook(sheets: Sequence[Sheet], form: Form = "xlsx") -> bytes:
    """Sheets as a workbook: frozen heads, filters, figures as figures with the decimals they were typed with."""
    return b"".join(streamed_workbook(sheets, form))


def streamed_workbook(sheets: Sequence[Sheet], form: Form = "xlsx") -> Iterator[bytes]:
    """A workbook piece by piece. Raises RuntimeError if it cannot be written."""
    child = subprocess.Popen(
        [sys.executable, "-m", "canaleta.exchange.workbook"],
        stdin=subprocess.PIPE,
        stdout=subprocess.PIPE,
        stderr=subprocess.PIPE,
    )
    assert child.stdin
    assert child.stdout
    assert child.stderr
    failed: list[BaseException] = []

    def feed(into: IO[bytes]) -> None:
        try:
            _feed(into, sheets, form)
        except BrokenPipeError:
            return
        except BaseException as error:  # noqa: BLE001 - told to the one who reads
            failed.append(error)
            child.kill()
        finally:
            with contextlib.suppress(OSError):
                into.close()

    threading.Thread(target=feed, args=(child.stdin,), name="workbook", daemon=True).start()
    try:
        while piece := child.stdout.read(1 << 16):
            yield piece
        says = child.stderr.read().decode(errors="replace")
        if failed:
            raise failed[0]
        if child.wait():
            raise RuntimeError(f"the workbook could not be written: {says[-300:]}")
    finally:
        child.kill()
        child.stdout.close()
        child.stderr.close()
        child.wait()


def _feed(into: IO[bytes], sheets: Sequence[Sheet], form: Form) -> None:
    told = [
        {
            "name": s.name,
            "groups": list(s.groups),
            "heads": list(s.heads),
            "widths": list(s.widths),
            "figures": list(s.figures),
        }
        for s in sheets
    ]
    into.write(orjson.dumps({"form": form, "sheets": told}) + b"\n")
    for sheet in sheets:
        block: list[Sequence[str]] = []
        for row in sheet.rows:
            block.append(row)
            if len(block) == BLOCK:
                into.write(orjson.dumps(block) + b"\n")
                block = []
        if block:
            into.write(orjson.dumps(block) + b"\n")
        into.write(b"\n")
    into.flush()


# The child -------------------------------------------------------------------------------------------

_NOT_IN_XML = dict.fromkeys((*range(9), 11, 12, *range(14, 32), *range(0xD800, 0xE000), 0xFFFE, 0xFFFF))
"""Characters that XML does not have."""
_DIMENSION = compiled(r"<dimension[^>]*/>")
_FILTER = compiled(r'<autoFilter ref="[^"]*"')
_STYLE = compiled(r'<c r="[A-Z]+\d+" s="(\d+)"')


def _letters(column: int) -> str:
    out, column = "", column + 1
    while column:
        column, rest = divmod(column - 1, 26)
        out = chr(65 + rest) + out
    return out


def _plain(text: str) -> str:
    return escape(text.translate(_NOT_IN_XML))


def _blocks(source: IO[bytes]) -> Iterator[list[list[str]]]:
    """The blocks of one sheet."""
    while (line := source.readline()) and line != b"\n":
        yield orjson.loads(line)


class _Cells(dict[str, str]):
    """What stands behind the place of a cell, for each text of a column, written once."""

    def __init__(self, write: Callable[[str], str]) -> None:
        super().__init__()
        self._write = write

    def __missing__(self, text: str) -> str:
        made = self._write(text)
        if len(self) < 200_000:
            self[text] = made
        return made


def _xlsx(sheets: Sequence[Mapping[str, Any]], source: IO[bytes], out: IO[bytes]) -> None:
    skeleton, styles = _skeleton(sheets)
    with (
        zipfile.ZipFile(io.BytesIO(skeleton)) as parts,
        zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED, compresslevel=1) as packed,
    ):
        names = [f"xl/worksheets/sheet{n}.xml" for n in range(1, len(sheets) + 1)]
        for name in parts.namelist():
            if name not in names:
                packed.writestr(name, parts.read(name))
        for sheet, name in zip(sheets, names, strict=True):
            before, after = parts.read(name).decode().split("</sheetData>")
            heads = 2 if any(sheet["groups"]) else 1
            # The row of samples that made the styles goes.
            before = before[: before.index(f'<row r="{heads + 1}"')]
            before = _DIMENSION.sub("", before)
            with packed.open(name, "w", force_zip64=True) as page:
                page.write(before.encode())
                count = _xlsx_rows(sheet, styles, heads, source, page)
                last = f"{_letters(max(0, len(sheet['heads']) - 1))}{max(heads + 1, heads + count)}"
                after = _FILTER.sub(f'<autoFilter ref="A{heads}:{last}"', after)
                page.write(b"</sheetData>" + after.encode())


def _xlsx_rows(
    sheet: Mapping[str, Any], styles: Sequence[str], heads: int, source: IO[bytes], page: IO[bytes]
) -> int:
    def text_cell(text: str) -> str:
        keep = ' xml:space="preserve"' if text != text.strip() else ""
        return f'" t="inlineStr"><is><t{keep}>{_plain(text)}</t></is></c>'

    def figure_cell(text: str) -> str:
        if not NUMBER.fullmatch(text):
            return text_cell(text)
        return f'" s="{styles[min(MOST_DECIMALS, len(text.partition(".")[2]))]}"><v>{float(text)!r}</v></c>'

    columns = [
        (f'<c r="{_letters(at)}', _Cells(figure_cell if figures else text_cell))
        for at, figures in enumerate(sheet["figures"])
    ]
    number = heads
    for block in _blocks(source):
        rows = []
        for row in block:
            number += 1
            cells = [
                f"{place}{number}{tails[text]}" for (place, tails), text in zip(columns, row, strict=True) if text
            ]
            rows.append(f'<row r="{number}">{"".join(cells)}</row>')
        page.write("".join(rows).encode())
    return number - heads


def _skeleton(sheets: Sequence[Mapping[str, Any]]) -> tuple[bytes, list[str]]:
    """A workbook with heads and no rows, and the number of the style for each count of decimals."""
    import xlsxwriter

    out = io.BytesIO()
    book = xlsxwriter.Workbook(out, {"in_memory": True, "strings_to_formulas": False, "strings_to_urls": False})
    bold = book.add_format({"bold": True, "bottom": 1})
    figures = [
        book.add_format({"num_format": "0" + (f".{'0' * decimals}" if decimals else "")})
        for decimals in range(MOST_DECIMALS + 1)
    ]
    for sheet in sheets:
        page = book.add_worksheet(sheet["name"])
        heads = 2 if any(sheet["groups"]) else 1
        page.freeze_panes(heads, 1)
        for column, width in enumerate(sheet["widths"]):
            page.set_column(column, column, width)
        if heads == 2:
            for column, group in enumerate(sheet["groups"]):
                page.write_string(0, column, group, bold)
        for column, head in enumerate(sheet["heads"]):
            page.write_string(heads - 1, column, head, bold)
        for column, style in enumerate(figures):
            page.write_number(heads, column, 0, style)
        page.autofilter(heads - 1, 0, heads, max(0, len(sheet["heads"]) - 1))
    book.close()
    data = out.getvalue()
    with zipfile.ZipFile(io.BytesIO(data)) as parts:
        first = parts.read("xl/worksheets/sheet1.xml").decode()
    samples = first[first.rindex("<row ") :]
    return data, _STYLE.findall(samples)


_ODS_HEAD = (
    '<?xml version="1.0" encoding="UTF-8"?><office:document-content'
    ' xmlns:office="urn:oasis:names:tc:opendocument:xmlns:office:1.0"'
    ' xmlns:table="urn:oasis:names:tc:opendocument:xmlns:table:1.0"'
    ' xmlns:text="urn:oasis:names:tc:opendocument:xmlns:text:1.0" office:version="1.2">'
    "<office:body><office:spreadsheet>"
)
_ODS_PARTS = {
    "META-INF/manifest.xml": '<?xml version="1.0" encoding="UTF-8"?><manifest:manifest'
    ' xmlns:manifest="urn:oasis:names:tc:opendocument:xmlns:manifest:1.0" manifest:version="1.2">'
    '<manifest:file-entry manifest:full-path="/" manifest:media-type="application/vnd.oasis.opendocument.spreadsheet"/>'
    '<manifest:file-entry manifest:full-path="content.xml" manifest:media-type="text/xml"/></manifest:manifest>',
}


def _ods(sheets: Sequence[Mapping[str, Any]], source: IO[bytes], out: IO[bytes]) -> None:
    """OpenDocument: its kind first and unpacked, as the standard wants it; the sheets one behind the other."""
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED, compresslevel=1) as packed:
        kind = "application/vnd.oasis.opendocument.spreadsheet"
        packed.writestr(zipfile.ZipInfo("mimetype"), kind, zipfile.ZIP_STORED)
        for name, text in _ODS_PARTS.items():
            packed.writestr(name, text)
        with packed.open("content.xml", "w", force_zip64=True) as page:
            page.write(_ODS_HEAD.encode())
            for sheet in sheets:
                page.write(f'<table:table table:name="{_plain(sheet["name"])}">'.encode())
                heads = [sheet["groups"], sheet["heads"]] if any(sheet["groups"]) else [sheet["heads"]]
                texts = _Cells(_ods_text)
                page.write("".join(_ods_row([texts] * len(row), row) for row in heads).encode())
                columns = [_Cells(_ods_figure if figures else _ods_text) for figures in sheet["figures"]]
                for block in _blocks(source):
                    page.write("".join(_ods_row(columns, row) for row in block).encode())
                page.write(b"</table:table>")
            page.write(b"</office:spreadsheet></office:body></office:document-content>")


def _ods_row(columns: Sequence[_Cells], row: Sequence[str]) -> str:
    return (
        f"<table:table-row>{''.join(tails[text] for tails, text in zip(columns, row, strict=True))}</table:table-row>"
    )


def _ods_text(text: str) -> str:
    if not text:
        return "<table:table-cell/>"
    return f'<table:table-cell office:value-type="string"><text:p>{_plain(text)}</text:p></table:table-cell>'


def _ods_figure(text: str) -> str:
    if not NUMBER.fullmatch(text):
        return _ods_text(text)
    return f'<table:table-cell office:value-type="float" office:value="{text}"><text:p>{text}</text:p></table:table-cell>'


class _Forward(io.RawIOBase):
    """Standard output as something that is written once, from its first byte to its last."""

    def __init__(self, out: IO[bytes]) -> None:
        self._out = out

    def writable(self) -> bool:
        return True

    def seekable(self) -> bool:
        return False

    def write(self, data: Any) -> int:
        return self._out.write(data)


def _child() -> None:
    wish = orjson.loads(sys.stdin.buffer.readline())
    write = _ods if wish["form"] == "ods" else _xlsx
    write(wish["sheets"], sys.stdin.buffer, _Forward(sys.stdout.buffer))  # type: ignore[arg-type]
    sys.stdout.buffer.flush()


if __name__ == "__main__":
    _child()
