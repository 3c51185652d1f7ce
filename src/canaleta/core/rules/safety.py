"""Rules about what may hurt: a lost signal and the side that is safe, zones, resistors that burn, coils of another
voltage, screens, what stand-ins share."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from canaleta.core.checks.checkpoints import TEMPERATURE
from canaleta.core.model.feeding import fed, supply_of
from canaleta.core.model.fields import Station
from canaleta.core.model.image import PlantImage
from canaleta.core.notation.arrays import Rows
from canaleta.core.notation.text import as_typed, plain_figure, shown
from canaleta.core.path.evaluate import describe
from canaleta.core.path.faults import Fault, evaluate_faulted
from canaleta.core.path.joints.base import PathRows
from canaleta.core.rules.finding import Cell, Finding, Fix, Severity
from canaleta.core.rules.masks import PATH, of_signal, takes
from canaleta.core.rules.rule import report, rule
from canaleta.core.signals.hops_and_factors import hops_of
from canaleta.core.signals.loops import DESIGN_MA
from canaleta.core.signals.signal_types import Family

_NEAR = 0.05
"""Share of the range within which a value is at its end."""


@rule(
    "R74",
    "a broken wire goes to the unsafe side",
    "IEC 61511-1: a fault that is found drives to the safe state",
    ("safe_side", "trips", "used_by", *PATH),
    harm="hides",
    looks="where the value goes when a wire is off, against the side that must be safe",
)
def unsafe_side(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """With a wire off the value stays, or goes where what works with it does the wrong thing."""
    here = image.filled("safe_side")[rows] & (image.mode[rows] >= 0)
    here &= np.isin(image.family[rows], (Family.LINEAR, Family.CONTACT, *TEMPERATURE))
    rows = rows[here]
    rows = rows[~PathRows(image, rows).mode_flag("outputs") & takes(image, rows)]
    if not len(rows):
        return
    sides = _goes_to(image, rows)
    for row, (side, value) in zip(rows.tolist(), sides, strict=True):
        wanted = image.text("safe_side", row)
        if side == wanted:
            continue
        unit = describe(image, row)[5].unit
        reads = f"{as_typed(plain_figure(round(value, 3)))} {unit}".strip() if np.isfinite(value) else "no value"
        goes = {"low": "the low side", "high": "the high side", "": "neither side"}.get(side, f"state {side}")
        safe = f"the {wanted} side" if wanted in ("low", "high") else f"state {wanted}"
        serves = image.text("trips", row) or image.text("used_by", row)
        text = f"with a wire off it reads {reads}, {goes}, and {safe} is the safe one" + (
            f": {serves}" if serves else ""
        )
        severity: Severity = "bad" if image.filled("trips")[row] else "settle"
        fixes = _to_the_safe_side(image, row, wanted)
        yield report(
            image, "R74", [row], Station.VALUE, text, ("safe_side", "on_failure"), fixes=fixes, severity=severity
        )


def _goes_to(image: PlantImage, rows: Rows) -> list[tuple[str, float]]:
    """The side that each value goes to with a wire off, and what it reads; "" for neither."""
    some = image.only(rows)
    count = len(some)
    middle = np.where(
        some.family == Family.CONTACT, 1.0, (some.number("device_low") + some.number("device_high")) / 2.0
    )
    off = {row: [Fault("open")] for row in range(count)}
    values = evaluate_faulted(some, Station.PROCESS, middle, off).at(Station.VALUE)
    low, high = np.sort(np.stack([some.number("value_low"), some.number("value_high")]), axis=0)
    own = np.sort(np.stack([some.number("device_low"), some.number("device_high")]), axis=0)
    low, high = np.where(np.isnan(low), own[0], low), np.where(np.isnan(high), own[1], high)
    out = []
    for row, value in enumerate(values.tolist()):
        if some.family[row] == Family.CONTACT:
            out.append((str(int(value)) if value in (0.0, 1.0) else "", value))
            continue
        share = (value - low[row]) / (high[row] - low[row]) if high[row] > low[row] else np.nan
        out.append(("low" if share <= _NEAR else "high" if share >= 1.0 - _NEAR else "", value))
    return out


def _to_the_safe_side(image: PlantImage, row: int, wanted: str) -> list[Fix]:
    """Ways that were tried and lead there."""
    point, out = int(image.ids[row]), []
    scale = {"low": "down-scale", "high": "up-scale"}.get(wanted)
    tried = []
    if scale:
        if image.family[row] in TEMPERATURE:
            tried.append((f"the input goes {scale} on an open circuit", ("open_action", scale)))
        tried.append((f"the value goes {scale} when its signal has failed", ("on_failure", scale)))
    at = np.array([row])
    for label, (name, text) in tried:
        after = image.only(at).with_cells({(0, name): text})
        if _goes_to(after, np.array([0]))[0][0] == wanted:
            out.append(Fix(label, ((Cell(point, name), text),)))
    return out


@rule(
    "R75",
    "an output that stays where it must not",
    "the module's manual: what its outputs do when nobody writes to them",
    ("safe_side", "channel", "mode", "signal", "trips", "used_by"),
    harm="hides",
    looks="what output modules do when the bus stops, against the side that must be safe",
)
def output_stays(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """The bus stops, the module holds its last value, and what it drives must be off."""
    rows = rows[image.filled("safe_side")[rows] & (image.mode[rows] >= 0)]
    rows = rows[PathRows(image, rows).mode_flag("outputs")]
    for row in rows.tolist():
        kind = image.layout.type_of(int(image.module[row]))
        side, does = image.text("safe_side", row), kind.on_bus_stop
        off = side in ("low", "0")
        fits = does in ("go to zero", "switch off") if off else does == "go to a set value"
        if not does or fits:
            continue
        serves = image.text("trips", row) or image.text("used_by", row)
        safe = f"the {side} side" if side in ("low", "high") else f"state {side}"
        text = f"when the bus stops, {kind.title} is to {does}, and {safe} is the safe one" + (
            f": {serves}" if serves else ""
        )
        severity: Severity = "bad" if image.filled("trips")[row] else "settle"
        yield report(image, "R75", [row], Station.INPUT, text, ("safe_side", "channel"), severity=severity)


_BARRIERS = (
    "barrier",
    "isolator",
    "isolating",
    "zener",
    "barrera",
    "barrière",
    "barriere",
    "trenn",
    "aislador",
    "isolateur",
)


@rule(
    "R76",
    "a hazardous zone without a barrier",
    "IEC 60079-14: what goes into a zone is limited in its energy, or protected otherwise",
    ("zone", "hops", "signal"),
    severity="note",
    harm="destroys",
    looks="devices in hazardous zones, and whether a barrier or an isolator is among their hops",
)
def no_barrier(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """In zone 0 or 20 hardly anything but intrinsic safety is allowed; in the others another protection may be there."""
    zones = image.cells["zone"]
    for row in rows[image.filled("zone")[rows]].tolist():
        zone = str(zones[row])
        if zone in ("none", "2", "22"):
            continue
        names = [hop.name.casefold() for hop in hops_of(image.text("hops", row))]
        if any(word in name for name in names for word in _BARRIERS):
            continue
        text = f"it stands in zone {zone}, and no barrier or isolator is among its hops"
        worst = zone in ("0", "20")
        text += "" if worst else ": nothing is wrong if it is protected otherwise"
        yield report(image, "R76", [row], Station.LOOP, text, ("zone", "hops"), severity="bad" if worst else "note")


@rule(
    "R77",
    "a shunt that burns, or is coarser than its channel",
    "power in a resistor: I² · R; NE 43 for 22 mA",
    (
        "shunt_ohm",
        "shunt_w",
        "shunt_percent",
        "tolerance_channel",
        "tolerance_loop",
        "failure_ma",
        "signal",
        "channel",
        "mode",
    ),
    harm="falsifies",
    looks="what shunts bear and how well they are known",
)
def shunt(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """At 22 mA the shunt gets hotter than it may; its tolerance is more than the channel or the loop may be off."""
    rows = rows[image.filled("shunt_ohm")[rows]]
    ohm, bears = image.number("shunt_ohm")[rows], image.number("shunt_w")[rows]
    most = np.fmax(DESIGN_MA, image.number("failure_ma")[rows]) / 1000.0
    heat = most**2 * ohm
    for at in np.flatnonzero(heat > bears).tolist():
        text = (
            f"{shown(1000 * float(most[at]), 0)} mA make {shown(float(heat[at]), 2)} W in {shown(float(ohm[at]), 0)} Ω, and the"
            f" shunt bears {plain_figure(float(bears[at]))} W"
        )
        yield report(
            image, "R77", [int(rows[at])], Station.LOOP, text, ("shunt_ohm", "shunt_w"),
            about=f"{image.ids[rows[at]]}:power", severity="bad", harm="destroys",
        )  # fmt: skip
    within = image.number("shunt_percent")[rows]
    for name, what in (("tolerance_channel", "its channel"), ("tolerance_loop", "the whole loop")):
        allowed = image.number(name)[rows]
        for at in np.flatnonzero(within > allowed).tolist():
            text = (
                f"the shunt is known to ±{plain_figure(float(within[at]))} % of what it reads, and {what} may be off"
                f" {plain_figure(float(allowed[at]))} % of its span"
            )
            yield report(
                image,
                "R77",
                [int(rows[at])],
                Station.LOOP,
                text,
                ("shunt_percent", name),
                about=f"{image.ids[rows[at]]}:{name}",
            )


_PULLS_IN, _BEARS = 0.85, 1.1
"""Shares of its rated voltage between which a coil works (IEC 60947-5-1, 8.2.1.2)."""


@rule(
    "R78",
    "a load made for another voltage",
    "IEC 60947-5-1: a coil works from 85 to 110 % of its voltage",
    ("load_v", "fed_from", "signal", "channel", "mode"),
    severity="bad",
    harm="destroys",
    looks="the voltage of switched devices against what feeds them",
)
def other_voltage(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """A 12 V valve on 24 V burns; one for 48 V never pulls in."""
    rows = rows[image.filled("load_v")[rows]]
    direct = of_signal(image, rows, lambda s: s.switch == "load") == 1.0
    rows = rows[direct]
    for row, volts in zip(rows.tolist(), supply_of(image, rows)[0].tolist(), strict=True):
        made_for = float(image.number("load_v")[row])
        if made_for * _BEARS < volts:
            text = f"it is made for {plain_figure(made_for)} V and gets {volts:g} V: it bears {plain_figure(round(made_for * _BEARS, 1))} V"
            yield report(image, "R78", [row], Station.LOOP, text, ("load_v", "channel"))
        elif made_for * _PULLS_IN > volts:
            text = f"it is made for {plain_figure(made_for)} V and gets {volts:g} V: it works from {plain_figure(round(made_for * _PULLS_IN, 1))} V on"
            yield report(
                image, "R78", [row], Station.LOOP, text, ("load_v", "channel"), severity="settle", harm="hides"
            )


@rule(
    "R79",
    "a screen earthed at both ends",
    "IEC 61000-5-2: a screen that is to keep low frequencies out carries no current of its own",
    ("screen", "signal"),
    severity="note",
    harm="falsifies",
    looks="screens of analog signals",
)
def earthed_twice(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """The difference of two earths drives a current through the screen, beside a signal of millivolts or milliamperes."""
    rows = rows[np.isin(image.family[rows], (Family.LINEAR, *TEMPERATURE))]
    for row in rows.tolist():
        if image.cells["screen"][row] == "at both ends":
            point = int(image.ids[row])
            text = "its screen is earthed at both ends: what the two earths differ by flows beside the signal"
            fix = Fix("earthed at the cabinet alone", ((Cell(point, "screen"), "at the cabinet"),))
            yield report(image, "R79", [row], Station.LOOP, text, ("screen",), fixes=(fix,))


@rule(
    "R80",
    "stand-ins share what may fail",
    "one failure must not take both",
    ("redundant", "channel", "cable", "fed_from", "tag", "trips"),
    group="redundant",
    harm="hides",
    looks="fuse, cable and rack of points that stand in for each other",
)
def share(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """Two that stand in for each other behind one fuse or in one cable; in one rack, where they shut something. On one
    module: R38 says it."""
    held = rows[image.filled("redundant")[rows]]
    groups: dict[str, list[int]] = {}
    for row in held.tolist():
        groups.setdefault(image.text("redundant", row).casefold(), []).append(row)
    racks = {n: m.rack for n, m in image.layout.modules.items()}
    for word, group in groups.items():
        for what, says in (("fed_from", "are both fed from"), ("cable", "are both in cable")):
            by: dict[str, list[int]] = {}
            said = fed(image, np.array(group)) if what == "fed_from" else image.cells[what][group]
            for row, text in zip(group, said, strict=True):
                if text:
                    by.setdefault(text.casefold(), []).append(row)
            for shared, those in by.items():
                if len(those) > 1:
                    tags = " and ".join(image.label(row) for row in those)
                    name = next(text for text in said if text and text.casefold() == shared)
                    words = f"{tags} stand in for each other and {says} {name}"
                    yield report(image, "R80", those, Station.LOOP, words, (what,), about=f"{word}:{what}:{shared}")
        in_rack: dict[int, list[int]] = {}
        for row in group:
            if image.landed[row]:
                in_rack.setdefault(racks.get(int(image.module[row]), 0), []).append(row)
        for rack, those in in_rack.items():
            modules = {int(image.module[row]) for row in those}
            if len(modules) < 2 or len(modules) < len(those) or not image.filled("trips")[those].any():
                # One rack for both is usual where nothing is shut by them.
                continue
            tags = " and ".join(image.label(row) for row in those)
            name = image.layout.racks[rack].name
            words = f"{tags} stand in for each other and are both in rack {name} of {image.layout.cabinets[image.layout.racks[rack].cabinet].name}"
            yield report(
                image, "R80", those, Station.INPUT, words, ("channel",), about=f"{word}:rack:{rack}", severity="note"
            )
