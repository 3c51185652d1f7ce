"""Plants of other kinds that are right in every way: nothing is told of them. Each says much of what can be said."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import pytest
from tests.building.words import layout_with

from canaleta.catalogue.types import module_types
from canaleta.core.model.conventions import Conventions
from canaleta.core.model.image import PlantImage
from canaleta.core.model.layout import Cable
from canaleta.core.rules import audit
from canaleta.plant.changes.seed import stored_row

TYPES = module_types()
Texts = dict[str, str]


def ma(tag: str, service: str, low: str, high: str, unit: str, **more: str) -> Texts:
    """A two-wire transmitter with everything that belongs to it."""
    return {
        "tag": tag, "service": service, "signal": "4–20 mA", "device_low": low, "device_high": high, "device_unit": unit,
        "wires": "2", "supply": "module", "mode": "4–20 mA", "value_low": low, "value_high": high, "value_unit": unit,
        "value_law": "straight line", "raw_type": "INT", "screen": "at the cabinet", "lift_off_v": "10.5", "failure_ma": "3.6",
        "display_low": low, "display_high": high,
    } | more  # fmt: skip


def bare(tag: str, service: str, signal: str, low: str, high: str, **more: str) -> Texts:
    """A thermocouple or a resistance element on its own."""
    return {
        "tag": tag, "service": service, "signal": signal, "device_low": low, "device_high": high, "device_unit": "°C",
        "wires": "2" if signal.startswith("TC") else "3", "supply": "none", "mode": f"{signal}, 0.1 °C", "value_low": low,
        "value_high": high, "value_unit": "°C", "value_decimals": "1", "open_action": "up-scale", "screen": "at the cabinet",
    } | more  # fmt: skip


def contact(tag: str, service: str, signal: str = "contact NO", **more: str) -> Texts:
    return {"tag": tag, "service": service, "signal": signal, "wires": "2", "supply": "module", "mode": "24 V DC",
            "text_0": "no", "text_1": "yes"} | more  # fmt: skip


def image_of(points: dict[str, list[Texts]], **conventions: Any) -> PlantImage:
    """Points by the module type that they are on, one after the other on its channels; 38 °C inside."""
    own = [key for key in points if key not in ("di16-24v", "ai8-ui", "tc8", "")]
    layout = layout_with([TYPES[key] for key in own])
    named = dict.fromkeys(p["cable"] for some in points.values() for p in some if "cable" in p)
    layout = replace(
        layout,
        cables={n: Cable(n, name, 2, "pair") for n, name in enumerate(named, start=1)},
        cabinets={n: replace(cabinet, ambient_degc=38.0) for n, cabinet in layout.cabinets.items()},
        types={k: t.model_copy(update={"coldest_degc": 0.0, "hottest_degc": 55.0}) for k, t in layout.types.items()},
    )
    slots = {"di16-24v": 1, "ai8-ui": 2, "tc8": 3} | {key: n for n, key in enumerate(own, start=4)}
    said = Conventions.model_validate({"reserve": {"spare_share": 0.0}} | conventions)
    empty = PlantImage.of_rows([{}], layout, said)
    rows = [
        stored_row(empty, {"channel": f"TC-1·1·{slots[key]}·{channel}", **point})
        for key, some in points.items()
        for channel, point in enumerate(some, start=1)
    ]
    return PlantImage.of_rows(rows, layout, said)


def water_works() -> PlantImage:
    """Levels, flows, quality; pumps, a metering pump, pulses of water meters."""
    alarms = {"alarm_l": "0.8", "alarm_l_deadband": "0.05", "alarm_h": "4.5", "alarm_h_deadband": "0.05", "noise": "0.005",
              "alarm_h_priority": "high", "alarm_says": "reservoir nearly full: stop the well pumps"}  # fmt: skip
    return image_of({
        "ai8-ui": [
            ma("LT-101", "level of reservoir 1, 0-5 m", "0", "5", "m", **alarms),
            ma("LT-102", "level of reservoir 2", "0", "5", "m", hart="yes", hops="resistor 150 Ω"),
            ma("FT-103", "flow to the town", "0", "400", "m³/h", supply="own 24 V", wires="4", scan_ms="500", needs_s="5", damping_s="2"),
            ma("AT-104", "free chlorine", "0", "2", "mg/L", bands="too little < 0.2 < good < 0.6 < too much", bands_deadband="0.02"),
            ma("PT-105", "pressure of the mains, gauge", "0", "10", "bar", safe_side="low", used_by="pressure control of the town"),
        ],
        "di16-24v": [
            contact("XS-111", "well pump 1 runs"),
            contact("XS-112", "well pump 2 runs", debounce="2000"),
            contact("FQ-113", "water meter of the town", fastest="0.4", counts_on="coming on", pulse_value="0.1", pulse_unit="m³"),
            contact("LSL-114", "well 1 dry", "contact NC", trips="stops well pump 1", alarm_state="0", text_0="dry", text_1="wet"),
            contact("ZS-115", "hatch of reservoir 1 closed", screen="at both ends"),
        ],
        "ao4": [
            ma("FV-121", "metering pump of chlorine", "0", "100", "%", supply="none", output_load_ohm="250", lift_off_v="",
               failure_ma="", safe_side="low", on_loss="closes"),
        ],
        "rtd6": [
            bare("TE-131", "bearing of well pump 1", "Pt100", "0", "150", alarm_h="90", alarm_h_deadband="1"),
            bare("TE-132", "bearing of well pump 2", "Pt100", "0", "150", wires="2", jumper="at the input", bridged="4-5", lead_ohm="0.8",
                 lead_taken_ohm="1.6"),
        ],
    }, supplies="G1 24 V 22 to 28 V 10 A on TC-1; F1 of G1 2 A on TC-1·1·1, TC-1·1·2·1 to 4; F2 of G1 1 A on TC-1·1·4")  # fmt: skip


def tank_farm() -> PlantImage:
    """A hazardous zone: barriers, HART, NAMUR, overfill that trips, stand-ins apart from each other."""
    ex = {"zone": "1", "hops": "Ex barrier 250 Ω; terminal", "hart": "yes", "fed_from": "F1 of G1"}
    return image_of({
        "ai4-iso": [
            ma("LT-201A", "level of tank 1", "0", "18", "m", redundant="level of tank 1", cable="W-201A", **ex),
            ma("PT-202", "vapour pressure of tank 1", "-20", "60", "mbar", **ex),
        ],
        "ai8-ui": [
            ma("LT-201B", "level of tank 1", "0", "18", "m", redundant="level of tank 1", cable="W-201B",
               zone="1", hops="Ex barrier 250 Ω", hart="yes", fed_from="F2 of G2"),
            ma("TT-203", "temperature of tank 1", "-30", "80", "°C", zone="2"),
        ],
        "di8-watch": [
            contact("LSHH-211", "tank 1 overfilled", "NAMUR NC", mode="NAMUR", zone="0", hops="isolator", trips="shuts the filling valve",
                    alarm_state="0", alarm_state_priority="high", alarm_says="overfilled: stop the pump, look at the dyke", safe_side="0"),
        ],
        "do8": [
            contact("XV-221", "filling valve of tank 1", "load 24 V DC", mode="24 V DC, 0.5 A", load_ma="250", load_v="24",
                    on_loss="closes", safe_side="0"),
        ],
        "rtd6": [bare("TE-231", "product in tank 2", "Pt100", "-30", "80", zone="1", hops="isolator", tolerance_class="A")],
    })  # fmt: skip


def bakery() -> PlantImage:
    """Ovens, drives, proximity switches, valves, mains."""
    return image_of({
        "tc8": [
            bare("TE-301", "oven 1, zone 1", "TC J", "0", "400", extension="JX", head_degc="60", alarm_h="320", alarm_h_deadband="2",
                 alarm_h_priority="high", alarm_says="oven too hot: shut the gas", safe_side="high", used_by="oven 1 burner"),
            bare("TE-302", "oven 1, zone 2", "TC K", "0", "400", extension="KX", head_degc="60"),
        ],
        "rtd6": [bare("TE-303", "proving chamber", "Pt100", "0", "80", tolerance_class="A", noise="0.02", on_at="38", off_at="37")],
        "ai8-ui": [
            ma("SC-304", "speed of the belt", "0", "30", "m/min", signal="0–10 V", mode="0–10 V", supply="drive", lift_off_v="",
               failure_ma="", raw_type="WORD"),
            ma("WT-305", "flour in the hopper", "0", "2000", "kg", value_type="INT"),
            ma("TT-307", "dough, 0-50 °C", "0", "50", "°C", value_type="INT", value_factor="100"),
            ma("MT-306", "humidity of the proving chamber", "0", "100", "%", value_decimals="0"),
        ],
        "di16-24v": [
            contact("ZS-311", "tray at the oven", "PNP NO", wires="3", fed_from="F7"),
            contact("ZS-312", "tray leaves the oven", "PNP NC", wires="3", fed_from="F7"),
            contact("HS-313", "stop", "contact NC", alarm_state="0", trips="stops the line"),
        ],
        "do8": [
            contact("YV-321", "steam valve", "load 24 V DC", mode="24 V DC, 0.5 A", load_ma="300", load_v="24", on_loss="closes"),
            contact("HL-322", "oven ready", "load 24 V DC", mode="24 V DC, 0.5 A", load_ma="40"),
        ],
        "di4-230ac": [contact("MS-331", "mixer runs", "AC contact NO", mode="230 V AC", supply="none")],
    })  # fmt: skip


def bench() -> PlantImage:
    """Quick and slow, coarse and fine: a controller that takes its channels each 5 ms."""
    quick = {"scan_ms": "5", "update_ms": "1", "needs_s": "0.05", "raw_type": "REAL"}
    return image_of({
        "ai4-pm": [
            ma("PT-401", "pressure of the rig", "0", "250", "bar", signal="0–10 V", mode="0–10 V", supply="own 24 V", wires="3", lift_off_v="",
               failure_ma="", alarm_hh="240", alarm_hh_deadband="0.5", noise="0.05", **quick),
            ma("FT-402", "flow of the rig", "-50", "50", "L/min", signal="±10 V", mode="±10 V", supply="own 24 V", wires="3", lift_off_v="",
               failure_ma="", **quick),
        ],
        "ci6": [
            ma("TT-403", "temperature of the oil", "0", "100", "°C", signal="0–10 V", mode="0–10 V", supply="own 24 V", wires="3",
               lift_off_v="", failure_ma="", alarm_h="80", alarm_h_deadband="0.5", raw_type=""),
        ],
        "tc4-iso": [bare("TE-404", "brake disc", "TC K", "0", "900", tip="grounded")],
        "rtd4": [bare("TE-405", "room", "Pt100", "0", "50", wires="4")],
        "di16-24v": [contact("ZS-411", "door of the cell closed", "PNP NO", wires="3", debounce="10", scan_ms="5")],
        "fi2": [ma("ST-421", "speed of the shaft", "0", "6000", "rpm", signal="frequency", signal_low="0", signal_high="10000",
                   mode="0–10 kHz", supply="own 24 V", wires="3", lift_off_v="", failure_ma="", raw_type="")],
    })  # fmt: skip


@pytest.mark.parametrize("plant", [water_works, tank_farm, bakery, bench], ids=lambda plant: plant.__name__)
def test_of_a_right_plant_nothing_is_told(plant: Any) -> None:
    told = [(f.rule, f.severity, f.text) for f in audit(plant())]
    assert told == [], "\n".join(f"{rule} {text}" for rule, _, text in told)
