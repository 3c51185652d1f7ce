"""Lists that are brought in, as the web's people ask for them: begun, chosen about, taken in, called off, looked at.

A job is a row of the database, so that any web worker can tell how far it is. A small file is worked on in a thread of
the worker that was asked, a large one in a process of its own (import_process.py), for all its life: whichever worker is
asked next, the plan is there, and the memory goes with the process. If whoever works on it ends, the job is told as
interrupted: nothing was changed.
"""

from __future__ import annotations

import contextlib
import os
import subprocess
import sys
import threading
import zlib
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Any

import orjson
from sqlalchemy import Engine, delete, func, insert, select, text, update

from canaleta.exchange.bring_in import Choices, ListPlan
from canaleta.exchange.lists.apart import COMMAND, SECONDS, asked
from canaleta.jobs.import_work import BUSY, COULD_NOT, LOOK_AGAIN_S, WORKER, Work, set_job, stored_looks, wish_for
from canaleta.plant.database import tables as t
from canaleta.plant.records.image_cache import ImageCache

__all__ = ["Job", "Jobs", "TooManyJobsError"]

SILENT_S = 90
"""How long a job may say nothing, as it does while its change set is written, before it counts as dead."""
KEPT_HOURS = 24
MOST_OF_ONE = 2
"""Lists that one person may have at work at once: each reads its file in a process of its own."""
LARGE = 1_000_000
"""Bytes from which a file is large: one of them is read at a time on a machine, others wait."""
PACKED = 4
"""About how many times smaller than its file a list is when its sheets are kept."""
ROOM_FOR_ONE = 0x43414E49
"""The lock in the database that the large file at work holds."""


class TooManyJobsError(RuntimeError):
    """This person's lists are at work already."""


@dataclass(frozen=True)
class Job:
    """A job as it stands. done: share of the present work. result: what a dry run found, None before."""

    id: int
    who: str
    name: str
    state: str
    done: float
    says: str
    choices: dict[str, Any]
    result: dict[str, Any] | None


class Jobs:
    """The jobs that one web worker starts."""

    def __init__(self, engine: Engine, cache: ImageCache) -> None:
        self._engine, self._cache = engine, cache
        self._waits = threading.Event()
        self._work = Work(engine, cache)
        self._processes: dict[int, subprocess.Popen[bytes]] = {}
        # What is decided and who goes on with it is one step: a process that ended just before is not the one that was asked.
        self._deciding = threading.Lock()

    def start(self, who: str, name: str, data: bytes) -> int:
        """Begin with a file; the number of the job. Raises TooManyJobsError."""
        with self._engine.begin() as connection:
            alive = t.import_job.c.beat > func.now() - text(f"interval '{SILENT_S} seconds'")
            at_work = select(func.count()).where(t.import_job.c.who == who, t.import_job.c.state.in_(BUSY), alive)
            if connection.execute(at_work).scalar_one() >= MOST_OF_ONE:
                raise TooManyJobsError
            old = func.now() - text(f"interval '{KEPT_HOURS} hours'")
            connection.execute(delete(t.import_job).where(t.import_job.c.at < old))
            row = (
                insert(t.import_job)
                .values(who=who, name=name[:120], state="waiting" if len(data) > LARGE else "reading")
                .returning(t.import_job.c.id)
            )
            job = int(connection.execute(row).scalar_one())
        large = len(data) > LARGE
        self._begin(job, (lambda: self._read_apart(job, data)) if large else lambda: self._work.read(job, data)())
        return job

    def choose(self, job: int, choices: Choices) -> None:
        """Plan it again under other choices."""
        with self._deciding:
            set_job(self._engine, job, state="planning", done=0.0, says="", choices=choices.model_dump(mode="json"))
            self._go_on(job, lambda: self._work.plan(job)())

    def take_in(self, job: int) -> None:
        """Take it in."""
        with self._deciding:
            set_job(self._engine, job, state="taking in", done=0.0, says="")
            self._go_on(job, lambda: self._work.take_in(job))

    def stop(self, job: int) -> None:
        """Call it off; whatever is being written is rolled back, or was done already."""
        self._work.forget(job)
        with self._engine.begin() as connection:
            connection.execute(
                update(t.import_job)
                .where(t.import_job.c.id == job, t.import_job.c.state != "done")
                .values(state="called off", sheets=None, result=None, lines=None)
            )

    def lines(self, job: int) -> dict[str, Any]:
        """What becomes of each row of the file, and the points that it does not have, as `ListPlan.packed` tells it."""
        with self._engine.connect() as connection:
            packed = connection.execute(
                select(t.import_job.c.lines).where(t.import_job.c.id == job)
            ).scalar_one_or_none()
        return orjson.loads(zlib.decompress(packed)) if packed else ListPlan(0).packed()

    def job(self, job: int) -> Job | None:
        """How a job stands."""
        columns = [c for c in t.import_job.columns if c.name not in ("sheets", "lines")]
        age = func.extract("epoch", func.now() - t.import_job.c.beat).label("age")
        with self._engine.connect() as connection:
            row = connection.execute(select(*columns, age).where(t.import_job.c.id == job)).mappings().first()
        if row is None:
            return None
        state, says = row["state"], row["says"]
        if state in BUSY and row["age"] > SILENT_S:
            state, says = "failed", "the work was interrupted; nothing was changed: choose the file again"
        packed = row.get("result")
        result = orjson.loads(zlib.decompress(packed)) if packed else None
        if result and result.get("weighs") and row["age"] > SILENT_S:
            # The worker that weighed it is gone: nobody waits for that for ever.
            result["weighs"] = False
        return Job(row["id"], row["who"], row["name"], state, row["done"], says, row["choices"], result)

    # Where the work is done -------------------------------------------------------------------------

    def _begin(self, job: int, work: Callable[[], None]) -> None:
        threading.Thread(target=self._work.guarded, args=(job, work), name=f"import {job}", daemon=True).start()

    def _go_on(self, job: int, work: Callable[[], None]) -> None:
        """Let whoever works on a job see its new state, or begin again where nobody does."""
        size = select(func.octet_length(t.import_job.c.sheets)).where(t.import_job.c.id == job)
        with self._engine.connect() as connection:
            large = (connection.execute(size).scalar_one_or_none() or 0) * PACKED > LARGE
            at_work = large and not connection.execute(select(func.pg_try_advisory_lock(WORKER, job))).scalar_one()
            if large and not at_work:
                connection.execute(select(func.pg_advisory_unlock(WORKER, job)))
            connection.commit()
        if not large:
            self._begin(job, work)
        elif not at_work or ((known := self._processes.get(job)) is not None and known.poll() is not None):
            # Of one that ended the lock goes in a moment, long before the next one asks for it.
            process = self._processes[job] = self._process(job, subprocess.DEVNULL)
            self._begin(job, lambda: self._wait_for(job, process))

    def _process(self, job: int, file: Any) -> subprocess.Popen[bytes]:
        """The process that works on a job. file: where the file comes from, as it is read."""
        env = os.environ | {"CANALETA_RUNTIME_URL": self._engine.url.render_as_string(hide_password=False)}
        return subprocess.Popen(
            [sys.executable, "-m", "canaleta.jobs.import_process", str(job)],
            stdin=file,
            stdout=subprocess.DEVNULL,
            env=env,
        )

    def _read_apart(self, job: int, data: bytes) -> None:
        with self._room(job):
            with self._engine.connect() as connection:
                wish = wish_for(self._cache.caught_up(connection), Choices(), stored_looks(connection))
            question = asked(data, wish)
            # The reader tells what it read to the process that goes on with it; nothing of it passes through here.
            reader = subprocess.Popen(
                COMMAND, stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL
            )
            assert reader.stdin is not None
            assert reader.stdout is not None
            process = self._processes[job] = self._process(job, reader.stdout)
            reader.stdout.close()
            ends = threading.Timer(SECONDS, reader.kill)
            ends.start()
            with contextlib.suppress(OSError), reader.stdin as begins:
                begins.write(question)
            del data, wish, question
            while process.poll() is None and self._is_at_work(job):
                self._waits.wait(LOOK_AGAIN_S)
            ends.cancel()
            reader.kill()
            reader.wait()
        self._wait_for(job, process)

    def _is_at_work(self, job: int) -> bool:
        now = self.job(job)
        return now is not None and (now.state in BUSY or bool(now.result and now.result.get("weighs")))

    def _wait_for(self, job: int, process: subprocess.Popen[bytes]) -> None:
        """See to it that a process which ended in the middle is told."""
        failed = process.wait()
        with self._deciding:
            if self._processes.get(job) is not process:
                # Somebody began another meanwhile.
                return
            del self._processes[job]
            if failed and (now := self.job(job)) is not None and now.state in BUSY:
                set_job(self._engine, job, state="failed", says=COULD_NOT)

    @contextlib.contextmanager
    def _room(self, job: int) -> Iterator[None]:
        """Wait until no other large file is at work. Raises StoppedError if it is called off meanwhile."""
        with self._engine.connect() as connection:
            # A lock of the session: it goes with the connection, whatever becomes of this thread.
            while not connection.execute(select(func.pg_try_advisory_lock(ROOM_FOR_ONE))).scalar_one():
                connection.commit()
                set_job(self._engine, job)
                self._waits.wait(LOOK_AGAIN_S)
            connection.commit()
            try:
                set_job(self._engine, job, state="reading", done=0.05)
                yield
            finally:
                connection.execute(select(func.pg_advisory_unlock(ROOM_FOR_ONE)))
                connection.commit()
