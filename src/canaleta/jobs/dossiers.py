"""Dossiers, each made by a process of its own (file_work.py)."""

from __future__ import annotations

import hashlib
import os
import sys
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import ColumnElement, Connection, Engine, true

from canaleta.jobs.file_work import DONE, FAILED, WORKS, FileWork
from canaleta.plant.database import tables as t

__all__ = ["DONE", "FAILED", "WORKS", "DossierJob", "begin", "job_of", "jobs", "kept", "make"]

_WORK = FileWork(t.dossier, "canaleta.jobs.dossiers", "dossiers")


@dataclass(frozen=True)
class DossierJob:
    """A dossier that was asked for. state: works, done or failed; done: share; file: its name while it is kept; hash: SHA-256 of it."""

    id: int
    at: datetime
    who: str
    name: str
    system: str
    form: str
    state: str
    done: float
    says: str
    beat: datetime
    file: str
    hash: str


def begin(engine: Engine, system: str, form: str, who: str, name: str) -> int:
    """Have a dossier made. form: pdf or zip. Returns the number of the job."""
    return _WORK.begin(engine, {"who": who, "name": name, "system": system, "form": form})


def kept(engine: Engine, number: int) -> Iterator[bytes]:
    """The bytes of a dossier that is there."""
    return _WORK.kept(engine, number)


def job_of(connection: Connection, number: int) -> DossierJob | None:
    """One job as it stands; one that said nothing for long counts as failed."""
    return next(iter(_read(connection, t.dossier.c.id == number)), None)


def jobs(connection: Connection, most: int = 20) -> list[DossierJob]:
    """The newest jobs, newest first."""
    return _read(connection, true(), most)


def _read(connection: Connection, of: ColumnElement[bool], most: int = 1) -> list[DossierJob]:
    return [DossierJob(**row) for row in _WORK.rows(connection, of, most)]


def make(engine: Engine, number: int) -> None:
    """Do the work of a job, in this process."""
    # Taken in here: whoever only asks how far it is waits for none of it.
    from canaleta.exchange.dossier.folder import write_zip
    from canaleta.exchange.dossier.gather import gathered
    from canaleta.exchange.dossier.pdf import dossier_pdf
    from canaleta.exchange.dossier.seal import plant_seal, seal_pdf
    from canaleta.plant.records.image_cache import ImageCache

    def told(share: float, says: str) -> None:
        _WORK.say(engine, number, done=share, says=says)

    with engine.connect() as connection:
        job = job_of(connection, number)
        assert job is not None
        told(0.01, "gathering")
        image = ImageCache(engine).caught_up(connection)
        dossier = gathered(connection, image, job.system, job.who, job.name)
    file = _WORK.place(f"canaleta-dossier-{number}-{os.getpid()}.{job.form}")
    seal = plant_seal(engine)
    if job.form == "pdf":
        dossier_pdf(dossier, image, file, told)
        told(0.95, "signing")
        seal_pdf(file, seal, job.name, "handed over")
    else:
        write_zip(dossier, seal, file)
    with file.open("rb") as handle:
        hashed = hashlib.file_digest(handle, "sha256").hexdigest()
    _WORK.keep(engine, number, file, hash=hashed)


if __name__ == "__main__":
    sys.exit(_WORK.main(make))
