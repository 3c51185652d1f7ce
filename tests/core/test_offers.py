"""What is offered in a cell: free channels that take the signal, units of its quantity, the device's own range."""

from __future__ import annotations

from dataclasses import replace

import pytest
from tests.building.words import layout_with, plant_of

from canaleta.catalogue.types import module_types
from canaleta.core.hardware.offers import MOST_OFFERED, offers_for
from canaleta.core.model.fields import FIELDS
from canaleta.core.model.layout import Layout, Module


def racked(*keys: str, wired: tuple[int, ...] = ()) -> Layout:
    """One rack: a module of each type in slots 1, 2, …, with ids from 4 on. wired: wired spares of the first."""
    modules = {4 + k: Module(4 + k, 1, 1 + k, key, wired=wired if k == 0 else ()) for k, key in enumerate(keys)}
    return replace(layout_with(), modules=modules, types={key: module_types()[key] for key in keys})


def texts(plant, field: str) -> list[str]:  # type: ignore[no-untyped-def]
    return [offer.text for offer in offers_for(plant, 0, field)]


def test_channels_that_nobody_holds_are_offered_where_the_signal_is_taken() -> None:
    layout = racked("ai4-iso", "di16-24v")
    held = {layout.address(4, 0), layout.address(4, 1)}
    plant = plant_of(*(f"4–20 mA, on {address}" for address in sorted(held)), layout=layout)
    offered = texts(plant, "channel")
    assert len(offered) == 4 - 2, "two of four analog channels are free, and a contact's take no current"
    assert not held & set(offered)
    assert set(offered) <= {layout.address(4, channel) for channel in range(4)}


def test_the_module_it_is_on_comes_first_even_if_one_had_to_beware_of_it() -> None:
    layout = racked("ai4-iso", "ai8-ui")
    fits = offers_for(plant_of("4–20 mA, nowhere", layout=layout), 0, "channel")
    assert fits[0].text.startswith(layout.address(4, 0)[:-1])
    there = offers_for(plant_of(f"4–20 mA, on {layout.address(5, 0)}", layout=layout), 0, "channel")
    assert there[0].text == layout.address(5, 1)


def test_a_wired_spare_is_offered_first_and_says_so() -> None:
    layout = racked("ai4-iso", wired=(2,))
    plant = plant_of("4–20 mA, nowhere", layout=layout)
    first, *rest = offers_for(plant, 0, "channel")
    assert first.text == layout.address(4, 2)
    assert "wired spare" in first.says
    assert [o.text for o in rest] == [layout.address(4, channel) for channel in (0, 1, 3)]


def test_a_large_rack_offers_no_more_than_can_be_read() -> None:
    layout = racked(*["di16-24v"] * 20)
    plant = plant_of("contact NO, nowhere", layout=layout)
    assert len(offers_for(plant, 0, "channel")) == MOST_OFFERED < 20 * 16


def test_units_of_the_quantity_and_the_devices_own_first() -> None:
    plant = plant_of("4–20 mA, 0…10 bar, shows 0…1000 mbar")
    offered = offers_for(plant, 0, "value_unit")
    assert (offered[0].text, offered[0].says) == ("bar", "same as the device")
    assert {"mbar", "kPa", "psi"} <= {offer.text for offer in offered}
    assert "°C" not in {offer.text for offer in offered}, "a pressure is no temperature"


@pytest.mark.parametrize(
    ("words", "low", "high"),
    [
        ("4–20 mA, 0…10 bar, shows 0…1000 mbar", "0", "10000"),
        ("4–20 mA, 50…250 °C, shows 0…100 °C", "50", "250"),
        # °F = °C · 9/5 + 32
        ("4–20 mA, 0…100 °C, shows 0…100 °F", "32", "212"),
    ],
)
def test_the_devices_range_is_offered_in_the_values_unit(words: str, low: str, high: str) -> None:
    plant = plant_of(words)
    assert texts(plant, "value_low") == [low]
    assert texts(plant, "value_high") == [high]


def test_a_range_of_another_quantity_is_not_offered() -> None:
    assert texts(plant_of("4–20 mA, 0…500 mbar, shows 0…100 m³/h"), "value_high") == []


def test_a_text_of_ones_own_has_no_offers() -> None:
    plant = plant_of("4–20 mA")
    assert offers_for(plant, 0, "service") == []
    with pytest.raises(KeyError):
        offers_for(plant, 0, "no such field")


def test_every_setting_of_the_value_stands_in_a_group_and_an_alarm_with_its_own() -> None:
    value = [f for f in FIELDS if f.station == "VALUE" and f.stored]
    assert all(f.group for f in value)
    for letters, words in (("ll", "low-low"), ("l", "low"), ("h", "high"), ("hh", "high-high")):
        own = [f for f in value if f.name == f"alarm_{letters}" or f.name.startswith(f"alarm_{letters}_")]
        assert {f.group for f in own} == {f"{words} alarm"}
        assert len(own) == 5, "limit, deadband, delay, off delay, priority"
