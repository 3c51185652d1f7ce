"""Every rule where it speaks, where it must not, and at its edge; a plant is points in words of their cells.

Figures are hand calculation: what stands in an expected text was worked out beside its case.
"""

from __future__ import annotations

import dataclasses
from collections.abc import Callable, Iterable, Sequence
from decimal import Decimal
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from tests.building.words import layout_with

from canaleta.catalogue.types import module_types
from canaleta.core.model.conventions import Conventions
from canaleta.core.model.fields import STORED, Field, Kind, Landing, Station, Stored, read_cell
from canaleta.core.model.image import PlantImage
from canaleta.core.model.layout import Cable, Layout, Module
from canaleta.core.rules import CATALOGUE, HARMS, RULES, Finding, audit, rule_named
from canaleta.core.rules.finding import figures_in
from canaleta.plant.changes.seed import stored_row

TYPES = module_types()
SLOTS = {"di": 1, "ai": 2, "tc": 3} | {
    key: slot
    for slot, key in enumerate(
        ("ai8-left", "ai8-volt", "di8-types", "di16-sink", "di4-230ac", "ro4", "do8", "rtd6", "tc4-iso", "ai4-pm", "ao4",
         "di8-watch", "ai4-iso", "fi2", "po4"), start=4)
}  # fmt: skip
SLOTS["ratio"] = len(SLOTS) + 1
RATIO = TYPES["ai8-volt"].model_copy(
    update={
        "key": "ratio",
        "modes": tuple(m.model_copy(update={"follows_supply": True}) for m in TYPES["ai8-volt"].modes),
    }
)
SLOTS["ao"] = len(SLOTS) + 1
# An output as its manual says it: 500 Ω at most on current, 1 kΩ at least on voltage; it holds its last value.
AO = TYPES["ao4"].model_copy(
    update={
        "key": "ao",
        "on_bus_stop": "hold the last value",
        "modes": tuple(
            m.model_copy(update={"load_most_ohm": 500.0} if m.signal_unit == "mA" else {"load_least_ohm": 1000.0})
            for m in TYPES["ao4"].modes
        ),
    }
)
CABLES = {1: Cable(1, "W1", 4, "multicore"), 2: Cable(2, "W2", 2, "pair")}
LAYOUT = dataclasses.replace(layout_with([*(TYPES[key] for key in list(SLOTS)[3:-2]), RATIO, AO]), cables=CABLES)
Texts = dict[str, str]


def on(slot: str, channel: int = 1) -> str:
    return f"TC-1·1·{SLOTS[slot]}·{channel}"


def warm(degc: float) -> Layout:
    """The cabinet at a temperature, and an input that works from 0 to 55 °C in it."""
    (cabinet,) = LAYOUT.cabinets.values()
    key = next(m.type_key for m in LAYOUT.modules.values() if LAYOUT.slots[m.id] == SLOTS["ai"])
    kind = LAYOUT.types[key].model_copy(update={"coldest_degc": 0.0, "hottest_degc": 55.0})
    return dataclasses.replace(
        LAYOUT,
        cabinets={cabinet.id: dataclasses.replace(cabinet, ambient_degc=degc)},
        types=LAYOUT.types | {key: kind},
    )


def off(*channels: int) -> Layout:
    """Unused channels of the input that are switched off; every other module has none that could be."""
    (here,) = (m for m in LAYOUT.modules.values() if LAYOUT.slots[m.id] == SLOTS["ai"])
    types = {k: t if k == here.type_key else t.model_copy(update={"settings": ()}) for k, t in LAYOUT.types.items()}
    return dataclasses.replace(
        LAYOUT, modules=LAYOUT.modules | {here.id: dataclasses.replace(here, off=channels)}, types=types
    )


def plant(*points: Texts, layout: Layout = LAYOUT, **conventions: Any) -> PlantImage:
    """Points by their cells as typed; spares are no matter here unless a case asks for them."""
    wanted = {"reserve": {"spare_share": 0.0}} | conventions
    empty = PlantImage.of_rows([{}], layout, Conventions.model_validate(wanted))
    return PlantImage.of_rows([stored_row(empty, point) for point in points], layout, empty.conventions)


def current(**cells: str) -> Texts:
    """A pressure by 4–20 mA that is right in every way."""
    return {"tag": "PT-1", "signal": "4–20 mA", "device_low": "0", "device_high": "10", "device_unit": "bar", "wires": "2",
            "supply": "module", "channel": on("ai"), "mode": "4–20 mA", "value_low": "0", "value_high": "10",
            "value_unit": "bar"} | cells  # fmt: skip


def root(**cells: str) -> Texts:
    """A flow by differential pressure, 0…250 mbar, whose root the transmitter takes."""
    flow = {"tag": "FT-1", "device_high": "250", "device_unit": "mbar", "device_law": "square root"}
    return current(**flow, value_high="200", value_unit="m3/h") | cells


def pulses(**cells: str) -> Texts:
    """A proportional valve by pulse width, 0…250 bar, 1 600 mA at full duty."""
    return {"tag": "YV-1", "signal": "PWM", "device_low": "0", "device_high": "250", "device_unit": "bar", "load_ma": "1600",
            "channel": on("po4"), "mode": "PWM", "value_low": "0", "value_high": "250", "value_unit": "bar"} | cells  # fmt: skip


def flow(**cells: str) -> Texts:
    return current(tag="FT-1", device_high="25", device_unit="mbar", value_high="1000", value_unit="m³/h") | cells


def volts(**cells: str) -> Texts:
    return current(signal="0–10 V", mode="0–10 V", supply="drive", wires="2") | cells


def thermocouple(**cells: str) -> Texts:
    return {
        "tag": "TE-1",
        "signal": "TC K",
        "device_low": "0",
        "device_high": "1200",
        "device_unit": "°C",
        "channel": on("tc"),
        "mode": "TC K, 0.1 °C",
    } | cells


def pt100(**cells: str) -> Texts:
    return {
        "tag": "TE-2",
        "signal": "Pt100",
        "device_low": "0",
        "device_high": "200",
        "device_unit": "°C",
        "wires": "3",
        "channel": on("rtd6"),
        "mode": "Pt100, 0.1 °C",
    } | cells


def switch(**cells: str) -> Texts:
    return {"tag": "ZS-1", "signal": "contact NO", "channel": on("di"), "mode": "24 V DC", "supply": "module"} | cells


def two_wire(**cells: str) -> Texts:
    return switch(signal="two-wire NO", channel=on("di8-types"), mode="type 3") | cells


def motor(**cells: str) -> Texts:
    return switch(tag="MS-1", signal="AC contact NO", channel=on("di4-230ac"), mode="230 V AC", supply="none") | cells


def lamp(**cells: str) -> Texts:
    return switch(tag="XL-1", signal="load 24 V DC", channel=on("do8"), mode="24 V DC, 0.5 A", load_ma="100") | cells


def valve(**cells: str) -> Texts:
    """A positioner on a current output."""
    return current(tag="YV-2", supply="none", channel=on("ao")) | cells


AI, RATIO_AT = (f"TC-1·1·{SLOTS[slot]}" for slot in ("ai", "ratio"))
FEEDS = "G1 24 V 20.4 to 28.8 V 10 A; F1 of G1 40 mA; F2 of G1 2 A; G2 12 V 11 to 13 V 1 A"


def slow(period_ms: int) -> Layout:
    racks = {1: dataclasses.replace(LAYOUT.racks[1], period_ms=period_ms)}
    return dataclasses.replace(LAYOUT, racks=racks)


def two_racks(port: int, host: str = "127.0.0.1") -> Layout:
    """A second rack; both are stand-ins, as those of the demo plant are."""
    one = dataclasses.replace(LAYOUT.racks[1], stand_in=True)
    racks = {1: one, 2: dataclasses.replace(one, id=2, name="2", port=port, host=host)}
    return dataclasses.replace(LAYOUT, racks=racks)


def two_at(host: str) -> Layout:
    """Two racks that are no stand-ins, at one address."""
    one = dataclasses.replace(LAYOUT.racks[1], host=host)
    return dataclasses.replace(LAYOUT, racks={1: one, 2: dataclasses.replace(one, id=2, name="2")})


def fed_by(*keys: str) -> Layout:
    """The modules of the layout behind others in the rack."""
    modules = dict(LAYOUT.modules)
    for key in keys:
        number = len(modules) + 1
        modules[number] = Module(number, 1, number, key)
    return dataclasses.replace(LAYOUT, modules=modules, types=LAYOUT.types | {key: TYPES[key] for key in keys})


SPEAKS: list[tuple[str, PlantImage, str]] = [
    ("R01", plant(current(), current(tag="pt-1", channel=on("ai", 2))), "2 points are called PT-1"),
    ("R02", plant(current(), current(tag="PT-2")).with_cells({(1, "channel"): Landing(2, 0, landed=False)}), "PT-2 claims it too"),
    ("R02C", plant(current(cable="W1", cores="1, 2"), current(tag="PT-2", channel=on("ai", 2), cable="W1", cores="2, 3")),
     "core 2 of W1 is claimed by PT-1, PT-2"),
    ("R02T", plant(current(strip="X1:5"), current(tag="PT-2", channel=on("ai", 2), strip="X1:5")), "terminal X1:5 of TC-1"),
    ("R03", plant(lamp(channel=on("di"), mode="24 V DC")), "only listens"),
    ("R03", plant(switch(channel=on("do8"), mode="24 V DC, 0.5 A")), "only switches"),
    ("R03", plant(thermocouple(channel=on("di"), mode="24 V DC")), "takes switches, and the device is a TC K"),
    ("R03", plant(switch(signal="NAMUR NC")), "the device is a NAMUR NC"),
    ("R04", plant(motor(channel=on("di"), mode="24 V DC")), "230 V AC to DI-16, mode 24 V DC: the mains kill the module"),
    ("R04", plant(switch(signal="PNP NO", channel=on("di4-230ac"), mode="230 V AC")), "the mains kill the device"),
    ("R05", plant(current(supply_high_v="12")), "would kill it: the device bears 12 V at most"),
    ("R05", plant(current(supply_low_v="21")), "may fall to 20.4 V and the device needs 21 V"),
    ("R06", plant(switch(signal="PNP NO", channel=on("di16-sink"))), "pulls to +"),
    ("R06", plant(switch(signal="NPN NO")), "pulls to 0 V"),
    # At 12 mA, half of 0…500: the pipe holds half of 0…600.
    ("R07", plant(current(device_high="600", device_unit="mbar", value_high="500", value_unit="mbar")),
     "at 12 mA the list shows 250.0 mbar where the pipe holds 300.0"),
    ("R08", plant(current(service="header 0-10 mbar")), "the text says 0…10 mbar, the device is in bar"),
    ("R09", plant(current(channel=on("ai8-volt"), mode="0–10 V")), "without a shunt it reads nothing right; 500 Ω makes 10 V of 20 mA"),
    # ±10 V on an input that counts from −0.10 V: 9.9 of 20 V.
    ("R09", plant(volts(signal="±10 V")), "49.5 % of the span is cut off"),
    # 0–20 mA over 1 kΩ makes 20 V where the input stops at 10.24.
    ("R09", plant(current(channel=on("ai8-volt"), mode="0–10 V", shunt_ohm="1000", supply="own 24 V")), "cut off"),
    # AI-8 U/I: 32767 counts of 32000 for 20 mA: 4 + 32767 / 32000 · 16 = 20.38 mA.
    ("R10", plant(current(failure_ma="22")), "stops at 20.38 mA: a transmitter failing high at 22.0 mA looks like 20.38 mA"),
    ("R10", plant(current(channel=on("ai8-left"))), "stops at 4.00 mA: a broken wire looks like 4.00 mA"),
    ("R11", plant(current(device_low="10", device_high="0")), "upside down: 10 … 0 bar"),
    ("R12", plant(current(counts_low="0", counts_high="65535")), "is never reached"),
    # 0–20 mA on AI-8 U/I: 32000 for 20 mA, so 4 mA is 6400; from 0 on, it shows a fifth: 2 bar.
    ("R13", plant(current(mode="0–20 mA", counts_low="0", counts_high="32000")), "at 4 mA the list shows 2.00 bar where the device means 0.00"),
    # INT from 0 to 10 moves by 1: a tenth of its span.
    ("R14", plant(current(value_type="INT")), "as INT the value moves by 1: 10.00 % of its span"),
    ("R15", plant(current(alarm_l="8", alarm_h="2")), "L 8 is not below H 2"),
    ("R15", plant(current(alarm_h="9", alarm_hh="8")), "H 9 is not below HH 8: the warning comes behind what it warns of"),
    ("R15", plant(current(alarm_l="8", alarm_h="2")), "L 8 is not below H 2: both stand at once"),
    ("R41", plant(current(supply="none", wires="4")), "AI-8 U/I would, and the list says that it does not"),
    ("R16", plant(current(bands="low < 5 < high < 12 < never")), "“never” is never met: its edge 12"),
    ("R16", plant(current(bands="low < 2 < good < 8 < low")), "two bands are called “low”"),
    # One count of 32000 is 0.3125 mbar of 10 bar (25,600 of them are 16 mA: 0.390625 mbar): 0.5 mbar is 1.6 of 0.3125.
    ("R17", plant(current(alarm_h="8", alarm_h_deadband="0.0005")), "is 1.6 steps"),
    ("R17", plant(current(bands="low < 5 < good < 5.001 < high")), "the narrowest band is 0.00100 bar, which is 3.2 steps"),
    ("R17", plant(current(alarm_h="8", alarm_h_deadband="0.1", noise="0.02")), "is 5.0 times the 0.0200 bar that the value trembles by: it chatters; 6 times are 0.120 bar"),
    ("R17", plant(current(on_at="5", off_at="4.95", noise="0.01")), "the deadband of the switch"),
    ("R18", plant(switch(on_delay="100"), layout=slow(200)), "the rack is read every 200 ms"),
    # 2 · 0.8 Ω with the jumper at the input: 1.6 Ω / 0.39083 Ω/°C = 4.1 °C at 0 °C.
    ("R19", plant(pt100(wires="2", jumper="at the input", lead_ohm="0.8")), "1.60 Ω of lead: +4.1 °C at 0 °C"),
    ("R19", plant(pt100(wires="2", jumper="absent")), "without its jumper: the input is open"),
    ("R20", plant(thermocouple(junction="fixed")), "to which is not said"),
    # 45 °C in the head and 24 °C in the cabinet on copper: about their difference low.
    ("R20", plant(thermocouple(head_degc="45")), "no extension wire is named between the head at 45 °C and the cabinet at 24 °C"),
    ("R20", plant(thermocouple(head_degc="250", extension="KX")), "KX is for −25 … 200 °C, and the head is at 250 °C"),
    ("R21", plant(thermocouple(signal="TC S", device_high="1600")), "a TC S on mode TC K, 0.1 °C: at 1\u202f600 °C the list shows"),
    ("R21", plant(pt100(channel=on("tc"), mode="TC K, 0.1 °C")), "does not take a Pt100"),
    ("R21", plant(thermocouple(channel=on("tc4-iso"), mode="±80 mV")), "in a straight line it is no temperature of a TC K"),
    ("R22", plant(thermocouple(trips="shuts the kiln")), "nobody chose where the value goes when the element breaks, and it shuts something"),
    # 20.4 V − 22 mA · (100 + 400) Ω = 9.4 V, 1.1 V under 10.5 V; (20.4 − 10.5) / 500 = 19.8 mA.
    ("R23", plant(current(lift_off_v="10.5", hops="barrier 400 Ω")), "1.10 V short at 22 mA"),
    ("R23", plant(current(lift_off_v="10.5", hops="barrier 400 Ω")), "beyond 19.8 mA the signal cannot rise"),
    # (20.4 − 10.5) V / 22 mA = 450 Ω, 400 Ω of them taken: 50 Ω are 1,020 m of twice 24.5 Ω/km (IEC 60228, 0.75 mm², 20 °C).
    ("R23", plant(current(lift_off_v="10.5", hops="barrier 300 Ω", cable_m="2000", cable_mm2="0.75", cable_degc="20")), "it would work with 1\u202f020 m of cable"),
    ("R23", plant(current(lift_off_v="10.5", hops="barrier 351 Ω", cable_m="10", cable_mm2="0.75", cable_degc="20")), "no cable is short enough"),
    ("R24", plant(lamp(load_ma="700")), "the load takes 700 mA and DO-8 may switch 500 mA"),
    ("R25", plant(current(), reserve={"spare_share": 1.0}), "TC-1 keeps"),
    ("R26", plant(current(enabled="no", alarm_h="8")), "is off, but it has an alarm"),
    ("R27", plant(current(service="header 0-6 bar")), "the text says 0…6 bar, the range is 0…10 bar"),
    ("R37", plant(switch(fastest="5")), "more than 0.5 a second are missed"),
    ("R37", plant(current(needs_s="0.5")), "it must follow within 0.5 s, and the rack is read every 1.00 s"),
    ("R38", plant(current(redundant="P1"), current(tag="PT-2", channel=on("ai", 2), redundant="p1")), "stand in for each other"),
    # At 23 V of 24 the span ends at 24/23 of the counts.
    ("R39", plant(volts(channel=on("ratio"), counts_low="0", counts_high="27000"), supply_v=23), "the span follows the supply of 23 V"),
    ("R40", plant(current(notes="see %IW1.99")), "%IW1.99 stands in its notes, and its address is %IW1"),
    ("R41", plant(current(supply="none")), "nobody feeds the loop"),
    ("R41", plant(current(supply="own 24 V")), "two sources: the device feeds the loop over its two wires"),
    ("R41", plant(current(supply="module", channel=on("ai4-pm"))), "the list says that the module does"),
    ("R41", plant(current(supply="own 24 V", channel=on("ao4"))), "drives the loop, and so does the device"),
    # A quarter of the pressure is half of the flow: 500 of 1000; without a root it shows 250, with two 707.
    ("R42", plant(flow()), "at a quarter of the range the list shows 250 m³/h where 500 flow"),
    ("R42", plant(flow(device_law="square root", value_law="square root")), "the list shows 707 m³/h where 500 flow"),
    ("R43", plant(thermocouple(signal="TC S", mode="TC S, 0.1 °C", extension="KX", head_degc="45")), "type S on KX wire: "),
    # A tenth of a kelvin along the wire makes 4.1 µV where S makes 0.6 µV; 3.5 µV are 0.3 °C at 1 600 °C (11.8 µV/K).
    ("R43", plant(thermocouple(signal="TC S", mode="TC S, 0.1 °C", extension="KX", head_degc="24.1", device_high="1600")), "0.3 °C too high"),
    ("R44", plant(two_wire(mode="type 1", leakage_ma="1.5", drop_v="8")), "1.50 mA leak through the open switch"),
    ("R44", plant(two_wire(mode="type 1", leakage_ma="1.5", drop_v="8")), "leave 12.4 V; type 1 is on from 15 V"),
    ("R45", plant(current(hart="yes")), "HART meets 100 Ω and needs 230"),
    ("R46", plant(thermocouple(tip="grounded"), thermocouple(tag="TE-9", channel=on("tc", 2), tip="grounded")),
     "TE-1 and TE-9 touch earth at their tips"),
    ("R47", plant(current(needs_s="2", damping_s="1.5")), "after 2.50 s and it must follow within 2 s"),
    ("R48", plant(switch(trips="shuts the gas", alarm_state="1")), "its alarm is the closed circuit"),
    ("R48", plant(volts(trips="stops the drive", channel=on("ai8-volt"))), "0–10 V has no live zero"),
    ("R49", plant(current(tag="TT-1")), "temperature transmitter, but the device is in bar"),
    ("R51", plant(current(second_name="=A1 -B1"), current(tag="PT-2", channel=on("ai", 2), second_name="=a1 -b1")), "one second name"),
    ("R52", plant(current(redundant="P1")), "and nobody else does"),
    ("R53", plant(current()).with_cells({(0, "mode"): "0–24 V"}), "has no mode 0–24 V"),
    ("R54", plant(thermocouple(device_high="1500")), "the range goes to 1\u202f500 °C and the curve of a TC K is known from"),
    ("R55", plant(current(value_law="table", value_table="0 0; 5 100; 10 50")), "turns at point 3"),
    ("R35", plant(current(found_low="64")), "one end of what the channel was found to count is missing"),
    ("R35", plant(current(found_low="0", found_high="31000")), "found to count 0 … 31\u202f000 where the data sheet says 0 … 32\u202f000: −3.13 % of span"),
    ("R35", plant(current(found_low="32000", found_high="0")), "100.00 % of span"),
    ("R35", plant(current(found_low="0", found_high="32000", mode="")), "no channel in a known mode"),
    ("R73", plant(root(device_cutoff="60")), "a cut-off of 60 % of the root: every flow below 60 % of the whole reads as none"),
    ("R73", plant(root(device_cutoff="200", device_cutoff_in="the unit of the range")), "a cut-off of 200 mbar: every flow below 89 % of the whole reads as none"),
    ("R73", plant(current(value_law="square root", value_cutoff="-2", value_cutoff_in="the unit of the range")),
     "a cut-off of -2 bar lies below the range and cuts nothing off"),
    ("R56", plant(current(value_reference="absolute")), "the device's bar may be gauge or absolute; the other side says absolute"),
    ("R57", plant(thermocouple(device_low="-300")), "begins at −300.00 °C: below absolute zero"),
    ("R57", plant(current(device_unit="°C", tag="TT-1")), "the device measures in °C and the value is in bar"),
    ("R58", plant(current(), layout=two_racks(1502)), "TC-1 1 and TC-1 2 are both at 127.0.0.1:1502, unit 1"),
    ("R58", plant(current(), layout=two_at("192.0.2.7")), "TC-1 1 and TC-1 2 are both at 192.0.2.7"),
    ("R59", plant(current(), address_rule="10.0.{cabinet}.{rack}"), "the rule makes it 10.0.1.1"),
    # Eight loops of 22 mA: 4 of them behind a fuse of 125 mA make 88; with 20 mA more each on three wires, 168.
    ("R60", plant(*(current(tag=f"PT-{k}", channel=on("ai", k), wires="3", takes_ma="20") for k in range(1, 5))), "168 mA are taken and 125 mA are there"),
    ("R61", plant(lamp(channel=on("do8")), lamp(tag="XL-2", signal="load AC", channel=on("do8", 2))), "switches AC and XL-1 DC"),
    ("R62", plant(motor(cable="W1"), current(cable="W1")), "cable W1 carries 230 V AC for MS-1 beside the signals of PT-1"),
    ("R63", plant(pt100(cores="1, 2")), "the element has 3 wires and the list gives it 2 cores"),
    ("R65", plant(current(alarm_dev="1")), "no set point is said: it counts from 0"),
    ("R66", plant(current(alarm_h="8", quiet_while="XS-9")), "no point is called so: they never are"),
    ("R66", plant(current(alarm_h="8", quiet_while="PT-2"), current(tag="PT-2", channel=on("ai", 2))), "PT-2 has no state"),
    ("R66", plant(current(quiet_while="PT-1")), "while it is on itself"),
    ("R67", plant(current(bands="low < 2 < normal < 8 < high", bands_lamps="HL-1; HL-2")), "2 lamps are named for 3 bands"),
    ("R68", plant(current(controller_at="register 40")), "write where it stands as in holding 120 real"),
    ("R68", plant(current(pair_at="holding 40 int")), "write both ends"),
    ("R68", plant(current(limits_at="HH holding 40 real, H holding 41 real")), "HH and H stand in the same register"),
    ("R68", plant(current(pair_at="kiln/low, kiln/high")), "a rack that is reached by Modbus TCP has registers and no names"),
    ("R69", plant(pulses(pwm_hz="2500")), "PWM at 2500 Hz: PO-4 takes 50 … 2000 Hz"),
    ("R69", plant(pulses(channel=on("ao4"), mode="0–10 V", signal="0–10 V", pwm_hz="200")), "AO-4 has no such setting"),
    ("R70", plant(pulses(pwm_hz="200", dither_hz="100")), "2 pulses in each period"),
    ("R71", plant(pulses(least_duty="60", most_duty="40")), "the least duty is 60 % and the most 40 %"),
    ("R72", plant(current(signal="")), "it holds a channel and has no signal"),
    ("R72", plant(current(device_high="")), "high is missing: half a range"),
    ("R72", plant(current(value_high="")), "value low"),
    ("R64", plant(current(status="accepted", value_high="", value_low="")), "it is said to be accepted, and lacks value low and value high"),
    ("R18", plant(switch(debounce="8", scan_ms="5")), "the controller takes it every 5 ms"),
    ("R47", plant(current(needs_s="2", update_ms="1200")), "a new number every 1.20 s"),
    # Without its 4 mA a loop of 0…10 bar reads −2.5 bar (0 mA: −4 of 16 mA), the low side.
    ("R74", plant(current(safe_side="high", trips="stops the press")), "the low side, and the high side is the safe one: stops the press"),
    ("R74", plant(thermocouple(safe_side="high", open_action="down-scale", used_by="TIC-1 heats")), "the high side is the safe one: TIC-1 heats"),
    ("R74", plant(switch(safe_side="1")), "it reads 0, state 0, and state 1 is the safe one"),
    ("R75", plant(valve(safe_side="low")), "AO-4 is to hold the last value, and the low side is the safe one"),
    ("R76", plant(current(zone="0")), "it stands in zone 0, and no barrier or isolator is among its hops"),
    ("R76", plant(current(zone="21", hops="head")), "nothing is wrong if it is protected otherwise"),
    # 22² mA² · 500 Ω = 0.242 W.
    ("R77", plant(current(channel=on("ai8-volt"), mode="0–10 V", shunt_ohm="500", shunt_w="0.2", supply="own 24 V")), "22 mA make 0.24 W in 500 Ω, and the shunt bears 0.2 W"),
    ("R77", plant(current(channel=on("ai8-volt"), mode="0–10 V", shunt_ohm="500", shunt_percent="1", tolerance_loop="0.5")), "the shunt is known to ±1 % of what it reads, and the whole loop may be off 0.5 %"),
    ("R78", plant(lamp(load_v="12")), "it is made for 12 V and gets 24 V: it bears 13.2 V"),
    ("R78", plant(lamp(load_v="48")), "it works from 40.8 V on"),
    ("R79", plant(current(screen="at both ends")), "its screen is earthed at both ends"),
    ("R80", plant(current(redundant="P1", fed_from="F12"), current(tag="PT-2", channel=on("ai4-iso"), redundant="p1", fed_from="f12")), "PT-1 and PT-2 stand in for each other and are both fed from F12"),
    ("R80", plant(current(redundant="P1", cable="W1"), current(tag="PT-2", channel=on("ai4-iso"), redundant="p1", cable="W1")), "are both in cable W1"),
    ("R80", plant(current(redundant="P1", trips="stops the press"), current(tag="PT-2", channel=on("ai4-iso"), redundant="p1")), "are both in rack 1 of TC-1"),
    ("R81", plant(current(raw_type="DINT")), "the channel's number is 16 bits, a whole number: DINT has 32 bits"),
    ("R81", plant(current(raw_type="REAL")), "REAL has 32 bits"),
    ("R81", plant(thermocouple(raw_type="UINT")), "UINT has no sign, and the channel counts down to"),
    ("R82", plant(current(display_low="0", display_high="8")), "the display goes from 0 to 8, and the value from 0 … 10 bar"),
    ("R83", plant(current(alarm_h="800", alarm_unit="mbar")), "H 800 is said in mbar and held against a value in bar: 0.8 bar is meant"),
    ("R84", plant(current(alarm_hh="9", alarm_hh_priority="high")), "HH is of high priority, and what to do then is not said"),
    # 450 Ω of the positioner and 100 Ω of a barrier.
    ("R85", plant(valve(output_load_ohm="450", hops="barrier 100 Ω")), "the output meets 550 Ω (450 Ω of them the device's), and AO-4 drives 500 Ω at most"),
    ("R91", plant(switch(signal="contact NC", text_0="clear", text_1="blocked", actuated="blocked")), "its contact is closed at rest: actuated it reads 0, and “blocked” is the word for 1"),
    ("R91", plant(switch(text_0="low", text_1="healthy", actuated="high")), "actuated is called “high”, and its states are “low” and “healthy”"),
    ("R92", plant(current(published_at="holding 400 real"), current(tag="PT-2", channel=on("ai", 2), published_at="holding 401 int")),
     "PT-1 is published at holding 400 to 401, and PT-2 begins at 401"),
    ("R92", plant(current(published_at="register 40")), "write where it stands as in holding 120 real"),
    ("R86", plant(current(mode="")), "it holds a channel of AI-8 U/I, and how that works is not said"),
    ("R86", plant(thermocouple(channel=on("ai"), mode="")), "no mode of it takes a TC K"),
    ("R87", plant(thermocouple(filter="60 Hz")), "its filter takes out 60 Hz and the multiples of it, and the mains have 50 Hz"),
    # Two loops of 22 mA through 40 mA.
    ("R88", plant(current(fed_from="F1 of G1"), current(tag="PT-2", channel=on("ai", 2), fed_from="F1"), supplies=FEEDS), "F1 carries 44 mA for 2 points, and 40 mA are its rating"),
    ("R89", plant(current(fed_from="F9"), supplies=FEEDS), "it is fed from F9, and the plant has no such supply or fuse"),
    # Channels behind a fuse count without a word of their own: 22 mA and 22 mA behind 40 mA.
    ("R88", plant(current(), current(tag="PT-2", channel=on("ai", 2)), supplies=f"G1 24 V; F1 of G1 40 mA on {AI}·1 to 4"), "F1 carries 44 mA for 2 points"),
    # A single channel, where the plant counts them from 0; the one beside it is on the plant's own supply.
    ("R05", plant(current(supply_low_v="18"), channel_base=0, supplies="G2 12 V 11 to 13 V on TC-1·1·2·1"), "the supply may fall to 11 V"),
    ("R05", plant(current(supply_low_v="18"), supplies=f"G2 12 V 11 to 13 V on {AI}"), "the supply may fall to 11 V and the device needs 18 V"),
    ("R80", plant(current(redundant="P1", channel=on("ai")), current(tag="PT-2", redundant="P1", channel=on("ai4-iso")), supplies="G1 24 V; F1 of G1 2 A on TC-1·1"),
     "PT-1 and PT-2 stand in for each other and are both fed from F1"),
    # 12 of 24 V is half of the counts.
    ("R39", plant(volts(channel=on("ratio"), counts_low="0", counts_high="27000"), supplies=f"G2 12 V on {RATIO_AT}"), "the span follows the supply of 12 V"),
    ("R96", plant(current(), supplies="G1 24 V on TC-9"), "G1 is said to be on TC-9, and the plant has no such place"),
    ("R96", plant(current(), supplies=f"G1 24 V on {AI}·1 to 17"), "and its last channel is 8"),
    # 11 to 13 V: a twelfth of 12 V either way.
    ("R97", plant(volts(channel=on("ratio"), fed_from="G3"), supplies=f"G2 24 V on {RATIO_AT}; G3 12 V 11 to 13 V"),
     "the device is fed by G3 and its channel compares it with G2: it may be off by 8 % of the reading"),
    ("R98", plant(current(), layout=warm(58)), "it is 58 °C in TC-1, and AI-8 U/I works up to 55 °C"),
    ("R98", plant(current(), layout=warm(-5)), "works from 0 °C on"),
    ("R99", plant(current(), current(tag="PT-2", channel=on("ai", 3)), layout=off(4, 5, 6), reserve={"spare_share": 0, "spares": "switched off"}), "TC-1·1·2 AI-8 U/I: 3 unused channels are on (2, 4, 8)"),
    # 24 V out, signal in and 0 V are terminals 1 to 3 of the first channel.
    ("R100", plant(current(bridged="1-2")), "terminals 1 (24 V out) and 2 (signal in) are bridged: what the device does is not seen any more"),
    ("R100", plant(pt100(wires="2", bridged="2-3")), "terminals 2 and 3 are bridged, which is the jumper at the input, and nobody says where it is"),
    ("R100", plant(pt100(wires="2", jumper="at the head", bridged="2–3")), "and the list has it at the head"),
    ("R100", plant(pt100(wires="3", bridged="1-2")), "terminals 1 and 2 are bridged, and 3 wires come to them: a lead counts into the reading"),
    ("R100", plant(current(bridged="see drawing")), "“see drawing” is no bridge between two terminals: write 2-3"),
    ("R101", plant(current(service="header 0-10 mdca")), "the text says 0…10 mdca, and mdca is no unit that is known here; the device is in bar"),
    ("R14", plant(current(value_type="INT", value_factor="10")), "as INT the value moves by 1: 1.00 % of its span"),
    ("R14", plant(current(value_type="INT", value_factor="10000")), "INT holds"),
    ("R90", plant(thermocouple(service="oven, Pt100")), "the text says Pt100, and the signal is TC K"),
    ("R90", plant(volts(service="speed 4-20mA")), "the text says 4-20mA, and the signal is 0–10 V"),
    ("R05", plant(current(supply_low_v="18", fed_from="G2"), supplies=FEEDS), "the supply may fall to 11 V and the device needs 18 V"),
    ("R05", plant(current(supply_high_v="10", supply="own 24 V", wires="4", fed_from="G2"), supplies=FEEDS), "the 12 V of G2 would kill it"),
    # 11 V − 22 mA · 100 Ω = 8.8 V.
    ("R23", plant(current(lift_off_v="10.5", fed_from="G2"), supplies=FEEDS), "11.0 V − 22 mA · 100 Ω leave 8.80 V"),
    ("R78", plant(lamp(load_v="24", fed_from="G2"), supplies=FEEDS), "it is made for 24 V and gets 12 V"),
    ("R18", plant(switch(debounce="50", scan_ms="5", update_ms="40")), "shorter than two scans"),
    ("R85", plant(valve(signal="0–10 V", mode="0–10 V", output_load_ohm="500")), "the output meets 500 Ω, and AO-4 drives 1\u202f000 Ω at least"),
]  # fmt: skip

SILENT: list[tuple[str, PlantImage]] = [
    ("R01", plant(current(), current(tag="PT-2", channel=on("ai", 2)))),
    ("R02", plant(current(), current(tag="PT-2", channel=on("ai", 2)))),
    ("R02C", plant(current(cable="W1", cores="1, 2"), current(tag="PT-2", channel=on("ai", 2), cable="W1", cores="3, 4"))),
    ("R02T", plant(current(strip="X1:5"), current(tag="PT-2", channel=on("ai", 2), strip="X1:6"))),
    ("R03", plant(lamp(), switch(), thermocouple(), current(channel=on("ao4"), supply="none"))),
    ("R04", plant(motor(), switch(channel=on("di4-230ac"), mode="230 V AC"), lamp(signal="load AC", channel=on("ro4"), mode="AC load"))),
    ("R05", plant(current(supply_high_v="12", supply="own 24 V"), current(supply_low_v="10", supply_high_v="36"))),
    ("R06", plant(switch(signal="PNP NO"), switch(signal="NPN NO", channel=on("di16-sink")))),
    ("R07", plant(current(device_high="100", device_unit="mbar", value_high="10.00", value_unit="kPa"))),
    ("R08", plant(current(service="header 0-10 bar"))),
    ("R09", plant(current(channel=on("ai8-volt"), mode="0–10 V", shunt_ohm="500", supply="own 24 V"), pt100(), thermocouple())),
    ("R10", plant(current(failure_ma="3.6"), current(failure_ma="22", channel=on("ai4-iso")), volts(trips="the drive"))),
    ("R11", plant(current(device_low="10", device_high="0", value_low="10", value_high="0", acting="reverse"))),
    ("R12", plant(current(counts_low="0", counts_high="32000"))),
    ("R13", plant(current(mode="0–20 mA", counts_low="6400", counts_high="32000"))),
    ("R14", plant(current(value_type="REAL"), current(value_type="INT", device_high="10000", device_unit="mbar", value_high="10000", value_unit="mbar"))),
    ("R15", plant(current(alarm_ll="1", alarm_l="2", alarm_h="8", alarm_hh="9"))),
    ("R16", plant(current(bands="low < 5 < high"))),
    ("R17", plant(current(alarm_h="8", alarm_h_deadband="0.1"), current(on_at="5", off_at="4"))),
    ("R18", plant(switch(on_delay="5000"), switch())),
    ("R19", plant(pt100(lead_ohm="5"), pt100(wires="2", jumper="at the head", lead_ohm="0.8"), pt100(wires="2"))),
    ("R20", plant(thermocouple(), thermocouple(head_degc="45", extension="KX"), thermocouple(junction="fixed", junction_degc="50"),
                  thermocouple(signal="TC B", mode="TC B, 0.1 °C", head_degc="45", device_low="200", device_high="1700"))),
    ("R21", plant(thermocouple(), pt100(), thermocouple(channel=on("tc4-iso"), mode="±80 mV", value_law="sensor curve"))),
    ("R22", plant(thermocouple(), thermocouple(trips="shuts the kiln", open_action="up-scale"))),
    ("R23", plant(current(lift_off_v="10.5"), current(hops="barrier 400 Ω"))),
    ("R24", plant(lamp())),
    ("R25", plant(current())),
    ("R26", plant(current(enabled="no"), current(enabled="yes", alarm_h="8"))),
    ("R27", plant(current(service="header 0-10 bar, zone 3-4"))),
    ("R37", plant(switch(fastest="0.1"), current(needs_s="5"))),
    ("R38", plant(current(redundant="P1"), current(tag="PT-2", channel=on("ai4-iso"), redundant="p1"))),
    ("R39", plant(volts(channel=on("ratio")), supply_v=23)),
    ("R40", plant(current(notes="50 % of the line"))),
    ("R41", plant(current(), current(supply="own 24 V", wires="4"), current(supply="none", channel=on("ao4")), current(supply=""))),
    ("R42", plant(flow(device_law="square root"), flow(value_law="square root"), current(value_unit="m", value_high="100"))),
    ("R43", plant(thermocouple(extension="KCB"), thermocouple(signal="TC R", mode="TC R, 0.1 °C", extension="SCA"))),
    ("R44", plant(two_wire(leakage_ma="1.5", drop_v="8"), switch(), switch(signal="NAMUR NC", channel=on("di8-watch"), mode="NAMUR"))),
    ("R45", plant(current(hart="yes", hops="resistor 250 Ω"), current(hart="no"))),
    ("R46", plant(thermocouple(tip="grounded"), thermocouple(channel=on("tc", 2), tip="insulated"),
                  *(thermocouple(channel=on("tc4-iso", k), tip="grounded") for k in (1, 2)))),
    ("R47", plant(current(needs_s="5", damping_s="1.5"))),
    ("R48", plant(switch(trips="shuts the gas", alarm_state="0"), switch(trips="shuts the gas"), current(trips="shuts the gas"),
                  thermocouple(trips="shuts the kiln"))),
    ("R49", plant(current(), thermocouple(), switch())),
    ("R51", plant(current(second_name="=A1 -B1"), current(tag="PT-2", channel=on("ai", 2), second_name="=A1 -B2"))),
    ("R52", plant(current(redundant="P1"), current(tag="PT-2", channel=on("ai4-iso"), redundant="P1"))),
    ("R53", plant(current(), current(mode=""))),
    ("R54", plant(thermocouple(device_high="1372"), pt100(device_low="-200", device_high="850"))),
    ("R55", plant(current(value_law="table", value_table="0 0; 5 100; 10 150"))),
    ("R35", plant(current(found_low="64", found_high="31936"), current(tag="PT-2"))),
    ("R73", plant(root(device_cutoff="4"), root(device_cutoff="3", device_cutoff_in="the unit of the range"), root(device_cutoff="0"))),
    ("R56", plant(current(), current(value_reference="absolute", device_reference="gauge", value_low="1.013", value_high="11.013"))),
    ("R57", plant(thermocouple(device_low="-200"), current(device_low="-1", value_low="-1"))),
    ("R58", plant(current(), layout=two_racks(1503))),
    # Racks of a plant that nobody serves yet stand at an address that nobody answers at.
    ("R58", plant(current(), layout=two_at("127.0.0.1"))),
    ("R59", plant(current()), ),
    ("R60", plant(*(current(tag=f"PT-{k}", channel=on("ai", k)) for k in range(1, 9)))),
    ("R61", plant(lamp(signal="load AC", channel=on("ro4"), mode="AC load"), lamp(channel=on("ro4", 2), mode="DC load"))),
    ("R62", plant(motor(cable="W1"), motor(tag="MS-2", channel=on("di4-230ac", 2), cable="W1"), current(cable="W2"))),
    ("R63", plant(pt100(cores="1, 2, 3"), current(wires="2", cores="1"))),
    ("R65", plant(current(alarm_dev="1", alarm_dev_from="5"))),
    ("R66", plant(current(alarm_h="8", quiet_while="ZS-1"), switch())),
    ("R66", plant(current(alarm_h="8", quiet_while="PT-2"), current(tag="PT-2", channel=on("ai", 2), on_at="5", off_at="4"))),
    ("R67", plant(current(bands="low < 2 < normal < 8 < high", bands_lamps="HL-1; ; HL-2"))),
    ("R68", plant(current(controller_at="holding 120 real CDAB", pair_at="holding 200 int, holding 201 int", limits_at="HH holding 40 real, ll holding 42 real"))),
    ("R69", plant(pulses(pwm_hz="400", dither_hz="60", dither_percent="4"), current())),
    ("R70", plant(pulses(pwm_hz="400", dither_hz="60"), pulses(tag="YV-2", channel=on("po4", 2), dither_hz="60"))),
    ("R71", plant(pulses(least_duty="8", most_duty="92"), pulses(tag="YV-2", channel=on("po4", 2)))),
    ("R72", plant(current(value_low="", value_high=""), switch())),
    ("R64", plant(current(status="accepted"), current(status="wired", value_low="", value_high=""))),
    ("R91", plant(switch(text_0="clear", text_1="blocked", actuated="Blocked"), switch(signal="contact NC", text_0="blocked", text_1="clear", actuated="blocked"),
                  switch(signal="contact NC", acting="reverse", text_0="clear", text_1="blocked", actuated="blocked"))),
    ("R92", plant(current(published_at="holding 400 real"), current(tag="PT-2", channel=on("ai", 2), published_at="holding 402 real"),
                  current(tag="PT-3", channel=on("ai", 3), published_at="input 401 int"))),
    ("R86", plant(current(), current(channel="", mode=""))),
    ("R87", plant(thermocouple(filter="50 Hz"), thermocouple(filter="10 Hz"), thermocouple())),
    ("R88", plant(current(fed_from="F1 of G1"), current(tag="PT-2", channel=on("ai", 2), fed_from="F2"), current(fed_from="F9"), supplies=FEEDS)),
    ("R89", plant(current(fed_from="F1 of G1"), current(fed_from="g2"), supplies=FEEDS)),
    ("R89", plant(current(fed_from="F9"))),
    ("R96", plant(current(), supplies=f"G1 24 V on TC-1; F1 of G1 on TC-1·1, {AI}, {AI}·1 to 8")),
    ("R97", plant(volts(channel=on("ratio"), fed_from="F3 of G2"), supplies=f"G2 24 V; F2 of G2 2 A on {RATIO_AT}; F3 of G2 1 A")),
    ("R97", plant(volts(fed_from="G3"), supplies="G2 24 V on TC-1; G3 12 V")),
    ("R98", plant(current(), layout=warm(40))),
    ("R98", plant(current(), cabinet_ambient_degc=80)),
    ("R99", plant(current(), reserve={"spare_share": 0})),
    ("R99", plant(current(), layout=off(1, 2, 3, 4, 5, 6, 7), reserve={"spare_share": 0, "spares": "switched off"})),
    ("R100", plant(pt100(wires="2", jumper="at the input", bridged="2-3"), current(bridged="3-6"), pt100(bridged=""))),
    ("R101", plant(current(service="header 0-10 barg, pump 0-10 V3"), current(service="zone 3-4 kiln, shelf 0-10"))),
    ("R14", plant(current(value_type="INT", value_factor="100"), current(value_type="REAL", value_factor="10"))),
    ("R90", plant(current(service="header, 4-20 mA"), thermocouple(service="oven, TC K"), pt100(service="oil, PT 100"), switch(service="PT-1 reset"))),
    # A coarse converter: a deadband of half a percent is many of its steps, whatever its bits are; so is a fine one's.
    ("R17", plant(current(alarm_h="8", alarm_h_deadband="0.05"), current(tag="PT-2", channel=on("ai8-left"), alarm_h="8", alarm_h_deadband="0.05"),
                  current(alarm_h="8", alarm_h_deadband="0.12", noise="0.02"))),
    ("R18", plant(switch(debounce="10", scan_ms="5"))),
    ("R74", plant(current(safe_side="low", trips="stops the press"), thermocouple(safe_side="high", open_action="up-scale"), switch(safe_side="0"),
                  current(safe_side="high", on_failure="up-scale"), current(trips="stops the press"))),
    ("R75", plant(valve(), valve(tag="YV-3", channel=on("ao4"), safe_side="low"), current(safe_side="low"))),
    ("R76", plant(current(zone="1", hops="Ex barrier 300 Ω"), current(zone="0", hops="isolator"), current(zone="2"), current(zone="none"))),
    ("R77", plant(current(channel=on("ai8-volt"), mode="0–10 V", shunt_ohm="500", shunt_w="0.6", shunt_percent="0.1", tolerance_loop="0.5"))),
    ("R78", plant(lamp(load_v="24"), motor(load_v="230"), lamp(signal="load AC", channel=on("ro4"), mode="AC load", load_v="230"))),
    ("R79", plant(current(screen="at the cabinet"), switch(screen="at both ends"))),
    ("R80", plant(current(redundant="P1", fed_from="F12"), current(tag="PT-2", redundant="P1", fed_from="F13", channel=on("ai4-iso")))),
    ("R81", plant(current(raw_type="INT"), current(raw_type="WORD"), thermocouple(raw_type="INT"))),
    ("R82", plant(current(display_low="0", display_high="10"), current(display_low="-1", display_high="16"))),
    ("R83", plant(current(alarm_h="8", alarm_unit="bar"), current(alarm_unit="mbar"))),
    ("R84", plant(current(alarm_hh="9", alarm_hh_priority="high", alarm_says="shut V-1 by hand"), current(alarm_h="8", alarm_h_priority="low"))),
    ("R85", plant(valve(output_load_ohm="250"), valve(signal="0–10 V", mode="0–10 V", output_load_ohm="10000"), valve(channel=on("ao4"), output_load_ohm="900"))),
]  # fmt: skip

# At each edge: the last that is right, and the first that is not.
EDGES: list[tuple[str, PlantImage, PlantImage]] = [
    ("R01", plant(current(tag="PT-1"), current(tag="PT-1 ", channel=on("ai", 2))).with_cells({(1, "tag"): "PT-1A"}), plant(current(), current(channel=on("ai", 2)))),
    ("R02", plant(current(), current(channel=on("ai", 8))), plant(current(), current())),
    ("R02C", plant(current(cable="W1", cores="3, 4")), plant(current(cable="W1", cores="4, 5"))),
    ("R02T", plant(current(strip="X1:5"), current(channel=on("ai", 2), strip="X2:5")), plant(current(strip="X1:5"), current(channel=on("ai", 2), strip="X1:4; X1:5"))),
    # A dry contact goes with either voltage; a contact meant for the mains does not.
    ("R03", plant(switch(signal="end-of-line NO")), plant(switch(signal="NAMUR NO"))),
    ("R04", plant(switch(channel=on("di4-230ac"), mode="230 V AC")), plant(two_wire(channel=on("di4-230ac"), mode="230 V AC"))),
    ("R05", plant(current(supply_low_v="20.4", supply_high_v="28.8")), plant(current(supply_low_v="20.5", supply_high_v="28.8"))),
    ("R06", plant(switch(channel=on("di16-sink"))), plant(switch(signal="PNP NC", channel=on("di16-sink")))),
    # A thousandth of 10 bar is 0.01.
    ("R07", plant(current(value_high="10.009")), plant(current(value_high="10.011"))),
    ("R08", plant(current(service="0-10 bar")), plant(current(service="0-10 kPa"))),
    # An input that stops at 10 V: 500 Ω makes 10 of 20 mA, 510 Ω 10.2.
    ("R09", *(plant(current(channel=on("ai8-volt"), mode="0–10 V", shunt_ohm=ohm, supply="own 24 V")) for ohm in ("500", "510"))),
    # 20.5 mA is still told as good by NE 43; from 21 on it says that it failed.
    ("R10", plant(current(failure_ma="20.4")), plant(current(failure_ma="20.5"))),
    ("R11", plant(current(device_low="9.99")), plant(current(device_low="10"))),
    ("R12", plant(current(counts_low="0", counts_high="32767")), plant(current(counts_low="0", counts_high="32768"))),
    # 6400 counts are 4 mA; half a hundredth of the span of 25600 about nothing is 128.
    ("R13", plant(current(mode="0–20 mA", counts_low="129", counts_high="32000")), plant(current(mode="0–20 mA", counts_low="128", counts_high="32000"))),
    # One of a thousand is the most that may be lost.
    ("R14", *(plant(current(value_type="INT", value_high=top, device_high=top, device_unit="mbar", value_unit="mbar")) for top in ("1000", "999"))),
    ("R15", plant(current(alarm_h="8", alarm_hh="10")), plant(current(alarm_h="8", alarm_hh="10.1"))),
    ("R16", plant(current(bands="low < 9.9 < high")), plant(current(bands="low < 10 < high"))),
    # Two counts of 10 bar / 32000 are 0.625 mbar.
    ("R17", plant(current(alarm_h="8", alarm_h_deadband="0.000625")), plant(current(alarm_h="8", alarm_h_deadband="0.000624"))),
    ("R18", plant(switch(off_delay="400"), layout=slow(200)), plant(switch(off_delay="399"), layout=slow(200))),
    # A thousandth of 200 °C is 0.2 °C; twice 0.035 Ω read 0.18 at 0 °C, twice 0.04 Ω 0.21.
    ("R19", *(plant(pt100(wires="2", jumper="at the input", lead_ohm=ohm)) for ohm in ("0.035", "0.045"))),
    ("R20", plant(thermocouple(head_degc="26")), plant(thermocouple(head_degc="26.1"))),
    ("R21", plant(pt100(signal="Pt100 3916", mode="Pt100 3916, 0.1 °C")), plant(pt100(signal="Pt100 3916"))),
    ("R22", plant(thermocouple(alarm_h="800", open_action="as the module does")), plant(thermocouple(alarm_h="800"))),
    # 20.4 − 22 mA · R = 10.5 V at 450 Ω: 100 of the module and 350.
    ("R23", *(plant(current(lift_off_v="10.5", hops=f"barrier {ohm} Ω")) for ohm in ("350", "351"))),
    ("R24", plant(lamp(load_ma="500")), plant(lamp(load_ma="501"))),
    # 16 channels of that class, one used: 15 of 16 are 93.75 %.
    ("R25", *(plant(current(), reserve={"spare_share": share}) for share in (0.5, 0.999))),
    ("R26", plant(current(enabled="no", status="powered")), plant(current(enabled="no", status="loop-checked"))),
    ("R27", plant(current(service="0-10.009 bar")), plant(current(service="0-10.02 bar"))),
    # Read every second: a change every two seconds is the most.
    ("R37", plant(switch(fastest="0.5")), plant(switch(fastest="0.51"))),
    ("R38", plant(current(redundant="A"), current(redundant="B", channel=on("ai", 2))), plant(current(redundant="A"), current(redundant="A", channel=on("ai", 2)))),
    ("R39", plant(volts(channel=on("ratio"), counts_low="0", counts_high="27000"), supply_v=24), plant(volts(channel=on("ratio"), counts_low="0", counts_high="27000"), supply_v=23.9)),
    ("R40", plant(current(notes="at %IW1.1")), plant(current(notes="at %IW1.2"))),
    ("R41", plant(current(supply="own 24 V", wires="3")), plant(current(supply="own 24 V", wires="2"))),
    ("R42", plant(flow(value_unit="m³")), plant(flow(value_unit="kg/h"))),
    ("R43", plant(thermocouple(signal="TC B", mode="TC B, 0.1 °C", device_low="200", device_high="1700", extension="copper")), plant(thermocouple(extension="copper"))),
    ("R44", plant(two_wire(leakage_ma="1.5", drop_v="9.4")), plant(two_wire(leakage_ma="1.5", drop_v="9.5"))),
    ("R45", plant(current(hart="yes", hops="resistor 130 Ω")), plant(current(hart="yes", hops="resistor 129 Ω"))),
    ("R46", plant(thermocouple(tip="grounded")), plant(thermocouple(tip="grounded"), thermocouple(tip="grounded", channel=on("tc", 8)))),
    ("R47", plant(current(needs_s="2", damping_s="1")), plant(current(needs_s="2", damping_s="1.01"))),
    ("R48", plant(switch(alarm_state="1")), plant(switch(alarm_state="1", trips="shuts the gas"))),
    ("R49", plant(current(tag="PT-1")), plant(current(tag="PSH-1"))),
    ("R51", plant(current(second_name="=A1")), plant(current(second_name="=A1"), switch(second_name="=A1"))),
    ("R52", plant(current()), plant(current(redundant="P1"), switch())),
    ("R53", plant(current()).with_cells({(0, "mode"): None}), plant(current()).with_cells({(0, "mode"): "4-20"})),
    ("R54", plant(pt100(device_high="850")), plant(pt100(device_high="851"))),
    ("R55", plant(current(value_law="table", value_table="0 0; 5 100; 10 101")), plant(current(value_law="table", value_table="0 0; 5 100; 10 99"))),
    # 2 % of 32 000 counts are 640.
    ("R35", plant(current(found_low="640", found_high="32000")), plant(current(found_low="641", found_high="32000"))),
    # A quarter of the pressure is half the flow.
    ("R73", plant(root(device_cutoff="24.9", device_cutoff_in="% before the root")), plant(root(device_cutoff="25", device_cutoff_in="% before the root"))),
    ("R56", plant(current(device_reference="gauge", value_reference="gauge")), plant(current(device_reference="gauge"))),
    ("R57", plant(thermocouple(device_low="-273.15")), plant(thermocouple(device_low="-273.16"))),
    ("R58", plant(current(), layout=two_racks(1502, "127.0.0.2")), plant(current(), layout=two_racks(1502))),
    ("R59", plant(current(), address_rule="127.0.0.{rack}"), plant(current(), address_rule="127.0.0.1{rack}")),
    # Four of 22 + 9.25 mA are 125 mA: all that the fuse bears.
    ("R60", *(plant(*(current(tag=f"PT-{k}", channel=on("ai", k), wires="3", takes_ma=ma) for k in range(1, 5))) for ma in ("9.25", "9.3"))),
    ("R61", plant(lamp(), lamp(channel=on("do8", 2))), plant(lamp(), lamp(signal="load AC", channel=on("do8", 8)))),
    ("R62", plant(motor(cable="W1"), current(cable="W2")), plant(motor(cable="w1"), current(cable="W1"))),
    ("R63", plant(pt100(wires="2", cores="1, 2")), plant(pt100(wires="3", cores="1, 2"))),
    ("R65", plant(current(alarm_dev="1", alarm_dev_from="0")), plant(current(alarm_dev="1"))),
    ("R66", plant(current(quiet_while="ZS-1"), switch()), plant(current(quiet_while="zs-1"), switch())),
    ("R67", plant(current(bands="low < 2 < high", bands_lamps="; HL-1")), plant(current(bands="low < 2 < high", bands_lamps="HL-1"))),
    ("R68", plant(current(controller_at="input 65534 int")), plant(current(controller_at="input 65535 int"))),
    ("R69", plant(pulses(pwm_hz="2000")), plant(pulses(pwm_hz="2001"))),
    ("R70", plant(pulses(pwm_hz="300", dither_hz="60")), plant(pulses(pwm_hz="299", dither_hz="60"))),
    ("R71", plant(pulses(least_duty="39.9", most_duty="40")), plant(pulses(least_duty="40", most_duty="40"))),
    # Neither end is a point that is not worked on yet; one end alone is half a statement.
    ("R72", plant(current(value_low="", value_high="")), plant(current(value_high=""))),
    ("R64", plant(current(status="powered", signal="")), plant(current(status="loop-checked", signal=""))),
    ("R86", plant(current(channel="", mode="")), plant(current(mode=""))),
    ("R91", plant(switch(text_0="off", text_1="on", actuated="on")), plant(switch(text_0="off", text_1="on", actuated="off"))),
    ("R92", *(plant(current(published_at="holding 400 dint"), current(channel=on("ai", 2), published_at=f"holding {at} int")) for at in (402, 401))),
    ("R87", plant(thermocouple(filter="50 Hz")), plant(thermocouple(filter="50 Hz"), mains_hz=60)),
    # 22 + 18 mA are 40.
    ("R88", *(plant(current(fed_from="F1"), lamp(fed_from="F1", load_ma=ma), supplies=FEEDS) for ma in ("18", "18.1"))),
    ("R89", plant(current(fed_from="F2 of G1"), supplies=FEEDS), plant(current(fed_from="F3 of G3"), supplies=FEEDS)),
    ("R96", *(plant(current(), supplies=f"G1 24 V on {AI}·1 to {last}") for last in (8, 9))),
    ("R97", *(plant(volts(channel=on("ratio"), fed_from=name), supplies=f"G2 24 V on {RATIO_AT}; G3 24 V") for name in ("G2", "G3"))),
    ("R98", *(plant(current(), layout=warm(degc)) for degc in (55, 55.1))),
    ("R99", *(plant(current(), layout=off(*range(1, last)), reserve={"spare_share": 0, "spares": "switched off"}) for last in (8, 7))),
    ("R100", plant(current(bridged="3-4")), plant(current(bridged="2-3"))),
    ("R101", plant(current(service="header 0-10.1 mdca")), plant(current(service="header 0-10 mdca"))),
    # 1 / (100 · 10) is a thousandth, 1 / (99 · 10) more.
    ("R14", *(plant(current(value_type="INT", value_factor=times)) for times in ("100", "99"))),
    ("R90", plant(pt100(service="Pt100")), plant(pt100(service="Pt1000"))),
    ("R74", plant(switch(signal="contact NC", safe_side="0")), plant(switch(signal="contact NC", safe_side="1"))),
    ("R75", plant(valve(safe_side="low", channel=on("ao4"))), plant(valve(safe_side="high"))),
    ("R76", plant(current(zone="22")), plant(current(zone="21"))),
    # 22² mA² · 250 Ω = 0.121 W.
    ("R77", *(plant(current(shunt_ohm="250", shunt_w=bears)) for bears in ("0.121", "0.12"))),
    # 110 % of 21.9 V are 24.09 V, of 21.8 V 23.98 V.
    ("R78", plant(lamp(load_v="21.9")), plant(lamp(load_v="21.8"))),
    ("R79", plant(thermocouple(screen="at the device")), plant(thermocouple(screen="at both ends"))),
    ("R80", plant(current(redundant="A", cable="W1"), current(redundant="B", cable="W1", channel=on("ai", 2))), plant(current(redundant="A", cable="W1"), current(redundant="A", cable="w1", channel=on("ai", 2)))),
    # Counts to 32,767: just what an INT holds.
    ("R81", plant(current(raw_type="INT")), plant(current(raw_type="UDINT"))),
    # A thousandth of 10 bar is 0.01.
    ("R82", plant(current(display_low="0", display_high="9.991")), plant(current(display_low="0", display_high="9.989"))),
    ("R83", plant(current(alarm_h="8", alarm_unit="bar")), plant(current(alarm_h="8", alarm_unit="kPa"))),
    ("R84", plant(current(alarm_h="8", alarm_h_priority="medium")), plant(current(alarm_h="8", alarm_h_priority="high"))),
    ("R85", plant(valve(output_load_ohm="500")), plant(valve(output_load_ohm="501"))),
]  # fmt: skip


def rules_of(image: PlantImage, id: str) -> list[str]:
    return [found.text for found in audit(image) if found.rule == id]


@pytest.mark.parametrize(("id", "image", "text"), SPEAKS, ids=[f"{case[0]}-{n}" for n, case in enumerate(SPEAKS)])
def test_where_it_speaks(id: str, image: PlantImage, text: str) -> None:
    assert any(text in told for told in rules_of(image, id)), rules_of(image, id)


@pytest.mark.parametrize(("id", "image"), SILENT, ids=[case[0] for case in SILENT])
def test_where_it_must_not(id: str, image: PlantImage) -> None:
    assert rules_of(image, id) == []


@pytest.mark.parametrize(("id", "right", "wrong"), EDGES, ids=[case[0] for case in EDGES])
def test_at_its_edge(id: str, right: PlantImage, wrong: PlantImage) -> None:
    assert (bool(rules_of(right, id)), bool(rules_of(wrong, id))) == (False, True)


def test_no_rule_is_without_all_three() -> None:
    every = {rule.id for rule in RULES}
    assert {case[0] for case in SPEAKS} == {case[0] for case in SILENT} == {case[0] for case in EDGES} == every


def test_points_that_are_right_have_nothing_against_them() -> None:
    right = plant(current(), volts(tag="PT-2", channel=on("ai", 2)), thermocouple(), pt100(), switch(), two_wire(tag="ZS-2"),
                  motor(), lamp(), flow(channel=on("ai", 3), device_law="square root"))  # fmt: skip
    assert [(found.rule, found.text) for found in audit(right)] == []


def test_one_fault_is_told_once() -> None:
    """What a special rule explains, the comparison of ranges does not tell again."""
    for faulty in (
        thermocouple(signal="TC S", extension="KX", mode="TC S, 0.1 °C"),
        pt100(wires="2", jumper="at the input", lead_ohm="0.8"),
        current(mode="0–20 mA", counts_low="0", counts_high="32000"),
        volts(signal="±10 V", value_low="-10", device_low="-10"),
        thermocouple(signal="TC S"),
    ):
        assert len({found.rule for found in audit(plant(faulty))}) == 1, faulty


def test_the_catalogue_tells_what_each_rule_is() -> None:
    for rule in RULES:
        assert rule.name
        assert rule.source
        assert rule.looks
        assert rule.harm in HARMS
        assert rule.severity in ("bad", "settle", "note")
        assert rule_named(rule.id) is rule
    assert len({rule.id for rule in RULES}) == len(RULES)


def test_the_plant_says_how_severe_a_rule_is() -> None:
    short = current(tag="PT-1", hart="yes")
    assert [f.severity for f in audit(plant(short)) if f.rule == "R45"] == ["settle"]
    assert [f.severity for f in audit(plant(short, severities="R45 bad")) if f.rule == "R45"] == ["bad"]
    assert [f.severity for f in audit(plant(short, severities="r45 note; R10 bad")) if f.rule == "R45"] == ["note"]
    assert rules_of(plant(short, severities="R45 off"), "R45") == []
    with pytest.raises(ValueError, match="R45 loud"):
        Conventions(severities="R45 loud")


def test_a_mode_for_the_wires_that_are_there_is_offered_and_none_for_more() -> None:
    """An input with modes for two, three and four wires: two wires are offered the first, and where no mode is said, no mode
    that would wait for a third."""
    rtd = TYPES["rtd6"]
    three = next(m for m in rtd.modes if m.name.startswith("Pt100"))
    modes = [three.model_copy(update={"name": f"Pt100, {n} wires", "wires": n}) for n in (4, 3, 2)]
    layout = dataclasses.replace(
        LAYOUT, types=LAYOUT.types | {"rtd6": rtd.model_copy(update={"modes": tuple(modes)})}
    )

    def offered(id: str, **cells: str) -> list[str]:
        found = [f for f in audit(plant(pt100(**cells), layout=layout)) if f.rule == id]
        return [fix.label for f in found for fix in f.fixes if fix.edits[0][0].field == "mode"]

    two = {"wires": "2", "lead_ohm": "0.8"}
    assert offered("R19", **two, jumper="at the input", mode="Pt100, 3 wires") == ["mode Pt100, 2 wires"]
    assert offered("R19", **two, jumper="absent", mode="Pt100, 3 wires") == ["mode Pt100, 2 wires"]
    assert offered("R86", wires="2", mode="") == ["mode Pt100, 2 wires"]
    assert offered("R86", wires="3", mode="")[0] == "mode Pt100, 3 wires"


def test_what_shuts_something_is_relied_upon() -> None:
    """A failure that is hidden, or a wrong value, is bad where a trip hangs on it; what only wavers stays what it is."""

    def grades(id: str, *points: Texts, **conventions: Any) -> list[str]:
        return [f.severity for f in audit(plant(*points, **conventions)) if f.rule == id]

    hidden = current(failure_ma="22")
    assert grades("R10", hidden) == ["settle"]
    assert grades("R10", hidden | {"trips": "shuts the gas"}) == ["bad"]
    assert grades("R10", hidden | {"trips": "shuts the gas"}, severities="R10 note") == ["note"]
    assert grades("R07", current(device_high="12", trips="shuts the gas")) == ["bad"]
    assert grades("R18", switch(debounce="100", scan_ms="200", trips="stops the press")) == ["settle"]


def test_a_finding_rests_on_its_facts() -> None:
    """What a rule looks at makes another fingerprint of it; what it does not look at does not."""

    def print_of(**cells: str) -> str:
        return next(f.fingerprint for f in audit(plant(current(hart="yes", **cells))) if f.rule == "R45")

    assert print_of() == print_of(service="header", area="kiln")
    assert len({print_of(), print_of(hops="resistor 50 Ω"), print_of(mode="0–20 mA")}) == 3


def test_points_of_one_module_type_share_a_cause_and_trips_are_told() -> None:
    image = plant(
        current(failure_ma="22"), current(tag="PT-2", channel=on("ai", 2), failure_ma="22", trips="shuts the gas")
    )
    found = [f for f in audit(image) if f.rule == "R10"]
    assert {f.cause.key for f in found if f.cause} == {"ai8-ui:4–20 mA"}
    assert [f.trips for f in found] == [False, True]


OTHER_TEXT = {
    Kind.TEXT: ["X-9"],
    Kind.UNIT: ["mbar", "°F"],
    Kind.TABLE: ["0 0; 7 50; 9 70"],
    Kind.HOPS: ["barrier 20 Ω"],
    Kind.CORES: ["7, 8"],
    Kind.TERMINALS: ["X9:9"],
    Kind.FACTORS: ["a 2"],
    Kind.BANDS: ["a < 7 < b"],
    Kind.LINK: ["https://vallroja.example"],
}


def variants(field: Field) -> list[Stored]:
    """Contents a cell may have, and none."""
    if field.kind in (Kind.NUMBER, Kind.WHOLE):
        return [None, Decimal(2), Decimal(3), Decimal(700)]
    texts = list(field.choices) or OTHER_TEXT.get(field.kind, [])
    return [None, *(read_cell(field, text)[field.name] for text in texts)]


@pytest.mark.parametrize(("id", "image", "text"), SPEAKS, ids=[f"{case[0]}-{n}" for n, case in enumerate(SPEAKS)])
def test_what_a_finding_says_rests_on_what_its_rule_reads(id: str, image: PlantImage, text: str) -> None:
    """Any other cell may change without another look: else what is stored of a finding would be stale."""
    rule = rule_named(id)
    rows = np.arange(len(image))

    def told(of: PlantImage) -> list[Finding]:
        with np.errstate(all="ignore"):
            return sorted(rule.check(of, rows), key=lambda finding: finding.key)

    assert stale_fields(image, told, [f for f in STORED if f.name not in (*rule.reads, rule.group)]) == []


def stale_fields(image: PlantImage, told: Callable[[PlantImage], Any], others: Sequence[Field]) -> list[str]:
    """Which of some fields change what is told: all of them are changed at once, then one by one if that does."""
    offered = {f.name: variants(f) for f in others if f.kind is not Kind.ADDRESS}
    before = told(image)

    def differs(names: Iterable[str], k: int) -> bool:
        cells = {(0, name): offered[name][k % len(offered[name])] for name in names}
        return bool(told(image.with_cells(cells)) != before)

    rounds = max(map(len, offered.values()))
    wrong = [k for k in range(rounds) if differs(offered, k)]
    return [name for name in offered if any(differs([name], k) for k in wrong)] or (
        ["several at once"] if wrong else []
    )


def test_a_rule_that_reads_more_than_it_says_is_found() -> None:
    image = plant(current(), current(tag="PT-2", channel=on("ai", 2)))
    others = [f for f in STORED if f.name not in ("tag", "mode")]
    for secret in ("service", "signal", "damping_s", "value_law"):
        assert stale_fields(image, lambda of, name=secret: of.text(name, 0), others) == [secret]  # type: ignore[misc]
    assert stale_fields(image, lambda of: of.text("tag", 0), others) == []


def test_every_rule_stands_in_the_documents() -> None:
    page = (Path(__file__).parents[2] / "docs/rules.md").read_text(encoding="utf-8")
    assert [rule.id for rule in CATALOGUE if f"| {rule.id} | {rule.name} | {rule.looks} |" not in page] == []


def test_a_range_without_span_is_told_at_the_station_it_belongs_to() -> None:
    device = [f for f in audit(plant(current(device_low="10", device_high="10"))) if f.rule == "R11"]
    value = [f for f in audit(plant(current(value_low="10", value_high="10"))) if f.rule == "R11"]
    assert [(f.station, f.cells[0].field) for f in device] == [(Station.DEVICE, "device_low")]
    assert [(f.station, f.cells[0].field) for f in value] == [(Station.VALUE, "value_low")]


def test_a_quoted_range_is_found_whatever_the_text_above_it_ends_with() -> None:
    """The texts of all points are looked through at once."""
    above = current(tag="PT-1", service="between zones 5 to", channel=on("ai", 2))
    alone = [f.rule for f in audit(plant(current(service="0–6 mbar header"))) if f.rule in ("R08", "R27")]
    below = [f.rule for f in audit(plant(above, current(service="0–6 mbar header"))) if f.rule in ("R08", "R27")]
    assert alone
    assert below == alone


def test_an_exchanged_module_is_one_cause_with_its_points() -> None:
    """Three of four points on it have modes of another module; one mode alone would be each point's own matter."""
    exchanged = plant(
        *(current(tag=f"PT-{k}", channel=on("ai", k)) for k in range(1, 4)), volts(tag="PT-4", channel=on("ai", 4))
    )
    wrong = exchanged.with_cells({(row, "mode"): f"0–{row} V of old" for row in range(3)})
    found = [f for f in audit(wrong) if f.rule == "R53"]
    assert len(found) == 3
    assert len({f.cause.key for f in found if f.cause}) == 1
    assert found[0].cause is not None
    assert found[0].cause.says.endswith("3 of its 4 points are for another")
    alone = [f for f in audit(exchanged.with_cells({(0, "mode"): "of old"})) if f.rule == "R53"]
    assert alone[0].cause is not None
    assert "points are for another" not in alone[0].cause.says


def test_a_convention_that_spoils_many_is_one_cause() -> None:
    tags = plant(*(current(tag=f"P{k}-X", channel=on("ai", k)) for k in range(1, 4)), tag_rule="AA-9999")
    causes = {f.cause.key if f.cause else "" for f in audit(tags) if f.rule == "R49"}
    assert len(causes) == 1
    steps = plant(
        *(current(tag=f"PT-{k}", channel=on("ai", k), alarm_h="8", alarm_h_deadband="0.01") for k in range(1, 4)),
        least_deadband_steps=100,
    )
    found = [f for f in audit(steps) if f.rule == "R17"]
    assert [f.cause.key if f.cause else "" for f in found] == ["least_deadband_steps"] * 3


@pytest.mark.parametrize(
    ("service", "rule_id", "becomes"),
    [
        ("header 0-10 mbar of line 2", "R08", "header 0…10 bar of line 2"),
        ("header 0-6 bar", "R27", "header 0…10 bar"),
    ],
)
def test_a_text_can_be_followed_or_corrected(service: str, rule_id: str, becomes: str) -> None:
    (found,) = [f for f in audit(plant(current(service=service))) if f.rule == rule_id]
    follow, correct = found.fixes
    assert follow.label.startswith("follow the text")
    ((cell, text),) = correct.edits
    assert (correct.label, cell.field, text) == ("correct the text: 0…10 bar", "service", becomes)
    assert rules_of(plant(current(service=becomes)), rule_id) == []


def fixes_of(image: PlantImage, id: str) -> list[dict[str, str]]:
    (found,) = [f for f in audit(image) if f.rule == id]
    return [{cell.field: text for cell, text in fix.edits} for fix in found.fixes]


def test_a_tag_that_is_taken_gets_the_next_one_by_the_plants_rule() -> None:
    twice = (
        current(tag="PT-0101"),
        current(tag="PT-0101", channel=on("ai", 2)),
        current(tag="PT-0102", channel=on("ai", 3)),
    )
    assert fixes_of(plant(*twice, tag_rule="AA-9999"), "R01") == [{"tag": "PT-0103"}]
    assert fixes_of(plant(*twice), "R01") == [{"tag": "PT-0101-2"}]


def test_a_shunt_is_the_one_that_the_scaling_implies() -> None:
    """Half of what AI-8 V counts for 10 V, at 20 mA, is 5 V: 250 Ω; all of it is 500 Ω."""
    top = float(TYPES["ai8-volt"].modes[0].counts.high)
    bare = {"channel": on("ai8-volt"), "mode": "0–10 V", "supply": "own 24 V"}
    half = plant(current(counts_low=f"{top / 10:g}", counts_high=f"{top / 2:g}", **bare))
    assert {"shunt_ohm": "250"} in fixes_of(half, "R09")
    assert {"shunt_ohm": "500"} in fixes_of(plant(current(**bare)), "R09")


@pytest.mark.parametrize(
    ("text", "figures"),
    [
        ("1.10 V short at 22 mA: 20.4 V − 22 mA · 500 Ω", ["1.10", "22", "20.4", "22", "500"]),
        ("PT-1, PT-2 at 127.0.0.1:1502.", ["1", "2", "127.0.0.1", "1502"]),
        ("1,000.5 and .5 and 6. and 7", ["1,000.5", "5", "6", "7"]),
        ("1..2 3...4 5,.6 7,,8", ["1", "2", "3", "4", "5", "6", "7", "8"]),
        ("no figure . , here", []),
    ],
)
def test_the_figures_of_a_sentence_are_its_facts(text: str, figures: list[str]) -> None:
    """A waiver holds for figures, so that they are read alike for ever: digits with single points or commas between."""
    assert figures_in(text) == figures
