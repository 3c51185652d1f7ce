"""The cold junction as the module measures it: per module or per channel, in any scale, and used for the value."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from tests.building.words import layout_with

from canaleta.core.model.fields import Landing, field_named, read_cell
from canaleta.core.model.image import PlantImage
from canaleta.core.model.module_type import ModuleType
from canaleta.core.model.registers import RackMap
from canaleta.core.notation.arrays import Words
from canaleta.racks.scan import Asked, Joined, ScanPlan

MV = {"name": "±80 mV", "family": "thermocouple", "signal_unit": "mV", "signal": [-80, 80], "counts": [-32000, 32000], "least": -32768, "most": 32767}  # fmt: skip


def rack(junction: dict[str, Any], **more: Any) -> tuple[ScanPlan, RackMap]:
    """Two thermocouples of type K on mV inputs; our scaling takes the curve."""
    kind = ModuleType.model_validate(
        {"key": "mv2", "title": "MV-2", "channels": 2, "modes": [MV],
         "terminals": [{"mark": "{n}", "role": "plus"}, {"mark": "{n}", "role": "minus"}],
         "registers": [{"holds": "channel words", "count": 2}, {"holds": "cold junction", "count": 1} | junction]} | more
    )  # fmt: skip
    rows = []
    for channel in range(2):
        cells: dict[str, Any] = {
            "tag": f"TE-{channel}",
            "mode": "±80 mV",
            "channel": Landing(4, channel, landed=True),
        }
        for name, text in {"signal": "TC K", "value_law": "sensor curve", "value_unit": "°C"}.items():
            cells |= read_cell(field_named(name), text)
        rows.append(cells)
    image = PlantImage.of_rows(rows, layout_with([kind]))
    rack_map = RackMap.of(image.layout, 1)
    return ScanPlan.of(image, rack_map), rack_map


def values(plan: ScanPlan, words: Words, refused: Any = None) -> list[float]:
    none = np.full(len(plan), np.nan)
    read = Joined({1: plan}).read({1: Asked(words, none, none, 0.0, refused)})
    return [float(x) for x in read[1].reading.value]


def put(rack_map: RackMap, numbers: list[int], junctions: list[int]) -> Words:
    words = np.zeros(rack_map.size, dtype=np.uint16)
    mine = [k for k, module in enumerate(rack_map.modules.tolist()) if module == 4]
    for k, number in zip(mine, numbers, strict=True):
        words[rack_map.word[k]] = np.uint16(number & 0xFFFF)
    for k, junction in zip(mine, junctions, strict=True):
        words[rack_map.cold.word[k]] = np.uint16(junction & 0xFFFF)
    return words


U = 3.0957
"""mV of type K between 100 °C and 25 °C: 4.0962 − 1.0005 (IEC 60584-1); 400 counts a millivolt."""
COUNT = round(U * 400)


def test_the_value_is_worked_out_with_what_the_module_measures() -> None:
    plan, rack_map = rack({})
    assert values(plan, put(rack_map, [COUNT, COUNT], [250, 250]))[0] == pytest.approx(100.0, abs=0.1)
    # At 35 °C the same voltage means more: E(35) is 1.4074 mV, so that 4.503 mV stand for 109.7 °C.
    warmer = values(plan, put(rack_map, [COUNT, COUNT], [350, 350]))[0]
    assert warmer == pytest.approx(109.8, abs=0.2)


def test_each_channel_may_have_its_own() -> None:
    plan, rack_map = rack({"count": 2, "of": {"first": 0, "count": 2}, "step": 1})
    one, other = values(plan, put(rack_map, [COUNT, COUNT], [250, 350]))
    assert (one, other) == (pytest.approx(100.0, abs=0.1), pytest.approx(109.8, abs=0.2))


@pytest.mark.parametrize(
    ("unit", "per", "register"), [("°C", 10, 250), ("°C", 100, 2500), ("°F", 10, 770), ("K", 10, 2982), ("°C", 1, 25)]
)
def test_it_is_counted_in_any_scale(unit: str, per: float, register: int) -> None:
    """25 °C is 77 °F and 298.15 K."""
    plan, rack_map = rack({}, junction_unit=unit, junction_per_degree=per)
    assert values(plan, put(rack_map, [COUNT, COUNT], [register] * 2))[0] == pytest.approx(100.0, abs=0.2)


def test_a_temperature_below_freezing_has_its_sign() -> None:
    plan, rack_map = rack({})
    words = put(rack_map, [COUNT, COUNT], [-50, -50])
    assert rack_map.cold.degc(words, rack_map.forms)[-1] == -5.0
    assert plan.junction_degc(Asked(words, np.zeros(2), np.zeros(2), 0.0))[0] == -5.0


def test_what_no_cabinet_has_and_what_is_refused_is_not_believed() -> None:
    """Then the cabinet's ambient of the plant's conventions stands in, as without a sensor."""
    plan, rack_map = rack({})
    without = values(plan, put(rack_map, [COUNT, COUNT], [int(plan.image.conventions.cabinet_ambient_degc * 10)] * 2))
    assert values(plan, put(rack_map, [COUNT, COUNT], [32767, 32767])) == pytest.approx(without)
    refused = np.zeros(rack_map.size, dtype=bool)
    refused[rack_map.cold.word[-1]] = True
    assert values(plan, put(rack_map, [COUNT, COUNT], [400, 400]), refused) == pytest.approx(without)


def test_a_sensor_elsewhere_goes_before_the_modules_own() -> None:
    plan, rack_map = rack({})
    image = plan.image.with_cells({(0, "junction"): "fixed", (0, "junction_degc"): 25})
    typed = ScanPlan.of(image, rack_map)
    one, other = values(typed, put(rack_map, [COUNT, COUNT], [350, 350]))
    assert (one, other) == (pytest.approx(100.0, abs=0.1), pytest.approx(109.8, abs=0.2))
