"""COUNTS to VALUE: the scaling that people configure. One joint for every family that has counts to scale.

The form that was typed is what is stored: two points, slope and offset, or named factors. Empty end points of counts
follow from signal and module. A table or the sensor's curve takes the scaled figure further.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import reduce

import numpy as np
from numpy.typing import NDArray

from canaleta.core.model.field_table import FORMS
from canaleta.core.model.references import value_unit
from canaleta.core.notation.text import plain, shown
from canaleta.core.notation.units import factor_and_offset
from canaleta.core.path.joints.base import Floats, PathRows, StationWords, Working, decimals_for, or_zero
from canaleta.core.signals import laws
from canaleta.core.signals.hops_and_factors import factors_of
from canaleta.core.signals.laws import SENSOR_LAW, TABLE_LAWS, VALUE_LAW_NAMES
from canaleta.core.signals.sensors.elements import degrees, electrical
from canaleta.core.signals.signal_types import SIGNALS, Family
from canaleta.core.signals.tables import through_tables

__all__ = ["Scaling", "counts_text", "value_words"]

Ends = tuple[Floats, Floats, Floats, Floats]
_CURVES = np.array([*(s.curve for s in SIGNALS), ""], dtype=object)
_SLOPE, _FACTORS = FORMS.index("slope and offset"), FORMS.index("factors")
_FIRST_TABLE, _SENSOR = VALUE_LAW_NAMES.index(TABLE_LAWS[0]), VALUE_LAW_NAMES.index(SENSOR_LAW)


class Scaling:
    """value = v0 + law((count − c0) / (c1 − c0)) · (v1 − v0), or slope · count + offset.

    derived: the counts at the ends of a point's signal, for end points that were left empty.
    ends: for families whose values follow from the module as well, all four ends.
    """

    def __init__(
        self,
        derived: Callable[[PathRows], tuple[Floats, Floats]],
        ends: Callable[[PathRows, Ends], Ends] | None = None,
    ) -> None:
        self._derived = derived
        self._more_ends = ends

    def forward(self, p: PathRows, x: Floats) -> Floats:
        """Values at counts."""
        c0, c1, v0, v1 = self.ends(p)
        codes = p.code("value_law")
        share = laws.apply(codes, (x - c0) / (c1 - c0))
        out = v0 + laws.cut_off(codes, share, p.number("value_cutoff")) * (v1 - v0)
        sloped, slope, offset = self._sloped(p)
        if sloped.any():
            out = np.where(sloped, slope * x + offset, out)
        return _beyond_the_line(p, out, forward=True)

    def backward(self, p: PathRows, y: Floats) -> Floats:
        """Counts, not yet rounded, at values."""
        linear = _beyond_the_line(p, y, forward=False)
        c0, c1, v0, v1 = self.ends(p)
        out = c0 + laws.invert(p.code("value_law"), (linear - v0) / (v1 - v0)) * (c1 - c0)
        sloped, slope, offset = self._sloped(p)
        if sloped.any():
            out = np.where(sloped, (linear - offset) / np.where(slope == 0, np.nan, slope), out)
        return out

    def share(self, p: PathRows, x: Floats) -> Floats:
        """Share of the span at counts: 0 at the low end of the signal, 1 at the high one."""
        c0, c1, _, _ = self.ends(p)
        sloped, _, _ = self._sloped(p)
        if sloped.any():
            d0, d1 = self._derived(p)
            c0, c1 = np.where(sloped, d0, c0), np.where(sloped, d1, c1)
        return (x - c0) / (c1 - c0)

    def at_share(self, p: PathRows, share: Floats) -> Floats:
        """The value at a share of the span."""
        c0, c1, _, _ = self.ends(p)
        sloped, _, _ = self._sloped(p)
        if sloped.any():
            d0, d1 = self._derived(p)
            c0, c1 = np.where(sloped, d0, c0), np.where(sloped, d1, c1)
        return self.forward(p, c0 + share * (c1 - c0))

    def ends(self, p: PathRows) -> Ends:
        """Both end points in use: as typed, or derived where counts were left empty; NaN where there is no span."""
        return p.once(("ends", self), lambda: self._ends(p))

    def _ends(self, p: PathRows) -> Ends:
        c0, c1, v0, v1 = (p.number(f) for f in ("counts_low", "counts_high", "value_low", "value_high"))
        empty = np.isnan(c0) | np.isnan(c1)
        if empty.any():
            d0, d1 = self._derived(p)
            c0, c1 = np.where(np.isnan(c0), d0, c0), np.where(np.isnan(c1), d1, c1)
            if self._more_ends:
                c0, c1, v0, v1 = self._more_ends(p, (c0, c1, v0, v1))
        flat = (c0 == c1) | (v0 == v1)
        return np.where(flat, np.nan, c0), c1, v0, v1

    def slope_form(self, p: PathRows) -> tuple[Floats, Floats]:
        """(slope, offset) of the straight part, whichever form was typed."""
        c0, c1, v0, v1 = self.ends(p)
        slope = (v1 - v0) / (c1 - c0)
        sloped, typed, offset = self._sloped(p)
        return np.where(sloped, typed, slope), np.where(sloped, offset, v0 - slope * c0)

    def point_form(self, p: PathRows) -> Ends:
        """Two points of the straight part, whichever form was typed: at the ends of the signal."""
        c0, c1, v0, v1 = self.ends(p)
        sloped, slope, offset = self._sloped(p)
        if not sloped.any():
            return c0, c1, v0, v1
        d0, d1 = self._derived(p)
        c0, c1 = np.where(sloped, d0, c0), np.where(sloped, d1, c1)
        return c0, c1, np.where(sloped, slope * c0 + offset, v0), np.where(sloped, slope * c1 + offset, v1)

    @staticmethod
    def _sloped(p: PathRows) -> tuple[NDArray[np.bool_], Floats, Floats]:
        """Rows whose scaling is typed as slope and offset or as factors, and both figures."""
        return p.once("sloped", lambda: _slopes(p))

    def working(self, p: PathRows, x: float, y: float, forward: bool) -> Working:
        """The formula with this point's end points."""
        law = p.text("value_law")
        unit = p.text("value_unit")
        linear = float(_beyond_the_line(p, np.array([y]), forward=False)[0])
        more, source_of_more = _more_words(p, linear, y)
        sloped, slope, offset = self._sloped(p)
        if sloped[0]:
            by = f"factors {p.text('factors')}" if p.text("value_form") == "factors" else "slope and offset as typed"
            m, b = plain(float(slope[0])), plain(float(offset[0]))
            if not forward:
                return Working("count = (value − offset) / slope, rounded",
                               f"({shown(linear, 4)} − {b}) / {m} → {shown(x, 0)}", by + source_of_more)  # fmt: skip
            return Working("value = slope · count + offset" + more[0],
                           f"{m} · {counts_text(x)} + {b} = {shown(linear, 4)}{more[1] or f' {unit}'}".rstrip(),
                           by + source_of_more)  # fmt: skip
        c0, c1, v0, v1 = (counts_text(round(float(e[0]), 6)) for e in self.ends(p))
        root = law == "square root"
        fraction = f"({shown(x, 1).removesuffix('.0')} − {c0}) / ({c1} − {c0})"
        share = f"√[{fraction}]" if root else fraction
        typed = p.text("counts_low") and p.text("counts_high")
        whose = "end points as typed in the list" if typed else "counts as signal and module make them"
        source = f"{whose}: {c0} → {v0}, {c1} → {v1}{source_of_more}"
        if root and y == float(self.ends(p)[2][0]) and p.text("value_cutoff"):
            source += f"; below {p.text('value_cutoff')} % of the root it is taken as none"
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


def _product(text: str | None) -> float:
    return reduce(lambda a, f: a * f.factor, factors_of(text), 1.0) if text else float("nan")


def _slopes(p: PathRows) -> tuple[NDArray[np.bool_], Floats, Floats]:
    form = p.code("value_form")
    chained = form == _FACTORS
    sloped = np.asarray((form == _SLOPE) | chained, dtype=bool)
    if not sloped.any():
        nothing = np.full(len(p), np.nan)
        return sloped, nothing, nothing
    slope, offset = p.number("slope"), or_zero(p.number("offset"))
    if chained.any():
        texts = p.cells("factors")
        products = {text: _product(text) for text in set(texts[chained])}
        product = [products[texts[at]] if chained[at] else np.nan for at in range(len(p))]
        slope = np.where(chained, product, slope)
    return sloped, slope, offset


def _beyond_the_line(p: PathRows, x: Floats, forward: bool) -> Floats:
    """The table or the sensor's curve behind the straight part; backwards, the straight part's figure."""
    codes = p.code("value_law")
    rows = np.flatnonzero(codes >= _FIRST_TABLE)
    if not len(rows):
        return x
    out = np.array(x, dtype=np.float64, copy=True)
    tabled = rows[codes[rows] != _SENSOR]
    if len(tabled):
        texts = p.cells("value_table")[tabled].tolist()
        out[tabled] = through_tables(texts, codes[tabled] > _FIRST_TABLE, x[tabled], forward)
    sensor = np.flatnonzero(codes == _SENSOR)
    if len(sensor):
        out[sensor] = _through_sensor(p, sensor, x[sensor], forward)
    return out


def _through_sensor(p: PathRows, rows: NDArray[np.int64], x: Floats, forward: bool) -> Floats:
    """Ω or mV to the value's unit of temperature; a thermocouple's cold junction is added in mV first."""
    names = _CURVES[p.code("signal")[rows]]
    tables = p.cells("curve_table")[rows]
    junction = np.nan_to_num(electrical(names, junction_degc(p)[rows]))
    thermal = p.image.family[p.rows[rows]] == Family.THERMOCOUPLE
    junction = np.where(thermal, junction, 0.0)
    pairs = [factor_and_offset("°C", unit or "°C") or (np.nan, np.nan) for unit in p.cells("value_unit")[rows]]
    factor, offset = np.array(pairs).reshape(-1, 2).T
    if forward:
        return np.asarray(degrees(names, x + junction, tables) * factor + offset, dtype=np.float64)
    return np.asarray(electrical(names, (x - offset) / factor, tables) - junction, dtype=np.float64)


def junction_degc(p: PathRows) -> Floats:
    """The temperature that compensation takes for the cold junction's, °C."""
    ambient = np.full(len(p), p.conventions.cabinet_ambient_degc)
    typed = p.number("junction_degc")
    elsewhere = p.chosen("junction", "remote sensor") | p.chosen("junction", "fixed")
    return np.where(elsewhere & ~np.isnan(typed), typed, ambient)


def _more_words(p: PathRows, linear: float, value: float) -> tuple[tuple[str, str], str]:
    law, unit = p.text("value_law"), p.text("value_unit")
    if law in TABLE_LAWS:
        kind = "monotone cubic" if law != "table" else "straight lines"
        return ((", through the table", f" → {shown(value, 4)} {unit}".rstrip()),
                f"; table as typed, {kind} between its points")  # fmt: skip
    if law == SENSOR_LAW:
        return ((", through the sensor's curve", f" → {shown(value, 3)} {unit}".rstrip()),
                f"; curve of {p.text('signal')}")  # fmt: skip
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
