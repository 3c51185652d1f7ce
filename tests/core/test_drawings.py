"""Every drawing is a circuit: whatever may land on whatever module, the current finds its way round, once.

The electric models of modules and devices in this file are its own: nodes joined by wires, and two-pole elements.
A drawing adds its cores and its wires in the cabinet; then a way must exist through exactly one source, the device
and the channel. The calibrator's line is tried in the same way, with the device taken off.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass, field
from itertools import product

import pytest
from tests.building.words import layout_with, plant_of

from canaleta.catalogue.types import module_types
from canaleta.core.hardware.fit import Level, judge_module
from canaleta.core.model.fields import Landing
from canaleta.core.model.image import PlantImage
from canaleta.core.model.module_type import ModuleType
from canaleta.core.model.sources import Source
from canaleta.core.path.facts import facts_of
from canaleta.core.signals.signal_types import LOADS, MONITORED, Family, Signal, signal_named
from canaleta.core.wiring.circuit import Circuit, circuit_of
from canaleta.core.wiring.hookup import Hookup, hookup_of

DEVICE, CHANNEL, SOURCE = "device", "channel", "source"


@dataclass
class Net:
    """Nodes joined by wires, and elements between them: (from, to, what it is)."""

    joined: dict[str, str] = field(default_factory=dict)
    elements: list[tuple[str, str, frozenset[str]]] = field(default_factory=list)

    def node(self, name: str) -> str:
        while name in self.joined:
            name = self.joined[name]
        return name

    def wire(self, a: str, b: str) -> None:
        a, b = self.node(a), self.node(b)
        if a != b:
            self.joined[a] = b

    def element(self, a: str, b: str, *what: str) -> None:
        self.elements.append((a, b, frozenset(what)))

    def ways(self) -> Iterator[list[tuple[frozenset[str], bool]]]:
        """Every way round without a node twice: what is met, and whether from its first pole to its second."""
        edges = [(self.node(a), self.node(b), what) for a, b, what in self.elements]

        def on(start: str, at: str, seen: set[str], used: set[int]) -> Iterator[list[tuple[frozenset[str], bool]]]:
            for k, (a, b, what) in enumerate(edges):
                if k in used or at not in (a, b) or k < min(used):
                    continue
                there, forward = (b, True) if at == a else (a, False)
                if there == start:
                    yield [(what, forward)]
                elif there not in seen:
                    for rest in on(start, there, seen | {there}, used | {k}):
                        yield [(what, forward), *rest]

        for k, (a, b, what) in enumerate(edges):
            if a == b:
                yield [(what, True)]
                continue
            for rest in on(a, b, {a, b}, {k}):
                yield [(what, True), *rest]

    def closing(self, *wanted: str) -> list[list[tuple[frozenset[str], bool]]]:
        """The ways that meet all that is wanted."""
        return [way for way in self.ways() if set(wanted) <= {w for what, _ in way for w in what}]


def sources_of(way: list[tuple[frozenset[str], bool]]) -> int:
    return sum(SOURCE in what for what, _ in way)


def right_way_round(way: list[tuple[frozenset[str], bool]]) -> bool:
    """Whether the source pushes through device and channel from their first pole to their second.

    Outside a source the current runs from + to −, so inside it the way goes from its second pole to its first.
    """
    turns = [forward if SOURCE not in what else None for what, forward in way]
    source = next(forward for what, forward in way if SOURCE in what)
    both = [what for what, _ in way if SOURCE in what and len(what) > 1]
    return bool(both) or all(turn is None or turn is not source for turn in turns)


def module(net: Net, kind: ModuleType, channel: int, signal: Signal, watched: bool) -> None:
    """What is behind the terminals of one channel, by role. M0: the module's own 0 V; M24: its 24 V."""
    marks = {role: f"T {mark}" for mark, role in kind.terminal_marks(channel)}
    resistive = signal.family == Family.RESISTANCE or signal.unit == "Ω"
    if "0 V" in marks:
        net.wire(marks["0 V"], "M0")
    if kind.channels_a_group != 1:
        net.wire("M0", "R 0 V of the cabinet")
    if "24 V out" in marks:
        net.element(marks["24 V out"], "M0", SOURCE)
        if "minus" in marks:
            net.wire(marks["minus"], "M0")
    if kind.direction == "out":
        if "common" in marks and signal.family == Family.CONTACT:
            net.element(marks["common"], marks["signal out"], CHANNEL)
        else:
            out, back = marks.get("plus") or marks["signal out"], marks.get("minus") or marks["0 V"]
            net.element(out, back, CHANNEL, SOURCE)
    elif resistive or (watched and "24 V out" not in marks and "plus" in marks and signal.family == Family.CONTACT):
        # It feeds what hangs between its two terminals, and measures the current or the voltage of that.
        net.element(marks["plus"], "inside", SOURCE)
        net.element(marks["minus"], "inside", CHANNEL)
    elif "plus" in marks:
        net.element(marks["plus"], marks["minus"], CHANNEL)
    elif "neutral" in marks:
        net.element(marks["signal in"], marks["neutral"], CHANNEL)
    elif kind.common == "24 V":
        net.element("R 24 V of the cabinet", marks["signal in"], CHANNEL)
    else:
        net.element(marks["signal in"], "M0", CHANNEL)


def rails(net: Net, circuit: Circuit) -> None:
    net.element("R 24 V of the cabinet", "R 0 V of the cabinet", SOURCE)
    net.element("R phase of the mains", "R neutral of the mains", SOURCE)
    for run in circuit.runs:
        net.wire(f"D {run.mark}", f"T {run.terminal}" if run.terminal else f"R {run.role}")
    for terminal, _, to in circuit.links:
        net.wire(f"T {terminal}", f"T {to}" if f"T {to}" in {f"T {r.terminal}" for r in circuit.runs} else f"R {to}")


def device(net: Net, circuit: Circuit, signal: Signal, supply: str, watched: bool) -> None:
    """What is between the cores at the device's end."""
    marks = [run.mark for run in circuit.runs]
    own = supply in ("own 24 V", "drive")
    driven = circuit.drive == Source.OUTPUT or circuit.runs[0].role in ("signal out",)
    if {"out", "0 V"} <= set(marks):
        if own:
            net.wire("R 0 V of its own supply", "D 0 V")
            net.element("R + of its own supply", "R 0 V of its own supply", SOURCE)
        if "out −" in marks:
            net.wire("D out −", "D 0 V")
        if signal.switch == "NPN":
            net.element("D out", "D 0 V", DEVICE)
        elif signal.unit in ("mA", "Hz", "pulses") or signal.switch == "PNP":
            net.element("D +", "D out", DEVICE)
        else:
            net.element("D out", "D 0 V", DEVICE, SOURCE)
    elif "24 V" in marks:
        net.element("D +", "D 0 V", DEVICE)
    elif "exc +" in marks:
        net.element("D +", "D −", DEVICE, SOURCE)
    elif signal.family == Family.RESISTANCE or signal.unit == "Ω":
        net.element("D a", f"D {marks[-1]}", DEVICE)
    elif driven:
        net.element(f"D {marks[0]}", f"D {marks[1]}", DEVICE)
    else:
        # Who makes the signal: an element, an active device, a contact whose supply is with it in the field.
        fed = signal.unit == "mA" or (signal.unit in ("Hz", "pulses") and supply == "module")
        linear = signal.family == Family.LINEAR and (own or not fed)
        gives = (
            signal.family == Family.THERMOCOUPLE
            or linear
            or (own and signal.family == Family.CONTACT and not watched)
        )
        if "L" in marks:
            net.wire("D N", "R neutral of the mains")
            net.element("R phase of the mains", "D L", DEVICE)
            return
        if "the input's common" in {run.role for run in circuit.runs}:
            net.wire("R the input's common", "R 24 V of the cabinet")
            net.elements = [e for e in net.elements if e[:2] != ("R 24 V of the cabinet", "R 0 V of the cabinet")]
        net.element(f"D {marks[0]}", f"D {marks[1]}", DEVICE, *([SOURCE] if gives else []))


SIGNALS = (
    "4–20 mA", "0–20 mA", "0–10 V", "±10 V", "1–5 V", "mV", "frequency", "pulses", "bridge mV/V", "potentiometer", "PWM",
    "TC K", "Pt100", "Ni1000", "contact NO", "PNP NO", "PNP NC", "NPN NO", "two-wire NO", "NAMUR NO", "end-of-line NO",
    "AC contact NO", "load 24 V DC", "load AC",
)  # fmt: skip


@dataclass(frozen=True)
class Landed:
    """One device on one module that takes it."""

    kind: ModuleType
    signal: Signal
    supply: str
    plant: PlantImage
    circuit: Circuit
    hookup: Hookup

    def __str__(self) -> str:
        return (
            f"{self.signal.name}, {self.supply or '-'}, {self.plant.text('wires', 0) or '-'} wires on {self.kind.key}"
        )

    @property
    def watched(self) -> bool:
        chosen = self.kind.mode_named(self.plant.text("mode", 0))
        return chosen is not None and chosen.signal_unit == "mA"

    def net(self) -> Net:
        net = Net()
        module(net, self.kind, int(self.plant.channel[0]), self.signal, self.watched)
        rails(net, self.circuit)
        return net

    def whole(self) -> Net:
        net = self.net()
        device(net, self.circuit, self.signal, self.supply, self.watched)
        return net


def may_measure(kind: ModuleType, signal: Signal) -> bool:
    """Whether a mode has anything to do with the signal's unit: what has not is refused, and need not be asked
    about."""
    units = {(mode.family_code, mode.signal_unit) for mode in kind.modes}
    by_shunt = signal.unit == "mA" and (Family.LINEAR, "V") in units
    contact = signal.family == Family.CONTACT and any(family == Family.CONTACT for family, _ in units)
    element = signal.family in (Family.RESISTANCE, Family.THERMOCOUPLE) and any(f == signal.family for f, _ in units)
    return by_shunt or contact or element or any(unit == signal.unit for _, unit in units)


def landed_on(key: str) -> tuple[Landed, ...]:
    """Everything that may land on a module type."""
    kind = module_types()[key]
    layout, out = layout_with([kind]), []
    for name in SIGNALS:
        bare = plant_of("X-1: 4–20 mA, nowhere", layout=layout).with_cells({(0, "signal"): name, (0, "mode"): ""})
        signal = signal_named(name)
        assert signal is not None
        if not may_measure(kind, signal):
            continue
        supplies = ("", "module", "own 24 V", "none") if signal.family in (Family.LINEAR, Family.CONTACT) else ("",)
        wires = (None, 2, 3, 4) if signal.family in (Family.LINEAR, Family.RESISTANCE) else (None,)
        for supply, cores in product(supplies, wires):
            plant = bare.with_cells({(0, "supply"): supply, (0, "wires"): cores, (0, "jumper"): "at the input"})
            found = judge_module(plant, 0, 4)
            if found.level == Level.REFUSED:
                continue
            channel = next(iter(found.channels), 0)
            plant = plant.with_cells({(0, "channel"): Landing(4, channel, landed=True), (0, "mode"): found.mode})
            circuit = circuit_of(plant, 0)
            assert circuit is not None
            out.append(
                Landed(
                    layout.type_at(4, channel, found.mode),
                    signal,
                    supply,
                    plant,
                    circuit,
                    hookup_of(plant, 0, circuit),
                )
            )
    return tuple(out)


TAKES = [key for key, kind in module_types().items() if kind.channels]


def ends_at(place: str) -> str:
    """The node that a line of the hook-up names."""
    place = {"24 V": "24 V of the cabinet", "0 V": "0 V of the cabinet"}.get(place, place)
    return f"T {place.removeprefix('terminal ')}" if place.startswith("terminal ") else f"R {place}"


def closes(one: Landed) -> str:
    """Where the drawing says that it closes, it does: through one source, and the right way round; no source is
    shorted."""
    if any({w for what, _ in way for w in what} == {SOURCE} for way in one.whole().ways()):
        return "a source is shorted"
    if not one.circuit.closes:
        return ""
    ways = [way for way in one.whole().closing(SOURCE, DEVICE, CHANNEL) if sources_of(way) == 1]
    if not ways:
        return "no way through one source, device and channel"
    return "" if any(right_way_round(way) for way in ways) else "the wrong way round"


def facts_agree(one: Landed) -> str:
    """What does not close is told by the facts too, and nothing else is."""
    bad = [
        row
        for s in facts_of(one.plant, 0)
        for row in s.rows
        if row.label in ("sources", "current") and row.tone == "bad"
    ]
    return "" if bool(one.circuit.faults) == bool(bad) else f"drawing {one.circuit.faults}, facts {bad}"


def calibrator_fits(one: Landed) -> str:
    """Sourcing, it is the one source; simulating or measuring, it stands in the circuit of the one that is there."""
    report = " ".join(one.hookup.steps)
    found = re.search(
        r"(?:calibrator|meter)[^+−]*, \+ to (.*?), − to ([^:;]*?)(?:[:;]|$| have| put)", report
    ) or re.search(r"(?:calibrator|meter)[^+−]*\+ to (.*?), − to ([^:;]*?)(?:[:;]|$| have| put)", report)
    if not one.circuit.closes:
        return ""
    if found is None:
        # Elements, resistances and contacts have words of their own.
        asked = one.signal.family == Family.LINEAR and one.signal.unit != "Ω"
        return "no line for the calibrator" if asked else ""
    net = one.whole()
    net.elements = [e for e in net.elements if DEVICE not in e[2] and not e[0].endswith("its own supply")]
    gives = one.hookup.calibrator.startswith("source")
    net.element(ends_at(found[1]), ends_at(found[2]), "calibrator", *([SOURCE] if gives else []))
    ways = [way for way in net.closing("calibrator", CHANNEL, SOURCE) if sources_of(way) == 1]
    return "" if any(right_way_round(way) for way in ways) else f"calibrator: {one.hookup.steps}"


def bridge_fits(one: Landed) -> str:
    """Bridging what the line names switches the input, as the contact does."""
    found = re.search(r"bridge (.*?) (?:and|to) (.*?)(?:,| and|$)", " ".join(one.hookup.steps))
    unbridged = one.signal.family != Family.CONTACT or one.signal.switch == "AC contact" or one.supply == "own 24 V"
    if unbridged or not one.circuit.closes:
        return ""
    if found is None:
        # A load is measured and a watched loop is given resistors.
        return "" if one.signal.switch in (*LOADS, *MONITORED) else "no line for a bridge"
    net = one.net()
    net.element(*(ends_at(place.split(" (")[0]) for place in found.groups()), "bridge")
    fits = any(sources_of(way) == 1 for way in net.closing("bridge", CHANNEL, SOURCE))
    return "" if fits else f"bridge: {one.hookup.steps}"


@pytest.mark.parametrize("key", TAKES)
def test_every_drawing_is_a_circuit(key: str) -> None:
    every = landed_on(key)
    told = [
        f"{one}: {says}"
        for one in every
        for judge in (closes, facts_agree, calibrator_fits, bridge_fits)
        if (says := judge(one))
    ]
    assert any(one.circuit.closes for one in every)
    assert not told, "\n".join(told)
