"""Resistance thermometers: the standards' own figures, the true inverse, and what leads do."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from canaleta.core.signals.sensors.resistance import lead_share_ohm, resistance_curve, resistance_curves

PT100 = resistance_curve("pt100")


@pytest.mark.parametrize(
    ("degc", "ohm"),
    # IEC 60751:2022, by its polynomial at −50, 24, 75, 150 and 400 °C; the others stand in its table.
    [(-200, 18.52), (-50, 80.3063), (0, 100.0), (24, 109.3467), (75, 128.9874), (100, 138.5055), (150, 157.3251),
     (400, 247.0920), (850, 390.48)],
)  # fmt: skip
def test_pt100_has_the_ohms_of_the_standard(degc: float, ohm: float) -> None:
    decimals = len(repr(ohm).split(".")[1])
    assert float(PT100.ohm(degc)) == pytest.approx(ohm, abs=0.6 * 10**-decimals)


@pytest.mark.parametrize(
    ("name", "degc", "ohm"),
    [
        ("pt1000", 75, 1289.874),
        ("pt500", 150, 786.6255),
        ("pt100-3916", 100, 139.152),  # 1 + 0.39739 − 0.00587
        ("pt100-3910", 100, 139.1059),  # 1 + 0.39690 − 0.005841
        ("ni100", 100, 161.78),  # ratio 1.6178 by definition
        ("ni1000", -60, 695.2),
        ("cu100", 100, 142.8),  # ratio 1.428 by definition
        ("cu50", 200, 92.8),
        ("cu10", 25, 10.0),
        ("cu10", 0, 9.035),
    ],
)
def test_the_other_curves_have_their_defining_figures(name: str, degc: float, ohm: float) -> None:
    assert float(resistance_curve(name).ohm(degc)) == pytest.approx(ohm, rel=5e-5)


@pytest.mark.parametrize("name", resistance_curves())
@given(share=st.floats(0, 1))
def test_there_and_back_is_the_same_temperature_over_the_whole_range(name: str, share: float) -> None:
    curve = resistance_curve(name)
    degc = curve.low_degc + share * (curve.high_degc - curve.low_degc)
    assert float(curve.temperature_degc(curve.ohm(degc))) == pytest.approx(degc, abs=0.0005)


@pytest.mark.parametrize("name", resistance_curves())
def test_a_curve_rises_all_the_way_and_tells_its_source(name: str) -> None:
    curve = resistance_curve(name)
    ohms = curve.ohm(np.linspace(curve.low_degc, curve.high_degc, 5001))
    assert (np.diff(ohms) > 0).all()
    assert curve.source
    assert np.isnan(curve.ohm([curve.low_degc - 0.1, curve.high_degc + 0.1])).all()


@pytest.mark.parametrize(("degc", "high"), [(0, 7.68), (75, 7.86), (250, 8.30)])
def test_two_leads_of_one_and_a_half_ohm_read_high(degc: float, high: float) -> None:
    """By hand at 0 °C: 103 = 100 + 0.39083·t − 5.775e-5·t², t = 3/0.39083 + 5.775e-5·7.68²/0.39083 = 7.685 °C."""
    read = float(PT100.temperature_degc(PT100.ohm(degc) + lead_share_ohm(2, 1.5)))
    assert read - degc == pytest.approx(high, abs=0.005)


def test_three_and_four_wires_take_equal_leads_away() -> None:
    assert [lead_share_ohm(wires, 1.5) for wires in (2, 3, 4)] == [3.0, 0.0, 0.0]
    for wires, lead in ((5, 1.0), (2, -1.0)):
        with pytest.raises(ValueError):
            lead_share_ohm(wires, lead)
