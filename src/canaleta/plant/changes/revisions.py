"""Issues of the list: put up for check, checked, issued; each a frozen document with its hash and signatures.

A revision and its signatures are never changed: what state it is in follows from the last signature.
"""

from __future__ import annotations

import hashlib
import zlib
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

import orjson
from sqlalchemy import Connection, Engine, func, insert, select

from canaleta.core.hardware.themselves import IssuedHardware, WasIssued
from canaleta.core.model.image import PlantImage
from canaleta.plant.database import tables as t
from canaleta.plant.database.connection import take_plant_lock
from canaleta.plant.people import accounts
from canaleta.plant.records.findings import accepted, stored_findings
from canaleta.plant.records.image_cache import ImageCache
from canaleta.plant.records.points import ADDED, REMOVED

__all__ = [
    "Revision",
    "RevisionError",
    "Signature",
    "changed_since",
    "document_of",
    "hardware_of",
    "issue_now",
    "newest_issue",
    "points_of",
    "put_up",
    "revisions",
    "sign",
    "was_issued",
]

MEANINGS = ("checked", "issued", "withdrawn")
_STATE = {"checked": "checked", "issued": "issued", "withdrawn": "withdrawn"}


class RevisionError(ValueError):
    """Why a revision cannot be put up or signed. The message says what to do."""


@dataclass(frozen=True)
class Signature:
    """A signature: what it means, who gave it, under which name, when; hash of what was signed with all that."""

    meaning: str
    who: str
    name: str
    remark: str
    at: str
    hash: str


@dataclass(frozen=True)
class Revision:
    """A frozen state of the list. open_reason: why it was put up with findings that are bad."""

    id: int
    mark: str
    seq: int
    who: str
    at: str
    note: str
    open_reason: str
    points: int
    findings: int
    hash: str
    signatures: tuple[Signature, ...]

    @property
    def state(self) -> str:
        """in check, checked, issued or withdrawn."""
        return _STATE[self.signatures[-1].meaning] if self.signatures else "in check"


def revisions(connection: Connection) -> list[Revision]:
    """Every revision, newest first."""
    signed: dict[int, list[Signature]] = {}
    for row in connection.execute(select(t.signature).order_by(t.signature.c.id)):
        signature = Signature(row.meaning, row.who, row.name, row.remark, row.at.isoformat(), row.hash)
        signed.setdefault(row.revision, []).append(signature)
    columns = [c for c in t.revision.columns if c.name != "document"]
    return [
        Revision(
            row.id, row.mark, row.seq, row.who, row.at.isoformat(), row.note, row.open_reason, row.points, row.findings,
            row.hash, tuple(signed.get(row.id, ())),
        )
        for row in connection.execute(select(*columns).order_by(t.revision.c.id.desc()))
    ]  # fmt: skip


def newest_issue(connection: Connection) -> Revision | None:
    """The newest issue, None where the list was never issued."""
    return next((r for r in revisions(connection) if r.state == "issued"), None)


def issue_now(connection: Connection) -> str:
    """The mark of the newest issue, "" where the list was never issued."""
    newest = newest_issue(connection)
    return newest.mark if newest else ""


def put_up(
    engine: Engine,
    cache: ImageCache,
    project: Callable[[Connection, PlantImage], Mapping[str, Any]],
    mark: str,
    note: str,
    open_reason: str,
    who: str,
) -> Revision:
    """Freeze the list as a revision for check. project: the plant as a document, under the same lock.

    Raises RevisionError for a mark that is taken, or findings that are bad without a reason to issue with them open.
    """
    with engine.begin() as connection:
        take_plant_lock(connection)
        image = cache.caught_up(connection)
        known = revisions(connection)
        if any(r.mark.casefold() == mark.casefold() and r.state != "withdrawn" for r in known):
            raise RevisionError(f"there is a revision {mark} already: take the next mark")
        if open_one := next((r for r in known if r.state in ("in check", "checked")), None):
            raise RevisionError(f"revision {open_one.mark} is still {open_one.state}: issue it or withdraw it first")
        findings = stored_findings(connection)
        bad = [body for body in findings if body["severity"] == "bad" and not accepted(body)]
        if bad and not open_reason:
            raise RevisionError(
                f"{len(bad)} finding{'s are' if len(bad) > 1 else ' is'} bad ({bad[0]['text']}): settle "
                f"{'them' if len(bad) > 1 else 'it'}, or say why the list is issued with {'them' if len(bad) > 1 else 'it'} open"
            )
        data = orjson.dumps(
            {
                "format": "canaleta issue",
                "version": 1,
                "mark": mark,
                "seq": image.seq,
                "ids": image.ids.tolist(),
                "project": project(connection, image),
                "findings": findings,
                "open_reason": open_reason,
            }
        )
        values = {
            "mark": mark,
            "seq": image.seq,
            "who": who,
            "note": note,
            "open_reason": open_reason,
            "points": len(image),
            "findings": len(findings),
            "hash": hashlib.sha256(data).hexdigest(),
            "document": zlib.compress(data, 6),
        }
        number = connection.execute(insert(t.revision).values(**values).returning(t.revision.c.id)).scalar_one()
        return next(r for r in revisions(connection) if r.id == number)


def sign(
    engine: Engine, number: int, meaning: str, who: str, password: str, name: str, remark: str, *, second_person: bool
) -> Revision:
    """Sign a revision: the password once more, a meaning, a name. second_person: the author may not check it himself.

    Raises RevisionError, LookupError for a revision that is not there, AccountError for a password that does not fit.
    """
    with engine.begin() as connection:
        take_plant_lock(connection)
        found = next((r for r in revisions(connection) if r.id == number), None)
        if found is None:
            raise LookupError("there is no such revision")
        _may_be(found, meaning, who, second_person)
        if not accounts.sign_in(connection, who, password):
            raise accounts.AccountError("this is not your password: nothing was signed")
        document = connection.execute(select(t.revision.c.document).where(t.revision.c.id == number)).scalar_one()
        if hashlib.sha256(zlib.decompress(document)).hexdigest() != found.hash:
            raise RevisionError("the document is not what was put up: do not sign it, and call your administrator")
        at = datetime.now(UTC)
        signed = hashlib.sha256(
            "\n".join((found.hash, meaning, who, name, remark, at.isoformat())).encode()
        ).hexdigest()
        connection.execute(
            insert(t.signature).values(
                revision=number, meaning=meaning, who=who, name=name, remark=remark, at=at, hash=signed
            )
        )
        return next(r for r in revisions(connection) if r.id == number)


def _may_be(found: Revision, meaning: str, who: str, second_person: bool) -> None:
    state = found.state
    if meaning == "checked":
        if state != "in check":
            raise RevisionError(f"revision {found.mark} is {state}: there is nothing to check")
        if second_person and who == found.who:
            raise RevisionError("who put it up does not check it: ask somebody else (Rules: second_signature)")
    elif meaning == "issued":
        if state != "checked":
            raise RevisionError(f"revision {found.mark} is {state}: it is issued once it is checked")
    elif state not in ("in check", "checked"):
        raise RevisionError(f"revision {found.mark} is {state}: what is issued never changes; issue the next one")


def document_of(connection: Connection, number: int) -> dict[str, Any]:
    """The frozen document. Raises LookupError."""
    row = connection.execute(select(t.revision.c.document).where(t.revision.c.id == number)).first()
    if row is None:
        raise LookupError("there is no such revision")
    out: dict[str, Any] = orjson.loads(zlib.decompress(row.document))
    return out


def points_of(document: Mapping[str, Any]) -> dict[int, dict[str, str]]:
    """{point: {field: text}} of a frozen document."""
    return dict(zip(document["ids"], document["project"]["points"], strict=True))


def was_issued(connection: Connection) -> WasIssued:
    """The newest issue."""
    newest = newest_issue(connection)
    if newest is None:
        return WasIssued()
    document = document_of(connection, newest.id)
    return WasIssued(newest.mark, newest.seq, points_of(document), hardware_of(document))


def hardware_of(document: Mapping[str, Any]) -> IssuedHardware:
    """What a frozen document says of racks and modules; one of an earlier version says nothing of their firmware."""
    heads, firmware = {}, {}
    for cabinet in document["project"]["cabinets"]:
        for rack in cabinet["racks"]:
            heads[cabinet["name"], rack["name"]] = rack.get("head", "")
            for module in rack["modules"]:
                at = (cabinet["name"], rack["name"], module["slot"], module["type"])
                firmware[at] = module.get("firmware", "")
    return IssuedHardware(heads, firmware, known=True)


def changed_since(connection: Connection, seq: int) -> int:
    """How many points were changed, added or taken away after a sequence number."""
    points = select(func.count(func.distinct(t.change.c.entity_id))).where(
        t.change.c.seq > seq, t.change.c.entity.in_(("point", ADDED, REMOVED))
    )
    return int(connection.execute(points).scalar_one())
