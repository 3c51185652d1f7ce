"""Every field of a point, declared once.

The list's columns, the path page's settings, the database table, history, import and export take them
from FIELDS, in this order. A new column is one entry here and a migration that adds it.
"""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass
from decimal import Decimal
from enum import StrEnum
from functools import lru_cache
from typing import Any, NamedTuple

from canaleta.core.chains import read_factors, read_hops
from canaleta.core.laws import LAW_NAMES, TABLE_LAWS, VALUE_LAW_NAMES
from canaleta.core.modules import OPEN_CHOICES
from canaleta.core.sensors.extension import EXTENSION_NAMES
from canaleta.core.signals import SIGNAL_NAMES, SIGNALS, Family
from canaleta.core.strips import read_cores, read_terminals
from canaleta.core.tables import read_table
from canaleta.core.text import TextError, plain, read_number, read_range
from canaleta.core.units import read_unit_and_reference

__all__ = [
    "FIELDS",
    "STATIONS",
    "STORED",
    "Field",
    "Kind",
    "Landing",
    "Station",
    "Stored",
    "field_named",
    "read_cell",
]


class Station(StrEnum):
    """The six stations of the path, with the point's own names before and the checks behind them."""

    POINT = "POINT"
    PROCESS = "PROCESS"
    DEVICE = "DEVICE"
    LOOP = "LOOP"
    INPUT = "INPUT"
    COUNTS = "COUNTS"
    VALUE = "VALUE"
    CHECKS = "CHECKS"


STATIONS: tuple[Station, ...] = tuple(Station)[1:7]


class Kind(StrEnum):
    """What a cell holds and how it is read."""

    TEXT = "text"
    NUMBER = "number"
    WHOLE = "whole"
    CHOICE = "choice"
    UNIT = "unit"
    ADDRESS = "address"
    MODE = "mode"
    TABLE = "table"
    HOPS = "hops"
    FACTORS = "factors"
    FILTER = "filter"
    TERMINALS = "terminals"
    CORES = "cores"
    LIVE = "live"
    CHECKS = "checks"


class Landing(NamedTuple):
    """A claim on a channel, counted from 0. landed: the point holds it; else it is a wish."""

    module: int
    channel: int
    landed: bool


Stored = str | Decimal | int | Landing | None


@dataclass(frozen=True)
class Field:
    """One field of a point.

    applies: families of signal it has a meaning for. when: another field and the texts of it that give this one a
    meaning, "" for an empty cell. units: units of the signal it is for, all if empty. choices: for CHOICE.
    longest: characters of TEXT. pair: the field that the other end of a range goes to, and unit_field the one for
    the unit, when somebody types "0-6 bar" into this cell. unit: what a figure is in, where it has no field for it.
    listed: a column of the list; the others stand on the path page. headers: how other lists call it (for import).
    """

    name: str
    station: Station
    label: str
    kind: Kind
    says: str
    width: int = 90
    choices: tuple[str, ...] = ()
    least: float = 0
    most: float = 0
    longest: int = 0
    applies: frozenset[Family] = frozenset(Family)
    when: tuple[str, tuple[str, ...]] | None = None
    units: tuple[str, ...] = ()
    pair: str = ""
    unit_field: str = ""
    unit: str = ""
    listed: bool = True
    headers: tuple[str, ...] = ()

    @property
    def stored(self) -> bool:
        """Whether people type it; the others are worked out."""
        return self.kind not in (Kind.LIVE, Kind.CHECKS)


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
VALUE_TYPES = ("REAL", "LREAL", "INT", "UINT", "DINT", "UDINT")
_TWO_POINT = ("value_form", ("", "two points"))
_SLOPE = ("value_form", ("slope and offset",))


def _more(
    name: str, station: Station, label: str, kind: Kind, says: str, applies: frozenset[Family], **rest: Any
) -> Field:
    """A field of the path page that is no column of the list."""
    return Field(name, station, label, kind, says, applies=applies, listed=False, **rest)


FIELDS: tuple[Field, ...] = (
    Field("tag", Station.POINT, "tag", Kind.TEXT, "the name on the device and in documents",
          86, longest=40, headers=("tag", "tag no", "name")),
    Field("service", Station.POINT, "service", Kind.TEXT, "what it measures or does, in words",
          164, longest=120, headers=("service", "description")),
    Field("area", Station.POINT, "area", Kind.TEXT, "the part of the plant", 52, longest=60, headers=("area",)),
    _more("redundant", Station.POINT, "stands in for", Kind.TEXT,
          "one word for points that stand in for each other: they belong on different modules", _ALL, longest=40),
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
    _more("device_cutoff", Station.DEVICE, "cut-off", Kind.NUMBER, "the device's output is zero below this, % of output",
          _CURRENT, when=("device_law", ("square root",)), least=0, most=50, unit="%"),
    _more("device_table", Station.DEVICE, "table", Kind.TABLE, "the device's own table: quantity and % of output",
          _CURRENT, when=("device_law", TABLE_LAWS)),
    _more("curve_table", Station.DEVICE, "curve", Kind.TABLE, "the element's own curve: °C and Ω",
          _RESISTIVE, when=("signal", ("own curve",))),
    Field("acting", Station.DEVICE, "acting", Kind.CHOICE, "reverse: the signal is meant to fall as it rises",
          50, choices=ACTING, applies=_LINEAR | _CONTACT),
    _more("tolerance_class", Station.DEVICE, "class", Kind.CHOICE, "tolerance class of the element",
          _TEMPERATURE, choices=("1", "2", "3", "AA", "A", "B", "C")),
    _more("accuracy", Station.DEVICE, "accuracy", Kind.NUMBER, "limit of error of the transmitter, % of span",
          _CURRENT, least=0, most=20, unit="%"),
    _more("lift_off_v", Station.DEVICE, "lift-off", Kind.NUMBER, "least voltage the device works with",
          _CURRENT, units=("mA",), least=0, most=60, unit="V"),
    _more("failure_ma", Station.DEVICE, "fails at", Kind.NUMBER, "current by which the device says that it failed",
          _CURRENT, units=("mA",), least=0, most=30, unit="mA"),
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
          _SWITCH, when=("signal", ("load 24 V DC", "load AC")), least=0, most=20_000, unit="mA"),
    _more("supply_low_v", Station.DEVICE, "least supply", Kind.NUMBER, "least supply the device works with",
          _CURRENT | _SWITCH, least=0, most=400, unit="V"),
    _more("supply_high_v", Station.DEVICE, "greatest supply", Kind.NUMBER, "greatest supply the device bears",
          _CURRENT | _SWITCH, least=0, most=400, unit="V"),
    Field("wires", Station.LOOP, "wires", Kind.WHOLE, "cores between device and terminals", 46, least=2, most=4),
    Field("supply", Station.LOOP, "supply", Kind.CHOICE, "who feeds the loop", 66, choices=SUPPLIES,
          headers=("powered by",)),
    _more("lead_ohm", Station.LOOP, "one lead", Kind.NUMBER, "resistance of one core between element and terminals",
          _RESISTIVE, least=0, most=10_000, unit="Ω"),
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
    _more("shunt_percent", Station.LOOP, "shunt ±", Kind.NUMBER, "tolerance of the shunt", _CURRENT, units=("mA",),
          least=0, most=20, unit="%"),
    _more("cable_m", Station.LOOP, "cable", Kind.NUMBER, "length of the cable, one way",
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
    Field("mode", Station.INPUT, "mode", Kind.MODE, "how the channel works", 86, headers=("input mode",)),
    _more("filter", Station.INPUT, "filter", Kind.FILTER, "what the input filters, of those that its module has", _ALL),
    _more("open_action", Station.INPUT, "open circuit", Kind.CHOICE, "what the count does when the circuit opens",
          _TEMPERATURE, choices=OPEN_CHOICES),
    _more("if_high", Station.INPUT, "if too high", Kind.TEXT, "what the plant does when the value goes to the top",
          _ANALOG, longest=80),
    _more("if_low", Station.INPUT, "if too low", Kind.TEXT, "what the plant does when the value goes to the bottom",
          _ANALOG, longest=80),
    _more("enabled", Station.INPUT, "enabled", Kind.CHOICE, "whether the channel is read and watched", _ALL,
          choices=("yes", "no")),
    Field("counts_low", Station.COUNTS, "low", Kind.NUMBER,
          "the count that means the low end of the value; empty: as signal and module make it",
          50, applies=_ANALOG, when=_TWO_POINT, pair="counts_high", headers=("raw low",)),
    Field("counts_high", Station.COUNTS, "high", Kind.NUMBER,
          "the count that means the high end of the value; empty: as signal and module make it",
          56, applies=_ANALOG, when=_TWO_POINT, pair="counts_low", headers=("raw high",)),
    Field("now", Station.VALUE, "now", Kind.LIVE, "what the plant says now", 126),
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
    _more("value_cutoff", Station.VALUE, "cut-off", Kind.NUMBER, "the root is zero below this, % of the root",
          _CURRENT, when=("value_law", ("square root",)), least=0, most=50, unit="%"),
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
    _more("below", Station.VALUE, "below", Kind.CHOICE, "what becomes of a value below the range", _ANALOG,
          choices=OUTSIDE),
    _more("above", Station.VALUE, "above", Kind.CHOICE, "what becomes of a value above the range", _ANALOG,
          choices=OUTSIDE),
    _more("on_failure", Station.VALUE, "on failure", Kind.CHOICE,
          "what becomes of the value when the signal has failed; empty: as the plant says", _ANALOG,
          choices=ON_FAILURE),
    _more("substitute", Station.VALUE, "substitute", Kind.NUMBER, "the value that is put in its place", _ANALOG),
    _more("on_at", Station.VALUE, "on from", Kind.NUMBER, "as a switch: on from this value", _ANALOG, pair="off_at"),
    _more("off_at", Station.VALUE, "off below", Kind.NUMBER, "as a switch: off again below this value", _ANALOG,
          pair="on_at"),
    _more("value_type", Station.VALUE, "type", Kind.CHOICE, "data type of the value in the controller", _ANALOG,
          choices=VALUE_TYPES),
    Field("text_0", Station.VALUE, "0 says", Kind.TEXT, "the word for 0", 62, longest=30, applies=_CONTACT | _ANALOG),
    Field("text_1", Station.VALUE, "1 says", Kind.TEXT, "the word for 1", 64, longest=30, applies=_CONTACT | _ANALOG),
    _more("trips", Station.VALUE, "shuts", Kind.TEXT, "what this point shuts or stops when it trips", _ALL, longest=120),
    _more("used_by", Station.VALUE, "used by", Kind.TEXT, "the control that works with it", _ALL, longest=120),
    _more("inhibit", Station.VALUE, "inhibit", Kind.TEXT, "what keeps the trip away while one works on it", _ALL,
          longest=120),
    _more("tell", Station.VALUE, "tell", Kind.TEXT, "whom to tell before one works on it", _ALL, longest=120),
    Field("checks", Station.CHECKS, "to settle", Kind.CHECKS, "what does not agree, with the figures", 420),
)  # fmt: skip
STORED: tuple[Field, ...] = tuple(field for field in FIELDS if field.stored)
_BY_NAME = {field.name: field for field in FIELDS}


def field_named(name: str) -> Field:
    """The field of that name. Raises KeyError if there is none."""
    return _BY_NAME[name]


def read_cell(field: Field, text: str) -> dict[str, Stored]:
    """What text typed into a cell means: {field name: stored value}, more than one for a range.

    Handles every kind but ADDRESS, MODE and FILTER, which need the plant's layout (see layout.py). Blank text
    empties the cell. Raises TextError in words for the person who typed it.
    """
    typed = text.strip()
    if not typed:
        if field.name == "tag":
            raise TextError("a point keeps a tag: type the new one over it")
        return {field.name: None}
    if field.kind is Kind.TEXT:
        return {field.name: _read_text(field, typed)}
    return dict(_read_typed(field.name, typed))


@lru_cache(maxsize=20_000)
def _read_typed(name: str, typed: str) -> dict[str, Stored]:
    """What a text that is not free means; the same few stand in thousands of rows. Not to be changed in place."""
    field = _BY_NAME[name]
    match field.kind:
        case Kind.NUMBER:
            return _read_end_point(field, typed)
        case Kind.WHOLE:
            return {field.name: _read_whole(field, typed)}
        case Kind.CHOICE if field.name == "signal":
            return {field.name: read_signal(typed)}
        case Kind.CHOICE:
            return {field.name: read_choice(field.choices, typed)}
        case Kind.UNIT:
            return _unit_cells(field.name, typed)
        case Kind.TABLE:
            return {field.name: read_table(typed)}
        case Kind.HOPS:
            return {field.name: read_hops(typed)}
        case Kind.FACTORS:
            return {field.name: read_factors(typed)}
        case Kind.TERMINALS:
            return {field.name: read_terminals(typed)}
        case Kind.CORES:
            return {field.name: read_cores(typed)}
        case _:
            raise TextError(f"“{field.label}” is worked out and cannot be typed")


def written(value: Stored) -> str:
    """A stored value as plain text, as the API and files carry it. Landings are written by the layout."""
    if value is None:
        return ""
    return plain(value) if isinstance(value, (Decimal, int)) else str(value)


def _read_text(field: Field, typed: str) -> str:
    if len(typed) > field.longest:
        raise TextError(f"{len(typed)} characters; “{field.label}” holds {field.longest}")
    if not typed.isprintable() and any(ord(c) < 32 or ord(c) == 127 for c in typed):
        raise TextError(f"“{field.label}” holds one line of printable characters")
    return typed


def _read_whole(field: Field, typed: str) -> int:
    number = read_number(typed)
    if number != number.to_integral_value() or not field.least <= number <= field.most:
        raise TextError(f"“{typed}”: {field.label} is a whole number from {field.least:g} to {field.most:g}")
    return int(number)


def _read_end_point(field: Field, typed: str) -> dict[str, Stored]:
    """A number; or a range, a number with its unit, or both, which fill the neighbours as well."""
    out: dict[str, Any] = {}
    unit = ""
    ends = read_range(typed)
    if ends and not field.pair:
        raise TextError(f"“{typed}”: {field.label} is one number")
    if ends:
        rising = field.name.endswith("_low") or field.name == "off_at"
        low, high = (field.name, field.pair) if rising else (field.pair, field.name)
        out[low], out[high] = ends.low, ends.high
        unit = ends.unit
    else:
        figure, unit = split_unit(typed)
        out[field.name] = read_number(figure or typed)
    if unit and unit.replace(" ", "") != field.unit:
        if field.unit:
            raise TextError(f"“{typed}”: {field.label} is in {field.unit}")
        if not field.unit_field:
            raise TextError(f"“{typed}”: {field.label} has no unit of its own")
        out |= _unit_cells(field.unit_field, unit)
    if field.most and not field.least <= out[field.name] <= field.most:
        raise TextError(f"“{typed}”: {field.label} is from {field.least:g} to {field.most:g} {field.unit}".rstrip())
    return out


def _unit_cells(unit_field: str, typed: str) -> dict[str, Stored]:
    """A unit, and what it is counted from where that is written with it."""
    unit, reference = read_unit_and_reference(typed)
    out: dict[str, Stored] = {unit_field: unit.shown}
    if reference:
        out[unit_field.replace("_unit", "_reference")] = reference
    return out


def split_unit(typed: str) -> tuple[str, str]:
    """("12.5", "mbar") from "12.5 mbar"; the unit is '' if there is none."""
    end = next((i for i, c in enumerate(typed) if (c.isalpha() and c not in "eE") or c in "°%Ω[{"), len(typed))
    return typed[:end].strip(), typed[end:].strip()


def read_signal(typed: str) -> str:
    """The signal meant by the text: by its name, by its span ("4 to 20 mA", "-10…10 V"), or "type K". Raises TextError."""
    letter = re.fullmatch(r"(?:type|typ|thermocouple|t/c|tc)[\s.]*([a-z])", typed.strip(), re.IGNORECASE)
    if letter:
        return read_choice(SIGNAL_NAMES, f"TC {letter[1]}")
    try:
        return read_choice(SIGNAL_NAMES, typed)
    except TextError:
        ends = read_range(typed)
        for signal in SIGNALS:
            if ends is None or signal.own_span or (signal.low, signal.high) != (float(ends.low), float(ends.high)):
                continue
            if signal.unit.lower() == ends.unit.lower().replace(" ", "").replace("dc", ""):
                return signal.name
        raise


def read_choice(choices: Iterable[str], typed: str) -> str:
    """The choice meant by the text: the same letters and digits, or the only one that begins with them."""

    def bare(text: str) -> str:
        return "".join(c for c in text.lower() if c.isalnum())

    offered = tuple(choices)
    if typed in offered:
        return typed
    key = bare(typed)
    same = [choice for choice in offered if bare(choice) == key]
    begin = same or [choice for choice in offered if key and bare(choice).startswith(key)]
    if len(begin) == 1:
        return begin[0]
    if begin:
        raise TextError(f"“{typed}” could be {' or '.join(begin)}: type more of it")
    raise TextError(f"“{typed}” is not one of: {', '.join(offered)}")
