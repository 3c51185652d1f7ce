"""Prints, each made by a process of its own (file_work.py): one document, of a part of the plant."""

from __future__ import annotations

import os
import sys
import time
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import asdict, dataclass
from datetime import UTC, datetime
from typing import TYPE_CHECKING, Any, Literal

from sqlalchemy import ColumnElement, Connection, Engine, true

from canaleta.jobs.file_work import DONE, FAILED, WORKS, FileWork
from canaleta.plant.database import tables as t

if TYPE_CHECKING:
    from canaleta.core.model.image import PlantImage
    from canaleta.exchange.prints.paper import About
    from canaleta.plant.checks.evidence import Countersignature

__all__ = ["DONE", "FAILED", "WORKS", "PrintJob", "Wanted", "begin", "job_of", "jobs", "kept", "make"]

_WORK = FileWork(t.print_job, "canaleta.jobs.prints", "prints")
RECORDS = "records"
TELL_S = 0.5


@dataclass(frozen=True)
class Wanted:
    """What is printed. document: "list", "records", one of exchange.prints.DOCUMENTS, or "labels terminals", "labels wires", "labels
    devices"; of: the part of the plant, ("", "") for all of it: ("area", "kilns"), ("cabinet", "KC-2"), ("system", …); stock: of
    labels; address: of this program, for codes."""

    document: str
    paper: Literal["A4", "A3"]
    of: tuple[str, str]
    stock: Mapping[str, Any]
    address: str


@dataclass(frozen=True)
class PrintJob:
    """A print that was asked for."""

    id: int
    at: datetime
    who: str
    wanted: dict[str, Any]
    state: str
    done: float
    says: str
    beat: datetime
    file: str


def begin(engine: Engine, who: str, wanted: Wanted) -> int:
    """Have it printed. Returns the number of the job."""
    return _WORK.begin(engine, {"who": who, "wanted": asdict(wanted)})


def kept(engine: Engine, number: int) -> Iterator[bytes]:
    """The bytes of a print that is there."""
    return _WORK.kept(engine, number)


def job_of(connection: Connection, number: int) -> PrintJob | None:
    """One job as it stands."""
    return next(iter(_read(connection, t.print_job.c.id == number)), None)


def jobs(connection: Connection, most: int = 20) -> list[PrintJob]:
    """The newest jobs, newest first."""
    return _read(connection, true(), most)


def _read(connection: Connection, of: ColumnElement[bool], most: int = 1) -> list[PrintJob]:
    return [PrintJob(**row) for row in _WORK.rows(connection, of, most)]


def make(engine: Engine, number: int) -> None:
    """Do the work of a job, in this process. Raises LookupError in words where it cannot be."""
    from canaleta.exchange.list_print import Issue, printed_list
    from canaleta.exchange.prints.documents import printed
    from canaleta.exchange.prints.labels import LabelError, Stock, labels
    from canaleta.exchange.prints.paper import About
    from canaleta.exchange.prints.parts import as_issued, rows_of
    from canaleta.plant.changes.revisions import document_of, points_of, revisions
    from canaleta.plant.records.image_cache import ImageCache
    from canaleta.plant.records.plant import plant_name

    last = 0.0

    def told(share: float) -> None:
        nonlocal last
        if time.monotonic() - last > TELL_S:
            last = time.monotonic()
            _WORK.say(engine, number, done=0.1 + 0.85 * share, says="drawing")

    with engine.connect() as connection:
        job = job_of(connection, number)
        assert job is not None
        _WORK.say(engine, number, done=0.02, says="gathering")
        image, plant = ImageCache(engine).caught_up(connection), plant_name(connection)
        issued = next((r for r in revisions(connection) if r.state == "issued"), None)
        points = points_of(document_of(connection, issued.id)) if issued else {}
    wanted = Wanted(**{**job.wanted, "of": tuple(job.wanted["of"])})
    rows = rows_of(image, *wanted.of)
    day = f"{datetime.now(UTC):%Y-%m-%d}"
    signed = tuple((s.meaning, f"{s.name} {s.at[:10]}") for s in issued.signatures) if issued else ()
    if wanted.document.startswith("labels "):
        kind: Any = wanted.document.removeprefix("labels ")
        try:
            body = labels(image, rows, kind, Stock(**wanted.stock), wanted.address)
        except LabelError as error:
            raise LookupError(str(error)) from error
    elif wanted.document == RECORDS:
        with engine.connect() as connection:
            those = [int(image.ids[row]) for row in rows]
            body = _records(
                connection, image, those, About(plant, issued.mark if issued else "", day, signed), wanted, told
            )
    elif wanted.document == "list":
        body = printed_list(
            image, rows.tolist(), plant, day, Issue(issued.mark, points) if issued else Issue(), wanted.paper, told
        )
    else:
        about = About(plant, issued.mark if issued else "", day, signed)
        body = printed(
            wanted.document, image, rows, about, wanted.paper, as_issued(image, points) if issued else None, told
        )
    file = _WORK.place(f"canaleta-print-{number}-{os.getpid()}.pdf")
    file.write_bytes(body)
    _WORK.keep(engine, number, file)


def _records(
    connection: Connection, image: PlantImage, points: Sequence[int], about: About, wanted: Wanted,
    told: Callable[[float], None],
) -> bytes:  # fmt: skip
    from canaleta.exchange.prints.records import check_records
    from canaleta.plant.checks.evidence import countersignatures, newest_of

    place = {point: k for k, point in enumerate(points)}
    records = sorted(newest_of(connection, points), key=lambda record: (place[record.point], record.at))
    under: dict[int, list[Countersignature]] = {}
    for one in countersignatures(connection, [record.id for record in records]):
        under.setdefault(one.record, []).append(one)
    tested = {record.point for record in records}
    untested = [image.label(image.row_of(point)) for point in points if point not in tested]
    return check_records(records, under, untested, about, wanted.paper, told)


if __name__ == "__main__":
    sys.exit(_WORK.main(make))
