"""What a proposal is and what it would change: edits read against the list, before anything is written.

Each edit carries the text that stood in the cell when it was made: that decides a conflict.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from canaleta.core.model.fields import Field, Landing, Stored, field_named
from canaleta.core.model.image import PlantImage
from canaleta.core.notation.text import TextError
from canaleta.core.rules import Finding
from canaleta.plant.changes.change_set import CellChanges
from canaleta.plant.changes.entering import enter_row
from canaleta.plant.database.cells import read, same_cell

__all__ = [
    "Applied",
    "Conflict",
    "Edit",
    "Moved",
    "Planned",
    "Preview",
    "Proposal",
    "Refusal",
    "plan",
    "with_landings",
]

MOST_EDITS = 20_000


@dataclass(frozen=True)
class Edit:
    """One cell: the point, the field, the text that stood there and the text typed."""

    point: int
    field: str
    was: str
    text: str


@dataclass(frozen=True)
class Proposal:
    """Edits that belong together. source: where they come from ("typed", "fix R07", "undo" …).

    partial: what cannot be read stays out, and the rest is applied (a paste); else all of them or none.
    """

    edits: tuple[Edit, ...]
    source: str = "typed"
    why: str = ""
    partial: bool = False


@dataclass(frozen=True)
class Refusal:
    """A cell whose text cannot be read. What was typed is handed back."""

    edit: Edit
    says: str


@dataclass(frozen=True)
class Conflict:
    """A cell that changed under the hand: now it says `theirs`."""

    edit: Edit
    theirs: str
    by: str = ""
    at: str = ""


@dataclass(frozen=True)
class Planned:
    """What a proposal would change: {(row, field): stored value}, or why it cannot."""

    changes: CellChanges
    refusals: tuple[Refusal, ...] = ()
    conflicts: tuple[Conflict, ...] = ()

    @property
    def possible(self) -> bool:
        """Whether it can be applied as a whole."""
        return not self.refusals and not self.conflicts


@dataclass(frozen=True)
class Moved:
    """A value that moves: at one level on the wires, what the list showed and what it would show."""

    point: int
    at: str
    was: str
    becomes: str


@dataclass(frozen=True)
class Preview:
    """What a change set does: cells as text, values that move (the first of moved_count), findings that come and go.

    opened holds those that say something else now as well; new are the keys of those that were not there before.
    """

    cells: tuple[tuple[int, str, str, str], ...]
    moved: tuple[Moved, ...]
    moved_count: int
    opened: tuple[Finding, ...]
    closed: tuple[str, ...]
    new: frozenset[str] = frozenset()

    @property
    def come(self) -> tuple[Finding, ...]:
        """Findings that were not there before."""
        return tuple(found for found in self.opened if found.key in self.new)

    @property
    def altered(self) -> tuple[Finding, ...]:
        """Findings that were there before and say something else."""
        return tuple(found for found in self.opened if found.key not in self.new)


@dataclass(frozen=True)
class Applied:
    """A committed change set.

    kept: cells of an undo that others changed since, as (point, field). left: what a partial proposal left out. made:
    whether there is one, for where nothing changes none is made and seq is the newest one's.
    """

    seq: int
    preview: Preview
    image: PlantImage
    kept: tuple[tuple[int, str], ...] = ()
    left: Planned | None = None
    added: tuple[int, ...] = ()
    removed: tuple[int, ...] = ()
    made: bool = True


def plan(image: PlantImage, proposal: Proposal) -> Planned:
    """Read every edit against the image. Edits that change nothing are left out."""
    changes: CellChanges = {}
    refusals, conflicts = [], []
    if len(proposal.edits) > MOST_EDITS:
        edit = proposal.edits[MOST_EDITS]
        return Planned({}, (Refusal(edit, f"more than {MOST_EDITS} cells at once: nothing was changed; take fewer"),))
    by_row: dict[int, dict[str, Edit]] = {}
    for edit in proposal.edits:
        try:
            row, _ = image.row_of(edit.point), _stored(edit.field)
        except KeyError:
            refusals.append(Refusal(edit, "this point or column is no longer there"))
            continue
        now = image.text(edit.field, row)
        if now == edit.was:
            by_row.setdefault(row, {})[edit.field] = edit
        elif now != edit.text:
            conflicts.append(Conflict(edit, now))
    for row, edits in by_row.items():
        values, troubles = _entered(image, row, edits)
        refusals += [Refusal(edits[name], says) for name, says in troubles.items()]
        changes |= {(row, name): value for name, value in values.items()}
    changes = {at: value for at, value in changes.items() if not same_cell(image.cells[at[1]][at[0]], value)}
    return Planned(with_landings(image, changes), tuple(refusals), tuple(conflicts))


def _stored(name: str) -> Field:
    """The field of that name, if people type into it. Raises KeyError."""
    field = field_named(name)
    if not field.stored:
        raise KeyError(name)
    return field


def _entered(image: PlantImage, row: int, edits: Mapping[str, Edit]) -> tuple[dict[str, Stored], dict[str, str]]:
    if len(edits) == 1:
        (name, edit), *_ = edits.items()
        try:
            return read(image, row, field_named(name), edit.text), {}
        except TextError as error:
            return {}, {name: str(error)}
    return enter_row(image, row, {name: edit.text for name, edit in edits.items()})


def with_landings(image: PlantImage, changes: CellChanges) -> CellChanges:
    """Decide who holds a channel that the changes concern.

    It stays with its holder; else it goes to the one that held it before (an undo), else to the first claim.
    """
    moved = {row for row, name in changes if name == "channel"}
    if not moved:
        return changes
    column = image.cells["channel"]
    concerned = {
        tuple(at[:2]) for row in moved for at in (column[row], changes[row, "channel"]) if isinstance(at, Landing)
    }
    claims: dict[tuple[int, ...], list[tuple[bool, bool, int]]] = {}
    for row, at in enumerate(column):
        now = changes.get((row, "channel"), at)
        if isinstance(now, Landing) and tuple(now[:2]) in concerned:
            holds_already = row not in moved and now.landed
            claims.setdefault(tuple(now[:2]), []).append((not holds_already, not now.landed, row))
    out = dict(changes)
    for (module, channel), rows in claims.items():
        for place, (*_, row) in enumerate(sorted(rows)):
            landing = Landing(module, channel, landed=place == 0)
            if column[row] != landing:
                out[row, "channel"] = landing
    return out
