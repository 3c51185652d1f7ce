"""Work on a list that is brought in: read, recognised, planned, taken in; told as it goes, and stopped at any time.

A job is a row of the database, so that any web worker can tell how far it is; the work itself is done in a thread of
the worker that was asked. If that worker ends, the job is told as interrupted: nothing was changed.
"""

from __future__ import annotations

import logging
import threading
import zlib
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import orjson
from pydantic import ValidationError
from sqlalchemy import Connection, Engine, delete, func, insert, select, text, update
from sqlalchemy.dialects.postgresql import insert as upsert
from sqlalchemy.exc import SQLAlchemyError

from canaleta.core.model.image import PlantImage
from canaleta.exchange.bring_in import Choices, ListPlan, apply_plan, plan_list
from canaleta.exchange.recognise import FoundList, find_list, find_page, signature
from canaleta.exchange.sheets import Page, SheetError, read_apart
from canaleta.plant.changes.rows import preview_points
from canaleta.plant.database import tables as t
from canaleta.plant.database.locks import LockedError
from canaleta.plant.records.image_cache import ImageCache

__all__ = ["Job", "Jobs", "TooManyJobsError", "keep_mapping", "stored_mappings"]

log = logging.getLogger("import")
BUSY = ("reading", "planning", "taking in")
SILENT_S = 90
"""How long a job may say nothing, as it does while its change set is written, before it counts as dead."""
KEPT_HOURS = 24
MOST_TOLD = 40
MOST_OF_ONE = 2
"""Lists that one person may have at work at once: each reads its file in a process of its own."""


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


class Jobs:
    """The jobs that one web worker starts."""

    def __init__(self, engine: Engine, cache: ImageCache) -> None:
        self._engine, self._cache = engine, cache
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
            row = insert(t.import_job).values(who=who, name=name[:120], state="reading").returning(t.import_job.c.id)
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
                self._set(job, state="failed", says="the server could not do it; nothing was changed: try again")

        threading.Thread(target=run, name=f"import {job}", daemon=True).start()

    def _read(self, job: int, data: bytes) -> None:
        pages = read_apart(data)
        packed = zlib.compress(orjson.dumps([[page.name, page.rows] for page in pages]), 1)
        self._set(job, state="planning", done=0.1, sheets=packed)
        self._plan(job, pages)

    def _plan(self, job: int, pages: Sequence[Page] | None = None) -> None:
        with self._engine.connect() as connection:
            row = connection.execute(
                select(t.import_job.c.sheets, t.import_job.c.choices).where(t.import_job.c.id == job)
            ).first()
            mappings = stored_mappings(connection)
        if row is None or row.sheets is None:
            raise StoppedError
        pages = pages or _unpacked(row.sheets)
        choices = Choices.model_validate(row.choices)
        image = self._cache.current()
        sheet = choices.sheet if choices.sheet is not None else find_page(pages, image.layout)
        if sheet >= len(pages):
            raise SheetError(f"the file has {len(pages)} sheets")
        page = pages[sheet]
        found = find_list(page, image.layout, choices.header)
        known = next((name for name, kept in mappings.items() if kept["signature"] == signature(found)), "")
        if known:
            found = find_list(page, image.layout, choices.header, mappings[known]["headings"])
        says, plan, does = "", ListPlan(image.seq), None
        try:
            plan = plan_list(image, page, found, choices, lambda share: self._goes_on(job, share))
            does = self._would_do(image, plan, choices)
        except SheetError as error:
            says = str(error)
        self._plans[job] = _key(choices), plan
        self._set(
            job,
            state="ready",
            done=1.0,
            says=says,
            result=_packed(pages, sheet, page, found, plan, choices, known, does),
            lines=zlib.compress(
                orjson.dumps({"lines": [line.__dict__ for line in plan.lines], "unmatched": plan.unmatched}), 1
            ),
        )

    def _would_do(self, image: PlantImage, plan: ListPlan, choices: Choices) -> dict[str, Any] | None:
        """Findings that would come and go and values that would move; None for a plan that changes nothing."""
        gone = plan.unmatched if choices.gone else []
        if not (plan.changes or plan.new or gone):
            return None
        with self._engine.connect() as connection:
            does = preview_points(connection, image, plan.changes, plan.new, gone)
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
        page = _unpacked(row.sheets)[result["sheet"]]
        found = FoundList(
            result["header"],
            tuple(result["headings"]),
            {int(c): x for c, x in result["targets"].items()},
            {int(c): unit for c, unit in result["units"].items()},
        )

        def plan(image: PlantImage) -> ListPlan:
            return plan_list(image, page, found, choices)

        kept = self._plans.pop(job, None)
        planned = kept[1] if kept and kept[0] == _key(choices) else plan(self._cache.current())
        self._goes_on(job, 0.3)
        applied, final = apply_plan(
            self._engine, self._cache, plan, planned, choices, row.who, f"import {row.name}"[:60]
        )
        done = result | {"counts": final.counts(), "seq": applied.seq}
        self._set(job, state="done", done=1.0, sheets=None, lines=None, result=zlib.compress(orjson.dumps(done), 1))

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


def stored_mappings(connection: Connection) -> dict[str, dict[str, Any]]:
    """Mappings kept by name: {"headings": {heading: field}, "signature": …}."""
    return {row.name: row.columns for row in connection.execute(select(t.mapping).order_by(t.mapping.c.name))}


def keep_mapping(connection: Connection, name: str, who: str, headings: Mapping[str, str], sign: str) -> None:
    """Keep a mapping under a name, over an older one."""
    values = {"who": who, "columns": {"headings": dict(headings), "signature": sign}, "at": func.now()}
    statement = upsert(t.mapping).values(name=name, **values)
    connection.execute(statement.on_conflict_do_update(index_elements=["name"], set_=values))


def _unpacked(packed: bytes) -> tuple[Page, ...]:
    return tuple(Page(name, tuple(tuple(r) for r in rows)) for name, rows in orjson.loads(zlib.decompress(packed)))


def _key(choices: Choices) -> str:
    return choices.model_dump_json()


def _packed(
    pages: Sequence[Page],
    sheet: int,
    page: Page,
    found: FoundList,
    plan: ListPlan,
    choices: Choices,
    known: str,
    does: dict[str, Any] | None,
) -> bytes:
    targets = {**found.targets, **choices.columns}
    body = {
        "sheets": [{"name": p.name, "rows": len(p.rows)} for p in pages],
        "sheet": sheet,
        "header": found.last,
        "headings": found.headings,
        "targets": {str(column): target for column, target in targets.items()},
        "units": {str(column): unit for column, unit in found.units.items()},
        "signature": signature(found),
        "mapping": known,
        "top": [list(row[:40]) for row in page.rows[: max(found.last + 4, 8)]][:60],
        "counts": plan.counts(),
        "seq": plan.seq,
        "does": does,
    }
    return zlib.compress(orjson.dumps(body), 1)
