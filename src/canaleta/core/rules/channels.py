"""Rules about channels: counts inside what the module counts, channels switched off and used, spares under policy."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from canaleta.core.checks.checkpoints import TEMPERATURE
from canaleta.core.hardware.occupancy import class_of, spares_wanted
from canaleta.core.model.field_table import ALARM_LEVELS, LADDER
from canaleta.core.model.fields import Station, field_named
from canaleta.core.model.image import PlantImage
from canaleta.core.notation.arrays import Rows
from canaleta.core.notation.text import shown
from canaleta.core.rules.finding import Cell, Finding, Fix
from canaleta.core.rules.rule import report, report_of_plant, rule
from canaleta.core.signals.signal_types import Family


@rule(
    "R12",
    "end-point counts outside the module's",
    "a count that the module never gives scales nothing",
    ("counts_low", "counts_high", "value_form", "channel", "mode"),
    looks="typed end-point counts against where the channel stops counting",
    severity="bad",
    harm="falsifies",
)
def counts_outside(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """An end point typed as a count beyond where the channel stops counting."""
    form = image.code("value_form")[rows]
    placed = rows[(image.mode[rows] >= 0) & (form <= 0)]
    table = image.layout.mode_table.numbers
    least, most = (table[name][image.mode[placed]] for name in ("least", "most"))
    for name in ("counts_low", "counts_high"):
        typed = image.number(name)[placed]
        for at in np.flatnonzero((typed < least) | (typed > most)).tolist():
            row, point = int(placed[at]), int(image.ids[int(placed[at])])
            low, high = shown(float(least[at]), 0), shown(float(most[at]), 0)
            yield report(
                image,
                "R12",
                [row],
                Station.COUNTS,
                f"{shown(float(typed[at]), 0)} is never reached: {image.text('mode', row)} counts from {low} to {high}",
                (name,),
                about=f"{point}:{name}",
                fixes=(Fix("as signal and module make it", ((Cell(point, name), ""),)),),
            )


_USES = ("trips", "used_by", *(f"alarm_{level}" for level in ALARM_LEVELS), "alarm_state")


@rule(
    "R26",
    "used but disabled",
    "a channel that is switched off reads nothing",
    ("tag", "enabled", "channel", "status", *_USES),
    looks="channels switched off against what rests on them",
    harm="hides",
)
def used_but_off(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """A channel that is off while something rests on it, or on a point that is said to be in service."""
    off = rows[image.code("enabled")[rows] == 1]
    for row in off.tolist():
        uses = [name for name in _USES if image.cells[name][row] is not None]
        accepted = image.text("status", row) in ("loop-checked", "function-tested", "accepted")
        if not uses and not accepted:
            continue
        point = int(image.ids[row])
        words = {"trips": "it shuts something", "used_by": "a control works with it"}
        why = words.get(uses[0], "it has an alarm") if uses else f"it is {image.text('status', row)}"
        yield report(
            image,
            "R26",
            [row],
            Station.INPUT,
            f"the channel of {image.label(row)} is off, but {why}",
            ("enabled", *uses[:2]),
            severity="bad" if "trips" in uses else "settle",
            fixes=(Fix("enable it", ((Cell(point, "enabled"), "yes"),)),),
        )


@rule(
    "R25",
    "spares under policy",
    "the plant's share of spare channels",
    ("channel",),
    scope="plant",
    looks="unused channels of each class in each cabinet against the policy",
    harm="confuses",
    severity="note",
)
def too_few_spares(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """A cabinet that holds fewer unused channels of a class than the policy asks for."""
    if not image.conventions.reserve.spare_share:
        return
    layout, share = image.layout, image.conventions.reserve.spare_share
    numbers, used = np.unique(image.module[image.landed], return_counts=True)
    held = dict(zip(numbers.tolist(), used.tolist(), strict=True))
    classes = {key: class_of(kind) for key, kind in layout.types.items()}
    channels: dict[tuple[int, str], list[int]] = {}
    for module in layout.modules.values():
        if count := layout.types[module.type_key].channels:
            place = channels.setdefault((layout.racks[module.rack].cabinet, classes[module.type_key]), [0, 0])
            place[0] += count
            place[1] += held.get(module.id, 0)
    for (number, name), (count, taken) in sorted(channels.items()):
        wanted = spares_wanted(share, count)
        if count - taken >= wanted:
            continue
        cabinet = layout.cabinets[number].name
        yield report_of_plant(
            "R25",
            f"{cabinet}:{name}",
            Station.INPUT,
            f"{cabinet} keeps {count - taken} of {count} {name} channels unused; {100 * share:g} % asks for {wanted}",
        )


_PAIRS = (("device_low", "device_high"), ("value_low", "value_high"))


@rule(
    "R72",
    "half of it is said",
    "nothing can be worked out from one end of a range, nor read without a signal",
    ("signal", "channel", *(name for pair in _PAIRS for name in pair), "value_form"),
    harm="hides",
    looks="channels without a signal, ranges with one end",
)
def half_typed(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """A point that holds a channel and has no signal; a range of which one end is there and the other follows
    nothing."""
    bare = image.landed[rows] & ~image.filled("signal")[rows]
    for row in rows[bare].tolist():
        text = "it holds a channel and has no signal: nothing can be read from it"
        yield report(
            image, "R72", [row], Station.DEVICE, text, ("signal", "channel"), about=f"{int(image.ids[row])}:signal"
        )
    # Kept as slope and offset, the ends of the value follow.
    two_points = image.code("value_form")[rows] <= 0
    for pair, by_itself in zip(_PAIRS, (np.ones(len(rows), dtype=bool), two_points), strict=True):
        low, high = (image.filled(name)[rows] for name in pair)
        for row in rows[(low != high) & by_itself].tolist():
            there, missing = pair if image.filled(pair[0])[row] else pair[::-1]
            field, other = field_named(there), field_named(missing)
            text = f"{field.station.lower()} {field.label} is {image.text(there, row)} and {other.label} is missing: half a range"
            yield report(image, "R72", [row], field.station, text, pair, about=f"{int(image.ids[row])}:{there}")


_NEEDED = ("signal", "channel", "mode", "device_low", "device_high", "value_low", "value_high")
_PROVED = ("loop-checked", "function-tested", "accepted")


@rule(
    "R64",
    "said to be proved and not complete",
    "what has no range cannot have been checked against it",
    ("status", *_NEEDED, "value_form", "value_law"),
    harm="confuses",
    looks="points said to be checked, and what their record lacks",
)
def incomplete(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """A point that is said to be loop-checked or more and has no signal, no channel, no mode or no range."""
    ladder = [LADDER.index(step) for step in _PROVED]
    rows = rows[np.isin(image.code("status")[rows], ladder)]
    family, derived = image.family[rows], image.code("value_form")[rows] > 0
    few = np.isin(family, (*TEMPERATURE, Family.CONTACT)) | derived
    asked = np.array([3, 5, len(_NEEDED)])[np.where(few, 0, np.where(family == Family.NONE, 1, 2))]
    lacks = np.stack([~image.filled(name)[rows] & (k < asked) for k, name in enumerate(_NEEDED)])
    for at in np.flatnonzero(lacks.any(axis=0)).tolist():
        row = int(rows[at])
        missing = [name for k, name in enumerate(_NEEDED) if lacks[k, at]]
        labels = " and ".join(
            dict.fromkeys(f"{field_named(n).station.lower()} {field_named(n).label}" for n in missing)
        )
        text = f"it is said to be {image.text('status', row)}, and lacks {labels}"
        yield report(image, "R64", [row], Station.CHECKS, text, ("status", *missing))
