"""Whether a dossier is what was signed: by itself, and held against the plant's database."""

from __future__ import annotations

import hashlib
import json
import zipfile
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field
from datetime import datetime
from enum import StrEnum
from pathlib import Path
from typing import Any, BinaryIO

from sqlalchemy import ARRAY, BigInteger, Connection, cast, func, select

from canaleta.certificates import Certificate, fingerprint
from canaleta.exchange.dossier.folder import CERTIFICATE, MANIFEST, SIGNATURE
from canaleta.exchange.dossier.gather import FORMAT, PHOTO, VERSION, record_of, record_sound, signature_sound
from canaleta.exchange.dossier.pdf import ATTACHED, PHOTO_NAME
from canaleta.exchange.dossier.seal import fingerprint_of, seal_proves
from canaleta.plant.database import tables as t

__all__ = ["Fault", "FaultOf", "Proof", "attached", "prove", "prove_against"]


MOST_NODES = 100_000
MOST_BYTES = 4 * 2**30
"""Of what a file from outside may make whoever reads it unpack."""


class FaultOf(StrEnum):
    """What is wrong with a dossier."""

    UNREADABLE = "unreadable"
    UNSIGNED = "unsigned"
    SEAL = "seal broken"
    ADDED = "added after"
    FILE = "file"
    RECORD = "record"
    SIGNATURE = "signature"
    PHOTO = "photo"
    OTHER_SEAL = "other seal"
    UNKNOWN = "not in the database"
    DIFFERS = "differs from the database"
    MISSING = "left out"


@dataclass(frozen=True)
class Fault:
    """One thing that is wrong: a code, and in words."""

    code: FaultOf
    says: str


@dataclass
class Proof:
    """What was proved of a dossier. seal: SHA-256 of the certificate that signed it, "" for none."""

    faults: list[Fault] = field(default_factory=list)
    document: dict[str, Any] | None = None
    seal: str = ""
    records: int = 0

    @property
    def sound(self) -> bool:
        """Whether nothing is wrong."""
        return not self.faults

    def fault(self, code: FaultOf, says: str) -> None:
        """Note one more."""
        self.faults.append(Fault(code, says))


def prove(file: Path) -> Proof:
    """Prove a dossier by itself: a PDF, a ZIP file, or a folder."""
    proof = Proof()
    try:
        if file.is_dir():
            _folder(proof, lambda name: (file / name).read_bytes(), _names_in(file))
        elif zipfile.is_zipfile(file):
            with zipfile.ZipFile(file) as packed:
                if sum(i.file_size for i in packed.infolist()) > MOST_BYTES:
                    raise ValueError("it unpacks to more than any dossier is")
                _folder(proof, packed.read, [i.filename for i in packed.infolist() if not i.is_dir()])
        else:
            with file.open("rb") as handle:
                _pdf(proof, handle)
    except Exception as error:  # noqa: BLE001 - a file from outside may break whoever reads it in any way
        proof.fault(FaultOf.UNREADABLE, f"it cannot be read as a dossier: {type(error).__name__}: {error}"[:300])
    return proof


def prove_against(proof: Proof, connection: Connection, seal: str) -> None:
    """Hold a dossier against the plant's database: every record must be there as it is here, and none may be left out that was
    signed before. seal: the certificate of this plant, SHA-256."""
    document = proof.document
    if document is None:
        return
    if proof.seal and proof.seal != seal:
        proof.fault(FaultOf.OTHER_SEAL, f"it is signed with another seal than this plant's: {proof.seal}")
    told = {int(r["id"]): r for r in document["records"]}
    points = [int(p["id"]) for p in document["points"]]
    of = select(t.evidence.c.id, t.evidence.c.hash, t.evidence.c.at, t.evidence.c.point).where(
        (t.evidence.c.id == func.any(cast(list(told), ARRAY(BigInteger))))
        | (t.evidence.c.point == func.any(cast(points, ARRAY(BigInteger))))
    )
    kept = {row.id: row for row in connection.execute(of)}
    for number, record in told.items():
        if number not in kept:
            proof.fault(FaultOf.UNKNOWN, f"record {number} is not in the database")
        elif kept[number].hash != record["hash"]:
            proof.fault(FaultOf.DIFFERS, f"record {number} is another one in the database")
    made_at = datetime.fromisoformat(document["made_at"])
    for number in sorted(kept.keys() - told.keys()):
        if kept[number].at < made_at:
            proof.fault(FaultOf.MISSING, f"record {number}, signed before it was made, is left out")


def _names_in(folder: Path) -> list[str]:
    return [str(f.relative_to(folder)).replace("\\", "/") for f in sorted(folder.rglob("*")) if f.is_file()]


def _folder(proof: Proof, read: Callable[[str], bytes], names: list[str]) -> None:
    manifest = read(MANIFEST)
    if SIGNATURE not in names or CERTIFICATE not in names:
        proof.fault(FaultOf.UNSIGNED, "it has no signature")
    else:
        certificate = read(CERTIFICATE).decode("ascii")
        proof.seal = fingerprint_of(Certificate(certificate, ""))
        if not seal_proves(manifest, read(SIGNATURE), certificate):
            proof.fault(FaultOf.SEAL, "the signature is not of this manifest")
    hashed: dict[str, str] = json.loads(manifest)
    for name, wanted in hashed.items():
        if name not in names:
            proof.fault(FaultOf.FILE, f"{name} is missing")
        elif hashlib.sha256(read(name)).hexdigest() != wanted:
            proof.fault(FaultOf.FILE, f"{name} was altered")
    for name in names:
        if name not in hashed and name not in (MANIFEST, SIGNATURE, CERTIFICATE):
            proof.fault(FaultOf.ADDED, f"{name} was added after it was signed")
    photos = {
        name.removeprefix("photos/photo-").removesuffix(".jpg"): read(name)
        for name in names
        if name.startswith("photos/")
    }
    _document(proof, json.loads(read(ATTACHED)), photos)


def _pdf(proof: Proof, handle: BinaryIO) -> None:
    from pyhanko.pdf_utils.misc import PdfError
    from pyhanko.pdf_utils.reader import PdfFileReader
    from pyhanko.sign.validation import validate_pdf_signature
    from pyhanko.sign.validation.errors import SignatureValidationError
    from pyhanko_certvalidator import ValidationContext

    try:
        reader = PdfFileReader(handle)
        signatures = reader.embedded_signatures
        if not signatures:
            proof.fault(FaultOf.UNSIGNED, "it has no signature")
        for signature in signatures[:1]:
            certificate = signature.signer_cert
            proof.seal = fingerprint(certificate.dump())
            status = validate_pdf_signature(signature, ValidationContext(trust_roots=[certificate]))
            if not _as_written(handle, signature):
                proof.fault(FaultOf.SEAL, "the signature was altered")
            if not (status.intact and status.valid):
                proof.fault(FaultOf.SEAL, "the signature is not of this file: it was altered")
            elif status.coverage is not None and status.coverage.name != "ENTIRE_FILE":
                proof.fault(FaultOf.ADDED, "something was added after it was signed")
        files = dict(attached(reader))
    except (PdfError, SignatureValidationError) as error:
        proof.fault(FaultOf.UNREADABLE, f"it cannot be read as a signed PDF: {error}"[:300])
        return
    if ATTACHED not in files:
        proof.fault(FaultOf.FILE, f"{ATTACHED} is not attached")
        return
    begin, end = PHOTO_NAME.split("{}")
    photos = {name[len(begin) : -len(end)]: raw for name, raw in files.items() if name.startswith(begin)}
    _document(proof, json.loads(files[ATTACHED]), photos)


def _as_written(handle: BinaryIO, signature: Any) -> bool:
    """Whether the signature itself stands as it was written: no hash covers its own place. Hexadecimal digits of the one
    encoding of what it says, filled up with zeros (ISO 32000-2, 12.8.1)."""
    from asn1crypto import cms

    start, length, goes_on, _ = (int(x) for x in signature.byte_range)
    handle.seek(start + length)
    place = handle.read(goes_on - start - length)
    content = signature.signed_data
    (info,), (_,) = content["signer_infos"], content["certificates"]
    plain = content["version"].native == "v1" and info["version"].native == "v1"
    plain = plain and content["digest_algorithms"].native == [info["digest_algorithm"].native]
    whole = cms.ContentInfo({"content_type": "signed_data", "content": content.copy()}).dump(force=True)
    return bool(plain) and place == b"<" + whole.hex().upper().encode().ljust(len(place) - 2, b"0") + b">"


def attached(reader: Any) -> Iterator[tuple[str, bytes]]:
    """(name, content) of every file attached to a PDF (ISO 32000-2, 7.11.4)."""
    names = reader.root["/Names"]["/EmbeddedFiles"]
    stack, left = [names], MOST_NODES
    while stack:
        node, left = stack.pop(), left - 1
        if left < 0:
            raise ValueError("its list of attached files has no end")
        stack += [kid.get_object() if hasattr(kid, "get_object") else kid for kid in node.get("/Kids", ())]
        leaf = node.get("/Names", ())
        for k in range(0, len(leaf), 2):
            spec = leaf[k + 1]
            name = str(spec["/UF"] if "/UF" in spec else spec["/F"])
            yield name, bytes(spec["/EF"]["/F"].data)


def _document(proof: Proof, document: dict[str, Any], photos: Mapping[str, bytes]) -> None:
    if document.get("format") != FORMAT or document.get("version") != VERSION:
        proof.fault(FaultOf.UNREADABLE, "its document is none that this version knows")
        return
    proof.document = document
    for key, raw in photos.items():
        if hashlib.sha256(raw).hexdigest() != key:
            proof.fault(FaultOf.PHOTO, f"photo {key} was altered")
    for told in document["records"]:
        proof.records += 1
        try:
            record = record_of(told, photos)
        except KeyError:
            proof.fault(FaultOf.PHOTO, f"the photo {told['body'].get(PHOTO)} of record {told['id']} is missing")
            continue
        if not record_sound(record):
            proof.fault(FaultOf.RECORD, f"record {told['id']} is not what was signed")
        for under in told["signatures"]:
            if not signature_sound(under, record):
                proof.fault(
                    FaultOf.SIGNATURE, f"the signature of {under['name']} under record {told['id']} is not of it"
                )
