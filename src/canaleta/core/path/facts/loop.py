"""Facts of a current loop: where failure shows, what the supply can drive, what the shunt does."""

from __future__ import annotations

import numpy as np

from canaleta.core.model.fields import Station
from canaleta.core.model.quality import Reason
from canaleta.core.model.sources import Source, loop_source
from canaleta.core.notation.text import shown
from canaleta.core.path.facts.base import Row, Section, first, of_value, significant
from canaleta.core.path.joints.base import PathRows
from canaleta.core.path.joints.chains import LINEAR
from canaleta.core.path.joints.converter import AffineConverter
from canaleta.core.path.joints.linear import (
    InputJoint,
    fits,
    input_unit,
    loop_drop_v,
    loop_ohm,
    loop_supply_v,
    signal_span,
    signal_unit,
)
from canaleta.core.signals.loops import DESIGN_MA, HART_LEAST_OHM, loop_budget
from canaleta.core.signals.signal_types import Family, signal_named

__all__ = ["failure_limits", "moving", "shunt", "voltage"]


def failure_limits(p: PathRows) -> Section | None:
    """The limits of NE 43 in mA, at the input, in counts and in the value, and whether the module can show them."""
    signal = signal_named(p.text("signal"))
    if signal is None or not signal.live_zero or signal.unit != "mA" or not fits(p)[0]:
        return None
    if p.mode_flag("outputs")[0]:
        return None
    namur = p.conventions.namur
    rows = []
    unseen = []
    for label, ma, tells in (
        ("failed low, at or below", namur.failed_low_ma, Reason.FAILED_LOW),
        ("good from", namur.good_from_ma, None),
        ("good to", namur.good_to_ma, None),
        ("failed high, at or above", namur.failed_high_ma, Reason.FAILED_HIGH),
    ):
        x = np.array([ma])
        seen = InputJoint().forward(p, x)
        counts = AffineConverter().forward(p, seen)
        stations = np.vstack([np.full((2, 1), np.nan), x, seen, counts, LINEAR.joints[4].forward(p, counts)])
        told = int(LINEAR.reasons(p, stations)[0])
        hidden = tells is not None and not told & tells
        if hidden:
            unseen.append("low" if tells is Reason.FAILED_LOW else "high")
        volts = f"{shown(first(seen), 3)} {input_unit(p)}, " if input_unit(p) != "mA" else ""
        value = first(stations[5])
        rows.append(
            Row(
                f"{label} {shown(ma, 1)} mA",
                f"{volts}count {shown(first(counts), 0)}" + (f", {of_value(p, value)}" if np.isfinite(value) else ""),
                "cannot be told from the end of the count" if hidden else "",
                "settle" if hidden else "",
            )
        )
    verdict = "every limit can be seen"
    if unseen:
        verdict = f"a failure {' and '.join(unseen)} cannot be seen: the count stops before it"
    return Section(Station.INPUT, "saturated or failed (NE 43)", tuple(rows), verdict, "settle" if unseen else "")


def _load(p: PathRows, ohm: float) -> Row | None:
    """The load of a current output against what it drives."""
    least, most = first(p.of_mode("load_least_ohm")), first(p.of_mode("load_most_ohm"))
    if np.isnan(least) and np.isnan(most):
        return None
    over, under = np.isfinite(most) and ohm > most, np.isfinite(least) and ohm < least
    ends = (
        f"{shown(least, 0)} Ω at least" if np.isfinite(least) else "",
        f"{shown(most, 0)} Ω at most" if np.isfinite(most) else "",
    )
    says = (
        "the load is more than the output drives"
        if over
        else "the load is less than the output wants"
        if under
        else "within what it drives"
    )
    return Row("the output drives", ", ".join(end for end in ends if end), says, "bad" if over or under else "")


def voltage(p: PathRows) -> Section | None:
    """The loop's voltage budget, HART, and who is the source."""
    if signal_unit(p) != "mA":
        return None
    c = p.conventions
    rows: list[Row] = []
    source = _sources(p)
    loads = first(loop_ohm(p, with_cable=False))
    total = first(loop_ohm(p))
    drops = first(loop_drop_v(p))
    rows.append(source)
    seen = (
        "burden"
        if first(np.nan_to_num(p.of_mode("burden_ohm"))) > 0
        else "shunt"
        if p.text("shunt_ohm")
        else "no burden known"
    )
    rows.append(
        Row(
            "in the loop",
            f"{significant(total)} Ω" + (f" and {significant(drops)} V" if drops else ""),
            f"{seen}, hops and {p.text('cable_m') or '0'} m of cable, both cores, hottest",
        )
    )
    verdict, tone = source.figure if source.tone else "", source.tone
    if p.mode_flag("outputs")[0] and (load := _load(p, total)) is not None:
        rows.append(load)
        verdict, tone = (load.basis, load.tone) if load.tone else (verdict, tone)
    margin_v: float | None = None
    lift = first(p.number("lift_off_v"))
    if np.isnan(lift):
        rows.append(Row("lift-off voltage", "not typed", "the device's data sheet: then the budget is worked out"))
    else:
        failure = first(p.number("failure_ma"))
        design = max(DESIGN_MA, failure) if np.isfinite(failure) else DESIGN_MA
        section, hottest = first(p.number("cable_mm2")), first(p.number("cable_degc"))
        cable = (
            float(np.nan_to_num(first(p.number("cable_m")))),
            c.cable_mm2 if np.isnan(section) else section,
            c.hottest_cable_degc if np.isnan(hottest) else hottest,
        )
        supply = first(loop_supply_v(p, c.least_supply_v))
        budget = loop_budget(supply, lift, loads, drops, cable, design)
        for ma, volts in zip(budget.currents_ma, budget.over_device_v, strict=True):
            short = volts < lift
            rows.append(
                Row(
                    f"over the device at {shown(ma, 0)} mA",
                    f"{shown(volts, 2)} V",
                    f"{shown(supply, 1)} V − {shown(drops, 1)} V − {shown(ma, 0)} mA · {significant(total)} Ω",
                    "bad" if short else "",
                )
            )
        rows.append(
            Row(
                "margin over lift-off",
                f"{shown(budget.margin_v, 2)} V",
                f"lift-off {p.text('lift_off_v')} V at {shown(design, 0)} mA",
                "" if budget.works else "bad",
            )
        )
        rows.append(
            Row(
                "the loop may have",
                f"{shown(budget.greatest_ohm, 0)} Ω at most",
                f"({shown(supply, 1)} − {shown(drops, 1)} − {p.text('lift_off_v')}) V / {shown(design, 0)} mA",
            )
        )
        if budget.longest_m is not None:
            rows.append(
                Row(
                    "longest cable",
                    f"{shown(budget.longest_m, 0)} m",
                    f"{shown(cable[1], 2)} mm², {shown(cable[2], 0)} °C, IEC 60228, both cores",
                )
            )
        if not budget.works:
            verdict, tone, margin_v = (
                f"{shown(-budget.margin_v, 2)} V short at {shown(design, 0)} mA",
                "bad",
                budget.margin_v,
            )
        elif not verdict:
            verdict, margin_v = f"{shown(budget.margin_v, 2)} V to spare at {shown(design, 0)} mA", budget.margin_v
    if p.text("hart") == "yes":
        low = loads < HART_LEAST_OHM
        rows.append(
            Row(
                "HART sees",
                f"{significant(loads)} Ω",
                f"at least {HART_LEAST_OHM:.0f} Ω are needed",
                "bad" if low else "",
            )
        )
        if low and tone != "bad":
            verdict, tone = f"HART needs {shown(HART_LEAST_OHM - loads, 0)} Ω more in the loop", "bad"
            margin_v = None
    return Section(Station.LOOP, "loop", tuple(rows), verdict, tone, of_loop=True, margin_v=margin_v)


def _sources(p: PathRows) -> Row:
    """Exactly one source in the loop: an active device on a feeding input is two, a passive one on a passive none."""
    source, supply = loop_source(p.image, int(p.rows[0])), p.text("supply")
    if source == Source.TWO:
        out = p.mode_flag("outputs")[0]
        by = (
            "the output drives the loop and so does the device"
            if out
            else ("the device feeds the loop and so does the terminal it lands on")
        )
        return Row("sources", "two", by, "bad")
    if source == Source.NONE:
        return Row("sources", "none", "neither the device nor the module feeds the loop", "bad")
    if source == Source.OUTPUT:
        return Row("sources", "one", "the module's output")
    who = {"module": "the module", "own 24 V": "the device's own supply", "drive": "the drive"}
    return Row("sources", "one" if supply else "?", who.get(supply, "not said yet"))


def shunt(p: PathRows) -> Section | None:
    """A resistor that makes a voltage of the current: volts, counts, clipping, tolerance and power."""
    if not p.text("shunt_ohm") or not fits(p)[0] or input_unit(p) == "mA":
        return None
    gain = first(InputJoint.gain(p, 1.0))
    per_volt = 1.0 if input_unit(p) == "V" else 0.001
    ohm = gain * per_volt * 1000.0
    unit = input_unit(p)
    rows = [Row("resistance in effect", f"{shown(ohm, 3)} Ω", f"{p.text('shunt_ohm')} Ω with the input beside it")]
    affine = AffineConverter()
    for ma in (4.0, 20.0, 21.0):
        counts = first(affine.forward(p, np.array([ma * gain])))
        rows.append(Row(f"at {shown(ma, 0)} mA", f"{shown(ma * gain, 3)} {unit}, count {shown(counts, 0)}"))
    low, high = (first(affine.unrounded(p, np.array([end * gain]))) for end in (first(a) for a in signal_span(p)))
    whole = first(p.of_mode("counts_high")) - first(p.of_mode("counts_low"))
    rows.append(
        Row(
            "counts from end to end",
            f"{shown(low, 1)} … {shown(high, 1)}",
            f"{shown(abs((high - low) / whole) * 100, 1)} % of the converter's span",
        )
    )
    clip = first(InputJoint().backward(p, affine.backward(p, p.of_mode("most"))))
    hidden = clip < p.conventions.namur.failed_high_ma
    rows.append(Row("the count stops at", f"{shown(clip, 2)} mA", "", "settle" if hidden else ""))
    tolerance = first(p.number("shunt_percent"))
    if np.isfinite(tolerance):
        span = signal_span(p)[1][0] - signal_span(p)[0][0]
        rows.append(
            Row(
                "tolerance at 20 mA",
                f"±{shown(tolerance * 20.0 / float(span), 2)} % of span",
                f"±{p.text('shunt_percent')} % of 20 mA over {shown(float(span), 0)} mA",
            )
        )
    rows.append(Row("power at 22 mA", f"{significant(0.022**2 * ohm, 3)} W"))
    verdict = f"clips at {shown(clip, 1)} mA, failure high cannot be seen" if hidden else ""
    return Section(Station.LOOP, "shunt", tuple(rows), verdict, "settle" if hidden else "")


def moving(p: PathRows) -> Section | None:
    """Spans and levels that follow the supply: where they are now and at its least and greatest."""
    if not p.mode_flag("follows_supply")[0]:
        return None
    c = p.conventions
    rows = []
    for label, volts in (("as it is", c.supply_v), ("least", c.least_supply_v), ("greatest", c.greatest_supply_v)):
        share = volts / first(p.of_mode("at_supply_v"))
        if p.image.family[p.rows[0]] == Family.CONTACT:
            off, on = (first(p.of_mode(name)) * share for name in ("off_below_v", "on_from_v"))
            moved = f"off below {shown(off, 1)} V, on from {shown(on, 1)} V"
        else:
            full = first(p.of_mode("signal_high")) * share
            per_count = full / first(p.of_mode("counts_high"))
            moved = f"full scale {shown(full, 2)} V, {significant(per_count * 1000)} mV a count"
        rows.append(Row(f"supply {label}, {shown(volts, 1)} V", moved))
    return Section(Station.INPUT, "moves with the supply", tuple(rows), "", "")
