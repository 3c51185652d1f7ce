"""Loops, shunts, accuracy, resolution and number types by hand."""

import math

import pytest
from tests.building.words import mode, path_of, plant_of

from canaleta.core.model.image import PlantImage
from canaleta.core.path.facts import Section, facts_of
from canaleta.core.signals.accuracy import Share, root_sum_square
from canaleta.core.signals.converters import WordForm
from canaleta.core.signals.loops import cable_ohm, loop_budget
from canaleta.core.signals.plc_types import chain_of

CURRENT = {"signal": "4–20 mA", "low": 0, "high": 10, "unit": "bar"}
BARS = {"low": 0, "high": 10, "unit": "bar"}


def section(plant: PlantImage, title: str) -> Section:
    return next(s for s in facts_of(plant, 0) if s.title == title)


def rows(found: Section) -> dict[str, str]:
    return {row.label: row.figure for row in found.rows}


def test_three_hundred_metres_of_cable() -> None:
    """IEC 60228, 0.75 mm², there and back: 2 · 0.3 km · 24.5 Ω/km = 14.7 Ω at 20 °C, 17.6 Ω at 70 °C."""
    assert cable_ohm(300, 0.75, 20)[0] == pytest.approx(14.7)
    assert cable_ohm(300, 0.75, 70)[0] == pytest.approx(17.6, abs=0.05)


def test_the_greatest_loop_resistance() -> None:
    """20.4 V least supply, 10.5 V lift-off → 450 Ω at 22 mA."""
    budget = loop_budget(20.4, 10.5, 250)
    assert budget.greatest_ohm == pytest.approx(450)
    assert budget.over_device_v == pytest.approx((19.4, 15.4, 14.9))
    assert budget.margin_v == pytest.approx(4.4)
    assert budget.longest_m == pytest.approx(200 / (2 * 0.0245 * (1 + 0.00393 * 50)))


def test_the_design_current_is_the_larger_of_22_and_the_devices_failure() -> None:
    for failure, margin in ((21.6, 20.4 - 0.022 * 100 - 12), (23.0, 20.4 - 0.023 * 100 - 12)):
        plant = path_of(
            device={**CURRENT, "lift_off_v": 12, "failure_ma": failure},
            loop={"supply": "module"},
            input=mode("mA", (4, 20), (0, 32000), burden_ohm=100),
            value=BARS,
        )
        assert rows(section(plant, "loop"))["margin over lift-off"] == f"{margin:.2f} V"


def test_hart_needs_230_ohm() -> None:
    plant = path_of(
        device=CURRENT,
        loop={"supply": "module", "hart": "yes"},
        input={"module": "ai8-ui", "mode": "4–20 mA"},
        value=BARS,
    )
    found = section(plant, "loop")
    assert (found.tone, found.verdict) == ("bad", "HART needs 130 Ω more in the loop")


@pytest.mark.parametrize(
    ("supply", "wires", "sources"),
    [("module", 2, "one"), ("own 24 V", 4, "one"), ("own 24 V", 2, "two"), ("none", 2, "none")],
)
def test_exactly_one_source(supply: str, wires: int, sources: str) -> None:
    plant = path_of(
        device=CURRENT,
        loop={"supply": supply, "wires": wires},
        input={"module": "ai8-ui", "mode": "4–20 mA"},
        value=BARS,
    )
    assert rows(section(plant, "loop"))["sources"] == sources


def test_a_shunt_of_500_ohm_leaves_no_headroom() -> None:
    """500 Ω · (22 mA)² = 0.242 W; 1 % of 20 mA over 16 mA is 1.25 % of span."""
    plant = path_of(device=CURRENT, loop={"shunt_ohm": 500, "shunt_percent": 1}, input=mode(), value=BARS)
    found = section(plant, "shunt")
    assert found.verdict == "clips at 20.0 mA, failure high cannot be seen"
    assert rows(found)["power at 22 mA"] == "0.242 W"
    assert rows(found)["tolerance at 20 mA"] == "±1.25 % of span"


def test_a_shunt_of_250_ohm_uses_two_fifths_of_the_counts() -> None:
    plant = path_of(device=CURRENT, loop={"shunt_ohm": 250}, input=mode(), value=BARS)
    found = section(plant, "shunt")
    basis = next(r.basis for r in found.rows if r.label == "counts from end to end")
    assert (found.tone, basis) == ("", "40.0 % of the converter's span")


def test_limits_of_ne_43_where_the_module_stops_too_early() -> None:
    found = section(plant_of("4–20 mA, 0…10 bar, shows 0…10 bar"), "saturated or failed (NE 43)")
    assert found.verdict == "a failure high cannot be seen: the count stops before it"
    roomy = path_of(device=CURRENT, input=mode("mA", (4, 20), (0, 10000), least=-2500, most=32767), value=BARS)
    assert section(roomy, "saturated or failed (NE 43)").verdict == "every limit can be seen"
    assert (
        rows(section(roomy, "saturated or failed (NE 43)"))["failed high, at or above 21.0 mA"].startswith(
            "21.000 mA"
        )
        is False
    )


def test_units_per_count_by_the_real_step() -> None:
    """12 bits in 0…32 000 move by 8: 10 bar / 32 000 · 8 = 0.0025 bar."""
    plant = path_of(device=CURRENT, input=mode("mA", (4, 20), (0, 32000), step=8), value=BARS)
    found = rows(section(plant, "resolution"))
    assert found["a step of the converter"] == "0.002500 bar"
    assert found["steps in the span"] == "4\u202f000"


def test_limits_join_as_a_root_of_squares() -> None:
    shares = [Share("a", 3.0, ""), Share("b", 4.0, "")]
    assert root_sum_square(shares) == 5.0
    assert [s.part_of(5.0) for s in shares] == pytest.approx([0.36, 0.64])


def test_the_budget_of_a_loop() -> None:
    """0.2 % of 10 bar; 0.1 % of 20 mA over 16 mA: 0.0125 bar; 0.05 % of the module's 20 mA over 16: 0.00625; half a
    step."""
    plant = path_of(
        device={**CURRENT, "accuracy": 0.2},
        loop={"shunt_ohm": 250, "shunt_percent": 0.1},
        input=mode("V", (0, 5), (0, 32000), accuracy_percent=0.05),
        value={**BARS, "decimals": 5},
    )
    together = math.sqrt(0.02**2 + 0.0125**2 + 0.00625**2 + (12.5 / 32000 / 2) ** 2)
    assert rows(section(plant, "accuracy"))["together"] == f"±{together:.6f} bar"


def test_platinum_of_class_b_carries_its_class_into_the_budget() -> None:
    """±(0.3 + 0.005 · 250) = ±1.55 °C at 250 °C."""
    plant = path_of(
        device={"signal": "Pt100", "low": 0, "high": 250, "unit": "°C", "tolerance_class": "B"},
        input={"module": "rtd6", "mode": "Pt100, 0.1 °C"},
        value={"low": 0, "high": 250, "unit": "°C"},
    )
    assert rows(section(plant, "accuracy"))["element"] == "±1.55 °C"


def test_an_integer_value_loses_more_than_a_thousandth() -> None:
    chain = chain_of(WordForm(), "INT", (0, 27000), (0, 100), (-5000, 32500))
    assert chain.troubles == ("as INT the value moves by 1: 1.00 % of its span is cut off",)
    assert [s.how for s in chain.steps][:2] == ["INT", "INT_TO_REAL(raw)"]


def test_a_value_may_outgrow_its_type() -> None:
    chain = chain_of(WordForm(), "INT", (0, 10000), (0, 32000), (0, 32767))
    assert "reaches" in chain.troubles[0]


def test_the_product_of_whole_numbers_overflows() -> None:
    """32 767 · 500 = 16 383 500 does not fit INT; 100 000 · 50 000 not even DINT."""
    assert "overflows INT, needs DINT" in chain_of(WordForm(), "REAL", (0, 32000), (0, 500), (0, 32767)).steps[-1].how
    wide = chain_of(WordForm(bits=32), "REAL", (0, 100000), (0, 50000), (0, 100000))
    assert "overflows even DINT" in wide.steps[-1].how


def test_counts_beyond_24_bits_need_long_reals() -> None:
    chain = chain_of(WordForm(bits=32, coding="unsigned"), "REAL", (0, 1e9), (0, 1e6), (0, 4e9))
    assert "UDINT_TO_LREAL(raw)" in [s.how for s in chain.steps]


def test_the_root_taken_twice_is_told() -> None:
    plant = path_of(
        device={**CURRENT, "law": "square root"},
        input=mode("mA", (4, 20), (0, 10000)),
        value={**BARS, "law": "square root"},
    )
    assert section(plant, "square root").verdict == "the root is taken twice"


def test_switching_points_in_counts_and_a_band_too_narrow() -> None:
    """5 bar of 10 over 0…32 000 is count 16 000; 0.002 bar are 6 counts: too few."""
    plant = path_of(
        device=CURRENT,
        input=mode("mA", (4, 20), (0, 32000)),
        value={**BARS, "on_at": 5, "off_at": 4.998, "decimals": 3},
    )
    found = section(plant, "as a switch")
    assert found.rows[0].basis == "count 16\u202f000"
    assert found.verdict == "6 steps apart: it will chatter"


def test_every_fact_of_the_demo_plant_has_words() -> None:
    from canaleta.catalogue.demo import demo_plant, layout_of
    from canaleta.plant.changes.seed import stored_row

    plant = demo_plant()
    layout = layout_of(plant)
    empty = PlantImage.of_rows([{}], layout)
    image = PlantImage.of_rows([stored_row(empty, p) for p in plant.points], layout)
    for row in range(len(image)):
        for found in facts_of(image, row):
            assert found.title
            for line in found.rows:
                assert line.label
                assert line.figure, (image.label(row), found.title, line.label)
                assert "nan" not in f"{line.figure}{line.basis}{found.verdict}".lower()


def test_behind_a_table_a_step_is_what_it_is_where_the_table_is_steepest() -> None:
    """0…5 m over 5000 counts; the steepest piece rises by 6 m³ for 1 m: 0.001 m are 0.006 m³."""
    plant = path_of(
        device={"signal": "0–10 V", "low": 0, "high": 5, "unit": "m"},
        input=mode(counts=(0, 5000)),
        value={"low": 0, "high": 5, "law": "table", "table": "0 0; 1 3; 2 9; 5 12", "unit": "m³"},
    )
    assert rows(section(plant, "resolution"))["a step of the converter"] == "0.006000 m³"


def test_behind_a_sensors_curve_a_step_is_told_in_degrees() -> None:
    """400 Ω over 4000 counts: 0.1 Ω a count; Pt100 rises least at its hot end, 0.2929 Ω/°C at 850 °C, 0.34 °C."""
    plant = path_of(
        device={"signal": "Pt100"},
        input=mode("Ω", (0, 390), (0, 3900), family="resistance"),
        value={"law": "sensor curve", "unit": "°C"},
    )
    step = rows(section(plant, "resolution"))["a step of the converter"]
    assert float(step.split()[0]) == pytest.approx(0.1 / 0.2929, abs=0.005)


def test_what_follows_the_supply_is_listed_at_its_least_and_greatest() -> None:
    """8 and 14 V at 24 V are 6.8 and 11.9 V at 20.4; 10 V full scale are 8.5 V, over 1000 counts 8.5
    mV."""
    discrete = mode("V", (0, 24), (0, 1), family="contact", off_below_v=8, on_from_v=14, follows_supply=True)
    switch = path_of(device={"signal": "contact NO"}, input=discrete)
    assert rows(section(switch, "moves with the supply"))["supply least, 20.4 V"] == "off below 6.8 V, on from 11.9 V"
    analog = path_of(
        device={"signal": "0–10 V", "low": 0, "high": 10, "unit": "bar"},
        input=mode(counts=(0, 1000), follows_supply=True),
        value=BARS,
    )
    assert (
        rows(section(analog, "moves with the supply"))["supply least, 20.4 V"]
        == "full scale 8.50 V, 8.500 mV a count"
    )
