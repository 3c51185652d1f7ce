"""A path as a document: what is read, how loosely, and how its mistakes are told; conventions as single fields."""

from typing import Any

import pytest
from tests.building.words import mode, path_of, stations

from canaleta.catalogue.types import module_types
from canaleta.core.model.convention_fields import CONVENTION_FIELDS, convention_texts, with_conventions
from canaleta.core.model.conventions import Conventions
from canaleta.core.model.fields import STORED, Station, field_named
from canaleta.core.model.image import PlantImage
from canaleta.core.model.references import between_units
from canaleta.core.notation.text import TextError
from canaleta.core.sheet.derived import applies, derived_texts
from canaleta.core.sheet.document import DocumentError, path_schema, read_document

DEVICE = {"signal": "4-20 mA", "low": "0", "high": 100, "unit": "mbar"}


def test_names_are_read_as_people_write_them() -> None:
    plant = path_of(
        device=DEVICE, input={"module": "ai8-ui", "mode": "4-20ma"}, value={"low": 0, "high": 10, "unit": "kPa"}
    )
    assert plant.text("signal", 0) == "4–20 mA"
    assert stations(plant, Station.PROCESS, 50)[4:] == pytest.approx([16000, 5])


def test_counts_left_empty_follow_signal_and_module() -> None:
    plant = path_of(
        device=DEVICE,
        loop={"shunt_ohm": 250},
        input=mode(counts=(0, 16383)),
        value={"low": 0, "high": 10, "unit": "kPa"},
    )
    derived = derived_texts(plant, 0)
    assert (derived["counts_low"], derived["counts_high"]) == ("1638.3", "8191.5")
    typed = path_of(
        device=DEVICE,
        loop={"shunt_ohm": 250},
        input=mode(counts=(0, 16383)),
        counts={"low": 0, "high": 16383},
        value={"low": 0, "high": 10},
    )
    assert stations(typed, Station.LOOP, 20)[5] == pytest.approx(5.0, abs=1e-3)


@pytest.mark.parametrize(
    ("document", "says"),
    [
        ({"device": {"signal": "4–20 mA", "low": "zero"}}, "device.low: “zero” is not a number"),
        ({"device": {"signl": "4–20 mA"}}, "device.signl: Extra inputs"),
        ({"device": {"signal": "5–25 mA"}}, "device.signal: “5–25 mA” is not one of"),
        ({"input": {"mode": {"signal_unit": "V", "signal": [0, 10]}}}, "input.mode.counts: Field required"),
        ({"input": {"mode": {"signal_unit": "V", "signal": [5, 5], "counts": [0, 1]}}}, "must differ"),
        ({"input": {"mode": "4–20 mA"}}, "needs the module type"),
        ({"input": {"mode": "4–20 mA", "module": "ai9"}}, "“ai9” is not one of"),
        ({"input": {"mode": "5–25 mA", "module": "ai8-ui"}}, "input.mode: “5–25 mA” is not one of"),
        ({"faults": [{"kind": "loose"}]}, "faults: “loose” is not one of"),
        ({"conventions": {"namur": {"good_to_ma": 22}}}, "conventions.namur: the four limits rise"),
        ({"value": {"table": "0 0"}}, "value.table: a table has at least two points"),
        ([], "valid dictionary"),
    ],
)
def test_mistakes_are_told_with_their_place(document: Any, says: str) -> None:
    with pytest.raises(DocumentError) as told:
        read_document(document, module_types())
    assert says in str(told.value)


def test_the_schema_names_every_field_of_a_point_by_its_station() -> None:
    schema = path_schema()
    sections = {name: schema["$defs"][name.title()]["properties"] for name in ("device", "loop", "counts", "value")}
    told = {f"{name}.{key}" for name, keys in sections.items() for key in keys}
    assert {"device.signal", "device.low", "loop.lead_ohm", "counts.high", "value.law", "value.table"} <= told
    stored = [f for f in STORED if f.station.lower() in sections]
    assert len(told) == len(stored)


def shown(plant: PlantImage) -> set[str]:
    return {f.name for f in STORED if applies(plant, 0, f)}


def test_fields_are_those_that_the_choice_needs() -> None:
    current, platinum = path_of(device={"signal": "4–20 mA"}), path_of(device={"signal": "Pt100"}, loop={"wires": 3})
    contact, watched = path_of(device={"signal": "two-wire NO"}), path_of(device={"signal": "end-of-line NO"})
    assert {"lift_off_v", "shunt_ohm", "hart"} <= shown(current)
    assert not {"lead_ohm", "extension", "leakage_ma", "value_cutoff"} & shown(current)
    assert {"lead_ohm", "jumper", "tolerance_class"} <= shown(platinum)
    assert not {"shunt_ohm", "head_degc", "acting"} & shown(platinum)
    assert {"leakage_ma", "drop_v"} <= shown(contact)
    assert not {"series_ohm", "value_low"} & shown(contact)
    assert {"series_ohm", "parallel_ohm"} <= shown(watched)
    assert "value_cutoff" in shown(path_of(device={"signal": "4–20 mA"}, value={"law": "square root"}))
    assert "device_reference" in shown(path_of(device={"signal": "4–20 mA", "unit": "bar"}))
    assert "device_reference" not in shown(path_of(device={"signal": "4–20 mA", "unit": "°C"}))


@pytest.mark.parametrize(
    ("device", "value", "at_100"),
    [
        (("mbar", "gauge"), ("kPa", "absolute"), 10 + 101.325),
        (("mbar", "absolute"), ("kPa", "gauge"), 10 - 101.325),
        (("Nm³/h", "normal, 0 °C"), ("Nm³/h", "standard, 15 °C"), 100 * 288.15 / 273.15),
        (("mmH₂O", "water at 20 °C"), ("mmH₂O", "water at 4 °C"), 100 * 998.203 / 999.972),
        (("mbar", "gauge"), ("kPa", "gauge"), 10),
    ],
)
def test_what_a_unit_is_counted_from(device: tuple[str, str], value: tuple[str, str], at_100: float) -> None:
    plant = path_of(
        device={"signal": "4–20 mA", "unit": device[0], "reference": device[1]},
        value={"unit": value[0], "reference": value[1]},
    )
    factor, offset = between_units(plant, 0, device[0], value[0]) or (0.0, 0.0)
    assert 100 * factor + offset == pytest.approx(at_100)


def test_a_unit_may_say_gauge_or_absolute_itself() -> None:
    for text, unit, reference in (
        ("0-6 bar(g)", "bar", "gauge"),
        ("0…2,5 bara", "bar", "absolute"),
        ("0…100 kPa abs", "kPa", "absolute"),
    ):
        plant = path_of(device={"signal": "4–20 mA", "low": text})
        assert (plant.text("device_unit", 0), plant.text("device_reference", 0)) == (unit, reference)


def test_every_convention_is_a_field_with_words_and_comes_back_as_it_was() -> None:
    plant = Conventions()
    texts = convention_texts(plant)
    assert set(texts) == {f.name for f in CONVENTION_FIELDS}
    assert all(f.says for f in CONVENTION_FIELDS)
    assert with_conventions(plant, texts) == plant
    changed = with_conventions(plant, {"namur.good_to_ma": "20,8", "mains_hz": "60", "tag_rule": "AA-9999"})
    assert (changed.namur.good_to_ma, changed.mains_hz, changed.tag_rule) == (20.8, 60, "AA-9999")


@pytest.mark.parametrize(
    ("name", "text", "says"),
    [
        ("mains_hz", "55", "not one of"),
        ("channel_base", "2", "less than or equal to 1"),
        ("channel_base", "0.5", "whole number"),
        ("namur.good_from_ma", "3.5", "four limits rise"),
        ("supply_v", "much", "not a number"),
    ],
)
def test_a_convention_that_cannot_be_is_told(name: str, text: str, says: str) -> None:
    with pytest.raises(TextError, match=says):
        with_conventions(Conventions(), {name: text})


def test_the_words_of_a_field_hold_its_unit() -> None:
    assert field_named("lift_off_v").unit == "V"
