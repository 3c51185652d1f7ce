"""The process that works on one large list: `python -m canaleta.jobs.import_process JOB`.

It takes what the reader of the file tells on its standard input (lists/apart.py), plans it, weighs it, and waits for what
somebody decides: the row of the job says so. It ends when the list is taken in or called off, when nobody decided
for long, or when the web worker that began it is gone; what it took in memory goes with it. Begun without a file,
it goes on with what the row says.
"""

from __future__ import annotations

import gc
import os
import sys
import threading
import time

from sqlalchemy import func, select

from canaleta.exchange.lists.apart import Brought, told
from canaleta.exchange.sheets import SheetError
from canaleta.plant.database import tables as t
from canaleta.plant.database.connection import engine_for

IDLE_S = 900
LOOK_S = 0.15
NEWER_S = 5.0
MOST_IDLE = 2
"""Lists that wait for somebody to decide with their plans at hand, the newest ones: a plan of 50,000 points is some
hundred megabytes, and can be made again."""


def main(job: int) -> None:
    """Work on a job until it is decided."""
    # What is read is kept while it is planned: nothing is looked through for what could go.
    gc.disable()
    engine = engine_for(os.environ["CANALETA_RUNTIME_URL"], pool_size=3)
    parent = os.getppid()
    brought: list[Brought | SheetError] = []
    reading = threading.Thread(target=_hear, args=(brought,))
    reading.start()
    # All that is needed is loaded while the file is read, the plant too.
    from canaleta.exchange.bring_in import Choices
    from canaleta.jobs.import_work import WORKER, Work
    from canaleta.plant.records.image_cache import ImageCache

    work = Work(engine, ImageCache(engine))
    lock = engine.connect().execution_options(isolation_level="AUTOCOMMIT")
    if not lock.execute(select(func.pg_try_advisory_lock(WORKER, job))).scalar_one():
        return
    work.warm()
    reading.join()

    def plan_file() -> None:
        got = brought.pop()
        if isinstance(got, SheetError):
            raise got
        behind(work.plan_brought(job, Choices(), got))

    def behind(weigh: object) -> None:
        threading.Thread(target=weigh, daemon=True).start()  # type: ignore[arg-type]

    state = select(t.import_job.c.state).where(t.import_job.c.id == job)
    newer = select(func.count()).where(t.import_job.c.id > job, t.import_job.c.state == "ready")
    idle = looked = time.monotonic()
    while True:
        now = lock.execute(state).scalar_one_or_none()
        if now == "ready" and time.monotonic() - looked > NEWER_S:
            looked = time.monotonic()
            if lock.execute(newer).scalar_one() >= MOST_IDLE:
                idle = -IDLE_S
        if now == "reading":
            work.guarded(job, plan_file)
        elif now == "planning":
            work.guarded(job, lambda: behind(work.plan(job)))
        elif now == "taking in":
            work.guarded(job, lambda: work.take_in(job))
        elif now == "ready" and time.monotonic() - idle < IDLE_S and os.getppid() == parent:
            time.sleep(LOOK_S)
            continue
        else:
            # Whoever decides in this very moment sees the lock gone, or is seen here.
            lock.execute(select(func.pg_advisory_unlock(WORKER, job)))
            if lock.execute(state).scalar_one_or_none() not in ("planning", "taking in"):
                break
            if not lock.execute(select(func.pg_try_advisory_lock(WORKER, job))).scalar_one():
                break
        gc.collect()
        idle = time.monotonic()
    lock.close()
    engine.dispose()


def _hear(brought: list[Brought | SheetError]) -> None:
    try:
        brought.append(told(sys.stdin.buffer.read()))
    except SheetError as error:
        brought.append(error)


if __name__ == "__main__":
    main(int(sys.argv[1]))
