"""The dossier as a folder: the document as JSON, its parts as CSV, the photos, and a signed list of what every file hashes to."""

from __future__ import annotations

import csv
import hashlib
import io
import json
import zipfile
from collections.abc import Iterable, Iterator, Mapping, Sequence
from pathlib import Path
from typing import Any

from canaleta.certificates import Certificate
from canaleta.core.notation.text import begins_formula
from canaleta.exchange.dossier.gather import Dossier
from canaleta.exchange.dossier.pdf import ATTACHED, PHOTO_NAME
from canaleta.exchange.dossier.seal import seal_manifest

__all__ = ["CERTIFICATE", "MANIFEST", "SIGNATURE", "files_of", "write_folder", "write_zip"]

MANIFEST, SIGNATURE, CERTIFICATE = "manifest.json", "manifest.sig", "seal.pem"


def files_of(dossier: Dossier, seal: Certificate) -> Iterator[tuple[str, bytes]]:
    """(name, content) of every file of the folder, the signed manifest last."""
    hashed: dict[str, str] = {}
    for name, content in _contents(dossier):
        hashed[name] = hashlib.sha256(content).hexdigest()
        yield name, content
    manifest = json.dumps(hashed, indent=1, sort_keys=True).encode()
    yield MANIFEST, manifest
    yield SIGNATURE, seal_manifest(manifest, seal)
    yield CERTIFICATE, seal.certificate.encode("ascii")


def write_folder(dossier: Dossier, seal: Certificate, folder: Path) -> None:
    """Write the folder. Raises FileExistsError where there is one: nothing is written over."""
    folder.mkdir(parents=True)
    for name, content in files_of(dossier, seal):
        (folder / name).parent.mkdir(exist_ok=True)
        (folder / name).write_bytes(content)


def write_zip(dossier: Dossier, seal: Certificate, file: Path) -> None:
    """The same as one ZIP file."""
    with zipfile.ZipFile(file, "w", zipfile.ZIP_DEFLATED) as packed:
        for name, content in files_of(dossier, seal):
            kind = zipfile.ZIP_STORED if name.endswith(".jpg") else zipfile.ZIP_DEFLATED
            packed.writestr(name, content, kind)


def _contents(dossier: Dossier) -> Iterator[tuple[str, bytes]]:
    document = dossier.document
    yield ATTACHED, json.dumps(document, ensure_ascii=False, indent=1, sort_keys=True).encode()
    names = sorted({name for p in document["points"] for name in p["cells"]})
    yield (
        "points.csv",
        _csv(["id", *names], ([p["id"], *(p["cells"].get(n, "") for n in names)] for p in document["points"])),
    )
    for part, columns in (
        ("records", ("id", "at", "kind", "point", "who", "name", "verdict", "hash")),
        ("punches", ("id", "at", "point", "place", "severity", "what", "owner", "who", "state", "cleared_at", "cleared_by", "cleared_how", "closed_at", "closed_by", "closed_how", "photo")),
        ("temporary", ("id", "at", "kind", "point", "what", "why", "who", "ended_at", "ended_by", "ended_why")),
        ("instruments", ("name", "make", "serial", "due", "certificate")),
        ("findings", ("rule", "severity", "tags", "text", "accepted")),
    ):  # fmt: skip
        yield f"{part}.csv", _csv(columns, ([_cell(x.get(c)) for c in columns] for x in document[part]))
    yield (
        "readings.csv",
        _csv(("record", "step", "put on", "process", "signal", "counts", "value"), _readings(document["records"])),
    )
    for key, raw in dossier.photos.items():
        yield f"photos/{PHOTO_NAME.format(key)}", raw


def _readings(records: Iterable[Mapping[str, Any]]) -> Iterator[list[Any]]:
    for record in records:
        rows = (record["body"].get("table") or {}).get("rows", [])
        for k, read in enumerate(record["body"].get("readings", [])):
            put_on = rows[k][1] if k < len(rows) and len(rows[k]) > 1 else ""
            yield [
                record["id"],
                k + 1,
                put_on,
                *(_cell(read.get(n)) for n in ("process", "signal", "counts", "value")),
            ]


def _cell(value: Any) -> Any:
    if value is None:
        return ""
    if isinstance(value, dict):
        return "; ".join(f"{k}: {v}" for k, v in value.items())
    return ", ".join(map(str, value)) if isinstance(value, list) else value


def _csv(head: Sequence[str], rows: Iterable[Sequence[Any]]) -> bytes:
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(head)
    for row in rows:
        # What a spreadsheet would take for a formula is kept from being one.
        writer.writerow([f"'{c}" if isinstance(c, str) and begins_formula(c) else c for c in row])
    return out.getvalue().encode("utf-8-sig")
