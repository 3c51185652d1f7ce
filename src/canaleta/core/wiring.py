"""Terminals of one point: which core goes where, which way the current flows, and who is the source."""

from __future__ import annotations

from dataclasses import dataclass

from canaleta.core.image import PlantImage
from canaleta.core.signals import Family, signal_named

__all__ = ["Core", "Terminal", "Wiring", "wiring"]


@dataclass(frozen=True)
class Core:
    """One core between the device and a terminal. flows: 'to device', 'to module', or '' for no current."""

    device_side: str
    terminal: str
    role: str
    flows: str


@dataclass(frozen=True)
class Terminal:
    """A terminal by its mark and its role."""

    mark: str
    role: str


@dataclass(frozen=True)
class Wiring:
    """The cores of a point, the terminals of its channel that stay empty, and the path in words."""

    cores: tuple[Core, ...]
    unused: tuple[Terminal, ...]
    inside: str
    words: str


def wiring(image: PlantImage, row: int) -> Wiring | None:
    """The wiring of a landed point, or None while it has no channel or no signal."""
    signal = signal_named(image.text("signal", row))
    module, channel = int(image.module[row]), int(image.channel[row])
    if signal is None or module not in image.layout.modules:
        return None
    marks = image.layout.type_of(module).terminal_marks(channel)
    by_role = {role: mark for mark, role in marks}
    supply, wires = image.text("supply", row), image.text("wires", row)
    if image.layout.type_of(module).direction == "out":
        cores, words = _driven(by_role)
    else:
        cores, words = _cores(signal.family, signal.unit, supply, wires, by_role)
    used = {core.terminal for core in cores}
    mode = int(image.mode[row])
    burden = image.layout.mode_table.numbers["burden_ohm"][mode] if mode >= 0 else 0.0
    inside = f"{burden:.0f} Ω to 0 V" if burden > 0 and signal.unit == "mA" else ""
    return Wiring(tuple(cores), tuple(Terminal(m, r) for m, r in marks if m not in used), inside, words)


def _driven(by_role: dict[str, str]) -> tuple[list[Core], str]:
    """A device that an output drives."""
    out = next((role for role in ("plus", "signal out") if role in by_role), "")
    back = next((role for role in ("minus", "0 V", "common") if role in by_role), "")
    sides = (("+", out, "to device"), ("−", back, "to module"))
    cores = [Core(side, by_role[role], role, flows) for side, role, flows in sides if role]
    ends = by_role.get(out, "?"), by_role.get(back, "?")
    return cores, f"one source: the module's output. current out of {ends[0]}, back at {ends[1]}"


def _cores(family: Family, unit: str, supply: str, wires: str, by_role: dict[str, str]) -> tuple[list[Core], str]:
    def core(device_side: str, role: str, flows: str) -> list[Core]:
        return [Core(device_side, by_role[role], role, flows)] if role in by_role else []

    out, signal, zero = by_role.get("24 V out", ""), by_role.get("signal in", ""), by_role.get("0 V", "")
    plus, minus = by_role.get("plus", ""), by_role.get("minus", "")
    if family == Family.THERMOCOUPLE:
        return (
            core("+", "plus", "") + core("−", "minus", ""),
            f"the element makes its own mV: + on {plus or '?'}, − on {minus or '?'}",
        )
    if (family == Family.RESISTANCE or unit == "Ω") and wires == "4" and "sense 2" in by_role:
        return (
            core("a", "plus", "to device") + core("b", "sense", "") + core("c", "sense 2", "")
            + core("d", "minus", "to module"),
            f"the module feeds the element: current out of {plus}, back at {minus}; the other two carry none",
        )  # fmt: skip
    if family == Family.RESISTANCE or unit == "Ω":
        sense = core("b", "sense", "") if wires != "2" else []
        jumper = (
            ""
            if wires != "2" or "sense" not in by_role
            else f"; the jumper belongs from {plus} to {by_role['sense']}"
        )
        return (
            core("a", "plus", "to device") + sense + core("c", "minus", "to module"),
            f"the module feeds the element: current out of {plus}, back at {minus}{jumper}",
        )
    if plus and not signal:
        active = family == Family.LINEAR and supply != "module"
        flows = ("to module", "to device") if active else ("to device", "to module")
        if unit not in ("mA", "pulses") and family == Family.LINEAR:
            return (
                core("+", "plus", "") + core("−", "minus", ""),
                f"a signal between {plus} and {minus}; hardly any current flows",
            )
        who = "the device's own supply" if active else "the module"
        return (
            core("+", "plus", flows[0]) + core("−", "minus", flows[1]),
            f"one source: {who}. current {'into' if active else 'out of'} {plus}, back at {minus}",
        )
    if "neutral" in by_role:
        return (
            core("L", "signal in", "to module") + core("N", "neutral", ""),
            f"mains: phase through the contact into {signal}, neutral on {by_role['neutral']}",
        )
    if family == Family.LINEAR and unit not in ("mA", "Hz", "pulses"):
        return (
            core("+", "signal in", "") + core("−", "0 V", ""),
            f"a voltage between {signal} and {zero}; hardly any current flows",
        )
    if family == Family.LINEAR and supply != "module":
        return (
            core("+", "signal in", "to module") + core("−", "0 V", "to device"),
            f"one source: the device's own supply. current into {signal}, back at {zero}",
        )
    if wires == "3":
        return (
            core("+", "24 V out", "to device")
            + core("out", "signal in", "to module")
            + core("0 V", "0 V", "to module"),
            f"one source: the module. supply from {out}, current into {signal} and back at {zero or 'its common'}",
        )
    return (
        core("+", "24 V out", "to device") + core("−", "signal in", "to module"),
        f"one source: the module. current out of {out}, back at {signal}",
    )
