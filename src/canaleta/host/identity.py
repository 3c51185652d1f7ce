"""Who a data folder is: a name of its own, and where it lay when it got it, so that a copy is known as one.

A copy carries every file along, the name too, but not the number that the file system gave to the folder. A folder
whose number is not the one written in it is a copy, or was moved from another disk; a folder elsewhere that still has
both the name and the number makes this one a copy as well. Either way it is safe to make it a plant of its own.
"""

from __future__ import annotations

import json
import uuid
from dataclasses import asdict, dataclass
from pathlib import Path

__all__ = ["Identity", "identity_of", "new_identity", "write_identity"]

FILE = "identity.json"


@dataclass(frozen=True)
class Identity:
    """name: of the plant. path, inode: of the folder when the name was given."""

    name: str
    path: str
    inode: int


def new_identity(data: Path) -> Identity:
    """A name for the folder as it lies now; not yet written."""
    return Identity(str(uuid.uuid4()), str(data.resolve()), data.stat().st_ino)


def write_identity(data: Path, identity: Identity) -> None:
    """Write it in one step."""
    new = data / f"{FILE}.new"
    new.write_text(json.dumps(asdict(identity)), encoding="utf-8")
    new.replace(data / FILE)


def identity_of(data: Path) -> tuple[Identity | None, str]:
    """(what stands in the folder, the path of the folder that this one is a copy of; '' if it is itself).

    A folder that was renamed keeps its name; None for a folder of before there were names, or one that cannot be
    read.
    """
    written = _read(data)
    if written is None:
        return None, ""
    here = str(data.resolve())
    if written.inode != data.stat().st_ino:
        return written, written.path
    if written.path != here:
        other = Path(written.path)
        if _read(other) == written and other.stat().st_ino == written.inode:
            return written, written.path
        written = Identity(written.name, here, written.inode)
        write_identity(data, written)
    return written, ""


def _read(data: Path) -> Identity | None:
    try:
        return Identity(**json.loads((data / FILE).read_text(encoding="utf-8")))
    except (OSError, ValueError, TypeError):
        return None
