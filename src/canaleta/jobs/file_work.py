"""Files that take a while are made by a process of their own: a large one takes a minute and some hundred megabytes, and nobody
who works at the list shall wait for it. How far each is stands in a row of the database, and so does the file, for a day: of
several web hosts any may be asked for it.

A table of such work has, besides what is wanted, the columns at, state, done, says, beat and file.
"""

from __future__ import annotations

import itertools
import logging
import os
import subprocess
import sys
import tempfile
import threading
from collections.abc import Callable, Iterator, Mapping
from pathlib import Path
from typing import Any

from sqlalchemy import (
    ColumnElement,
    Connection,
    Engine,
    Table,
    bindparam,
    delete,
    func,
    insert,
    select,
    text,
    update,
)

from canaleta.plant.database.tables import made_file

__all__ = ["DONE", "FAILED", "WORKS", "FileWork"]

WORKS, DONE, FAILED = "works", "done", "failed"
SILENT_S = 300
KEPT = "24 hours"
PART_BYTES = 2**20
BROKEN_OFF = "it was broken off: ask for it again"


class FileWork:
    """One kind of such work. table: of its rows; module: that makes one, run with its number; folder: below the plant's room."""

    def __init__(self, table: Table, module: str, folder: str) -> None:
        self._table, self._module, self._folder = table, module, folder

    def begin(self, engine: Engine, wanted: Mapping[str, Any]) -> int:
        """Have a file made. Returns its number."""
        with engine.begin() as connection:
            self._forget(connection)
            values = {**wanted, "state": WORKS, "at": func.clock_timestamp()}
            number = int(
                connection.execute(insert(self._table).values(values).returning(self._table.c.id)).scalar_one()
            )
        url = engine.url.render_as_string(hide_password=False)
        process = subprocess.Popen(
            [sys.executable, "-m", self._module, str(number)],
            env=os.environ | {"CANALETA_RUNTIME_URL": url}, stdin=subprocess.DEVNULL, stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL, start_new_session=True,
        )  # fmt: skip
        threading.Thread(
            target=self._see_it_end, args=(engine, process, number), name=self._folder, daemon=True
        ).start()
        return number

    def say(self, engine: Engine, number: int, **values: object) -> None:
        """How far it is."""
        with engine.begin() as connection:
            connection.execute(
                update(self._table).where(self._table.c.id == number).values(beat=func.clock_timestamp(), **values)
            )

    def rows(self, connection: Connection, of: ColumnElement[bool], most: int = 1) -> list[dict[str, Any]]:
        """The newest rows, newest first; one that said nothing for long counts as failed."""
        c = self._table.c
        silent = (func.clock_timestamp() - c.beat) > text(f"interval '{SILENT_S} seconds'")
        found = connection.execute(
            select(self._table, silent.label("silent")).where(of).order_by(c.id.desc()).limit(most)
        )
        out = []
        for row in found.mappings():
            values = dict(row)
            if values.pop("silent") and values["state"] == WORKS:
                values |= {"state": FAILED, "says": BROKEN_OFF}
            out.append(values)
        return out

    def place(self, name: str) -> Path:
        """Where a file lies while it is made: beside the plant's data where that is ours to write, else where the system keeps what
        is passing."""
        folder = Path(tempfile.gettempdir())
        if room := os.environ.get("CANALETA_ROOM", ""):
            own = Path(room) / self._folder
            try:
                own.mkdir(exist_ok=True)
            except OSError:
                return folder / name
            folder = own if os.access(own, os.W_OK) else folder
        return folder / name

    def keep(self, engine: Engine, number: int, file: Path, **values: object) -> None:
        """It is made: its bytes go into the database, and are there as a whole or not at all; the file goes."""
        with engine.begin() as connection:
            with file.open("rb") as handle:
                for part, body in enumerate(iter(lambda: handle.read(PART_BYTES), b"")):
                    row = {"kind": self._folder, "number": number, "part": part, "body": body}
                    connection.execute(insert(made_file).values(**row))
            c = self._table.c
            done = {"state": DONE, "done": 1.0, "says": "", "file": file.name, "beat": func.clock_timestamp()}
            connection.execute(update(self._table).where(c.id == number).values(**done, **values))
        file.unlink(missing_ok=True)

    def kept(self, engine: Engine, number: int) -> Iterator[bytes]:
        """The bytes of a file that is there, part by part."""
        c = made_file.c
        body = select(c.body).where(c.kind == self._folder, c.number == number, c.part == bindparam("part"))
        for part in itertools.count():
            with engine.connect() as connection:
                found = connection.execute(body, {"part": part}).scalar_one_or_none()
            if found is None:
                return
            yield bytes(found)

    def main(self, make: Callable[[Engine, int], None]) -> int:
        """Make the one whose number was given to this process."""
        from canaleta.plant.database.connection import engine_for

        # What a file holds is for who may ask the server for it.
        os.umask(0o077)
        engine = engine_for(os.environ["CANALETA_RUNTIME_URL"], pool_size=2)
        number = int(sys.argv[1])
        try:
            make(engine, number)
        except LookupError as error:
            self.say(engine, number, state=FAILED, says=str(error.args[0]))
        except Exception as error:
            logging.getLogger(self._folder).exception("%s %s", self._folder, number)
            self.say(engine, number, state=FAILED, says=f"it could not be made: {type(error).__name__}")
            return 1
        return 0

    def _see_it_end(self, engine: Engine, process: subprocess.Popen[bytes], number: int) -> None:
        """A process that ended without a word failed."""
        if process.wait() != 0:
            c = self._table.c
            failed = update(self._table).where(c.id == number, c.state == WORKS)
            with engine.begin() as connection:
                connection.execute(failed.values(state=FAILED, says=BROKEN_OFF))

    def _forget(self, connection: Connection) -> None:
        """Files of yesterday go; what they said is in the database as before."""
        c, f = self._table.c, made_file.c
        old = c.at < func.clock_timestamp() - text(f"interval '{KEPT}'")
        numbers = select(c.id).where(old, c.file != "")
        connection.execute(delete(made_file).where(f.kind == self._folder, f.number.in_(numbers)))
        connection.execute(update(self._table).where(old).values(file=""))
