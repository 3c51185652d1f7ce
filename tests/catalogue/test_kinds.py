"""Kinds of modules that the trade has, by what their data sheets would promise: figures worked out by hand."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from tests.building.words import path_of, stations

from canaleta.catalogue.types import module_types
from canaleta.core.hardware.fit import Level, judge_module
from canaleta.core.model.fields import STATIONS, Landing, Station, field_named, read_cell
from canaleta.core.model.image import PlantImage
from canaleta.core.model.layout import Cabinet, Layout, Module, Rack
from canaleta.core.path.evaluate import evaluate

COUNTS = STATIONS.index(Station.COUNTS)


def counts(module: str, mode: str, signal: str, at: Station, value: float, **device: Any) -> float:
    image = path_of(device={"signal": signal} | device, input={"module": module, "mode": mode})
    return stations(image, at, value)[COUNTS]


@pytest.mark.parametrize(
    ("module", "mode", "signal", "on_wires", "count"),
    [
        # A pin by choice counts µA, mV and tenths of an ohm.
        ("fx8", "0–20 mA in µA", "4–20 mA", 12.0, 12000.0),
        ("fx8", "0–10 V in mV", "0–10 V", 2.5, 2500.0),
        ("fx8", "0–3000 Ω", "resistance", 1000.0, 10000.0),
        # Ten bits over 0–10 V as 0 to 1000: 5 V is 500, and what is left of a count is cut off.
        ("ci6", "0–10 V", "0–10 V", 5.0, 500.0),
        ("ci6", "0–10 V", "0–10 V", 9.999, 999.0),
        # Eight million counts for 2 mV/V: half of that at 1.
        ("br2", "±2 mV/V", "bridge mV/V", 1.0, 4_000_000.0),
        ("br2", "±3 mV/V", "bridge mV/V", -3.0, -8_000_000.0),
        ("ui4", "0–4000 Ω", "resistance", 1000.0, 8000.0),
        ("ui4", "4–20 mA", "4–20 mA", 12.0, 15000.0),
        ("mx10", "0–10 V in", "0–10 V", 1.0, 3000.0),
        ("vn16", "4–20 mA as they come", "4–20 mA", 7.25, 7.25),
        # Up to 1.25 times a supply of 24 V are 30 V for 4095 counts; the pin beside it has 5 V for them.
        ("sv8", "of the supply", "0–10 V", 10.0, 1365.0),
        ("sv8", "0–5 V pin", "0–5 V", 1.0, 819.0),
    ],
)
def test_a_signal_makes_the_count_that_the_data_sheet_says(
    module: str, mode: str, signal: str, on_wires: float, count: float
) -> None:
    span = {"signal_low": 0, "signal_high": 4000} if signal == "resistance" else {}
    if signal == "bridge mV/V":
        span = {"signal_low": -3, "signal_high": 3}
    assert counts(module, mode, signal, Station.LOOP, on_wires, **span) == count


def test_elements_and_thermocouples_of_a_universal_input_count_tenths_of_a_degree() -> None:
    """IEC 60751: Pt100 has 138.5055 Ω at 100 °C; IEC 60584-1: type K has 4.0962 mV there, with its end at 0 °C."""
    assert counts("ui4", "Pt100, 0.1 °C", "Pt100", Station.PROCESS, 100.0, low=0, high=400, unit="°C") == 1000.0
    assert counts("ui4", "TC K, 0.1 °C", "TC K", Station.PROCESS, 100.0, low=0, high=400, unit="°C") == 1000.0


def test_levels_that_follow_the_supply_are_shares_of_it() -> None:
    """Off below 30 %, on from 55 % of 24 V: 7.2 V and 13.2 V; of 12 V they are 3.6 V and 6.6 V."""
    (mode,) = module_types()["di8-12-24"].modes
    assert mode.follows_supply
    assert (mode.off_below_v / 24, mode.on_from_v / 24) == (pytest.approx(0.30), pytest.approx(0.55))


def test_a_pulse_of_ten_seconds_can_be_asked_for() -> None:
    """0.1 Hz is one tenth, and the register holds tenths of a hertz: 1."""
    setting = module_types()["po2-slow"].setting_of("PWM frequency")
    assert setting is not None
    assert (setting.code_of("0.1"), setting.code_of("100"), setting.code_of("0.05")) == (1, 1000, None)


def plant(key: str, **texts: str) -> PlantImage:
    layout = Layout({1: Cabinet(1, "C", "")}, {1: Rack(1, 1, "1", "127.0.0.1", 1502, 1, 1000)}, {1: Module(1, 1, 1, key)}, module_types())  # fmt: skip
    row: dict[str, Any] = {"tag": "P-1"}
    for name, text in texts.items():
        row |= read_cell(field_named(name), text)
    return PlantImage.of_rows([row], layout)


@pytest.mark.parametrize(
    ("key", "texts", "mode", "channels"),
    [
        ("mx10", {"signal": "4–20 mA", "supply": "none"}, "4–20 mA out", (4, 5)),
        ("mx10", {"signal": "contact NO"}, "24 V DC", (6, 7, 8, 9)),
        ("fx8", {"signal": "contact NO"}, "discrete in", ()),
        ("fx8", {"signal": "resistance", "signal_low": "0", "signal_high": "3000", "wires": "2"}, "0–3000 Ω", ()),
        ("ui4", {"signal": "Pt100", "wires": "3"}, "Pt100, 0.1 °C", ()),
    ],
)
def test_a_device_finds_its_channel_and_its_mode(
    key: str, texts: dict[str, str], mode: str, channels: tuple[int, ...]
) -> None:
    told = judge_module(plant(key, **texts), 0, 1)
    assert told.level is not Level.REFUSED, told.reasons
    assert (told.mode, told.channels) == (mode, channels)


def test_what_is_loaded_on_a_pin_by_choice_is_switched_by_it() -> None:
    image = plant("fx8", signal="load 24 V DC", load_ma="400")
    row = {(0, "channel"): Landing(1, 3, landed=True), (0, "mode"): "high-side switch"}
    assert image.with_cells(row).mode[0] >= 0
    counted = evaluate(image.with_cells(row), Station.PROCESS, 1.0, np.array([0])).stations[COUNTS, 0]
    assert counted == 1.0


def test_each_number_of_a_channel_has_its_own_place() -> None:
    """0.1 °C, 0.1 °F, resistance and status of channel 2 stand in 4, 5, 6 and 7."""
    kind = module_types()["rtd2-3n"]
    numbers = [run.place_of(1)[0] for run in kind.runs() if run.registers.holds in ("channel words", "other numbers")]
    assert numbers == [4, 5, 6]
    assert {flag.place for flag in kind.flags() if flag.channel == 1} == {7}
