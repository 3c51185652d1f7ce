"""Scripts of injections: written, read back in words, run, and signed as evidence of what was seen within what
time."""

from __future__ import annotations

from typing import Any

from flask import Response, jsonify
from pydantic import ConfigDict, Field

from canaleta.core.checks.scripts import Script, read_script
from canaleta.core.hardware.settings import trips_of
from canaleta.core.model.image import PlantImage
from canaleta.jobs.playing import MISSED, lines_of
from canaleta.plant.changes.climbing import Signing
from canaleta.plant.checks import scripts
from canaleta.plant.checks.scripts import BusyError, Run
from canaleta.web.kit.access import needs, session_now
from canaleta.web.kit.problems import PROBLEMS, ProblemError
from canaleta.web.kit.routes import Shape, routes
from canaleta.web.kit.shared import shared
from canaleta.web.kit.signing import proved, signed

__all__ = ["api"]

api = routes("scripts", __name__, url_prefix="/api", abp_responses=PROBLEMS)
LONGEST = 40_000
PASSED, FAILED = "passed", "failed"


class ScriptName(Shape):
    """A script by its name."""

    name: str = Field(min_length=1, max_length=60, pattern=r"^[^/]+$")


class ScriptIn(Shape):
    """A script to keep. version: the one that was worked on, 0 for a new script."""

    model_config = ConfigDict(extra="forbid")

    text: str = Field(max_length=LONGEST)
    version: int = Field(0, ge=0, le=2**31 - 2)


class ScriptOut(Shape):
    """A script as it is kept."""

    name: str
    text: str
    version: int
    who: str
    at: str


class RunOut(Shape):
    """How a run went. state: runs, done, called off, failed or broken off. missed: expectations that were not seen so
    far. record: of the signed one, 0 for none."""

    id: int
    script: str
    who: str
    at: str
    state: str
    says: str
    missed: int
    record: int


class ScriptsOut(Shape):
    """Every script by name, and the latest runs of any, newest first."""

    scripts: list[ScriptOut]
    runs: list[RunOut]


class ScriptLine(Shape):
    """A step: at, ends in s from the beginning; says: what it means. state: waits, put, seen, not seen or failed.
    began: s from the beginning of the run; after: s from there until it was seen; read: what the scan said then.
    level: what is put on, in the unit of the wires; becomes, in_s: where it gets to, and how soon; fault: what is
    made wrong."""

    line: int
    at: float
    ends: float
    tag: str
    point: int
    says: str
    sees: bool
    state: str
    began: float | None
    after: float | None
    read: str
    level: float | None
    becomes: float | None
    in_s: float
    fault: str


class WrongLine(Shape):
    """A line that cannot be read, and why."""

    line: int
    says: str


class ScriptReadOut(Shape):
    """What a script means: its steps in their order, what cannot be read, what its points can trip."""

    lines: list[ScriptLine]
    problems: list[WrongLine]
    trips: list[str]
    length_s: float


class ScriptTextIn(Shape):
    """A script's text."""

    model_config = ConfigDict(extra="forbid")

    text: str = Field(max_length=LONGEST)


class RunIn(ScriptTextIn):
    """A script to run. trips_known: what its points can trip was read and provided for."""

    name: str = Field("", max_length=60)
    trips_known: bool = False


class RunPath(Shape):
    """A run by its number."""

    number: int = Field(ge=0, le=2**62)


class RunsQuery(Shape):
    """Runs of one script."""

    script: str = Field(max_length=60)


class RunsOut(Shape):
    """Runs, newest first."""

    runs: list[RunOut]


class WholeRunOut(RunOut):
    """A run with its lines and the text that was run."""

    text: str
    lines: list[ScriptLine]


class SignRunIn(Shape):
    """Who signs a run, the password once more, and a remark."""

    model_config = ConfigDict(extra="forbid")

    name: str = Field(min_length=1, max_length=80)
    password: str = Field("", max_length=200)
    note: str = Field("", max_length=400)


@api.get("/scripts", responses={200: ScriptsOut})
@needs("read")
def all_scripts() -> Response:
    """Every script, and the latest runs."""
    return jsonify(_all().model_dump())


def _all() -> ScriptsOut:
    with shared().engine.connect() as connection:
        kept, runs = scripts.scripts(connection), scripts.runs(connection)
    return ScriptsOut(scripts=[_script(s) for s in kept], runs=[_run(r) for r in runs])


@api.put("/scripts/<name>", responses={200: ScriptOut})
@needs("edit")
def keep_script(path: ScriptName, body: ScriptIn) -> Response:
    """Keep a script. One that cannot be read whole is kept as well: nothing typed is lost."""
    with shared().engine.begin() as connection:
        try:
            kept = scripts.keep(connection, path.name, body.text, body.version, session_now().account)
        except scripts.TooManyScriptsError as error:
            raise ProblemError(422, str(error), "nothing was kept", "let one of them go") from error
        if kept is None:
            now = scripts.script_of(connection, path.name)
            says = f"{now.who} changed “{path.name}” meanwhile" if now else f"“{path.name}” was dropped meanwhile"
            if body.version == 0:
                says = f"there is a script “{path.name}” already"
            raise ProblemError(409, says, "what you typed is kept here", "keep it under another name, or reload")
        made = scripts.script_of(connection, path.name)
    assert made is not None
    return jsonify(_script(made).model_dump())


@api.delete("/scripts/<name>", responses={200: ScriptsOut})
@needs("edit")
def drop_script(path: ScriptName) -> Response:
    """Drop a script; its runs and signed records stay."""
    with shared().engine.begin() as connection:
        if not scripts.drop(connection, path.name):
            raise ProblemError(404, f"there is no script “{path.name}”")
    return jsonify(_all().model_dump())


@api.post("/scripts/read", responses={200: ScriptReadOut})
@needs("look")
def read(body: ScriptTextIn) -> Response:
    """What a script means, and what of it cannot be read."""
    image = shared().image()
    script = read_script(image, body.text)
    return jsonify(
        ScriptReadOut(
            lines=[ScriptLine(**line) for line in lines_of(image, script)],
            problems=[WrongLine(line=p.line, says=p.says) for p in script.problems],
            trips=_trips(image, script),
            length_s=script.length_s,
        ).model_dump()
    )


@api.post("/scripts/run", responses={200: RunOut})
@needs("inject")
def run(body: RunIn) -> Response:
    """Run a script: what is put on is taken off again at its end, however it ends."""
    image = shared().image()
    script = read_script(image, body.text)
    if script.problems:
        first = script.problems[0]
        raise ProblemError(422, f"line {first.line}: {first.says}", "nothing was put on", "mend the lines marked")
    if not script.steps:
        raise ProblemError(422, "there is nothing to do in this script", "nothing was put on", "write a line")
    if (trips := _trips(image, script)) and not body.trips_known:
        raise ProblemError(
            409, f"this can trip something: {trips[0]}", "nothing was put on", "say that it is provided for"
        )
    who, name = session_now().account, body.name or "not named"
    points = list(dict.fromkeys(step.point for step in script.steps))
    with shared().engine.begin() as connection:
        try:
            number = scripts.begin_run(
                connection, name, body.text, who, image.seq, points, {"lines": lines_of(image, script)}
            )
        except BusyError as error:
            raise ProblemError(409, str(error), "nothing was put on", "wait for it, or call it off") from error
        made = scripts.run_of(connection, number)
    shared().player.start(number, image, script, who)
    assert made is not None
    return jsonify(_run(made).model_dump())


@api.get("/script-runs", responses={200: RunsOut})
@needs("read")
def runs_of(query: RunsQuery) -> Response:
    """The runs of one script, newest first: how it went each time."""
    with shared().engine.connect() as connection:
        found = scripts.runs(connection, query.script)
    return jsonify(RunsOut(runs=[_run(r) for r in found]).model_dump())


@api.get("/script-runs/<int:number>", responses={200: WholeRunOut})
@needs("read")
def one_run(path: RunPath) -> Response:
    """A run as it stands, line by line."""
    return jsonify(_whole(_found(path.number)).model_dump())


@api.post("/script-runs/<int:number>/stop", responses={200: WholeRunOut})
@needs("inject")
def call_off(path: RunPath) -> Response:
    """Call a run off: nothing more is put on, and what was is taken off."""
    _found(path.number)
    with shared().engine.begin() as connection:
        scripts.note(connection, path.number, state="called off", says=f"called off by {session_now().account}")
    return jsonify(_whole(_found(path.number)).model_dump())


@api.post("/script-runs/<int:number>/sign", responses={200: RunOut})
@needs("edit")
def sign_run(path: RunPath, body: SignRunIn) -> Response:
    """Sign a run that came to its end: a record that never changes, of what was put on and what was seen."""
    made = _found(path.number)
    if made.state != "done":
        raise ProblemError(409, f"this run is not over: {made.state}", "nothing was signed", "run it to its end")
    if made.record:
        raise ProblemError(409, "this run is signed already", "nothing was signed", f"see record {made.record}")
    proved(body.password)
    verdict = FAILED if _missed(made) else PASSED
    document = _document(made, body.note) | {"passes": verdict == PASSED}
    points = tuple(made.points)
    signing = Signing("script", points, f"{verdict}: {made.says}", document, verdict == PASSED, made.seq)
    record = signed(signing, body.name).id
    with shared().engine.begin() as connection:
        scripts.signed(connection, made.id, record)
    return jsonify(_run(_found(path.number)).model_dump())


def _document(made: Run, note: str) -> dict[str, Any]:
    rows = [
        [
            f"{line['began']:.1f}" if line["began"] is not None else "",
            line["tag"],
            line["says"],
            line["state"],
            f"{line['after']:.1f}" if line["after"] is not None else "",
            line["read"],
        ]
        for line in made.body["lines"]
    ]
    return {
        "tag": made.script,
        "service": f"run {made.id}, begun {made.at:%Y-%m-%d %H:%M:%S} UTC by {made.who}",
        "seq": made.seq,
        "lines": ["times in s from the beginning; “after”: from then until it was seen"],
        "points": made.points,
        "note": note,
        "table": {
            "head": ["at", "point", "put or expected", "", "after", "read"],
            "rows": rows,
            "widths": [11, 22, 62, 18, 13, 52],
        },
        "text": made.text,
    }


def _trips(image: PlantImage, script: Script) -> list[str]:
    return [f"{image.label(row)}: {line}" for row in script.put_on for line in trips_of(image, row)]


def _found(number: int) -> Run:
    with shared().engine.connect() as connection:
        made = scripts.run_of(connection, number)
    if made is None:
        raise ProblemError(404, "there is no such run")
    return made


def _script(s: scripts.ScriptRow) -> ScriptOut:
    return ScriptOut(name=s.name, text=s.text, version=s.version, who=s.who, at=s.at.isoformat())


def _missed(r: Run) -> int:
    return sum(line["state"] == MISSED for line in r.body["lines"])


def _told(r: Run) -> dict[str, Any]:
    return {
        "id": r.id,
        "script": r.script,
        "who": r.who,
        "at": r.at.isoformat(),
        "state": r.state,
        "says": r.says,
        "missed": _missed(r),
        "record": r.record,
    }


def _run(r: Run) -> RunOut:
    return RunOut(**_told(r))


def _whole(r: Run) -> WholeRunOut:
    return WholeRunOut(**_told(r), text=r.text, lines=[ScriptLine(**line) for line in r.body["lines"]])
