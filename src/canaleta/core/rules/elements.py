"""Rules about temperature elements: leads, extension wires, cold junctions, open circuits, tips, what a curve
holds."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from canaleta.core.checks.checkpoints import TEMPERATURE
from canaleta.core.model.field_table import ALARM_LEVELS, JUMPERS
from canaleta.core.model.fields import Station
from canaleta.core.model.image import PlantImage
from canaleta.core.notation.arrays import Rows
from canaleta.core.notation.text import shown
from canaleta.core.path.facts.temperature import wire_error_degc
from canaleta.core.path.joints.base import PathRows
from canaleta.core.path.joints.scaling import junction_degc
from canaleta.core.path.joints.temperature import WireJoint, lead_apart_ohm, one_lead_ohm, taken_off_ohm
from canaleta.core.rules.finding import Cause, Cell, Finding, Fix
from canaleta.core.rules.masks import (
    beyond_element,
    of_type,
    on_same_module,
    process_at,
    signal_of,
    takes,
    uncurved,
)
from canaleta.core.rules.other_modes import OtherModes
from canaleta.core.rules.rule import report, rule
from canaleta.core.signals.sensors.elements import degrees, electrical, span_degc
from canaleta.core.signals.sensors.extension import EXTENSION_NAMES, EXTENSIONS, extensions_for
from canaleta.core.signals.signal_types import Family

_PLACE = ("signal", "channel", "mode", "device_low", "device_high", "device_unit")
_USUAL_HEAD_DEGC = 45.0
"""Taken for a head whose temperature nobody typed, and said so."""
ABSOLUTE_ZERO_DEGC = -273.15 - 1e-9
_NEAR_K = 2.0
"""Head and cold junction as near as this need no extension wire."""


def _signed(x: float, decimals: int = 1) -> str:
    return ("+" if x > 0 else "") + shown(x, decimals)


@rule(
    "R19",
    "leads count in",
    "IEC 60751: the element's ohms, not those of its leads",
    (
        *_PLACE,
        "wires",
        "jumper",
        "lead_ohm",
        "lead_apart_ohm",
        "lead_taken_ohm",
        "cable_m",
        "cable_mm2",
        "cable_degc",
        "curve_table",
        "tolerance_loop",
    ),
    harm="falsifies",
    looks="leads that the connection does not take away, in degrees",
)
def leads_count(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """Two wires, a jumper at the wrong end: the leads read as degrees; or no jumper at all, and the input is open."""
    rows = rows[(image.family[rows] == Family.RESISTANCE) & (image.mode[rows] >= 0)]
    p = PathRows(image, rows)
    counted = (
        (2.0 - WireJoint.taken_away(p)) * one_lead_ohm(p)
        + lead_apart_ohm(p)
        - WireJoint.apart_taken_away(p)
        - taken_off_ohm(p)
    )
    opened = WireJoint.left_open(p)
    modes = OtherModes(image)
    low, high = process_at(image, rows, 0.0), process_at(image, rows, 1.0)
    typed = image.number("tolerance_loop")[rows] / 100.0
    allowed = np.abs(high - low) * np.where(np.isnan(typed), image.conventions.agreement_share, typed)
    for at in np.flatnonzero(opened | (counted != 0)).tolist():
        row = int(rows[at])
        one = PathRows(image, np.array([row]))
        wires, built = image.text("wires", row) or "?", int(np.nan_to_num(one.of_mode("wires")[0]))
        jumper, name = image.text("jumper", row), signal_of(image, row).name
        on = f"a {wires}-wire {name} on an input for {built or 'any'} wires"
        if opened[at]:
            text = f"{on}, without its jumper: the input is open"
            fixes = [
                *_for_its_wires(image, row, modes),
                *(
                    Fix(f"the jumper is {where}", ((Cell(int(image.ids[row]), "jumper"), where),))
                    for where in JUMPERS[:2]
                ),
            ]
            yield report(
                image,
                "R19",
                [row],
                Station.LOOP,
                text,
                ("jumper", "wires"),
                severity="bad",
                harm="hides",
                fixes=fixes,
            )
            continue
        curve, table = np.array([signal_of(image, row).curve], dtype=object), one.cells("curve_table")
        spots = {
            t: _lead_error(curve, t, float(counted[at]), table)
            for t in (float(low[at]), 0.0, float(high[at]))
            if min(low[at], high[at]) <= t <= max(low[at], high[at])
        }
        known = {t: e for t, e in spots.items() if np.isfinite(e)}
        if not known or max(map(abs, known.values())) <= allowed[at]:
            continue
        t = 0.0 if 0.0 in known else next(iter(known))
        where = (
            f", jumper {jumper}"
            if jumper
            else ", and nobody says where the jumper is"
            if built > int(wires if wires.isdecimal() else 9)
            else ""
        )
        text = f"{on}{where}, {shown(float(counted[at]), 2)} Ω of lead: {_signed(known[t])} °C at {shown(t, 0)} °C"
        asked = not jumper and where
        fixes = _for_its_wires(image, row, modes)
        if asked:
            fixes.append(Fix("the jumper is at the head", ((Cell(int(image.ids[row]), "jumper"), "at the head"),)))
        yield report(image, "R19", [row], Station.LOOP, text, ("wires", "jumper", "lead_ohm"), fixes=fixes)


def _for_its_wires(image: PlantImage, row: int, modes: OtherModes) -> list[Fix]:
    """Modes of the module that are for just as many wires as the element has, where its present one is for more."""
    wires = image.number("wires")[row]
    kind = image.layout.type_at(int(image.module[row]), int(image.channel[row]))
    for_them = {mode.name for mode in kind.modes if mode.wires == wires}
    return [fix for fix in modes.of(row) if fix.edits[0][1] in for_them]


def _lead_error(curve: NDArray[np.object_], t: float, ohm: float, table: NDArray[np.object_]) -> float:
    """What ohms of lead add to a reading, °C."""
    r = electrical(curve, np.array([t]), table)
    return float(degrees(curve, r + ohm, table)[0]) - t


_WIRE = (*_PLACE, "extension", "head_degc", "junction", "junction_degc", "value_law")


@rule(
    "R43",
    "the wrong extension wire",
    "IEC 60584-3: wires by designation",
    _WIRE,
    severity="bad",
    harm="falsifies",
    looks="the extension wire's designation against the element's letter",
)
def wrong_wire(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """A wire that makes another emf than the element between head and cabinet: wrong by what the two differ there."""
    rows = rows[(image.family[rows] == Family.THERMOCOUPLE) & (image.code("extension")[rows] >= 0)]
    for row in rows.tolist():
        letter, wire = signal_of(image, row).curve, image.text("extension", row)
        if letter in EXTENSIONS[wire].fits:
            continue
        at = np.array([row])
        p = PathRows(image, at)
        typed, cold, hot = (
            float(p.number("head_degc")[0]),
            float(junction_degc(p)[0]),
            float(process_at(image, at, 1.0)[0]),
        )
        head = _USUAL_HEAD_DEGC if np.isnan(typed) else typed
        hot = span_degc(letter, None)[1] if np.isnan(hot) else hot
        error = wire_error_degc(letter, EXTENSIONS[wire].makes, hot, head, cold)
        assumed = " (nobody typed it)" if np.isnan(typed) else ""
        text = f"type {letter} on {wire} wire"
        if np.isfinite(error):
            high = "high" if error > 0 else "low"
            text += (
                f": {shown(abs(error), 1)} °C too {high} at {shown(hot, 0)} °C, with {shown(head, 0)} °C in the head{assumed}"
                f" and {shown(cold, 0)} °C in the cabinet"
            )
        fixes = [
            Fix(f"it is {name}", ((Cell(int(image.ids[row]), "extension"), name),))
            for name in extensions_for(letter)[:2]
        ]
        yield report(image, "R43", [row], Station.LOOP, text, ("extension", "signal"), fixes=fixes)


@rule(
    "R20",
    "extension or cold junction missing",
    "IEC 60584: an emf is a difference of two temperatures",
    _WIRE,
    harm="falsifies",
    looks="the way from the head to where the cold junction is known",
)
def junction_unknown(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """A warm head without an extension wire, a wire beyond what it bears, a junction whose temperature nobody
    knows."""
    rows = rows[(image.family[rows] == Family.THERMOCOUPLE) & (image.mode[rows] >= 0)]
    p = PathRows(image, rows)
    cold, head = junction_degc(p), p.number("head_degc")
    elsewhere = p.chosen("junction", "remote sensor") | p.chosen("junction", "fixed")
    unsaid = elsewhere & np.isnan(p.number("junction_degc"))
    plain = (p.mode_curves() == "") & (image.code("junction")[rows] < 0) & ~uncurved(image, rows)
    plain &= takes(image, rows)
    code = p.code("extension")
    bare = (code < 0) & (np.abs(head - cold) > _NEAR_K)
    ends = np.array([[EXTENSIONS[name].low_degc, EXTENSIONS[name].high_degc] for name in EXTENSION_NAMES])
    beyond = (code >= 0) & ((head < ends[code, 0]) | (head > ends[code, 1]))
    for at in np.flatnonzero(unsaid | plain | bare | beyond).tolist():
        row = int(rows[at])
        letter, point = signal_of(image, row).curve, int(image.ids[row])
        if unsaid[at]:
            text = f"the cold junction is known by {image.text('junction', row)}, and at what temperature is not said: {shown(float(cold[at]), 0)} °C is taken"
            if image.text("junction", row) == "fixed":
                text = f"the cold junction is set to a fixed temperature, and to which is not said: {shown(float(cold[at]), 0)} °C is taken"
            yield report(
                image, "R20", [row], Station.LOOP, text, ("junction", "junction_degc"), about=f"{point}:junction"
            )
        elif plain[at]:
            text = f"the mode gives plain mV, so the module measures no cold junction: the cabinet's {shown(float(cold[at]), 0)} °C is taken for it"
            yield report(image, "R20", [row], Station.LOOP, text, ("junction", "mode"), about=f"{point}:junction")
        if bare[at] and letter != "B":
            hot = float(process_at(image, np.array([row]), 1.0)[0])
            hot = span_degc(letter, None)[1] if np.isnan(hot) else hot
            error = wire_error_degc(letter, "", hot, float(head[at]), float(cold[at]))
            text = (
                f"no extension wire is named between the head at {shown(float(head[at]), 0)} °C and the cabinet at"
                f" {shown(float(cold[at]), 0)} °C: on copper, {_signed(error)} °C at {shown(hot, 0)} °C"
            )
            fixes = [Fix(f"it is {name}", ((Cell(point, "extension"), name),)) for name in extensions_for(letter)[:2]]
            yield report(
                image,
                "R20",
                [row],
                Station.LOOP,
                text,
                ("extension", "head_degc"),
                about=f"{point}:wire",
                fixes=fixes,
            )
        elif beyond[at]:
            wire = EXTENSIONS[image.text("extension", row)]
            text = f"{wire.name} is for {shown(wire.low_degc, 0)} … {shown(wire.high_degc, 0)} °C, and the head is at {shown(float(head[at]), 0)} °C"
            yield report(image, "R20", [row], Station.LOOP, text, ("extension", "head_degc"), about=f"{point}:wire")


_USED = ("trips", "used_by", *(f"alarm_{level}" for level in ALARM_LEVELS))


@rule(
    "R22",
    "no open-circuit action",
    "what a broken element makes of the value is chosen, not left",
    (*_PLACE, "open_action", *_USED),
    harm="hides",
    looks="the open-circuit action of elements that something rests on",
)
def no_open_action(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """A broken element, and nobody chose where the value goes, though a trip, a control or an alarm hangs on it."""
    rows = rows[np.isin(image.family[rows], TEMPERATURE) & (image.code("open_action")[rows] < 0)]
    offers = (
        of_type(image, rows, lambda kind: "up-scale" in kind.open_choices or "down-scale" in kind.open_choices) == 1.0
    )
    for row in rows[offers].tolist():
        uses = [name for name in _USED if image.cells[name][row] is not None]
        if not uses:
            continue
        rests = {"trips": "it shuts something", "used_by": "a control works with it"}.get(uses[0], "it has an alarm")
        choices = image.layout.type_of(int(image.module[row])).open_choices
        fixes = [
            Fix(f"{choice}", ((Cell(int(image.ids[row]), "open_action"), choice),))
            for choice in choices
            if "scale" in choice
        ]
        text = f"nobody chose where the value goes when the element breaks, and {rests}"
        yield report(image, "R22", [row], Station.INPUT, text, ("open_action", uses[0]), fixes=fixes)


@rule(
    "R46",
    "grounded tips in one isolation group",
    "isolation groups of the module type",
    ("tag", "signal", "tip", "channel"),
    near=on_same_module,
    harm="falsifies",
    looks="thermocouples whose tips touch earth, by isolation group",
)
def tips_meet(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """Two tips on earth at two places: what flows between them adds to both readings."""
    rows = rows[(image.family[rows] == Family.THERMOCOUPLE) & image.landed[rows]]
    groups: dict[tuple[int, int], list[int]] = {}
    for row in rows[image.code("tip")[rows] == 1].tolist():
        module = int(image.module[row])
        kind = image.layout.type_of(module)
        if kind.channels_a_group != 1:
            groups.setdefault((module, kind.group_of(int(image.channel[row]))), []).append(row)
    for (module, group), here in groups.items():
        if len(here) > 1:
            tags, title = " and ".join(image.label(row) for row in here), image.layout.type_of(module).title
            text = f"{tags} touch earth at their tips and share an isolation group of {title}: what flows between the tips adds to their mV"
            yield report(image, "R46", here, Station.LOOP, text, ("tip",), about=f"{module}:{group}")


@rule(
    "R54",
    "a range beyond the element",
    "IEC 60584-1, IEC 60751: where the curves end",
    (*_PLACE, "curve_table"),
    severity="bad",
    harm="falsifies",
    looks="the range used against where the element's curve ends",
)
def beyond_curve(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """The range goes on where the element's curve has ended: there is no figure for it."""
    beyond, least, most = beyond_element(image, rows)
    low, high = process_at(image, rows, 0.0), process_at(image, rows, 1.0)
    # Below absolute zero is told as that (R57).
    for at in np.flatnonzero(beyond & ~(np.fmin(low, high) < ABSOLUTE_ZERO_DEGC)).tolist():
        row = int(rows[at])
        name = signal_of(image, row).name
        text = (
            f"the range goes to {shown(float(high[at] if max(low[at], high[at]) > most[at] else low[at]), 0)} °C and the curve of a {name}"
            f" is known from {shown(float(least[at]), 0)} to {shown(float(most[at]), 0)} °C"
        )
        yield report(
            image,
            "R54",
            [row],
            Station.DEVICE,
            text,
            ("device_low", "device_high", "signal"),
            cause=Cause(name, f"elements {name}"),
        )
