"""What somebody types at a station of the path: a figure, counts in hex or binary, or a word for a state."""

from __future__ import annotations

import numpy as np

from canaleta.core.model.fields import STATIONS, Station, split_unit
from canaleta.core.model.image import PlantImage
from canaleta.core.notation.patterns import compiled
from canaleta.core.notation.text import TextError, read_number, shown
from canaleta.core.notation.units import factor_and_offset, find_unit, read_unit
from canaleta.core.path.discrete import hysteresis
from canaleta.core.path.evaluate import describe
from canaleta.core.signals.converters import WordForm
from canaleta.core.signals.signal_types import Family

__all__ = ["read_station", "station_figure", "switch_words"]

_STATE_WORDS: dict[Station, tuple[tuple[str, ...], tuple[str, ...]]] = {
    Station.PROCESS: (("at rest", "rest", "0"), ("acted upon", "acting", "1")),
    Station.DEVICE: (("open", "0"), ("closed", "1")),
    Station.INPUT: (("off", "0"), ("on", "1")),
    Station.COUNTS: (("0",), ("1",)),
    Station.VALUE: (("0",), ("1",)),
}
_BASED = compiled(r"(-?)(0x[0-9a-f_]{1,8}|0b[01_]{1,40})", ignore_case=True)


def read_station(image: PlantImage, row: int, station: Station, text: str) -> float:
    """The value typed at a station, in that station's unit. Raises TextError for the person who typed it.

    A unit of the same quantity is converted ("1.2 kPa" at a station in mbar). Counts may be written in hex
    or binary as the register holds them; 0xE0C0 of a signed word is −8000.
    """
    typed = text.strip()
    if not typed:
        raise TextError("type a value; the old one is still in force")
    if image.family[row] == Family.CONTACT and station is not Station.LOOP:
        return _state(image, row, station, typed)
    if station is Station.COUNTS:
        return _counts(image, row, typed)
    figure, unit = split_unit(typed)
    value = float(read_number(figure or typed))
    expected = describe(image, row)[STATIONS.index(station)].unit
    if not unit or unit == expected:
        return value
    pair = factor_and_offset(read_unit(unit).shown, expected) if find_unit(expected) else None
    if pair is None:
        raise TextError(f"“{typed}”: {station} is in {expected or 'a unit of its own'}")
    return value * pair[0] + pair[1]


def _state(image: PlantImage, row: int, station: Station, typed: str) -> float:
    zero, one = _STATE_WORDS[station]
    if station is Station.VALUE:
        zero += tuple(w for w in (image.text("text_0", row).lower(),) if w)
        one += tuple(w for w in (image.text("text_1", row).lower(),) if w)
    for value, words in ((0.0, zero), (1.0, one)):
        if typed.lower() in words:
            return value
    raise TextError(f"“{typed}”: {station} is {zero[0]} or {one[0]}")


def _counts(image: PlantImage, row: int, typed: str) -> float:
    module = int(image.module[row])
    known = module in image.layout.modules
    form = image.layout.type_of(module).word_form if known else WordForm(coding="unsigned")
    based = _BASED.fullmatch(typed)
    if based:
        value = int(based[2].replace("_", ""), 0)
        if value >= 1 << form.bits:
            raise TextError(f"“{typed}” does not fit into a word of {form.bits} bits")
        if based[1]:
            return float(-value)
        words = [value] if form.bits == 16 else [value >> 16, value & 0xFFFF]
        return float(form.counts_of(np.array(words))[0])
    number = read_number(typed)
    if form.kind == "whole" and number != number.to_integral_value():
        raise TextError(f"“{typed}”: counts are whole numbers")
    if not form.least <= number <= form.most:
        raise TextError(f"“{typed}” does not fit into the word: {form.least:.0f} to {form.most:.0f}")
    return float(number)


_STATES: dict[int, tuple[str, str]] = {0: ("at rest", "acted upon"), 1: ("open", "closed"), 3: ("off", "on")}


def station_figure(image: PlantImage, row: int, k: int, value: float, decimals: int) -> str:
    """A station's figure as shown: a number, or the word for a state. k: index into STATIONS."""
    if np.isnan(value):
        return ""
    if image.family[row] == Family.CONTACT:
        if k in _STATES:
            return _STATES[k][int(value)]
        if k == STATIONS.index(Station.VALUE):
            return image.text(f"text_{int(value)}", row) or str(int(value))
    return shown(value, decimals)


def switch_words(image: PlantImage, row: int, value: float) -> str:
    """What an analog value used as a switch says: its word for on or off, or that it stays as it was; else ''."""
    on, off = float(image.number("on_at")[row]), float(image.number("off_at")[row])
    if np.isnan(on) or np.isnan(value):
        return ""
    off = on if np.isnan(off) else off
    was_off, was_on = (bool(hysteresis([value], on, off, before)[0]) for before in (False, True))
    if was_off != was_on:
        return "between the thresholds: as it was"
    return f"says {image.text('text_1', row) or 'on'}" if was_on else f"says {image.text('text_0', row) or 'off'}"
