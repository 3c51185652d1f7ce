"""What a change did or would do, as every route tells it; and why one could not be made."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from flask import Response, jsonify
from pydantic import Field

from canaleta.core.model.image import PlantImage
from canaleta.core.sheet.follows import follow_cells
from canaleta.plant.changes.apply import Applied, Conflict, Planned, Preview, Refusal
from canaleta.plant.changes.undo import NothingToUndo
from canaleta.plant.records.findings import to_body
from canaleta.web.kit.change_event import change_events
from canaleta.web.kit.problems import CellProblem, ProblemError
from canaleta.web.kit.routes import Shape
from canaleta.web.kit.shared import shared

__all__ = [
    "CellRef", "CellText", "ChangedOut", "FindingOut", "MovedOut", "applied_out", "finding_out", "preview_out", "refused", "turned",
]  # fmt: skip


class CellOut(Shape):
    """A cell that changes."""

    point: int
    field: str
    was: str
    becomes: str


class MovedOut(Shape):
    """A value that moves at one level on the wires."""

    point: int
    at: str
    was: str
    becomes: str


class CellRef(Shape):
    """A cell: a point and a field."""

    point: int
    field: str


class CellText(CellRef):
    """A cell and the text that would be typed into it."""

    text: str


class FixOut(Shape):
    """A way to settle a finding."""

    label: str
    edits: list[CellText]


class CauseOut(Shape):
    """What several findings of a rule come from."""

    key: str
    says: str


class WaivedOut(Shape):
    """That a finding was accepted; it holds as long as the facts are those it was accepted for."""

    reason: str
    who: str
    at: str
    holds: bool


class FindingOut(Shape):
    """What does not agree, and the cells it names. harm: what it could cost; trips: a point of it shuts something."""

    key: str
    rule: str
    station: str
    severity: str
    text: str
    cells: list[CellRef]
    fixes: list[FixOut]
    harm: str
    cause: CauseOut | None
    trips: bool
    waived: WaivedOut | None


class RowOut(Shape):
    """A point as a row of the list; empty cells are left out."""

    id: int
    rack: int
    cells: dict[str, str]


class ChangeOut(Shape):
    """A change set as the stream tells everybody, with points, racks and findings.

    cells: (point, field, text) of those that changed and of those that follow from them. added, removed: points that
    came and went. racks: (point, rack) where points that moved are read now, 0 for nowhere. typicals: whether they
    changed. anew: that the list is better read anew; then cells and points are left out.
    """

    seq: int
    at: str
    who: str
    source: str
    cells: list[list[int | str]]
    closed: list[str]
    opened: list[FindingOut]
    added: list[RowOut]
    removed: list[int]
    racks: list[list[int]]
    typicals: bool
    anew: bool


class ChangedOut(Shape):
    """What a proposal did, or would do.

    follows: cells that follow from those that changed. kept: cells an undo left as others made them. left: cells that
    a partial proposal left out, each with the reason. moved_count: of all values that move; moved holds the first of
    them. change: the change set that was made, as the stream tells everybody; null for what is only asked.
    """

    seq: int
    applied: bool
    cells: list[CellOut]
    moved: list[MovedOut]
    moved_count: int = 0
    opened: list[FindingOut]
    closed: list[str]
    follows: list[CellText] = Field(default_factory=list)
    kept: list[CellRef] = Field(default_factory=list)
    left: list[CellProblem] = Field(default_factory=list)
    change: ChangeOut | None = None


def applied_out(done: Applied) -> Response:
    """The answer after a change set."""
    told: list[dict[str, Any]] = []
    if done.made:
        with shared().engine.connect() as connection:
            told = change_events(connection, done.image, done.seq - 1, done.seq)
    return jsonify(
        _out(done.seq, done.preview, done.image)
        | {
            "applied": True,
            "kept": [{"point": p, "field": f} for p, f in done.kept],
            "left": [problem.model_dump() for problem in _problems(done.left)] if done.left else [],
            "change": told[0] if told else None,
        }
    )


def preview_out(image: PlantImage, shown: Preview, left: Planned | None = None) -> Response:
    """The answer before one: what it would do, with nothing written."""
    out = _out(image.seq, shown, image)
    return jsonify(out | {"left": [problem.model_dump() for problem in _problems(left)] if left else []})


def _out(seq: int, shown: Preview, image: PlantImage) -> dict[str, Any]:
    follows = follow_cells(image, ((p, f) for p, f, _, _ in shown.cells))
    return ChangedOut.model_construct(
        seq=seq,
        applied=False,
        cells=[CellOut.model_construct(point=p, field=f, was=was, becomes=now) for p, f, was, now in shown.cells],
        moved=[MovedOut(point=m.point, at=m.at, was=m.was, becomes=m.becomes) for m in shown.moved],
        moved_count=shown.moved_count,
        opened=[FindingOut.model_validate(finding_out(to_body(f))) for f in shown.opened],
        closed=list(shown.closed),
        follows=[CellText.model_construct(point=p, field=f, text=text) for p, f, text in follows],
    ).model_dump()


def finding_out(body: dict[str, Any]) -> dict[str, Any]:
    """A stored finding without what only the server needs."""
    return {name: body[name] for name in FindingOut.model_fields}


def turned(turn: Callable[[], Applied]) -> Response:
    """The answer of an undo, a redo or a revert."""
    try:
        return applied_out(turn())
    except NothingToUndo as nothing:
        raise ProblemError(409, str(nothing)) from nothing


def refused(planned: Planned) -> ProblemError:
    """Why a proposal cannot be applied: 422 for cells that cannot be read, 409 for those that say something else."""
    cells = [_refusal(r) for r in planned.refusals]
    if cells:
        many = "one cell" if len(cells) == 1 else f"{len(cells)} cells"
        return ProblemError(
            422,
            cells[0].says,
            f"{many} cannot be taken; nothing was changed",
            "what was typed is kept: mend it and press Enter, or Esc to leave it as it was",
            cells,
        )
    cells = [_conflict(c) for c in planned.conflicts]
    return ProblemError(
        409, cells[0].says, "nothing was changed", "choose yours or theirs: what you typed is kept", cells
    )


def _problems(planned: Planned) -> list[CellProblem]:
    return [*(_refusal(r) for r in planned.refusals), *(_conflict(c) for c in planned.conflicts)]


def _refusal(r: Refusal) -> CellProblem:
    return CellProblem(point=r.edit.point, field=r.edit.field, typed=r.edit.text, says=r.says)


def _conflict(c: Conflict) -> CellProblem:
    return CellProblem(
        point=c.edit.point,
        field=c.edit.field,
        typed=c.edit.text,
        theirs=c.theirs,
        says=f"{c.by or 'somebody'} changed it to “{c.theirs}” meanwhile",
    )
