"""Facts of a switch: where the current flows, whether device and input agree, what each state means."""

from __future__ import annotations

import numpy as np

from canaleta.core.model.fields import Station
from canaleta.core.model.mode_table import ModeTable
from canaleta.core.notation.text import shown
from canaleta.core.path.discrete import INPUT_TYPES, agreement
from canaleta.core.path.facts.base import Row, Section, Tone, first
from canaleta.core.path.joints.base import PathRows
from canaleta.core.path.joints.chains import CONTACT
from canaleta.core.path.joints.contact import current_path, fits, input_ohm, watched
from canaleta.core.signals.signal_types import LOADS, Signal, signal_named

__all__ = ["agreement_of", "truth", "watching"]


def agreement_of(p: PathRows) -> Section | None:
    """Current path, voltage, leakage and drop of the switch against the input's type."""
    signal = signal_named(p.text("signal"))
    if signal is None or not p.has_mode[0]:
        return None
    if signal.switch in LOADS:
        return _rating(p, signal)
    c = p.conventions
    alternating = bool(p.mode_flag("alternating")[0])
    mains = signal.switch == "AC contact"
    rows = [_flow(p, signal.switch)]
    if mains and not alternating:
        rows.append(Row("voltage", f"{shown(c.mains_v, 0)} V AC on a DC input", "it kills the module", "bad"))
        return Section(
            Station.INPUT, "device and input", tuple(rows), "refused: the mains would kill the module", "bad"
        )
    if alternating and not mains:
        harmless = signal.switch == "contact"
        if not harmless:
            rows.append(
                Row(
                    "voltage",
                    f"a DC sensor on a {shown(c.mains_v, 0)} V AC input",
                    "the mains kills the sensor",
                    "bad",
                )
            )
            return Section(
                Station.INPUT, "device and input", tuple(rows), "refused: the mains would kill the sensor", "bad"
            )
    if not fits(p)[0]:
        rows.append(Row("kind", f"{signal.name} on this mode", "the input does not take this kind of switch", "bad"))
        return Section(Station.INPUT, "device and input", tuple(rows), "the input cannot take this switch", "bad")
    if not current_path(p)[0]:
        return Section(
            Station.INPUT, "device and input", tuple(rows), "no current can flow: it will never switch", "bad"
        )
    if watched(p)[0] or alternating:
        return Section(Station.INPUT, "device and input", tuple(rows), "", "")
    leak, drop = (first(np.nan_to_num(p.number(name))) for name in ("leakage_ma", "drop_v"))
    kind = int(np.nan_to_num(first(p.of_mode("input_type"))))
    verdict, tone = "they agree", ""
    for number in INPUT_TYPES:
        found = agreement(number, leak, drop, c.least_supply_v, c.greatest_supply_v)
        mine = number == kind
        good = found.off_holds and found.on_holds
        row_tone: Tone = "bad" if mine and not good else ""
        rows.append(
            Row(
                f"type {number}{', this input' if mine else ''}",
                "agrees" if good else "; ".join(found.troubles),
                INPUT_TYPES[number].words,
                row_tone,
            )
        )
        if mine and found.bleed:
            rows.append(Row("mends the leakage", found.bleed, "keeps the open switch under 5 V"))
        if mine and not good:
            verdict, tone = found.troubles[0], "bad"
    if not kind:
        ohm = first(input_ohm(p))
        known = (
            f"{shown(leak, 2)} mA over {shown(ohm, 0)} Ω"
            if np.isfinite(ohm)
            else "the input's resistance is not known"
        )
        open_v, closed_v = (first(CONTACT.joints[1].forward(p, np.array([x]))) for x in (0.0, 1.0))
        states = [first(CONTACT.joints[2].forward(p, np.array([u]))) for u in (open_v, closed_v)]
        good = states == [0.0, 1.0]
        rows.insert(
            1,
            Row("open and closed", f"{shown(open_v, 1)} V and {shown(closed_v, 1)} V", known, "" if good else "bad"),
        )
        if not good:
            verdict, tone = "the input does not tell open from closed", "bad"
    return Section(Station.INPUT, "device and input", tuple(rows), verdict, "bad" if tone else "")


def _rating(p: PathRows, signal: Signal) -> Section:
    """A load against what its output may switch: volts of the same kind, and the current."""
    rated, load = first(p.of_mode("rated_ma")), first(p.number("load_ma"))
    rows, verdict = [], ""
    if not p.mode_flag("outputs")[0]:
        verdict = "a load on an input: nothing switches it"
        rows.append(Row("kind", signal.name, verdict, "bad"))
    elif (signal.switch == "AC load") != bool(p.mode_flag("alternating")[0]):
        verdict = "refused: AC and DC are mixed"
        rows.append(Row("voltage", f"{signal.name} in mode {p.text('mode')}", verdict, "bad"))
    over = load > rated
    rows.append(
        Row("load", f"{shown(load, 0)} mA" if np.isfinite(load) else "not typed", "of the device, when it is on")
    )
    if np.isfinite(rated):
        rows.append(Row("rated", f"{shown(rated, 0)} mA", f"mode {p.text('mode')}", "bad" if over else ""))
    if over and not verdict:
        verdict = f"the load takes {shown(load - rated, 0)} mA more than the output may switch"
    return Section(Station.INPUT, "load and output", tuple(rows), verdict or "they agree", "bad" if verdict else "")


def _flow(p: PathRows, switch: str) -> Row:
    common = ModeTable.COMMONS[int(np.nan_to_num(first(p.of_mode("common"))))]
    if watched(p)[0]:
        return Row("current", "the input feeds the switch and measures it", "")
    if switch == "AC contact":
        return Row("current", "phase through the contact into the input, back by neutral")
    if not current_path(p)[0]:
        pull = "+" if switch == "PNP" else "0 V"
        return Row("current", "none", f"the output pulls to {pull} and the input's common is at {common}", "bad")
    if switch == "NPN" or common == "24 V":
        return Row("current", "from +, out of the input, through the switch to 0 V", f"common at {common or '+'}")
    return Row("current", "from +, through the switch into the input, back at 0 V", f"common at {common or '0 V'}")


def truth(p: PathRows) -> Section | None:
    """Both states from process to words."""
    rows = []
    for acted in (0.0, 1.0):
        x = np.array([acted])
        words = ["acted upon" if acted else "at rest"]
        for k, joint in enumerate(CONTACT.joints):
            x = joint.forward(p, x)
            if k == 0:
                words.append("closed" if x[0] else "open")
        state = first(x)
        text = "undefined" if np.isnan(state) else p.text(f"text_{int(state)}") or str(int(state))
        rows.append(Row(words[0], f"{words[1]}, value {'—' if np.isnan(state) else int(state)}", f"says “{text}”"))
    return Section(Station.VALUE, "what it says", tuple(rows))


def watching(p: PathRows) -> Section | None:
    """The four states that a watched input tells apart, in mA."""
    if not watched(p)[0]:
        return None
    levels = {name: first(p.of_mode(name)) for name in ("break_below", "off_below_v", "on_from_v", "short_from")}
    joint = CONTACT.joints[1]
    opened, closed = (first(joint.forward(p, np.array([x]))) for x in (0.0, 1.0))
    rows = [
        Row("break below", f"{shown(levels['break_below'], 2)} mA"),
        Row("off below", f"{shown(levels['off_below_v'], 2)} mA", f"open gives {shown(opened, 2)} mA"),
        Row("on from", f"{shown(levels['on_from_v'], 2)} mA", f"closed gives {shown(closed, 2)} mA"),
        Row("short from", f"{shown(levels['short_from'], 2)} mA"),
    ]
    bad = not (levels["break_below"] <= opened < levels["off_below_v"]) or not (
        levels["on_from_v"] <= closed < levels["short_from"]
    )
    return Section(
        Station.INPUT,
        "four states",
        tuple(rows),
        "a state falls outside its region" if bad else "",
        "bad" if bad else "",
    )
