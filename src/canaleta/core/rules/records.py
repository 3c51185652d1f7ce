"""Rules about what is on record or live: tests, drift, temporary changes, forces, latched faults, noise, alarms.

They come and go without an edit: no rule of the list can see them, and they block no issue of it. What is read of the
records is passed in, so that these are functions of facts like every other rule.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from canaleta.core.checks.due import Because, Due
from canaleta.core.checks.ladder import PROVED
from canaleta.core.model.field_table import ALARM_LEVELS
from canaleta.core.model.image import PlantImage
from canaleta.core.notation.text import rounded_text
from canaleta.core.rules.finding import PLANT, Cell, Harm, Severity

__all__ = [
    "RECORD_RULES",
    "RecordRule",
    "Stands",
    "Told",
    "alarms_of",
    "drifting",
    "never_came",
    "noisy",
    "runs_apart",
    "standing",
    "unproved",
]


@dataclass(frozen=True)
class RecordRule:
    """One of these rules as the catalogue tells it; see core.rules.rule.Rule."""

    id: str
    name: str
    source: str
    looks: str
    severity: Severity
    harm: Harm


RECORD_RULES: tuple[RecordRule, ...] = (
    RecordRule("R31", "runs other than the list", "what is issued is what runs",
               "settings of racks as they were read last, against the list and its newest issue", "settle", "falsifies"),
    RecordRule("R32", "forced or substituted", "every force has an owner and an end", "values that are held by hand", "settle", "hides"),
    RecordRule("R33", "a fault waits for its reset", "a latched fault is seen before it is reset", "faults that are latched", "settle", "hides"),
    RecordRule("R34", "test missing, failed or expired", "what is said to be proved has a signed record that holds",
               "points that are said to be checked, their newest records, and the interval of tests", "settle", "hides"),
    RecordRule("R50", "a temporary change is still open", "what is changed for a while is put back",
               "lifted wires, jumpers, inhibits and the like, and when they ought to be over", "settle", "hides"),
    RecordRule("R93", "an alarm that stands", "IEC 62682: a standing alarm tells nobody anything any more",
               "alarms that have been there longer than the plant takes for standing", "settle", "hides"),
    RecordRule("R94", "an alarm that never came", "IEC 62682: alarms are reviewed by how they behave",
               "alarms that did not come once in the time that the plant looks back", "note", "hides"),
    RecordRule("R95", "it drifts out of its tolerance", "the line through its checks, with its 95 % band",
               "drift from check to check against the tolerance", "settle", "falsifies"),
)  # fmt: skip
"""R17 stands with the rules of the list and is told of measured noise as well."""
_BY_ID = {rule.id: rule for rule in RECORD_RULES}
SOON_DAYS = 90.0
"""What leaves its tolerance within these days is told; the rest stands in what is due."""
NAMED = 6
"""Points that a line about many names."""


@dataclass(frozen=True)
class Told:
    """What a record or the plant itself tells. points: identities, the first of which the line leads to; keeps: a cell and
    what would be put down in it, where that is known."""

    rule: str
    severity: Severity
    points: tuple[int, ...]
    text: str
    keeps: tuple[Cell, str] | None = None


def _told(id: str, points: Sequence[int], text: str, severity: Severity | None = None) -> Told:
    return Told(id, severity or _BY_ID[id].severity, tuple(points), text)


def unproved(image: PlantImage, due: Mapping[int, Due], proved: set[int], today: float) -> Iterator[Told]:
    """R34. due: by point that was ever checked; proved: points with a signed record that proves a rung; today: in the days
    of `due`.

    A failed test of what trips is bad: it is relied upon. What is missing is one line for all: it has one cause, a list
    that came with words instead of records."""
    trips = image.filled("trips")
    for point, one in due.items():
        row = image.row_of(point)
        if one.because is Because.FAILED:
            bad = bool(trips[row])
            text = f"{image.label(row)}: its last check failed{', and it shuts something' if bad else ''}"
            yield _told("R34", [point], text, "bad" if bad else None)
        elif one.because is Because.INTERVAL and one.day < today:
            days = int(today - one.day)
            late = f"{days} day{'' if days == 1 else 's'} ago" if days else "today"
            yield _told("R34", [point], f"{image.label(row)}: its check ran out {late}")
    status = image.cells["status"]
    bare = [row for row in np.flatnonzero(image.filled("status")).tolist() if status[row] in PROVED]
    bare = [row for row in bare if int(image.ids[row]) not in proved]
    if bare:
        are = "point is" if len(bare) == 1 else "points are"
        text = f"{len(bare)} {are} said to be checked, and no signed record says so: {_named(image, bare)}"
        yield _told("R34", [int(image.ids[row]) for row in bare], text)


def drifting(image: PlantImage, due: Mapping[int, Due], today: float) -> Iterator[Told]:
    """R95: what may be out of its tolerance at its next check, or leaves it soon."""
    for point, one in due.items():
        if one.because is Because.OUT or (one.because is Because.DRIFT and one.day < today + SOON_DAYS):
            days = int(one.day - today)
            label = image.label(image.row_of(point))
            if one.because is Because.OUT:
                text = f"{label}: {one.says}"
            elif days < 0:
                text = f"{label}: {one.says} and may be out of its tolerance by now"
            else:
                text = f"{label}: {one.says} and may leave its tolerance in {days} day{'' if days == 1 else 's'}"
            yield _told("R95", [point], text)


def runs_apart(
    image: PlantImage, where: str, open_: int, points: Sequence[int], says: str, days: float, missing: int = 0
) -> Iterator[Told]:
    """R31, one line a rack. where: its name; open_: settings that are apart and not kept so; says: why it could not be
    compared; days: since it was looked at; missing: places of it that could not be read."""
    there = [p for p in points if image.has(p)]
    when = "today" if days < 1 else f"{days:.0f} day{'' if round(days) == 1 else 's'} ago"
    if says:
        yield _told("R31", there or [PLANT], f"{where} could not be compared, {when}: {says}")
    elif open_ and there:
        settings = "one setting is" if open_ == 1 else f"{open_} settings are"
        bad = bool(image.filled("trips")[[image.row_of(p) for p in there]].any())
        text = f"{where}: {settings} not what the list and its issue say, looked at {when}"
        yield _told("R31", there, text, "bad" if bad else None)
    elif missing:
        places = "one place" if missing == 1 else f"{missing} places"
        yield _told("R31", there or [PLANT], f"{where}: {places} could not be read, looked at {when}")


@dataclass(frozen=True)
class Stands:
    """An alarm that is active. kind: see core.live.alarms.KINDS; hours: since it came."""

    point: int
    kind: str
    hours: float


def standing(image: PlantImage, active: Sequence[Stands]) -> Iterator[Told]:
    """R93: alarms that have been there for longer than the plant's convention."""
    for one in active:
        if one.hours >= image.conventions.standing_h and image.has(one.point):
            label = image.label(image.row_of(one.point))
            stood = f"{one.hours / 24:.0f} days" if one.hours >= 72 else f"{one.hours:.0f} h"
            yield _told("R93", [one.point], f"{label}: alarm {one.kind.upper()} has stood for {stood}")


_LIMITS = {level: f"alarm_{level}" for level in ALARM_LEVELS} | {
    "dev": "alarm_dev",
    "rate": "alarm_rate",
    "state": "alarm_state",
}


def alarms_of(image: PlantImage) -> list[tuple[int, str]]:
    """(point, kind) of every alarm that somebody set, on a channel that is read; of the signal's own fault none."""
    live = image.landed & (image.code("enabled") != 1)
    return [
        (point, kind)
        for kind, name in _LIMITS.items()
        for point in image.ids[live & image.filled(name)].tolist()
    ]  # fmt: skip


def never_came(image: PlantImage, came: set[tuple[int, str]], lately: set[int], days: float) -> Iterator[Told]:
    """R94, one line for all of them. came: alarms that the journal has within those days; lately: points whose alarms were
    set or moved since, of which nothing can be said."""
    quiet = [(p, kind) for p, kind in alarms_of(image) if (p, kind) not in came and p not in lately]
    if not quiet:
        return
    quiet.sort(key=lambda one: image.label(image.row_of(one[0])))
    names = ", ".join(f"{image.label(image.row_of(p))} {kind.upper()}" for p, kind in quiet[:NAMED])
    more = f" and {len(quiet) - NAMED} more" if len(quiet) > NAMED else ""
    have = "alarm has" if len(quiet) == 1 else "alarms have"
    text = (
        f"{len(quiet)} {have} not come once in {days:.0f} days: {names}{more}. Is the limit where somebody would have to"
        " act, and does the alarm reach anybody?"
    )
    yield _told("R94", list(dict.fromkeys(p for p, _ in quiet)), text)


def noisy(image: PlantImage, rows: Sequence[int], sigma: Sequence[float]) -> Iterator[Told]:
    """R17 of measured noise: deadbands narrower than the plant's multiple of it. sigma: of each row's value, in its unit,
    NaN where too little was read."""
    times = image.conventions.deadband_sigmas
    for row, own in zip(rows, sigma, strict=True):
        widths = {name: float(image.number(name)[row]) for name in DEADBANDS}
        there = {name: width for name, width in widths.items() if width > 0}
        if not there or not np.isfinite(own):
            continue
        name = min(there, key=lambda n: there[n])
        if there[name] >= times * own:
            continue
        unit = image.text("value_unit", row)
        which = "the bands" if name == "bands_deadband" else f"alarm {name.split('_')[1].upper()}"
        text = (
            f"{image.label(row)}: the deadband of {which} is {there[name]:g} {unit}, and the value trembled by"
            f" σ {_three(own)} {unit} in the last minutes: it chatters; {times:g} σ are {_three(times * own)} {unit}"
        )
        said = image.number("noise")[row]
        point = int(image.ids[row])
        # What is put down already, and at least so much, is told by the list's own rule.
        keeps = None if said >= own else (Cell(point, "noise"), _three(own))
        yield Told("R17", "settle", (point,), text, keeps)


DEADBANDS = ("bands_deadband", *(f"alarm_{level}_deadband" for level in ALARM_LEVELS))


def _three(x: float) -> str:
    """A figure in three significant digits, as somebody would type it."""
    return rounded_text(float(f"{x:.3g}"))


def _named(image: PlantImage, rows: Sequence[int]) -> str:
    more = f" and {len(rows) - NAMED} more" if len(rows) > NAMED else ""
    return ", ".join(image.label(row) for row in rows[:NAMED]) + more
