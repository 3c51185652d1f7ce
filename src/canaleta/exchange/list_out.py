"""The list as CSV or as a workbook: what is shown or all of it, with findings and spares on sheets of their own.

Workbooks are written in a child process (`python -m canaleta.exchange.list_out`), so that a long one holds up nobody.
"""

from __future__ import annotations

import csv
import io
import re
import subprocess
import sys
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
import orjson

from canaleta.core.fields import FIELDS, Field, Kind, field_named
from canaleta.core.follows import FOLLOWING, followed_by
from canaleta.core.image import PlantImage
from canaleta.plant.findings import accepted

__all__ = [
    "Sheet",
    "as_csv",
    "as_workbook",
    "every_field",
    "findings_sheet",
    "list_sheet",
    "spares_sheet",
    "temporary_sheet",
    "told",
]

_NUMBER = re.compile(r"-?\d{1,15}(\.\d{1,15})?")
_COMPUTED = ("=", "+", "-", "@")


@dataclass(frozen=True)
class Sheet:
    """A sheet: heads of columns, their group above, widths in characters, and rows of texts. figures: columns of numbers."""

    name: str
    groups: Sequence[str]
    heads: Sequence[str]
    widths: Sequence[int]
    figures: Sequence[bool]
    rows: Sequence[Sequence[str]]


def every_field() -> list[str]:
    """Every column that the list has, but the live value and the checks."""
    return [f.name for f in FIELDS if f.kind not in (Kind.LIVE, Kind.CHECKS)]


def list_sheet(
    image: PlantImage,
    names: Sequence[str],
    points: Sequence[int] | None,
    findings: Mapping[int, Sequence[str]],
    live: Mapping[int, str],
) -> Sheet:
    """The list with some columns and rows. findings, live: what stands in those two columns, by point."""
    fields = [field_named(name) for name in names]
    rows = (
        np.arange(len(image))
        if points is None
        else np.array([image.row_of(p) for p in points if image.has(p)], dtype=np.int64)
    )
    reads = {column.reads for column in FOLLOWING if column.name in names}
    follows = followed_by(image, reads, rows.tolist())
    columns: list[Sequence[str]] = []
    for field in fields:
        if field.kind is Kind.FOLLOWS:
            columns.append(follows[field.name])
        elif field.kind is Kind.LIVE:
            columns.append([live.get(int(p), "") for p in image.ids[rows]])
        elif field.kind is Kind.CHECKS:
            columns.append(["; ".join(findings.get(int(p), ())) for p in image.ids[rows]])
        else:
            columns.append([image.text(field.name, row) for row in rows.tolist()])
    return Sheet(
        "list",
        [field.station.value for field in fields],
        [_head(field) for field in fields],
        [max(8, min(60, field.width // 6)) for field in fields],
        [field.kind in (Kind.NUMBER, Kind.WHOLE) for field in fields],
        list(zip(*columns, strict=True)) if columns else [],
    )


def findings_sheet(image: PlantImage, bodies: Iterable[Mapping[str, Any]]) -> Sheet:
    """Every finding, a row for each point it names, with who accepted it and why."""
    rows = []
    for body in bodies:
        for point in dict.fromkeys(cell["point"] for cell in body["cells"]):
            tag = image.label(image.row_of(point)) if image.has(point) else ""
            waived = body["waived"] if accepted(body) else None
            because = (waived["reason"], waived["who"], waived["at"][:10]) if waived else ("", "", "")
            rows.append((tag, body["rule"], body["severity"], body["station"], body["text"], *because))
        if not body["cells"]:
            rows.append(("", body["rule"], body["severity"], body["station"], body["text"], "", "", ""))
    heads = ["tag", "rule", "how bad", "station", "finding", "accepted because", "by", "on"]
    return Sheet("findings", [""] * 8, heads, [14, 8, 10, 10, 100, 40, 14, 12], [False] * 8, rows)


def told(body: Mapping[str, Any]) -> str:
    """A finding as it is printed with the list: with what it was accepted for, where it was."""
    if not accepted(body):
        return str(body["text"])
    return f"{body['text']} (accepted by {body['waived']['who']}: {body['waived']['reason']})"


def spares_sheet(image: PlantImage, spares: Iterable[tuple[str, str, str]]) -> Sheet:
    """Channels without a device: (address, kind of module, free or spare or wired spare)."""
    return Sheet("spares", [""] * 3, ["channel", "module", "spare"], [18, 30, 14], [False] * 3, list(spares))


def temporary_sheet(image: PlantImage, open_: Iterable[Any]) -> Sheet:
    """What is changed for a while and not put back yet, forces first: a list is not to be read without them."""
    rows = [
        (x.kind, image.label(image.row_of(x.point)) if image.has(x.point) else "gone", x.what, x.why, x.who,
         f"{x.at:%Y-%m-%d %H:%M}", f"{x.due:%Y-%m-%d %H:%M}" if x.due else "")
        for x in sorted(open_, key=lambda x: (x.kind not in ("force", "substitute here"), x.at))
    ]  # fmt: skip
    heads = ["kind", "tag", "what", "why", "by", "since, UTC", "due, UTC"]
    return Sheet("temporary changes", [""] * 7, heads, [22, 14, 50, 40, 14, 18, 18], [False] * 7, rows)


def _head(field: Field) -> str:
    return f"{field.label} [{field.unit}]" if field.unit else field.label


def as_csv(sheet: Sheet) -> bytes:
    """A sheet as CSV in UTF-8, with stations in its heads. What a spreadsheet would compute is kept from it."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow([f"{group} {head}".strip() for group, head in zip(sheet.groups, sheet.heads, strict=True)])
    for row in sheet.rows:
        writer.writerow([_plain(text) for text in row])
    return b"\xef\xbb\xbf" + out.getvalue().encode()


def _plain(text: str) -> str:
    return f"'{text}" if text[:1] in _COMPUTED and not _NUMBER.fullmatch(text) else text


def as_workbook(sheets: Sequence[Sheet]) -> bytes:
    """Sheets as a workbook: frozen heads, filters, figures as figures with the decimals they were typed with."""
    body = orjson.dumps([sheet.__dict__ for sheet in sheets])
    done = subprocess.run(
        [sys.executable, "-m", "canaleta.exchange.list_out"], input=body, capture_output=True, check=False
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
                if figures[column] and _NUMBER.fullmatch(text):
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
