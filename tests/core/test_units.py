"""Units: factors from the library, quantities of our own, spellings of the trade."""

import pint
import pytest

from canaleta.core.notation.text import TextError
from canaleta.core.notation.units import convert, factor_and_offset, read_unit, units


@pytest.mark.parametrize(
    ("value", "of", "into", "becomes"),
    [
        (64.2, "°C", "°F", 147.56),
        (1, "bar", "mbar", 1000),
        (1, "mH₂O", "Pa", 9806.65),
        (3600, "m³/h", "m³/s", 1),
        (0, "°C", "K", 273.15),
        (60, "rpm", "Hz", None),
        (1, "psi", "Pa", 6894.757),
        (1, "t/h", "kg/h", 1000),
    ],
)
def test_conversions(value: float, of: str, into: str, becomes: float | None) -> None:
    if becomes is None:
        assert factor_and_offset(of, into) is None
    else:
        assert convert(value, of, into) == pytest.approx(becomes, rel=1e-6)


def test_different_quantities_do_not_convert() -> None:
    with pytest.raises(ValueError, match="same quantity"):
        convert(1, "mbar", "m³/h")
    assert factor_and_offset("m³/h", "Nm³/h") is None, "a normal volume is not a volume"


def test_every_figure_of_the_table_is_the_librarys() -> None:
    """Nothing of ours loads the units library to convert; its factors stand in the table, to the last digit."""
    registry = pint.UnitRegistry(autoconvert_offset_to_baseunit=True)
    for unit in units():
        quantity = registry.parse_expression(unit.expression)
        known = quantity.units if hasattr(quantity, "units") else registry.dimensionless
        scale = float(getattr(quantity, "magnitude", quantity))
        zero, one = (float(registry.Quantity(x, known).to_base_units().magnitude) for x in (0.0, 1.0))
        assert (unit.factor, unit.offset) == pytest.approx(((one - zero) * scale, zero), rel=1e-14), unit.shown


def test_units_of_one_quantity_convert_into_each_other() -> None:
    for unit in units():
        assert factor_and_offset(unit.shown, unit.shown) == (1.0, 0.0)
        others = [u for u in units() if u.quantity == unit.quantity]
        assert all(factor_and_offset(unit.shown, other.shown) is not None for other in others)


def test_case_matters_only_where_it_tells_units_apart() -> None:
    assert read_unit("MBAR").shown == "mbar"
    assert read_unit("mA").shown == "mA"
    with pytest.raises(TextError, match="MPa"):
        read_unit("mPax")


def test_a_difference_of_temperatures_is_no_temperature() -> None:
    """10 °C more is 18 °F more, and 10 °C is 50 °F; neither converts into the other."""
    assert convert(10, "Δ°C", "Δ°F") == pytest.approx(18)
    assert convert(10, "°C", "°F") == pytest.approx(50)
    assert factor_and_offset("Δ°C", "°C") is None


@pytest.mark.parametrize(
    ("value", "of", "into", "result"),
    [(1, "inH₂O", "mbar", 2.4908891), (760, "mmHg", "atm", 1.0), (1, "gal/min", "l/min", 3.785411784),
     (1, "kgf/cm²", "bar", 0.980665), (1, "ft³/min", "m³/h", 1.699010796), (3.6, "km/h", "m/s", 1.0), (1, "lb", "kg", 0.45359237),
     (1, "kWh", "MJ", 3.6), (1, "g/cm³", "kg/m³", 1000), (64.2, "°C", "°F", 147.56), (1, "µS/cm", "mS/cm", 0.001)],
)  # fmt: skip
def test_units_by_their_definitions(value: float, of: str, into: str, result: float) -> None:
    assert convert(value, of, into) == pytest.approx(result, rel=1e-6)
