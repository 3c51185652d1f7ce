"""Every field of a point, declared once.

The list's columns, the path page's settings, the database table, history, import and export take them from FIELDS, in
this order. A new column is one entry here and a migration that adds it.
"""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from canaleta.core.model.field import Field, Kind, Station
from canaleta.core.model.module_type import OPEN_CHOICES
from canaleta.core.signals.laws import CUT_OFF_IN, LAW_NAMES, TABLE_LAWS, VALUE_LAW_NAMES
from canaleta.core.signals.sensors.extension import EXTENSION_NAMES
from canaleta.core.signals.signal_types import SIGNAL_NAMES, Family

__all__ = ["ALARM_LEVELS", "FIELDS", "IN_THE_FIELD", "LADDER", "PRIORITIES", "RAW_TYPES", "SAFE_SIDES", "ZONES"]

_ALL = frozenset(Family)
_TEMPERATURE = frozenset({Family.THERMOCOUPLE, Family.RESISTANCE})
_ANALOG = frozenset({Family.LINEAR, Family.NONE}) | _TEMPERATURE
_LINEAR = frozenset({Family.LINEAR, Family.NONE})
_CONTACT = frozenset({Family.CONTACT, Family.NONE})
_SWITCH = frozenset({Family.CONTACT})
_CURRENT = frozenset({Family.LINEAR})
_THERMO = frozenset({Family.THERMOCOUPLE})
_RESISTIVE = frozenset({Family.RESISTANCE})
SUPPLIES = ("module", "own 24 V", "drive", "none")
SCREENS = ("at the cabinet", "at the device", "at both ends", "nowhere")
ACTING = ("direct", "reverse")
JUNCTIONS = ("at the terminals", "remote sensor", "fixed")
JUMPERS = ("at the head", "at the input", "absent")
OUTSIDE = ("pass", "clamp", "hold last", "substitute")
ON_FAILURE = ("as read", "up-scale", "down-scale", "hold last", "substitute")
FORMS = ("two points", "slope and offset", "factors")
REFERENCES = ("gauge", "absolute", "normal, 0 °C", "standard, 15 °C", "water at 4 °C", "water at 20 °C")
ON_LOSS = ("closes", "opens", "stays", "goes off", "goes on")
VALUE_TYPES = ("REAL", "LREAL", "INT", "UINT", "DINT", "UDINT")
RAW_TYPES = ("INT", "UINT", "WORD", "DINT", "UDINT", "DWORD", "REAL", "LREAL")
"""How a controller may take the raw word of a channel (IEC 61131-3)."""
ZONES = ("none", "0", "1", "2", "20", "21", "22")
"""Hazardous zones of gas (IEC 60079-10-1) and of dust (IEC 60079-10-2)."""
SAFE_SIDES = ("low", "high", "0", "1")
IN_THE_FIELD = frozenset((
    "signal", "signal_low", "signal_high", "device_low", "device_high", "device_unit", "device_law", "device_cutoff", "device_table",
    "acting", "tip", "failure_ma", "damping_s", "series_ohm", "parallel_ohm", "load_v", "on_loss", "wires", "supply", "jumper",
    "extension", "junction", "shunt_ohm", "shunt_w", "hops", "cable", "cores", "strip", "screen", "fed_from", "channel",
))  # fmt: skip
"""Fields that say what stands, is wired or is set outside the controller: another text is true only once somebody was there,
or it was the list that was wrong."""
_TWO_POINT = ("value_form", ("", "two points"))
_SLOPE = ("value_form", ("slope and offset",))
LADDER = ("wired", "continuity", "powered", "loop-checked", "function-tested", "accepted")
"""How far a point has come, each step with those before it."""
PRIORITIES = ("low", "medium", "high", "journal only")
CONSEQUENCES = ("none", "minor", "major", "severe")
LATCHING = ("by itself", "on reset")
ALARM_LEVELS = ("ll", "l", "h", "hh")
_LEVEL_WORDS = {"ll": "low-low", "l": "low", "h": "high", "hh": "high-high"}


def _more(
    name: str, station: Station, label: str, kind: Kind, says: str, applies: frozenset[Family], **rest: Any
) -> Field:
    """A field of the path page that is no column of the list."""
    return Field(name, station, label, kind, says, applies=applies, listed=False, **rest)


def _grouped(group: str, *fields: Field) -> tuple[Field, ...]:
    """Settings that stand together at their station."""
    return tuple(replace(field, group=group) for field in fields)


def _follows(name: str, station: Station, label: str, says: str, width: int) -> Field:
    """A column that follows from others (core/sheet/follows.py): neither typed nor stored."""
    return Field(name, station, label, Kind.FOLLOWS, says, width, listed=False)


def _alarm(level: str) -> tuple[Field, ...]:
    """One alarm of a value: its limit, and how it is judged. Deadband and limit are in the value's unit."""
    words, letters = _LEVEL_WORDS[level], level.upper()
    return _grouped(
        f"{words} alarm",
        _more(f"alarm_{level}", Station.VALUE, f"alarm {letters}", Kind.NUMBER, f"{words} alarm, in the value's unit",
              _ANALOG, headers=(f"alarm {level}", f"{words} alarm", f"{words} limit", f"{level} alarm", f"{level} limit")),
        _more(f"alarm_{level}_deadband", Station.VALUE, f"{letters} deadband", Kind.NUMBER,
              f"how far the value must come back before the {words} alarm ends, in the value's unit", _ANALOG,
              least=0, most=1e12, needs=f"alarm_{level}"),
        _more(f"alarm_{level}_delay", Station.VALUE, f"{letters} delay", Kind.NUMBER,
              f"how long the limit must be passed before the {words} alarm comes", _ANALOG, least=0, most=86_400,
              unit="s", needs=f"alarm_{level}"),
        _more(f"alarm_{level}_off_delay", Station.VALUE, f"{letters} off delay", Kind.NUMBER,
              f"how long the value must be back before the {words} alarm ends", _ANALOG, least=0, most=86_400,
              unit="s", needs=f"alarm_{level}"),
        _more(f"alarm_{level}_priority", Station.VALUE, f"{letters} priority", Kind.CHOICE,
              f"how soon somebody must act on the {words} alarm; empty: from consequence and time", _ANALOG,
              choices=PRIORITIES, needs=f"alarm_{level}"),
    )  # fmt: skip


FIELDS: tuple[Field, ...] = (
    Field("tag", Station.POINT, "tag", Kind.TEXT, "the name on the device and in documents",
          86, longest=40, headers=("tag", "tag no", "name")),
    Field("service", Station.POINT, "service", Kind.TEXT, "what it measures or does, in words",
          164, longest=120, headers=("service", "description")),
    Field("area", Station.POINT, "area", Kind.TEXT, "the part of the plant", 52, longest=60, headers=("area",)),
    _more("system", Station.POINT, "system", Kind.TEXT,
          "what is handed over together: burners of kiln 2, fresh water", _ALL, width=96, longest=60,
          headers=("system", "subsystem", "turnover system")),
    _more("redundant", Station.POINT, "stands in for", Kind.TEXT,
          "one word for points that stand in for each other: they belong on different modules", _ALL, longest=40),
    _more("second_name", Station.POINT, "second name", Kind.TEXT,
          "the same point by IEC 81346: =function +place -device", _ALL, width=120, longest=80,
          headers=("reference designation", "iec 81346", "second tag", "alias")),
    _follows("meaning", Station.POINT, "letters say", "what the tag's letters mean, by ISA-5.1 or the plant", 150),
    _follows("loop", Station.POINT, "loop", "the loop it belongs to, by its tag", 64),
    _more("typical", Station.POINT, "typical", Kind.TEXT, "the typical it was made from", _ALL, width=120, longest=60),
    _more("notes", Station.POINT, "notes", Kind.TEXT, "whatever else is worth knowing", _ALL, width=160, longest=400,
          headers=("note", "notes", "remarks", "remark", "comment", "comments")),
    Field("signal", Station.DEVICE, "signal", Kind.CHOICE, "what the device puts on the wires",
          80, choices=SIGNAL_NAMES, headers=("signal", "type")),
    _more("signal_low", Station.DEVICE, "signal low", Kind.NUMBER, "the device's signal at its lower range value",
          _CURRENT, units=("mV", "Hz", "pulses", "mV/V", "Ω"), pair="signal_high"),
    _more("signal_high", Station.DEVICE, "signal high", Kind.NUMBER, "the device's signal at its upper range value",
          _CURRENT, units=("mV", "Hz", "pulses", "mV/V", "Ω"), pair="signal_low"),
    Field("device_low", Station.DEVICE, "low", Kind.NUMBER, "the device's lower range value, LRV",
          48, applies=_ANALOG, pair="device_high", unit_field="device_unit", headers=("lrv", "range low")),
    Field("device_high", Station.DEVICE, "high", Kind.NUMBER, "the device's upper range value, URV",
          52, applies=_ANALOG, pair="device_low", unit_field="device_unit", headers=("urv", "range high")),
    Field("device_unit", Station.DEVICE, "unit", Kind.UNIT, "unit of the device's range",
          52, applies=_ANALOG, headers=("range unit",)),
    _more("device_reference", Station.DEVICE, "said as", Kind.CHOICE, "what the device's unit is counted from",
          _CURRENT, choices=REFERENCES),
    Field("device_law", Station.DEVICE, "law", Kind.CHOICE, "what the device itself makes of its range",
          52, choices=LAW_NAMES, applies=_LINEAR),
    _more("device_cutoff", Station.DEVICE, "cut-off", Kind.NUMBER,
          "the device's output is zero below this; % of output, unless it is said otherwise",
          _CURRENT, when=("device_law", ("square root",)), headers=("low flow cut-off",)),
    _more("device_cutoff_in", Station.DEVICE, "cut-off said in", Kind.CHOICE,
          "how the data sheet gives it: of the root, of what the root is taken of, or in the range's unit", _CURRENT,
          when=("device_law", ("square root",)), needs="device_cutoff", choices=CUT_OFF_IN),
    _more("device_table", Station.DEVICE, "table", Kind.TABLE, "the device's own table: quantity and % of output",
          _CURRENT, when=("device_law", TABLE_LAWS)),
    _more("curve_table", Station.DEVICE, "curve", Kind.TABLE, "the element's own curve: °C and Ω",
          _RESISTIVE, when=("signal", ("own curve",))),
    Field("acting", Station.DEVICE, "acting", Kind.CHOICE, "reverse: the signal is meant to fall as it rises",
          50, choices=ACTING, applies=_LINEAR | _CONTACT),
    _more("tip", Station.DEVICE, "tip", Kind.CHOICE, "whether the measuring tip touches the earthed sheath", _THERMO,
          choices=("insulated", "grounded")),
    _more("tolerance_class", Station.DEVICE, "class", Kind.CHOICE, "tolerance class of the element",
          _TEMPERATURE, choices=("1", "2", "3", "AA", "A", "B", "C")),
    _more("accuracy", Station.DEVICE, "accuracy", Kind.NUMBER, "limit of error of the transmitter, % of span",
          _CURRENT, least=0, most=20, unit="%"),
    _more("lift_off_v", Station.DEVICE, "lift-off", Kind.NUMBER, "least voltage the device works with",
          _CURRENT, units=("mA",), least=0, most=60, unit="V"),
    _more("failure_ma", Station.DEVICE, "fails at", Kind.NUMBER, "current by which the device says that it failed",
          _CURRENT, units=("mA",), least=0, most=30, unit="mA"),
    _more("damping_s", Station.DEVICE, "damping", Kind.NUMBER, "time constant set in the device", _CURRENT, least=0,
          most=3600, unit="s", headers=("damping",)),
    _more("tolerance_transmitter", Station.DEVICE, "transmitter within", Kind.NUMBER,
          "what the transmitter may be off in its own test, % of span", _CURRENT, least=0, most=20, unit="%",
          headers=("transmitter tolerance",)),
    _more("leakage_ma", Station.DEVICE, "leakage", Kind.NUMBER, "current through the open switch",
          _SWITCH, units=("V",), least=0, most=100, unit="mA"),
    _more("drop_v", Station.DEVICE, "drop", Kind.NUMBER, "voltage over the closed switch",
          _SWITCH, units=("V",), least=0, most=60, unit="V"),
    _more("series_ohm", Station.DEVICE, "series", Kind.NUMBER, "end-of-line resistor in series with the contact",
          _SWITCH, units=("mA",), least=0, most=1e6, unit="Ω"),
    _more("parallel_ohm", Station.DEVICE, "parallel", Kind.NUMBER, "end-of-line resistor across the contact",
          _SWITCH, units=("mA",), least=0, most=1e7, unit="Ω"),
    _more("takes_ma", Station.DEVICE, "takes", Kind.NUMBER, "current the device takes from its supply beside its signal",
          _CURRENT | _SWITCH, least=0, most=5000, unit="mA"),
    _more("load_ma", Station.DEVICE, "load", Kind.NUMBER, "current the device takes when an output switches it on",
          _SWITCH | _CURRENT, when=("signal", ("load 24 V DC", "load AC", "PWM")), least=0, most=20_000, unit="mA"),
    _more("load_v", Station.DEVICE, "load for", Kind.NUMBER, "voltage that the switched device is made for", _SWITCH,
          least=1, most=1000, unit="V", headers=("coil voltage", "load voltage")),
    _more("zone", Station.DEVICE, "hazardous zone", Kind.CHOICE, "the zone that the device stands in: gas 0, 1, 2; dust 20, 21, 22",
          _ALL, choices=ZONES, headers=("ex zone", "hazardous area", "atex zone")),
    _more("on_loss", Station.DEVICE, "on loss", Kind.CHOICE, "what the device does when its signal or its power is lost",
          _SWITCH | _CURRENT, choices=ON_LOSS, headers=("fail position", "on loss of power", "fails")),
    _more("supply_low_v", Station.DEVICE, "least supply", Kind.NUMBER, "least supply the device works with",
          _CURRENT | _SWITCH, least=0, most=400, unit="V"),
    _more("supply_high_v", Station.DEVICE, "greatest supply", Kind.NUMBER, "greatest supply the device bears",
          _CURRENT | _SWITCH, least=0, most=400, unit="V"),
    _more("device_model", Station.DEVICE, "model", Kind.TEXT, "what the device is called in its data sheet", _ALL,
          width=110, longest=80, headers=("device type", "instrument type", "part no", "part number", "model")),
    _more("serial", Station.DEVICE, "serial", Kind.TEXT, "serial number of the device", _ALL, longest=60,
          headers=("serial no", "serial number", "s/n")),
    _more("connector", Station.DEVICE, "connector", Kind.TEXT, "how it is plugged or screwed on", _ALL, longest=60,
          headers=("connection",)),
    _more("data_sheet", Station.DEVICE, "data sheet", Kind.LINK, "where its data sheet is", _ALL, width=120,
          headers=("datasheet", "data sheet link")),
    Field("wires", Station.LOOP, "wires", Kind.WHOLE, "cores between device and terminals", 46, least=2, most=4),
    Field("supply", Station.LOOP, "supply", Kind.CHOICE, "who feeds the loop", 66, choices=SUPPLIES,
          headers=("powered by",)),
    _more("lead_ohm", Station.LOOP, "one lead", Kind.NUMBER, "resistance of one core between element and terminals",
          _RESISTIVE, least=0, most=10_000, unit="Ω"),
    _more("lead_apart_ohm", Station.LOOP, "leads apart", Kind.NUMBER,
          "how much more resistance one lead has than the one that the input takes for it",
          _RESISTIVE, least=-1000, most=1000, unit="Ω", when=("wires", ("2", "3"))),
    _more("jumper", Station.LOOP, "jumper", Kind.CHOICE,
          "where two wires become the input's three or four: at the head, at the input, or nowhere",
          _RESISTIVE, choices=JUMPERS, when=("wires", ("2", "3"))),
    _more("extension", Station.LOOP, "extension wire", Kind.CHOICE, "extension or compensating wire by designation",
          _THERMO, choices=EXTENSION_NAMES),
    _more("head_degc", Station.LOOP, "head at", Kind.NUMBER, "temperature of the connection head",
          _THERMO, least=-273, most=500, unit="°C"),
    _more("junction", Station.LOOP, "cold junction", Kind.CHOICE, "where the cold junction is and how it is known",
          _THERMO, choices=JUNCTIONS),
    _more("junction_degc", Station.LOOP, "junction at", Kind.NUMBER,
          "temperature at the remote sensor, or the fixed setting", _THERMO,
          when=("junction", ("remote sensor", "fixed")), least=-273, most=500, unit="°C"),
    _more("excitation_v", Station.LOOP, "excitation", Kind.NUMBER, "voltage the bridge or the potentiometer is fed with",
          _CURRENT, units=("mV/V", "Ω"), least=0, most=60, unit="V"),
    _more("shunt_ohm", Station.LOOP, "shunt", Kind.NUMBER, "resistor that makes a voltage of the current",
          _CURRENT, units=("mA",), least=0.1, most=10_000, unit="Ω"),
    _more("shunt_percent", Station.LOOP, "shunt within", Kind.NUMBER, "tolerance of the shunt", _CURRENT, units=("mA",),
          least=0, most=20, unit="%"),
    _more("shunt_w", Station.LOOP, "shunt bears", Kind.NUMBER, "power that the shunt may turn into heat", _CURRENT,
          units=("mA",), least=0.01, most=100, unit="W", needs="shunt_ohm"),
    _more("output_load_ohm", Station.LOOP, "burden", Kind.NUMBER, "resistance by which the device loads its output",
          _CURRENT, units=("mA", "V"), least=0, most=1e6, unit="Ω", headers=("load resistance", "output burden")),
    _more("fed_from", Station.LOOP, "fed from", Kind.TEXT, "the fuse or the supply that feeds the device: F12 of G1", _ALL,
          longest=60, headers=("fuse", "fed by", "power supply unit")),
    _more("cable_m", Station.LOOP, "length", Kind.NUMBER, "length of the cable, one way",
          _CURRENT | _SWITCH, units=("mA", "V"), least=0, most=50_000, unit="m"),
    _more("cable_mm2", Station.LOOP, "section", Kind.NUMBER, "cross-section of a core",
          _CURRENT | _SWITCH, units=("mA", "V"), least=0.1, most=10, unit="mm²"),
    _more("cable_degc", Station.LOOP, "hottest", Kind.NUMBER, "hottest the cable gets",
          _CURRENT, units=("mA",), least=-40, most=180, unit="°C"),
    _more("hops", Station.LOOP, "hops", Kind.HOPS,
          "what the loop runs through, from the device on: head; barrier 300 Ω; indicator 2 V", _CURRENT | _SWITCH),
    _more("cable", Station.LOOP, "cable", Kind.TEXT, "name of the cable to the cabinet", _ALL, longest=40),
    _more("cores", Station.LOOP, "cores", Kind.CORES, "its cores in the order of the terminals: 1, 2", _ALL),
    _more("strip", Station.LOOP, "strip", Kind.TERMINALS,
          "terminals of the cabinet's strip in the same order: X1:5 fuse; X1:6 knife", _ALL),
    _more("screen", Station.LOOP, "screen", Kind.CHOICE, "where the screen is earthed", _ALL, choices=SCREENS),
    _more("hart", Station.LOOP, "HART", Kind.CHOICE, "whether the loop carries HART", _CURRENT, units=("mA",),
          choices=("no", "yes")),
    Field("channel", Station.INPUT, "channel", Kind.ADDRESS, "cabinet · rack · slot · channel it is landed on",
          94, headers=("address", "channel")),
    _follows("cabinet", Station.INPUT, "cabinet", "the cabinet its channel is in", 64),
    _follows("terminals", Station.INPUT, "terminals", "the module's terminals of the channel", 76),
    _follows("register", Station.INPUT, "register", "register and bit its number stands in, from 0", 66),
    _follows("direct", Station.INPUT, "direct address", "IEC 61131-3 direct address", 92),
    _more("old_address", Station.INPUT, "old address", Kind.TEXT, "where it was before, in the old list's own words",
          _ALL, width=100, longest=80, headers=("old address", "previous address", "was", "old tag address")),
    Field("mode", Station.INPUT, "mode", Kind.MODE, "how the channel works", 86, headers=("input mode",)),
    _more("filter", Station.INPUT, "filter", Kind.FILTER, "what the input filters, of those that its module has", _ALL),
    _more("open_action", Station.INPUT, "open circuit", Kind.CHOICE, "what the count does when the circuit opens",
          _TEMPERATURE, choices=OPEN_CHOICES),
    _more("scan_ms", Station.INPUT, "scanned every", Kind.NUMBER,
          "how often the controller takes it; empty: as often as its rack is read", _ALL, least=0.1, most=3_600_000,
          unit="ms", headers=("scan time", "scan rate", "scan period", "scan interval")),
    _more("update_ms", Station.INPUT, "new every", Kind.NUMBER, "how often the module has a new number of the channel", _ALL,
          least=0.01, most=3_600_000, unit="ms", headers=("update time", "conversion time", "refresh time")),
    _more("pwm_hz", Station.INPUT, "PWM at", Kind.NUMBER, "how often the output switches on and off again, in a second",
          _CURRENT, units=("%",), least=1, most=100_000, unit="Hz", headers=("pwm frequency",)),
    _more("least_duty", Station.INPUT, "least duty", Kind.NUMBER, "the least the output gives while it gives anything",
          _CURRENT, units=("%",), least=0, most=100, unit="%", pair="most_duty"),
    _more("most_duty", Station.INPUT, "most duty", Kind.NUMBER, "the most the output gives", _CURRENT, units=("%",),
          least=0, most=100, unit="%", pair="least_duty"),
    _more("dither_hz", Station.INPUT, "dither at", Kind.NUMBER, "how fast the valve is kept trembling, so that it does not stick",
          _CURRENT, units=("%",), least=0, most=10_000, unit="Hz"),
    _more("dither_percent", Station.INPUT, "dither", Kind.NUMBER, "how far it trembles, of full duty", _CURRENT,
          units=("%",), least=0, most=100, unit="%", needs="dither_hz"),
    _more("if_high", Station.INPUT, "if too high", Kind.TEXT, "what the plant does when the value goes to the top",
          _ANALOG, longest=80),
    _more("if_low", Station.INPUT, "if too low", Kind.TEXT, "what the plant does when the value goes to the bottom",
          _ANALOG, longest=80),
    _more("enabled", Station.INPUT, "enabled", Kind.CHOICE, "whether the channel is read and watched", _ALL,
          choices=("yes", "no")),
    _more("tolerance_channel", Station.INPUT, "channel within", Kind.NUMBER,
          "what the channel may be off in its own test, % of span", _ANALOG, least=0, most=20, unit="%",
          headers=("channel tolerance",)),
    _more("debounce", Station.INPUT, "settled for", Kind.NUMBER,
          "debounce: a change counts once it has lasted so long, either way; the delays begin behind it", _SWITCH,
          least=0, most=60_000, unit="ms", headers=("debounce", "debounce time")),
    _more("on_delay", Station.INPUT, "on after", Kind.NUMBER, "on only after it has been on for so long",
          _SWITCH, least=0, most=3_600_000, unit="ms", headers=("on delay",)),
    _more("off_delay", Station.INPUT, "off after", Kind.NUMBER, "off only after it has been off for so long",
          _SWITCH, least=0, most=3_600_000, unit="ms", headers=("off delay",)),
    _more("stretch", Station.INPUT, "at least on", Kind.NUMBER, "once on, it stays on for so long", _SWITCH,
          least=0, most=3_600_000, unit="ms", headers=("pulse stretch",)),
    _more("fastest", Station.INPUT, "fastest", Kind.NUMBER, "the most often it switches, pulses a second", _SWITCH,
          least=0, most=1_000_000, unit="Hz", headers=("max frequency", "maximum frequency")),
    _more("chatter", Station.INPUT, "chatters from", Kind.WHOLE,
          "changes in ten seconds from which it is said to chatter; empty: as the plant says", _SWITCH, least=2, most=1000),
    _more("counts_on", Station.INPUT, "counts on", Kind.CHOICE, "the edge that a counter takes", _SWITCH,
          choices=("coming on", "going off", "both")),
    _more("preset", Station.INPUT, "done at", Kind.WHOLE, "the count at which the counter is done", _SWITCH,
          least=1, most=32_767, needs="counts_on"),
    _more("pulse_value", Station.INPUT, "one pulse is", Kind.NUMBER, "what one pulse stands for", _SWITCH | _CURRENT,
          units=("V", "mA", "pulses"), least=0, most=1e9, unit_field="pulse_unit", headers=("pulse weight", "k factor")),
    _more("pulse_unit", Station.INPUT, "pulse unit", Kind.UNIT, "unit of what one pulse stands for", _SWITCH | _CURRENT,
          units=("V", "mA", "pulses")),
    Field("counts_low", Station.COUNTS, "low", Kind.NUMBER,
          "the count that means the low end of the value; empty: as signal and module make it",
          50, applies=_ANALOG, when=_TWO_POINT, pair="counts_high", headers=("raw low",)),
    Field("counts_high", Station.COUNTS, "high", Kind.NUMBER,
          "the count that means the high end of the value; empty: as signal and module make it",
          56, applies=_ANALOG, when=_TWO_POINT, pair="counts_low", headers=("raw high",)),
    _more("raw_type", Station.COUNTS, "taken as", Kind.CHOICE, "data type by which the controller takes the raw word", _ANALOG,
          choices=RAW_TYPES, headers=("raw type", "raw data type")),
    _more("found_low", Station.COUNTS, "found low", Kind.NUMBER,
          "the count that the channel was found to give where its data sheet says the low one of its mode; empty: the same",
          _ANALOG, pair="found_high"),
    _more("found_high", Station.COUNTS, "found high", Kind.NUMBER,
          "the count that the channel was found to give where its data sheet says the high one of its mode; empty: the same",
          _ANALOG, pair="found_low"),
    _more("trimmed", Station.COUNTS, "trimmed", Kind.TEXT, "when the channel was found to count so, and which record says it",
          _ANALOG, longest=80, needs="found_low"),
    _more("pair_at", Station.COUNTS, "controller's pair at", Kind.TEXT,
          "where the controller keeps the counts of both ends: holding 200 int, holding 201 int", _ANALOG, longest=80),
    _more("controller_at", Station.COUNTS, "controller shows at", Kind.TEXT,
          "where the controller's own value stands: holding 120 real, input 40 int", _ALL, longest=60),
    _more("published_at", Station.COUNTS, "published at", Kind.TEXT,
          "where other systems read its value: holding 400 real CDAB", _ALL, longest=60,
          headers=("published register", "hmi register", "scada register")),
    _more("read_by", Station.COUNTS, "read by", Kind.TEXT, "which other systems read it there", _ALL, longest=80,
          headers=("read by", "reader", "consumer")),
    Field("now", Station.VALUE, "now", Kind.LIVE, "what the plant says now", 142),
    *_grouped(
        "range and law",
        Field("value_low", Station.VALUE, "low", Kind.NUMBER, "the value at the low count",
              50, applies=_ANALOG, pair="value_high", unit_field="value_unit", headers=("eu low",)),
        Field("value_high", Station.VALUE, "high", Kind.NUMBER, "the value at the high count",
              62, applies=_ANALOG, pair="value_low", unit_field="value_unit", headers=("eu high",)),
        Field("value_unit", Station.VALUE, "unit", Kind.UNIT, "unit of the value", 52, applies=_ANALOG,
              headers=("eu", "units")),
        _more("value_reference", Station.VALUE, "said as", Kind.CHOICE, "what the value's unit is counted from",
              _CURRENT, choices=REFERENCES),
        Field("value_law", Station.VALUE, "law", Kind.CHOICE, "the law our scaling takes", 80, choices=VALUE_LAW_NAMES,
              applies=_ANALOG),
        _more("value_cutoff", Station.VALUE, "cut-off", Kind.NUMBER,
              "the root is zero below this; % of the root, unless it is said otherwise",
              _CURRENT, when=("value_law", ("square root",))),
        _more("value_cutoff_in", Station.VALUE, "cut-off said in", Kind.CHOICE,
              "of the root, of what the root is taken of, or in the value's unit", _CURRENT,
              when=("value_law", ("square root",)), needs="value_cutoff", choices=CUT_OFF_IN),
        _more("value_table", Station.VALUE, "table", Kind.TABLE,
              "pairs of scaled figure and value: low and high are then what goes into the table", _ANALOG,
              when=("value_law", TABLE_LAWS)),
        _more("value_form", Station.VALUE, "form", Kind.CHOICE, "the form the scaling was typed in; the others follow",
              _ANALOG, choices=FORMS),
        _more("slope", Station.VALUE, "slope", Kind.NUMBER, "value for each count", _ANALOG),
        _more("offset", Station.VALUE, "offset", Kind.NUMBER, "value at a count of zero", _ANALOG),
        _more("factors", Station.VALUE, "factors", Kind.FACTORS,
              "named factors from count to value: V per count 0.00030518; bar per V 2.5", _ANALOG,
              when=("value_form", ("factors",))),
        Field("value_decimals", Station.VALUE, "dec.", Kind.WHOLE, "decimals shown", 36, least=0, most=6,
              applies=_ANALOG),
    ),
    *_grouped(
        "beyond the range and in a fault",
        _more("below", Station.VALUE, "below", Kind.CHOICE, "what becomes of a value below the range", _ANALOG,
              choices=OUTSIDE),
        _more("above", Station.VALUE, "above", Kind.CHOICE, "what becomes of a value above the range", _ANALOG,
              choices=OUTSIDE),
        _more("on_failure", Station.VALUE, "on failure", Kind.CHOICE,
              "what becomes of the value when the signal has failed; empty: as the plant says", _ANALOG,
              choices=ON_FAILURE),
        _more("substitute", Station.VALUE, "substitute", Kind.NUMBER, "the value that is put in its place", _ANALOG),
        _more("smoothing_s", Station.VALUE, "smoothing", Kind.NUMBER,
              "time constant of the filter behind the scaling", _ANALOG, least=0, most=3600, unit="s"),
        _more("fault_ends", Station.VALUE, "a fault ends", Kind.CHOICE,
              "by itself once it is repaired, or on reset; empty: as the plant says", _ALL, choices=LATCHING),
    ),
    *_grouped(
        "as a switch",
        _more("on_at", Station.VALUE, "on from", Kind.NUMBER, "as a switch: on from this value", _ANALOG, pair="off_at"),
        _more("off_at", Station.VALUE, "off below", Kind.NUMBER, "as a switch: off again below this value", _ANALOG,
              pair="on_at"),
    ),
    *_grouped(
        "range and law",
        _more("value_type", Station.VALUE, "type", Kind.CHOICE, "data type of the value in the controller", _ANALOG,
              choices=VALUE_TYPES),
    ),
    *_grouped(
        "words for 0 and 1",
        Field("text_0", Station.VALUE, "0 says", Kind.TEXT, "the word for 0", 62, longest=30, applies=_CONTACT | _ANALOG),
        Field("text_1", Station.VALUE, "1 says", Kind.TEXT, "the word for 1", 64, longest=30, applies=_CONTACT | _ANALOG),
        _more("actuated", Station.VALUE, "actuated says", Kind.TEXT,
              "the word for the state in which the device is actuated, one of the two", _SWITCH, longest=30,
              headers=("actuated state", "word for actuated")),
    ),
    *_grouped(
        "bands",
        _more("bands", Station.VALUE, "bands", Kind.BANDS, "names with the edges between them: low < 20 < normal < 80 < high",
              _ANALOG, width=170),
        _more("bands_deadband", Station.VALUE, "bands deadband", Kind.NUMBER,
              "how far beyond an edge the value must come before the band changes", _ANALOG, least=0, most=1e12,
              needs="bands"),
        _more("bands_lamps", Station.VALUE, "lamps", Kind.TEXT,
              "what lights in each band, in their order, with semicolons; nothing between two where none does", _ANALOG,
              width=140, longest=400, needs="bands"),
    ),
    *(field for level in ALARM_LEVELS for field in _alarm(level)),
    *_grouped(
        "deviation alarm",
        _more("alarm_dev", Station.VALUE, "deviation", Kind.NUMBER, "how far from its set point is an alarm, in the value's unit",
              _ANALOG, least=0, most=1e12),
        _more("alarm_dev_from", Station.VALUE, "set point", Kind.NUMBER, "the set point that a deviation is counted from",
              _ANALOG, needs="alarm_dev"),
        _more("alarm_dev_deadband", Station.VALUE, "dev. deadband", Kind.NUMBER,
              "how far it must come back before the deviation alarm ends", _ANALOG, least=0, most=1e12, needs="alarm_dev"),
        _more("alarm_dev_delay", Station.VALUE, "dev. delay", Kind.NUMBER, "how long it must be away", _ANALOG, least=0,
              most=86_400, unit="s", needs="alarm_dev"),
        _more("alarm_dev_priority", Station.VALUE, "dev. priority", Kind.CHOICE, "how soon somebody must act on it",
              _ANALOG, choices=PRIORITIES, needs="alarm_dev"),
    ),
    *_grouped(
        "rate alarm",
        _more("alarm_rate", Station.VALUE, "rate", Kind.NUMBER,
              "change in a minute that is an alarm, up or down, in the value's unit", _ANALOG, least=0, most=1e12),
        _more("alarm_rate_delay", Station.VALUE, "rate delay", Kind.NUMBER, "how long it must change so fast", _ANALOG,
              least=0, most=86_400, unit="s", needs="alarm_rate"),
        _more("alarm_rate_priority", Station.VALUE, "rate priority", Kind.CHOICE, "how soon somebody must act on it",
              _ANALOG, choices=PRIORITIES, needs="alarm_rate"),
    ),
    *_grouped(
        "state alarm",
        _more("alarm_state", Station.VALUE, "alarm at", Kind.CHOICE, "the state that is an alarm", _SWITCH,
              choices=("0", "1"), headers=("alarm state",)),
        _more("alarm_state_delay", Station.VALUE, "alarm delay", Kind.NUMBER, "how long that state must last", _SWITCH,
              least=0, most=86_400, unit="s", needs="alarm_state"),
        _more("alarm_state_priority", Station.VALUE, "alarm priority", Kind.CHOICE, "how soon somebody must act", _SWITCH,
              choices=PRIORITIES, needs="alarm_state"),
    ),
    *_grouped(
        "fault alarm",
        _more("alarm_fault", Station.VALUE, "fault alarm", Kind.CHOICE,
              "whether a signal that has failed is an alarm of its own; empty: as the plant says", _ALL, choices=("yes", "no")),
        _more("alarm_fault_delay", Station.VALUE, "fault delay", Kind.NUMBER, "how long the signal must have failed", _ALL,
              least=0, most=86_400, unit="s"),
        _more("alarm_fault_priority", Station.VALUE, "fault priority", Kind.CHOICE, "how soon somebody must act on it", _ALL,
              choices=PRIORITIES),
    ),
    *_grouped(
        "what its alarms mean",
        _more("consequence", Station.VALUE, "consequence", Kind.CHOICE, "what happens if nobody acts on its alarms", _ALL,
              choices=CONSEQUENCES, headers=("consequence", "severity")),
        _more("respond_min", Station.VALUE, "time to act", Kind.NUMBER, "how long there is to act before it happens", _ALL,
              least=0, most=1440, unit="min", headers=("time to respond", "response time")),
        _more("alarm_unit", Station.VALUE, "limits said in", Kind.UNIT, "unit of the alarm limits; empty: the value's", _ANALOG,
              headers=("alarm unit", "limit unit")),
        _more("alarm_ends", Station.VALUE, "alarms end", Kind.CHOICE,
              "by themselves once the value is back, or on reset", _ALL, choices=LATCHING),
        _more("quiet_while", Station.VALUE, "suppressed while", Kind.TEXT,
              "tag of the point that suppresses its alarms by design while it is 1", _ALL, longest=40,
              headers=("quiet while", "suppressed by", "suppression")),
        _more("alarm_says", Station.VALUE, "alarm says", Kind.TEXT, "what the alarm tells and what to do", _ALL, width=160,
              longest=160, headers=("alarm text", "alarm message")),
    ),
    *_grouped(
        "what it serves",
        _more("tolerance_loop", Station.VALUE, "loop within", Kind.NUMBER,
              "what the whole loop may be off in its test, % of span", _ANALOG, least=0, most=20, unit="%",
              headers=("loop tolerance", "tolerance")),
        _more("needs_s", Station.VALUE, "follows within", Kind.NUMBER,
              "how soon the value must have followed a step, to 63 %", _ANALOG, least=0, most=86_400, unit="s"),
        _more("noise", Station.VALUE, "trembles by", Kind.NUMBER,
              "how much the value trembles while nothing happens: its standard deviation, in the value's unit", _ANALOG,
              least=0, most=1e12, headers=("noise", "sigma", "standard deviation")),
        _more("display_low", Station.VALUE, "display from", Kind.NUMBER, "where its display begins, in the value's unit",
              _ANALOG, pair="display_high", unit_field="value_unit", headers=("display low", "graphic low")),
        _more("display_high", Station.VALUE, "display to", Kind.NUMBER, "where its display ends, in the value's unit",
              _ANALOG, pair="display_low", unit_field="value_unit", headers=("display high", "graphic high")),
        _more("safe_side", Station.VALUE, "safe side", Kind.CHOICE,
              "where the value must go when its signal is lost, for what works with it to be safe", _ALL, choices=SAFE_SIDES,
              headers=("safe side", "safe state")),
        _more("trips", Station.VALUE, "shuts", Kind.TEXT, "what this point shuts or stops when it trips", _ALL, longest=120),
        _more("used_by", Station.VALUE, "used by", Kind.TEXT, "the control that works with it", _ALL, longest=120),
        _more("inhibit", Station.VALUE, "inhibit", Kind.TEXT, "what keeps the trip away while one works on it", _ALL,
              longest=120),
        _more("tell", Station.VALUE, "tell", Kind.TEXT, "whom to tell before one works on it", _ALL, longest=120),
    ),
    _more("status", Station.CHECKS, "status", Kind.CHOICE, "how far it has come, from wired to accepted", _ALL,
          width=96, choices=LADDER, headers=("status", "state", "progress")),
    Field("checks", Station.CHECKS, "to settle", Kind.CHECKS, "what does not agree, with the figures", 420),
)  # fmt: skip
