"""What follows from hardware: addresses, spares, loads, filters, strips, names; figures by hand or from the trade."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from tests.building.words import layout_with, plant_of

from canaleta.catalogue.types import module_types
from canaleta.core.hardware.loads import module_load, rack_load
from canaleta.core.hardware.occupancy import class_of, counted
from canaleta.core.model.addresses import addresses_of
from canaleta.core.model.conventions import Conventions, Reserve
from canaleta.core.model.filters import attenuation, decibels, response_of, step_response
from canaleta.core.model.image import PlantImage
from canaleta.core.model.layout import Cable, Module
from canaleta.core.model.module_type import Filter, ModuleType
from canaleta.core.model.naming import departures, next_name, ruled_address
from canaleta.core.model.registers import RackMap
from canaleta.core.notation.text import TextError
from canaleta.core.path.facts.channel import filtering, open_circuit
from canaleta.core.path.joints.base import PathRows
from canaleta.core.rules import audit, audit_change
from canaleta.core.signals.strips import cores_of, read_cores, read_terminals, terminals_of


def with_texts(plant: PlantImage, **cells: object) -> PlantImage:
    return plant.with_cells({(0, name): value for name, value in cells.items()})  # type: ignore[misc]


# Places and addresses ----------------------------------------------------------------------------------------


def test_a_passive_item_between_two_modules_changes_no_address() -> None:
    """A spacer takes room on the rail, no slot and no register."""
    plain = layout_with()
    types = plain.types | {"spacer": module_types()["spacer"]}
    modules = {
        1: Module(1, 1, 1, "di16-24v"),
        9: Module(9, 1, 2, "spacer"),
        2: Module(2, 1, 3, "ai8-ui"),
        3: Module(3, 1, 4, "tc8"),
    }
    with_spacer = replace(plain, modules=modules, types=types)
    for module in (1, 2, 3):
        assert with_spacer.address(module, 0) == plain.address(module, 0)
        assert with_spacer.first_registers[module] == plain.first_registers[module]
    assert with_spacer.slots[9] == 0


def test_a_slot_kept_free_is_counted() -> None:
    layout = layout_with()
    types = layout.types | {"empty-slot": module_types()["empty-slot"]}
    modules = {1: Module(1, 1, 1, "di16-24v"), 9: Module(9, 1, 2, "empty-slot"), 2: Module(2, 1, 3, "ai8-ui")}
    kept = replace(layout, modules=modules, types=types)
    assert kept.address(2, 0) == "TC-1·1·3·1"
    with pytest.raises(TextError, match="has no channels"):
        kept.read_address("1·2·1")


def test_addresses_are_told_in_both_bases_and_as_direct_addresses() -> None:
    """One word of 16 bits, then nine registers of an AI-8: its third channel is register 3 from 0, 4 from 1."""
    layout = layout_with()
    rack_map = RackMap.of(layout, 1)
    bit = addresses_of(layout, rack_map, 1, 11)
    assert (bit.register, bit.bit, bit.direct) == (0, 11, "%IX1.0.11")
    assert "bit 11 (the 12th)" in bit.words
    word = addresses_of(layout, rack_map, 2, 2)
    assert (word.register, word.number, word.direct) == (3, 4, "%IW1.3")
    assert "0x0003" in word.words


def test_two_registers_a_channel_make_a_double_word_and_outputs_are_q() -> None:
    layout = layout_with([module_types()["fi2"], module_types()["ao4"]])
    rack_map = RackMap.of(layout, 1)
    assert addresses_of(layout, rack_map, 4, 1).direct == "%ID1.22"
    assert addresses_of(layout, rack_map, 5, 0).direct == "%QW1.24"


# Spares -------------------------------------------------------------------------------------------------------


def test_free_spare_and_wired_spare_are_told_apart() -> None:
    """Eight channels, two used, 20 % kept: 1.6 is two spares, four are free; one of the unused is wired."""
    plant = plant_of("4–20 mA", "4–20 mA")
    wired = replace(plant.layout.modules[2], wired=(1, 7))
    plant = plant.with_layout(replace(plant.layout, modules=plant.layout.modules | {2: wired}))
    count = counted(plant, [2])
    assert (count.channels, count.used, count.unused, count.spare, count.free) == (8, 2, 6, 2, 4)
    assert count.wired == 1, "channel 2 is used, so its wire is no spare"
    assert count.share == 0.75


def test_a_policy_that_is_not_kept_says_how_many_are_missing() -> None:
    plant = plant_of(*["4–20 mA"] * 7)
    wants = replace(plant, conventions=Conventions(reserve=Reserve(spare_share=0.5)))
    count = counted(wants, [2])
    assert (count.wanted, count.unused, count.spare, count.free, count.short) == (4, 1, 1, 0, 3)


@pytest.mark.parametrize(
    ("key", "expected"),
    [("ai8-ui", "AI"), ("tc8", "TI"), ("rtd6", "TI"), ("tc4-iso", "TI"), ("di32", "DI"), ("fi2", "PI"),
     ("ao4", "AO"), ("xm4", "XI"), ("ps-10", "")],
)  # fmt: skip
def test_every_type_has_its_class(key: str, expected: str) -> None:
    assert class_of(module_types()[key]) == expected


# Loads --------------------------------------------------------------------------------------------------------


def test_fed_loops_count_with_22_mA_through_their_fuse() -> None:
    """Three two-wire transmitters on the first fuse of four channels: 66 of 125 mA, 66 of 250 in all."""
    plant = plant_of(*["4–20 mA"] * 3)
    plant = plant.with_cells({(row, "supply"): "module" for row in range(3)})
    load = module_load(plant, 2)
    assert (load.feeds.ma, load.feeds.rating_ma) == (66.0, 250.0)
    assert [fuse.ma for fuse in load.fuses] == [66.0, 0.0]
    assert not load.over


def test_a_device_with_its_own_supply_takes_nothing() -> None:
    plant = with_texts(plant_of("4–20 mA"), supply="own 24 V")
    assert module_load(plant, 2).feeds.ma == 0.0


def test_six_transmitters_on_one_fuse_of_125_mA_are_too_many() -> None:
    kind = module_types()["ai8-ui"].model_copy(update={"channels_a_fuse": 8})
    plain = layout_with()
    plant = plant_of(*["4–20 mA"] * 6, layout=replace(plain, types=plain.types | {"ai8-ui": kind}))
    plant = plant.with_cells({(row, "supply"): "module" for row in range(6)})
    load = module_load(plant, 2)
    assert load.fuses[0].ma == 132.0
    assert load.fuses[0].over
    assert load.over


def test_a_rack_adds_up_what_its_modules_take() -> None:
    """DI-16 80, AI-8 110 and TC-8 130 mA from the bus of a PS-10 with 2500; 25 + 60 + 45 mA and 66 for the loops."""
    plain = layout_with([module_types()["ps-10"]])
    plant = plant_of("4–20 mA", layout=plain)
    load = rack_load(plant, 1, [66.0])
    assert (load.bus.ma, load.bus.rating_ma) == (320.0, 2500.0)
    assert (load.supply.ma, load.supply.rating_ma) == (196.0, 10_000.0)
    assert load.heat_w == pytest.approx(3.2 + 2.1 + 1.7 + 14)


# Filters ------------------------------------------------------------------------------------------------------


def test_a_first_order_filter_of_two_seconds_has_reached_63_2_percent_after_them() -> None:
    """1 − 1/e; then 95 % after 3 τ (2.996) and 99 % after 4.605 τ."""
    slow = Filter(name="2 s", time_ms=2000)
    assert step_response(slow, 2000.0)[0] == pytest.approx(0.63212, abs=1e-5)
    response = response_of(slow)
    assert response.to_63_ms == pytest.approx(2000)
    assert response.to_95_ms == pytest.approx(2000 * 2.99573, rel=1e-5)
    assert response.to_99_ms == pytest.approx(2000 * 4.60517, rel=1e-5)


def test_one_average_over_a_mains_period_takes_out_the_mains_and_all_its_multiples() -> None:
    """A mean over 20 ms: a straight ramp, half after 10 ms; nothing left of 50, 100, 150 Hz; sinc between."""
    mains = Filter(name="50 Hz", rejects_hz=50)
    assert step_response(mains, [0.0, 10.0, 20.0, 30.0]).tolist() == [0.0, 0.5, 1.0, 1.0]
    assert [attenuation(mains, hz) < 1e-12 for hz in (50.0, 100.0, 150.0)] == [True] * 3
    assert attenuation(mains, 25.0) == pytest.approx(2 / np.pi)
    assert response_of(mains).to_95_ms == pytest.approx(19.0)


def test_three_averages_settle_after_three_periods() -> None:
    three = Filter(name="50 Hz", rejects_hz=50, stages=3)
    assert step_response(three, 30.0)[0] == pytest.approx(0.5), "halfway through, by symmetry"
    assert step_response(three, 60.0)[0] == 1.0
    assert step_response(three, 20.0)[0] == pytest.approx(1 / 6), "the Irwin–Hall distribution at 1 of 3"


def test_hum_is_told_in_decibels() -> None:
    """A first-order 31.83 ms filter has its corner at 5 Hz: 50 Hz is a decade above, 20 dB less."""
    corner = Filter(name="corner", time_ms=1000 / (2 * np.pi * 5))
    assert decibels(attenuation(corner, 50.0)) == "20 dB"
    assert decibels(attenuation(corner, 5.0)) == "3 dB"
    assert decibels(0.0) == "100 dB or more"


def test_a_filter_is_chosen_one_way() -> None:
    with pytest.raises(ValueError, match="not by both"):
        Filter(name="both", time_ms=10, rejects_hz=50)


def test_a_short_filter_on_a_slow_scan_is_warned() -> None:
    """A contact filtered with 3 ms and read once a second."""
    plant = with_texts(plant_of("contact NO"), filter="3 ms")
    section = filtering(PathRows(plant, np.array([0])))
    assert section is not None
    assert "can fall between two scans of 1000 ms" in section.verdict


# Open circuit -------------------------------------------------------------------------------------------------


def test_an_open_circuit_action_tells_its_consequence_in_words() -> None:
    """Up-scale on a heating loop says that the heater goes off, and which value is read."""
    plant = with_texts(
        plant_of("TC K, 0…1200 °C, shows 0…1200 °C"), open_action="up-scale", if_high="the heater goes off"
    )
    section = open_circuit(PathRows(plant, np.array([0])))
    assert section is not None
    assert section.verdict == "up-scale: the heater goes off"
    assert section.rows[0].figure == "13\u202f720", "the top of the mode: 1372.0 °C in tenths"
    assert section.rows[1].figure.startswith("1\u202f372")


def test_an_action_without_a_consequence_asks_for_it() -> None:
    plant = with_texts(plant_of("TC K, 0…1200 °C, shows 0…1200 °C"), open_action="down-scale")
    section = open_circuit(PathRows(plant, np.array([0])))
    assert section is not None
    assert section.tone == "settle"


# Cores and terminals ------------------------------------------------------------------------------------------


def test_terminals_and_cores_are_read_as_people_write_them() -> None:
    assert read_terminals("X1:5 fuse, X1:6") == "X1:5 fuse; X1:6"
    assert [t.kind for t in terminals_of("X1:5 fuse; X1:6")] == ["fuse", "plain"]
    assert read_cores("3-5; 7") == "3, 4, 5, 7"
    assert cores_of("3, 4") == (3, 4)


@pytest.mark.parametrize(
    ("text", "says"),
    [("X1", "write it as X1:5"), ("X1:5 lamp", "plain, knife, fuse or test"), ("X1:5; X1:5", "twice")],
)
def test_a_terminal_that_is_none_says_how_it_is_written(text: str, says: str) -> None:
    with pytest.raises(TextError, match=says):
        read_terminals(text)


@pytest.mark.parametrize("text", ["red", "0", "5-3", "1, 1"])
def test_a_core_that_is_none_is_refused(text: str) -> None:
    with pytest.raises(TextError):
        read_cores(text)


def wired(*cells: tuple[str, str, str]) -> PlantImage:
    plant = plant_of(*["4–20 mA"] * len(cells))
    layout = replace(plant.layout, cables={1: Cable(1, "W-1", 4)})
    names = ("cable", "cores", "strip")
    changes = {(row, n): v or None for row, texts in enumerate(cells) for n, v in zip(names, texts, strict=True)}
    return plant.with_layout(layout).with_cells(changes)  # type: ignore[arg-type]


def texts_of(plant: PlantImage) -> list[str]:
    return [f.text for f in audit(plant) if f.rule in ("R02C", "R02T")]


def test_a_core_and_a_terminal_are_used_once_and_both_rows_are_told() -> None:
    plant = wired(("W-1", "1, 2", "X1:1; X1:2"), ("W-1", "2, 3", "X1:2; X1:3"))
    found = [f for f in audit(plant) if f.rule in ("R02C", "R02T")]
    assert [f.text for f in found] == [
        "core 2 of W-1 is claimed by P-1, P-2",
        "terminal X1:2 of TC-1 is claimed by P-1, P-2",
    ]
    assert all(len(f.points) == 2 for f in found)


def test_a_core_beyond_its_cable_and_a_cable_nobody_knows_are_told() -> None:
    assert texts_of(wired(("W-1", "5", ""), ("W-9", "1", ""))) == [
        "W-1 has 4 cores and no core 5",
        "there is no cable W-9: its cores cannot be told",
    ]


def test_what_is_left_of_a_conflict_of_three_is_found_again_when_one_leaves() -> None:
    before = wired(("", "", "X1:1"), ("", "", "X1:1"), ("", "", "X1:1"))
    after = before.with_cells({(0, "strip"): "X1:9"})
    looked, found = audit_change(before, after, {1: {"strip"}})
    assert looked["R02T"] == {1, 2, 3}
    assert [f.text for f in found if f.rule == "R02T"] == ["terminal X1:1 of TC-1 is claimed by P-2, P-3"]


# Names --------------------------------------------------------------------------------------------------------


def test_a_rule_ties_address_to_names_and_a_rack_that_departs_is_told() -> None:
    """Rule that the last part is the rack's number; rack 14 ending in 15 departs."""
    assert ruled_address("192.168.{cabinet}.{rack+100}", "KC-2", "14") == "192.168.2.114"
    assert ruled_address("192.168.1.{rack}", "KC-2", "left") == ""
    layout = layout_with()
    rack = replace(layout.racks[1], name="14", host="10.0.0.15")
    departs = departures("10.0.0.{rack}", replace(layout, racks={1: rack}))
    assert [(r.host, ruled) for r, ruled in departs] == [("10.0.0.15", "10.0.0.14")]


@pytest.mark.parametrize(("taken", "expected"), [(["1", "2"], "3"), (["KC-09"], "KC-10"), ([], "1"), (["a"], "1")])
def test_the_next_name_counts_on(taken: list[str], expected: str) -> None:
    assert next_name(taken) == expected


# Types --------------------------------------------------------------------------------------------------------

FOUR = {
    "key": "x4",
    "title": "X-4",
    "summary": "",
    "channels": 4,
    "terminals": [{"mark": "{n}", "role": "plus"}, {"mark": "{n}", "role": "minus"}],
    "modes": [{"name": "4–20 mA", "signal_unit": "mA", "signal": [4, 20], "counts": [0, 4000]}],
    "registers": [{"holds": "channel words", "count": 4}],
}


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ({"registers": [{"holds": "channel words", "count": 3}]}, "4 channels need 4 registers"),
        ({"modes": []}, "works in one way at least"),
        ({"channels": 0}, "without channels"),
        ({"settings": [{"of": "mode", "codes": {"0–20 mA": 1}}]}, "no choice “0–20 mA”"),
        ({"settings": [{"of": "enabled", "codes": {"yes": 1}}]}, "lacks the number for “no”"),
        ({"settings": [{"of": "enabled", "codes": {"yes": 1, "no": 1}}]}, "two choices have one number"),
        ({"fixed": {"enabled": "always"}, "settings": [{"of": "enabled", "codes": {"yes": 1, "no": 0}}]}, "is fixed"),
        ({"registers": [{"holds": "status bits", "count": 1}, {"holds": "channel words", "count": 4}]}, "bit base"),
    ],
)
def test_a_type_that_does_not_hold_together_says_where(change: dict[str, object], says: str) -> None:
    with pytest.raises(ValueError, match=says):
        ModuleType.model_validate(FOUR | change)


def test_a_type_goes_out_and_comes_back_the_same() -> None:
    for kind in module_types().values():
        assert ModuleType.model_validate_json(kind.model_dump_json()) == kind


def test_groups_and_fuses_are_counted_by_channels() -> None:
    kind = ModuleType.model_validate(FOUR | {"channels_a_group": 2, "channels_a_fuse": 1})
    assert [kind.group_of(c) for c in range(4)] == [0, 0, 1, 1]
    assert [kind.fuse_of(c) for c in range(4)] == [0, 1, 2, 3]
