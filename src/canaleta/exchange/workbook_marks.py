"""What a workbook says of its cells beside their values: formulas that failed or hold no value, shares shown as percent.

A reader of values shows an error as nothing and 50 % as 0.5; both would be silently wrong. The parts of the archive are
looked through as they are, in time that grows with their length.
"""

from __future__ import annotations

import io
import posixpath
import zipfile
from collections.abc import Mapping
from dataclasses import dataclass, field

import re2
from defusedxml import ElementTree

__all__ = ["Marked", "marked_cells"]

_MAIN = "{http://schemas.openxmlformats.org/spreadsheetml/2006/main}"
_TIE = "{http://schemas.openxmlformats.org/officeDocument/2006/relationships}id"
_ERROR = re2.compile(rb'<c r="([A-Z]+)(\d+)"[^>]* t="e"[^>]*>(?:<f[^>]*/>|<f[^>]*>[^<]*</f>)?<v>([^<]{1,20})</v>')
_NO_VALUE = re2.compile(rb'<c r="([A-Z]+)(\d+)"[^>]*>(?:<f[^>]*/>|<f[^>]*>[^<]*</f>)</c>')
MOST_PART = 120 * 1024 * 1024
MOST_MARKED = 200_000
NO_VALUE = "#N/A"


@dataclass
class Marked:
    """Cells of a sheet, (row, column) from 0. texts: what stands in those whose formula gave nothing."""

    texts: dict[tuple[int, int], str] = field(default_factory=dict)
    percents: list[tuple[int, int]] = field(default_factory=list)


def marked_cells(data: bytes) -> Mapping[str, Marked]:
    """{sheet: its marked cells} of a workbook in Open XML; {} for others, and where its parts cannot be followed."""
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as packed:
            return _marked(packed)
    except (KeyError, ValueError, zipfile.BadZipFile, ElementTree.ParseError, OSError, EOFError, RuntimeError):
        return {}


def _marked(packed: zipfile.ZipFile) -> Mapping[str, Marked]:
    names = set(packed.namelist())
    if "xl/workbook.xml" not in names:
        return {}
    book = ElementTree.fromstring(packed.read("xl/workbook.xml"))
    ties = ElementTree.fromstring(packed.read("xl/_rels/workbook.xml.rels"))
    parts = {tie.get("Id"): tie.get("Target", "") for tie in ties}
    percent = _percent_styles(packed) if "xl/styles.xml" in names else []
    shown = None
    if percent:
        styles = "|".join(str(style) for style in percent).encode()
        shown = re2.compile(rb'<c r="([A-Z]+)(\d+)" s="(?:' + styles + rb')"(?: t="n")?>')
    out = {}
    for sheet in book.iter(f"{_MAIN}sheet"):
        part = posixpath.normpath(
            posixpath.join("xl", parts.get(sheet.get(_TIE), "").lstrip("/").removeprefix("xl/"))
        )
        if part not in names or packed.getinfo(part).file_size > MOST_PART:
            continue
        text = packed.read(part)
        found = Marked()
        if b't="e"' in text:
            for letters, row, says in _ERROR.findall(text)[:MOST_MARKED]:
                found.texts[int(row) - 1, _column(letters)] = says.decode("utf-8", errors="replace")
        if b"<f" in text:
            for letters, row in _NO_VALUE.findall(text)[:MOST_MARKED]:
                found.texts[int(row) - 1, _column(letters)] = NO_VALUE
        if shown is not None:
            found.percents = [(int(row) - 1, _column(letters)) for letters, row in shown.findall(text)[:MOST_MARKED]]
        if found.texts or found.percents:
            out[sheet.get("name", "")] = found
    return out


def _percent_styles(packed: zipfile.ZipFile) -> list[int]:
    """The numbers of the cell styles that show a share as percent."""
    styles = ElementTree.fromstring(packed.read("xl/styles.xml"))
    formats = {9, 10} | {
        int(one.get("numFmtId", 0)) for one in styles.iter(f"{_MAIN}numFmt") if "%" in one.get("formatCode", "")
    }
    cells = styles.find(f"{_MAIN}cellXfs")
    return [n for n, one in enumerate(cells if cells is not None else ()) if int(one.get("numFmtId", 0)) in formats]


def _column(letters: bytes) -> int:
    number = 0
    for letter in letters:
        number = number * 26 + letter - 64
    return number - 1
