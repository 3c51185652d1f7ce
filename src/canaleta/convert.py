"""`convert`: sensor physics on the command line, for people and scripts.

Values come as arguments or, with `-`, one a line on standard input, which is streamed in bounded memory.
Good values are answered even if others are bad; bad ones get a sentence on standard error and exit status 2.
"""

from __future__ import annotations

import argparse
import itertools
import json
import math
import sys
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from canaleta.core.sensors.resistance import lead_share_ohm, resistance_curves
from canaleta.core.sensors.thermocouples import SOURCE, Thermocouple, thermocouple, thermocouple_letters
from canaleta.core.text import TextError, read_number

__all__ = ["add_commands"]

Floats = NDArray[np.float64]
AT_ONCE = 10_000


@dataclass(frozen=True)
class _Conversion:
    """One way to convert: arrays in, arrays out, NaN where there is no result."""

    unit: str
    range_words: str
    work: Callable[[Floats], Floats]
    doubt: Callable[[Floats], NDArray[np.bool_]]
    doubt_words: str


def add_commands(parser: argparse.ArgumentParser) -> None:
    """The sub-commands of `convert`."""
    parser.add_argument("--list", action="store_true", help="all curves with their range and source")
    parser.set_defaults(run=_nothing_said)
    kinds = parser.add_subparsers(metavar="KIND")
    values = "Behind them: values, or - to read one a line from standard input."
    thermo = kinds.add_parser("thermocouple", help="emf and temperature (IEC 60584-1)", epilog=values)
    thermo.add_argument("curve", metavar="TYPE", help="A B C E J K N R S T")
    thermo.add_argument("--from", dest="given", choices=("mv", "degc"), required=True)
    thermo.add_argument("--junction-degc", default="0", help="cold junction, compensated in mV (default 0)")
    rtd = kinds.add_parser("rtd", help="resistance and temperature", epilog=values)
    rtd.add_argument("curve", metavar="CURVE", help="pt100, ni1000, cu10 …: see convert --list")
    rtd.add_argument("--from", dest="given", choices=("ohm", "degc"), required=True)
    rtd.add_argument("--wires", type=int, default=4, help="2, 3 or 4 (default 4)")
    rtd.add_argument("--lead-ohm", default="0", help="resistance of one lead")
    for kind, run in ((thermo, _thermocouple), (rtd, _rtd)):
        kind.add_argument("--json", action="store_true", help="one JSON object a line")
        kind.set_defaults(run=run, takes_values=True)


def _nothing_said(options: argparse.Namespace) -> int:
    if not options.list:
        return _refuse("say what to convert: thermocouple or rtd, or --list")
    for letter in sorted(thermocouple_letters()):
        element = thermocouple(letter)
        print(f"{letter:<12} {element.low_degc:>6g} … {element.high_degc:g} °C   {SOURCE}")
    for curve in resistance_curves().values():
        print(f"{curve.name:<12} {curve.low_degc:>6g} … {curve.high_degc:g} °C   {curve.source}")
    return 0


def _thermocouple(options: argparse.Namespace) -> int:
    letter = options.curve.upper()
    if letter not in thermocouple_letters():
        return _refuse(f"“{options.curve}” is not a type: choose one of {' '.join(sorted(thermocouple_letters()))}")
    element = thermocouple(letter)
    try:
        junction = float(read_number(options.junction_degc))
    except TextError as error:
        return _refuse(f"--junction-degc: {error}")
    offset = float(element.emf_mv(junction))
    if math.isnan(offset):
        return _refuse(f"--junction-degc {options.junction_degc} is outside {_degrees(element)}")
    return _run(_of_thermocouple(element, offset, options.given), options)


def _of_thermocouple(element: Thermocouple, offset: float, given: str) -> _Conversion:
    """offset: emf of the cold junction in mV; compensation belongs in mV."""
    nowhere = lambda x: np.zeros(x.shape, dtype=bool)  # noqa: E731
    if given == "degc":
        return _Conversion("mV", _degrees(element), lambda t: element.emf_mv(t) - offset, nowhere, "")
    words = f"{element.low_mv - offset:.4f} … {element.high_mv - offset:.4f} mV"
    return _Conversion(
        "°C", words, lambda e: element.temperature_degc(e + offset), lambda e: ~element.is_unique(e + offset),
        f"two temperatures have this emf; the one above {element.unique_from_degc:.0f} °C is given",
    )  # fmt: skip


def _degrees(element: Thermocouple) -> str:
    return f"{element.low_degc:g} … {element.high_degc:g} °C of type {element.letter}"


def _rtd(options: argparse.Namespace) -> int:
    curve = resistance_curves().get(options.curve.lower())
    if curve is None:
        return _refuse(f"“{options.curve}” is not a curve: choose one of {', '.join(resistance_curves())}")
    try:
        leads = lead_share_ohm(options.wires, float(read_number(options.lead_ohm)))
    except ValueError as error:
        return _refuse(str(error))
    nowhere = lambda x: np.zeros(x.shape, dtype=bool)  # noqa: E731
    if options.given == "degc":
        words = f"{curve.low_degc:g} … {curve.high_degc:g} °C of {curve.name}"
        return _run(_Conversion("Ω", words, lambda t: curve.ohm(t) + leads, nowhere, ""), options)
    words = f"{curve.low_ohm:.4f} … {curve.high_ohm:.4f} Ω of {curve.name}"
    return _run(_Conversion("°C", words, curve.temperature_degc, nowhere, ""), options)


def _run(conversion: _Conversion, options: argparse.Namespace) -> int:
    """Answer every value in order, a chunk at a time. Exit status 2 if any was bad."""
    if not options.values:
        return _refuse("give values, or - to read them from standard input")
    bad = False
    for chunk in _chunks(_texts(options.values)):
        numbers, troubles = _read(chunk)
        with np.errstate(invalid="ignore"):
            results, doubts = conversion.work(numbers), conversion.doubt(numbers)
        for text, number, result, doubt, trouble in zip(chunk, numbers, results, doubts, troubles, strict=True):
            if not trouble and math.isnan(result):
                trouble = f"“{text}” is outside {conversion.range_words}"
            if trouble:
                bad = True
                print(f"canaleta: {trouble}", file=sys.stderr)
            if options.json:
                print(_line(text, number, result, conversion, bool(doubt), trouble))
            elif not trouble:
                note = f"   ({conversion.doubt_words})" if doubt else ""
                print(f"{result:.6f} {conversion.unit}{note}")
    return 2 if bad else 0


def _line(text: str, number: float, result: float, conversion: _Conversion, doubt: bool, trouble: str) -> str:
    quality = "bad" if trouble else "doubtful" if doubt else "good"
    reasons = [trouble] if trouble else [conversion.doubt_words] if doubt else []
    given = text if math.isnan(number) else number
    answer = {"given": given, "result": None if trouble else float(result), "unit": conversion.unit}
    return json.dumps(answer | {"quality": quality, "reasons": reasons}, ensure_ascii=False)


def _texts(values: list[str]) -> Iterator[str]:
    for value in values:
        if value == "--":
            continue
        if value == "-":
            yield from (line.strip() for line in sys.stdin if line.strip())
        else:
            yield value


def _chunks(texts: Iterable[str]) -> Iterator[list[str]]:
    source = iter(texts)
    while chunk := list(itertools.islice(source, AT_ONCE)):
        yield chunk


def _read(chunk: list[str]) -> tuple[Floats, list[str]]:
    """Numbers, NaN where a text is none, and for those the sentence that says so."""
    numbers, troubles = np.full(len(chunk), np.nan), [""] * len(chunk)
    for at, text in enumerate(chunk):
        try:
            numbers[at] = float(read_number(text))
        except TextError as error:
            troubles[at] = str(error)
    return numbers, troubles


def _refuse(sentence: str) -> int:
    print(f"canaleta: {sentence}", file=sys.stderr)
    return 2
