"""Files out and in: the project file, and lists as CSV with a dry run first."""

from __future__ import annotations

from flask import Response, jsonify
from flask_openapi3.blueprint import APIBlueprint
from flask_openapi3.models.file import FileStorage
from pydantic import BaseModel, ConfigDict

from canaleta.exchange.bring_in import Brought, bring_in, plan_list
from canaleta.exchange.csv_list import CsvError, read_csv_apart
from canaleta.exchange.project import Project, project_of, written_project
from canaleta.web.doors import needs, session_now
from canaleta.web.problems import PROBLEMS, ProblemError
from canaleta.web.shared import shared

__all__ = ["api"]

api = APIBlueprint("exchange", __name__, url_prefix="/api", abp_responses=PROBLEMS)


class ListFile(BaseModel):
    """A list as a CSV file."""

    model_config = ConfigDict(arbitrary_types_allowed=True)

    file: FileStorage
    apply: bool = False


class TroubleOut(BaseModel):
    """A cell or row that was not taken, by its row in the file."""

    row: int
    header: str
    typed: str
    says: str


class BroughtOut(BaseModel):
    """What a list does: how its columns are read, what comes, what changes, what stays out."""

    applied: bool
    seq: int
    columns: dict[str, str]
    ignored: list[str]
    added: int
    changed: int
    cells: int
    same: int
    troubles: list[TroubleOut]
    more_troubles: int


@api.get("/project", responses={200: None})
@needs("read")
def project_file() -> Response:
    """The whole plant as a project file."""
    with shared().engine.connect() as connection:
        project = project_of(connection)
    response = Response(written_project(project), content_type="application/json")
    name = "".join(c if c.isascii() and c.isalnum() else "-" for c in project.name.lower()).strip("-") or "plant"
    response.headers["Content-Disposition"] = f'attachment; filename="{name}.canaleta.json"'
    return response


@api.get("/project/schema", responses={200: None})
@needs("read")
def project_schema() -> Response:
    """The JSON schema of the project file."""
    return jsonify(Project.model_json_schema())


@api.post("/lists", responses={200: BroughtOut})
@needs("edit")
def bring(form: ListFile) -> Response:
    """Read a list; with `apply` take it in as one change set. 422 says why it cannot be read."""
    try:
        sheet = read_csv_apart(form.file.read())
        if form.apply:
            name = (form.file.filename or "a list")[:60]
            done = bring_in(shared().engine, shared().keeper, sheet, session_now().account, f"import {name}")
        else:
            done = plan_list(shared().image(), sheet).said
    except CsvError as error:
        raise ProblemError(422, str(error), "nothing was changed", "mend the file and choose it again") from error
    return jsonify(_out(done, form.apply).model_dump())


def _out(done: Brought, applied: bool) -> BroughtOut:
    return BroughtOut(
        applied=applied, seq=done.seq, columns=done.columns, ignored=list(done.ignored), added=done.added,
        changed=done.changed, cells=done.cells, same=done.same, more_troubles=done.more_troubles,
        troubles=[TroubleOut(row=t.row, header=t.header, typed=t.typed, says=t.says) for t in done.troubles],
    )  # fmt: skip
