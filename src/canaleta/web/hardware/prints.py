"""Documents on paper: asked for of a part of the plant, told how far they are, fetched."""

from __future__ import annotations

from dataclasses import fields
from typing import Literal

from flask import Response, jsonify, request
from pydantic import ConfigDict, Field

from canaleta.exchange.prints.labels import LabelError, Stock
from canaleta.exchange.prints.parts import rows_of
from canaleta.exchange.prints.tables import TABLES
from canaleta.jobs import prints
from canaleta.jobs.prints import DONE, PrintJob, Wanted
from canaleta.web.kit.access import needs, session_now
from canaleta.web.kit.files import handed_out
from canaleta.web.kit.problems import PROBLEMS, ProblemError
from canaleta.web.kit.routes import Shape, routes
from canaleta.web.kit.shared import shared

__all__ = ["api"]

api = routes("prints", __name__, url_prefix="/api/prints", abp_responses=PROBLEMS)
Document = Literal[
    "list", "loops", "terminals", "cables", "cores", "elevations", "cards", "alarms", "registers", "redline", "records",
    "labels devices", "labels terminals", "labels wires",
]  # fmt: skip
MOST_TABLED, MOST_DRAWN = 50_000, 1500
"""Points of one print: of a table, and of what is drawn, signed, or followed along its wires. bench/prints.py says what they
take."""
TABLED = frozenset(("list", *TABLES, "redline")) - {"terminals", "cores"}


class StockIn(Shape):
    """A sheet of labels, mm: see exchange.prints.labels."""

    model_config = ConfigDict(extra="forbid")

    across: int = Field(3, ge=1, le=40)
    down: int = Field(8, ge=1, le=100)
    wide: float = Field(70.0, ge=1, le=420)
    high: float = Field(37.0, ge=1, le=420)
    left: float = Field(0.0, ge=0, le=200)
    top: float = Field(0.5, ge=0, le=200)
    gap_x: float = Field(0.0, ge=0, le=100)
    gap_y: float = Field(0.0, ge=0, le=100)
    sheet: Literal["A4", "A3", "roll"] = "A4"
    skip: int = Field(0, ge=0, le=4000)


class PrintIn(Shape):
    """A document of a part of the plant: part "" for all of it. stock: for labels."""

    model_config = ConfigDict(extra="forbid")

    document: Document
    paper: Literal["A4", "A3"] = "A4"
    part: Literal["", "area", "cabinet", "system"] = ""
    name: str = Field("", max_length=60)
    stock: StockIn = Field(default_factory=lambda: StockIn.model_validate({}))


class PrintOut(Shape):
    """A print that was asked for. done: share of the work; says: at what it is, or why it failed; there: its file can still be
    fetched."""

    id: int
    at: str
    who: str
    document: str
    paper: str
    part: str
    name: str
    state: str
    done: float
    says: str
    there: bool


class PrintsOut(Shape):
    """The newest prints, newest first; and the parts that the plant has."""

    prints: list[PrintOut]
    areas: list[str]
    cabinets: list[str]
    systems: list[str]


class PrintPath(Shape):
    """A print by its number."""

    number: int = Field(ge=0, le=2**62)


@api.get("", responses={200: PrintsOut})
@needs("read")
def all_prints() -> Response:
    """The newest prints, and of what one may print."""
    image = shared().image()
    with shared().engine.connect() as connection:
        out = [_out(job) for job in prints.jobs(connection)]
    areas, systems = (sorted({text for text in image.texts(name) if text}) for name in ("area", "system"))
    cabinets = sorted(c.name for c in image.layout.cabinets.values())
    return jsonify(PrintsOut(prints=out, areas=areas, cabinets=cabinets, systems=systems).model_dump())


@api.post("", responses={200: PrintOut})
@needs("look")
def ask_for(body: PrintIn) -> Response:
    """Have a document printed; it is told under its number how far it is."""
    image = shared().image()
    try:
        rows = rows_of(image, body.part, body.name)
        stock = Stock(**body.stock.model_dump())
        if body.document.startswith("labels "):
            stock.fits()
    except LookupError as error:
        raise ProblemError(422, str(error.args[0]), "nothing was printed", "choose another part") from error
    except LabelError as error:
        raise ProblemError(422, str(error), "nothing was printed", "mend the sizes of the labels") from error
    most = MOST_TABLED if body.document in TABLED else MOST_DRAWN
    if len(rows) > most:
        raise ProblemError(
            422,
            f"{len(rows)} points; one print has {most} at most",
            "nothing was printed",
            "choose an area or a cabinet",
        )
    wanted = Wanted(
        body.document, body.paper, (body.part, body.name), {f.name: getattr(stock, f.name) for f in fields(stock)},
        request.host_url,
    )  # fmt: skip
    number = prints.begin(shared().engine, session_now().account, wanted)
    return jsonify(_out(_found(number)).model_dump())


@api.get("/<int:number>", responses={200: PrintOut})
@needs("read")
def one(path: PrintPath) -> Response:
    """How far a print is."""
    return jsonify(_out(_found(path.number)).model_dump())


@api.get("/<int:number>/file", responses={200: {"content": {"application/pdf": {}}}})
@needs("read")
def file(path: PrintPath) -> Response:
    """The print itself."""
    job = _found(path.number)
    if not _is_there(job):
        raise ProblemError(404, "this print is not there", f"it is {job.state}", "ask for it again")
    name = "-".join(part for part in (job.wanted["document"].replace(" ", "-"), *job.wanted["of"][1:]) if part)
    plain = "".join(letter if letter.isascii() and (letter.isalnum() or letter == "-") else "-" for letter in name)
    return handed_out(prints.kept(shared().engine, job.id), "application/pdf", f"{plain}-{job.id}.pdf")


def _is_there(job: PrintJob) -> bool:
    return job.state == DONE and bool(job.file)


def _found(number: int) -> PrintJob:
    with shared().engine.connect() as connection:
        job = prints.job_of(connection, number)
    if job is None:
        raise ProblemError(404, "there is no such print")
    return job


def _out(job: PrintJob) -> PrintOut:
    part, name = job.wanted["of"]
    there = _is_there(job)
    return PrintOut(
        id=job.id, at=job.at.isoformat(), who=job.who, document=job.wanted["document"], paper=job.wanted["paper"], part=part,
        name=name, state=job.state, done=job.done, says=job.says, there=there,
    )  # fmt: skip
