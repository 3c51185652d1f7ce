"""Would this point go on that channel? Fits, warns or refuses, each with its reason and what would make it fit.

The answer is worked out, not looked up: the point is put on the channel in a what-if, by each mode the module has,
and what the path and its facts say of it is the reason.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from enum import IntEnum

import numpy as np

from canaleta.core.model.feeding import supply_of
from canaleta.core.model.fields import Landing, Station
from canaleta.core.model.image import PlantImage
from canaleta.core.model.module_type import Mode, ModuleType
from canaleta.core.model.quality import Reason
from canaleta.core.model.sources import OWN_SUPPLIES, Source, loop_source
from canaleta.core.notation.text import shown
from canaleta.core.path.evaluate import evaluate
from canaleta.core.path.facts import facts_of
from canaleta.core.signals.signal_types import LOADS, Family, Signal, signal_named

__all__ = ["Judgement", "Level", "group_message", "judge", "judge_module", "mode_that_fits", "supplied"]


class Level(IntEnum):
    """How well a point goes on a channel; the lower the better."""

    FITS = 0
    WARNS = 1
    REFUSED = 2


@dataclass(frozen=True)
class Judgement:
    """What a landing would mean. mode: the one that suits best, "" if none does. reads: what it would show at half
    of the device's output. reasons: why not, or what to beware of; remedies: what would make it fit. margin: of the
    loop's voltage, in words.
    """

    level: Level
    mode: str
    reads: str
    reasons: tuple[str, ...]
    remedies: tuple[str, ...] = ()
    taken_by: str = ""
    margin: str = ""
    channels: tuple[int, ...] = ()


_SHUNT_OHM = {5.0: 250, 10.0: 500, 1.0: 50}


def judge(image: PlantImage, row: int, module: int, channel: int) -> Judgement:
    """Judge one point for one channel (counted from 0) by the best mode of its module, and by who is there."""
    found = judge_module(image, row, module, channel)
    holder = _holder(image, row, module, channel)
    if not holder:
        return found
    told = (f"{holder} is landed there", *found.reasons)
    return replace(found, level=max(found.level, Level.WARNS), reasons=told, taken_by=holder)


def judge_module(image: PlantImage, row: int, module: int, channel: int | None = None) -> Judgement:
    """Judge one point for a module, whoever is landed there; of channels that are not alike, for those that suit it
    best, if none is said."""
    groups = image.layout.type_of(module).groups if channel is None else ()
    if not groups:
        return _judged(image, row, module, channel or 0)
    told = [replace(_judged(image, row, module, group.first), channels=tuple(group.channels)) for group in groups]
    best = min(told, key=lambda judgement: judgement.level)
    alike = [t.channels for t in told if (t.level, t.mode) == (best.level, best.mode)]
    return replace(best, channels=tuple(c for channels in alike for c in channels))


def _judged(image: PlantImage, row: int, module: int, channel: int) -> Judgement:
    signal = signal_named(image.text("signal", row))
    one = image.only(np.array([row]))
    if signal is None:
        return Judgement(Level.REFUSED, "", "", ("the point has no signal yet",), ("choose what the device gives",))
    kind = image.layout.type_at(module, channel)
    passive = signal.driven or (signal.family == Family.LINEAR and image.text("supply", row) == "none")
    load = signal.switch in LOADS
    if (load or signal.driven) and kind.direction != "out":
        says = f"{signal.name} is {'switched' if load else 'given'} by an output; {kind.title} only listens"
        return Judgement(Level.REFUSED, "", "", (says,), ("a discrete output" if load else "an output for it",))
    if kind.direction == "out" and not passive and not load:
        return Judgement(
            Level.REFUSED, "", "", (f"{kind.title} gives a signal out, and so does the device: two sources",), ()
        )
    now = image.layout.modules.get(int(image.module[row]))
    if now is None or now.type_key != image.layout.modules[module].type_key:
        # Counts typed for another module's span mean nothing here; landing lets them follow signal and module.
        one = one.with_cells({(0, "counts_low"): None, (0, "counts_high"): None})
    wish = image.text("mode", row)
    if (
        signal.switch in ("AC contact", "AC load")
        and kind.channels
        and not any(mode.current == "AC" for mode in kind.modes)
    ):
        says = f"the mains would kill the module: {kind.title} takes none"
        return Judgement(Level.REFUSED, "", "", (says,), ("an interposing relay between the two",))
    modes = sorted(kind.modes, key=lambda mode: (mode.name != wish, *_strangeness(signal, mode)))
    killed, short = supplied(one, 0, signal, kind)
    if killed:
        return Judgement(Level.REFUSED, "", "", (killed,), ("its own supply, within what it bears",))
    if not kind.channels or not modes:
        return Judgement(Level.REFUSED, "", "", (f"{kind.title} has no channels",))
    tried = [_by_mode(one, signal, module, channel, mode.name) for mode in modes]
    best = min(tried, key=lambda judgement: judgement.level)
    if best is _MISFIT:
        best = _no_mode(signal, kind)
    mode = kind.mode_named(best.mode)
    if mode and mode.rated_ma and (taken := float(np.nan_to_num(one.number("load_ma")[0]))) > mode.rated_ma:
        told = f"the load takes {taken:g} mA; {kind.title} may switch {mode.rated_ma:g} mA in {mode.name}"
        return Judgement(Level.REFUSED, "", "", (told,), ("an interposing relay or contactor",))
    overdriven, told = (False, "") if not mode or best.level is Level.REFUSED else _span_told(one, signal, mode)
    if overdriven:
        return Judgement(Level.REFUSED, "", "", (told,), ("an input for that span, or a converter between the two",))
    short = "; ".join(part for part in (short, told) if part)
    if short and best.level is not Level.REFUSED:
        best = replace(best, level=Level.WARNS, reasons=(*best.reasons, short))
    return best


_VOLTS = {"V": 1.0, "mV": 0.001}


def _strangeness(signal: Signal, mode: Mode) -> tuple[bool, bool, float]:
    """How far a mode is from the signal: of another family, of another unit or curve, and by how much its span
    differs."""
    apart = abs(mode.signal.low - signal.low) + abs(mode.signal.high - signal.high) if not signal.own_span else 0.0
    other = mode.curve != signal.curve if signal.curve else mode.signal_unit != signal.unit
    return mode.family_code != signal.family, other, 0.0 if signal.curve else apart


def mode_that_fits(kind: ModuleType, signal: str, now: str) -> str | None:
    """The mode that a point takes when it lands on a module: None where nothing is to be changed.

    Its own, if the module has it; the only one of a module that has no other; the one of the signal's family, unit
    and span. Where several fit alike, or none does, nobody chooses for the person: the cell offers them, or a finding
    says so.
    """
    if kind.mode_named(now) is not None or not kind.modes:
        return None
    if len(kind.modes) == 1:
        return kind.modes[0].name
    if (chosen := signal_named(signal)) is None:
        return None
    fits: dict[float, list[str]] = {}
    for mode in kind.modes:
        family, unit, apart = _strangeness(chosen, mode)
        if not family and not unit and _takes(mode, chosen):
            fits.setdefault(apart, []).append(mode.name)
    exact = fits.get(0.0, [])
    alike = exact or [name for names in fits.values() for name in names]
    return alike[0] if len(alike) == 1 else None


def _takes(mode: Mode, signal: Signal) -> bool:
    """Whether a mode takes in what the signal can be: its whole span, its kind of current, its direction."""
    if signal.family == Family.CONTACT:
        return (mode.current == "AC") == signal.switch.startswith("AC") and bool(mode.rated_ma) == (
            signal.switch in LOADS
        )
    return bool(signal.curve) or (mode.signal.low <= signal.low and signal.high <= mode.signal.high)


def _span_told(one: PlantImage, signal: Signal, mode: Mode) -> tuple[bool, str]:
    """(whether the signal drives the input far beyond its span, what of the signal the mode does not take in (R09):
    its ends, or wires it is not built for; '' if nothing)."""
    if signal.curve and not mode.curve and one.text("value_law", 0) != "sensor curve":
        says = (
            f"{mode.name} gives plain {mode.signal_unit}: VALUE needs the sensor curve as its law, or it reads wrong"
        )
        return False, says
    if signal.family == Family.RESISTANCE:
        wires = int(one.text("wires", 0) or 2)
        if mode.wires and wires != mode.wires and (wires, mode.wires) != (2, 3):
            if wires > mode.wires:
                return (
                    False,
                    f"the input takes {mode.wires} of its {wires} wires: compensated as {mode.wires} wires are",
                )
            return False, f"the input is built for {mode.wires} wires and the element has {wires}: its leads count in"
        return False, ""
    if signal.family != Family.LINEAR or signal.own_span or one.text("shunt_ohm", 0):
        return False, ""
    factor = _VOLTS.get(signal.unit, 1.0) / _VOLTS.get(mode.signal_unit, 1.0)
    low, high = signal.low * factor, signal.high * factor
    per_count = (mode.signal.high - mode.signal.low) / (mode.counts.high - mode.counts.low)
    ends = sorted(mode.signal.low + (stop - mode.counts.low) * per_count for stop in (mode.least, mode.most))
    if high > 10.0 * max(abs(end) for end in ends):
        return True, f"overdriven: {signal.name} on an input for {shown(ends[1], 2)} {mode.signal_unit} at most"
    slack = 0.01 * (high - low)
    if low < ends[0] - slack or high > ends[1] + slack:
        reach = f"{shown(ends[0], 2)} … {shown(ends[1], 2)} {mode.signal_unit}"
        return False, f"the count reaches from {reach} only: part of {signal.name} is cut off"
    return False, ""


def supplied(image: PlantImage, row: int, signal: Signal, kind: ModuleType) -> tuple[str, str]:
    """(why the supply of this group would kill the device, why it might not work with it), each '' if not so."""
    fed = image.conventions.feeds.chain(image.text("fed_from", row))
    own = image.text("supply", row) in (*OWN_SUPPLIES, "none") or not kind.feeds_loop
    # A supply that is named is known, whoever's it is.
    if (own and not fed) or signal.switch in ("AC contact", *LOADS):
        return "", ""
    whose = fed[-1].name if fed else kind.title
    volts, falls_to, rises_to = (float(v[0]) for v in supply_of(image, np.array([row])))
    least, greatest = float(image.number("supply_low_v")[row]), float(image.number("supply_high_v")[row])
    if greatest < volts:
        return f"the {volts:g} V of {whose} would kill it: the device bears {greatest:g} V at most", ""
    if greatest < rises_to:
        return "", f"the supply may rise to {rises_to:g} V and the device bears {greatest:g} V"
    if least > falls_to:
        return "", f"the supply may fall to {falls_to:g} V and the device needs {least:g} V"
    return "", ""


def group_message(image: PlantImage, row: int, module: int) -> str:
    """Why this point and a neighbour do not belong in one isolation group; '' if a free channel's group takes it.

    Two devices with supplies of their own meet in a group by their 0 V; AC and DC do not share one at all.
    """
    kind = image.layout.type_of(module)
    here = [r for r in np.flatnonzero(image.landed & (image.module == module)).tolist() if r != row]
    taken = {int(image.channel[r]) for r in here}
    mine, told = _potential(image, row), ""
    if not mine or kind.channels_a_group == 1:
        return ""
    for channel in (c for c in range(kind.channels) if c not in taken):
        group = kind.group_of(channel)
        others = [r for r in here if kind.group_of(int(image.channel[r])) == group and _potential(image, r)]
        apart = next((r for r in others if _potential(image, r) != mine), None)
        beside = next((r for r in others if mine == OWN and _potential(image, r) == OWN), None)
        if apart is not None:
            told = (
                f"{image.label(apart)} is on {_potential(image, apart)} in the same isolation group, this on {mine}"
            )
        elif beside is not None:
            told = f"{image.label(beside)} has its own supply as well: their 0 V meet in one isolation group"
        else:
            return ""
    return told


OWN = "a supply of its own"


def _potential(image: PlantImage, row: int) -> str:
    """What a point brings into its isolation group: AC, DC of an output, a supply of its own; '' for nothing."""
    signal = signal_named(image.text("signal", row))
    if signal is None:
        return ""
    if signal.switch in LOADS:
        return "AC" if signal.switch == "AC load" else "DC"
    own = image.text("supply", row) in OWN_SUPPLIES
    return OWN if own and signal.family == Family.LINEAR else ""


_MISFIT = Judgement(Level.REFUSED, "", "", ("no mode takes this signal",))


def _by_mode(one: PlantImage, signal: Signal, module: int, channel: int, mode: str) -> Judgement:
    trial = one.with_cells({(0, "channel"): Landing(module, channel, landed=True), (0, "mode"): mode})
    station, given = (Station.PROCESS, 1.0) if signal.family == Family.CONTACT else (Station.DEVICE, 50.0)
    if signal.curve:
        station, given = (
            Station.PROCESS,
            float((trial.number("device_low")[0] + trial.number("device_high")[0]) / 2.0),
        )
    paths = evaluate(trial, station, given)
    told = Reason(int(paths.reasons[0]))
    if told & (Reason.WRONG_SUPPLY | Reason.NO_CURRENT_PATH):
        verdict = next((s.verdict for s in facts_of(trial, 0) if s.tone == "bad"), "no current can flow")
        return Judgement(Level.REFUSED, mode, "", (verdict,), _remedies(told, signal))
    if told & Reason.MODE_MISFIT:
        return _MISFIT
    facts = facts_of(trial, 0)
    bad = [section for section in facts if section.tone]
    loop = loop_source(trial, 0)
    if loop == Source.TWO:
        says = "two sources in one loop: the device feeds it, and so does the terminal"
        return Judgement(Level.REFUSED, mode, "", (says,), ("a passive input, or four wires with its own supply",))
    nobody = "nobody feeds the loop: neither the device nor the module"
    warnings = tuple(nobody if loop == Source.NONE and s.of_loop else s.verdict for s in bad)
    value = float(paths.at(Station.VALUE)[0])
    unit = trial.text("value_unit", 0)
    reads = "" if np.isnan(value) or signal.family == Family.CONTACT else f"{shown(value, 1)} {unit}".rstrip()
    margin = next((f"loop: {s.verdict}" for s in facts if s.margin_v is not None), "")
    return Judgement(Level.WARNS if warnings else Level.FITS, mode, reads, warnings, margin=margin)


def _remedies(told: Reason, signal: Signal) -> tuple[str, ...]:
    if told & Reason.WRONG_SUPPLY:
        return ("an interposing relay between the two",)
    other = "+" if signal.switch == "NPN" else "0 V"
    return (f"an input whose common is at {other}", "an interposing relay between the two")


def _no_mode(signal: Signal, kind: ModuleType) -> Judgement:
    """No mode takes the signal: say what it takes, and what would make it fit."""
    units, tops = [m.signal_unit for m in kind.modes], {m.signal.high for m in kind.modes}
    remedies: tuple[str, ...] = ()
    if signal.unit == "mA" and "V" in units and signal.family == Family.LINEAR:
        fitting = [f"{_SHUNT_OHM[top]} Ω" for top in sorted(tops) if top in _SHUNT_OHM]
        remedies = (f"a shunt of {' or '.join(fitting)} makes volts of the current",) if fitting else ()
    elif signal.family == Family.RESISTANCE:
        remedies = ("a head transmitter makes 4–20 mA of the resistance",)
    elif signal.family == Family.THERMOCOUPLE:
        remedies = ("a head transmitter makes 4–20 mA of the mV",)
    elif signal.family == Family.CONTACT and set(units) <= {"V", "mA"}:
        remedies = ("a discrete input",)
    takes = ", ".join(dict.fromkeys(units))
    if signal.unit in units:
        # The same unit says nothing: it is the range, or that one gives what the other gives too.
        names = ", ".join(mode.name for mode in kind.modes)
        says = f"{kind.title} has no mode for {signal.name}: it has {names}"
        return Judgement(Level.REFUSED, "", "", (says,), remedies)
    return Judgement(
        Level.REFUSED, "", "", (f"{kind.title} takes {takes}; {signal.name} gives {signal.unit}",), remedies
    )


def _holder(image: PlantImage, row: int, module: int, channel: int) -> str:
    there = np.flatnonzero(image.landed & (image.module == module) & (image.channel == channel))
    return image.label(int(there[0])) if len(there) and int(there[0]) != row else ""
