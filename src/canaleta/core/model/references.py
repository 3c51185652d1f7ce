"""What a unit is counted from: gauge or absolute pressure, the conditions of a normal volume, the water of a column.

UCUM has codes for none of these, so they are fields of their own beside the unit; two sides that name different ones
do not compare as they stand.
"""

from __future__ import annotations

from canaleta.core.model.image import PlantImage
from canaleta.core.notation.units import factor_and_offset, find_unit
from canaleta.core.signals.signal_types import Family

__all__ = ["WATER_DENSITY", "asks_reference", "between_units", "value_unit"]

_ABSOLUTE_ZERO_K = 273.15
_STANDARD_DEGC = 15.0
WATER_DENSITY = {"water at 4 °C": 999.972, "water at 20 °C": 998.203}
"""Density of water in kg/m³ (IAPWS); the conventional column of the units table is that of 1000 kg/m³."""
_VOLUMES = ("volume flow", "normal volume flow", "volume")


def asks_reference(unit: str) -> tuple[str, ...]:
    """The references that a unit can be said with; empty where it needs none."""
    found = find_unit(unit)
    if found is None:
        return ()
    if "H2O" in found.code or "H₂O" in found.shown:
        return ("water at 4 °C", "water at 20 °C")
    if found.quantity == "pressure":
        return ("gauge", "absolute")
    return ("normal, 0 °C", "standard, 15 °C") if found.quantity == "normal volume flow" else ()


def between_units(image: PlantImage, row: int, of: str, into: str) -> tuple[float, float] | None:
    """(factor, offset) from the device's unit and reference to the value's, None where they do not compare.

    Gauge and absolute differ by the plant's air pressure; volumes at 0 °C and 15 °C, at one pressure, by their
    absolute temperatures; columns of water by its density.
    """
    pair = factor_and_offset(of, into)
    if pair is None:
        return None
    factor, offset = pair
    one, other = image.text("device_reference", row), image.text("value_reference", row)
    for side, up in ((one, True), (other, False)):
        if side in WATER_DENSITY:
            share = WATER_DENSITY[side] / 1000.0
            factor = factor * share if up else factor / share
    if {one, other} == {"gauge", "absolute"}:
        air = factor_and_offset("bar", into)
        if air is None:
            return None
        offset += image.conventions.ambient_bar * air[0] * (1.0 if one == "gauge" else -1.0)
    if {one, other} == {"normal, 0 °C", "standard, 15 °C"}:
        warmer = (_ABSOLUTE_ZERO_K + _STANDARD_DEGC) / _ABSOLUTE_ZERO_K
        factor *= warmer if one == "normal, 0 °C" else 1.0 / warmer
    return factor, offset


def value_unit(image: PlantImage, row: int) -> str:
    """The unit of VALUE: as typed; a temperature without one is in °C."""
    typed = image.text("value_unit", row)
    thermal = image.family[row] in (Family.THERMOCOUPLE, Family.RESISTANCE)
    return typed or ("°C" if thermal else "")
