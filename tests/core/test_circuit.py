"""The circuit of a point: it closes and has one source, or says why not; meter and calibrator beside it."""

from __future__ import annotations

from dataclasses import replace
from xml.etree import ElementTree

import pytest
from tests.building.words import layout_with, path_of, plant_of

from canaleta.catalogue.types import module_types
from canaleta.core.model.fields import Landing
from canaleta.core.model.image import PlantImage
from canaleta.core.model.layout import Cable
from canaleta.core.wiring.circuit import Circuit, circuit_of
from canaleta.core.wiring.circuit_drawing import drawn
from canaleta.core.wiring.hookup import hookup_of


def circuit(plant: PlantImage) -> Circuit:
    found = circuit_of(plant, 0)
    assert found is not None
    return found


def transmitter(**cells: str) -> PlantImage:
    plant = plant_of("PT-1: 4–20 mA, 0…10 bar")
    layout = replace(plant.layout, cables={1: Cable(1, "W-1", 4, colours="white, brown, green, yellow")})
    return plant.with_layout(layout).with_cells({(0, name): text for name, text in cells.items()})


def on(key: str, sentence: str, mode: str, **cells: str) -> PlantImage:
    layout = layout_with([module_types()[key]])
    plant = plant_of(f"{sentence}, nowhere", layout=layout)
    cells |= {"mode": mode}
    return plant.with_cells({(0, n): t for n, t in cells.items()} | {(0, "channel"): Landing(4, 0, landed=True)})


def test_a_two_wire_loop_goes_round_from_the_module_and_back() -> None:
    """24 V out, fuse, core, device, core, signal in, 100 Ω: in the order the current meets them."""
    found = circuit(transmitter(wires="2", supply="module", cable="W-1", cores="1, 2", strip="X1:1 fuse; X1:2"))
    assert found.closes
    assert found.way == (
        "terminal 1 (24 V out)",
        "X1:1 fuse",
        "W-1 core 1 white",
        "PT-1 + … −",
        "W-1 core 2 brown",
        "X1:2",
        "terminal 2 (signal in)",
        "100 Ω to 0 V in the module",
        "back to where it began",
    )
    assert [run.flows for run in found.runs] == ["to device", "to module"]


def test_four_wires_turn_the_current_round() -> None:
    """From two wires to four, the device drives; the current enters at signal in and leaves at 0 V."""
    found = circuit(transmitter(wires="4", supply="own 24 V"))
    assert found.closes
    assert found.source == "the device's own supply"
    assert [(run.terminal, run.flows) for run in found.runs] == [("2", "to module"), ("3", "to device")]


@pytest.mark.parametrize(
    ("cells", "says"),
    [({"wires": "2", "supply": "own 24 V"}, "two sources"), ({"wires": "2", "supply": "none"}, "no source")],
)
def test_a_loop_has_exactly_one_source(cells: dict[str, str], says: str) -> None:
    found = circuit(transmitter(**cells))
    assert not found.closes
    assert says in found.faults[0]


def test_a_pnp_output_on_a_common_at_24_v_has_no_current() -> None:
    found = circuit(on("di16-sink", "ZS-1: PNP NO", "24 V DC", wires="3"))
    assert "pulls to + and the common is at +" in found.faults[0]


def test_an_npn_output_on_a_common_at_0_v_has_no_current() -> None:
    found = circuit(on("di8-types", "ZS-1: NPN NO", "type 3", wires="3"))
    assert "pulls to 0 V and the common is at 0 V" in found.faults[0]


def test_cores_of_sensors_have_the_colours_of_their_standard() -> None:
    """IEC 60947-5-2: brown +, black output, blue 0 V."""
    found = circuit(plant_of("ZS-1: PNP NO").with_cells({(0, "wires"): "3"}))
    assert [(r.mark, r.colour) for r in found.runs] == [("+", "brown"), ("out", "black"), ("0 V", "blue")]


def test_three_leads_of_a_pt100_are_two_red_and_one_white() -> None:
    """IEC 60751: leads of one colour belong to one end."""
    found = circuit(on("rtd6", "TE-1: 4–20 mA", "Pt100, 0.1 °C", signal="Pt100", wires="3"))
    assert [r.colour for r in found.runs] == ["red", "red", "white"]
    assert "leads of one colour" in found.notes[0]


def test_four_leads_reach_four_terminals_and_two_of_them_carry_no_current() -> None:
    found = circuit(on("rtd4", "TE-1: 4–20 mA", "Pt100, 0.1 °C", signal="Pt100", wires="4"))
    assert [(r.mark, r.role, r.flows) for r in found.runs] == [
        ("a", "plus", "to device"),
        ("b", "sense", ""),
        ("c", "sense 2", ""),
        ("d", "minus", "to module"),
    ]


@pytest.mark.parametrize(
    ("code", "plus", "minus"),
    [("IEC 60584-3", "green", "white"), ("ANSI MC96.1", "yellow", "red")],
)
def test_colours_change_with_the_code_and_polarity_does_not(code: str, plus: str, minus: str) -> None:
    """KX is green and white by IEC, yellow and red by ANSI; plus stays on the plus terminal."""
    plant = plant_of("TE-1: TC K, 0…1200 °C")
    plant = replace(plant, conventions=plant.conventions.model_copy(update={"thermocouple_colours": code}))
    found = circuit(plant)
    assert [(r.mark, r.colour, r.role) for r in found.runs] == [("+", plus, "plus"), ("−", minus, "minus")]


def test_an_output_is_the_one_source_of_what_it_drives() -> None:
    found = circuit(on("ao4", "ZV-1: 4–20 mA", "4–20 mA", wires="2", supply="none"))
    assert (found.source, found.closes) == ("the module's output", True)


def test_a_shunt_stands_across_its_terminals() -> None:
    plant = on("ai8-volt", "PT-1: 4–20 mA", "0–10 V", wires="2", supply="own 24 V", shunt_ohm="250")
    assert circuit(plant).across == (("1", "2", "shunt 250 Ω"),)


def test_every_drawing_is_well_formed_whatever_is_typed() -> None:
    """Typed texts are escaped: a cable called <b>&"x" is drawn as it is called."""
    layout = replace(plant_of("4–20 mA").layout, cables={1: Cable(1, '<b>&"x"', 2)})
    plant = plant_of("P<1>&: 4–20 mA").with_layout(layout)
    plant = plant.with_cells({(0, "cable"): '<b>&"x"', (0, "cores"): "1, 2", (0, "hops"): "barrier <&> 300 Ω"})
    root = ElementTree.fromstring(drawn(circuit(plant)))
    texts = [e.text for e in root.iter("{http://www.w3.org/2000/svg}text")]
    assert "P<1>&" in texts
    assert '<b>&"x"' in texts


def test_the_drawing_says_itself_in_words() -> None:
    root = ElementTree.fromstring(drawn(circuit(transmitter(wires="2", supply="module"))))
    assert "terminal 1, 24 V out" in root.attrib["aria-label"]


@pytest.mark.parametrize(
    ("sentence", "mode", "cells", "ends"),
    [
        # 24 V out, plus, minus: the 24 V goes to the device, what comes back enters at plus.
        ("PT-1: 4–20 mA", "4–20 mA", {"wires": "2", "supply": "module"}, [("1", "to device"), ("2", "to module")]),
        ("ZS-1: contact NO", "24 V DC", {}, [("1", "to device"), ("2", "to module")]),
        ("ZS-1: PNP NO", "24 V DC", {}, [("1", "to device"), ("2", "to module"), ("3", "to module")]),
        # An amplifier of three cores: its supply, its volts, and the 0 V of both.
        (
            "WT-1: 0–10 V",
            "0–10 V",
            {"wires": "3", "supply": "module"},
            [("1", "to device"), ("2", ""), ("3", "to module")],
        ),
    ],
)
def test_what_lands_on_24_v_plus_and_minus(
    sentence: str, mode: str, cells: dict[str, str], ends: list[tuple[str, str]]
) -> None:
    found = circuit(on("xm4", sentence, mode, **cells))
    assert [(run.terminal, run.flows) for run in found.runs] == ends
    assert found.closes


def test_a_contact_on_a_common_at_24_v_has_its_second_core_on_0_v() -> None:
    """The current comes from the common, out of the input, through the contact to 0 V."""
    found = circuit(on("di16-sink", "ZS-1: contact NO", "24 V DC"))
    assert [(run.role, run.flows) for run in found.runs] == [("signal in", "to device"), ("0 V", "to module")]


def test_a_contact_on_bare_inputs_gets_its_24_v_from_the_cabinet() -> None:
    found = circuit(on("di32", "ZS-1: contact NO", "24 V DC"))
    assert [(run.terminal, run.role) for run in found.runs] == [("", "24 V of the cabinet"), ("1", "signal in")]
    assert found.source == "24 V of the cabinet"


def test_a_relay_switches_what_the_cabinet_feeds() -> None:
    """A relay contact is no source: 24 V to its common, its output to the load, the load back to 0 V."""
    found = circuit(on("ro4", "YV-1: load 24 V DC", "DC load"))
    assert found.links == (("2", "common", "24 V of the cabinet"),)
    assert [run.role for run in found.runs] == ["signal out", "0 V of the cabinet"]
    assert found.source == "24 V of the cabinet"


def test_two_wires_on_an_input_for_four_leave_two_jumpers() -> None:
    """Each sense line is made at the input when no core runs for it."""
    found = circuit(on("rtd4", "TE-1: 4–20 mA", "Pt100, 0.1 °C", signal="Pt100", wires="2", jumper="at the input"))
    assert [(mark, to) for mark, _, to in found.links] == [("2", "1"), ("3", "4")]


def test_who_feeds_a_loop_is_not_guessed() -> None:
    found = circuit(transmitter(wires="2"))
    assert not found.closes
    assert "not known whether it closes" in drawn(found)


# Meter and calibrator -----------------------------------------------------------------------------------------


def test_the_meter_on_a_burden_reads_ohms_law() -> None:
    """100 Ω: 0.40 V at 4 mA and 2.00 V at 20 mA."""
    plant = transmitter(wires="2", supply="module")
    hookup = hookup_of(plant, 0, circuit(plant))
    assert "0.40 … 2.00 V at 4 … 20 mA" in hookup.readings[1].healthy


def test_the_voltage_over_a_fed_device_is_what_the_loop_leaves_it() -> None:
    """24 V less 100 Ω of burden and a barrier of 300 Ω: 22.4 V at 4 mA, 16.0 V at 20 mA."""
    plant = transmitter(wires="2", supply="module", hops="barrier 300 Ω")
    over = hookup_of(plant, 0, circuit(plant)).readings[2]
    assert over.meter == "V over the device"
    assert over.healthy == "22.4 V at 4 mA, 16.0 V at 20 mA"


def test_a_device_with_its_own_supply_has_no_such_voltage_at_the_terminals() -> None:
    plant = transmitter(wires="4", supply="own 24 V")
    assert [r.meter for r in hookup_of(plant, 0, circuit(plant)).readings] == ["mA, in series", "V, nothing opened"]


def test_a_fed_loop_is_simulated_and_a_driven_one_sourced() -> None:
    """A calibrator that sources into a loop the module feeds would be the second source."""
    fed, driven = transmitter(wires="2", supply="module"), transmitter(wires="4", supply="own 24 V")
    assert "simulate" in hookup_of(fed, 0, circuit(fed)).calibrator
    assert hookup_of(driven, 0, circuit(driven)).calibrator == "source mA"


def test_of_three_cores_the_signals_is_opened_and_not_the_supplys() -> None:
    """Opening the supply would switch the device off; the meter belongs into the signal."""
    plant = transmitter(wires="3", supply="module", cable="W-1", cores="1, 2, 3", strip="X1:1 knife; X1:2; X1:3")
    hookup = hookup_of(plant, 0, circuit(plant))
    assert hookup.readings[0].where.startswith("lift the core at X1:2")
    assert hookup.readings[2].where == "X1:1 to X1:3"


def test_a_dead_zero_has_no_failure_current_and_its_own_volts() -> None:
    """0–20 mA over 100 Ω: 0.00 … 2.00 V; NE 43 tells failure beside a live zero only."""
    plant = on("ai8-ui", "FT-1: 0–20 mA", "0–20 mA", wires="2", supply="module")
    series, burden = hookup_of(plant, 0, circuit(plant)).readings[:2]
    assert [cause for cause, _ in series.otherwise] == ["0.00 mA", "over 22 mA"]
    assert burden.healthy == "0.00 … 2.00 V at 0 … 20 mA"


def test_the_knife_is_where_the_loop_is_opened() -> None:
    plant = transmitter(wires="2", supply="module", cable="W-1", cores="1, 2", strip="X1:1; X1:2 knife")
    hookup = hookup_of(plant, 0, circuit(plant))
    assert hookup.readings[0].where.startswith("open knife X1:2")
    assert hookup.steps[0].startswith("open knife X1:2")


def test_a_thermocouple_at_the_cabinets_temperature_gives_no_millivolts() -> None:
    """Type K: 0 mV with both ends at 24 °C; 20.644 − 0.960 = 19.685 mV at 500 °C."""
    plant = plant_of("TE-1: TC K, 0…1200 °C")
    healthy = hookup_of(plant, 0, circuit(plant)).readings[0].healthy
    assert "0.000 mV with the hot end at the 24 °C" in healthy
    assert "19.685 mV at 500 °C" in healthy


def test_what_it_trips_is_said_before_anything_is_lifted() -> None:
    plant = transmitter(wires="2", supply="module", trips="shuts the gas", inhibit="HS-1", tell="the shift leader")
    assert hookup_of(plant, 0, circuit(plant)).safe == (
        "it shuts the gas; inhibit first: HS-1",
        "tell the shift leader",
    )


def test_mains_is_made_dead_and_never_bridged() -> None:
    plant = on("di4-230ac", "YS-1: AC contact NO", "230 V AC", wires="2")
    hookup = hookup_of(plant, 0, circuit(plant))
    assert "prove dead" in hookup.safe[0]
    assert "never bridge mains" in hookup.steps[-1]


def test_a_point_without_a_channel_has_no_circuit() -> None:
    assert circuit_of(plant_of("4–20 mA, nowhere"), 0) is None
    assert circuit_of(path_of(device={"signal": "TC K"}), 0) is None
