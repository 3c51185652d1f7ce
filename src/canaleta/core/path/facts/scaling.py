"""Facts of an analog value: its forms, its resolution, its accuracy, the root, the switch, the number types."""

from __future__ import annotations

import numpy as np

from canaleta.core.model.fields import Station
from canaleta.core.model.mode_table import ModeTable
from canaleta.core.model.references import asks_reference, between_units
from canaleta.core.model.whole_numbers import whole_factor
from canaleta.core.notation.text import plain_figure, shown
from canaleta.core.path.facts.base import Row, Section, Tone, first, of_value, significant
from canaleta.core.path.facts.temperature import used_degc
from canaleta.core.path.joints.base import PathRows
from canaleta.core.path.joints.chains import CHAINS
from canaleta.core.path.joints.linear import signal_span, signal_unit
from canaleta.core.path.joints.scaling import Scaling
from canaleta.core.path.joints.scaling_words import cut_off_words
from canaleta.core.signals.accuracy import Share, root_sum_square
from canaleta.core.signals.laws import SENSOR_LAW, TABLE_LAWS
from canaleta.core.signals.plc_types import chain_of
from canaleta.core.signals.sensors.resistance import class_limit_degc, resistance_curves
from canaleta.core.signals.sensors.thermocouples import thermocouple
from canaleta.core.signals.signal_types import Family, signal_named
from canaleta.core.signals.tables import MOST_POINTS, table_of

__all__ = [
    "accuracy",
    "device_table",
    "forms",
    "numbers",
    "order",
    "reference",
    "resolution",
    "root",
    "switch",
    "value_table",
]

_SPOTS = 101
SENSIBLE_BAND_COUNTS = 10
"""A threshold band narrower than this many counts chatters on the converter's own steps."""


def _scaling(p: PathRows) -> Scaling:
    joint = CHAINS[_family(p)].joints[4]
    assert isinstance(joint, Scaling)
    return joint


def _family(p: PathRows) -> Family:
    return Family(int(p.image.family[p.rows[0]]))


def _step(p: PathRows) -> float:
    """How far the count moves at once; 0 for a converter that gives a real and says nothing of its steps."""
    step = first(np.nan_to_num(p.of_mode("step"), nan=1.0))
    unrounded = first(p.of_mode("rounding")) == ModeTable.ROUNDINGS.index("none")
    return 0.0 if unrounded and step <= 1 else step


def _curved(p: PathRows) -> bool:
    return p.text("value_law") in (*TABLE_LAWS, SENSOR_LAW)


def _per_count(p: PathRows) -> float:
    """How much the value moves for one count: the slope; behind a table or a curve, where it moves most."""
    scaling = _scaling(p)
    if not _curved(p):
        return abs(first(scaling.slope_form(p)[0]))
    c0, c1, _, _ = (first(e) for e in scaling.point_form(p))
    counts = np.linspace(c0, c1, _SPOTS)
    values = scaling.forward(PathRows(p.image, np.repeat(p.rows, _SPOTS)), counts)
    steps = np.abs(np.diff(values) / np.diff(counts))
    return float(np.nanmax(steps)) if not np.isnan(steps).all() else float("nan")


def _value_span(p: PathRows) -> float:
    scaling = _scaling(p)
    ends = (first(scaling.at_share(p, np.array([share]))) for share in (0.0, 1.0))
    low, high = ends
    return high - low


def forms(p: PathRows) -> Section | None:
    """The same scaling in both forms; what was typed and what follows."""
    scaling = _scaling(p)
    c0, c1, v0, v1 = (first(e) for e in scaling.point_form(p))
    slope, offset = (first(e) for e in scaling.slope_form(p))
    if np.isnan(slope):
        return None
    unit = "before the table" if p.text("value_law") in TABLE_LAWS else p.text("value_unit")
    if p.text("value_law") == SENSOR_LAW:
        unit = "mV" if _family(p) == Family.THERMOCOUPLE else "Ω"
    typed = p.text("value_form") or "two points"
    counts_from = "as typed" if p.text("counts_low") and p.text("counts_high") else "as signal and module make it"
    rows = (
        Row("typed as", typed),
        Row("low", f"{_digits(c0)} → {_digits(v0)} {unit}".rstrip(), counts_from),
        Row("high", f"{_digits(c1)} → {_digits(v1)} {unit}".rstrip(), counts_from),
        Row("slope", f"{_digits(slope)} {unit} a count", "as typed" if typed == "slope and offset" else
            "product of the factors" if typed == "factors" else "(v₁ − v₀) / (c₁ − c₀)"),
        Row("offset", f"{_digits(offset)} {unit}".rstrip(), "as typed" if typed == "slope and offset" else "v₀ − slope · c₀"),
    )  # fmt: skip
    return Section(Station.VALUE, "both forms of the scaling", rows)


def _digits(x: float) -> str:
    return plain_figure(float(f"{x:.9g}"))


def resolution(p: PathRows) -> Section | None:
    """Units per count by the converter's real step, counts in span, the smallest band that makes sense."""
    scaling = _scaling(p)
    slope = _per_count(p)
    step = _step(p)
    c0, c1, _, _ = (first(e) for e in scaling.point_form(p))
    if step == 0 or np.isnan(slope) or np.isnan(c0 + c1):
        return None
    counts = abs(c1 - c0)
    whole = abs(first(p.of_mode("counts_high")) - first(p.of_mode("counts_low")))
    unit = p.text("value_unit")
    per = slope * step
    rows = [
        Row("a step of the converter", f"{significant(per, 4)} {unit}".rstrip(),
            f"{significant(step, 4)} count{'s' * (step != 1)} at a time"),
        Row("steps in the span", f"{shown(counts / step, 0)}", f"{shown(counts / whole * 100, 1)} % of the converter's" if whole else ""),
        Row("effective bits", shown(float(np.log2(counts / step)), 1), "of the span, by those steps: log₂ of them"),
        Row("smallest sensible band", f"{significant(per * SENSIBLE_BAND_COUNTS, 3)} {unit}".rstrip(),
            f"{SENSIBLE_BAND_COUNTS} steps"),
    ]  # fmt: skip
    coarse = counts / step < 1000 and _family(p) == Family.LINEAR
    return Section(
        Station.COUNTS,
        "resolution",
        tuple(rows),
        f"only {shown(counts / step, 0)} steps in the span" if coarse else "",
        "settle" if coarse else "",
    )


def accuracy(p: PathRows) -> Section | None:
    """A root-sum-square of limits in the value's unit, each with its share and its basis; not a standard
    uncertainty."""
    span = abs(_value_span(p))
    if np.isnan(span) or span == 0:
        return None
    shares = [share for share in (*_sensor_share(p), *_wired_shares(p, span), *_module_shares(p, span)) if share]
    if not shares:
        return None
    total = root_sum_square(shares)
    rows = [
        Row(s.name, f"±{of_value(p, s.limit, more=1)}", f"{shown(100 * s.part_of(total), 0)} % of it; {s.basis}")
        for s in shares
    ]
    rows.append(
        Row(
            "together",
            f"±{of_value(p, total, more=1)}",
            f"root of the sum of squares; ±{shown(total / span * 100, 3)} % of span",
        )
    )
    worst = sum(abs(share.limit) for share in shares)
    rows.append(
        Row(
            "at worst",
            f"±{of_value(p, worst, more=1)}",
            f"all limits at once, the same way; ±{shown(worst / span * 100, 3)} % of span",
        )
    )
    stated = {s.name for s in shares}
    needed = ("transmitter" if _family(p) == Family.LINEAR else "element", "converter")
    if missing := [name for name in needed if name not in stated]:
        where = "accuracy or class of the device, and the module type, say them"
        rows.append(Row("not stated", " and ".join(missing), where))
        return Section(Station.VALUE, "accuracy", tuple(rows), "not all limits are stated")
    return Section(
        Station.VALUE,
        "accuracy",
        tuple(rows),
        f"±{of_value(p, total, more=1)}, ±{shown(total / span * 100, 2)} % of span",
    )


def _sensor_share(p: PathRows) -> list[Share | None]:
    signal, named = signal_named(p.text("signal")), p.text("tolerance_class")
    if signal is None or _family(p) == Family.LINEAR:
        typed = first(p.number("accuracy"))
        if np.isnan(typed):
            return [None]
        span = abs(_value_span(p))
        return [Share("transmitter", span * typed / 100.0, f"±{p.text('accuracy')} % of span as typed")]
    if not named:
        return [None]
    low, high = used_degc(p)
    spots = np.linspace(low, high, 25)
    try:
        if _family(p) == Family.THERMOCOUPLE:
            limits, basis = thermocouple(signal.curve).limit_degc(spots, named), "IEC 60584-1"
        elif signal.curve in resistance_curves() and resistance_curves()[signal.curve].platinum:
            limits, basis = class_limit_degc(spots, named), "IEC 60751"
        else:
            return [None]
    except ValueError:
        return [None]
    if np.isnan(limits).all():
        return [None]
    at = int(np.nanargmax(limits))
    degrees_factor = 1.8 if p.text("value_unit") == "°F" else 1.0
    worst = float(limits[at]) * degrees_factor
    return [Share("element", worst, f"class {named} at {shown(float(spots[at]), 0)} °C, {basis}")]


def _wired_shares(p: PathRows, span: float) -> list[Share | None]:
    tolerance = first(p.number("shunt_percent"))
    if _family(p) != Family.LINEAR or np.isnan(tolerance) or signal_unit(p) != "mA":
        return [None]
    low, high = (first(a) for a in signal_span(p))
    return [
        Share(
            "shunt",
            span * tolerance / 100.0 * high / (high - low),
            f"±{p.text('shunt_percent')} % of {shown(high, 0)} mA over {shown(high - low, 0)} mA",
        )
    ]


def _module_shares(p: PathRows, span: float) -> list[Share | None]:
    """Converter and its drift, of the module's own span, as seen in the value."""
    limit, drift = first(p.of_mode("accuracy_percent")), first(p.of_mode("drift_ppm_per_k"))
    whole = abs(first(p.of_mode("counts_high")) - first(p.of_mode("counts_low")))
    slope = _per_count(p)
    full = whole * slope
    step = _step(p)
    out: list[Share | None] = []
    if np.isfinite(limit):
        out.append(Share("converter", full * limit / 100.0, f"±{limit:g} % of the module's span"))
    away = abs(first(p.ambient_degc) - 25.0)
    warm = max(away, 15.0)
    if np.isfinite(drift):
        out.append(Share("temperature", full * drift * 1e-6 * warm, f"{drift:g} ppm/K over {warm:g} K from 25 °C"))
    if step:
        out.append(Share("one step", slope * step / 2.0, "half a step of the converter"))
    return out


def root(p: PathRows) -> Section | None:
    """Who takes the square root: the device or the scaling, once."""
    taken = [
        who
        for who, law in (("the device", "device_law"), ("the scaling", "value_law"))
        if p.text(law) == "square root"
    ]
    if not taken:
        return None
    twice = len(taken) == 2
    rows = [Row("taken by", " and ".join(taken), "", "bad" if twice else "")]
    for side, who in (("device", "the device"), ("value", "the scaling")):
        if who in taken:
            rows.append(Row(f"low cut-off of {who}", cut_off_words(p, side) or "none"))
    return Section(
        Station.DEVICE, "square root", tuple(rows), "the root is taken twice" if twice else "", "bad" if twice else ""
    )


def value_table(p: PathRows) -> Section | None:
    """The table behind the scaling: does it rise or fall all the way, so that there is a way back?"""
    return _table(p, Station.VALUE, "value_law", "value_table")


def device_table(p: PathRows) -> Section | None:
    """The device's own table, likewise."""
    return _table(p, Station.DEVICE, "device_law", "device_table")


def _table(p: PathRows, station: Station, law: str, field: str) -> Section | None:
    text = p.text(field)
    if p.text(law) not in TABLE_LAWS or not text:
        return None
    table = table_of(text, p.text(law) != "table")
    ends = f"{plain_figure(table.points[0][0])} … {plain_figure(table.points[-1][0])}"
    turns = table.turns_at()
    way = {1: "rises all the way", -1: "falls all the way", 0: f"turns at point {turns}"}[table.direction]
    wrong = table.direction == 0
    rows = (
        Row(
            "points",
            f"{len(table.points)} of {MOST_POINTS}",
            "monotone cubic between" if table.cubic else "straight between",
        ),
        Row("from … to", ends, "beyond it the last piece runs on, unless below and above say otherwise"),
        Row("way back", "none" if wrong else "one", way, "bad" if wrong else ""),
    )
    verdict = f"the table turns at point {turns}: a value has no one figure behind it" if wrong else ""
    return Section(station, "table", rows, verdict, "bad" if wrong else "")


def reference(p: PathRows) -> Section | None:
    """What the units are counted from, asked for where a unit alone does not say it."""
    row = int(p.rows[0])
    rows = []
    missing = []
    for side, station in (("device", "the device"), ("value", "the list")):
        unit, report = p.text(f"{side}_unit"), p.text(f"{side}_reference")
        offered = asks_reference(unit)
        if not offered:
            continue
        needed = "gauge" not in offered
        if not report and needed:
            missing.append(f"{unit} of {station}: {' or '.join(offered)}?")
        rows.append(
            Row(
                f"{unit} of {station}",
                report or f"{' or '.join(offered)}?",
                "" if report else "type it in “said as”",
                "settle" if not report and needed else "",
            )
        )
    pair = between_units(p.image, row, p.text("device_unit"), p.text("value_unit")) if rows else None
    if pair and pair[1] and {p.text("device_reference"), p.text("value_reference")} == {"gauge", "absolute"}:
        rows.append(
            Row(
                "between them",
                f"{significant(pair[1], 6)} {p.text('value_unit')}",
                f"air of {p.conventions.ambient_bar:g} bar, the plant's",
            )
        )
    return Section(
        Station.DEVICE, "counted from", tuple(rows), missing[0] if missing else "", "settle" if missing else ""
    )


def order(p: PathRows) -> Section | None:
    """The steps from the raw word to the value in the order they are taken, and why in that order."""
    steps = [("status and fault counts", "first: a count that tells a fault is no measurement, scaled or not")]
    steps.append(("scaling", p.text("value_form") or "two points"))
    if (law := p.text("value_law")) not in ("", "straight line"):
        steps.append(("law", law + (f", cut off below {cut}" if (cut := cut_off_words(p, "value")) else "")))
    outside = [f"{side} {p.text(side)}" for side in ("below", "above") if p.text(side) not in ("", "pass")]
    steps.append(("outside the range", ", ".join(outside) or "passed on as it is"))
    steps.append(("failed signal", p.text("on_failure") or f"{p.conventions.on_failure}, as the plant says"))
    if p.text("on_at"):
        steps.append(("as a switch", f"on from {p.text('on_at')}, last: on what people are shown"))
    rows = tuple(Row(f"{n}. {name}", how) for n, (name, how) in enumerate(steps, start=1))
    return Section(Station.VALUE, "order of the steps", rows)


def switch(p: PathRows) -> Section | None:
    """An analog value used as a switch: thresholds in the value and in counts, and the band in steps."""
    on, off = first(p.number("on_at")), first(p.number("off_at"))
    if np.isnan(on):
        return None
    off = on if np.isnan(off) else off
    scaling = _scaling(p)
    counts = [first(scaling.backward(p, np.array([x]))) for x in (on, off)]
    step = _step(p)
    band = abs(counts[0] - counts[1]) / step if step else float("inf")
    words = [p.text("text_1") or "on", p.text("text_0") or "off"]
    narrow = band < SENSIBLE_BAND_COUNTS
    rows = (
        Row(f"“{words[0]}” from", of_value(p, on), f"count {shown(counts[0], 0)}"),
        Row(
            f"“{words[1]}” again {'below' if on >= off else 'above'}",
            of_value(p, off),
            f"count {shown(counts[1], 0)}",
        ),
        Row(
            "band",
            f"{shown(band, 0)} steps" if step else f"{of_value(p, abs(on - off))}",
            "between them it stays as it was",
            "settle" if narrow else "",
        ),
    )
    verdict = f"{shown(band, 0)} steps apart: it will chatter" if narrow else ""
    return Section(Station.VALUE, "as a switch", rows, verdict, "settle" if narrow else "")


def numbers(p: PathRows) -> Section | None:
    """From the raw word to the value: types, conversions, and where whole numbers would lose or overflow."""
    scaling = _scaling(p)
    c0, c1, v0, v1 = (first(e) for e in scaling.point_form(p))
    if np.isnan(c0 + c1 + v0 + v1):
        return None
    module = int(p.image.module[p.rows[0]])
    layout = p.image.layout
    if module not in layout.modules:
        return None
    most, least = first(p.of_mode("most")), first(p.of_mode("least"))
    chain = chain_of(
        layout.type_of(module).word_form, p.text("value_type") or "REAL", (c0, c1), (v0, v1), (least, most),
        first(whole_factor(p.image, p.rows)),
    )  # fmt: skip
    tone: Tone = "bad" if chain.troubles else ""
    rows = [Row(step.what, step.how, step.why, "bad" if step.loses else "") for step in chain.steps]
    return Section(
        Station.COUNTS, "number types", tuple(rows), chain.troubles[0] if chain.troubles else chain.verdict, tone
    )
