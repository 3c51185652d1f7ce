"""What follows when a form of scaling or a kind of signal changes: figures by hand, and what was typed is kept."""

from decimal import Decimal

import pytest
from tests.building.words import plant_of

from canaleta.core.model.image import PlantImage
from canaleta.core.sheet.derived import derived_texts, form_follows, kind_follows, misfits

LOOP = "4–20 mA, 0…600 mbar, shows 0…600 mbar"


def with_cells(plant: PlantImage, **cells: object) -> PlantImage:
    return plant.with_cells({(0, name): value for name, value in cells.items()})  # type: ignore[misc]


def test_two_points_as_slope_and_offset() -> None:
    """600 mbar over 32 000 counts is 0.01875 mbar a count, from 0."""
    told = derived_texts(plant_of(LOOP), 0)
    assert (Decimal(told["slope"]), Decimal(told["offset"])) == (Decimal("0.01875"), 0)
    shifted = derived_texts(plant_of("4–20 mA, 100…600 mbar, shows 100…600 mbar"), 0)
    assert (Decimal(shifted["slope"]), Decimal(shifted["offset"])) == (Decimal("0.015625"), 100)


def test_typing_a_slope_makes_that_form_the_stored_one_with_its_partner() -> None:
    plant = plant_of("4–20 mA, 100…600 mbar, shows 100…600 mbar")
    assert form_follows(plant, 0, {"slope": Decimal("0.016")}) == {
        "value_form": "slope and offset",
        "offset": Decimal(100),
    }


def test_typing_an_end_goes_back_to_two_points_with_the_other_ends_as_they_are() -> None:
    """0.02 mbar a count from 10 on: at count 32 000 it is 650. The count's own ends stand as they were typed."""
    line = with_cells(plant_of(LOOP), value_form="slope and offset", slope=Decimal("0.02"), offset=Decimal(10))
    back = form_follows(line, 0, {"value_low": Decimal(0)})
    assert back["value_form"] == "two points"
    assert back["value_high"] == Decimal(650)
    assert "value_low" not in back, "that was typed"


def test_choosing_a_form_fills_only_what_was_never_typed_in_it() -> None:
    plant = with_cells(plant_of(LOOP), slope=Decimal("0.5"))
    chosen = form_follows(plant, 0, {"value_form": "slope and offset"})
    assert set(chosen) == {"offset"}, "the slope of before is back, digit by digit"
    assert form_follows(plant, 0, {"value_unit": "bar"}) == {}
    assert form_follows(plant, 0, {"factors": "0; 1; 2"}) == {"value_form": "factors"}


def test_another_kind_of_signal_takes_a_mode_that_fits_and_forgets_the_counts_of_the_old_one() -> None:
    out = kind_follows(plant_of(LOOP), 0, "0–10 V")
    assert out["mode"] == "0–10 V"
    assert (out["counts_low"], out["counts_high"]) == (None, None)


def test_a_mode_of_the_same_family_stays_for_the_findings_to_compare() -> None:
    """An element of type S on a channel that linearises K is what a plant may really have: R21 tells it, nothing
    hides it."""
    assert "mode" not in kind_follows(plant_of("TC K, 0…1200 °C, shows 0…1200 °C"), 0, "TC S")
    assert "mode" not in kind_follows(plant_of(LOOP), 0, "4–20 mA")


def test_a_tolerance_class_goes_with_its_family() -> None:
    plant = with_cells(plant_of("TC K, 0…1200 °C, shows 0…1200 °C"), tolerance_class="1")
    assert kind_follows(plant, 0, "TC N").get("tolerance_class", "kept") == "kept"
    assert kind_follows(plant, 0, "4–20 mA")["tolerance_class"] is None


@pytest.mark.parametrize(("mode", "says"), [("0–10 V", "takes V; 4–20 mA gives mA"), ("4–20 mA", "")])
def test_modes_that_cannot_take_a_signal_say_why(mode: str, says: str) -> None:
    assert misfits(plant_of(LOOP), 0, [mode]).get(mode, "") == says


def test_without_a_channel_no_mode_is_ruled_out() -> None:
    assert misfits(plant_of(LOOP + ", nowhere"), 0, ["0–10 V"]) == {}
