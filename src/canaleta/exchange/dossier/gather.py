"""All that a dossier holds, as one document: points as the list has them, how far they came, what was signed of them, with which
instruments, what is still to be mended, what was changed for a while, which findings were accepted and why."""

from __future__ import annotations

import base64
import binascii
import hashlib
import tempfile
from collections.abc import Iterator, Mapping, MutableMapping
from dataclasses import asdict, dataclass
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from sqlalchemy import ARRAY, BigInteger, Connection, cast, func, or_, select

from canaleta.core.checks.ladder import Rung
from canaleta.core.model.image import PlantImage
from canaleta.plant.changes.revisions import changed_since, document_of, points_of, revisions
from canaleta.plant.checks import evidence, punches
from canaleta.plant.checks.evidence import WHOLE, Countersignature, Evidence, digest
from canaleta.plant.database import tables as t
from canaleta.plant.live import temporary
from canaleta.plant.records.findings import accepted, stored_findings
from canaleta.plant.records.instruments import instruments
from canaleta.plant.records.plant import plant_name

__all__ = ["FORMAT", "VERSION", "Dossier", "Photos", "gathered", "record_of", "record_sound", "signature_sound"]

FORMAT, VERSION = "canaleta dossier", 1
SCRIPT = "script"
PHOTO = "photo_sha256"
"""Stands in a record's body for its photo, which is a file of its own beside the document."""


class Photos(MutableMapping[str, bytes]):
    """Photos by their SHA-256, on disk until they are asked for: three hundred of them are a hundred megabytes."""

    def __init__(self) -> None:
        self._folder = tempfile.TemporaryDirectory(prefix="canaleta-photos-")
        self._known: dict[str, None] = {}

    def __getitem__(self, key: str) -> bytes:
        if key not in self._known:
            raise KeyError(key)
        return (Path(self._folder.name) / key).read_bytes()

    def __setitem__(self, key: str, raw: bytes) -> None:
        (Path(self._folder.name) / key).write_bytes(raw)
        self._known[key] = None

    def __delitem__(self, key: str) -> None:
        del self._known[key]

    def __iter__(self) -> Iterator[str]:
        return iter(self._known)

    def __len__(self) -> int:
        return len(self._known)


@dataclass(frozen=True)
class Dossier:
    """The document, and photos by their SHA-256."""

    document: dict[str, Any]
    photos: Mapping[str, bytes]


def gathered(
    connection: Connection, image: PlantImage, system: str, who: str, name: str, photos: Photos | None = None
) -> Dossier:
    """A dossier of one system, or of the whole plant where system is "". who, name: who makes it; photos: where
    they are put. Raises LookupError where no
    point belongs to the system."""
    rows = [row for row in range(len(image)) if not system or image.text("system", row) == system]
    if not rows:
        raise LookupError(f"no point belongs to the system “{system}”" if system else "the list is empty")
    points = [int(image.ids[row]) for row in rows]
    photos = Photos() if photos is None else photos
    records = _records(connection, points, photos)
    issue = next((r for r in revisions(connection) if r.state == "issued"), None)
    issued = points_of(document_of(connection, issue.id)) if issue is not None else None
    plant = plant_name(connection)
    document: dict[str, Any] = {
        "format": FORMAT, "version": VERSION, "plant": plant, "system": system, "made_by": who, "name": name,
        "made_at": datetime.now(UTC).isoformat(), "seq": image.seq,
        "issue": None if issue is None else {
            "mark": issue.mark, "seq": issue.seq, "hash": issue.hash, "at": issue.at, "note": issue.note,
            "signatures": [asdict(s) for s in issue.signatures],
            "points_changed_since": changed_since(connection, issue.seq),
        },
        "points": _points(connection, image, rows, issued),
        "records": records,
        "instruments": [one.body() for one in instruments(connection)],
        "punches": _punches(connection, set(points), photos, whole=not system),
        "temporary": _temporary(connection, set(points)),
        "findings": _findings(connection, image, set(points)),
    }  # fmt: skip
    return Dossier(document, photos)


def _points(
    connection: Connection, image: PlantImage, rows: list[int], issued: Mapping[int, Mapping[str, str]] | None
) -> list[dict[str, Any]]:
    """Points as the list has them. since_issue: {field: [what the issue said, what the list says]} of what changed since; None where
    there is no issue, or the point is not in it."""
    events: dict[int, list[dict[str, Any]]] = {}
    ids = [int(image.ids[row]) for row in rows]
    of = select(t.rung).where(t.rung.c.point == func.any(cast(ids, ARRAY(BigInteger)))).order_by(t.rung.c.id)
    for event in connection.execute(of).mappings():
        told = {name: event[name] for name in ("reached", "who", "name", "how", "record")}
        told |= {"at": event["at"].isoformat(), "rung": Rung(event["rung"]).words}
        events.setdefault(event["point"], []).append(told)
    filled = image.filled_texts()
    out = []
    for n, row in zip(ids, rows, strict=True):
        since = None
        if issued is not None and (then := issued.get(n)) is not None:
            names = {**then, **filled[row]}.keys() - {"status"}
            pairs = {name: [then.get(name, ""), filled[row].get(name, "")] for name in sorted(names)}
            since = {name: pair for name, pair in pairs.items() if pair[0] != pair[1]}
        out.append({"id": n, "cells": filled[row], "since_issue": since, "ladder": events.get(n, [])})
    return out


def _records(connection: Connection, points: list[int], photos: Photos) -> list[dict[str, Any]]:
    here = cast(points, ARRAY(BigInteger))
    # A script speaks of several points, and is on record at its first.
    of = select(*WHOLE).where(or_(t.evidence.c.point == func.any(here), t.evidence.c.kind == SCRIPT))
    rows = connection.execute(of.order_by(t.evidence.c.id).execution_options(yield_per=8)).mappings()
    wanted = set(points)
    told = []
    for row in rows:
        one = Evidence(**row)
        if one.point in wanted or wanted & set(one.body.get("points", ())):
            # At once: its photo is kept on disk, and the next one takes its place in memory.
            told.append(_record(one, photos))
    under: dict[int, list[dict[str, Any]]] = {}
    for s in evidence.countersignatures(connection, [r["id"] for r in told]):
        signature = {"at": s.at.isoformat(), "who": s.who, "name": s.name, "remark": s.remark, "hash": s.hash}
        under.setdefault(s.record, []).append(signature)
    return [one | {"signatures": under.get(one["id"], [])} for one in told]


def _record(record: Evidence, photos: Photos) -> dict[str, Any]:
    body = dict(record.body)
    if text := body.get("photo"):
        body |= {"photo": "", PHOTO: _photo(text, photos)}
    told = {name: getattr(record, name) for name in ("id", "kind", "point", "who", "name", "verdict", "hash")}
    return told | {"at": record.at.isoformat(), "body": body}


def _photo(text: str, photos: Photos) -> str:
    """Keep a photo beside the document, once; returns its SHA-256, "" for what is no base64."""
    try:
        raw = base64.b64decode(text, validate=True)
    except binascii.Error:
        return ""
    key = hashlib.sha256(raw).hexdigest()
    photos[key] = raw
    return key


def record_of(told: Mapping[str, Any], photos: Mapping[str, bytes]) -> Evidence:
    """A record of a dossier as it was signed. Raises KeyError where a photo of it is missing, ValueError for what is none."""
    body = dict(told["body"])
    if PHOTO in body:
        body["photo"] = base64.b64encode(photos[body.pop(PHOTO)]).decode("ascii")
    return Evidence(
        int(told["id"]), datetime.fromisoformat(told["at"]), told["kind"], int(told["point"]), told["who"],
        told["name"], told["verdict"], told["hash"], body,
    )  # fmt: skip


def record_sound(record: Evidence) -> bool:
    """Whether a record is what was signed."""
    return record.hash == digest(
        record.at, record.kind, record.point, record.who, record.name, record.verdict, record.body
    )


def signature_sound(told: Mapping[str, Any], record: Evidence) -> bool:
    """Whether a signature under a record is what was signed."""
    one = Countersignature(
        0, datetime.fromisoformat(told["at"]), record.id, told["who"], told["name"], told["remark"], told["hash"]
    )
    return one.sound_under(record)


def _punches(connection: Connection, points: set[int], photos: Photos, *, whole: bool) -> list[dict[str, Any]]:
    out = []
    for item in reversed(punches.listed(connection, most=100_000)):
        if item.point not in points and not (whole and item.point == 0):
            continue
        told = {
            name: value.isoformat() if isinstance(value, datetime) else value for name, value in asdict(item).items()
        }
        told |= {"state": item.state, "photo": ""}
        if item.photo:
            told["photo"] = _photo(punches.photo_of(connection, item.id), photos)
        out.append(told)
    return out


def _temporary(connection: Connection, points: set[int]) -> list[dict[str, Any]]:
    entries = [*temporary.listed(connection, most=100_000), *temporary.listed(connection, ended=True, most=100_000)]
    return [
        {name: value.isoformat() if isinstance(value, datetime) else value for name, value in asdict(x).items()}
        for x in entries
        if x.point in points
    ]


def _findings(connection: Connection, image: PlantImage, points: set[int]) -> list[dict[str, Any]]:
    out = []
    for body in stored_findings(connection):
        at = sorted({cell["point"] for cell in body["cells"]} & points)
        if not at:
            continue
        told = {"rule": body["rule"], "severity": body["severity"], "text": body["text"], "points": at}
        told |= {"tags": [image.label(image.row_of(p)) for p in at], "accepted": None}
        if accepted(body):
            told["accepted"] = {name: body["waived"][name] for name in ("reason", "who", "at")}
        out.append(told)
    return out
