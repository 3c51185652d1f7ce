"""What several rules look at, as masks and figures over rows: whether a mode takes a signal, cuts it off, counts
it."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from canaleta.core.checks.checkpoints import TEMPERATURE
from canaleta.core.model.feeding import channel_supply_v
from canaleta.core.model.image import PlantImage
from canaleta.core.model.module_type import ModuleType
from canaleta.core.notation.arrays import Bools, Floats, Rows
from canaleta.core.notation.text import shown
from canaleta.core.notation.units import factor_and_offset, unit_places, units
from canaleta.core.path.joints import contact, linear, temperature
from canaleta.core.path.joints.base import PathRows
from canaleta.core.path.joints.converter import AffineConverter
from canaleta.core.signals.laws import VALUE_LAW_NAMES
from canaleta.core.signals.sensors.elements import electrical, span_degc
from canaleta.core.signals.signal_types import SIGNALS, Family, Signal, signal_named

__all__ = [
    "PATH",
    "beyond_element",
    "cut_off",
    "dead_zero",
    "derived_counts",
    "follows_supply",
    "loops",
    "never_counted",
    "of_signal",
    "of_type",
    "on_same_module",
    "other_curve",
    "period_ms",
    "process_at",
    "reach",
    "signal_of",
    "span_words",
    "takes",
    "uncurved",
]

PATH = (
    "signal", "device_low", "device_high", "device_unit", "device_law", "acting", "signal_low", "signal_high", "device_table",
    "device_cutoff", "device_cutoff_in", "curve_table", "wires", "lead_ohm", "lead_apart_ohm", "lead_taken_ohm", "jumper", "extension", "head_degc", "junction", "junction_degc",
    "excitation_v", "shunt_ohm", "lift_off_v", "supply", "hops", "cable_m", "cable_mm2", "cable_degc", "channel", "mode",
    "open_action", "found_low", "found_high", "counts_low", "counts_high", "value_low", "value_high", "value_unit", "value_law", "value_form", "slope",
    "offset", "factors", "value_table", "value_cutoff", "value_cutoff_in", "below", "above", "substitute", "on_failure", "device_reference",
    "value_reference", "value_decimals",
)  # fmt: skip
"""All that a path depends on, and how it is told: what a rule reads that works one out."""
_SLACK = 0.01
"""Share of a span that may be cut off at an end without a word: converters stop a little short of their round
figures."""


def signal_of(image: PlantImage, row: int) -> Signal:
    """The signal of a row that has one."""
    found = signal_named(image.text("signal", row))
    assert found is not None
    return found


def of_signal(image: PlantImage, rows: Rows, what: Callable[[Signal], float]) -> Floats:
    """A figure of each row's signal, NaN without one."""
    table = np.array([*(what(signal) for signal in SIGNALS), np.nan], dtype=np.float64)
    return table[image.code("signal")[rows]]


def of_type(image: PlantImage, rows: Rows, what: Callable[[ModuleType], float]) -> Floats:
    """A figure of the module type each row's point is on, NaN where it is on none."""
    values = np.array([*(float(what(kind)) for kind in image.layout.types.values()), np.nan], dtype=np.float64)
    return values[image.layout.type_codes(image.module[rows])]


def period_ms(image: PlantImage, rows: Rows) -> Floats:
    """How often each row's channel is read, ms: as often as the list says, or else as its rack is; NaN without either."""
    layout = image.layout
    numbers, where = np.unique(image.module[rows], return_inverse=True)
    found = [
        float(layout.racks[m.rack].period_ms) if (m := layout.modules.get(n)) else np.nan for n in numbers.tolist()
    ]
    said = image.number("scan_ms")[rows]
    return np.where(np.isnan(said), np.array(found)[where], said) if len(found) else np.zeros(0)


def on_same_module(image: PlantImage, points: set[int]) -> set[int]:
    """The points that share a module with some points."""
    modules = {int(image.module[image.row_of(point)]) for point in points if image.has(point)} - {-1}
    return set(image.ids[np.isin(image.module, list(modules))].tolist())


def loops(image: PlantImage, rows: Rows) -> Rows:
    """Rows that are current loops on a channel whose mode is known."""
    current = of_signal(image, rows, lambda s: s.family == Family.LINEAR and s.unit == "mA") == 1.0
    here: Rows = rows[current & (image.mode[rows] >= 0)]
    return here


def process_at(image: PlantImage, rows: Rows, share: float) -> Floats:
    """The quantity at a share of the device's range, in the unit of the PROCESS station."""
    low, high = image.number("device_low")[rows], image.number("device_high")[rows]
    quantity = low + share * (high - low)
    thermal = np.flatnonzero(np.isin(image.family[rows], TEMPERATURE))
    codes = image.unit("device_unit")[rows[thermal]]
    for code in set(np.unique(codes).tolist()) - {-1, unit_places()["°C"]}:
        factor, offset = factor_and_offset(units()[code].shown, "°C") or (np.nan, np.nan)
        at = thermal[codes == code]
        quantity[at] = quantity[at] * factor + offset
    return quantity


def takes(image: PlantImage, rows: Rows) -> Bools:
    """Whether each row's mode takes its signal at all; yes where either is not known yet."""
    out = np.ones(len(rows), dtype=bool)
    known = image.mode[rows] >= 0
    for family, fits in (
        (Family.LINEAR, linear.fits),
        (Family.CONTACT, contact.fits),
        (Family.THERMOCOUPLE, lambda p: temperature.takes(p, Family.THERMOCOUPLE)),
        (Family.RESISTANCE, lambda p: temperature.takes(p, Family.RESISTANCE)),
    ):
        mine = np.flatnonzero(known & (image.family[rows] == family))
        if len(mine):
            out[mine] = fits(PathRows(image, rows[mine]))
    return out


def other_curve(image: PlantImage, rows: Rows) -> Bools:
    """Where a mode counts degrees by another curve than the element has."""
    p = PathRows(image, rows)
    thermal = np.isin(image.family[rows], TEMPERATURE) & (image.mode[rows] >= 0)
    mode, own = p.mode_curves(), temperature.elements(p)
    return np.asarray(thermal & (mode != "") & (own != mode) & (own != ""), dtype=bool)


def uncurved(image: PlantImage, rows: Rows) -> Bools:
    """Where a mode gives plain mV or Ω of an element and the scaling makes a straight line of it."""
    thermal = np.isin(image.family[rows], TEMPERATURE) & (image.mode[rows] >= 0)
    raw = thermal & (PathRows(image, rows).mode_curves() == "")
    straight = image.code("value_law")[rows] <= VALUE_LAW_NAMES.index("straight line")
    return np.asarray(raw & straight & takes(image, rows), dtype=bool)


def reach(image: PlantImage, rows: Rows) -> tuple[Floats, Floats, Floats, Floats]:
    """(least, greatest) that each row's converter counts, and (low, high) of what is used, all in the unit of INPUT
    or, where the mode counts degrees, in °C. NaN where it cannot be told."""
    p = PathRows(image, rows)
    affine = AffineConverter()
    ends = np.sort(np.stack([affine.backward(p, p.of_mode(end)) for end in ("least", "most")]), axis=0)
    low, high = np.full(len(rows), np.nan), np.full(len(rows), np.nan)
    straight = np.flatnonzero(image.family[rows] == Family.LINEAR)
    if len(straight):
        q = PathRows(image, rows[straight])
        gain = linear.InputJoint.gain(q, 1.0)
        span = linear.signal_span(q)
        low[straight], high[straight] = (end * gain for end in span)
    thermal = np.flatnonzero(np.isin(image.family[rows], TEMPERATURE))
    if len(thermal):
        q = PathRows(image, rows[thermal])
        degc = [process_at(image, rows[thermal], share) for share in (0.0, 1.0)]
        counting = q.mode_curves() != ""
        own = temperature.elements(q)
        raw = [electrical(own, t, q.cells("curve_table")) for t in degc]
        low[thermal], high[thermal] = (np.where(counting, t, r) for t, r in zip(degc, raw, strict=True))
        ends[:, thermal] = np.where(
            counting, [temperature.in_degc(q, end) for end in ends[:, thermal]], ends[:, thermal]
        )
    return ends[0], ends[1], np.minimum(low, high), np.maximum(low, high)


def beyond_element(image: PlantImage, rows: Rows) -> tuple[Bools, Floats, Floats]:
    """Where the range of an element goes on beyond its curve, and from where to where the curve is known, °C."""
    least, most = np.full(len(rows), np.nan), np.full(len(rows), np.nan)
    thermal = np.flatnonzero(np.isin(image.family[rows], TEMPERATURE))
    keys = list(zip(image.cells["signal"][rows[thermal]], image.cells["curve_table"][rows[thermal]], strict=True))
    ends = {key: span_degc(found.curve if (found := signal_named(key[0])) else "", key[1]) for key in set(keys)}
    least[thermal], most[thermal] = np.array([ends[key] for key in keys], dtype=np.float64).reshape(-1, 2).T
    low, high = process_at(image, rows, 0.0), process_at(image, rows, 1.0)
    out = (np.fmin(low, high) < least - 1e-6) | (np.fmax(low, high) > most + 1e-6)
    return np.asarray(out, dtype=bool), least, most


def cut_off(image: PlantImage, rows: Rows) -> Bools:
    """Where a mode that takes the signal does not count all of what is used of it."""
    least, most, low, high = reach(image, rows)
    slack = _SLACK * (high - low)
    counts = takes(image, rows) & (image.family[rows] != Family.CONTACT) & ~beyond_element(image, rows)[0]
    return np.asarray(counts & ((low < least - slack) | (high > most + slack)), dtype=bool)


def span_words(image: PlantImage, row: int) -> tuple[str, str]:
    """What one row's converter counts, and what is used, in words with their unit."""
    at = np.array([row])
    p = PathRows(image, at)
    unit = linear.input_unit(p) if image.family[row] == Family.LINEAR or not p.mode_curves()[0] else "°C"
    least, most, low, high = (float(x[0]) for x in reach(image, at))
    decimals = 0 if unit == "°C" else 2
    return (
        f"{shown(least, decimals)} … {shown(most, decimals)} {unit}",
        f"{shown(low, decimals)} … {shown(high, decimals)} {unit}",
    )


def derived_counts(image: PlantImage, rows: Rows) -> tuple[Floats, Floats]:
    """The counts that the ends of the signal make in each row's mode, unrounded."""
    p = PathRows(image, rows)
    low, high = linear.derived_counts(p)
    return low, high


def dead_zero(image: PlantImage, rows: Rows) -> Bools:
    """Where typed counts start at the dead zero of a signal whose zero is alive, or the other way round (R13)."""
    low, high = image.number("counts_low")[rows], image.number("counts_high")[rows]
    mine = (image.family[rows] == Family.LINEAR) & (image.mode[rows] >= 0) & ~np.isnan(low) & ~np.isnan(high)
    mine &= image.code("value_form")[rows] <= 0
    out = np.zeros(len(rows), dtype=bool)
    at = np.flatnonzero(mine)
    if not len(at):
        return out
    c0, c1 = derived_counts(image, rows[at])
    live = of_signal(image, rows[at], lambda s: s.live_zero) == 1.0
    span = c1 - c0
    # A live zero stands at a fifth of the whole: a quarter of its own span above nothing.
    other = np.where(live, c0 - 0.25 * span, c0 + 0.2 * span)
    close = image.conventions.agreement_share * 5.0 * np.abs(span)
    dead = of_signal(image, rows[at], lambda s: s.low == 0.0 and not s.own_span) == 1.0
    out[at] = (live | dead) & (np.abs(low[at] - other) <= close) & (np.abs(high[at] - c1) <= close)
    return out


def follows_supply(image: PlantImage, rows: Rows) -> Bools:
    """Where the mode's span moves with the supply, that of its channel is not the nominal one, and counts were typed."""
    table, mode = image.layout.mode_table, image.mode[rows]
    if not len(table.follows_supply):
        return np.zeros(len(rows), dtype=bool)
    on = np.maximum(mode, 0)
    moved = table.follows_supply[on] & (table.numbers["at_supply_v"][on] != channel_supply_v(image, rows))
    typed = ~np.isnan(image.number("counts_low")[rows] + image.number("counts_high")[rows])
    return np.asarray((mode >= 0) & moved & typed & (image.family[rows] == Family.LINEAR), dtype=bool)


def never_counted(image: PlantImage, rows: Rows) -> Bools:
    """Where an end point is typed as a count beyond where the channel stops counting (R12)."""
    p = PathRows(image, rows)
    typed = np.stack([p.number("counts_low"), p.number("counts_high")])
    out = ((typed < p.of_mode("least")) | (typed > p.of_mode("most"))).any(axis=0)
    return np.asarray(out & (image.code("value_form")[rows] <= 0), dtype=bool)
