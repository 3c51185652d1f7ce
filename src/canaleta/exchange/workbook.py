"""Sheets as a workbook, written in a child process, so that a long one holds up nobody.

This module is that child as well (`python -m canaleta.exchange.workbook`): it takes in nothing of the house, or each
workbook would begin with two seconds of loading it.
"""

from __future__ import annotations

import io
import subprocess
import sys
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import orjson

from canaleta.core.notation.patterns import compiled

__all__ = ["NUMBER", "Sheet", "as_workbook"]

NUMBER = compiled(r"-?\d{1,15}(\.\d{1,15})?")
"""A text that a workbook holds as a figure without losing a digit."""


@dataclass(frozen=True)
class Sheet:
    """A sheet: heads of columns, their group above, widths in characters, and rows of texts. figures: columns of
    numbers."""

    name: str
    groups: Sequence[str]
    heads: Sequence[str]
    widths: Sequence[int]
    figures: Sequence[bool]
    rows: Sequence[Sequence[str]]


def as_workbook(sheets: Sequence[Sheet]) -> bytes:
    """Sheets as a workbook: frozen heads, filters, figures as figures with the decimals they were typed with."""
    body = orjson.dumps([sheet.__dict__ for sheet in sheets])
    done = subprocess.run(
        [sys.executable, "-m", "canaleta.exchange.workbook"], input=body, capture_output=True, check=False
    )
    if done.returncode:
        raise RuntimeError(f"the workbook could not be written: {done.stderr.decode()[-300:]}")
    return done.stdout


def _write(sheets: Sequence[Mapping[str, Any]]) -> bytes:
    import xlsxwriter

    out = io.BytesIO()
    book = xlsxwriter.Workbook(out, {"constant_memory": True, "strings_to_formulas": False, "strings_to_urls": False})
    bold = book.add_format({"bold": True, "bottom": 1})
    formats: dict[int, Any] = {}
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
        figures = sheet["figures"]
        for number, row in enumerate(sheet["rows"], start=heads):
            for column, text in enumerate(row):
                if not text:
                    continue
                if figures[column] and NUMBER.fullmatch(text):
                    decimals = len(text.partition(".")[2])
                    if decimals not in formats:
                        formats[decimals] = book.add_format(
                            {"num_format": "0" + (f".{'0' * decimals}" if decimals else "")}
                        )
                    page.write_number(number, column, float(text), formats[decimals])
                else:
                    page.write_string(number, column, text)
        page.autofilter(heads - 1, 0, max(heads, heads + len(sheet["rows"]) - 1), max(0, len(sheet["heads"]) - 1))
    book.close()
    return out.getvalue()


if __name__ == "__main__":
    sys.stdout.buffer.write(_write(orjson.loads(sys.stdin.buffer.read())))
