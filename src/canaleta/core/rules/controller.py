"""Rules about what the controller and its people make of a value: the raw word's type, displays, limits, alarms that
say nothing."""

from __future__ import annotations

from collections.abc import Iterator
from functools import lru_cache
from itertools import pairwise

import numpy as np

from canaleta.core.model.field_table import ALARM_LEVELS
from canaleta.core.model.fields import Station
from canaleta.core.model.image import PlantImage
from canaleta.core.notation.arrays import Rows
from canaleta.core.notation.text import TextError, plain_figure, shown
from canaleta.core.notation.units import factor_and_offset
from canaleta.core.path.joints.base import PathRows
from canaleta.core.path.joints.linear import loop_ohm
from canaleta.core.rules.finding import Cell, Finding, Fix
from canaleta.core.rules.masks import of_signal
from canaleta.core.rules.rule import report, rule
from canaleta.core.signals.converters import WordForm
from canaleta.core.signals.decodings import read_shown
from canaleta.core.signals.signal_types import Family

_BITS = {"INT": 16, "UINT": 16, "WORD": 16, "DINT": 32, "UDINT": 32, "DWORD": 32, "REAL": 32, "LREAL": 64}
_SIGNED = {"INT": True, "DINT": True, "UINT": False, "UDINT": False}
"""What a type makes of the first bit; a word is taken apart by whoever reads it."""


@rule(
    "R81",
    "the raw word is taken for another",
    "IEC 61131-3: a type is a width and a meaning of its bits",
    ("raw_type", "channel", "mode", "signal"),
    severity="bad",
    harm="falsifies",
    looks="the data type by which the controller takes each channel's word, against the module's",
)
def other_word(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """16 bits of 32, a float taken for a whole number, counts below none by a type without a sign."""
    rows = rows[image.filled("raw_type")[rows] & (image.module[rows] >= 0)]
    p = PathRows(image, rows)
    least, most = p.of_mode("least"), p.of_mode("most")
    for at, row in enumerate(rows.tolist()):
        module = int(image.module[row])
        form = _form_of(image, module, int(image.channel[row]))
        if form is None:
            continue
        taken = image.text("raw_type", row)
        is_float = form.kind == "float"
        words = (
            f"{form.bits} bits, {'a float' if is_float else 'a whole number' if form.kind == 'whole' else form.kind}"
        )
        trouble = ""
        if _BITS[taken] != form.bits:
            trouble = f"{taken} has {_BITS[taken]} bits"
        elif is_float != (taken in ("REAL", "LREAL")) and taken not in ("WORD", "DWORD"):
            trouble = f"{taken} is {'a whole number' if is_float else 'a float'}"
        elif taken in _SIGNED and not is_float:
            top = float(1 << (form.bits - 1))
            if _SIGNED[taken] and np.isfinite(most[at]) and most[at] >= top:
                trouble = f"above {plain_figure(top - 1)} {taken} turns negative, and the channel counts to {shown(float(most[at]), 0)}"
            elif not _SIGNED[taken] and np.isfinite(least[at]) and least[at] < 0:
                trouble = f"{taken} has no sign, and the channel counts down to {shown(float(least[at]), 0)}"
        if trouble:
            text = f"the channel's number is {words}: {trouble}"
            yield report(image, "R81", [row], Station.COUNTS, text, ("raw_type", "channel"))


def _form_of(image: PlantImage, module: int, channel: int) -> WordForm | None:
    """How the number of a channel stands in its registers; None for bits and for racks by name."""
    found = image.layout.modules.get(module)
    if found is None or image.layout.racks[found.rack].by_name:
        return None
    for run in image.layout.type_of(module).runs(image.layout.racks[found.rack].function):
        if run.registers.holds == "channel words" and channel in run.channels:
            return run.form
    return None


@rule(
    "R82",
    "a display that does not show all of the range",
    "what is beyond a display's end is not seen",
    ("display_low", "display_high", "value_low", "value_high", "value_unit"),
    harm="confuses",
    looks="the display's range against the value's",
)
def display_short(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """A bar from 0 to 8 bar on a value of 0 to 10."""
    low, high = image.number("display_low")[rows], image.number("display_high")[rows]
    v0, v1 = np.sort(np.stack([image.number(n)[rows] for n in ("value_low", "value_high")]), axis=0)
    slack = image.conventions.agreement_share * np.abs(v1 - v0)
    short = (low > v0 + slack) | (high < v1 - slack) | (low >= high)
    for at in np.flatnonzero(short).tolist():
        row = int(rows[at])
        unit, point = image.text("value_unit", row), int(image.ids[row])
        ends = f"{plain_figure(float(v0[at]))} … {plain_figure(float(v1[at]))} {unit}".strip()
        text = f"the display goes from {plain_figure(float(low[at]))} to {plain_figure(float(high[at]))}, and the value from {ends}"
        fix = Fix(
            "as the value's range",
            tuple(
                (Cell(point, f"display_{end}"), plain_figure(float(v)))
                for end, v in (("low", v0[at]), ("high", v1[at]))
            ),
        )
        yield report(image, "R82", [row], Station.VALUE, text, ("display_low", "display_high"), fixes=(fix,))


_LIMITS = tuple(f"alarm_{level}" for level in ALARM_LEVELS)
_WITH_LIMITS = (*_LIMITS, *(f"{name}_deadband" for name in _LIMITS))


@rule(
    "R83",
    "limits said in another unit",
    "a limit is held against the value as it is",
    ("alarm_unit", "value_unit", *_WITH_LIMITS),
    severity="bad",
    harm="hides",
    looks="the unit of the alarm limits against the value's",
)
def other_unit(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """800 mbar on a value in bar: it would come at 800 bar."""
    for row in rows[image.filled("alarm_unit")[rows]].tolist():
        said, unit = image.text("alarm_unit", row), image.text("value_unit", row)
        some = [name for name in _LIMITS if image.cells[name][row] is not None]
        if said == unit or not some:
            continue
        point, first = int(image.ids[row]), some[0]
        into = factor_and_offset(said, unit) if unit else None
        text = f"{first[6:].upper()} {image.text(first, row)} is said in {said} and held against a value in {unit or 'no unit'}"
        fixes = []
        if into is not None:
            factor, offset = into
            edits = [(Cell(point, "alarm_unit"), "")]
            for name in _WITH_LIMITS:
                if image.cells[name][row] is not None:
                    figure = float(image.number(name)[row]) * factor
                    # A deadband is a difference: it has no zero of its own.
                    figure += offset if name in _LIMITS else 0.0
                    edits.append((Cell(point, name), plain_figure(float(f"{figure:.10g}"))))
            is_ = float(image.number(first)[row]) * factor + offset
            text += f": {plain_figure(float(f'{is_:.6g}'))} {unit} is meant"
            fixes.append(Fix(f"the limits in {unit}", tuple(edits)))
        fixes.append(Fix(f"they are in {unit} already", ((Cell(point, "alarm_unit"), ""),)))
        yield report(image, "R83", [row], Station.VALUE, text, ("alarm_unit", *some), fixes=fixes)


_PRIORITIES = tuple(f"alarm_{which}_priority" for which in (*ALARM_LEVELS, "dev", "rate", "state", "fault"))


@rule(
    "R84",
    "of high priority, and nobody knows what to do",
    "IEC 62682: an alarm asks for an action; its response is written down",
    (*_PRIORITIES, "alarm_says"),
    severity="note",
    harm="hides",
    looks="alarms of high priority, and whether they say what to do",
)
def says_nothing(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """An alarm that somebody must act on at once, and its text is empty."""
    rows = rows[~image.filled("alarm_says")[rows]]
    for row in rows[np.logical_or.reduce([image.filled(name)[rows] for name in _PRIORITIES])].tolist():
        high = [name for name in _PRIORITIES if image.cells[name][row] == "high"]
        if high:
            names = ", ".join(name.split("_")[1].upper() for name in high)
            text = f"{names} is of high priority, and what to do then is not said"
            yield report(image, "R84", [row], Station.VALUE, text, (*high, "alarm_says"))


@rule(
    "R85",
    "a burden that the output does not drive",
    "the module's manual: the load of its outputs",
    ("output_load_ohm", "shunt_ohm", "hops", "cable_m", "cable_mm2", "cable_degc", "signal", "channel", "mode"),
    severity="bad",
    harm="falsifies",
    looks="what analog outputs have to drive against what their module says",
)
def burden(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """A positioner with a barrier and a long cable: the current stops rising before its end."""
    rows = rows[
        image.filled("output_load_ohm")[rows] & (image.mode[rows] >= 0) & (image.family[rows] == Family.LINEAR)
    ]
    rows = rows[PathRows(image, rows).mode_flag("outputs")]
    p = PathRows(image, rows)
    current = of_signal(image, rows, lambda s: s.unit == "mA") == 1.0
    own = p.number("output_load_ohm")
    # In a loop everything adds up; a voltage meets the device behind the rest, which takes next to nothing of it.
    seen = own + np.where(current, loop_ohm(p), 0.0)
    least, most = p.of_mode("load_least_ohm"), p.of_mode("load_most_ohm")
    for at in np.flatnonzero((seen > most) | (seen < least)).tolist():
        row = int(rows[at])
        over = seen[at] > most[at]
        title = image.layout.type_of(int(image.module[row])).title
        with_rest = f" ({shown(float(own[at]), 0)} Ω of them the device's)" if seen[at] != own[at] else ""
        end = f"{shown(float(most[at]), 0)} Ω at most" if over else f"{shown(float(least[at]), 0)} Ω at least"
        text = f"the output meets {shown(float(seen[at]), 0)} Ω{with_rest}, and {title} drives {end}"
        yield report(image, "R85", [row], Station.LOOP, text, ("output_load_ohm", "channel"))


_shown = lru_cache(maxsize=100_000)(read_shown)


def _published(image: PlantImage, points: set[int]) -> set[int]:
    """All that is published, where some of it changed: its registers are one space."""
    return set(image.ids[image.filled("published_at")].tolist())


@rule(
    "R92",
    "published over another",
    "a register holds one number",
    ("published_at", "tag"),
    near=_published,
    severity="bad",
    harm="falsifies",
    looks="the registers at which other systems read values, against each other",
)
def published_twice(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """A real of two registers whose second one is the next point's: both are read wrong."""
    places: list[tuple[str, int, int, int]] = []
    for row in rows[image.filled("published_at")[rows]].tolist():
        try:
            place = _shown(image.text("published_at", row))
        except TextError as error:
            yield report(
                image,
                "R92",
                [row],
                Station.COUNTS,
                str(error),
                ("published_at",),
                about=f"{image.ids[row]}:text",
                severity="settle",
            )
            continue
        places.append((place.function, place.register, place.register + place.form.words, row))
    places.sort()
    for (function, first, end, row), (other, begins, _, next_) in pairwise(places):
        if function == other and begins < end:
            text = (
                f"{image.label(row)} is published at {function} {first}"
                + (f" to {end - 1}" if end - 1 > first else "")
                + f", and {image.label(next_)} begins at {begins}"
            )
            yield report(
                image,
                "R92",
                [row, next_],
                Station.COUNTS,
                text,
                ("published_at",),
                about=f"{function}:{begins}:{image.ids[next_]}",
            )
