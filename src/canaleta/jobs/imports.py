"""Work on a list that is brought in: read, recognised, planned, taken in; told as it goes, and stopped at any time.

A job is a row of the database, so that any web worker can tell how far it is; the work itself is done in a thread of
the worker that was asked. If that worker ends, the job is told as interrupted: nothing was changed.
"""

from __future__ import annotations

import contextlib
import ctypes
import gc
import logging
import threading
import zlib
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import asdict, dataclass, field
from typing import Any

import orjson
from pydantic import ValidationError
from sqlalchemy import Connection, Engine, delete, func, insert, select, text, update
from sqlalchemy.dialects.postgresql import insert as upsert
from sqlalchemy.exc import SQLAlchemyError

from canaleta.core.model.image import PlantImage
from canaleta.exchange.bring_in import Choices, ListPlan, apply_plan, plan_list
from canaleta.exchange.lists.apart import Brought, Wish, bring_apart
from canaleta.exchange.lists.memory import look
from canaleta.exchange.lists.places import Seats
from canaleta.exchange.sheets import SheetError
from canaleta.plant.changes.apply import Foreseen
from canaleta.plant.changes.rows import foresee_points
from canaleta.plant.database import tables as t
from canaleta.plant.database.locks import LockedError
from canaleta.plant.records.image_cache import ImageCache

__all__ = ["Job", "Jobs", "TooManyJobsError", "keep_look", "stored_looks", "wish_for"]

log = logging.getLogger("import")
BUSY = ("waiting", "reading", "planning", "taking in")
SILENT_S = 90
"""How long a job may say nothing, as it does while its change set is written, before it counts as dead."""
KEPT_HOURS = 24
MOST_TOLD = 40
MOST_OF_ONE = 2
"""Lists that one person may have at work at once: each reads its file in a process of its own."""
LARGE = 1_000_000
"""Bytes from which a file is large: one of them is at work at a time on a machine, others wait."""
ROOM_FOR_ONE = 0x43414E49
"""The lock in the database that the large file at work holds."""
LOOK_AGAIN_S = 0.5
MOST_LOOKS = 200
"""Lists whose answers are remembered, the newest ones."""
MOST_PLANS = 4
"""Plans that a worker keeps while somebody looks at them."""


class TooManyJobsError(RuntimeError):
    """This person's lists are at work already."""


class StoppedError(Exception):
    """Somebody called the job off."""


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


@dataclass
class _Weighed:
    """What a list would do, while it is worked out and behind that. key: of the choices that it is worked out for."""

    key: str
    done: threading.Event = field(default_factory=threading.Event)
    foreseen: Foreseen | None = None


class Jobs:
    """The jobs that one web worker starts."""

    def __init__(self, engine: Engine, cache: ImageCache) -> None:
        self._engine, self._cache = engine, cache
        self._waits = threading.Event()
        self._weighed: dict[int, _Weighed] = {}
        self._plans: dict[int, tuple[str, ListPlan]] = {}

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
        self._begin(job, lambda: self._read(job, data))
        return job

    def choose(self, job: int, choices: Choices) -> None:
        """Plan it again under other choices."""
        self._set(job, state="planning", done=0.0, says="", choices=choices.model_dump(mode="json"))
        self._begin(job, lambda: self._plan(job))

    def take_in(self, job: int) -> None:
        """Take it in."""
        self._set(job, state="taking in", done=0.0, says="")
        self._begin(job, lambda: self._take_in(job))

    def stop(self, job: int) -> None:
        """Call it off; whatever is being written is rolled back, or was done already."""
        self._plans.pop(job, None)
        self._weighed.pop(job, None)
        with self._engine.begin() as connection:
            connection.execute(
                update(t.import_job)
                .where(t.import_job.c.id == job, t.import_job.c.state != "done")
                .values(state="called off", sheets=None, result=None, lines=None)
            )

    def lines(self, job: int) -> tuple[list[dict[str, Any]], list[int]]:
        """What becomes of each row of the file, and the points that it does not have."""
        with self._engine.connect() as connection:
            packed = connection.execute(
                select(t.import_job.c.lines).where(t.import_job.c.id == job)
            ).scalar_one_or_none()
        body = orjson.loads(zlib.decompress(packed)) if packed else {"lines": [], "unmatched": []}
        return body["lines"], body["unmatched"]

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

    # The work ---------------------------------------------------------------------------------------

    def _begin(self, job: int, work: Callable[[], None]) -> None:
        def run() -> None:
            try:
                work()
            except StoppedError:
                self._plans.pop(job, None)
            except (SheetError, LockedError, LookupError) as error:
                self._set(job, state="failed", says=f"{error}; nothing was changed")
            except (SQLAlchemyError, MemoryError, ValidationError):
                log.exception("job %d failed", job)
                # Where the database is away, nobody can be told: the job counts as dead once it was silent for long.
                with contextlib.suppress(SQLAlchemyError, StoppedError):
                    self._set(job, state="failed", says="the server could not do it; nothing was changed: try again")
            finally:
                _give_back()

        threading.Thread(target=run, name=f"import {job}", daemon=True).start()

    def _read(self, job: int, data: bytes) -> None:
        with self._room(job, len(data)):
            self._plan(job, data)

    @contextlib.contextmanager
    def _room(self, job: int, size: int) -> Iterator[None]:
        """Wait until no other large file is at work. Raises StoppedError if it is called off meanwhile."""
        if size <= LARGE:
            yield
            return
        with self._engine.connect() as connection:
            # A lock of the session: it goes with the connection, whatever becomes of this thread.
            while not connection.execute(select(func.pg_try_advisory_lock(ROOM_FOR_ONE))).scalar_one():
                connection.commit()
                self._goes_on(job, 0.0)
                self._waits.wait(LOOK_AGAIN_S)
            connection.commit()
            try:
                self._set(job, state="reading", done=0.05)
                yield
            finally:
                connection.execute(select(func.pg_advisory_unlock(ROOM_FOR_ONE)))
                connection.commit()

    def _plan(self, job: int, data: bytes | None = None) -> None:
        """Read a file, or its sheets under other choices, and hold it against the plant."""
        with self._engine.connect() as connection:
            row = connection.execute(
                select(t.import_job.c.sheets, t.import_job.c.choices).where(t.import_job.c.id == job)
            ).first()
            looks = stored_looks(connection) if data is not None else []
        if row is None or (row.sheets is None and data is None):
            raise StoppedError
        choices = Choices.model_validate(row.choices)
        image = self._cache.current()
        wish = wish_for(image, choices, looks)
        brought = bring_apart(row.sheets, wish, packed=True) if data is None else bring_apart(data, wish)
        data = None
        understood = brought.understood
        choices = choices.model_copy(update={"answers": understood["answers"]})
        self._set(job, state="planning", done=0.5, sheets=brought.packed, choices=choices.model_dump(mode="json"))
        says, plan = "", ListPlan(image.seq)
        with _no_looking_through():
            try:
                plan = plan_list(image, understood, choices, lambda share: self._goes_on(job, 0.5 + share / 2))
            except SheetError as error:
                says = str(error)
            lines = {"lines": [line.__dict__ for line in plan.lines], "unmatched": plan.unmatched}
            packed = _zipped(lines)
            del lines
        self._keep(job, _key(choices), plan)
        body = _told(brought, plan)
        del brought, understood
        if not (plan.changes or plan.new or (choices.gone and plan.unmatched)):
            self._set(job, state="ready", done=1.0, says=says, result=_zipped(body), lines=packed)
            return
        # What it would do beyond its cells takes as long again: it is told as soon as it is known, and whoever takes the
        # list in meanwhile waits for that, as it need not be worked out twice.
        known = self._weighed[job] = _Weighed(_key(choices))
        does = None
        try:
            self._set(job, state="ready", done=1.0, says=says, result=_zipped({**body, "weighs": True}), lines=packed)
            does = self._would_do(image, plan, choices, known)
        except (SQLAlchemyError, LookupError, ValueError, MemoryError):
            # The plan stands without it; what is wrong with it is told when it is taken in.
            log.exception("what job %d would do could not be worked out", job)
        finally:
            known.done.set()
        self._tell_weighed(job, _zipped({**body, "does": does}), choices)

    def _keep(self, job: int, key: str, plan: ListPlan) -> None:
        """Keep a plan until it is taken in; of those that nobody came back for, only the newest few."""
        self._plans[job] = key, plan
        for old in sorted(self._plans)[:-MOST_PLANS]:
            self._plans.pop(old, None)
            self._weighed.pop(old, None)

    def _tell_weighed(self, job: int, result: bytes, choices: Choices) -> None:
        """Add what a list would do to a job that still stands as it did."""
        said = choices.model_dump(mode="json")
        with self._engine.begin() as connection:
            connection.execute(
                update(t.import_job)
                .where(t.import_job.c.id == job, t.import_job.c.state == "ready", t.import_job.c.choices == said)
                .values(result=result)
            )

    def _would_do(self, image: PlantImage, plan: ListPlan, choices: Choices, known: _Weighed) -> dict[str, Any]:
        """Findings that would come and go and values that would move."""
        gone = plan.unmatched if choices.gone else []
        with self._engine.connect() as connection:
            known.foreseen = foresee_points(connection, image, plan.changes, plan.new, gone)
        does = known.foreseen.shown
        opened = sorted(does.come, key=lambda f: ("bad", "settle", "note").index(f.severity))
        return {
            "opened": len(opened),
            "closed": len(does.closed),
            "moved": does.moved_count,
            "findings": [{"severity": f.severity, "text": f.text, "rule": f.rule} for f in opened[:MOST_TOLD]],
            "values": [
                {"tag": image.label(image.row_of(m.point)), "at": m.at, "was": m.was, "becomes": m.becomes}
                for m in does.moved[:MOST_TOLD]
            ],
        }

    def _take_in(self, job: int) -> None:
        with self._engine.connect() as connection:
            row = connection.execute(select(t.import_job).where(t.import_job.c.id == job)).one()
        choices = Choices.model_validate(row.choices)
        result = orjson.loads(zlib.decompress(row.result))
        kept = self._plans.pop(job, None)

        def plan(image: PlantImage) -> ListPlan:
            # Only where the plant changed, or another worker read it.
            understood = bring_apart(row.sheets, wish_for(image, choices, ()), packed=True).understood
            return plan_list(image, understood, choices)

        planned = kept[1] if kept and kept[0] == _key(choices) else plan(self._cache.current())
        self._goes_on(job, 0.3)
        weighed = self._weighed.pop(job, None)
        while weighed and not weighed.done.wait(LOOK_AGAIN_S):
            self._goes_on(job, 0.3)
        same = weighed is not None and weighed.key == _key(choices)
        foreseen = weighed.foreseen if weighed is not None and same else None
        self._goes_on(job, 0.6)
        applied, final = apply_plan(
            self._engine, self._cache, plan, planned, choices, row.who, f"import {row.name}"[:60], foreseen
        )
        if choices.answers:
            keys = look([table["columns"] for table in result["tables"]])
            with self._engine.begin() as connection:
                keep_look(connection, row.name, row.who, keys, choices.answers)
        done = result | {"counts": final.counts(), "seq": applied.seq}
        self._set(job, state="done", done=1.0, sheets=None, lines=None, result=_zipped(done))

    def _goes_on(self, job: int, share: float) -> None:
        """Tell how far it is. Raises StoppedError if it was called off."""
        with self._engine.begin() as connection:
            alive = connection.execute(
                update(t.import_job)
                .where(t.import_job.c.id == job, t.import_job.c.state.in_(BUSY))
                .values(done=share, beat=func.now())
            )
        if not alive.rowcount:
            raise StoppedError

    def _set(self, job: int, **values: Any) -> None:
        """Change a job that was not called off. Raises StoppedError if it was."""
        with self._engine.begin() as connection:
            alive = connection.execute(
                update(t.import_job)
                .where(t.import_job.c.id == job, t.import_job.c.state != "called off")
                .values(beat=func.now(), **values)
            )
        if not alive.rowcount:
            raise StoppedError


def wish_for(image: PlantImage, choices: Choices, looks: Sequence[Mapping[str, Any]]) -> Wish:
    """What is wanted of a file, for the plant as it is."""
    return Wish(Seats.of(image.layout), choices.answers, choices.sheet, choices.header, looks, choices.match_by)


def stored_looks(connection: Connection) -> list[dict[str, Any]]:
    """What was answered for lists, the newest first: {"name", "look", "answers"}; or, of old, {"name", "headings"}."""
    rows = connection.execute(select(t.mapping).order_by(t.mapping.c.at.desc(), t.mapping.c.name).limit(MOST_LOOKS))
    return [{"name": row.name, **row.columns} for row in rows]


def keep_look(connection: Connection, name: str, who: str, keys: Sequence[str], answers: Mapping[str, str]) -> None:
    """Keep what was answered for a list of a look under a name, over an older one."""
    values = {"who": who, "columns": {"look": list(keys), "answers": dict(answers)}, "at": func.now()}
    statement = upsert(t.mapping).values(name=name[:60], **values)
    connection.execute(statement.on_conflict_do_update(index_elements=["name"], set_=values))


def _key(choices: Choices) -> str:
    return choices.model_dump_json()


_PAUSES = threading.Lock()
_PAUSED = [0]


@contextlib.contextmanager
def _no_looking_through() -> Iterator[None]:
    """Plan without the collector looking through all that a large list makes, time and again: nothing of it goes."""
    with _PAUSES:
        _PAUSED[0] += 1
        gc.disable()
    try:
        yield
    finally:
        with _PAUSES:
            _PAUSED[0] -= 1
            if not _PAUSED[0]:
                gc.enable()


def _give_back() -> None:
    """Give memory that a large file took back to the machine: the allocator would keep it for the next one."""
    gc.collect()
    with contextlib.suppress(OSError, AttributeError):
        ctypes.CDLL("libc.so.6").malloc_trim(0)


def _zipped(body: Mapping[str, Any]) -> bytes:
    return zlib.compress(orjson.dumps(body), 1)


def _told(brought: Brought, plan: ListPlan) -> dict[str, Any]:
    understood = brought.understood
    tables = [
        {name: table[name] for name in ("sheet", "name", "heads", "data", "columns")}
        | {
            "points": len(table["numbers"]),
            "top": top,
            "out": [{"row": row, "code": code} for row, code, _ in table["out"]][:MOST_TOLD],
        }
        for table, top in zip(understood["tables"], understood["tops"], strict=True)
    ]
    return {
        "sheets": [
            {"name": name, "rows": rows, "told": [asdict(one) for one in told]} for name, rows, told in brought.sheets
        ],
        "tables": tables,
        "beside": understood["beside"],
        "questions": understood["questions"],
        "answered": understood["answered"],
        "more": understood["more"],
        "recalled": understood["recalled"],
        "decimal": understood["decimal"],
        "first": understood["first"],
        "counts": plan.counts(),
        "reasons": plan.reasons(),
        "seq": plan.seq,
        "does": None,
        "weighs": False,
    }
