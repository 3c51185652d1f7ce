"""Dossiers are made by a process of their own: a large one takes a minute and some hundred megabytes, and nobody who works at the
list shall wait for it. How far it is stands in a row of the database."""

from __future__ import annotations

import hashlib
import logging
import os
import subprocess
import sys
import tempfile
import threading
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

from sqlalchemy import ColumnElement, Connection, Engine, func, insert, select, text, true, update

from canaleta.plant.database import tables as t

__all__ = ["DONE", "FAILED", "WORKS", "DossierJob", "begin", "job_of", "jobs", "make"]

log = logging.getLogger("dossier")
WORKS, DONE, FAILED = "works", "done", "failed"
SILENT_S = 300
KEPT = "24 hours"


@dataclass(frozen=True)
class DossierJob:
    """A dossier that was asked for. state: works, done or failed; done: share; file: where it lies; hash: SHA-256 of it."""

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
    with engine.begin() as connection:
        _forget(connection)
        number = int(
            connection.execute(
                insert(t.dossier)
                .values(who=who, name=name, system=system, form=form, state=WORKS, at=func.clock_timestamp())
                .returning(t.dossier.c.id)
            ).scalar_one()
        )
    url = engine.url.render_as_string(hide_password=False)
    process = subprocess.Popen(
        [sys.executable, "-m", "canaleta.jobs.dossiers", str(number)],
        env=os.environ | {"CANALETA_RUNTIME_URL": url}, stdin=subprocess.DEVNULL, stdout=subprocess.DEVNULL,
        stderr=subprocess.DEVNULL, start_new_session=True,
    )  # fmt: skip
    threading.Thread(target=_see_it_end, args=(engine, process, number), name="dossier", daemon=True).start()
    return number


def job_of(connection: Connection, number: int) -> DossierJob | None:
    """One job as it stands; one that said nothing for long counts as failed."""
    return next((job for job in _read(connection, t.dossier.c.id == number)), None)


def jobs(connection: Connection, most: int = 20) -> list[DossierJob]:
    """The newest jobs, newest first."""
    return _read(connection, true(), most)


def make(engine: Engine, number: int) -> None:
    """Do the work of a job, in this process."""
    # Taken in here: whoever only asks how far it is waits for none of it.
    from canaleta.exchange.dossier.folder import write_zip
    from canaleta.exchange.dossier.gather import gathered
    from canaleta.exchange.dossier.pdf import dossier_pdf
    from canaleta.exchange.dossier.seal import plant_seal, seal_pdf
    from canaleta.plant.records.image_cache import ImageCache

    def told(share: float, says: str) -> None:
        _say(engine, number, done=share, says=says)

    with engine.connect() as connection:
        job = job_of(connection, number)
        assert job is not None
        told(0.01, "gathering")
        image = ImageCache(engine).caught_up(connection)
        dossier = gathered(connection, image, job.system, job.who, job.name)
    file = _folder() / f"canaleta-dossier-{number}-{os.getpid()}.{job.form}"
    seal = plant_seal(engine)
    if job.form == "pdf":
        dossier_pdf(dossier, image, file, told)
        told(0.95, "signing")
        seal_pdf(file, seal, job.name, "handed over")
    else:
        write_zip(dossier, seal, file)
    with file.open("rb") as handle:
        hashed = hashlib.file_digest(handle, "sha256").hexdigest()
    _say(engine, number, state=DONE, done=1.0, says="", file=str(file), hash=hashed)


def _see_it_end(engine: Engine, process: subprocess.Popen[bytes], number: int) -> None:
    """A process that ended without a word failed."""
    if process.wait() != 0:
        failed = update(t.dossier).where(t.dossier.c.id == number, t.dossier.c.state == WORKS)
        with engine.begin() as connection:
            connection.execute(failed.values(state=FAILED, says="it was broken off: ask for it again"))


def _say(engine: Engine, number: int, **values: object) -> None:
    with engine.begin() as connection:
        connection.execute(
            update(t.dossier).where(t.dossier.c.id == number).values(beat=func.clock_timestamp(), **values)
        )


def _read(connection: Connection, of: ColumnElement[bool], most: int = 1) -> list[DossierJob]:
    silent = (func.clock_timestamp() - t.dossier.c.beat) > text(f"interval '{SILENT_S} seconds'")
    rows = connection.execute(
        select(t.dossier, silent.label("silent")).where(of).order_by(t.dossier.c.id.desc()).limit(most)
    )
    out = []
    for row in rows.mappings():
        values = {name: row[name] for name in DossierJob.__dataclass_fields__}
        if row["silent"] and row["state"] == WORKS:
            values |= {"state": FAILED, "says": "it was broken off: ask for it again"}
        out.append(DossierJob(**values))
    return out


def _forget(connection: Connection) -> None:
    """Files of yesterday go; what they said is in the database as before."""
    old = t.dossier.c.at < func.clock_timestamp() - text(f"interval '{KEPT}'")
    for (file,) in connection.execute(select(t.dossier.c.file).where(old, t.dossier.c.file != "")):
        Path(file).unlink(missing_ok=True)
    connection.execute(update(t.dossier).where(old).values(file=""))


def _folder() -> Path:
    """Where dossiers lie: beside the plant's data where that is ours to write, else where the system keeps what is passing."""
    if room := os.environ.get("CANALETA_ROOM", ""):
        folder = Path(room) / "dossiers"
        try:
            folder.mkdir(exist_ok=True)
        except OSError:
            return Path(tempfile.gettempdir())
        if os.access(folder, os.W_OK):
            return folder
    return Path(tempfile.gettempdir())


def _main() -> int:
    from canaleta.plant.database.connection import engine_for

    # What a dossier holds is for who may ask the server for it.
    os.umask(0o077)
    engine = engine_for(os.environ["CANALETA_RUNTIME_URL"], pool_size=2)
    number = int(sys.argv[1])
    try:
        make(engine, number)
    except LookupError as error:
        _say(engine, number, state=FAILED, says=str(error.args[0]))
    except Exception as error:
        log.exception("dossier %s", number)
        _say(engine, number, state=FAILED, says=f"it could not be made: {type(error).__name__}")
        return 1
    return 0


if __name__ == "__main__":
    sys.exit(_main())
