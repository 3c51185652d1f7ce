"""Every change to the list: proposed, previewed, applied as one change set, undone.

A proposal is a list of edits, each with the text that stood in the cell and the text that shall. The text
that stood decides a conflict. Applying takes the plant's lock, so that there is one writer at a time.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace

import numpy as np
from sqlalchemy import Connection, Engine, delete, func, insert, select, update

from canaleta.core.checks.checkpoints import TEMPERATURE
from canaleta.core.model.fields import Station, Stored
from canaleta.core.model.image import PlantImage
from canaleta.core.notation.arrays import Floats, Rows
from canaleta.core.notation.text import shown
from canaleta.core.path.evaluate import describe, evaluate
from canaleta.core.rules import RULES, Finding, audit, audit_change
from canaleta.core.rules.masks import process_at
from canaleta.plant.changes.change_set import CellChanges, ChangeSet
from canaleta.plant.changes.proposal import (
    Applied,
    Conflict,
    Edit,
    Moved,
    Planned,
    Preview,
    Proposal,
    Refusal,
    plan,
    with_landings,
)
from canaleta.plant.changes.writing import (
    insert_findings,
    write_conventions,
    write_findings,
    write_layout,
    write_points,
)
from canaleta.plant.database import tables as t
from canaleta.plant.database.connection import notify, take_plant_lock
from canaleta.plant.database.locks import held, refuse_locked
from canaleta.plant.records.findings import from_body, stored_touching, to_body
from canaleta.plant.records.image_cache import ImageCache
from canaleta.plant.records.points import write_added, write_removed
from canaleta.plant.records.records import RecordChange, write_records
from canaleta.plant.records.waivers import Waiver, waivers, with_waivers, write_waived

__all__ = [
    "Applied",
    "Conflict",
    "Edit",
    "Foreseen",
    "Moved",
    "Planned",
    "Preview",
    "Proposal",
    "Refusal",
    "apply",
    "foresee",
    "plan",
    "preview",
    "reaudit",
    "with_landings",
]

Looked = dict[str, set[int] | None]
"""By rule: the points that were looked at again, None for all there are."""
USUAL_DEGC = 100.0
"""Where an element without a range is looked at: every one of them has a figure there."""
MOST_MOVED = 200
MANY_TOUCHED = 2000
"""Points from which the whole plant is audited instead of what they touch."""


@dataclass(frozen=True)
class _Outcome:
    after: PlantImage
    looked: Looked
    findings: list[Finding] = field(default_factory=list)


@dataclass(frozen=True)
class Foreseen:
    """A change set worked out against a plant as it was, with all that it does: it need not be worked out twice."""

    seq: int
    change: ChangeSet
    outcome: _Outcome
    shown: Preview


def foresee(connection: Connection, image: PlantImage, change: ChangeSet) -> Foreseen:
    """What a change set would do, with nothing written; `commit` takes it as long as the plant is the same."""
    change = _settled(image, change)
    outcome = _accepted(connection, _outcome(image, change))
    return Foreseen(image.seq, change, outcome, _preview(connection, image, outcome, change.cells))


def preview(connection: Connection, image: PlantImage, change: ChangeSet) -> Preview:
    """What a change set would do, with nothing written."""
    return _preview(connection, image, _accepted(connection, _outcome(image, change)), change.cells)


def apply(engine: Engine, cache: ImageCache, proposal: Proposal, who: str) -> Applied | Planned:
    """Apply a proposal as one change set, or say in a Planned why it cannot be applied; then nothing is written."""
    with engine.begin() as connection:
        take_plant_lock(connection)
        image = cache.caught_up(connection)
        planned = without_locked(connection, image, plan(image, proposal), proposal, who)
        if planned.conflicts:
            planned = replace(planned, conflicts=tuple(_by_whom(connection, c) for c in planned.conflicts))
        if not planned.possible and not (proposal.partial and planned.changes):
            return planned
        applied = commit(connection, image, ChangeSet(planned.changes), who, proposal.source, proposal.why)
    cache.adopt(applied.image)
    return replace(applied, left=planned) if not planned.possible else applied


def without_locked(
    connection: Connection, image: PlantImage, planned: Planned, proposal: Proposal, who: str
) -> Planned:
    """The plan with edits of rows that somebody else has locked refused."""
    locks = {point: lock for point, lock in held(connection).items() if lock.who != who and image.has(point)}
    rows = {image.row_of(point) for point in locks}
    if not rows & {row for row, _ in planned.changes}:
        return planned
    changes = {at: value for at, value in planned.changes.items() if at[0] not in rows}
    refused = [
        Refusal(edit, locks[edit.point].words)
        for edit in proposal.edits
        if edit.point in locks and (image.row_of(edit.point), edit.field) in planned.changes
    ]
    return replace(planned, changes=changes, refusals=(*planned.refusals, *refused))


def commit(
    connection: Connection,
    image: PlantImage,
    change: ChangeSet,
    who: str,
    source: str,
    why: str = "",
    undoes: int | None = None,
    foreseen: Foreseen | None = None,
) -> Applied:
    """Write one change set inside the caller's transaction, which holds the plant's lock. After conventions and
    hardware everything is audited. foreseen: the same change set worked out before, taken if the plant is as it was. Raises
    LockedError if somebody else has locked a row that it would change."""
    refuse_locked(connection, [*(int(image.ids[row]) for row, _ in change.cells), *change.removed], who)
    if foreseen is not None and foreseen.seq == image.seq:
        change, outcome, shown_change = foreseen.change, foreseen.outcome, foreseen.shown
    else:
        change = _settled(image, change)
        outcome = _accepted(connection, _outcome(image, change), change.records)
        shown_change = _preview(connection, image, outcome, change.cells)
    told_anew = write_waived(connection, change.records)
    shown_change = replace(shown_change, opened=(*shown_change.opened, *told_anew))
    if change.empty and undoes is None:
        return Applied(image.seq, shown_change, image, made=False)
    seq = image.seq + 1
    connection.execute(
        insert(t.change_set).values(
            seq=seq,
            who=who,
            why=why,
            source=source,
            undoes=undoes,
            findings_closed=list(shown_change.closed),
            findings_opened=[to_body(f) for f in shown_change.opened],
        )
    )
    write_removed(connection, change.removed, seq)
    if change.layout is not None:
        write_layout(connection, image, change.cells, change.layout, seq)
    write_points(connection, image, change.cells, seq)
    write_added(connection, change.added, seq)
    write_records(connection, change.records, seq)
    if change.conventions is not None:
        write_conventions(connection, image.conventions, change.conventions, seq)
    write_findings(connection, outcome.looked, outcome.findings, seq)
    connection.execute(update(t.plant).values(seq=seq))
    notify(connection, "canaleta_seq", seq)
    return Applied(
        seq, shown_change, replace(outcome.after, seq=seq), added=tuple(change.added), removed=tuple(change.removed)
    )


def reaudit(connection: Connection, image: PlantImage) -> int:
    """Audit the whole plant and store what is found; for a first load and after an upgrade. Returns the count."""
    found = with_waivers(audit(image), waivers(connection))
    connection.execute(delete(t.finding))
    insert_findings(connection, found, image.seq)
    return len(found)


def _settled(image: PlantImage, change: ChangeSet) -> ChangeSet:
    """The same with who holds the channels that new and changed points claim, where that is in question."""
    claims_new = any("channel" in cells for cells in change.added.values())
    claims_left = change.removed and any(name == "channel" for _, name in change.cells)
    if not claims_new and not claims_left:
        return change
    unclaimed = {n: {f: v for f, v in cells.items() if f != "channel"} for n, cells in change.added.items()}
    joined = image.with_points(unclaimed, change.removed)
    moved: CellChanges = {
        (joined.row_of(int(image.ids[row])), name): value
        for (row, name), value in change.cells.items()
        if joined.has(int(image.ids[row]))
    }
    claims = {
        (joined.row_of(n), "channel"): cells["channel"]
        for n, cells in change.added.items()
        if cells.get("channel") is not None
    }
    settled = with_landings(joined, moved | claims)
    out: CellChanges = {}
    came: dict[int, Mapping[str, Stored]] = {n: dict(cells) for n, cells in unclaimed.items()}
    for (row, name), value in settled.items():
        number = int(joined.ids[row])
        if number in came:
            came[number] = {**came[number], name: value}
        else:
            out[image.row_of(number), name] = value
    return replace(change, cells=out, added=came)


def _outcome(image: PlantImage, change: ChangeSet) -> _Outcome:
    if change.of_cells_alone and not change.cells:
        return _Outcome(image, {})
    after = change.after(image)
    if change.conventions is not None or change.layout is not None:
        return _Outcome(after, dict.fromkeys(rule.id for rule in RULES), list(audit(after)))
    # Whoever wished for a channel that is left is among the changes; whoever shares a name is found by its group.
    touched: dict[int, set[str]] = {
        number: {name for name, value in cells.items() if value is not None}
        for number, cells in (*change.added.items(), *change.removed.items())
    }
    return _looked_at(image, after, change.cells, touched)


def _accepted(connection: Connection, outcome: _Outcome, records: Sequence[RecordChange] = ()) -> _Outcome:
    """The outcome with what was accepted of its findings. records: waivers among them change with it."""
    if not outcome.findings:
        return outcome
    known = waivers(connection)
    for change in records:
        if isinstance(change.was, Waiver):
            known.pop(change.was.key, None)
        if isinstance(change.becomes, Waiver):
            known[change.becomes.key] = change.becomes
    return replace(outcome, findings=with_waivers(outcome.findings, known))


def _looked_at(image: PlantImage, after: PlantImage, changes: CellChanges, touched: dict[int, set[str]]) -> _Outcome:
    """What holds after changes. Of very many, looking at everything is quicker than telling what they touch."""
    for row, name in changes:
        touched.setdefault(int(image.ids[row]), set()).add(name)
    if len(touched) > MANY_TOUCHED:
        return _Outcome(after, dict.fromkeys(rule.id for rule in RULES), list(audit(after)))
    looked, findings = audit_change(image, after, touched)
    return _Outcome(after, dict(looked), findings)


def _preview(connection: Connection, image: PlantImage, outcome: _Outcome, changes: CellChanges) -> Preview:
    before = {f.key: f for f in (from_body(b) for b in stored_touching(connection, outcome.looked))}
    now = {f.key: f for f in outcome.findings}
    moved, moved_count = _moved(image, outcome.after, _may_move(image, outcome.after, {row for row, _ in changes}))
    return Preview(
        cells=tuple(
            (int(image.ids[row]), name, image.text(name, row), _text_after(image, outcome.after, name, row))
            for row, name in changes
        ),
        moved=moved,
        moved_count=moved_count,
        opened=tuple(f for key, f in now.items() if before.get(key) != f),
        closed=tuple(key for key in before if key not in now),
        new=frozenset(now) - frozenset(before),
    )


def _may_move(image: PlantImage, after: PlantImage, changed: set[int]) -> list[int]:
    """Rows whose values may move: those with changed cells, and those on modules whose type is another now; all of
    them where the conventions are."""
    if image.conventions != after.conventions:
        return np.flatnonzero(image.mode >= 0).tolist()
    if image.layout is after.layout:
        return sorted(changed)
    old, new = image.layout, after.layout
    other = [
        number
        for number, module in old.modules.items()
        if number in new.modules and old.types[module.type_key] != new.types[new.modules[number].type_key]
    ]
    return sorted(changed | set(np.flatnonzero(np.isin(image.module, other)).tolist()))


def _text_after(image: PlantImage, after: PlantImage, name: str, row: int) -> str:
    number = int(image.ids[row])
    return after.text(name, after.row_of(number)) if after.has(number) else ""


def _moved(before: PlantImage, after: PlantImage, rows: list[int]) -> tuple[tuple[Moved, ...], int]:
    """Values that move in the middle of the device's range: the first MOST_MOVED in words, and how many they are."""
    at = np.array([row for row in rows if after.has(int(before.ids[row]))], dtype=np.int64)
    if not len(at):
        return (), 0
    # Points come and go: the same one stands in another row afterwards.
    then = (
        at if len(before) == len(after) else np.array([after.row_of(int(n)) for n in before.ids[at]], dtype=np.int64)
    )
    same = before.cells["signal"][at] == after.cells["signal"][then]
    at, then = at[same], then[same]
    loop = _middle(before, at)
    was = evaluate(before, Station.LOOP, loop, at).at(Station.VALUE)
    becomes = evaluate(after, Station.LOOP, loop, then).at(Station.VALUE)
    moves = ~np.isnan(loop) & (was != becomes) & ~(np.isnan(was) & np.isnan(becomes))
    out: list[Moved] = []
    for k in np.flatnonzero(moves).tolist():
        row = int(at[k])
        words, new_words = describe(before, row), describe(after, int(then[k]))
        level = f"{shown(float(loop[k]), words[2].decimals).rstrip('0').rstrip('.')} {words[2].unit}"
        texts = [
            f"{shown(float(v), w[5].decimals)} {w[5].unit}".strip() if not np.isnan(v) else "no value"
            for v, w in ((was[k], words), (becomes[k], new_words))
        ]
        if texts[0] == texts[1]:
            moves[k] = False
        elif len(out) < MOST_MOVED:
            out.append(Moved(int(before.ids[row]), level, texts[0], texts[1]))
        if len(out) == MOST_MOVED:
            break
    return tuple(out), int(moves.sum())


def _middle(image: PlantImage, rows: Rows) -> Floats:
    """What is on each row's wires in the middle of its range, in the unit of LOOP: half of the output of what gives one; of an
    element the temperature in the middle, for half of its millivolts or ohms may be no temperature of it."""
    loop = evaluate(image, Station.DEVICE, 50.0, rows).at(Station.LOOP)
    thermal = np.flatnonzero(np.isin(image.family[rows], TEMPERATURE))
    if len(thermal):
        degc = process_at(image, rows[thermal], 0.5)
        degc = np.where(np.isnan(degc), USUAL_DEGC, degc)
        loop[thermal] = evaluate(image, Station.PROCESS, degc, rows[thermal]).at(Station.LOOP)
    return loop


def _by_whom(connection: Connection, conflict: Conflict) -> Conflict:
    row = connection.execute(
        select(t.change_set.c.who, t.change_set.c.at)
        .join(t.change, t.change.c.seq == t.change_set.c.seq)
        .where(
            t.change.c.entity == "point",
            t.change.c.entity_id == conflict.edit.point,
            func.jsonb_exists(t.change.c.fields, conflict.edit.field),
        )
        .order_by(t.change.c.seq.desc())
        .limit(1)
    ).first()
    return replace(conflict, by=row.who, at=row.at.isoformat()) if row else conflict
