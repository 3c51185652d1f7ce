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
from canaleta.core.notation.arrays import Bools, Floats
from canaleta.core.notation.units import factor_and_offset
from canaleta.core.path.joints.base import PathRows, or_zero
from canaleta.core.signals import laws
from canaleta.core.signals.hops_and_factors import factors_of
from canaleta.core.signals.laws import SENSOR_LAW, TABLE_LAWS, VALUE_LAW_NAMES
from canaleta.core.signals.sensors.elements import degrees, electrical
from canaleta.core.signals.signal_types import SIGNALS, Family
from canaleta.core.signals.tables import through_tables

__all__ = ["Scaling"]

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
        x = p.as_specified(x)
        c0, c1, v0, v1 = self.ends(p)
        codes = p.code("value_law")
        share = laws.apply(codes, (x - c0) / (c1 - c0))
        out = v0 + laws.cut_off(codes, share, self.cut_off(p, v0, v1)) * (v1 - v0)
        sloped, slope, offset = self.sloped(p)
        if sloped.any():
            out = np.where(sloped, slope * x + offset, out)
        return beyond_the_line(p, out, forward=True)

    def backward(self, p: PathRows, y: Floats) -> Floats:
        """Counts, not yet rounded, at values."""
        linear = beyond_the_line(p, y, forward=False)
        c0, c1, v0, v1 = self.ends(p)
        out = c0 + laws.invert(p.code("value_law"), (linear - v0) / (v1 - v0)) * (c1 - c0)
        sloped, slope, offset = self.sloped(p)
        if sloped.any():
            out = np.where(sloped, (linear - offset) / np.where(slope == 0, np.nan, slope), out)
        return p.as_counted(out)

    @staticmethod
    def cut_off(p: PathRows, v0: Floats, v1: Floats) -> Floats:
        """The share of the root below which the value is at its low end; NaN for no cut-off."""
        figure = p.number("value_cutoff")
        return laws.cut_off_share(figure, p.code("value_cutoff_in"), (figure - v0) / (v1 - v0))

    def share(self, p: PathRows, x: Floats) -> Floats:
        """Share of the span at counts: 0 at the low end of the signal, 1 at the high one."""
        x = p.as_specified(x)
        c0, c1, _, _ = self.ends(p)
        sloped, _, _ = self.sloped(p)
        if sloped.any():
            d0, d1 = self._derived(p)
            c0, c1 = np.where(sloped, d0, c0), np.where(sloped, d1, c1)
        return (x - c0) / (c1 - c0)

    def at_share(self, p: PathRows, share: Floats) -> Floats:
        """The value at a share of the span."""
        c0, c1, _, _ = self.ends(p)
        sloped, _, _ = self.sloped(p)
        if sloped.any():
            d0, d1 = self._derived(p)
            c0, c1 = np.where(sloped, d0, c0), np.where(sloped, d1, c1)
        return self.forward(p, c0 + share * (c1 - c0))

    def ends(self, p: PathRows) -> Ends:
        """Both end points by the data sheet: as typed, or derived where counts were left empty; NaN where there is no span.
        A channel that was trimmed counts otherwise: `ends_counted`."""
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

    def ends_counted(self, p: PathRows) -> Ends:
        """Both end points as the channel counts them: those in use where it was trimmed, else the same as `ends`."""
        c0, c1, v0, v1 = self.ends(p)
        return p.as_counted(c0), p.as_counted(c1), v0, v1

    def slope_form(self, p: PathRows) -> tuple[Floats, Floats]:
        """(slope, offset) of the straight part by the data sheet, whichever form was typed."""
        c0, c1, v0, v1 = self.ends(p)
        slope = (v1 - v0) / (c1 - c0)
        sloped, typed, offset = self.sloped(p)
        return np.where(sloped, typed, slope), np.where(sloped, offset, v0 - slope * c0)

    def point_form(self, p: PathRows) -> Ends:
        """Two points of the straight part, whichever form was typed: at the ends of the signal."""
        c0, c1, v0, v1 = self.ends(p)
        sloped, slope, offset = self.sloped(p)
        if not sloped.any():
            return c0, c1, v0, v1
        d0, d1 = self._derived(p)
        c0, c1 = np.where(sloped, d0, c0), np.where(sloped, d1, c1)
        return c0, c1, np.where(sloped, slope * c0 + offset, v0), np.where(sloped, slope * c1 + offset, v1)

    @staticmethod
    def sloped(p: PathRows) -> tuple[Bools, Floats, Floats]:
        """Rows whose scaling is typed as slope and offset or as factors, and both figures."""
        return p.once("sloped", lambda: _slopes(p))


def _product(text: str | None) -> float:
    return reduce(lambda a, f: a * f.factor, factors_of(text), 1.0) if text else float("nan")


def _slopes(p: PathRows) -> tuple[Bools, Floats, Floats]:
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


def beyond_the_line(p: PathRows, x: Floats, forward: bool) -> Floats:
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
    """The temperature that compensation takes for the cold junction's, °C: of a sensor elsewhere as typed, else what the
    module measures, else the cabinet's."""
    measured = p.measured_junction_degc
    ambient = np.where(np.isnan(measured), p.ambient_degc, measured)
    typed = p.number("junction_degc")
    elsewhere = p.chosen("junction", "remote sensor") | p.chosen("junction", "fixed")
    return np.where(elsewhere & ~np.isnan(typed), typed, ambient)
