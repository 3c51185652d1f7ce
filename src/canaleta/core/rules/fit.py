"""Rules about a device on its channel: direction and class, voltages, supplies, spans, live zeros, curves,
ratings."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator

import numpy as np

from canaleta.core.checks.checkpoints import TEMPERATURE
from canaleta.core.hardware.fit import supplied
from canaleta.core.model.feeding import supply_of
from canaleta.core.model.fields import Station
from canaleta.core.model.image import PlantImage
from canaleta.core.model.layout import SEPARATOR
from canaleta.core.model.mode_table import ModeTable
from canaleta.core.model.quality import Reason
from canaleta.core.model.sources import driven
from canaleta.core.notation.arrays import Bools, Rows
from canaleta.core.notation.text import shown
from canaleta.core.path.evaluate import describe, evaluate
from canaleta.core.path.joints import contact, linear, linear_words
from canaleta.core.path.joints.base import PathRows
from canaleta.core.rules.finding import Cause, Cell, Finding, Fix
from canaleta.core.rules.masks import (
    PATH,
    cut_off,
    dead_zero,
    derived_counts,
    of_signal,
    of_type,
    on_same_module,
    other_curve,
    process_at,
    reach,
    signal_of,
    span_words,
    takes,
    uncurved,
)
from canaleta.core.rules.other_modes import AC, OtherModes
from canaleta.core.rules.rule import report, rule
from canaleta.core.signals.laws import SENSOR_LAW
from canaleta.core.signals.signal_types import LOADS, Family

_PLACE = ("signal", "channel", "mode")
_SHUNTS = {5.0: "250", 10.0: "500", 1.0: "50"}


def _title(image: PlantImage, row: int) -> str:
    return image.layout.type_of(int(image.module[row])).title


def _shunt_for(one: PathRows, top: float) -> tuple[str | None, float]:
    """(ohms of the shunt, volts that it makes of 20 mA): as the typed counts imply, or else the whole of the mode's span."""
    counts_high = float(one.number("counts_high")[0])
    c0, c1, v0, v1 = (float(one.of_mode(n)[0]) for n in ("counts_low", "counts_high", "signal_low", "signal_high"))
    if np.isfinite(counts_high) and c1 != c0:
        implied = v0 + (counts_high - c0) / (c1 - c0) * (v1 - v0)
        near = min(_SHUNTS, key=lambda volts: abs(volts - implied))
        if abs(near - implied) <= 0.01 * near:
            return _SHUNTS[near], near
    return _SHUNTS.get(top), top


def _cause(image: PlantImage, row: int) -> Cause:
    """Points that do not go on one module type in one mode share what is wrong."""
    key = image.layout.modules[int(image.module[row])].type_key
    return Cause(
        f"{key}:{image.text('mode', row)}", f"{_title(image, row)} in mode {image.text('mode', row) or 'none'}"
    )


def _placed(image: PlantImage, rows: Rows) -> Rows:
    """Rows with a signal on a channel."""
    here: Rows = rows[(image.module[rows] >= 0) & (image.family[rows] != Family.NONE)]
    return here


@rule(
    "R03",
    "device and channel of different kinds",
    "direction and class of the module type",
    PATH,
    severity="bad",
    harm="hides",
    looks="what the device gives or takes against what the channel's mode measures or gives",
)
def other_kind(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """A load on an input, a switch on an output, a thermocouple on a discrete input, a NAMUR sensor on a plain
    one."""
    modes = OtherModes(image)
    rows = _placed(image, rows)
    out = driven(image, rows)
    load = of_signal(image, rows, lambda s: s.switch in LOADS) == 1.0
    discrete = image.family[rows] == Family.CONTACT
    p = PathRows(image, rows)
    known, family = image.mode[rows] >= 0, p.mode_family
    thermal = np.isin(image.family[rows], TEMPERATURE) & np.isin(family, TEMPERATURE)
    level = (image.family[rows] == Family.LINEAR) & (family == Family.LINEAR)
    listens, switches = load & ~out, discrete & ~load & out
    other = known & ~takes(image, rows) & ~thermal & ~level & ~listens & ~switches
    for at in np.flatnonzero(listens | switches | other).tolist():
        row = int(rows[at])
        signal, title = signal_of(image, row), _title(image, row)
        if listens[at]:
            text = f"{signal.name} waits to be switched, and {title} only listens: nothing ever switches it"
        elif switches[at]:
            text = f"{signal.name} is to be read, and {title} only switches: nothing is read"
        else:
            mode = image.layout.mode_table
            unit = ModeTable.UNITS[int(mode.unit[image.mode[row]])]
            kind = Family(int(mode.family[image.mode[row]])).name.lower()
            takes_what = "switches" if kind == "contact" else f"a {kind} signal in {unit}"
            text = f"{title} in mode {image.text('mode', row)} takes {takes_what}, and the device is a {signal.name}: nothing it says can be read"
        yield report(
            image,
            "R03",
            [row],
            Station.INPUT,
            text,
            ("mode", "signal", "channel"),
            fixes=modes.of(row),
            cause=_cause(image, row),
        )


@rule(
    "R53",
    "a mode the module does not have",
    "the module type",
    PATH,
    near=on_same_module,
    severity="bad",
    harm="hides",
    looks="the name of each channel's mode among those of its module",
)
def no_such_mode(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """A mode left over from another module: the channel cannot work that way, so no count means anything."""
    modes = OtherModes(image)
    lost = rows[(image.module[rows] >= 0) & (image.mode[rows] < 0) & image.filled("mode")[rows]]
    on_module = Counter(image.module[rows].tolist())
    lost_on = Counter(image.module[lost].tolist())
    for row in lost.tolist():
        module = int(image.module[row])
        many, all_ = lost_on[module], on_module[module]
        cause = _cause(image, row)
        if many > 1 and 2 * many >= all_:
            # Whoever put another module there made all of them wrong at once.
            place = image.layout.address(module, 0).rpartition(SEPARATOR)[0]
            cause = Cause(
                f"module:{module}",
                f"{place} is a {_title(image, row)}, and {many} of its {all_} points are for another",
            )
        text = f"{_title(image, row)} has no mode {image.text('mode', row)}: no count of it means anything"
        fixes = modes.of(row) if image.family[row] != Family.NONE else ()
        yield report(image, "R53", [row], Station.INPUT, text, ("mode", "channel"), fixes=fixes, cause=cause)


@rule(
    "R04",
    "voltages that do not go together",
    "IEC 61131-2: rated voltage of a channel",
    PATH,
    severity="bad",
    harm="destroys",
    looks="mains and 24 V DC on the two sides of a terminal",
)
def voltages(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """Mains on a DC channel kill the module; a DC device on a mains channel is killed by it."""
    modes = OtherModes(image)
    rows = _placed(image, rows)
    ac = of_signal(image, rows, lambda s: s.switch in AC) == 1.0
    dry = of_signal(image, rows, lambda s: s.switch == "contact") == 1.0
    alternating = PathRows(image, rows).mode_flag("alternating")
    module_takes_ac = of_type(image, rows, lambda kind: any(mode.current == "AC" for mode in kind.modes)) == 1.0
    known = image.mode[rows] >= 0
    kills_module = ac & ~alternating & (known | ~module_takes_ac)
    kills_device = ~ac & alternating & ~dry
    volts = shown(image.conventions.mains_v, 0)
    for at in np.flatnonzero(kills_module | kills_device).tolist():
        row = int(rows[at])
        name, title = signal_of(image, row).name, _title(image, row)
        what = image.text("mode", row) or "DC"
        text = (
            f"{name} brings {volts} V AC to {title}, mode {what}: the mains kill the module"
            if kills_module[at]
            else f"{title}, mode {what}, puts {volts} V AC on a {name}: the mains kill the device"
        )
        yield report(
            image,
            "R04",
            [row],
            Station.LOOP,
            text,
            ("signal", "mode", "channel"),
            fixes=modes.of(row),
            cause=_cause(image, row),
        )


_SUPPLIES = ("signal", "supply", "supply_low_v", "supply_high_v", "fed_from", "channel")


@rule(
    "R05",
    "device supply outside the group's",
    "data sheet of the device; the plant's supply",
    _SUPPLIES,
    harm="wavers",
    looks="the least and greatest supply of a device against what its module feeds",
)
def other_supply(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """A device that the supply of its group would kill, or that may fail when it sags."""
    rows = _placed(image, rows)
    _, falls_to, rises_to = supply_of(image, rows)
    least, greatest = image.number("supply_low_v")[rows], image.number("supply_high_v")[rows]
    for row in rows[(least > falls_to) | (greatest < rises_to)].tolist():
        kills, short = supplied(image, row, signal_of(image, row), image.layout.type_of(int(image.module[row])))
        if kills or short:
            yield report(
                image,
                "R05",
                [row],
                Station.LOOP,
                kills or short,
                ("supply_low_v", "supply_high_v", "supply"),
                severity="bad" if kills else "settle",
                harm="destroys" if kills else "wavers",
            )


@rule(
    "R06",
    "no way for the current",
    "IEC 61131-2: sourcing and sinking, said by where the current flows",
    _PLACE,
    severity="bad",
    harm="hides",
    looks="which way a transistor output pulls against the input's common",
)
def no_current_path(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """An NPN sensor on an input whose common is at 0 V, a PNP one where it is at +: the input never switches."""
    rows = rows[(image.family[rows] == Family.CONTACT) & (image.mode[rows] >= 0)]
    p = PathRows(image, rows)
    for row in rows[~contact.current_path(p) & ~p.mode_flag("alternating")].tolist():
        signal = signal_of(image, row)
        side = "+" if signal.switch == "PNP" else "0 V"
        text = f"{signal.name} pulls to {side} and the common of {_title(image, row)} is at {side}: no current flows, it never switches"
        yield report(image, "R06", [row], Station.LOOP, text, ("signal", "channel"), cause=_cause(image, row))


@rule(
    "R09",
    "the input does not take all of the signal",
    "spans of the module type",
    PATH,
    harm="falsifies",
    looks="what is used of the signal against what the converter counts",
)
def not_all_of_it(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """Current into volts without a shunt, ± into unipolar, a range that goes beyond where the count stops."""
    modes = OtherModes(image)
    rows = rows[(image.mode[rows] >= 0) & np.isin(image.family[rows], (Family.LINEAR, *TEMPERATURE))]
    p = PathRows(image, rows)
    unfit = (image.family[rows] == Family.LINEAR) & (p.mode_family == Family.LINEAR) & ~takes(image, rows)
    cut = cut_off(image, rows) & ~other_curve(image, rows)
    for at in np.flatnonzero(unfit | cut).tolist():
        row = int(rows[at])
        one = PathRows(image, np.array([row]))
        name, mode, fixes = signal_of(image, row).name, image.text("mode", row), modes.of(row)
        if unfit[at]:
            seen, given = linear.input_unit(one), linear.signal_unit(one)
            text = f"{name} is in {given} and mode {mode} takes {seen}"
            severity = "bad"
            if given == "mA" and seen == "V":
                top = float(one.of_mode("signal_high")[0])
                ohm, top = _shunt_for(one, top)
                text += ": without a shunt it reads nothing right" + (
                    f"; {ohm} Ω makes {top:g} V of 20 mA" if ohm else ""
                )
                fixes += [Fix(f"a shunt of {ohm} Ω", ((Cell(int(image.ids[row]), "shunt_ohm"), ohm),))] if ohm else []
        else:
            counted, used = span_words(image, row)
            least, most, low, high = (float(x[0]) for x in reach(image, np.array([row])))
            overdriven = image.family[row] == Family.LINEAR and high > 10.0 * max(abs(least), abs(most))
            severity = "bad" if overdriven else "settle"
            lost = 100.0 * (max(0.0, least - low) + max(0.0, high - most)) / (high - low)
            text = f"{used} are used and the count reaches {counted}: " + (
                "the input is overdriven" if overdriven else f"{shown(min(lost, 100.0), 1)} % of the span is cut off"
            )
        yield report(image, "R09", [row], Station.INPUT, text, ("mode", "signal", "channel"), fixes=fixes,
                   severity="bad" if severity == "bad" else "settle", cause=_cause(image, row))  # fmt: skip


_FAILING = (*PATH, "failure_ma", "trips")


@rule(
    "R10",
    "clipping hides a failure",
    "NAMUR NE 43",
    _FAILING,
    harm="hides",
    looks="where the count stops against the currents that tell a failure",
)
def failure_hidden(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """A device that fails beyond where the count stops: its failure looks like a value at the end of the range."""
    rows = rows[(image.family[rows] == Family.LINEAR) & (image.mode[rows] >= 0)]
    live = of_signal(image, rows, lambda s: s.live_zero) == 1.0
    rows = rows[live & takes(image, rows) & ~PathRows(image, rows).mode_flag("outputs")]
    if not len(rows):
        return
    namur, fails = image.conventions.namur, image.number("failure_ma")[rows]
    trips = image.filled("trips")[rows]
    low, high = linear.signal_span(PathRows(image, rows))
    cut = cut_off(image, rows)

    def hidden(ma: float, reason: Reason) -> Bools:
        told = evaluate(image, Station.LOOP, low + (ma - 4.0) / 16.0 * (high - low), rows).reasons
        return np.asarray((told & np.uint32(int(reason) | int(Reason.OPEN_CIRCUIT))) == 0, dtype=bool)

    # What a count of its own tells is not hidden; a status bit tells a broken wire, and not where a device's failure
    # lies.
    watched = of_type(image, rows, lambda kind: kind.status is not None) == 1.0
    p = PathRows(image, rows)
    told = {name: ~np.isnan(p.of_mode(name)) for name in ("open_counts", "under_counts", "over_counts")}
    # A broken wire goes low whatever the device does; it fails high only where that is said, or where it must be
    # feared.
    above = hidden(namur.failed_high_ma, Reason.FAILED_HIGH) & (
        (fails >= namur.good_to_ma) | (np.isnan(fails) & trips)
    )
    above &= ~told["over_counts"]
    below = hidden(0.0, Reason.FAILED_LOW) & ~told["open_counts"] & ~told["under_counts"] & ~watched
    limits: dict[tuple[object, ...], tuple[str, str]] = {}
    for at in np.flatnonzero((above | below) & ~cut).tolist():
        row = int(rows[at])
        alike = int(image.mode[row]), image.cells["signal"][row], image.cells["shunt_ohm"][row]
        if alike not in limits:
            limits[alike] = linear_words.limits(PathRows(image, np.array([row])))
        stops = limits[alike]
        if above[at]:
            ma = max(namur.failed_high_ma, float(np.nan_to_num(fails[at])))
            text = f"the converter stops at {stops[1]}: a transmitter failing high at {shown(ma, 1)} mA looks like {stops[1]}"
            text += "" if np.isfinite(fails[at]) else "; how it fails is not said, and it shuts something"
        else:
            text = f"the converter stops at {stops[0]}: a broken wire looks like {stops[0]}, the bottom of the range"
        # What hides it is the mode, so all points in it have one cause.
        fixes = (
            []
            if np.isfinite(fails[at])
            else [Fix("it fails low, at 3.6 mA", ((Cell(int(image.ids[row]), "failure_ma"), "3.6"),))]
        )
        yield report(
            image,
            "R10",
            [row],
            Station.INPUT,
            text,
            ("mode", "failure_ma"),
            fixes=fixes if above[at] else (),
            cause=_cause(image, row),
        )


@rule(
    "R13",
    "live zero and dead zero mixed",
    "IEC 60381-1: 4–20 mA starts at 4 mA",
    PATH,
    harm="falsifies",
    looks="typed counts against those of the signal's own low end",
)
def zeros_mixed(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """The scaling starts where another signal would: a fifth of the range too low or too high at the bottom."""
    for row in rows[dead_zero(image, rows)].tolist():
        point, signal = int(image.ids[row]), signal_of(image, row)
        typed, (c0, _) = float(image.number("counts_low")[row]), derived_counts(image, np.array([row]))
        other = "0" if signal.live_zero else "a live zero"
        low = process_at(image, np.array([row]), 0.0)
        found = evaluate(image, Station.DEVICE, np.array([0.0]), np.array([row]))
        words = describe(image, row)
        text = (
            f"the scaling starts at count {shown(typed, 0)}, which is {other} {signal.unit if signal.live_zero else ''}".rstrip()
            + f"; {signal.name} starts at {shown(float(c0[0]), 0)}"
        )
        if np.isfinite(says := float(found.at(Station.VALUE)[0])) and np.isfinite(low[0]):
            text += (
                f": at {shown(signal.low, 0)} {signal.unit} the list shows {shown(says, words[5].decimals)} {words[5].unit}"
                f" where the device means {shown(float(low[0]), words[0].decimals)} {words[0].unit}"
            )
        fix = Fix("as signal and module make it", ((Cell(point, "counts_low"), ""), (Cell(point, "counts_high"), "")))
        yield report(image, "R13", [row], Station.COUNTS, text, ("counts_low", "counts_high"), fixes=(fix,))


@rule(
    "R21",
    "an element the mode is not for",
    "IEC 60584-1, IEC 60751: each element has its own curve",
    PATH,
    severity="bad",
    harm="falsifies",
    looks="the element's curve against the one that the mode or the scaling takes",
)
def other_element(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """Type S read as type K, a Pt100 on a thermocouple input, plain mV scaled in a straight line."""
    modes = OtherModes(image)
    rows = rows[np.isin(image.family[rows], TEMPERATURE) & (image.mode[rows] >= 0)]
    p = PathRows(image, rows)
    unfit = np.isin(p.mode_family, TEMPERATURE) & ~takes(image, rows)
    other, bare = other_curve(image, rows), uncurved(image, rows)
    for at in np.flatnonzero(unfit | other | bare).tolist():
        row = int(rows[at])
        name, mode, title = signal_of(image, row).name, image.text("mode", row), _title(image, row)
        fixes = modes.of(row)
        if unfit[at]:
            text = f"{title} in mode {mode} does not take a {name}: nothing it says can be read"
        elif other[at]:
            text = f"a {name} on mode {mode}" + _misread(image, row)
        else:
            text = f"mode {mode} gives plain {describe(image, row)[3].unit}: in a straight line it is no temperature of a {name}"
            fixes.append(
                Fix("the law is the sensor's curve", ((Cell(int(image.ids[row]), "value_law"), SENSOR_LAW),))
            )
        yield report(
            image, "R21", [row], Station.INPUT, text, ("signal", "mode"), fixes=fixes, cause=_cause(image, row)
        )


def _misread(image: PlantImage, row: int) -> str:
    """ ": at 1 200 °C the list shows 287", at the top of the range."""
    top = process_at(image, np.array([row]), 1.0)
    found = evaluate(image, Station.PROCESS, top, np.array([row]))
    says, words = float(found.at(Station.VALUE)[0]), describe(image, row)
    if not np.isfinite(says + top[0]):
        return ": what it shows is no temperature of it"
    return f": at {shown(float(top[0]), 0)} °C the list shows {shown(says, 0)} {words[5].unit}"


@rule(
    "R24",
    "output load over its rating",
    "rating of the output's mode",
    (*_PLACE, "load_ma"),
    severity="bad",
    harm="destroys",
    looks="what a load takes against what its output may switch",
)
def load_over(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """A load that takes more than its output may switch."""
    rows = rows[(image.mode[rows] >= 0) & ~np.isnan(image.number("load_ma")[rows])]
    taken, rated = image.number("load_ma")[rows], PathRows(image, rows).of_mode("rated_ma")
    for at in np.flatnonzero(taken > rated).tolist():
        row = int(rows[at])
        text = f"the load takes {shown(float(taken[at]), 0)} mA and {_title(image, row)} may switch {shown(float(rated[at]), 0)} mA"
        yield report(image, "R24", [row], Station.LOOP, text, ("load_ma", "channel"))


@rule(
    "R86",
    "landed without a mode",
    "the module type",
    PATH,
    severity="settle",
    harm="hides",
    looks="points that hold a channel, and whether it is said how that works",
)
def no_mode(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """Signal and channel are there, and how the channel works is not: no count of it means anything."""
    here = image.landed[rows] & ~image.filled("mode")[rows] & (image.family[rows] != Family.NONE)
    modes = OtherModes(image)
    for row in rows[here].tolist():
        kind = image.layout.type_at(int(image.module[row]), int(image.channel[row]))
        if not kind.modes:
            continue
        fixes = modes.of(row)
        text = f"it holds a channel of {kind.title}, and how that works is not said"
        text += "" if fixes else f"; no mode of it takes a {signal_of(image, row).name}"
        yield report(image, "R86", [row], Station.INPUT, text, ("mode", "channel"), fixes=fixes)
