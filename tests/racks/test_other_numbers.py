"""A channel with several numbers, each with its address: the mode of a point chooses which one it reads."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from tests.building.words import layout_with

from canaleta.catalogue.types import module_types
from canaleta.core.model.addresses import addresses_of
from canaleta.core.model.fields import Landing, field_named, read_cell
from canaleta.core.model.image import PlantImage
from canaleta.core.model.module_type import ModuleType
from canaleta.core.model.quality import Reason
from canaleta.core.model.registers import RackMap, decode
from canaleta.core.path.facts import facts_of
from canaleta.racks.scan import Asked, Joined, ScanPlan

RTD = module_types()["rtd2-3n"]
MODES = ("Pt100, 0.1 °C", "Pt100, 0.1 °F", "Pt100 as 0.01 Ω")


def plant(*points: tuple[int, str, str]) -> PlantImage:
    """Points on (channel, mode, unit) of an RTD-2 N in slot 4."""
    rows = []
    for number, (channel, mode, unit) in enumerate(points):
        cells: dict[str, Any] = {"tag": f"TE-{number}", "mode": mode, "channel": Landing(4, channel, landed=True)}
        told = {"signal": "Pt100", "wires": "4", "value_unit": unit}
        if unit == "°C" and "Ω" in mode:
            told["value_law"] = "sensor curve"
        for name, text in told.items():
            cells |= read_cell(field_named(name), text)
        rows.append(cells)
    return PlantImage.of_rows(rows, layout_with([RTD]))


def words_of(rack_map: RackMap, channel: int, numbers: dict[str, int], status: int = 0) -> Any:
    words = np.zeros(rack_map.size, dtype=np.uint16)
    for reads, number in numbers.items():
        words[rack_map.word[rack_map.row_of(4, channel, reads)]] = number & 0xFFFF
    words[rack_map.word[rack_map.row_of(4, channel)] + 3] = status
    return words


NUMBERS = {"": 1000, "the same in 0.1 °F": 2120, "its resistance in 0.01 Ω": 13851}
"""100 °C is 212 °F, and 138.51 Ω (IEC 60751)."""


@pytest.mark.parametrize(
    ("mode", "unit", "value"), [(MODES[0], "°C", 100.0), (MODES[1], "°F", 212.0), (MODES[2], "°C", 100.0)]
)
def test_the_mode_chooses_the_number_that_is_read(mode: str, unit: str, value: float) -> None:
    image = plant((1, mode, unit))
    rack_map = RackMap.of(image.layout, 1)
    none = np.full(1, np.nan)
    plan = ScanPlan.of(image, rack_map)
    read = Joined({1: plan}).read({1: Asked(words_of(rack_map, 1, NUMBERS), none, none, 0.0)})
    assert read[1].reading.value[0] == pytest.approx(value, abs=0.05)


def test_two_points_cannot_hold_one_channel_but_each_number_has_its_place() -> None:
    layout = layout_with([RTD])
    rack_map = RackMap.of(layout, 1)
    first = addresses_of(layout, rack_map, 4, 0, MODES[0]).register
    assert [addresses_of(layout, rack_map, 4, 0, mode).register - first for mode in MODES] == [0, 1, 2]
    assert [addresses_of(layout, rack_map, 4, 1, mode).register - first for mode in MODES] == [4, 5, 6]


def test_the_status_of_a_channel_is_that_of_all_its_numbers() -> None:
    image = plant((0, MODES[1], "°F"))
    rack_map = RackMap.of(image.layout, 1)
    words = words_of(rack_map, 0, NUMBERS, status=1)
    assert decode(rack_map, words).reasons[rack_map.row_of(4, 0, "the same in 0.1 °F")] & Reason.OPEN_CIRCUIT
    none = np.full(1, np.nan)
    read = Joined({1: ScanPlan.of(image, rack_map)}).read({1: Asked(words, none, none, 0.0)})
    assert read[1].reading.reasons[0] & Reason.OPEN_CIRCUIT


def test_a_number_that_no_mode_reads_is_not_asked_for() -> None:
    body = RTD.model_dump(mode="json")
    modes = body["modes"][:2]
    settings = [dict(s, codes={m["name"]: k for k, m in enumerate(modes)}) if s["of"] == "mode" else s for s in body["settings"]]  # fmt: skip
    plain = ModuleType.model_validate(body | {"modes": modes, "settings": settings})
    assert len(RackMap.of(layout_with([plain]), 1).reads) == 0
    assert len(RackMap.of(layout_with([RTD]), 1).reads) == 4


def test_the_page_of_a_point_says_which_of_them_is_in_use() -> None:
    sections = {s.title: s for s in facts_of(plant((0, MODES[1], "°F")), 0)}
    beside = [row.basis for row in sections["addresses"].rows if row.label == "beside it"]
    assert beside == ["the same in 0.1 °F; the one in use", "its resistance in 0.01 Ω; not the one in use"]


def test_one_mode_of_the_module_may_be_read_in_several_ways_and_two_modes_may_not_share_a_number() -> None:
    body = RTD.model_dump(mode="json")
    with pytest.raises(ValueError, match="two choices have one number"):
        ModuleType.model_validate(body | {"modes": [m | {"reads": ""} for m in body["modes"]]})
    with pytest.raises(ValueError, match="no other number"):
        ModuleType.model_validate(body | {"modes": [*body["modes"][:3], body["modes"][3] | {"reads": "ohms"}]})
