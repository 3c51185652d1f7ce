"""What a channel was found to count stays behind when its point goes elsewhere."""

from decimal import Decimal

from tests.building.words import plant_of

from canaleta.plant.changes.entering import enter_row

LOOP = "PT-1: 4–20 mA, 0…100 %, shows 0…100 %"
FOUND = {(0, "found_low"): Decimal(64), (0, "found_high"): Decimal(31936), (0, "trimmed"): "2026-11-30"}


def test_a_point_that_moves_leaves_what_its_channel_was_found_to_count() -> None:
    plant = plant_of(LOOP).with_cells(FOUND)
    nothing = dict.fromkeys(("found_low", "found_high", "trimmed"))
    for texts in ({"channel": "TC-1·1·2·3"}, {"mode": "0–20 mA"}, {"channel": ""}):
        values, troubles = enter_row(plant, 0, texts)
        assert not troubles
        assert {name: values.get(name, "kept") for name in nothing} == nothing


def test_what_moves_nothing_leaves_nothing_behind() -> None:
    plant = plant_of(LOOP).with_cells(FOUND)
    for texts in ({"service": "oil"}, {"channel": plant.text("channel", 0)}, {"mode": plant.text("mode", 0)}):
        values, _ = enter_row(plant, 0, texts)
        assert "found_low" not in values
    moved, _ = enter_row(plant, 0, {"mode": "0–20 mA", "found_low": "10", "found_high": "32010"})
    assert moved["found_low"] == Decimal(10), "what is typed at the same time is meant"
