"""The circuit of one point from what is known of it: every hop of every core, the current's way round, its source.

A circuit must close and have exactly one source. Where the list does not say which core or terminal it is, the
circuit says so by leaving that place open, never by guessing.
"""

from __future__ import annotations

from dataclasses import dataclass

from canaleta.core.model.image import PlantImage
from canaleta.core.model.sources import Source
from canaleta.core.signals.hops_and_factors import hops_of
from canaleta.core.signals.sensors.extension import colours_of
from canaleta.core.signals.signal_types import Family, Signal, signal_named
from canaleta.core.signals.strips import StripTerminal, cores_of, terminals_of
from canaleta.core.wiring.terminals import MISSING, RISING, SAYS, Core, Wiring, wiring

__all__ = ["Circuit", "Run", "circuit_of"]


@dataclass(frozen=True)
class Run:
    """One core from device to module. mark: on the device; cable, number, colour: '' or 0 where not said; basis:
    where the colour is from; strip: the strip terminal, None where not said; terminal, role: of the module; flows:
    'to device', 'to module' or ''.
    """

    mark: str
    cable: str
    number: int
    colour: str
    basis: str
    strip: StripTerminal | None
    terminal: str
    role: str
    flows: str
    duty: str

    @property
    def end(self) -> str:
        """Where it ends in the cabinet: a terminal by its mark, or a rail."""
        return f"terminal {self.terminal}" if self.terminal else self.role


@dataclass(frozen=True)
class Circuit:
    """The circuit of one point. links: (terminal, role, where a wire in the cabinet leads from it). hops: what stands
    in the loop, from the device on. across: a shunt between two terminals, in words. screen: where it is earthed.
    way: the current's way round in steps. drive, source: who drives it, and in words. faults: why it does not close,
    or has not one source.
    """

    tag: str
    device: str
    module: str
    channel: str
    runs: tuple[Run, ...]
    links: tuple[tuple[str, str, str], ...]
    unused: tuple[tuple[str, str], ...]
    hops: tuple[str, ...]
    across: tuple[tuple[str, str, str], ...]
    inside: str
    screen: str
    way: tuple[str, ...]
    drive: Source
    source: str
    faults: tuple[str, ...]
    notes: tuple[str, ...]
    words: str

    @property
    def closes(self) -> bool:
        """Whether the current comes back to where it began, from one source."""
        return not self.faults and self.drive != Source.UNSAID

    def run(self, duty: str) -> Run | None:
        """The first run with this duty."""
        return next((run for run in self.runs if run.duty == duty), None)


_SENSOR = {"+": "brown", "−": "blue", "0 V": "blue", "out": "black"}
"""Core colours of proximity switches, IEC 60947-5-2: supply brown and blue, normally open output black."""
_RTD = {"2": ("red", "white"), "3": ("red", "red", "white"), "4": ("red", "red", "white", "white")}
"""Core colours of resistance thermometers, IEC 60751: leads of one colour belong to one end of the element."""


def circuit_of(image: PlantImage, row: int) -> Circuit | None:
    """The circuit of a landed point, or None while it has no channel or no signal."""
    signal, wired = signal_named(image.text("signal", row)), wiring(image, row)
    if signal is None or wired is None:
        return None
    module, channel = int(image.module[row]), int(image.channel[row])
    kind = image.layout.type_of(module)
    cores = wired.cores
    runs = tuple(_run(image, row, k, core, signal) for k, core in enumerate(cores))
    hops = tuple(hop.name for hop in hops_of(image.text("hops", row)))
    across = _across(image, row, wired, signal)
    faults = _faults(image, row, signal, wired)
    return Circuit(
        tag=image.label(row), device=_device(signal, image.text("wires", row)),
        module=f"slot {image.layout.slots[module]} · {kind.title}", channel=image.layout.address(module, channel),
        runs=runs, links=tuple((k.terminal, k.role, k.to) for k in wired.links), unused=tuple((t.mark, t.role) for t in wired.unused), hops=hops, across=across,
        inside=wired.inside, screen=image.text("screen", row), way=_way(image.label(row), runs, hops, wired),
        drive=wired.source, source=SAYS[wired.source], faults=faults, notes=_notes(image, row, signal), words=wired.words,
    )  # fmt: skip


def _run(image: PlantImage, row: int, k: int, core: Core, signal: Signal) -> Run:
    numbers, strip = cores_of(image.text("cores", row)), terminals_of(image.text("strip", row))
    cable = image.layout.cable_named.get(image.text("cable", row).lower())
    number = numbers[k] if k < len(numbers) else 0
    colour, basis = _colour(image, row, k, core, signal)
    if cable is not None and number:
        own = cable.core(number)
        colour, basis = own, f"cable {cable.name}" if own != str(number) else f"cable {cable.name}, numbered cores"
    return Run(
        core.device_side,
        image.text("cable", row),
        number,
        colour,
        basis,
        strip[k] if k < len(strip) else None,
        core.terminal,
        core.role,
        core.flows,
        core.duty,
    )


def _colour(image: PlantImage, row: int, k: int, core: Core, signal: Signal) -> tuple[str, str]:
    """The colour a standard gives to this core of the device, and which standard."""
    if signal.family == Family.THERMOCOUPLE:
        code = image.conventions.thermocouple_colours
        found = colours_of(signal.curve, code)
        if found is None:
            return "", ""
        return (found.plus if core.device_side == "+" else found.minus), code
    if signal.family == Family.RESISTANCE:
        colours = _RTD.get(image.text("wires", row) or "2", ())
        return (colours[k], "IEC 60751") if k < len(colours) else ("", "")
    if signal.switch in ("PNP", "NPN", "two-wire"):
        if signal.switch != "two-wire" and core.device_side == "out" and signal.closed_at_rest:
            return "white", "IEC 60947-5-2"
        return _SENSOR.get(core.device_side, ""), "IEC 60947-5-2"
    return "", ""


def _device(signal: Signal, wires: str) -> str:
    if signal.family == Family.THERMOCOUPLE:
        return f"thermocouple {signal.curve}"
    if signal.family == Family.RESISTANCE:
        return f"{signal.name}, {wires or '2'} wires"
    if signal.family == Family.CONTACT:
        return signal.name
    return f"{signal.name}, {wires} wires" if wires else signal.name


def _across(image: PlantImage, row: int, wired: Wiring, signal: Signal) -> tuple[tuple[str, str, str], ...]:
    by_role = {core.role: core.terminal for core in wired.cores} | {t.role: t.mark for t in wired.unused}
    by_role |= {link.role: link.terminal for link in wired.links}
    if signal.unit == "mA" and signal.family == Family.LINEAR and (ohm := image.text("shunt_ohm", row)):
        top = by_role.get("signal in") or by_role.get("plus")
        foot = by_role.get("0 V") or by_role.get("minus")
        if top and foot:
            return ((top, foot, f"shunt {ohm} Ω"),)
    return ()


def _faults(image: PlantImage, row: int, signal: Signal, wired: Wiring) -> tuple[str, ...]:
    """What keeps the current from flowing as it should."""
    kind = image.layout.type_at(int(image.module[row]), int(image.channel[row]), image.text("mode", row))
    faults = [f"{kind.title} names no terminal for “{c.device_side}”" for c in wired.cores if c.role in MISSING]
    if signal.switch == "PNP" and kind.common == "24 V":
        faults.append("a PNP output pulls to + and the common is at +: no current")
    if signal.switch == "NPN" and kind.common == "0 V":
        faults.append("an NPN output pulls to 0 V and the common is at 0 V: no current")
    if wired.source == Source.TWO:
        out = kind.direction == "out"
        faults.append(
            "two sources: the output and the device"
            if out
            else "two sources: the device and the terminal it lands on"
        )
    if wired.source == Source.NONE:
        faults.append("no source: neither the device nor the module feeds the loop")
    return tuple(faults)


def _way(label: str, runs: tuple[Run, ...], hops: tuple[str, ...], wired: Wiring) -> tuple[str, ...]:
    """The way of the current, from its source round to it again; empty where hardly any flows."""
    signal = next((run for run in runs if run.duty == "signal"), None)
    if signal is None or not signal.flows or wired.source in (Source.TWO, Source.NONE, Source.UNSAID):
        return ()
    to_device = [run for run in runs if run.flows == "to device"]
    to_module = [run for run in runs if run.flows == "to module"]
    # The signal's own core, and the other way round: from a supply the first such core, to one's own supply the last.
    into = signal if signal.flows == "to module" else next(iter(to_module), None)
    others = to_device[::-1] if wired.source == Source.DEVICE else to_device
    out = signal if signal.flows == "to device" else next(iter(others), None)
    there = [f"{out.end} ({out.role})" if out.terminal else out.role, *_along(out, outward=True)] if out else []
    here = (
        [*hops, *_along(into, outward=False), f"{into.end} ({into.role})" if into.terminal else into.role]
        if into
        else []
    )
    inside = [f"{wired.inside} in the module"] if wired.inside else []
    if wired.source == Source.DEVICE:
        home = f"{label} {out.mark}" if out else "back to its own supply"
        return (f"{label} {into.mark if into else '?'}", *here, *inside, *there, home)
    through = f"{label} {out.mark if out else '?'} … {into.mark if into else '?'}"
    # What a wire in the cabinet brings in, and what it leads away.
    rails = [
        (f"{link.to}, terminal {link.terminal} ({link.role})", link.to in RISING)
        for link in wired.links
        if link.to not in {run.terminal for run in runs}
    ]
    first, last = ([step for step, rises in rails if rises is begins] for begins in (True, False))
    return (*first, *there, through, *here, *inside, *last, "back to where it began")


def _along(run: Run, outward: bool) -> list[str]:
    """Strip terminal and core of a run, in the order the current meets them."""
    steps = []
    if run.strip is not None:
        steps.append(run.strip.name + ("" if run.strip.kind == "plain" else f" {run.strip.kind}"))
    if run.number:
        steps.append(f"{run.cable} core {run.number}" + (f" {run.colour}" if run.colour != str(run.number) else ""))
    return steps if outward else steps[::-1]


def _notes(image: PlantImage, row: int, signal: Signal) -> tuple[str, ...]:
    """What one must know at the terminals."""
    out = []
    if signal.family == Family.RESISTANCE:
        out.append("leads of one colour belong to one end of the element")
    if signal.family == Family.THERMOCOUPLE:
        extension = image.text("extension", row)
        if extension and extension != "copper":
            out.append(f"extension wire {extension} all the way to the terminals, no copper between")
        out.append("red is plus in some national codes and minus in others: go by + and −, not by red")
    if image.text("screen", row) == "at both ends":
        out.append("a screen earthed at both ends carries current between them")
    return tuple(out)
