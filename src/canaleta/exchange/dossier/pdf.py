"""The dossier on paper: PDF/A-3, with the document and the photos that it is drawn from attached, so that it proves itself."""

from __future__ import annotations

import hashlib
import io
import json
from collections.abc import Callable, Mapping
from datetime import datetime
from pathlib import Path
from typing import Any

from PIL import Image

from canaleta.core.model.fields import FIELDS
from canaleta.core.model.image import PlantImage
from canaleta.core.wiring.circuit import circuit_of
from canaleta.core.wiring.circuit_drawing import drawn
from canaleta.exchange.dossier.drawing import draw_circuit
from canaleta.exchange.dossier.gather import PHOTO, Dossier, record_of
from canaleta.exchange.pages import Page, write_record

__all__ = ["ATTACHED", "PHOTO_NAME", "dossier_pdf"]

ATTACHED = "dossier.json"
PHOTO_NAME = "photo-{}.jpg"
PRINTED_PX = 640
"""Longest side of a photo on paper; the photo itself is attached as it was signed."""
TOLD_EVERY = 10
"""Points after which it is told how far it is."""
_LABELS = {field.name: field.label for field in FIELDS}
Told = Callable[[float, str], None]


def dossier_pdf(dossier: Dossier, image: PlantImage, into: Path, told: Told = lambda share, says: None) -> None:
    """Write a dossier as PDF/A-3B, not signed yet. image: the list that it is of, for the drawings. told: is told how far it is,
    0 to 1."""
    document = dossier.document
    page = Page(archive=True)
    made_at = datetime.fromisoformat(document["made_at"])
    page.set_creation_date(made_at)
    page.set_title(_title(document))
    page.set_lang("en")
    text = json.dumps(document, ensure_ascii=False, sort_keys=True).encode()
    page.foot = f"{_title(document)} · {document['made_at'][:19]} UTC · {hashlib.sha256(text).hexdigest()[:32]}"
    _cover(page, document)
    told(0.02, "list")
    _list(page, document)

    def printed(key: str) -> bytes:
        return _small(dossier.photos[key]) if key in dossier.photos else b""

    records: dict[int, list[Mapping[str, Any]]] = {}
    for record in document["records"]:
        records.setdefault(record["point"], []).append(record)
    points = document["points"]
    for k, point in enumerate(points):
        if k % TOLD_EVERY == 0:
            told(0.1 + 0.75 * k / len(points), point["cells"].get("tag", ""))
        _point(page, point, image)
        for record in records.get(point["id"], []):
            page.ln(4)
            write_record(page, record_of(record, dossier.photos), photo=printed(record["body"].get(PHOTO, "")))
            for under in record["signatures"]:
                page.words(f"also signed by {under['name']} ({under['who']}), {under['at'][:19]} UTC", 9, bold=True)
                if under["remark"]:
                    page.words(under["remark"])
    told(0.85, "instruments, punch list, findings")
    _rest(page, document, printed)
    page.embed_file(
        bytes=text, basename=ATTACHED, mime_type="application/json", desc="what this dossier is drawn from",
        associated_file_relationship="Source", modification_date=made_at, compress=True,
    )  # fmt: skip
    for key, raw in dossier.photos.items():
        page.embed_file(
            bytes=raw, basename=PHOTO_NAME.format(key), mime_type="image/jpeg", desc="a photo as it was signed",
            associated_file_relationship="Supplement", modification_date=made_at,
        )  # fmt: skip
    told(0.9, "writing")
    with into.open("wb") as file:
        file.write(page.output())


def _title(document: Mapping[str, Any]) -> str:
    return f"{document['plant']}: {document['system'] or 'the whole plant'}"


def _cover(page: Page, document: Mapping[str, Any]) -> None:
    page.add_page()
    page.words("Dossier", 24, bold=True)
    page.ln(2)
    page.words(_title(document), 16, bold=True)
    page.ln(4)
    page.words(f"made by {document['name']} ({document['made_by']}), {document['made_at'][:19]} UTC")
    issue = document["issue"]
    if issue is None:
        page.words(f"the list was never issued; it is told as it stands at change {document['seq']}")
    else:
        changed = issue["points_changed_since"]
        since = "nothing was changed since" if not changed else f"{changed} points were changed since"
        page.words(f"list issued as {issue['mark']}, change {issue['seq']}, {issue['at'][:10]}; {since}")
        page.words(f"the issue's hash: {issue['hash']}", 7)
    page.ln(4)
    records, punches = document["records"], document["punches"]
    accepted = sum(p["cells"].get("status") == "accepted" for p in document["points"])
    open_ = [p for p in punches if p["state"] != "closed"]
    found = document["findings"]
    rows = [
        ["points", str(len(document["points"])), f"{accepted} accepted"],
        ["records", str(len(records)), f"{sum(r['body'].get('passes') is True for r in records)} passed"],
        ["punch items", str(len(punches)), f"{len(open_)} open, {sum(p['severity'] == 'A' for p in open_)} of them A"],
        ["temporary changes", str(len(document["temporary"])),
         f"{sum(x['ended_at'] is None for x in document['temporary'])} stand"],
        ["findings", str(len(found)), f"{sum(f['accepted'] is not None for f in found)} accepted"],
        ["instruments", str(len(document["instruments"])), ""],
    ]  # fmt: skip
    page.grid(["", "", ""], rows, [50, 30, 90], left=True)
    page.ln(2)
    page.words(
        "This file is signed by the plant. What it is drawn from is attached, with every photo as it was signed; "
        "“canaleta verify FILE” proves the signature, the hash of every record, and, where the plant's database is at hand, "
        "that both say the same.",
        8,
    )


def _list(page: Page, document: Mapping[str, Any]) -> None:
    page.add_page()
    page.start_section("the list")
    page.words("The list", 16, bold=True)
    page.ln(2)
    names = ("tag", "service", "signal", "channel", "status")
    rows = [
        [
            *(p["cells"].get(name, "") for name in names[:3]),
            f"{p['cells'].get('device_low', '')} to {p['cells'].get('device_high', '')} {p['cells'].get('device_unit', '')}"
            if "device_low" in p["cells"]
            else "",
            *(p["cells"].get(name, "") for name in names[3:]),
        ]
        for p in document["points"]
    ]
    page.grid(["tag", "service", "signal", "range", "channel", "status"], rows, [24, 52, 24, 34, 26, 24], left=True)


def _point(page: Page, point: Mapping[str, Any], image: PlantImage) -> None:
    cells = point["cells"]
    page.add_page()
    page.start_section(cells.get("tag", "(no tag)"), level=1)
    page.words(cells.get("tag", "(no tag)"), 16, bold=True)
    page.words(cells.get("service", ""))
    page.ln(2)
    told = [(f"{_LABELS.get(name, name)}: {text}") for name, text in cells.items() if name not in ("tag", "service")]
    page.words(" · ".join(told), 8)
    if point["since_issue"] is not None:
        changed = [
            f"{_LABELS.get(n, n)}: {was or 'nothing'} became {now or 'nothing'}"
            for n, (was, now) in point["since_issue"].items()
        ]
        page.words("since the issue: " + (" · ".join(changed) or "nothing was changed"), 8, bold=bool(changed))
    page.ln(2)
    if image.has(point["id"]) and (circuit := circuit_of(image, image.row_of(point["id"]))) is not None:
        draw_circuit(
            page, drawn(circuit), f"circuit of {cells.get('tag', 'a point')}, from the device to its channel"
        )
    if point["ladder"]:
        rows = [
            [e["rung"] if e["reached"] else f"{e['rung']}: lost", e["at"][:16].replace("T", " "), e["name"] or e["who"], e["how"]]
            for e in point["ladder"]
        ]  # fmt: skip
        page.grid(["rung", "when, UTC", "by", "how"], rows, [34, 34, 40, 70], left=True)


def _rest(page: Page, document: Mapping[str, Any], printed: Callable[[str], bytes]) -> None:
    page.add_page()
    page.start_section("instruments, punch list, temporary changes, findings")
    page.words("Instruments", 16, bold=True)
    rows = [[x["name"], x["make"], x["serial"], x["due"], x["certificate"]] for x in document["instruments"]]
    _grid_or(page, ["name", "make", "serial", "calibrated until", "certificate"], rows, [36, 46, 30, 30, 36])
    page.ln(3)
    page.words("Punch list", 16, bold=True)
    tags = {p["id"]: p["cells"].get("tag", "") for p in document["points"]}
    rows = [
        [
            f"{x['id']} {x['severity']}", tags.get(x["point"], x["place"]), x["what"],
            f"{x['owner'] or 'nobody'}; raised by {x['who']} {x['at'][:10]}",
            f"{x['state']}{', ' + (x['closed_by'] or x['cleared_by']) if x['state'] != 'open' else ''}",
        ]
        for x in document["punches"]
    ]  # fmt: skip
    _grid_or(page, ["item", "where", "what", "whose", "state"], rows, [14, 24, 70, 44, 28])
    for item in document["punches"]:
        if raw := printed(item["photo"]):
            page.words(f"item {item['id']}")
            page.picture(raw, 70)
    page.ln(3)
    page.words("Temporary changes", 16, bold=True)
    rows = [
        [tags.get(x["point"], ""), x["kind"], x["what"], f"{x['who']} {x['at'][:10]}",
         f"{x['ended_by']} {x['ended_at'][:10]}" if x["ended_at"] else "stands"]
        for x in document["temporary"]
    ]  # fmt: skip
    _grid_or(page, ["tag", "kind", "what", "by", "put back"], rows, [24, 34, 62, 30, 30])
    page.ln(3)
    page.words("Findings", 16, bold=True)
    rows = [
        [f["rule"], ", ".join(f["tags"]), f["text"],
         f"{f['accepted']['reason']} ({f['accepted']['who']}, {f['accepted']['at'][:10]})" if f["accepted"] else "open"]
        for f in document["findings"]
    ]  # fmt: skip
    _grid_or(page, ["rule", "points", "says", "accepted because"], rows, [14, 30, 80, 56])
    page.ln(3)
    page.words("Records and their hashes", 16, bold=True)
    rows = [[str(r["id"]), tags.get(r["point"], ""), r["kind"], r["at"][:19], r["hash"]] for r in document["records"]]
    _grid_or(page, ["record", "tag", "kind", "signed, UTC", "SHA-256"], rows, [14, 24, 24, 32, 86])


def _grid_or(page: Page, head: list[str], rows: list[list[str]], widths: list[float]) -> None:
    if rows:
        page.grid(head, rows, widths, left=True)
    else:
        page.words("none")


def _small(raw: bytes) -> bytes:
    """A photo as it is printed; "" for one that cannot be read."""
    try:
        with Image.open(io.BytesIO(raw)) as photo:
            share = PRINTED_PX / max(photo.size)
            # The decoder halves while it reads, which is many times as quick as halving afterwards.
            photo.draft("RGB", (max(1, int(photo.width * share)), max(1, int(photo.height * share))))
            small = photo.convert("RGB")
            small.thumbnail((PRINTED_PX, PRINTED_PX))
            out = io.BytesIO()
            small.save(out, "JPEG", quality=50)
            return out.getvalue()
    except (OSError, ValueError, Image.DecompressionBombError):
        return b""
