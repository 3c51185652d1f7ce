"""The sentences of a path through a switch: workings, and the words under each figure."""

from __future__ import annotations

import numpy as np

from canaleta.core.notation.text import shown
from canaleta.core.path.discrete import INPUT_TYPES, NAMUR_ACTUATED_MA, NAMUR_FREE_MA
from canaleta.core.path.joints.base import PathRows, StationWords, Working, or_zero
from canaleta.core.path.joints.contact import (
    CLOSED_AT_REST,
    BitJoint,
    CircuitJoint,
    ContactJoint,
    LevelJoint,
    SenseJoint,
    current_path,
    input_ohm,
    on_mains,
    switch_kind,
    switching_levels,
    watched,
)
from canaleta.core.signals.signal_types import MONITORED


def contact_working(joint: ContactJoint, p: PathRows, x: float, y: float, forward: bool) -> Working:
    """The contact form is the state on the shelf."""
    rest = "closed" if CLOSED_AT_REST[p.code("signal")[0]] else "open"
    return Working(
        f"at rest it is {rest}",
        _arrow("acted upon" if x else "at rest", "closed" if y else "open", forward),
        f"{p.text('signal')}: the form is the state on the shelf, without power or process",
    )


def circuit_working(joint: CircuitJoint, p: PathRows, x: float, y: float, forward: bool) -> Working:
    """The supply through the switch, or the current that its resistors let through."""
    state = "closed" if x else "open"
    if watched(p)[0]:
        source = (
            f"{shown(float(p.of_mode('source_v')[0]), 1)} V behind {shown(float(p.of_mode('source_ohm')[0]), 0)} Ω"
        )
        kind = str(switch_kind(p)[0])
        if kind == "NAMUR":
            told = f"{shown(NAMUR_FREE_MA, 1)} mA or more, {shown(NAMUR_ACTUATED_MA, 1)} mA or less (IEC 60947-5-6)"
        elif kind == "end-of-line":
            told = f"series {p.text('series_ohm') or '?'} Ω, across {p.text('parallel_ohm') or '?'} Ω as typed"
        else:
            told = "a bare contact: closed is a short, open is a break"
        return Working(
            "I = source / (inside + switch)", _arrow(state, f"{shown(y, 2)} mA", forward), f"{source}; {told}"
        )
    supply = float(p.supply_v[0])
    if on_mains(p)[0]:
        supply = p.conventions.mains_v
    lost = " − drop" if p.text("drop_v") else ""
    leak = "leakage · R of the input" if p.text("leakage_ma") else "0"
    return Working(
        f"U = supply{lost} if closed, else {leak}",
        _arrow(state, f"{shown(y, 1)} V", forward),
        f"supply {shown(supply, 1)} V from the plant's conventions"
        + ("" if current_path(p)[0] else f"; {_no_path(p)}"),
    )


def _no_path(p: PathRows) -> str:
    kind = str(switch_kind(p)[0])
    pull, common = ("+", "+") if kind == "PNP" else ("0 V", "0 V")
    return f"a {kind} output pulls to {pull} and the input's common is at {common}: no current flows"


def level_working(joint: LevelJoint, p: PathRows, x: float, y: float, forward: bool) -> Working:
    """The input's levels."""
    state = "between: undefined" if np.isnan(y) else "on" if y else "off"
    unit = "mA" if watched(p)[0] else "V"
    kind = int(or_zero(p.of_mode("input_type"))[0])
    mode = f"module type, mode {p.text('mode')}"
    if kind:
        limits = INPUT_TYPES[kind]
        ma = x / float(input_ohm(p)[0]) * 1000.0
        return Working(
            limits.words,
            _arrow(f"{shown(x, 1)} V, {shown(ma, 2)} mA", state, forward),
            f"{mode}: IEC 61131-2 type {kind}",
        )
    off, on = (shown(float(level[0]), 1).removesuffix(".0") for level in switching_levels(p))
    norm = "IEC 60947-5-6" if unit == "mA" else "IEC 61131-2"
    return Working(
        f"off below {off} {unit}, on from {on} {unit}",
        _arrow(f"{shown(x, 2 if unit == 'mA' else 1)} {unit}", state, forward),
        f"{mode} ({norm})",
    )


def bit_working(joint: BitJoint, p: PathRows, x: float, y: float, forward: bool) -> Working:
    """One bit."""
    return Working("count = bit", _arrow(shown(x, 0), shown(y, 0), forward), "one bit of the module's word")


def sense_working(joint: SenseJoint, p: PathRows, x: float, y: float, forward: bool) -> Working:
    """The sense and the words."""
    words = (p.text("text_0") or "0", p.text("text_1") or "1")
    turned = p.text("acting") == "reverse"
    return Working(
        "value = 1 − bit" if turned else "value = bit",
        _arrow(shown(x, 0), shown(y, 0), forward),
        f"0 says “{words[0]}”, 1 says “{words[1]}”",
    )


def _arrow(this: str, following: str, forward: bool) -> str:
    return f"{this} → {following}" if forward else f"{following} → {this}"


def describe(p: PathRows) -> tuple[StationWords, ...]:
    rest = "closed" if CLOSED_AT_REST[p.code("signal")[0]] else "open"
    mode = p.text("mode")
    unit = "mA" if watched(p)[0] else "V"
    off, on = (float(level[0]) for level in switching_levels(p))
    kind = int(or_zero(p.of_mode("input_type"))[0])
    levels: tuple[str, ...] = ()
    if kind:
        levels = (f"IEC 61131-2 type {kind}",)
    elif not np.isnan(off):
        levels = tuple(
            f"{word} {shown(x, 1).removesuffix('.0')} {unit}" for word, x in (("off below", off), ("on from", on))
        )
    switch = str(switch_kind(p)[0])
    electric = [
        f"{word} {p.text(field)} {u}"
        for word, field, u in (
            ("leaks", "leakage_ma", "mA"),
            ("drops", "drop_v", "V"),
            ("series", "series_ohm", "Ω"),
            ("across", "parallel_ohm", "Ω"),
        )
        if p.text(field)
    ]
    words = tuple(f"{bit} says {p.text(f'text_{bit}')}" for bit in (0, 1) if p.text(f"text_{bit}"))
    if p.text("acting") == "reverse":
        words = ("turned over", *words)
    watch = ("break and short told",) if switch in MONITORED and watched(p)[0] else ()
    return (
        StationWords("", 0, (p.text("service"), "1 acted upon, 0 at rest")),
        StationWords("", 0, (p.text("signal"), f"{rest} at rest", ", ".join(electric) or "1 closed, 0 open")),
        StationWords(
            unit, 2 if unit == "mA" else 1, (f"{p.text('wires')} wires" if p.text("wires") else "at the terminals",)
        ),
        StationWords("", 0, (f"mode {mode}" if mode else "no mode yet", *levels, *watch)),
        StationWords("", 0, ("one bit",)),
        StationWords("", 0, words),
    )
