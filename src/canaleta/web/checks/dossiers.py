"""Dossiers: asked for, told how far they are, fetched."""

from __future__ import annotations

from typing import Literal

from flask import Response, jsonify
from pydantic import ConfigDict, Field

from canaleta.jobs import dossiers
from canaleta.jobs.dossiers import DONE, DossierJob
from canaleta.web.kit.access import needs, session_now
from canaleta.web.kit.files import handed_out
from canaleta.web.kit.problems import PROBLEMS, ProblemError
from canaleta.web.kit.routes import Shape, routes
from canaleta.web.kit.shared import shared
from canaleta.web.kit.signing import proved

__all__ = ["api"]

api = routes("dossiers", __name__, url_prefix="/api", abp_responses=PROBLEMS)
KINDS = {"pdf": "application/pdf", "zip": "application/zip"}


class DossierIn(Shape):
    """What is handed over: one system, or the whole plant where it is ''; by whom, with the password once more. form: one signed
    PDF, or the same as files in a ZIP."""

    model_config = ConfigDict(extra="forbid")

    system: str = Field("", max_length=60)
    form: Literal["pdf", "zip"] = "pdf"
    name: str = Field(min_length=1, max_length=80)
    password: str = Field("", max_length=200)


class DossierOut(Shape):
    """A dossier that was asked for. state: works, done or failed; done: share of the work; says: at what it is, or why it failed;
    there: its file can still be fetched; hash: SHA-256 of the file."""

    id: int
    at: str
    name: str
    system: str
    form: str
    state: str
    done: float
    says: str
    there: bool
    hash: str


class DossiersOut(Shape):
    """The newest dossiers, newest first, and the systems of the plant with how many points each has."""

    dossiers: list[DossierOut]
    systems: dict[str, int]


class DossierPath(Shape):
    """A dossier by its number."""

    number: int = Field(ge=0, le=2**62)


@api.get("/dossiers", responses={200: DossiersOut})
@needs("read")
def all_dossiers() -> Response:
    """The newest dossiers, and what systems there are."""
    systems: dict[str, int] = {}
    for name in shared().image().texts("system"):
        if name:
            systems[name] = systems.get(name, 0) + 1
    with shared().engine.connect() as connection:
        out = [_out(job) for job in dossiers.jobs(connection)]
    return jsonify(DossiersOut(dossiers=out, systems=dict(sorted(systems.items()))).model_dump())


@api.post("/dossiers", responses={200: DossierOut})
@needs("edit")
def ask_for(body: DossierIn) -> Response:
    """Have a dossier made and signed by the plant; it is told under its number how far it is."""
    system = body.system.strip()
    if system and system not in set(shared().image().texts("system")):
        raise ProblemError(
            422, f"no point belongs to the system “{system}”", "nothing was made", "name one of the column “system”"
        )
    proved(body.password)
    number = dossiers.begin(shared().engine, system, body.form, session_now().account, body.name.strip())
    return jsonify(_out(_found(number)).model_dump())


@api.get("/dossiers/<int:number>", responses={200: DossierOut})
@needs("read")
def one(path: DossierPath) -> Response:
    """How far a dossier is."""
    return jsonify(_out(_found(path.number)).model_dump())


@api.get("/dossiers/<int:number>/file", responses={200: {"content": {"application/pdf": {}, "application/zip": {}}}})
@needs("read")
def file(path: DossierPath) -> Response:
    """The dossier itself."""
    job = _found(path.number)
    if not _is_there(job):
        raise ProblemError(404, "this dossier is not there", f"it is {job.state}", "ask for it again")
    day = f"{job.at:%Y-%m-%d}"
    return handed_out(dossiers.kept(shared().engine, job.id), KINDS[job.form], f"dossier-{day}-{job.id}.{job.form}")


def _is_there(job: DossierJob) -> bool:
    return job.state == DONE and bool(job.file)


def _found(number: int) -> DossierJob:
    with shared().engine.connect() as connection:
        job = dossiers.job_of(connection, number)
    if job is None:
        raise ProblemError(404, "there is no such dossier")
    return job


def _out(job: DossierJob) -> DossierOut:
    return DossierOut(
        id=job.id, at=job.at.isoformat(), name=job.name, system=job.system, form=job.form, state=job.state,
        done=job.done, says=job.says, there=_is_there(job),
        hash=job.hash,
    )  # fmt: skip
