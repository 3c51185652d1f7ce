"""At the terminals: where the meter goes and what it should read, and how a calibrator takes the device's place."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from canaleta.core.model.ambient import ambient_degc
from canaleta.core.model.fields import STATIONS, Station
from canaleta.core.model.image import PlantImage
from canaleta.core.model.sources import Source
from canaleta.core.notation.text import shown
from canaleta.core.path.evaluate import describe, evaluate
from canaleta.core.path.joints.base import PathRows
from canaleta.core.path.joints.linear import loop_drop_v, loop_ohm
from canaleta.core.signals.signal_types import LOADS, MONITORED, Family, Signal, signal_named
from canaleta.core.wiring.circuit import Circuit, Run

__all__ = ["Hookup", "MeterReading", "hookup_of"]

LIVE_ZERO_MA = 4.0


@dataclass(frozen=True)
class MeterReading:
    """One measurement: how the meter is set and where its leads go, what is healthy, and what else means what."""

    meter: str
    where: str
    healthy: str
    otherwise: tuple[tuple[str, str], ...]


@dataclass(frozen=True)
class Hookup:
    """Readings with a meter, and the steps with a calibrator. safe: what to see to first."""

    safe: tuple[str, ...]
    readings: tuple[MeterReading, ...]
    calibrator: str
    steps: tuple[str, ...]


def hookup_of(image: PlantImage, row: int, circuit: Circuit) -> Hookup:
    """The hook-up for one point with its circuit."""
    signal = signal_named(image.text("signal", row))
    assert signal is not None, "a circuit has a signal"
    safe = []
    if trips := image.text("trips", row):
        safe.append(f"it {trips}" + (f"; inhibit first: {t}" if (t := image.text("inhibit", row)) else ""))
    if tell := image.text("tell", row):
        safe.append(f"tell {tell}")
    if signal.switch in ("AC contact", "AC load"):
        safe.append("mains: switch off, lock, and prove dead before a core is lifted")
    readings, calibrator, steps = _BY_FAMILY[signal.family](image, row, circuit, signal)
    return Hookup(tuple(safe), readings, calibrator, steps)


_Parts = tuple[tuple[MeterReading, ...], str, tuple[str, ...]]


def _place(run: Run | None) -> str:
    """Where one gets at a core: its strip terminal if it has one, else where it ends in the cabinet."""
    if run is None:
        return "?"
    return run.strip.name if run.strip else run.end


def _measured(circuit: Circuit) -> Run:
    """The core that carries the signal."""
    return circuit.run("signal") or circuit.runs[0]


def _opening(circuit: Circuit) -> str:
    """The place where the signal's circuit can be opened without a screwdriver, or which core to lift.

    Of two cores either will do; where a supply runs beside the signal, only the signal's own.
    """
    signal = _measured(circuit)
    for run in circuit.runs if len(circuit.runs) == 2 else (signal,):
        if run.strip and run.strip.kind in ("knife", "fuse", "test"):
            return f"open {run.strip.kind} {run.strip.name}"
    return f"lift the core at {_place(signal)}"


def _ends(circuit: Circuit) -> tuple[str, str]:
    """Where + and − of what takes the device's place go: source and way back of the device's own current."""
    signal = _measured(circuit)
    supply, back = circuit.run("supply"), circuit.run("return")
    if circuit.drive in (Source.MODULE, Source.CABINET) and supply is not None:
        # Fed: the current comes out of the supply and goes back by the signal, which a calibrator sinks.
        return _place(supply), _place(signal)
    return _place(signal), _place(back)


def _foot(circuit: Circuit) -> str:
    """Where a voltage at the input is measured against."""
    if (back := circuit.run("return")) is not None:
        return _place(back)
    beside = [(m, role) for m, role, _ in circuit.links] + list(circuit.unused)
    return next((f"terminal {mark}" for mark, role in beside if role in ("0 V", "minus")), "0 V of the cabinet")


def _levels(image: PlantImage, row: int, station: Station, at: list[float]) -> list[str]:
    rows = np.full(len(at), row)
    found = evaluate(image, station, np.array(at), rows).at(Station.LOOP)
    words = describe(image, row)[STATIONS.index(Station.LOOP)]
    return [f"{shown(float(x), words.decimals)} {words.unit}" for x in found]


def _linear(image: PlantImage, row: int, circuit: Circuit, signal: Signal) -> _Parts:
    low, middle, high = _levels(image, row, Station.DEVICE, [0.0, 50.0, 100.0])
    first, second = _ends(circuit)
    if signal.unit == "mA":
        mode = int(image.mode[row])
        burden = float(image.layout.mode_table.numbers["burden_ohm"][mode]) if mode >= 0 else 0.0
        # A live zero tells a failed device from one at its zero (NAMUR NE 43).
        failed = (
            (("3.6 mA or less, 21 mA or more", "the device says that it failed"),)
            if signal.low == LIVE_ZERO_MA
            else ()
        )
        readings = [
            MeterReading(
                "mA, in series",
                f"{_opening(circuit)}, the meter across the gap",
                f"{low} … {high}, half is {middle}",
                (
                    ("0.00 mA", "a broken core, no supply, or the two swapped"),
                    *failed,
                    ("over 22 mA", "a short between the cores"),
                ),
            ),
        ]
        if burden:
            readings.append(
                MeterReading(
                    "V, nothing opened",
                    f"across the input, {burden:g} Ω",
                    f"{shown(signal.low * burden / 1000, 2)} … {shown(signal.high * burden / 1000, 2)} V "
                    f"at {signal.low:g} … {signal.high:g} mA",
                    (("0 V", "no current"), ("far more", "not this input, or its burden is open")),
                )
            )
        if circuit.drive == Source.OUTPUT:
            return (
                tuple(readings),
                "measure mA",
                (
                    f"{_opening(circuit)}; take the device off",
                    f"calibrator, measuring, + to {first}, − to {second}",
                    "have the controller give 0, 50 and 100 %",
                    "put every core back and see that the device moves",
                ),
            )
        if circuit.drive in (Source.UNSAID, Source.TWO, Source.NONE):
            return (
                tuple(readings),
                "not yet: the loop has not one source",
                (
                    "settle first who feeds the loop: supply and wires in the list say it, or the module it is landed on",
                ),
            )
        if circuit.drive != Source.MODULE:
            return (
                tuple(readings),
                "source mA",
                (
                    _opening(circuit),
                    "take the device off: its supply would be a second source",
                    f"calibrator + to {first}, − to {second}",
                    "put every core back and see that the reading returns",
                ),
            )
        readings.append(_over_the_device(image, row, circuit))
        return (
            tuple(readings),
            "simulate a transmitter: the calibrator sinks what the module feeds",
            (
                f"{_opening(circuit)}; take the device's cores off",
                f"calibrator + to {first}, − to {second}: the loop's 24 V stays on",
                "do not source: the module's supply would be the second one",
                "put every core back and see that the reading returns",
            ),
        )
    first, second = _place(_measured(circuit)), _foot(circuit)
    if signal.unit == "Ω":
        across = MeterReading(
            "Ω, cores lifted",
            f"{first} to {second}",
            f"{low} … {high}, half is {middle}",
            (("open", "a broken track or lead"), ("jumping", "a worn track")),
        )
        places = ", ".join(_place(run) for run in circuit.runs)
        return (
            (across,),
            f"simulate Ω with {len(circuit.runs)} cores",
            (
                "lift every core of the device",
                f"resistance box or calibrator to {places}, lead for lead",
                "put the cores back and see that the reading returns",
            ),
        )
    if circuit.drive == Source.OUTPUT:
        healthy = MeterReading(
            signal.unit,
            f"{first} to {second}",
            f"{low} … {high}, half is {middle}",
            (("0", "the output is off, or a short"), ("not moving", "not this output, or it is forced")),
        )
        return (
            (healthy,),
            f"measure {signal.unit}",
            (
                f"the meter, + to {first}, − to {second}: the device may stay on",
                "have the controller give 0, 50 and 100 %",
            ),
        )
    readings = [
        MeterReading(
            signal.unit if signal.unit != "pulses" else "Hz",
            f"{first} to {second}",
            f"{low} … {high}, half is {middle}",
            (("0", "no supply, or a broken core"), ("wandering", "an open 0 V or screen")),
        )
    ]
    return (
        tuple(readings),
        f"source {signal.unit}",
        (
            f"lift the device's core at {first}",
            f"calibrator + to {first}, − to {second}",
            "put the core back and see that the reading returns",
        ),
    )


def _over_the_device(image: PlantImage, row: int, circuit: Circuit) -> MeterReading:
    """The voltage over a device that the module feeds, with the plant's nominal supply."""
    first, second = _ends(circuit)
    lift = image.text("lift_off_v", row)
    least = f", never under its lift-off of {lift} V" if lift else ""
    otherwise = (("the whole supply", "the device is open"), ("near 0 V", "a short, or no supply"))
    if len(circuit.runs) > 2:
        # Of three cores the device stands between its supply and 0 V; the signal comes out of it beside them.
        healthy = f"{image.conventions.supply_v:g} V, less what its cable takes"
        return MeterReading("V over the device", f"{first} to {_foot(circuit)}", healthy + least, otherwise[1:])
    p = PathRows(image, np.array([row]))
    with np.errstate(all="ignore"):
        ohm, drop = float(loop_ohm(p)[0]), float(loop_drop_v(p)[0])
    volts = [image.conventions.supply_v - drop - ma / 1000.0 * ohm for ma in (4.0, 20.0)]
    healthy = f"{shown(volts[0], 1)} V at 4 mA, {shown(volts[1], 1)} V at 20 mA"
    return MeterReading("V over the device", f"{first} to {second}", healthy + least, otherwise)


def _thermocouple(image: PlantImage, row: int, circuit: Circuit, signal: Signal) -> _Parts:
    junction = float(ambient_degc(image, np.array([row]))[0])
    cold, hot = _levels(image, row, Station.PROCESS, [junction, 500.0])
    plus, minus = (_place(run) for run in circuit.runs)
    readings = (
        MeterReading("mV", f"{plus} (+) to {minus} (−)",
                f"{cold} with the hot end at the {junction:g} °C of the cabinet, {hot} at 500 °C",
                (("falling as it warms", "the two are swapped"),
                 ("0 mV and never moving", "a short: it reads the cabinet's own temperature"))),
        MeterReading("Ω, cores lifted", f"{plus} to {minus}", "a few Ω to a few tens, the same both ways round",
                (("open", "a broken element or wire"), ("much lower than before", "a short on the way"))),
    )  # fmt: skip
    wire = image.text("extension", row) or "the thermocouple's own wire"
    return (
        readings,
        f"source a thermocouple {signal.curve}, its cold junction at the calibrator's terminals",
        (
            f"lift both cores at {plus} and {minus}",
            f"from the calibrator with {wire} to {plus} and {minus}: with copper, set it to mV and reckon the junction in mV",
            "wait until its terminals have the temperature of the air",
            "put both back, + on +",
        ),
    )


def _resistance(image: PlantImage, row: int, circuit: Circuit, signal: Signal) -> _Parts:
    zero, hundred = _levels(image, row, Station.PROCESS, [0.0, 100.0])
    count = len(circuit.runs)
    places = [_place(run) for run in circuit.runs]
    first, last = places[0], places[-1]
    readings = [
        MeterReading(
            "Ω, cores lifted",
            f"{first} to {last}",
            f"{zero} at 0 °C, {hundred} at 100 °C, with the leads as the list has them",
            (("open", "a broken element or lead"), ("a few Ω", "a short, or both meters on one end")),
        ),
    ]
    if count > 2:
        readings.append(
            MeterReading(
                "Ω, cores lifted",
                f"{first} to {places[1]}, the two of one colour",
                "the two leads alone: a few Ω at most",
                (("as much as the element", "the leads are mixed up"),),
            )
        )
    return (
        tuple(readings),
        f"simulate {signal.name} with {count} cores",
        (
            "lift every core of the element",
            f"calibrator to {', '.join(places)}, lead for lead",
            "the module's measuring current must suit the calibrator: pulsed ones upset some",
            "put the cores back, those of one colour together",
        ),
    )


def _contact(image: PlantImage, row: int, circuit: Circuit, signal: Signal) -> _Parts:
    opened, closed = _levels(image, row, Station.DEVICE, [0.0, 1.0])
    at_input = _measured(circuit)
    input_at = at_input.end
    first, last = _place(circuit.runs[0]), _place(circuit.runs[-1])
    watched = signal.switch in MONITORED
    against = _foot(circuit) if signal.switch in LOADS else "the common"
    meter, where = ("mA, in series", _opening(circuit)) if watched else ("V", f"{input_at} to {against}")
    readings = (
        MeterReading(
            meter,
            where,
            f"{closed} closed, {opened} open",
            (
                ("0 either way", "no supply, a blown fuse, or a broken core"),
                ("between the two", "leakage, a long induced core, or a tired contact"),
            ),
        ),
    )
    if signal.switch == "AC contact":
        return (
            readings,
            "operate the contact itself",
            ("work the device, or its auxiliary contact by hand, dead", "never bridge mains at a live terminal"),
        )
    if signal.switch in LOADS:
        steps = (
            "lift the load's core",
            f"a meter or a lamp of small load from {first} to {last}",
            "have it switched, on and off",
            "put the core back",
        )
        return readings, "measure what the output switches", steps
    if signal.switch in ("PNP", "NPN"):
        duty, volts = ("supply", "24 V") if signal.switch == "PNP" else ("return", "0 V")
        rail = circuit.run(duty)
        to = f"{rail.end} ({volts})" if rail and rail.terminal else volts
        return (
            readings,
            f"a bridge from {input_at} to {to}",
            (
                f"lift the device's output core at {input_at}",
                f"bridge {input_at} to {to} and take it off again",
                "put the core back",
            ),
        )
    if watched:
        return (
            readings,
            "resistors, not a bridge: a bridge is a short and is told as one",
            (
                f"{_opening(circuit)}",
                f"a resistor of the actuated and of the free state between {first} and {last}",
                "then open, then short: both must be told",
                "put every core back",
            ),
        )
    return (
        readings,
        "a bridge: closed, open, closed",
        (
            _opening(circuit),
            f"bridge {first} and {last}, then take it off",
            "put every core back",
        ),
    )


_BY_FAMILY = {
    Family.LINEAR: _linear,
    Family.THERMOCOUPLE: _thermocouple,
    Family.RESISTANCE: _resistance,
    Family.CONTACT: _contact,
}
