"""Rules about ranges: the device's against the scaling's, and which way up they are."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from decimal import Decimal

import numpy as np

from canaleta.core.checks.checkpoints import TEMPERATURE
from canaleta.core.model.fields import STATIONS, Station
from canaleta.core.model.fields import field_named as field
from canaleta.core.model.image import PlantImage
from canaleta.core.model.references import between_units
from canaleta.core.notation.arrays import Bools, Floats, Rows
from canaleta.core.notation.text import as_typed, rounded_text, shown
from canaleta.core.notation.units import factor_and_offset
from canaleta.core.path.evaluate import describe, evaluate, forwards
from canaleta.core.path.joints.base import PathRows, decimals_for
from canaleta.core.path.joints.chains import CHAINS
from canaleta.core.path.joints.scaling import Scaling
from canaleta.core.path.joints.temperature import WireJoint
from canaleta.core.rules.finding import Cell, Finding, Fix
from canaleta.core.rules.masks import (
    PATH,
    beyond_element,
    cut_off,
    dead_zero,
    follows_supply,
    never_counted,
    other_curve,
    process_at,
    takes,
    uncurved,
)
from canaleta.core.rules.rule import report, rule
from canaleta.core.signals.laws import LAW_NAMES, SENSOR_LAW, TABLE_LAWS, VALUE_LAW_NAMES
from canaleta.core.signals.signal_types import Family

_ROOT = LAW_NAMES.index("square root")
_SHARES = (0.0, 0.25, 0.5, 0.75, 1.0)
_ANALOG = (Family.LINEAR, *TEMPERATURE)
_READS = ("tag", *PATH)


@rule(
    "R07",
    "device range and scaling disagree",
    "agreement within the plant's share of span",
    _READS,
    looks="the quantity in the pipe against the value, at 0, 25, 50, 75 and 100 %",
    harm="falsifies",
)
def ranges_disagree(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """What goes into the pipe does not come out as the value, at one of five check points."""
    rows, factor, offset = _comparable(image, rows)
    if not len(rows):
        return
    process = np.stack([process_at(image, rows, share) for share in _SHARES])
    stations = forwards(image, process, rows)
    true, says = process * factor + offset, stations[-1]
    loop = stations[STATIONS.index(Station.LOOP)]
    span = np.abs(true[-1] - true[0])
    allowed = image.conventions.agreement_share * span
    error = np.abs(says - true)
    wrong = (span > 0) & (error.max(axis=0) > allowed) & ~_only_upside_down(image, rows, true, says, allowed)
    # From here on the few that are wrong are an image of their own, and worked out together.
    few = np.flatnonzero(wrong)
    apart = image.only(rows[few])
    open_ones = np.flatnonzero(~_explained(apart))
    few, apart = few[open_ones], apart.only(open_ones)
    ways = _ways(apart, factor[few], offset[few])
    levels: dict[tuple[object, int], tuple[int, str]] = {}
    for k, at in enumerate(few.tolist()):
        spot = 2 if error[2, at] > allowed[at] else int(np.argmax(error[:, at]))
        of = apart.cells["signal"][k], int(apart.mode[k])
        if of not in levels:
            loop_words = describe(apart, k)[STATIONS.index(Station.LOOP)]
            levels[of] = loop_words.decimals, loop_words.unit
        level = f"{shown(float(loop[spot, at]), levels[of][0]).rstrip('0').rstrip('.')} {levels[of][1]}"
        yield _disagreement(apart, k, level, float(says[spot, at]), float(true[spot, at]), ways[k])


@rule(
    "R11",
    "range upside down or without span",
    "low is below high unless reverse acting is said",
    _READS,
    looks="both ends of the device's range and of the scaling",
    harm="falsifies",
)
def upside_down(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """LRV = URV; or a range turned over without saying so; or said to be and not."""
    device_low, device_high = image.number("device_low")[rows], image.number("device_high")[rows]
    value_low, value_high = image.number("value_low")[rows], image.number("value_high")[rows]
    reverse = image.code("acting")[rows] == field("acting").choices.index("reverse")
    analog = np.isin(image.family[rows], _ANALOG)
    device_down, value_down = device_low > device_high, value_low > value_high
    flat = (device_low == device_high) | (value_low == value_high)
    for at in np.flatnonzero(analog & (flat | device_down | value_down | reverse)).tolist():
        row = int(rows[at])
        if device_low[at] == device_high[at]:
            yield _no_span(image, row, "device")
        if value_low[at] == value_high[at]:
            yield _no_span(image, row, "value")
        known_value = not np.isnan(value_low[at] + value_high[at])
        if device_down[at] and not reverse[at]:
            yield _turned(image, row, "device", also=bool(value_down[at]))
        elif value_down[at] and not device_down[at]:
            yield _turned(image, row, "value", also=False)
        elif reverse[at] and not device_down[at] and known_value and not value_down[at]:
            yield _not_reverse(image, row)


def _comparable(image: PlantImage, rows: Rows) -> tuple[Rows, Floats, Floats]:
    """Rows whose device and value measure one quantity, with factor and offset from process to value unit."""
    known = ~np.isnan(
        image.number("device_low")[rows]
        + image.number("device_high")[rows]
        + image.number("value_low")[rows]
        + image.number("value_high")[rows]
    )
    rows = rows[known & (image.mode[rows] >= 0) & np.isin(image.family[rows], _ANALOG)]
    thermal = np.isin(image.family[rows], TEMPERATURE)
    report = (image.code("device_reference")[rows] >= 0) | (image.code("value_reference")[rows] >= 0)
    of, into = (image.unit(name)[rows].astype(np.int64) for name in ("device_unit", "value_unit"))
    keys, first, alike = np.unique((of * 4096 + into) * 2 + thermal, return_index=True, return_inverse=True)
    found = np.full((len(keys), 2), np.nan)
    for k, at in enumerate(first.tolist()):
        one, other = (image.cells[name][rows[at]] for name in ("device_unit", "value_unit"))
        if (one and other) or one == other:
            found[k] = factor_and_offset("°C" if thermal[at] else one or "", other or "") or (np.nan, np.nan)
    ends = found[alike]
    # What a unit is counted from is said by few.
    for at in np.flatnonzero(report).tolist():
        one, other = (image.cells[name][rows[at]] for name in ("device_unit", "value_unit"))
        if (one and other) or one == other:
            pair = between_units(image, int(rows[at]), "°C" if thermal[at] else one or "", other or "")
            ends[at] = pair or (np.nan, np.nan)
    same = ~np.isnan(ends[:, 0])
    return rows[same], ends[same, 0], ends[same, 1]


def _only_upside_down(image: PlantImage, rows: Rows, true: Floats, says: Floats, allowed: Floats) -> Bools:
    """Where the scaling agrees once it is turned over: that is R11's to say."""
    down = image.number("value_low")[rows] > image.number("value_high")[rows]
    device_down = image.number("device_low")[rows] > image.number("device_high")[rows]
    turned = image.number("value_low")[rows] + image.number("value_high")[rows] - says
    only: Bools = (down != device_down) & (np.abs(turned - true).max(axis=0) <= allowed)
    return only


def _disagreement(image: PlantImage, row: int, level: str, says: float, true: float, fixes: Sequence[Fix]) -> Finding:
    unit = image.text("value_unit", row)
    decimals = decimals_for(float(image.number("value_high")[row] - image.number("value_low")[row]))
    spans = f"{_end(image, 'device_low', row)} … {_end(image, 'device_high', row)} {image.text('device_unit', row)}"
    text = (
        f"at {level} the list shows {shown(says, decimals)} {unit} where the pipe holds {shown(true, decimals)}:"
        f" the device spans {spans}"
    )
    return report(
        image,
        "R07",
        [row],
        Station.VALUE,
        text,
        ("value_low", "value_high", "device_low", "device_high"),
        fixes=fixes,
    )


_OTHERS = (
    ("extension",),
    ("lead_ohm", "lead_taken_ohm"),
    ("lead_apart_ohm",),
    ("jumper",),
    ("counts_low", "counts_high"),
)
"""Cells that rules of their own speak of: where the path agrees without them, the ranges are not what is wrong."""


def _explained(image: PlantImage) -> Bools:
    """Where another rule says why a path does not agree: it does once their cells are emptied."""
    at = np.arange(len(image))
    out = ~takes(image, at) | cut_off(image, at) | other_curve(image, at) | uncurved(image, at)
    out |= beyond_element(image, at)[0] | WireJoint.left_open(PathRows(image, at))
    out |= (image.code("device_law") == _ROOT) & (image.code("value_law") == _ROOT)
    for names in _OTHERS:
        typed = np.logical_or.reduce([image.filled(name) for name in names])
        if names[0] == "counts_low":
            typed &= dead_zero(image, at) | follows_supply(image, at) | never_counted(image, at)
        some = np.flatnonzero(typed & ~out)
        if len(some):
            emptied = {(k, name): None for k in range(len(some)) for name in names}
            out[some] |= _agree(image.only(some).with_cells(emptied))
    return np.asarray(out, dtype=bool)


def _agree(image: PlantImage) -> Bools:
    """Which paths of an image are within the plant's share of span at all five check points; no where none
    compare."""
    out = np.zeros(len(image), dtype=bool)
    rows, factor, offset = _comparable(image, np.arange(len(image)))
    if len(rows):
        process = np.stack([process_at(image, rows, share) for share in _SHARES])
        true, says = process * factor + offset, forwards(image, process, rows)[-1]
        allowed = image.conventions.agreement_share * np.abs(true[-1] - true[0])
        out[rows] = (np.abs(says - true) <= allowed).all(axis=0)
    return out


def _ways(image: PlantImage, factor: Floats, offset: Floats) -> list[list[Fix]]:
    """For each path the two honest ways to settle it, where they do: the scaling follows the device, or it the
    scaling."""
    ends = {"value": _as_the_device(image) * factor + offset, "device": (_as_the_scaling(image) - offset) / factor}
    out: list[list[Fix]] = [[] for _ in range(len(image))]
    for side, label in (("value", "follow the device"), ("device", "follow the scaling")):
        some = np.flatnonzero(~np.isnan(ends[side].sum(axis=0)))
        typed = {k: [rounded_text(float(end)) for end in ends[side][:, k]] for k in some.tolist()}
        cells = {(k, f"{side}_{end}"): Decimal(typed[k][n]) for k in typed for n, end in enumerate(("low", "high"))}
        settles = _agree(image.with_cells(cells)) if cells else np.zeros(len(image), dtype=bool)
        for k in some[settles[some]].tolist():
            low, high = typed[k]
            point = int(image.ids[k])
            words = f"{label}: {as_typed(low)} … {as_typed(high)} {image.text(f'{side}_unit', k)}".rstrip()
            out[k].append(Fix(words, ((Cell(point, f"{side}_low"), low), (Cell(point, f"{side}_high"), high))))
    return out


def _as_the_device(image: PlantImage) -> Floats:
    """(2, n): what is in the pipe at the counts of both end points; NaN where the scaling is not typed as two
    points."""
    out = np.full((2, len(image)), np.nan)
    law = image.code("value_law")
    straight = (image.code("value_form") <= 0) & ~np.isin(
        law, [VALUE_LAW_NAMES.index(n) for n in (*TABLE_LAWS, SENSOR_LAW)]
    )
    for family, chain in CHAINS.items():
        rows, scaling = np.flatnonzero(straight & (image.family == family)), chain.joints[-1]
        if len(rows) and isinstance(scaling, Scaling):
            for k, counts in enumerate(scaling.ends_counted(PathRows(image, rows))[:2]):
                out[k, rows] = evaluate(image, Station.COUNTS, counts, rows).at(Station.PROCESS)
    return out


def _as_the_scaling(image: PlantImage) -> Floats:
    """(2, n): the value at both ends of the device's range; NaN for elements, whose range is nobody's to choose."""
    out = np.full((2, len(image)), np.nan)
    rows = np.flatnonzero(~np.isin(image.family, TEMPERATURE))
    if len(rows):
        for k, name in enumerate(("device_low", "device_high")):
            out[k, rows] = evaluate(image, Station.PROCESS, image.number(name)[rows], rows).at(Station.VALUE)
    return out


def _end(image: PlantImage, name: str, row: int) -> str:
    """A typed end point or unit, as words show it."""
    return as_typed(image.text(name, row))


def _no_span(image: PlantImage, row: int, side: str) -> Finding:
    value = _end(image, f"{side}_low", row)
    whose = "the device's range" if side == "device" else "the scaling"
    return _r11(image, row, side, "bad", f"{whose} has no span: low and high are both {value}", ())


def _turned(image: PlantImage, row: int, side: str, also: bool) -> Finding:
    low, high, unit = (_end(image, f"{side}_{end}", row) for end in ("low", "high", "unit"))
    point = int(image.ids[row])
    sides = ("device", "value") if also else (side,)
    swap = tuple(
        (Cell(point, f"{s}_{end}"), image.text(f"{s}_{other}", row))
        for s in sides
        for end, other in (("low", "high"), ("high", "low"))
    )
    whose = "the device's range is" if side == "device" else "the scaling is"
    text = f"{whose} upside down: {low} … {high} {unit}, and nothing says reverse acting"
    if side == "value":
        text += _at_low_end(image, row)
    fixes = [Fix(f"turn it round: {high} … {low} {unit}".rstrip(), swap)]
    if side == "device" and image.family[row] == Family.LINEAR:
        fixes.append(Fix("it is meant to be: reverse acting", ((Cell(point, "acting"), "reverse"),)))
    return _r11(image, row, side, "settle", text, tuple(fixes))


def _at_low_end(image: PlantImage, row: int) -> str:
    low = image.number("device_low")[row]
    found = evaluate(image, Station.PROCESS, low, np.array([row]))
    loop, says = found.at(Station.LOOP)[0], found.at(Station.VALUE)[0]
    if np.isnan(loop + says):
        return ""
    words = describe(image, row)
    return (
        f"; at {shown(float(loop), 1)} {words[2].unit} the list shows {shown(float(says), words[5].decimals)}"
        f" where the device means {shown(float(low), words[5].decimals)}"
    )


def _not_reverse(image: PlantImage, row: int) -> Finding:
    point = int(image.ids[row])
    low, high = _end(image, "device_low", row), _end(image, "device_high", row)
    fixes = (
        Fix("it acts direct", ((Cell(point, "acting"), "direct"),)),
        Fix(
            f"turn both ranges over: {high} … {low}",
            tuple(
                (Cell(point, f"{s}_{end}"), image.text(f"{s}_{other}", row))
                for s in ("device", "value")
                for end, other in (("low", "high"), ("high", "low"))
            ),
        ),
    )
    text = f"said to be reverse acting, but the low end of the signal means {low} and the high end {high}"
    return _r11(image, row, "device", "settle", text, fixes)


def _r11(image: PlantImage, row: int, side: str, severity: str, text: str, fixes: tuple[Fix, ...]) -> Finding:
    return report(
        image,
        "R11",
        [row],
        Station.DEVICE if side == "device" else Station.VALUE,
        text,
        (f"{side}_low", f"{side}_high"),
        about=f"{image.ids[row]}:{side}",
        severity="bad" if severity == "bad" else "settle",
        fixes=fixes,
    )
