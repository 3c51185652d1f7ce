"""The fields of a point, and what a text typed into one of their cells means."""

from __future__ import annotations

from collections.abc import Iterable
from decimal import Decimal
from functools import lru_cache
from typing import Any

from canaleta.core.model.field import STATIONS, Field, Kind, Landing, Station, Stored
from canaleta.core.model.field_table import FIELDS
from canaleta.core.notation.patterns import LONGEST_LINE, SPACE, compiled
from canaleta.core.notation.text import TextError, plain, read_number, read_range
from canaleta.core.notation.units import read_unit_and_reference
from canaleta.core.signals.bands import read_bands
from canaleta.core.signals.hops_and_factors import read_factors, read_hops
from canaleta.core.signals.signal_types import SIGNAL_NAMES, SIGNALS
from canaleta.core.signals.strips import read_cores, read_terminals
from canaleta.core.signals.tables import read_table

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
        case Kind.BANDS:
            return {field.name: read_bands(typed)}
        case Kind.LINK:
            return {field.name: _read_link(field, typed)}
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


_LINK = compiled(r"https?://[^\s/?#@:]+(:\d+)?([/?#]\S*)?")
_THERMOCOUPLE = compiled(rf"(?:type|typ|thermocouple|t/c|tc)(?:{SPACE}|\.)*([a-z])", ignore_case=True)


def _read_link(field: Field, typed: str) -> str:
    address = typed if "://" in typed else f"https://{typed}"
    if len(address) > 400 or not _LINK.fullmatch(address):
        raise TextError(f"“{typed}”: {field.label} is an address that begins with http:// or https://")
    return address


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
    """The signal meant by the text: by its name, by its span ("4 to 20 mA", "-10…10 V"), or "type K". Raises
    TextError."""
    letter = _THERMOCOUPLE.fullmatch(typed.strip()) if len(typed) < LONGEST_LINE else None
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
