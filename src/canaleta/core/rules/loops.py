"""Rules about current loops and about time: voltage left, sources, HART, and whether everything is quick enough."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from canaleta.core.model.feeding import supply_of
from canaleta.core.model.fields import Station
from canaleta.core.model.filters import response_of
from canaleta.core.model.image import PlantImage
from canaleta.core.model.module_type import Filter
from canaleta.core.model.sources import Source, driven, fed_by_module, loop_sources
from canaleta.core.notation.arrays import Rows
from canaleta.core.notation.text import shown
from canaleta.core.path.joints.base import PathRows
from canaleta.core.path.joints.linear import loop_drop_v, loop_ohm
from canaleta.core.rules.finding import Cell, Finding, Fix
from canaleta.core.rules.masks import loops, period_ms
from canaleta.core.rules.rule import report, rule
from canaleta.core.signals.loops import DESIGN_MA, HART_LEAST_OHM, cable_ohm
from canaleta.core.signals.signal_types import Family

_IN_LOOP = ("signal", "channel", "mode", "shunt_ohm", "hops", "cable_m", "cable_mm2", "cable_degc")


@rule(
    "R23",
    "the loop's voltage falls short",
    "data sheet of the device; IEC 60228 for the cable; NE 43 for 22 mA",
    ("lift_off_v", "failure_ma", "fed_from", *_IN_LOOP),
    severity="bad",
    harm="falsifies",
    looks="the least supply less everything in the loop, at the design current, against the lift-off voltage",
)
def voltage_short(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """The device does not get its least voltage at the design current: the signal stops rising before its end."""
    rows = loops(image, rows)
    rows = rows[~np.isnan(image.number("lift_off_v")[rows])]
    p = PathRows(image, rows)
    c, lift = image.conventions, p.number("lift_off_v")
    least = supply_of(image, rows)[1]
    design = np.fmax(DESIGN_MA, p.number("failure_ma"))
    ohm, drops = loop_ohm(p), loop_drop_v(p)
    left = least - drops - design / 1000.0 * ohm
    for at in np.flatnonzero(left < lift).tolist():
        row, r = int(rows[at]), float(ohm[at])
        over = float(least[at]) - float(drops[at]) - float(lift[at])
        greatest = over / r * 1000.0 if r else 0.0
        dropped = f" − {shown(float(drops[at]), 1)} V" if drops[at] else ""
        text = (
            f"{shown(float(lift[at] - left[at]), 2)} V short at {shown(float(design[at]), 0)} mA: {shown(float(least[at]), 1)} V{dropped}"
            f" − {shown(float(design[at]), 0)} mA · {shown(r, 0)} Ω leave {shown(float(left[at]), 2)} V, the device needs {image.text('lift_off_v', row)} V; "
        )
        text += "it does not start" if greatest < 4.0 else f"beyond {shown(greatest, 1)} mA the signal cannot rise"
        if (length := float(image.number("cable_m")[row])) > 0:
            section, hottest = image.number("cable_mm2")[row], image.number("cable_degc")[row]
            per_m = float(
                cable_ohm(
                    1.0,
                    c.cable_mm2 if np.isnan(section) else section,
                    c.hottest_cable_degc if np.isnan(hottest) else hottest,
                )[0]
            )
            longest = (over / float(design[at]) * 1000.0 - (r - length * per_m)) / per_m
            text += (
                f"; it would work with {shown(max(longest, 0.0), 0)} m of cable"
                if longest > 0
                else "; no cable is short enough"
            )
        yield report(image, "R23", [row], Station.LOOP, text, ("lift_off_v", "supply", "cable_m"))


@rule(
    "R41",
    "not exactly one source in the loop",
    "a loop has one source, wherever it stands",
    ("signal", "supply", "wires", "channel", "mode"),
    severity="bad",
    harm="hides",
    looks="who feeds each current loop: device, module, output",
)
def source_of_loops(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """An active device on terminals that feed the loop, or a passive one where nobody does."""
    rows = loops(image, rows)
    supply, sources = image.cells["supply"][rows], loop_sources(image, rows)
    out = driven(image, rows)
    feeds = fed_by_module(image, rows)
    two, none = sources == Source.TWO, sources == Source.NONE
    for at in np.flatnonzero(two | none).tolist():
        row, point = int(rows[at]), int(image.ids[int(rows[at])])
        title = image.layout.type_of(int(image.module[row])).title
        fixes: list[Fix] = []
        if none[at]:
            text = f"nobody feeds the loop: {title} does not, and the device is said to have no supply of its own"
            if feeds[at]:
                text = f"nobody feeds the loop: {title} would, and the list says that it does not"
            elif supply[at] == "module":
                text = f"nobody feeds the loop: the list says that the module does, and {title} does not"
            fixes.append(Fix("the device has its own 24 V", ((Cell(point, "supply"), "own 24 V"),)))
            if feeds[at]:
                fixes.append(Fix("the module feeds it", ((Cell(point, "supply"), "module"),)))
        elif out[at]:
            text = f"two sources: {title} drives the loop, and so does the device"
            fixes.append(Fix("the device is passive", ((Cell(point, "supply"), "none"),)))
        else:
            text = f"two sources: the device feeds the loop over its two wires, and so does {title}"
            fixes += [
                Fix("the module feeds it", ((Cell(point, "supply"), "module"),)),
                Fix("four wires, on terminals that do not feed", ((Cell(point, "wires"), "4"),)),
            ]
        yield report(image, "R41", [row], Station.LOOP, text, ("supply", "wires", "channel"), fixes=fixes)


@rule(
    "R45",
    "HART sees too little resistance",
    "HART FSK Physical Layer: 230 Ω at least",
    ("hart", *_IN_LOOP),
    harm="hides",
    looks="what HART meets in the loop, without the cable",
)
def hart_shorted(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """A modem has nothing to speak over: the burden shorts what it says."""
    rows = loops(image, rows)
    rows = rows[image.code("hart")[rows] == 1]
    ohm = loop_ohm(PathRows(image, rows), with_cable=False)
    for at in np.flatnonzero(ohm < HART_LEAST_OHM).tolist():
        seen = float(ohm[at])
        text = (
            f"HART meets {shown(seen, 0)} Ω and needs {shown(HART_LEAST_OHM, 0)}: it cannot be heard;"
            f" {shown(HART_LEAST_OHM - seen, 0)} Ω or more belong in the loop, if its voltage allows"
        )
        yield report(image, "R45", [int(rows[at])], Station.LOOP, text, ("hart", "hops"))


_TIMES = (
    "signal",
    "channel",
    "needs_s",
    "damping_s",
    "filter",
    "debounce",
    "on_delay",
    "off_delay",
    "stretch",
    "fastest",
    "scan_ms",
    "update_ms",
)


def _ms(ms: float) -> str:
    return f"{shown(ms, 0 if ms >= 10 or ms == round(ms) else 1)} ms"


def _read_every(image: PlantImage, row: int, ms: float) -> str:
    """How often it is read, and who says so."""
    every = _ms(ms) if ms < 1000 else f"{shown(ms / 1000, 2)} s"
    who = "the controller takes it" if image.filled("scan_ms")[row] else "the rack is read"
    return f"{who} every {every}"


_DELAYS = {"debounce": "debounced for", "on_delay": "on after", "off_delay": "off after"}


@rule(
    "R18",
    "a delay shorter than two scans",
    "a sampled input sees nothing quicker than two of its scans",
    _TIMES,
    harm="wavers",
    looks="debounce, on and off delays against how often the rack is read",
)
def delay_too_short(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """A debounce that sees one sample at most cannot tell a bounce from a change."""
    # What is new less often than it is read is sampled as often as it is new.
    period = np.fmax(period_ms(image, rows), image.number("update_ms")[rows])
    delays = {name: image.number(name)[rows] for name in _DELAYS}
    short = {name: (delay > 0) & (delay < 2.0 * period) for name, delay in delays.items()}
    for at in np.flatnonzero(np.any(list(short.values()), axis=0)).tolist():
        row, ms = int(rows[at]), float(period[at])
        names = [name for name in short if short[name][at]]
        told = " and ".join(f"{_DELAYS[name]} {shown(float(delays[name][at]), 0)} ms" for name in names)
        text = (
            f"{told}, and {_read_every(image, row, ms)}: shorter than two scans, one sample decides;"
            f" {_ms(2 * ms)} would do"
        )
        fix = Fix(_ms(2 * ms), tuple((Cell(int(image.ids[row]), name), f"{2 * ms:g}") for name in names))
        yield report(image, "R18", [row], Station.INPUT, text, names, fixes=(fix,))


@rule(
    "R37",
    "read too seldom",
    "sampling: twice as often as it changes, at least",
    _TIMES,
    harm="hides",
    looks="how often the rack is read against pulses and against what the point needs",
)
def read_too_seldom(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """Pulses come between two scans; the figure is older than the point allows as soon as it is read."""
    period, fastest, needs = period_ms(image, rows), image.number("fastest")[rows], image.number("needs_s")[rows]
    missed = (fastest > 0) & (1000.0 / fastest < 2.0 * period) & (image.family[rows] == Family.CONTACT)
    for at in np.flatnonzero(missed | (needs * 1000.0 < period)).tolist():
        row, ms = int(rows[at]), float(period[at])
        if missed[at]:
            most = 1000.0 / (2.0 * ms)
            text = (
                f"it switches up to {fastest[at]:g} times a second, and {_read_every(image, row, ms)}:"
                f" more than {most:g} a second are missed"
            )
        else:
            text = f"it must follow within {needs[at]:g} s, and {_read_every(image, row, ms)}"
        field = "fastest" if missed[at] else "needs_s"
        yield report(image, "R37", [row], Station.INPUT, text, (field, "channel"))


@rule(
    "R47",
    "slower than the point needs",
    "times of first-order stages add up",
    _TIMES,
    harm="falsifies",
    looks="the device's damping, the filter and the scan against what the point needs",
)
def too_slow(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """Damping and filter hide what happens for longer than the point allows."""
    needs, period = image.number("needs_s")[rows], period_ms(image, rows) / 1000.0
    damping = np.nan_to_num(image.number("damping_s")[rows])
    update = np.nan_to_num(image.number("update_ms")[rows]) / 1000.0
    for at in np.flatnonzero(needs >= period).tolist():
        row = int(rows[at])
        chosen = image.layout.type_of(int(image.module[row])).filter_named(image.text("filter", row))
        filtered = response_of(chosen).to_63_ms / 1000.0 if chosen else 0.0
        # A module that has a new number less often than it is read makes each as old as that.
        whole = float(damping[at]) + filtered + float(period[at]) + float(update[at])
        if whole <= needs[at]:
            continue
        text = (
            f"a step shows to 63 % after {shown(whole, 2)} s and it must follow within {needs[at]:g} s: damping"
            f" {damping[at]:g} s, filter {shown(filtered, 2)} s, scan {shown(float(period[at]), 2)} s"
        ) + (f", a new number every {shown(float(update[at]), 2)} s" if update[at] else "")
        yield report(image, "R47", [row], Station.DEVICE, text, ("needs_s", "damping_s", "filter"))


@rule(
    "R87",
    "a filter beside the mains",
    "a filter that averages over one period takes out its frequency and the multiples of it",
    ("filter", "channel", "signal"),
    harm="wavers",
    looks="the frequency that filters take out against the plant's mains",
)
def beside_the_mains(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """A filter for 60 Hz where the mains have 50: their hum stays in the value."""
    mains = float(image.conventions.mains_hz)
    rows = rows[image.filled("filter")[rows] & (image.module[rows] >= 0) & (image.family[rows] != Family.CONTACT)]
    known: dict[tuple[int, str], Filter | None] = {}
    for row, module, name in zip(
        rows.tolist(), image.module[rows].tolist(), image.cells["filter"][rows], strict=True
    ):
        if (module, name) not in known:
            known[module, name] = image.layout.type_of(module).filter_named(name)
        chosen = known[module, name]
        if chosen is None or not chosen.rejects_hz or mains % chosen.rejects_hz < 1e-6:
            continue
        text = (
            f"its filter takes out {chosen.rejects_hz:g} Hz and the multiples of it, and the mains have {mains:g} Hz"
        )
        fixes = [
            Fix(f"the filter {one.name}", ((Cell(int(image.ids[row]), "filter"), one.name),))
            for one in image.layout.type_of(int(image.module[row])).filters
            if one.rejects_hz and mains % one.rejects_hz < 1e-6
        ]
        yield report(image, "R87", [row], Station.INPUT, text, ("filter",), fixes=fixes[:3])
