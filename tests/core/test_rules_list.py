"""Rules of the list: tags, texts, end-point counts, channels that are off, spares, alarms; each with what it must not
say."""

from __future__ import annotations

from dataclasses import replace
from decimal import Decimal

import pytest
from tests.building.words import plant_of

from canaleta.core.model.conventions import Conventions
from canaleta.core.model.fields import Stored
from canaleta.core.model.image import PlantImage
from canaleta.core.rules import PLANT, audit, audit_change

GAS = "PT-1: 4–20 mA, 0…10 bar, shows 0…10 bar"


def report(plant: PlantImage, rule: str) -> list[str]:
    return [f.text for f in audit(plant) if f.rule == rule]


def with_cells(sentence: str, **cells: Stored) -> PlantImage:
    return plant_of(sentence).with_cells({(0, name): value for name, value in cells.items()})


def under(plant: PlantImage, **conventions: object) -> PlantImage:
    return plant.with_conventions(Conventions.model_validate(conventions))


# R49 -----------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("sentence", "says"),
    [
        ("TT-1: TC K, 0…1200 °C", "TC K is a bare element: those are TE"),
        ("TE-1: 4–20 mA, 0…100 °C", "4–20 mA comes from a transmitter: those are TT"),
        ("PSL-1: 4–20 mA, 0…10 bar", "pressure switch, low, but its signal is 4–20 mA"),
        ("PT-1: contact NO", "pressure transmitter, but its signal is a contact NO"),
        ("TT-1: 4–20 mA, 0…10 bar", "temperature transmitter, but the device is in bar"),
    ],
)
def test_letters_that_name_another_device_are_told(sentence: str, says: str) -> None:
    (text,) = report(plant_of(sentence), "R49")
    assert says in text


@pytest.mark.parametrize(
    "sentence",
    [
        GAS,
        "TE-1: TC K, 0…1200 °C",
        "PSL-1: contact NO",
        "spare: contact NO",
        "XV-1: contact NO",
        "LT-1: 4–20 mA, 0…10 bar",
    ],
)
def test_letters_that_fit_are_left_alone(sentence: str) -> None:
    assert report(plant_of(sentence), "R49") == []


def test_the_plants_own_letters_and_shape_come_first() -> None:
    plant = plant_of("TT-1: TC K, 0…1200 °C")
    assert report(under(plant, tag_letters="TT tile thermocouple"), "R49") == []
    assert report(under(plant, tag_rule="AA-9999"), "R49") == [
        "TT-1 has not the shape AA-9999 that the plant has set"
    ]
    assert report(under(plant_of("TE-2101: TC K, 0…1200 °C"), tag_rule="AA-9999"), "R49") == []


# R08, R27 ------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("service", "rule", "says"),
    [
        ("gas header 0-6 bar", "R27", ["the text says 0…6 bar, the range is 0…10 bar"]),
        ("gas header 0-10 bar", "R27", []),
        ("gas header 0…1000 kPa", "R27", []),
        ("gas header 0…600 kPa", "R27", ["the text says 0…600 kPa, the range is 0…10 bar"]),
        ("gas header 0-10 mbar", "R08", ["the text says 0…10 mbar, the device is in bar"]),
        ("gas header 0-10 bar", "R08", []),
        ("zone 3-4 of kiln 2", "R27", []),
        ("transmitter 4-20 mA", "R27", []),
        ("level 0-4 m of tank", "R27", []),
    ],
)
def test_a_text_that_quotes_a_range_is_held_against_it(service: str, rule: str, says: list[str]) -> None:
    assert report(with_cells(GAS, service=service), rule) == says


def test_what_the_text_says_is_offered_as_the_way_to_settle_it() -> None:
    (found,) = [f for f in audit(with_cells(GAS, service="0-6 bar")) if f.rule == "R27"]
    assert [(fix.label, fix.edits[0][1]) for fix in found.fixes] == [
        ("follow the text: 0…6 bar", "0…6 bar"),
        ("correct the text: 0…10 bar", "0…10 bar"),
    ]


def test_two_states_that_say_the_same_are_told() -> None:
    assert report(with_cells("ZS-1: contact NO", text_0="closed", text_1="Closed"), "R27") == [
        "0 and 1 both say “closed”: nobody can tell them apart"
    ]
    assert report(with_cells("ZS-1: contact NO", text_0="open", text_1="closed"), "R27") == []


# R12, R26, R15 -------------------------------------------------------------------------------------


def test_an_end_point_beyond_where_the_module_stops_is_told() -> None:
    assert report(with_cells(GAS, counts_high=Decimal(65535)), "R12") == [
        "65\u202f535 is never reached: 4–20 mA counts from −8\u202f000 to 32\u202f767"
    ]
    assert report(plant_of(GAS), "R12") == []
    assert report(with_cells(GAS, counts_high=Decimal(65535), value_form="slope and offset"), "R12") == []


@pytest.mark.parametrize(
    ("cells", "says"),
    [
        ({"trips": "burner 2"}, ["the channel of PT-1 is off, but it shuts something"]),
        ({"alarm_h": Decimal(9)}, ["the channel of PT-1 is off, but it has an alarm"]),
        ({"status": "accepted"}, ["the channel of PT-1 is off, but it is accepted"]),
        ({"status": "wired"}, []),
        ({}, []),
    ],
)
def test_a_channel_that_is_off_while_something_rests_on_it_is_told(cells: dict[str, Stored], says: list[str]) -> None:
    assert report(with_cells(GAS, enabled="no", **cells), "R26") == says
    assert report(with_cells(GAS, **cells), "R26") == []


@pytest.mark.parametrize(
    ("limits", "count"),
    [
        ({"alarm_l": "2", "alarm_h": "8"}, 0),
        ({"alarm_l": "8", "alarm_h": "2"}, 1),
        ({"alarm_h": "8", "alarm_hh": "8"}, 1),
        ({"alarm_hh": "12"}, 1),
        ({"alarm_ll": "-1"}, 1),
        ({"alarm_ll": "0", "alarm_hh": "10"}, 0),
    ],
)
def test_alarms_rise_and_lie_inside_the_range(limits: dict[str, str], count: int) -> None:
    assert len(report(with_cells(GAS, **{n: Decimal(v) for n, v in limits.items()}), "R15")) == count


# R25 -----------------------------------------------------------------------------------------------


def test_spares_are_counted_against_the_policy_and_name_no_point() -> None:
    plant = plant_of(*[f"PT-{n}: 4–20 mA, 0…10 bar, shows 0…10 bar" for n in range(1, 9)])
    found = [f for f in audit(plant) if f.rule == "R25" and "AI" in f.key]
    assert [f.text for f in found] == ["TC-1 keeps 0 of 8 AI channels unused; 20 % asks for 2"]
    assert found[0].points == (PLANT,)
    assert report(under(plant, reserve={"spare_share": 0}), "R25") == []


def test_a_channel_that_is_left_settles_the_spares_at_once() -> None:
    plant = plant_of(*[f"PT-{n}: 4–20 mA, 0…10 bar, shows 0…10 bar" for n in range(1, 8)])
    assert len(report(plant, "R25")) == 1
    after = plant.with_cells({(0, "channel"): None})
    looked, found = audit_change(plant, after, {1: {"channel"}})
    assert looked["R25"] == {PLANT}
    assert [f for f in found if f.rule == "R25"] == []


def test_a_quiet_plant_stays_quiet() -> None:
    plant = replace(plant_of(GAS, "TE-2: TC K, 0…1200 °C, shows 0…1200 °C", "PSL-3: contact NO"), seq=1)
    assert audit(plant) == []
