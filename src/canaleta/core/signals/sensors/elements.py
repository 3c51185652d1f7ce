"""Temperature elements of any kind, many at once: °C to what the element gives, and back.

An element is named as points and modes name it: a thermocouple letter, a resistance curve, or "own" with a table.
"""

from __future__ import annotations

import numpy as np

from canaleta.core.notation.arrays import Floats, Names
from canaleta.core.signals.sensors.resistance import resistance_curve, resistance_curves
from canaleta.core.signals.sensors.thermocouples import thermocouple, thermocouple_letters
from canaleta.core.signals.tables import table_of, through_tables

__all__ = ["degrees", "electrical", "span_degc"]


def electrical(names: Names, degc: Floats, tables: Names | None = None) -> Floats:
    """mV or Ω of each element at each temperature; NaN outside its range or where it has no name.

    tables: the typed tables of elements named "own", °C and Ω.
    """
    return _each(names, degc, tables, forward=True)


def degrees(names: Names, x: Floats, tables: Names | None = None) -> Floats:
    """The inverse of `electrical`; for type B below 42 °C the higher of the two."""
    return _each(names, x, tables, forward=False)


def _each(names: Names, x: Floats, tables: Names | None, forward: bool) -> Floats:
    out = np.full(x.shape, np.nan)
    for name in dict.fromkeys(names.tolist()):
        mask = names == name
        if name in thermocouple_letters():
            element = thermocouple(name)
            out[mask] = element.emf_mv(x[mask]) if forward else element.temperature_degc(x[mask])
        elif name in resistance_curves():
            curve = resistance_curve(name)
            out[mask] = curve.ohm(x[mask]) if forward else curve.temperature_degc(x[mask])
        elif name == "own" and tables is not None:
            out[mask] = _own(tables[mask].tolist(), x[mask], forward)
    return out


def _own(texts: list[str | None], x: Floats, forward: bool) -> Floats:
    found = through_tables(texts, np.zeros(len(texts), dtype=bool), x, forward)
    ends = {text: span_degc("own", text) for text in set(texts)}
    low, high = np.array([ends[text] for text in texts], dtype=np.float64).reshape(-1, 2).T
    degc = x if forward else found
    with np.errstate(invalid="ignore"):
        return np.where((degc >= low) & (degc <= high), found, np.nan)


def span_degc(name: str, table: str | None = None) -> tuple[float, float]:
    """The range of an element in °C; NaN where it has none."""
    if name in thermocouple_letters():
        element = thermocouple(name)
        return element.low_degc, element.high_degc
    if name in resistance_curves():
        curve = resistance_curve(name)
        return curve.low_degc, curve.high_degc
    if table:
        points = table_of(table, cubic=False).points
        return points[0][0], points[-1][0]
    return float("nan"), float("nan")
