"""Findings: each rule where it speaks, where it must not, and at the edge."""

import pytest
from tests.building.words import plant_of

from canaleta.core.model.fields import Landing, field_named
from canaleta.core.model.image import PlantImage
from canaleta.core.rules import RULES, Finding, audit, audit_change
from canaleta.plant.database.cells import read


def found(plant: PlantImage, rule: str) -> list[Finding]:
    return [finding for finding in audit(plant) if finding.rule == rule]


def settled(plant: PlantImage, finding: Finding, fix: int = 0) -> PlantImage:
    changes = {}
    for cell, text in finding.fixes[fix].edits:
        row = plant.row_of(cell.point)
        values = read(plant, row, field_named(cell.field), text)
        changes |= {(row, name): value for name, value in values.items()}
    return plant.with_cells(changes)


def test_a_scaling_that_is_not_the_devices_range_says_what_is_read_and_what_is_true() -> None:
    (finding,) = found(plant_of("4–20 mA, 0…600 mbar, shows 0…500 mbar"), "R07")
    assert "at 12 mA the list shows 250.0 mbar where the pipe holds 300.0" in finding.text


@pytest.mark.parametrize("way", [0, 1])
def test_either_way_of_settling_it_settles_it(way: int) -> None:
    plant = plant_of("4–20 mA, 0…600 mbar, shows 0…500 mbar")
    assert audit(settled(plant, audit(plant)[0], way)) == []


@pytest.mark.parametrize(
    "sentence",
    [
        "4–20 mA, 0…600 mbar, shows 0…600 mbar",
        "4–20 mA, 0…100 mbar, shows 0…10.00 kPa",
        "4–20 mA, 0…25 mbar, shows 0…6500 m³/h, by square root",
        "4–20 mA, 0…2 m, shows 0…14 m³/h",
        "TC K, 0…1200 °C, shows 0…1200 °C",
        "4–20 mA, 0…600 mbar",
        "4–20 mA, 100…0 %, shows 100…0 %, reverse",
        "contact NC",
    ],
)
def test_on_a_correct_point_there_is_not_one_finding(sentence: str) -> None:
    assert audit(plant_of(sentence)) == []


@pytest.mark.parametrize(("high", "speaks"), [("600.5", False), ("600.7", True)])
def test_agreement_ends_at_a_thousandth_of_span(high: str, speaks: bool) -> None:
    """0.1 % of 600 mbar is 0.6 mbar; the top check point is off by 0.5 and by 0.7."""
    assert bool(found(plant_of(f"4–20 mA, 0…600 mbar, shows 0…{high} mbar"), "R07")) is speaks


def test_a_thermocouple_scaled_for_another_resolution_is_found() -> None:
    plant = plant_of("TC K, 0…1200 °C, shows 0…120 °C")
    (finding,) = found(plant, "R07")
    assert "60" in finding.text
    assert audit(settled(plant, finding)) == []


def test_a_scaling_upside_down_is_one_finding_not_two() -> None:
    plant = plant_of("4–20 mA, -50…50 Pa, shows 50…-50 Pa")
    (finding,) = audit(plant)
    assert finding.rule == "R11"
    assert "upside down" in finding.text
    assert audit(settled(plant, finding)) == []


def test_a_device_upside_down_may_be_meant() -> None:
    plant = plant_of("4–20 mA, 100…0 %, shows 100…0 %")
    (finding,) = audit(plant)
    assert finding.rule == "R11"
    assert audit(settled(plant, finding, 0)) == []
    assert audit(settled(plant, finding, 1)) == []


def test_said_to_be_reverse_and_not_is_found() -> None:
    plant = plant_of("4–20 mA, 0…100 %, shows 0…100 %, reverse")
    (finding,) = audit(plant)
    assert "said to be reverse" in finding.text
    assert audit(settled(plant, finding, 0)) == []
    assert audit(settled(plant, finding, 1)) == []


def test_a_range_without_span_is_bad() -> None:
    (finding,) = found(plant_of("4–20 mA, 5…5 bar"), "R11")
    assert finding.severity == "bad"


def test_two_points_with_one_tag_whatever_its_case() -> None:
    plant = plant_of("ZS-1: contact NO", "zs-1: contact NO", "ZS-2: contact NO")
    (finding,) = audit(plant)
    assert finding.points == (1, 2)
    assert audit(settled(plant, finding)) == []


def test_two_claims_on_a_channel_name_both_and_offer_a_free_one() -> None:
    plant = plant_of("A: contact NO, on 1 1 3", "B: contact NO, on 1 1 3")
    plant = plant.with_cells({(1, "channel"): Landing(1, 2, landed=False)})
    (finding,) = audit(plant)
    assert finding.points == (1, 2)
    assert "A holds TC-1·1·1·3; B claims it too" in finding.text
    assert audit(settled(plant, finding, 0)) == []
    assert audit(settled(plant, finding, 1)) == []


def test_an_edit_looks_again_at_the_group_it_left_and_the_one_it_joins() -> None:
    before = plant_of("A: contact NO", "A: contact NO", "B: contact NO", "C: contact NO")
    after = before.with_cells({(1, "tag"): "B"})
    looked, now = audit_change(before, after, {2: {"tag"}})
    assert looked["R01"] == {1, 2, 3}
    assert [f.points for f in now if f.rule == "R01"] == [(2, 3)]
    assert "R07" in looked, "a rule that names the tag in its words is looked at too"


def test_every_rule_tells_what_it_reads_and_where_it_comes_from() -> None:
    for rule in RULES:
        assert rule.name
        assert rule.source
        assert all(field_named(name).stored for name in rule.reads)
