"""A list at work: read, recognised, planned, weighed, taken in, as its row in the database says.

It is done where the job lives: a small file's in a thread of the web worker that was asked, a large one's in a process of
its own (import_process.py), whose memory goes with it.
"""

from __future__ import annotations

import contextlib
import logging
import threading
import zlib
from collections.abc import Callable, Mapping, Sequence
from dataclasses import asdict, dataclass, field
from typing import Any

import orjson
from pydantic import ValidationError
from sqlalchemy import Connection, Engine, func, select, update
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

__all__ = [
    "BUSY",
    "COULD_NOT",
    "LOOK_AGAIN_S",
    "WORKER",
    "StoppedError",
    "Work",
    "keep_look",
    "set_job",
    "stored_looks",
    "wish_for",
]

log = logging.getLogger("import")
BUSY = ("waiting", "reading", "planning", "taking in")
LOOK_AGAIN_S = 0.5
WORKER = 0x43414E
"""With the number of a job, the lock in the database that the process at work on it holds."""
MOST_TOLD = 40
MOST_LOOKS = 200
"""Lists whose answers are remembered, the newest ones."""
MOST_PLANS = 4
"""Plans that are kept while somebody looks at them."""


Weigh = Callable[[], None]


def _nothing() -> None:
    """Nothing to weigh."""


class StoppedError(Exception):
    """Somebody called the job off."""


@dataclass
class _Weighed:
    """What a list would do, while it is worked out and behind that. key: of the choices that it is worked out for."""

    key: str
    done: threading.Event = field(default_factory=threading.Event)
    foreseen: Foreseen | None = None


class Work:
    """The jobs that are at work in one process."""

    def __init__(self, engine: Engine, cache: ImageCache) -> None:
        self._engine, self._cache = engine, cache
        self._weighed: dict[int, _Weighed] = {}
        self._plans: dict[int, tuple[str, ListPlan]] = {}

    def warm(self) -> None:
        """Load the plant."""
        with contextlib.suppress(LookupError, SQLAlchemyError):
            self._cache.current()

    def forget(self, job: int) -> None:
        """Drop what is kept of a job."""
        self._plans.pop(job, None)
        self._weighed.pop(job, None)

    def guarded(self, job: int, work: Callable[[], None]) -> None:
        """Do something of a job; what goes wrong is told in its row."""
        try:
            work()
        except StoppedError:
            self._plans.pop(job, None)
        except (SheetError, LockedError, LookupError) as error:
            with contextlib.suppress(StoppedError):
                set_job(self._engine, job, state="failed", says=f"{error}; nothing was changed")
        except (SQLAlchemyError, MemoryError, ValidationError):
            log.exception("job %d failed", job)
            # Where the database is away, nobody can be told: the job counts as dead once it was silent for long.
            with contextlib.suppress(SQLAlchemyError, StoppedError):
                set_job(self._engine, job, state="failed", says=COULD_NOT)

    def read(self, job: int, data: bytes) -> Weigh:
        """Read a file and plan it. Returns what weighs the plan, which may be done behind."""
        with self._engine.connect() as connection:
            wish = wish_for(self._cache.caught_up(connection), Choices(), stored_looks(connection))
        return self.plan_brought(job, Choices(), bring_apart(data, wish))

    def plan(self, job: int) -> Weigh:
        """Plan a list that was read before under the choices of its row. Returns what weighs the plan."""
        with self._engine.connect() as connection:
            row = connection.execute(
                select(t.import_job.c.sheets, t.import_job.c.choices).where(t.import_job.c.id == job)
            ).first()
        if row is None or row.sheets is None:
            raise StoppedError
        choices = Choices.model_validate(row.choices)
        wish = wish_for(self._cache.current(), choices, [])
        return self.plan_brought(job, choices, bring_apart(row.sheets, wish, packed=True))

    def plan_brought(self, job: int, choices: Choices, brought: Brought) -> Weigh:
        """Hold a list that was read against the plant and show that. Returns what works out what it would do."""
        image = self._cache.current()
        understood = brought.understood
        choices = choices.model_copy(update={"answers": understood["answers"]})
        self._set(job, state="planning", done=0.5, sheets=brought.packed, choices=choices.model_dump(mode="json"))
        says, plan = "", ListPlan(image.seq)
        try:
            plan = plan_list(image, understood, choices, lambda share: self._goes_on(job, 0.5 + share / 2))
        except SheetError as error:
            says = str(error)
        packed = _zipped(plan.packed())
        self._keep(job, _key(choices), plan)
        body = _told(brought, plan)
        del brought, understood
        if not (plan.changes or plan.adds or (choices.gone and plan.unmatched)):
            self._set(job, state="ready", done=1.0, says=says, result=_zipped(body), lines=packed)
            return _nothing
        # What it would do beyond its cells takes as long again: it is told as soon as it is known, and whoever takes the
        # list in meanwhile waits for that, as it need not be worked out twice.
        known = self._weighed[job] = _Weighed(_key(choices))
        try:
            self._set(job, state="ready", done=1.0, says=says, result=_zipped({**body, "weighs": True}), lines=packed)
        except BaseException:
            known.done.set()
            raise
        return lambda: self._weigh(job, image, plan, choices, known, body)

    def _weigh(
        self, job: int, image: PlantImage, plan: ListPlan, choices: Choices, known: _Weighed, body: dict[str, Any]
    ) -> None:
        does = None
        try:
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

    def take_in(self, job: int) -> None:
        """Take a planned list in."""
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
        set_job(self._engine, job, **values)


COULD_NOT = "the server could not do it; nothing was changed: try again"


def set_job(engine: Engine, job: int, **values: Any) -> None:
    """Change a job that was not called off. Raises StoppedError if it was."""
    with engine.begin() as connection:
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
