"""The circuit of one point from what is known of it: every hop of every core, the current's way round, its source.

A circuit must close and have exactly one source. Where the list does not say which core or terminal it is, the
circuit says so by leaving that place open, never by guessing.
"""

from __future__ import annotations

from dataclasses import dataclass

from canaleta.core.chains import hops_of
from canaleta.core.image import PlantImage
from canaleta.core.sensors.extension import colours_of
from canaleta.core.signals import Family, Signal, signal_named
from canaleta.core.strips import StripTerminal, cores_of, terminals_of
from canaleta.core.wiring import Core, Wiring, wiring

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


@dataclass(frozen=True)
class Circuit:
    """The circuit of one point. hops: what stands in the loop, from the device on. across: a shunt or jumper between
    two terminals, in words. screen: where it is earthed. way: the current's way round in steps. faults: why it does
    not close, or has not one source.
    """

    tag: str
    device: str
    module: str
    channel: str
    runs: tuple[Run, ...]
    unused: tuple[tuple[str, str], ...]
    hops: tuple[str, ...]
    across: tuple[tuple[str, str, str], ...]
    inside: str
    screen: str
    way: tuple[str, ...]
    source: str
    faults: tuple[str, ...]
    notes: tuple[str, ...]
    words: str

    @property
    def closes(self) -> bool:
        """Whether the current comes back to where it began, from one source."""
        return not self.faults


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
    source, faults = _source(image, row, signal, runs)
    return Circuit(
        tag=image.label(row), device=_device(signal, image.text("wires", row)),
        module=f"slot {image.layout.slots[module]} · {kind.title}", channel=image.layout.address(module, channel),
        runs=runs, unused=tuple((t.mark, t.role) for t in wired.unused), hops=hops, across=across,
        inside=wired.inside, screen=image.text("screen", row), way=_way(image, row, runs, hops, wired, signal),
        source=source, faults=faults, notes=_notes(image, row, signal), words=wired.words,
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
        core.device_side, image.text("cable", row), number, colour, basis, strip[k] if k < len(strip) else None,
        core.terminal, core.role, core.flows,
    )  # fmt: skip


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
    out = []
    if signal.unit == "mA" and signal.family == Family.LINEAR and (ohm := image.text("shunt_ohm", row)):
        top = by_role.get("signal in") or by_role.get("plus")
        foot = by_role.get("0 V") or by_role.get("minus")
        if top and foot:
            out.append((top, foot, f"shunt {ohm} Ω"))
    jumped = image.text("wires", row) == "2" and image.text("jumper", row) == "at the input"
    if signal.family == Family.RESISTANCE and jumped and {"plus", "sense"} <= by_role.keys():
        out.append((by_role["plus"], by_role["sense"], "jumper"))
    return tuple(out)


def _source(image: PlantImage, row: int, signal: Signal, runs: tuple[Run, ...]) -> tuple[str, tuple[str, ...]]:
    """Who drives the current, and what keeps it from flowing as it should."""
    kind = image.layout.type_of(int(image.module[row]))
    supply = image.text("supply", row)
    if signal.family == Family.THERMOCOUPLE:
        return "the element itself", () if len(runs) == 2 else ("the channel has no pair of terminals for it",)
    if signal.family == Family.RESISTANCE or signal.unit == "Ω":
        return "the module, with its measuring current", () if len(runs) >= 2 else ("the element cannot be reached",)
    if kind.direction == "out":
        active = supply in ("own 24 V", "drive", "module")
        return "the module's output", ("two sources: the output and the device",) if active else ()
    faults = []
    feeds = kind.feeds_loop or any("24 V" in run.role for run in runs)
    own = supply in ("own 24 V", "drive")
    if signal.family == Family.CONTACT:
        if signal.switch == "AC contact":
            return "the mains", ()
        if signal.switch == "PNP" and kind.common == "24 V":
            faults.append("a PNP output pulls to + and the common is at +: no current")
        if signal.switch == "NPN" and kind.common == "0 V":
            faults.append("an NPN output pulls to 0 V and the common is at 0 V: no current")
        return ("the device's supply" if own else "24 V of the module" if feeds else "24 V of the cabinet"), tuple(
            faults
        )
    if signal.unit != "mA":
        return "the device", ()
    if own and image.text("wires", row) == "2" and kind.feeds_loop:
        faults.append("two sources: the device and the terminal it lands on")
    elif not own and not (supply == "module" and kind.feeds_loop):
        faults.append("no source: neither the device nor the module feeds the loop")
    return ("the device's own supply" if own else "the module"), tuple(faults)


def _way(
    image: PlantImage, row: int, runs: tuple[Run, ...], hops: tuple[str, ...], wired: Wiring, signal: Signal
) -> tuple[str, ...]:
    """The way of the current, from its source round to it again; empty where hardly any flows."""
    out = next((run for run in runs if run.flows == "to device"), None)
    back = [run for run in runs if run.flows == "to module"]
    active = image.text("supply", row) in ("own 24 V", "drive")
    if signal.family == Family.CONTACT and not out and not back:
        return ()
    if not out and not back:
        return ()
    steps: list[str] = []
    if out is not None and not active:
        steps += [f"terminal {out.terminal} ({out.role})", *_along(out, outward=True)]
        steps.append(f"{image.label(row)} {out.mark} … {back[0].mark if back else '?'}")
    else:
        steps.append(f"{image.label(row)} {back[0].mark if back else '?'}")
    steps += list(hops)
    if back:
        steps += [*_along(back[0], outward=False), f"terminal {back[0].terminal} ({back[0].role})"]
    if wired.inside:
        steps.append(f"{wired.inside} in the module")
    if active and out is not None:
        steps += [
            f"terminal {out.terminal} ({out.role})",
            *_along(out, outward=True),
            f"{image.label(row)} {out.mark}",
        ]
    elif back and not active:
        steps.append("back to where it began")
    return tuple(steps)


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
