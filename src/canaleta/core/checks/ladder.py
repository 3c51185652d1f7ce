"""The ladder that every point climbs: wired, continuity, powered, loop checked, function tested, accepted.

It records rather than asks: a rung is reached by what somebody did and put a name to. A loop check that passed records the
rungs below it as well, for no loop passes that is not wired, continuous and powered; one that failed takes the upper rungs
away.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from enum import IntEnum, StrEnum

from canaleta.core.checks.days import has_passed
from canaleta.core.model.field_table import LADDER

__all__ = ["BY_HAND", "PROVED", "Block", "Blocker", "Facts", "Rung", "Step", "blockers", "moves", "status_of"]


class Rung(IntEnum):
    """How far a point has come; the words are those of the list's status."""

    WIRED = 0
    CONTINUITY = 1
    POWERED = 2
    LOOP_CHECKED = 3
    FUNCTION_TESTED = 4
    ACCEPTED = 5

    @property
    def words(self) -> str:
        """As the list writes it."""
        return LADDER[self]


BY_HAND = frozenset({Rung.WIRED, Rung.CONTINUITY, Rung.POWERED, Rung.FUNCTION_TESTED})
"""Rungs that somebody marks; the others follow from what is signed."""
SWAP = "device swap"
"""The kind of record that says that another device stands in the old one's place."""
_PROVES = {"loop check": Rung.LOOP_CHECKED, "loop-back": Rung.LOOP_CHECKED, "script": Rung.FUNCTION_TESTED}


@dataclass(frozen=True)
class Step:
    """One rung that is reached or taken away."""

    rung: Rung
    reached: bool


def moves(kind: str, *, passed: bool) -> list[Step]:
    """What a signed record does on the ladder of its points. kind: of the record; nothing for one that proves no rung, as a
    trim or a test of a device alone."""
    if kind == SWAP:
        # Another device has not been checked, whatever the one before it was.
        return [Step(Rung(k), False) for k in range(Rung.LOOP_CHECKED, len(Rung))]
    top = _PROVES.get(kind)
    if top is None:
        return []
    if passed:
        lower = range(Rung.LOOP_CHECKED) if top is Rung.LOOP_CHECKED else ()
        return [*(Step(Rung(k), True) for k in lower), Step(top, True)]
    return [Step(Rung(k), False) for k in range(top, len(Rung))]


PROVED = frozenset(rung.words for rung in Rung if rung >= Rung.LOOP_CHECKED)
"""What a status says that nobody may type: it follows from a signed record."""


def status_of(reached: Mapping[Rung, bool]) -> str:
    """How far a point has come, in the words of its status; "" for one that has not begun. The highest rung counts: who
    function-tests a loop has not measured it, and the rung below stays open on its page."""
    there = [rung for rung, is_there in reached.items() if is_there]
    return max(there).words if there else ""


class Block(StrEnum):
    """Why a point is not accepted."""

    NOT_CHECKED = "not checked"
    FAILED = "failed"
    CHANGED = "changed since"
    SWAPPED = "swapped since"
    OPEN_A = "open A"
    TEMPORARY = "temporary"
    FORCED = "forced"
    INSTRUMENT = "instrument"
    SECOND_SIGNATURE = "second signature"
    ALTERED = "altered"
    UNDER_TEST = "under test"


@dataclass(frozen=True)
class Blocker:
    """One reason, by its code and in words."""

    code: Block
    says: str


@dataclass(frozen=True)
class Facts:
    """What is known of a point before it is accepted.

    record: number of the newest loop check, 0 for none; swap: of the record that another device stands there since, 0 for none
    that is newer; passed, due, day: its result, until when its instrument was
    calibrated, the day it was signed, ISO 8601; sound: it is what was signed. changed: the point changed since in what the check
    depends on. open_a: numbers of punch items of severity A that are open; temporary, forces: what is open, in words.
    locked: who has it under test.
    """

    record: int = 0
    swap: int = 0
    passed: bool = False
    due: str = ""
    day: str = ""
    sound: bool = True
    measured: bool = True
    changed: bool = False
    signatures: int = 1
    wanted_signatures: int = 1
    open_a: tuple[int, ...] = ()
    temporary: tuple[str, ...] = ()
    forces: tuple[str, ...] = ()
    locked: str = ""


def blockers(facts: Facts) -> list[Blocker]:
    """Why a point cannot be accepted, worst first; nothing where it can."""
    out = [Blocker(Block.OPEN_A, f"punch item {number} of severity A is open") for number in facts.open_a]
    out += [Blocker(Block.FORCED, f"a force stands: {words}") for words in facts.forces]
    out += [Blocker(Block.TEMPORARY, f"a temporary change is open: {words}") for words in facts.temporary]
    if facts.locked:
        out.append(Blocker(Block.UNDER_TEST, f"{facts.locked} has it under test, or locked"))
    return out + list(_of_record(facts))


def _of_record(facts: Facts) -> Iterable[Blocker]:
    if not facts.record:
        yield Blocker(Block.NOT_CHECKED, "no loop check is signed")
        return
    if not facts.sound:
        yield Blocker(Block.ALTERED, f"record {facts.record} is not what was signed")
    if not facts.passed:
        yield Blocker(Block.FAILED, f"its last loop check, record {facts.record}, failed")
    if facts.swap:
        yield Blocker(Block.SWAPPED, f"another device stands there since record {facts.swap}: check it")
    if facts.changed:
        yield Blocker(Block.CHANGED, f"it was changed after record {facts.record}: check it again")
    if facts.measured and facts.day and (not facts.due or has_passed(facts.due, facts.day)):
        told = f"was due in {facts.due}" if facts.due else "has no day until which it is calibrated"
        yield Blocker(Block.INSTRUMENT, f"the instrument of record {facts.record} {told}")
    if facts.signatures < facts.wanted_signatures:
        yield Blocker(Block.SECOND_SIGNATURE, f"record {facts.record} wants a second signature")
