"""Terminals of one point: which core goes where, which way the current flows, and who is the source.

A core ends at a terminal of the channel or, where the channel has none for it, at a rail: the cabinet's 24 V or 0 V,
the mains, the device's own supply. So the way of the current is whole whatever the module brings out.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Literal

from canaleta.core.model.image import PlantImage
from canaleta.core.model.module_type import ModuleType
from canaleta.core.model.sources import OWN_SUPPLIES, Source, loop_source
from canaleta.core.signals.signal_types import LOADS, Family, Signal, signal_named

__all__ = ["MISSING", "RISING", "SAYS", "Core", "Link", "WiredTerminal", "Wiring", "wiring"]

Duty = Literal["supply", "signal", "return", "sense"]
Flow = Literal["to device", "to module", ""]


@dataclass(frozen=True)
class Core:
    """One core between the device and a terminal. terminal: '' where it ends at a rail, which `role` then names.
    flows: 'to device', 'to module', or '' for hardly any current. duty: what the core is for.
    """

    device_side: str
    terminal: str
    role: str
    flows: Flow
    duty: Duty

    @property
    def end(self) -> str:
        """Where it ends, by mark or by the rail's name."""
        return self.terminal or self.role


@dataclass(frozen=True)
class Link:
    """A wire inside the cabinet that closes the circuit: from a terminal to another one or to a rail."""

    terminal: str
    role: str
    to: str


@dataclass(frozen=True)
class WiredTerminal:
    """A terminal by its mark and its role."""

    mark: str
    role: str


@dataclass(frozen=True)
class Wiring:
    """The cores of a point, wires that belong in the cabinet, the terminals that stay empty, and the way in words.

    inside: what the current meets in the module. source: who drives the circuit.
    """

    cores: tuple[Core, ...]
    links: tuple[Link, ...]
    unused: tuple[WiredTerminal, ...]
    inside: str
    source: Source
    words: str


MISSING = ("?", "the input", "the output")
"""Roles of a core that has nowhere to go: the module type names no terminal for it."""
PLUS, ZERO, PHASE, NEUTRAL = "24 V of the cabinet", "0 V of the cabinet", "phase of the mains", "neutral of the mains"
OWN_PLUS, OWN_ZERO, COMMON = "+ of its own supply", "0 V of its own supply", "the input's common"
RISING = (PLUS, PHASE)
"""Rails that the current comes from."""
SAYS = {
    Source.UNSAID: "not said: who feeds it?",
    Source.TWO: "two",
    Source.NONE: "none",
    Source.MODULE: "the module",
    Source.OUTPUT: "the module's output",
    Source.DEVICE: "the device's own supply",
    Source.CABINET: PLUS,
    Source.MAINS: "the mains",
    Source.ELEMENT: "the element itself",
}
"""Who drives a circuit, in words."""


@dataclass(frozen=True)
class _Case:
    """A device on a channel: what it is wired by, and where its cores may end."""

    kind: ModuleType
    by_role: dict[str, str]
    signal: Signal
    supply: str
    wires: str
    jumper: str
    loop: Source
    watched: bool
    alternating: bool

    @property
    def own(self) -> bool:
        return self.supply in OWN_SUPPLIES

    @property
    def pair(self) -> bool:
        """Two terminals that are the input, with no 24 V beside them."""
        return "plus" in self.by_role and "24 V out" not in self.by_role

    def core(self, mark: str, roles: tuple[str, ...], rail: str, flows: Flow, duty: Duty) -> Core:
        role = next((role for role in roles if role in self.by_role), "")
        return Core(mark, self.by_role.get(role, ""), role or rail, flows, duty)

    def feed(self, mark: str = "+") -> Core:
        """The core by which a device gets its supply."""
        if self.own:
            return Core(mark, "", OWN_PLUS, "to device", "supply")
        return self.core(mark, ("24 V out",), PLUS, "to device", "supply")

    def input(self, mark: str, flows: Flow) -> Core:
        return self.core(mark, ("signal in", "plus"), "the input", flows, "signal")

    def back(self, mark: str, flows: Flow) -> Core:
        return self.core(mark, ("0 V", "minus"), ZERO, flows, "return")

    def fed_by(self, feed: Core) -> Source:
        return {OWN_PLUS: Source.DEVICE, PLUS: Source.CABINET}.get(feed.role, Source.MODULE)


_Parts = tuple[list[Core], Source]


def wiring(image: PlantImage, row: int) -> Wiring | None:
    """The wiring of a landed point, or None while it has no channel or no signal."""
    signal = signal_named(image.text("signal", row))
    module, channel = int(image.module[row]), int(image.channel[row])
    if signal is None or module not in image.layout.modules:
        return None
    kind = image.layout.type_at(module, channel, image.text("mode", row))
    marks = kind.terminal_marks(channel)
    chosen = kind.mode_named(image.text("mode", row))
    case = _Case(
        kind=kind,
        by_role={role: mark for mark, role in marks},
        signal=signal,
        supply=image.text("supply", row),
        wires=image.text("wires", row),
        jumper=image.text("jumper", row),
        loop=loop_source(image, row),
        watched=(chosen.signal_unit if chosen else signal.unit) == "mA",
        alternating=signal.switch in ("AC contact", "AC load") or (chosen is not None and chosen.current == "AC"),
    )
    cores, source = (_driven if kind.direction == "out" else _BY_FAMILY[signal.family])(case)
    links = _links(case, cores)
    used = {core.terminal for core in cores} | {link.terminal for link in links}
    burden = (chosen.burden_ohm if chosen else 0.0) or 0.0
    measured = signal.unit == "mA" and signal.family == Family.LINEAR and kind.direction == "in"
    foot = "minus" if case.pair else "0 V"
    inside = f"{burden:.0f} Ω to {foot}" if burden > 0 and measured else ""
    unused = tuple(WiredTerminal(m, r) for m, r in marks if m not in used)
    return Wiring(tuple(cores), links, unused, inside, source, _words(case, cores, source))


def _current(case: _Case) -> _Parts:
    """A current loop on an input."""
    fed = case.loop == Source.MODULE
    if case.wires == "3" or (case.wires == "4" and fed):
        return _with_supply(case, "to module"), case.loop
    if case.pair and fed:
        plus, minus = case.input("+", "to device"), case.back("−", "to module")
        return [plus, minus], case.loop
    if fed or case.loop == Source.TWO:
        # Two sources are drawn where they meet: at the terminals that feed.
        return [
            case.feed() if fed else case.core("+", ("24 V out",), PLUS, "to device", "supply"),
            case.input("−", "to module"),
        ], case.loop
    known = case.loop == Source.DEVICE
    return [case.input("+", "to module" if known else ""), case.back("−", "to device" if known else "")], case.loop


def _with_supply(case: _Case, flows: Flow) -> list[Core]:
    """Three cores, or four: the supply beside the signal."""
    home: Flow = ("to device" if flows else "") if case.own else "to module"
    cores = [case.feed(), case.input("out", flows), case.back("0 V", home)]
    return [*cores, case.back("out −", "to device" if flows else "")] if case.wires == "4" else cores


def _linear(case: _Case) -> _Parts:
    """Everything with a straight span that is no current loop: volts, millivolts, pulses, a bridge, a
    potentiometer."""
    unit = case.signal.unit
    if unit == "mA":
        return _current(case)
    if unit == "Ω":
        return _resistance(case)
    if unit == "mV/V" and case.wires == "4":
        plus = Core("exc +", "", "+ of its excitation", "to device", "supply")
        minus = Core("exc −", "", "− of its excitation", "to module", "supply")
        return [plus, minus, case.input("+", ""), case.back("−", "")], Source.DEVICE
    pulsed: Flow = "to module" if unit in ("Hz", "pulses") else ""
    if case.wires == "3" or (case.wires == "4" and case.supply == "module"):
        cores = _with_supply(case, pulsed)
        return cores, case.fed_by(cores[0])
    if pulsed and case.supply == "module":
        cores = [case.feed(), case.input("−", "to module")]
        return cores, case.fed_by(cores[0])
    return [case.input("+", pulsed), case.back("−", "to device" if pulsed else "")], Source.DEVICE


def _thermocouple(case: _Case) -> _Parts:
    return [
        case.core("+", ("plus",), "?", "", "signal"),
        case.core("−", ("minus",), "?", "", "return"),
    ], Source.ELEMENT


def _resistance(case: _Case) -> _Parts:
    """An element that the module feeds: as many cores as run, or as the jumper at the head makes of them."""
    senses = [role for role in ("sense", "sense 2") if role in case.by_role]
    if case.wires and case.jumper != "at the head":
        senses = senses[: max(0, int(case.wires) - 2)]
    sense = [case.core("bc"[k], (role,), "", "", "sense") for k, role in enumerate(senses)]
    last = "abcd"[len(senses) + 1] if case.wires != "2" or senses else "c"
    return [
        case.core("a", ("plus",), "?", "to device", "signal"),
        *sense,
        case.core(last, ("minus",), "?", "to module", "return"),
    ], Source.MODULE


def _contact(case: _Case) -> _Parts:
    """A switch on an input."""
    switch = case.signal.switch
    if case.alternating:
        if case.own:
            return [
                case.input("L", "to module"),
                case.core("N", ("neutral",), NEUTRAL, "to device", "return"),
            ], Source.MAINS
        return [Core("a", "", PHASE, "to device", "supply"), case.input("b", "to module")], Source.MAINS
    if switch in ("PNP", "NPN"):
        feed = case.feed()
        if switch == "NPN":
            # It draws its current from the input's common; what feeds the sensor itself is another matter.
            common = Source.MODULE if case.kind.feeds_loop else Source.CABINET
            return [feed, case.input("out", "to device"), case.back("0 V", "to module")], common
        back = case.back("0 V", "to device" if case.own else "to module")
        return [feed, case.input("out", "to module"), back], case.fed_by(feed)
    first, second = ("+", "−") if switch in ("two-wire", "NAMUR") else ("a", "b")
    if case.kind.common == "24 V":
        if case.own:
            return [Core(first, "", COMMON, "to module", "supply"), case.input(second, "to device")], Source.DEVICE
        feeds = Source.MODULE if case.kind.feeds_loop else Source.CABINET
        return [case.input(first, "to device"), case.back(second, "to module")], feeds
    if case.pair and (case.watched or case.kind.feeds_loop):
        return [case.input(first, "to device"), case.back(second, "to module")], Source.MODULE
    if case.own:
        return [case.input(first, "to module"), case.back(second, "to device")], Source.DEVICE
    feed = case.feed(first)
    return [feed, case.input(second, "to module")], case.fed_by(feed)


def _driven(case: _Case) -> _Parts:
    """A device that an output drives."""
    if "common" in case.by_role and case.signal.switch in LOADS:
        # A relay is a dry contact: what it switches comes from elsewhere.
        rail, home = (PHASE, NEUTRAL) if case.alternating else (PLUS, ZERO)
        if case.own:
            return [
                case.core("+", ("common",), "", "to module", "supply"),
                case.core("−", ("signal out",), "", "to device", "signal"),
            ], Source.DEVICE
        source = Source.MAINS if rail == PHASE else Source.CABINET
        first, second = ("a", "b") if case.alternating else ("+", "−")
        return [
            case.core(first, ("signal out",), "", "to device", "signal"),
            Core(second, "", home, "to module", "return"),
        ], source
    source = case.loop if case.signal.unit == "mA" and case.signal.family == Family.LINEAR else Source.OUTPUT
    out = case.core("+", ("plus", "signal out"), "the output", "to device", "signal")
    back = case.core("−", ("minus", "0 V", "common"), ZERO, "to module", "return")
    if case.wires == "3" and case.signal.switch not in LOADS:
        return [case.feed("24 V"), out, replace(back, device_side="0 V")], source
    return [out, back], source


_BY_FAMILY: dict[Family, Callable[[_Case], _Parts]] = {
    Family.LINEAR: _linear,
    Family.THERMOCOUPLE: _thermocouple,
    Family.RESISTANCE: _resistance,
    Family.CONTACT: _contact,
}


def _links(case: _Case, cores: list[Core]) -> tuple[Link, ...]:
    """The wires that belong in the cabinet: what a rail feeds has to come back to it, and bridges of spare leads."""
    by, used = case.by_role, {core.terminal for core in cores}
    rails = {core.role for core in cores if not core.terminal}
    out: list[Link] = []

    def link(role: str, to: str) -> None:
        if role in by and by[role] not in used:
            out.append(Link(by[role], role, to))

    if case.kind.direction == "out":
        if rails & {ZERO, NEUTRAL} and case.signal.switch in LOADS:
            link("common", PHASE if NEUTRAL in rails else PLUS)
        return tuple(out)
    if PHASE in rails:
        link("neutral", NEUTRAL)
    if PLUS in rails and case.kind.common != "24 V":
        link("0 V", ZERO)
        link("minus", ZERO)
    if _resistive(case) and case.jumper != "absent":
        # Fewer cores than the input has terminals: its sense lines are made at the input.
        link("sense", by.get("plus", ""))
        link("sense 2", by.get("minus", ""))
    return tuple(out)


def _resistive(case: _Case) -> bool:
    return case.signal.family == Family.RESISTANCE or case.signal.unit == "Ω"


def _words(case: _Case, cores: list[Core], source: Source) -> str:
    """The way in one sentence."""
    ends = {core.duty: core for core in reversed(cores)}
    signal, back = ends.get("signal"), ends.get("return")
    if source == Source.ELEMENT:
        return f"the element makes its own mV: + on {cores[0].end}, − on {cores[1].end}"
    if _resistive(case):
        way = f"the module feeds the element: current out of {cores[0].end}, back at {cores[-1].end}"
        return way + ("; the others carry none" if "sense" in ends else "")
    if signal is not None and not signal.flows:
        around = f"; its supply from {ends['supply'].end}" if "supply" in ends else ""
        if source in (Source.UNSAID, Source.NONE):
            return "who feeds the loop is not said" if source == Source.UNSAID else "nobody feeds the loop"
        return f"a voltage between {signal.end} and {back.end if back else '?'}; hardly any current flows{around}"
    if source == Source.TWO:
        return "two sources in one loop"
    steps = {core.flows: core.end for core in reversed(cores)}
    if source == Source.DEVICE and case.signal.unit == "mA" and "supply" not in ends:
        return f"one source: {SAYS[source]}. current into {cores[0].end}, back at {cores[-1].end}"
    if "supply" in ends and back is not None and signal is not None:
        return f"one source: {SAYS[source]}. supply from {ends['supply'].end}, current {'into' if signal.flows == 'to module' else 'out of'} {signal.end} and back at {back.end}"
    into = steps.get("to module", "?")
    return f"one source: {SAYS[source]}. current out of {steps.get('to device', '?')}, back at {into}"
