"""Rules about ranges: the device's against the scaling's, and which way up they are."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from canaleta.core.checkpoints import TEMPERATURE
from canaleta.core.fields import STATIONS, Station, read_cell
from canaleta.core.fields import field_named as field
from canaleta.core.image import PlantImage
from canaleta.core.joints.base import PathRows, decimals_for
from canaleta.core.joints.scaling import Scaling
from canaleta.core.laws import LAW_NAMES, SENSOR_LAW, TABLE_LAWS
from canaleta.core.path import CHAINS, describe, evaluate, forwards
from canaleta.core.references import between_units
from canaleta.core.rules.base import Cell, Finding, Fix, fingerprint, rule, tidy
from canaleta.core.rules.looking import (
    PATH,
    cut_off,
    dead_zero,
    follows_supply,
    never_counted,
    other_curve,
    process_at,
    takes,
    uncurved,
)
from canaleta.core.signals import Family
from canaleta.core.text import as_typed, shown
from canaleta.core.units import factor_and_offset

Rows = NDArray[np.int64]
Floats = NDArray[np.float64]

_ROOT = LAW_NAMES.index("square root")
_SHARES = (0.0, 0.25, 0.5, 0.75, 1.0)
_ANALOG = (Family.LINEAR, *TEMPERATURE)
_READS = ("tag", *PATH)


@rule("R07", "device range and scaling disagree", "agreement within the plant's share of span", _READS,
      looks="the quantity in the pipe against the value, at 0, 25, 50, 75 and 100 %", harm="falsifies")  # fmt: skip
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
    alike: dict[tuple[object, ...], Finding | None] = {}
    for at in np.flatnonzero(wrong).tolist():
        row = int(rows[at])
        # Points that say the same, in one mode, are wrong in the same words: those are worked out once.
        facts = (int(image.mode[row]), *(image.cells[name][row] for name in _READS if name not in ("tag", "channel")))
        if facts not in alike:
            one = image.only(np.array([row]))
            k = 2 if error[2, at] > allowed[at] else int(np.argmax(error[:, at]))
            levels = float(loop[k, at]), float(says[k, at]), float(true[k, at])
            alike[facts] = None if _explained(one) else _disagreement(one, 0, *levels)
        if (found := alike[facts]) is not None:
            yield _of_point(found, int(image.ids[row]), fingerprint(image, (row,), _READS))


@rule("R11", "range upside down or without span", "low is below high unless reverse acting is said", _READS,
      looks="both ends of the device's range and of the scaling", harm="falsifies")  # fmt: skip
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


def _of_point(found: Finding, point: int, facts: str) -> Finding:
    """The same finding of another point."""
    cells = tuple(Cell(point, cell.field) for cell in found.cells)
    fixes = tuple(
        Fix(fix.label, tuple((Cell(point, cell.field), text) for cell, text in fix.edits)) for fix in found.fixes
    )
    return replace(found, key=f"R07:{point}", cells=cells, fixes=fixes, fingerprint=facts)


def _comparable(image: PlantImage, rows: Rows) -> tuple[Rows, Floats, Floats]:
    """Rows whose device and value measure one quantity, with factor and offset from process to value unit."""
    known = ~np.isnan(
        image.number("device_low")[rows] + image.number("device_high")[rows]
        + image.number("value_low")[rows] + image.number("value_high")[rows]
    )  # fmt: skip
    rows = rows[known & (image.mode[rows] >= 0) & np.isin(image.family[rows], _ANALOG)]
    thermal = np.isin(image.family[rows], TEMPERATURE)
    said = (image.code("device_reference")[rows] >= 0) | (image.code("value_reference")[rows] >= 0)
    pairs = [
        (between_units(image, int(row), "°C" if hot else of or "", into or "") if told
         else factor_and_offset("°C" if hot else of or "", into or "")) if (of and into) or of == into else None
        for of, into, hot, told, row in zip(
            image.cells["device_unit"][rows], image.cells["value_unit"][rows], thermal, said, rows, strict=True
        )
    ]  # fmt: skip
    same = np.array([pair is not None for pair in pairs], dtype=bool)
    kept = [pair for pair in pairs if pair is not None]
    ends = np.array(kept, dtype=np.float64).reshape(-1, 2)
    return rows[same], ends[:, 0], ends[:, 1]


def _only_upside_down(
    image: PlantImage, rows: Rows, true: Floats, says: Floats, allowed: Floats
) -> NDArray[np.bool_]:
    """Where the scaling agrees once it is turned over: that is R11's to say."""
    down = image.number("value_low")[rows] > image.number("value_high")[rows]
    device_down = image.number("device_low")[rows] > image.number("device_high")[rows]
    turned = image.number("value_low")[rows] + image.number("value_high")[rows] - says
    only: NDArray[np.bool_] = (down != device_down) & (np.abs(turned - true).max(axis=0) <= allowed)
    return only


def _disagreement(image: PlantImage, row: int, loop: float, says: float, true: float) -> Finding:
    words = describe(image, row)
    unit = image.text("value_unit", row)
    decimals = decimals_for(float(image.number("value_high")[row] - image.number("value_low")[row]))
    level = f"{shown(loop, words[2].decimals).rstrip('0').rstrip('.')} {words[2].unit}"
    tail = (
        f"the device spans {_end(image, 'device_low', row)} … {_end(image, 'device_high', row)} "
        f"{image.text('device_unit', row)}"
    )
    fixes = [fix for fix in (_follow_device(image, row), _follow_scaling(image, row)) if _settles(image, row, fix)]
    return Finding(
        rule="R07",
        key=f"R07:{image.ids[row]}",
        station=Station.VALUE,
        severity="settle",
        text=(
            f"at {level} the list shows {shown(says, decimals)} {unit} where the pipe holds {shown(true, decimals)}: "
            f"{tail}"
        ),
        cells=tuple(Cell(int(image.ids[row]), f) for f in ("value_low", "value_high", "device_low", "device_high")),
        fixes=tuple(fix for fix in fixes if fix),
        fingerprint=fingerprint(image, (row,), _READS),
    )


_OTHERS = (("extension",), ("lead_ohm",), ("jumper",), ("counts_low", "counts_high"))
"""Cells that rules of their own speak of: where the path agrees without them, the ranges are not what is wrong."""


def _explained(image: PlantImage) -> bool:
    """Whether another rule says why the one path of an image does not agree: it does once their cells are emptied."""
    if (
        cut_off(image, np.array([0]))[0]
        or not takes(image, np.array([0]))[0]
        or other_curve(image, np.array([0]))[0]
        or uncurved(image, np.array([0]))[0]
    ):
        return True
    if image.code("device_law")[0] == image.code("value_law")[0] == _ROOT:
        return True
    for names in _OTHERS:
        at = np.array([0])
        if (
            names[0] == "counts_low"
            and not (dead_zero(image, at) | follows_supply(image, at) | never_counted(image, at))[0]
        ):
            continue
        if all(image.cells[name][0] is None for name in names):
            continue
        without = image.with_cells({(0, name): None for name in names})
        rows, factor, offset = _comparable(without, np.array([0]))
        if len(rows) and _agrees(without, rows, factor, offset):
            return True
    return False


def _ends(
    image: PlantImage, row: int, station: Station, values: tuple[float, float], at: Station
) -> tuple[float, float]:
    low, high = evaluate(image, station, np.array(values), np.array([row, row])).at(at).tolist()
    return low, high


def _follow_device(image: PlantImage, row: int) -> Fix | None:
    """The value's end points as the device has them at the same counts."""
    p = PathRows(image, np.array([row]))
    scaling = CHAINS[Family(int(image.family[row]))].joints[-1]
    if not isinstance(scaling, Scaling) or image.text("value_form", row) not in ("", "two points"):
        return None
    if image.text("value_law", row) in (*TABLE_LAWS, SENSOR_LAW):
        return None
    c0, c1, _, _ = scaling.ends(p)
    counts = float(c0[0]), float(c1[0])
    low, high = _ends(image, row, Station.COUNTS, counts, Station.PROCESS)
    into = image.text("value_unit", row)
    of = "°C" if image.family[row] in TEMPERATURE else image.text("device_unit", row)
    pair = between_units(image, row, of, into)
    if pair is None or np.isnan(low + high):
        return None
    return _both("value", image, row, low * pair[0] + pair[1], high * pair[0] + pair[1], "follow the device")


def _follow_scaling(image: PlantImage, row: int) -> Fix | None:
    """The device's range as the scaling has it at the ends of its signal."""
    ends = float(image.number("device_low")[row]), float(image.number("device_high")[row])
    if image.family[row] in TEMPERATURE:
        return None
    low, high = _ends(image, row, Station.PROCESS, ends, Station.VALUE)
    pair = between_units(image, row, image.text("device_unit", row), image.text("value_unit", row))
    if pair is None or np.isnan(low + high):
        return None
    low, high = ((end - pair[1]) / pair[0] for end in (low, high))
    return _both("device", image, row, low, high, "follow the scaling")


def _both(side: str, image: PlantImage, row: int, low: float, high: float, label: str) -> Fix:
    unit = image.text(f"{side}_unit", row)
    point = int(image.ids[row])
    return Fix(
        f"{label}: {as_typed(tidy(low))} … {as_typed(tidy(high))} {unit}".rstrip(),
        ((Cell(point, f"{side}_low"), tidy(low)), (Cell(point, f"{side}_high"), tidy(high))),
    )


def _end(image: PlantImage, name: str, row: int) -> str:
    """A typed end point or unit, as words show it."""
    return as_typed(image.text(name, row))


def _settles(image: PlantImage, row: int, fix: Fix | None) -> bool:
    """Whether a fix brings the path into agreement: a fix that does not is not offered."""
    if fix is None:
        return False
    changes = {
        (image.row_of(cell.point), name): value
        for cell, text in fix.edits
        for name, value in read_cell(field(cell.field), text).items()
    }
    after = image.with_cells(changes)
    rows, factor, offset = _comparable(after, np.array([row]))
    return bool(len(rows)) and _agrees(after, rows, factor, offset)


def _agrees(image: PlantImage, rows: Rows, factor: Floats, offset: Floats) -> bool:
    """Whether one comparable path is within the plant's share of span at all five check points."""
    process = np.array([process_at(image, rows, share)[0] for share in _SHARES])
    allowed = image.conventions.agreement_share * abs(process[-1] - process[0]) * abs(factor[0])
    says = evaluate(image, Station.PROCESS, process, np.repeat(rows, len(_SHARES))).at(Station.VALUE)
    return bool((np.abs(says - process * factor[0] - offset[0]) <= allowed).all())


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
    point = int(image.ids[row])
    return Finding(
        rule="R11",
        key=f"R11:{point}:{side}",
        station=Station.DEVICE if side == "device" else Station.VALUE,
        severity="bad" if severity == "bad" else "settle",
        text=text,
        cells=(Cell(point, f"{side}_low"), Cell(point, f"{side}_high")),
        fixes=fixes,
        fingerprint=fingerprint(image, (row,), _READS),
    )
