"""Facts of temperature elements: what leads and wires add, which extension belongs, what the wrong one costs."""

from __future__ import annotations

import numpy as np

from canaleta.core.model.field import Station
from canaleta.core.model.field_table import JUMPERS
from canaleta.core.notation.text import shown
from canaleta.core.path.facts.base import Row, Section, first, significant
from canaleta.core.path.joints.base import PathRows
from canaleta.core.path.joints.scaling import junction_degc
from canaleta.core.path.joints.temperature import WireJoint, lead_apart_ohm, one_lead_ohm
from canaleta.core.signals.sensors.elements import degrees, electrical, span_degc
from canaleta.core.signals.sensors.extension import EXTENSIONS, colours_of, extensions_for
from canaleta.core.signals.signal_types import signal_named

__all__ = ["extension", "leads", "used_degc", "wire_error_degc"]


def used_degc(p: PathRows) -> tuple[float, float]:
    """The range in use in °C: as typed, else all of the element's."""
    signal = signal_named(p.text("signal"))
    low, high = first(p.number("device_low")), first(p.number("device_high"))
    full = span_degc(signal.curve if signal else "", p.cells("curve_table")[0])
    return (full[0] if np.isnan(low) else max(low, full[0])), (full[1] if np.isnan(high) else min(high, full[1]))


def leads(p: PathRows) -> Section | None:
    """What the leads add to the reading, for this connection and for the others."""
    signal = signal_named(p.text("signal"))
    lead = first(one_lead_ohm(p))
    if signal is None:
        return None
    name = np.array([signal.curve], dtype=object)
    tables = p.cells("curve_table")
    low, high = used_degc(p)
    spots = sorted({round(t, 6) for t in (low, 0.0 if low < 0 < high else (low + high) / 2, high) if np.isfinite(t)})

    def error(t: float, ohm: float) -> float:
        r = electrical(name, np.array([t]), tables)
        return first(degrees(name, r + ohm, tables)) - t

    counted = 2.0 - first(WireJoint.taken_away(p))
    rows = [
        Row("element", f"{significant(first(electrical(name, np.array([t]), tables)), 6)} Ω at {shown(t, 0)} °C")
        for t in spots
    ]
    rows.append(Row("leads counted in", f"{counted:.0f} of 2", _connection(p)))
    if lead:
        for t in spots:
            now = error(t, counted * lead)
            rows.append(
                Row(
                    f"reads high at {shown(t, 0)} °C",
                    f"{shown(now, 2)} °C" if np.isfinite(now) else "beyond the curve",
                    f"{counted:.0f} · {shown(lead, 3)} Ω; with two wires {shown(error(t, 2 * lead), 2)} °C",
                    "settle" if counted and abs(now) > 0.1 else "",
                )
            )
    else:
        ohm = first(electrical(name, np.array([spots[0] + 0.5 if spots else 0.0]), tables)) - first(
            electrical(name, np.array([spots[0] - 0.5 if spots else 0.0]), tables)
        )
        if np.isfinite(ohm):
            rows.append(
                Row("1 Ω of lead reads", f"{shown(1 / ohm, 2)} °C high", "type the resistance of one lead in LOOP")
            )
    if apart := first(lead_apart_ohm(p)) - first(WireJoint.apart_taken_away(p)):
        at = spots[0] if spots else 0.0
        rows.append(
            Row(
                "leads apart",
                f"{shown(error(at, apart), 2)} °C at {shown(at, 0)} °C",
                f"{shown(apart, 3)} Ω that the input cannot take away",
                "settle",
            )
        )
    expected = {
        "2": "1 and 2 across the element",
        "3": "two of one end: about 2 · lead",
        "4": "two pairs: about 2 · lead each",
    }
    if wires := p.text("wires"):
        rows.append(Row("with a multimeter", expected[wires], "cores of one colour belong to the same end"))
    verdict = ""
    if counted and lead:
        verdict = (
            f"reads {shown(error(spots[0], counted * lead), 2)} °C high at {shown(spots[0], 0)} °C from its leads"
        )
    opened = p.text("jumper") == "absent" and bool(WireJoint.left_open(p)[0])
    if opened:
        verdict = "without its jumper the input is open"
    return Section(Station.LOOP, "leads", tuple(rows), verdict, "bad" if opened else "settle" if verdict else "")


def _connection(p: PathRows) -> str:
    wires, built = p.text("wires") or "?", int(np.nan_to_num(first(p.of_mode("wires"))))
    jumper = p.text("jumper")
    asks = wires.isdecimal() and built and int(wires) < built
    where = f", jumper {jumper}" if jumper else f": say where the jumper is ({', '.join(JUMPERS)})" if asks else ""
    return f"{wires} wires on an input for {built or 'any'}{where}"


def extension(p: PathRows) -> Section | None:
    """The wire that belongs to the element, its colours, and what another one does to the reading."""
    signal = signal_named(p.text("signal"))
    if signal is None:
        return None
    letter = signal.curve
    code = p.conventions.thermocouple_colours
    colours = colours_of(letter, code)
    fits = extensions_for(letter)
    rows = [Row("wires that belong to it", ", ".join(fits) or "none is standardised", "IEC 60584-3:2021")]
    if colours:
        rows.append(
            Row(
                "colours",
                f"+ {colours.plus}, − {colours.minus}, sheath {colours.sheath}",
                f"{code}, the plant's code",
                "",
            )
        )
        if "red" in (colours.plus, colours.minus) and code != "IEC 60584-3":
            rows.append(
                Row("red is", "plus" if colours.plus == "red" else "minus", "other codes have it the other way round")
            )
    else:
        rows.append(Row("colours", "the code has none", code))
    head, cold = first(p.number("head_degc")), first(junction_degc(p))
    _low, high = used_degc(p)
    verdict, tone = "", ""
    wire = p.text("extension")
    if wire and letter not in EXTENSIONS[wire].fits:
        verdict, tone = f"{wire} is not for type {letter}", "bad"
    if np.isfinite(head):
        limits = EXTENSIONS.get(wire)
        if limits and not limits.low_degc <= head <= limits.high_degc:
            rows.append(
                Row(
                    "the head is at",
                    f"{shown(head, 0)} °C",
                    f"{wire} is for {limits.low_degc:g} … {limits.high_degc:g} °C",
                    "settle",
                )
            )
        costs = [(w, wire_error_degc(letter, made, high, head, cold)) for w, made in _others(letter, wire)]
        for other, cost in costs:
            if np.isfinite(cost):
                rows.append(
                    Row(
                        f"on {other}",
                        f"reads {shown(cost, 1)} °C off at {shown(high, 0)} °C",
                        f"head {shown(head, 0)} °C, junction {shown(cold, 0)} °C",
                        "bad" if other == wire else "",
                    )
                )
                if other == wire:
                    verdict = f"on {wire} it reads {shown(cost, 1)} °C off at {shown(high, 0)} °C"
        swapped = wire_error_degc(letter, letter, high, head, cold, sign=-1.0)
        if np.isfinite(swapped):
            rows.append(
                Row("swapped at both ends", f"{shown(swapped, 1)} °C off", "yet it moves the right way when warmed")
            )
    else:
        rows.append(
            Row("the wrong wire costs", "type the temperature of the head in LOOP", "no head temperature yet")
        )
    return Section(Station.LOOP, "extension wire", tuple(rows), verdict, "bad" if tone else "")


def _others(letter: str, wire: str) -> list[tuple[str, str]]:
    usual = {"K": "JX", "S": "KX", "R": "KX", "B": "KX", "J": "KX", "T": "KX", "E": "KX", "N": "KX"}.get(letter, "KX")
    shown_wires = [w for w in dict.fromkeys((wire, usual, "copper")) if w and letter not in EXTENSIONS[w].fits]
    return [(w, EXTENSIONS[w].makes) for w in shown_wires]


def wire_error_degc(letter: str, made: str, hot: float, head: float, cold: float, sign: float = 1.0) -> float:
    """How far the reading is off at a temperature, in °C, with a wire that makes the emf of another letter."""
    element, wire = np.array([letter], dtype=object), np.array([made], dtype=object)

    def emf(of: np.ndarray, t: float) -> float:
        return first(np.nan_to_num(electrical(of, np.array([t]))))

    mv = emf(element, hot) - emf(element, head) + sign * (emf(wire, head) - emf(wire, cold)) + emf(element, cold)
    return first(degrees(element, np.array([mv]))) - hot
