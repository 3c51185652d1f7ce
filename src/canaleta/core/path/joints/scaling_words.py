"""The sentences of a scaled value: its working, and the words under its figure."""

from __future__ import annotations

import numpy as np

from canaleta.core.model.references import value_unit
from canaleta.core.notation.arrays import Floats
from canaleta.core.notation.text import plain, shown
from canaleta.core.path.joints.base import PathRows, StationWords, Working, decimals_for
from canaleta.core.path.joints.linear import DeviceJoint
from canaleta.core.path.joints.scaling import Scaling, beyond_the_line
from canaleta.core.signals.hops_and_factors import factors_of
from canaleta.core.signals.laws import CUT_OFF_IN, SENSOR_LAW, TABLE_LAWS
from canaleta.core.signals.signal_types import Family


def _as_counted(p: PathRows, slope: Floats, offset: Floats) -> tuple[Floats, Floats]:
    """Slope and offset over the counts that a trimmed channel gives."""
    if (trim := p.trim) is None:
        return slope, offset
    return slope / trim[1], offset - slope * trim[0] / trim[1]


def cut_off_words(p: PathRows, side: str) -> str:
    """The low cut-off of the device or of the scaling (`side`: device, value) as it was said, and of the root; empty
    for none."""
    figure = p.text(f"{side}_cutoff")
    if not figure:
        return ""
    said = p.text(f"{side}_cutoff_in") or CUT_OFF_IN[0]
    if said == CUT_OFF_IN[0]:
        return f"{figure} {said}"
    low, high = p.number("value_low"), p.number("value_high")
    share = DeviceJoint().cut_off(p) if side == "device" else Scaling.cut_off(p, low, high)
    unit = p.text(f"{side}_unit") if said == CUT_OFF_IN[2] else said
    return f"{figure} {unit}, {shown(100.0 * float(share[0]), 2)} % of the root"


def scaling_working(joint: Scaling, p: PathRows, x: float, y: float, forward: bool) -> Working:
    """The formula with this point's end points."""
    law = p.text("value_law")
    unit = p.text("value_unit")
    linear = float(beyond_the_line(p, np.array([y]), forward=False)[0])
    more, source_of_more = _more_words(p, linear, y)
    sloped, slope, offset = joint.sloped(p)
    if sloped[0]:
        by = f"factors {p.text('factors')}" if p.text("value_form") == "factors" else "slope and offset as typed"
        m, b = (plain(float(one[0])) for one in _as_counted(p, slope, offset))
        if not forward:
            return Working(
                "count = (value − offset) / slope, rounded",
                f"({shown(linear, 4)} − {b}) / {m} → {shown(x, 0)}",
                by + source_of_more,
            )
        return Working(
            "value = slope · count + offset" + more[0],
            f"{m} · {counts_text(x)} + {b} = {shown(linear, 4)}{more[1] or f' {unit}'}".rstrip(),
            by + source_of_more,
        )
    c0, c1, v0, v1 = (counts_text(round(float(e[0]), 6)) for e in joint.ends_counted(p))
    root = law == "square root"
    fraction = f"({shown(x, 1).removesuffix('.0')} − {c0}) / ({c1} − {c0})"
    share = f"√[{fraction}]" if root else fraction
    typed = p.text("counts_low") and p.text("counts_high")
    whose = "end points as typed in the list" if typed else "counts as signal and module make them"
    if p.text("found_low"):
        whose = "counts as the channel was found to give them"
    source = f"{whose}: {c0} → {v0}, {c1} → {v1}{source_of_more}"
    if root and y == float(joint.ends(p)[2][0]) and (cut := cut_off_words(p, "value")):
        source += f"; below {cut} it is taken as none"
    if not forward:
        square = "²" if root else ""
        return Working(
            f"count = c₀ + [(value − v₀) / (v₁ − v₀)]{square} · (c₁ − c₀), rounded",
            f"{c0} + [({shown(linear, 4)} − {v0}) / ({v1} − {v0})]{square} · ({c1} − {c0}) → {shown(x, 0)}",
            source,
        )
    return Working(
        "value = v₀ + " + ("√" if root else "") + "[(count − c₀) / (c₁ − c₀)] · (v₁ − v₀)" + more[0],
        f"{v0} + {share} · ({v1} − {v0}) = {shown(linear, 4)}{more[1] or f' {unit}'}".rstrip(),
        source,
    )


def _more_words(p: PathRows, linear: float, value: float) -> tuple[tuple[str, str], str]:
    law, unit = p.text("value_law"), p.text("value_unit")
    if law in TABLE_LAWS:
        kind = "monotone cubic" if law != "table" else "straight lines"
        return (
            (", through the table", f" → {shown(value, 4)} {unit}".rstrip()),
            f"; table as typed, {kind} between its points",
        )
    if law == SENSOR_LAW:
        return (
            (", through the sensor's curve", f" → {shown(value, 3)} {unit}".rstrip()),
            f"; curve of {p.text('signal')}",
        )
    return ("", ""), ""


def counts_text(count: float) -> str:
    """A count as shown in a working: whole if it is, else with its decimals."""
    return plain(count) if count != round(count) else shown(count, 0)


def value_words(p: PathRows) -> StationWords:
    """The VALUE station of a scaled point."""
    v0, v1 = float(p.number("value_low")[0]), float(p.number("value_high")[0])
    typed = p.number("value_decimals")[0]
    law = p.text("value_law")
    curved = law in TABLE_LAWS or law == SENSOR_LAW
    decimals = (1 if law == SENSOR_LAW else 2 if curved else decimals_for(v1 - v0)) if np.isnan(typed) else int(typed)
    unit = value_unit(p.image, int(p.rows[0]))
    form = p.text("value_form")
    if form == "slope and offset":
        first = f"{p.text('slope') or '?'} a count, {p.text('offset') or '0'} at zero"
    elif form == "factors":
        first = f"by {len(factors_of(p.text('factors')))} factors"
    elif np.isnan(v0 + v1):
        first = "not scaled yet" if p.image.family[p.rows[0]] == Family.LINEAR else "degrees as counted"
    elif curved:
        first = f"scaled {p.text('value_low')} … {p.text('value_high')} before the {'curve' if law == SENSOR_LAW else 'table'}"
    else:
        first = f"scaled {p.text('value_low')} … {p.text('value_high')} {unit}".rstrip()
    outside = " · ".join(f"{side}: {p.text(side)}" for side in ("below", "above") if p.text(side) not in ("", "pass"))
    lines = (first, law if law and law != "straight line" else "", outside, p.text("value_reference"))
    return StationWords(unit, decimals, tuple(line for line in lines if line)[:3])
