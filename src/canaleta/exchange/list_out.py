"""The list as it is handed out: what is shown or all of it as a sheet, findings and spares on sheets of their own."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Iterator, Mapping, Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from canaleta.core.model.fields import FIELDS, Field, Kind, field_named
from canaleta.core.model.image import PlantImage
from canaleta.core.notation.text import begins_formula
from canaleta.core.sheet.follows import FOLLOWING, followed_by
from canaleta.exchange.workbook import BLOCK, NUMBER, Sheet
from canaleta.plant.records.findings import accepted

__all__ = [
    "as_csv",
    "every_field",
    "findings_sheet",
    "list_sheet",
    "spares_sheet",
    "temporary_sheet",
    "told",
]


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
    """The list with some columns and rows, written out as its rows are taken. findings, live: what stands in those two
    columns, by point."""
    fields = [field_named(name) for name in names]
    rows = (
        np.arange(len(image))
        if points is None
        else np.array([image.row_of(p) for p in points if image.has(p)], dtype=np.int64)
    )
    return Sheet(
        "list",
        [field.station.value for field in fields],
        [_head(field) for field in fields],
        [max(8, min(60, field.width // 6)) for field in fields],
        [field.kind in (Kind.NUMBER, Kind.WHOLE) for field in fields],
        _rows(image, fields, rows, findings, live),
    )


def _rows(
    image: PlantImage,
    fields: Sequence[Field],
    rows: NDArray[np.int64],
    findings: Mapping[int, Sequence[str]],
    live: Mapping[int, str],
) -> Iterator[Sequence[str]]:
    """Rows of texts, some at a time: nobody holds all of them."""
    reads = {column.reads for column in FOLLOWING if column.name in {field.name for field in fields}}
    follows = followed_by(image, reads, rows.tolist())
    for start in range(0, len(rows), BLOCK):
        some = rows[start : start + BLOCK]
        columns: list[Sequence[str]] = []
        for field in fields:
            if field.kind is Kind.FOLLOWS:
                columns.append(follows[field.name][start : start + BLOCK])
            elif field.kind is Kind.LIVE:
                columns.append([live.get(int(p), "") for p in image.ids[some]])
            elif field.kind is Kind.CHECKS:
                columns.append(["; ".join(findings.get(int(p), ())) for p in image.ids[some]])
            else:
                columns.append(image.texts(field.name, some))
        yield from zip(*columns, strict=True) if columns else ()


def findings_sheet(image: PlantImage, bodies: Iterable[Mapping[str, Any]]) -> Sheet:
    """Every finding, a row for each point it names, with who accepted it and why; taken as they come."""
    heads = ["tag", "rule", "how bad", "station", "finding", "accepted because", "by", "on"]
    return Sheet("findings", [""] * 8, heads, [14, 8, 10, 10, 100, 40, 14, 12], [False] * 8, _found(image, bodies))


def _found(image: PlantImage, bodies: Iterable[Mapping[str, Any]]) -> Iterator[Sequence[str]]:
    for body in bodies:
        waived = body["waived"] if accepted(body) else None
        because = (waived["reason"], waived["who"], waived["at"][:10]) if waived else ("", "", "")
        points = dict.fromkeys(cell["point"] for cell in body["cells"])
        tags = [image.label(image.row_of(point)) if image.has(point) else "" for point in points] or [""]
        for tag in tags:
            yield (tag, body["rule"], body["severity"], body["station"], body["text"], *because)


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
        (
            x.kind,
            image.label(image.row_of(x.point)) if image.has(x.point) else "gone",
            x.what,
            x.why,
            x.who,
            f"{x.at:%Y-%m-%d %H:%M}",
            f"{x.due:%Y-%m-%d %H:%M}" if x.due else "",
        )
        for x in sorted(open_, key=lambda x: (x.kind not in ("force", "substitute here"), x.at))
    ]
    heads = ["kind", "tag", "what", "why", "by", "since, UTC", "due, UTC"]
    return Sheet("temporary changes", [""] * 7, heads, [22, 14, 50, 40, 14, 18, 18], [False] * 7, rows)


def _head(field: Field) -> str:
    return f"{field.label} [{field.unit}]" if field.unit else field.label


def as_csv(sheet: Sheet) -> Iterator[bytes]:
    """A sheet as CSV in UTF-8, with stations in its heads, piece by piece. What a spreadsheet would compute is kept from
    it."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow([f"{group} {head}".strip() for group, head in zip(sheet.groups, sheet.heads, strict=True)])
    yield b"\xef\xbb\xbf"
    for number, row in enumerate(sheet.rows):
        writer.writerow([_plain(text) if begins_formula(text) else text for text in row])
        if number % BLOCK == BLOCK - 1:
            yield out.getvalue().encode()
            out.seek(0)
            out.truncate()
    yield out.getvalue().encode()


def _plain(text: str) -> str:
    """What begins as a formula does, kept from being one; numbers below zero stay numbers."""
    return text if NUMBER.fullmatch(text) else f"'{text}"
