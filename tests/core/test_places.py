"""Places for points that wait: what fits, spares kept, points that stand in for each other kept apart."""

from __future__ import annotations

from dataclasses import replace
from decimal import Decimal

import pytest
from tests.building.words import layout_with, plant_of

from canaleta.catalogue.types import module_types
from canaleta.core.hardware.fit import Level, group_message, judge_module
from canaleta.core.hardware.places import Placed, places_for
from canaleta.core.model.conventions import Conventions, Reserve
from canaleta.core.model.fields import Landing
from canaleta.core.model.image import PlantImage
from canaleta.core.model.layout import Layout, Module
from canaleta.core.rules import audit

ALL = Conventions(reserve=Reserve(spare_share=0.0))


def two_of(key: str) -> Layout:
    plain = layout_with()
    modules = {4: Module(4, 1, 1, key), 5: Module(5, 1, 2, key)}
    return replace(plain, modules=modules, types={key: module_types()[key]})


def waiting(layout: Layout, *sentences: str, conventions: Conventions = ALL) -> PlantImage:
    plant = plant_of(*(f"{s}, nowhere" for s in sentences), layout=layout)
    cells = {(row, "supply"): "module" for row in range(len(plant))} | {
        (row, "wires"): 2 for row in range(len(plant))
    }
    return replace(plant.with_cells(cells), conventions=conventions)  # type: ignore[arg-type]


def places(plant: PlantImage) -> list[Placed]:
    return places_for(plant, [1], plant.ids.tolist())


def test_a_point_goes_where_it_fits_and_nothing_is_landed() -> None:
    plant = waiting(two_of("ai4-iso"), "4–20 mA, 0…10 bar, shows 0…10 bar")
    (place,) = places(plant)
    assert (place.module, place.channel, place.mode) == (4, 0, "4–20 mA")
    assert place.reads.startswith("5")
    assert not plant.landed.any()


def test_points_that_stand_in_for_each_other_go_on_different_modules() -> None:
    plant = waiting(two_of("ai4-iso"), "A: 4–20 mA", "B: 4–20 mA", "C: 4–20 mA")
    plant = plant.with_cells({(row, "redundant"): "pump 1" for row in range(3)})
    assert [p.module for p in places(plant)] == [4, 5, 0]
    assert "carries the one it stands in for" in places(plant)[2].says


def test_spares_are_kept() -> None:
    """Eight channels and half of them kept: four are placed, the fifth waits."""
    kept = Conventions(reserve=Reserve(spare_share=0.5))
    plant = waiting(two_of("ai4-iso"), *["4–20 mA"] * 5, conventions=kept)
    found = places(plant)
    assert [bool(p.module) for p in found] == [True] * 4 + [False]
    assert found[4].says == "TC-1 has only its spares left"


def test_a_wired_spare_goes_first() -> None:
    layout = two_of("ai4-iso")
    layout = replace(layout, modules=layout.modules | {4: replace(layout.modules[4], wired=(3,))})
    assert places(waiting(layout, "4–20 mA"))[0].channel == 3


def test_a_module_that_cannot_feed_another_loop_is_passed_over() -> None:
    """40 mA feed one loop of 22 mA and not two."""
    layout = two_of("ai4-iso")
    weak = layout.types["ai4-iso"].model_copy(update={"loop_ma": 40.0})
    plant = waiting(replace(layout, types={"ai4-iso": weak}), *["4–20 mA"] * 3)
    assert [p.module for p in places(plant)] == [4, 5, 0]


def test_what_fits_nowhere_says_what_the_modules_take() -> None:
    assert "takes mA; TC K gives mV" in places(waiting(two_of("ai4-iso"), "TC K"))[0].says


def test_each_point_is_told_its_own_reading() -> None:
    plant = waiting(two_of("ai4-iso"), "4–20 mA, 0…10 bar, shows 0…10 bar", "4–20 mA, 0…600 mbar, shows 0…600 mbar")
    assert [p.reads.split()[-1] for p in places(plant)] == ["bar", "mbar"]


def test_stand_ins_on_one_module_are_found() -> None:
    """R38: two on one module and one on another; the two are named."""
    plant = plant_of("A: 4–20 mA", "B: 4–20 mA", "C: TC K").with_cells(
        {(row, "redundant"): "pump" for row in range(3)}
    )
    found = [f.text for f in audit(plant) if f.rule == "R38"]
    assert found == ["A and B stand in for each other (pump) and are both on TC-1·1·2"]


@pytest.mark.parametrize(
    ("low", "high", "level", "says"),
    [
        (None, "12", Level.REFUSED, "would kill it: the device bears 12 V at most"),
        ("10", "30", Level.FITS, ""),
        ("10", "26", Level.WARNS, "may rise to 28.8 V"),
        ("22", "30", Level.WARNS, "may fall to 20.4 V and the device needs 22 V"),
    ],
)
def test_a_device_bears_the_supply_of_its_group(low: str | None, high: str, level: Level, says: str) -> None:
    """12 V at most in a 24 V group is refused; 10 to 30 V is accepted."""
    ends = {(0, "supply_low_v"): low and Decimal(low), (0, "supply_high_v"): Decimal(high), (0, "supply"): "module"}
    plant = plant_of("PNP NO").with_cells(ends | {(0, "wires"): 3})  # type: ignore[arg-type]
    judged = judge_module(plant, 0, 1)
    assert judged.level is level, judged
    assert says in " ".join(judged.reasons)


def test_two_supplies_of_their_own_meet_in_one_isolation_group() -> None:
    """AI-8 U/I is one group: the second active device is told; AI-4 N isolates each channel."""
    plant = plant_of("A: 4–20 mA", "B: 4–20 mA, nowhere").with_cells(
        {(0, "supply"): "own 24 V", (1, "supply"): "own 24 V"}
    )
    assert group_message(plant, 1, 2) == "A has its own supply as well: their 0 V meet in one isolation group"
    assert group_message(plant.with_cells({(1, "supply"): "module"}), 1, 2) == ""
    apart = two_of("ai4-iso")
    isolated = plant_of("A: 4–20 mA, nowhere", "B: 4–20 mA, nowhere", layout=apart)
    cells = {(0, "channel"): Landing(4, 0, landed=True), (0, "supply"): "own 24 V", (1, "supply"): "own 24 V"}
    assert group_message(isolated.with_cells(cells), 1, 4) == ""


def test_ac_and_dc_loads_do_not_share_a_group_that_is_full_of_the_other() -> None:
    """Four relays in groups of two: DC in the first leaves the second for AC, DC in both leaves none."""
    kind = module_types()["ro4"].model_copy(update={"channels_a_group": 2})
    layout = replace(layout_with(), modules={4: Module(4, 1, 1, "ro4")}, types={"ro4": kind})
    plant = plant_of(*["contact NO, nowhere"] * 3, layout=layout)
    loads = {(0, "signal"): "load 24 V DC", (1, "signal"): "load 24 V DC", (2, "signal"): "load AC"}
    one = plant.with_cells(loads | {(0, "channel"): Landing(4, 0, landed=True)})
    assert group_message(one, 2, 4) == ""
    both = one.with_cells({(1, "channel"): Landing(4, 2, landed=True)})
    assert group_message(both, 2, 4) == "P-2 is on DC in the same isolation group, this on AC"
