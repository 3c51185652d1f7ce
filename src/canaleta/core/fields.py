"""Every field of a point, declared once.

The list's columns, the path page's settings, the database table, history, import and export take them
from FIELDS, in this order. A new column is one entry here and a migration that adds it.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from decimal import Decimal
from enum import StrEnum
from typing import NamedTuple

from canaleta.core.laws import LAW_NAMES
from canaleta.core.signals import SIGNAL_NAMES, Family
from canaleta.core.text import TextError, plain, read_number, read_range
from canaleta.core.units import read_unit

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

    applies: families of signal it has a meaning for. choices: for CHOICE. longest: characters of TEXT.
    pair: the field that the other end of a range goes to, and unit_field the one for the unit, when
    somebody types "0-6 bar" into this cell. headers: how other lists call it (for import).
    """

    name: str
    station: Station
    label: str
    kind: Kind
    says: str
    width: int = 90
    choices: tuple[str, ...] = ()
    least: int = 0
    most: int = 0
    longest: int = 0
    applies: frozenset[Family] = frozenset(Family)
    pair: str = ""
    unit_field: str = ""
    headers: tuple[str, ...] = ()

    @property
    def stored(self) -> bool:
        """Whether people type it; the others are worked out."""
        return self.kind not in (Kind.LIVE, Kind.CHECKS)


_ANALOG = frozenset({Family.LINEAR, Family.THERMOCOUPLE, Family.NONE})
_LINEAR = frozenset({Family.LINEAR, Family.NONE})
_CONTACT = frozenset({Family.CONTACT, Family.NONE})
SUPPLIES = ("module", "own 24 V", "drive", "none")
ACTING = ("direct", "reverse")

FIELDS: tuple[Field, ...] = (
    Field("tag", Station.POINT, "tag", Kind.TEXT, "the name on the device and in documents",
          86, longest=40, headers=("tag", "tag no", "name")),
    Field("service", Station.POINT, "service", Kind.TEXT, "what it measures or does, in words",
          164, longest=120, headers=("service", "description")),
    Field("area", Station.POINT, "area", Kind.TEXT, "the part of the plant", 52, longest=60, headers=("area",)),
    Field("signal", Station.DEVICE, "signal", Kind.CHOICE, "what the device puts on the wires",
          80, choices=SIGNAL_NAMES, headers=("signal", "type")),
    Field("device_low", Station.DEVICE, "low", Kind.NUMBER, "the device's lower range value, LRV",
          48, applies=_ANALOG, pair="device_high", unit_field="device_unit", headers=("lrv", "range low")),
    Field("device_high", Station.DEVICE, "high", Kind.NUMBER, "the device's upper range value, URV",
          52, applies=_ANALOG, pair="device_low", unit_field="device_unit", headers=("urv", "range high")),
    Field("device_unit", Station.DEVICE, "unit", Kind.UNIT, "unit of the device's range",
          52, applies=_ANALOG, headers=("range unit",)),
    Field("device_law", Station.DEVICE, "law", Kind.CHOICE, "what the device itself makes of its range",
          52, choices=LAW_NAMES, applies=_LINEAR),
    Field("acting", Station.DEVICE, "acting", Kind.CHOICE, "reverse: the signal is meant to fall as it rises",
          50, choices=ACTING, applies=_LINEAR),
    Field("wires", Station.LOOP, "wires", Kind.WHOLE, "cores between device and terminals", 46, least=2, most=4),
    Field("supply", Station.LOOP, "supply", Kind.CHOICE, "who feeds the loop", 66, choices=SUPPLIES,
          headers=("powered by",)),
    Field("channel", Station.INPUT, "channel", Kind.ADDRESS, "cabinet · rack · slot · channel it is landed on",
          94, headers=("address", "channel")),
    Field("mode", Station.INPUT, "mode", Kind.MODE, "how the channel works", 86, headers=("input mode",)),
    Field("counts_low", Station.COUNTS, "low", Kind.NUMBER, "the count that means the low end of the value",
          50, applies=_ANALOG, pair="counts_high", headers=("raw low",)),
    Field("counts_high", Station.COUNTS, "high", Kind.NUMBER, "the count that means the high end of the value",
          56, applies=_ANALOG, pair="counts_low", headers=("raw high",)),
    Field("now", Station.VALUE, "now", Kind.LIVE, "what the plant says now", 126),
    Field("value_low", Station.VALUE, "low", Kind.NUMBER, "the value at the low count",
          50, applies=_ANALOG, pair="value_high", unit_field="value_unit", headers=("eu low",)),
    Field("value_high", Station.VALUE, "high", Kind.NUMBER, "the value at the high count",
          62, applies=_ANALOG, pair="value_low", unit_field="value_unit", headers=("eu high",)),
    Field("value_unit", Station.VALUE, "unit", Kind.UNIT, "unit of the value", 52, applies=_ANALOG,
          headers=("eu", "units")),
    Field("value_law", Station.VALUE, "law", Kind.CHOICE, "the law our scaling takes", 80, choices=LAW_NAMES,
          applies=_LINEAR),
    Field("value_decimals", Station.VALUE, "dec.", Kind.WHOLE, "decimals shown", 36, least=0, most=6,
          applies=_ANALOG),
    Field("text_0", Station.VALUE, "0 says", Kind.TEXT, "the word for 0", 62, longest=30, applies=_CONTACT),
    Field("text_1", Station.VALUE, "1 says", Kind.TEXT, "the word for 1", 64, longest=30, applies=_CONTACT),
    Field("checks", Station.CHECKS, "to settle", Kind.CHECKS, "what does not agree, with the figures", 420),
)  # fmt: skip
STORED: tuple[Field, ...] = tuple(field for field in FIELDS if field.stored)
_BY_NAME = {field.name: field for field in FIELDS}


def field_named(name: str) -> Field:
    """The field of that name. Raises KeyError if there is none."""
    return _BY_NAME[name]


def read_cell(field: Field, text: str) -> dict[str, Stored]:
    """What text typed into a cell means: {field name: stored value}, more than one for a range.

    Handles every kind but ADDRESS and MODE, which need the plant's layout (see layout.py). Blank text
    empties the cell. Raises TextError in words for the person who typed it.
    """
    typed = text.strip()
    if not typed:
        if field.name == "tag":
            raise TextError("a point keeps a tag: type the new one over it")
        return {field.name: None}
    match field.kind:
        case Kind.TEXT:
            return {field.name: _read_text(field, typed)}
        case Kind.NUMBER:
            return _read_end_point(field, typed)
        case Kind.WHOLE:
            return {field.name: _read_whole(field, typed)}
        case Kind.CHOICE:
            return {field.name: read_choice(field.choices, typed)}
        case Kind.UNIT:
            return {field.name: read_unit(typed).shown}
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
    if any(ord(c) < 32 or ord(c) == 127 for c in typed):
        raise TextError(f"“{field.label}” holds one line of printable characters")
    return typed


def _read_whole(field: Field, typed: str) -> int:
    number = read_number(typed)
    if number != number.to_integral_value() or not field.least <= number <= field.most:
        raise TextError(f"“{typed}”: {field.label} is a whole number from {field.least} to {field.most}")
    return int(number)


def _read_end_point(field: Field, typed: str) -> dict[str, Stored]:
    """A number; or a range, a number with its unit, or both, which fill the neighbours as well."""
    out: dict[str, Stored] = {}
    unit = ""
    ends = read_range(typed)
    if ends:
        low, high = (field.name, field.pair) if field.name.endswith("_low") else (field.pair, field.name)
        out[low], out[high] = ends.low, ends.high
        unit = ends.unit
    else:
        figure, unit = split_unit(typed)
        out[field.name] = read_number(figure or typed)
    if unit:
        if not field.unit_field:
            raise TextError(f"“{typed}”: counts have no unit")
        out[field.unit_field] = read_unit(unit).shown
    return out


def split_unit(typed: str) -> tuple[str, str]:
    """("12.5", "mbar") from "12.5 mbar"; the unit is '' if there is none."""
    end = next((i for i, c in enumerate(typed) if (c.isalpha() and c not in "eE") or c in "°%Ω[{"), len(typed))
    return typed[:end].strip(), typed[end:].strip()


def read_choice(choices: Iterable[str], typed: str) -> str:
    """The choice meant by the text: the same letters and digits, or the only one that begins with them."""

    def bare(text: str) -> str:
        return "".join(c for c in text.lower() if c.isalnum())

    offered = tuple(choices)
    key = bare(typed)
    same = [choice for choice in offered if bare(choice) == key]
    begin = same or [choice for choice in offered if key and bare(choice).startswith(key)]
    if len(begin) == 1:
        return begin[0]
    if begin:
        raise TextError(f"“{typed}” could be {' or '.join(begin)}: type more of it")
    raise TextError(f"“{typed}” is not one of: {', '.join(offered)}")
