"""Every kind of device against every kind of input: fits, warns or refuses, and why. Reviewed line by line."""

from decimal import Decimal

import pytest
from tests.building.words import path_of

from canaleta.catalogue.types import module_types
from canaleta.core.hardware.fit import Judgement, Level, judge, mode_that_fits
from canaleta.core.model.fields import Landing
from canaleta.core.model.image import PlantImage
from canaleta.core.model.layout import Cabinet, Layout, Module, Rack

TYPES = module_types()
SLOT = {key: number for number, key in enumerate(TYPES, start=1)}
LAYOUT = Layout(
    {1: Cabinet(1, "T", "")},
    {1: Rack(1, 1, "1", "127.0.0.1", 502, 1, 1000)},
    {n: Module(n, 1, n, key) for key, n in SLOT.items()},
    dict(TYPES),
)

DEVICES = {
    "two-wire transmitter": ({"signal": "4–20 mA", "low": 0, "high": 10, "unit": "bar"}, {"supply": "module", "wires": 2}),
    "active transmitter": ({"signal": "4–20 mA", "low": 0, "high": 10, "unit": "bar"}, {"supply": "own 24 V", "wires": 4}),
    "active on two wires": ({"signal": "4–20 mA", "low": 0, "high": 10, "unit": "bar"}, {"supply": "own 24 V", "wires": 2}),
    "0–10 V": ({"signal": "0–10 V", "low": 0, "high": 10, "unit": "bar"}, {"supply": "drive", "wires": 2}),
    "bipolar": ({"signal": "±10 V", "low": -1, "high": 1, "unit": "bar"}, {"supply": "drive", "wires": 2}),
    "type K": ({"signal": "TC K"}, {}),
    "Pt100": ({"signal": "Pt100"}, {"wires": 3}),
    "potentiometer": ({"signal": "potentiometer", "signal_low": 0, "signal_high": 5000, "low": 0, "high": 100, "unit": "%"}, {"wires": 3}),
    "frequency": ({"signal": "frequency", "signal_low": 0, "signal_high": 2000, "low": 0, "high": 400, "unit": "rpm"}, {"supply": "module"}),
    "dry contact": ({"signal": "contact NO"}, {}),
    "PNP": ({"signal": "PNP NO", "drop_v": 2}, {"wires": 3}),
    "NPN": ({"signal": "NPN NO", "drop_v": 2}, {"wires": 3}),
    "leaking two-wire": ({"signal": "two-wire NO", "leakage_ma": 1.5, "drop_v": 8}, {}),
    "NAMUR": ({"signal": "NAMUR NO"}, {}),
    "mains contact": ({"signal": "AC contact NO"}, {}),
    "valve positioner": ({"signal": "4–20 mA", "low": 0, "high": 100, "unit": "%"}, {"supply": "none", "wires": 2}),
    "coil of 300 mA": ({"signal": "load 24 V DC", "load_ma": 300}, {"supply": "none", "wires": 2}),
    "coil of 800 mA": ({"signal": "load 24 V DC", "load_ma": 800}, {"supply": "none", "wires": 2}),
    "coil of 1.5 A": ({"signal": "load 24 V DC", "load_ma": 1500}, {"supply": "none", "wires": 2}),
    "mains coil of 1.5 A": ({"signal": "load AC", "load_ma": 1500}, {"supply": "none", "wires": 2}),
    "four-wire Pt100": ({"signal": "Pt100"}, {"wires": 4}),
    "two-wire Pt100": ({"signal": "Pt100"}, {"wires": 2}),
    "two-wire, 250 Ω": ({"signal": "4–20 mA", "low": 0, "high": 10, "unit": "bar"},
                        {"supply": "own 24 V", "wires": 2, "shunt_ohm": 250}),
}  # fmt: skip

FITS, WARNS, REFUSED = Level.FITS, Level.WARNS, Level.REFUSED
# Device, module, level, and a part of the reason or of the remedy. One line a judgement.
TABLE = [
    ("two-wire transmitter", "ai8-ui", WARNS, "failure high cannot be seen"),
    ("two-wire transmitter", "ai4-pm", WARNS, "nobody feeds the loop"),
    ("two-wire transmitter", "rtd6", REFUSED, "takes °C, Ω"),
    ("two-wire transmitter", "tc8", REFUSED, "takes °C"),
    ("two-wire transmitter", "di16-24v", REFUSED, "gives mA"),
    ("two-wire transmitter", "ao4", REFUSED, "two sources"),
    ("active transmitter", "ai8-ui", WARNS, "failure high cannot be seen"),
    ("active transmitter", "ai4-pm", FITS, ""),
    ("active on two wires", "ai8-ui", REFUSED, "two sources in one loop"),
    ("active on two wires", "ai4-pm", FITS, ""),
    ("0–10 V", "ai8-ui", FITS, ""),
    ("0–10 V", "ai4-pm", FITS, ""),
    ("0–10 V", "fi2", REFUSED, "takes Hz, pulses"),
    ("bipolar", "ai4-pm", FITS, ""),
    ("type K", "tc8", FITS, ""),
    ("type K", "ai8-ui", REFUSED, "a head transmitter makes 4–20 mA"),
    ("type K", "rtd6", REFUSED, "a head transmitter"),
    ("Pt100", "rtd6", FITS, ""),
    ("Pt100", "ai8-ui", REFUSED, "a head transmitter"),
    ("Pt100", "tc8", REFUSED, "TC-8 takes °C; Pt100 gives Ω"),
    ("potentiometer", "rtd6", FITS, ""),
    ("frequency", "fi2", FITS, ""),
    ("frequency", "ai8-ui", REFUSED, "gives Hz"),
    ("dry contact", "di16-24v", FITS, ""),
    ("dry contact", "di4-230ac", FITS, ""),
    ("dry contact", "ai8-ui", REFUSED, "a discrete input"),
    ("PNP", "di16-24v", FITS, ""),
    ("PNP", "di8-types", FITS, ""),
    ("PNP", "di4-230ac", REFUSED, "kill the sensor"),
    ("PNP", "di8-watch", REFUSED, "takes mA"),
    ("NPN", "di16-24v", REFUSED, "it will never switch"),
    ("NPN", "di8-types", REFUSED, "an input whose common is at +"),
    ("leaking two-wire", "di8-types", FITS, ""),
    ("leaking two-wire", "di4-230ac", REFUSED, "kill the sensor"),
    ("NAMUR", "di8-watch", FITS, ""),
    ("NAMUR", "di16-24v", REFUSED, "takes V; NAMUR NO gives mA"),
    ("mains contact", "di4-230ac", FITS, ""),
    ("mains contact", "di16-24v", REFUSED, "kill the module"),
    ("mains contact", "ai8-ui", REFUSED, "kill the module"),
    ("mains contact", "xm4", REFUSED, "kill the module"),
    ("mains contact", "tc8", REFUSED, "kill the module"),
    ("mains contact", "di32", REFUSED, "kill the module"),
    ("two-wire transmitter", "ai4-iso", FITS, ""),
    ("two-wire transmitter", "xm4", FITS, ""),
    ("two-wire transmitter", "ai8-left", WARNS, "low and high cannot be seen"),
    ("two-wire transmitter", "ai8-volt", REFUSED, "a shunt of 250 Ω or 500 Ω"),
    ("active transmitter", "ai4-iso", FITS, ""),
    ("active on two wires", "xm4", REFUSED, "two sources in one loop"),
    ("two-wire, 250 Ω", "ai8-volt", FITS, ""),
    ("valve positioner", "ao4", FITS, ""),
    ("valve positioner", "ai4-iso", WARNS, "nobody feeds the loop"),
    ("0–10 V", "ai8-volt", FITS, ""),
    ("0–10 V", "xm4", FITS, ""),
    ("0–10 V", "tc4-iso", REFUSED, "overdriven: 0–10 V on an input for 81.25 mV"),
    ("0–10 V", "ai4-iso", REFUSED, "takes mA"),
    ("bipolar", "ai8-volt", FITS, ""),
    ("bipolar", "xm4", WARNS, "part of ±10 V is cut off"),
    ("bipolar", "ai8-ui", WARNS, "part of ±10 V is cut off"),
    ("type K", "tc4-iso", FITS, ""),
    ("type K", "ai4-pm", WARNS, "needs the sensor curve"),
    ("type K", "xm4", REFUSED, "a head transmitter"),
    ("Pt100", "rtd4", WARNS, "built for 4 wires and the element has 3"),
    ("four-wire Pt100", "rtd4", FITS, ""),
    ("four-wire Pt100", "rtd6", WARNS, "takes 3 of its 4 wires"),
    ("Pt100", "xm4", WARNS, "takes 2 of its 3 wires"),
    ("two-wire Pt100", "xm4", FITS, ""),
    ("dry contact", "di16-sink", FITS, ""),
    ("dry contact", "xm4", FITS, ""),
    ("dry contact", "di32", FITS, ""),
    ("PNP", "di32", FITS, ""),
    ("PNP", "di16-sink", REFUSED, "an input whose common is at 0 V"),
    ("NPN", "di16-sink", FITS, ""),
    ("NPN", "xm4", REFUSED, "it will never switch"),
    ("leaking two-wire", "di32", FITS, ""),
    ("leaking two-wire", "di8-seq", WARNS, "type 1 is off only up to 0.5 mA"),
    ("NAMUR", "xm4", REFUSED, "XM-4 has no mode for NAMUR NO"),
    ("coil of 300 mA", "do8", FITS, ""),
    ("coil of 300 mA", "ro4", FITS, ""),
    ("coil of 300 mA", "di16-24v", REFUSED, "DI-16 only listens"),
    ("coil of 300 mA", "ai8-ui", REFUSED, "a discrete output"),
    ("coil of 800 mA", "do8", REFUSED, "800 mA; DO-8 may switch 500 mA"),
    ("coil of 800 mA", "ro4", FITS, ""),
    ("coil of 1.5 A", "ro4", REFUSED, "may switch 1000 mA in DC load"),
    ("mains coil of 1.5 A", "ro4", FITS, ""),
    ("mains coil of 1.5 A", "do8", REFUSED, "the mains would kill the module"),
    ("PNP", "do8", REFUSED, "two sources"),
    ("dry contact", "ro4", REFUSED, "two sources"),
]


def device(name: str) -> PlantImage:
    given, loop = DEVICES[name]
    one = path_of(tag="X-1", device=given, loop=loop, value={"low": 0, "high": 10, "unit": "bar"})
    return PlantImage.of_rows([{n: c[0] for n, c in one.cells.items()}], LAYOUT)


def judged(name: str, key: str) -> Judgement:
    return judge(device(name), 0, SLOT[key], 0)


@pytest.mark.parametrize(("name", "key", "level", "says"), TABLE, ids=[f"{d} on {k}" for d, k, *_ in TABLE])
def test_every_kind_against_every_input(name: str, key: str, level: Level, says: str) -> None:
    found = judged(name, key)
    assert found.level is level, found
    told = " · ".join((*found.reasons, *found.remedies))
    assert says in told
    assert told or level is FITS, "whoever is refused or warned hears why"


def test_the_leaking_sensor_is_put_on_the_type_that_takes_it() -> None:
    assert judged("leaking two-wire", "di8-types").mode in ("type 2", "type 3")


def test_the_mode_of_its_own_span_is_taken_before_others_that_would_do() -> None:
    assert judged("bipolar", "ai8-volt").mode == "±10 V"
    assert judged("valve positioner", "ao4").mode == "4–20 mA"
    assert judged("Pt100", "rtd6").mode == "Pt100, 0.1 °C", "its curve before plain ohms"
    assert judged("type K", "tc4-iso").mode == "TC K, 0.1 °C"
    assert judged("mains coil of 1.5 A", "ro4").mode == "AC load"


def test_what_it_will_read_is_told_before_it_lands() -> None:
    assert judged("active transmitter", "ai4-pm").reads == "5.0 bar"


def test_half_of_a_thermocouples_range_is_half_of_its_own_range() -> None:
    """0 to 1200 °C: 600.0 °C; nothing is told where the list has no range."""
    one = device("type K").with_cells({(0, "device_low"): Decimal(0), (0, "device_high"): Decimal(1200)})
    one = one.with_cells({(0, "value_low"): Decimal(0), (0, "value_high"): Decimal(1200), (0, "value_unit"): "°C"})
    assert judge(one, 0, SLOT["tc8"], 0).reads == "600.0 °C"
    assert judged("type K", "tc8").reads == ""


def test_a_channel_that_is_taken_says_by_whom() -> None:
    one = device("0–10 V")
    row = {n: c[0] for n, c in one.cells.items()}
    two = PlantImage.of_rows([row | {"tag": "OLD", "channel": Landing(SLOT["ai8-ui"], 0, landed=True)}, row], LAYOUT)
    found = judge(two, 1, SLOT["ai8-ui"], 0)
    assert (found.level, found.taken_by) == (Level.WARNS, "OLD")
    assert judge(two, 1, SLOT["ai8-ui"], 1).level is Level.FITS


@pytest.mark.parametrize(
    ("module", "signal", "now", "mode"),
    [
        ("ai8-ui", "4–20 mA", "", "4–20 mA"),
        ("ai8-ui", "2–10 V", "", "0–10 V"),
        ("ai8-ui", "±10 V", "", None),
        ("ai8-ui", "4–20 mA", "0–20 mA", None),
        ("ai8-ui", "4–20 mA", "a mode of another module", "4–20 mA"),
        ("tc8", "TC S", "", "TC S, 0.1 °C"),
        ("rtd4", "Pt100", "", None),
        ("di16-24v", "", "", "24 V DC"),
        ("ro4", "load AC", "", "AC load"),
        ("ro4", "contact NO", "", None),
    ],
)
def test_a_point_takes_the_mode_that_fits_and_nobody_chooses_where_several_do(
    module: str, signal: str, now: str, mode: str | None
) -> None:
    """A mode that fits stays; Pt100 has two resolutions on rtd4, so the cell offers both; ±10 V is wider than 0–10
    V."""
    assert mode_that_fits(module_types()[module], signal, now) == mode
