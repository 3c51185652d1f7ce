"""`convert thermocouple` and `convert rtd`."""

from __future__ import annotations

import argparse
import math

import numpy as np

from canaleta.convert.stream import Answers, Conversion, refuse, run
from canaleta.core.notation.arrays import Floats
from canaleta.core.notation.text import TextError, read_number
from canaleta.core.signals.sensors.resistance import (
    CLASSES,
    ResistanceCurve,
    class_limit_degc,
    lead_share_ohm,
    resistance_curves,
)
from canaleta.core.signals.sensors.thermocouples import SOURCE, Thermocouple, thermocouple, thermocouple_letters

__all__ = ["add_sensors", "list_curves"]


def add_sensors(kinds: argparse._SubParsersAction[argparse.ArgumentParser]) -> None:
    """The two commands."""
    values = "Behind them: values, or - to read one a line from standard input."
    thermo = kinds.add_parser("thermocouple", help="emf and temperature (IEC 60584-1)", epilog=values)
    thermo.add_argument("curve", metavar="TYPE", help="A B C E J K N R S T")
    thermo.add_argument("--from", dest="given", choices=("mv", "degc"), required=True)
    thermo.add_argument("--junction-degc", default="0", help="cold junction, compensated in mV (default 0)")
    thermo.add_argument("--class", dest="tolerance", metavar="1|2|3", help="the limit of error of that class instead")
    rtd = kinds.add_parser("rtd", help="resistance and temperature", epilog=values)
    rtd.add_argument("curve", metavar="CURVE", help="pt100, ni1000, cu10 …: see convert --list")
    rtd.add_argument("--from", dest="given", choices=("ohm", "degc"), required=True)
    rtd.add_argument("--wires", type=int, default=4, help="2, 3 or 4 (default 4)")
    rtd.add_argument("--lead-ohm", default="0", help="resistance of one lead")
    rtd.add_argument("--class", dest="tolerance", metavar="AA|A|B|C", help="the limit of error of that class instead")
    rtd.add_argument("--film", action="store_true", help="with --class: a film element, not a wire-wound one")
    for kind, command in ((thermo, _thermocouple), (rtd, _rtd)):
        kind.add_argument("--json", action="store_true", help="one JSON object a line")
        kind.set_defaults(run=command, takes_values=True)


def list_curves() -> None:
    """Every curve with its range and source."""
    for letter in sorted(thermocouple_letters()):
        element = thermocouple(letter)
        print(f"{letter:<12} {element.low_degc:>6g} … {element.high_degc:g} °C   {SOURCE}")
    for curve in resistance_curves().values():
        print(f"{curve.name:<12} {curve.low_degc:>6g} … {curve.high_degc:g} °C   {curve.source}")


def _thermocouple(options: argparse.Namespace) -> int:
    letter = options.curve.upper()
    if letter not in thermocouple_letters():
        return refuse(f"“{options.curve}” is not a type: choose one of {' '.join(sorted(thermocouple_letters()))}")
    element = thermocouple(letter)
    try:
        junction = float(read_number(options.junction_degc))
    except TextError as error:
        return refuse(f"--junction-degc: {error}")
    offset = float(element.emf_mv(junction))
    if math.isnan(offset):
        return refuse(f"--junction-degc {options.junction_degc} is outside {_degrees(element)}")
    if options.tolerance:
        return _tolerance(options, lambda t: element.limit_degc(t, options.tolerance), f"type {letter}")
    return run(_of_thermocouple(element, offset, options.given), options)


def _of_thermocouple(element: Thermocouple, offset: float, given: str) -> Conversion:
    """offset: emf of the cold junction in mV; compensation belongs in mV."""
    if given == "degc":
        return Conversion("mV", lambda t: _bounded(element.emf_mv(t) - offset, _degrees(element)))
    words = f"{element.low_mv - offset:.4f} … {element.high_mv - offset:.4f} mV"
    told = f"two temperatures have this emf; the one above {element.unique_from_degc:.0f} °C is given"

    def degrees(e: Floats) -> Answers:
        found = _bounded(element.temperature_degc(e + offset), words)
        two = np.flatnonzero(~element.is_unique(e + offset) & ~np.isnan(found.results)).tolist()
        return Answers(found.results, found.trouble, dict.fromkeys(two, ("doubtful", [told])))

    return Conversion("°C", degrees)


def _degrees(element: Thermocouple) -> str:
    return f"{element.low_degc:g} … {element.high_degc:g} °C of type {element.letter}"


def _rtd(options: argparse.Namespace) -> int:
    curve = resistance_curves().get(options.curve.lower())
    if curve is None:
        return refuse(f"“{options.curve}” is not a curve: choose one of {', '.join(resistance_curves())}")
    try:
        leads = lead_share_ohm(options.wires, float(read_number(options.lead_ohm)))
    except ValueError as error:
        return refuse(str(error))
    if options.tolerance:
        return _of_class(options, curve)
    degrees = f"{curve.low_degc:g} … {curve.high_degc:g} °C of {curve.name}"
    if options.given == "degc":
        return run(Conversion("Ω", lambda t: _bounded(curve.ohm(t) + leads, degrees)), options)
    ohms = f"{curve.low_ohm:.4f} … {curve.high_ohm:.4f} Ω of {curve.name}"
    return run(Conversion("°C", lambda r: _bounded(curve.temperature_degc(r), ohms)), options)


def _of_class(options: argparse.Namespace, curve: ResistanceCurve) -> int:
    if not curve.platinum:
        return refuse(f"the classes {', '.join(CLASSES)} are said of platinum after IEC 60751, not of {curve.name}")
    construction = "film" if options.film else "wire"
    return _tolerance(options, lambda t: class_limit_degc(t, options.tolerance.upper(), construction), curve.name)


def _tolerance(options: argparse.Namespace, limit: object, name: str) -> int:
    assert callable(limit)
    if options.given != "degc":
        return refuse("--class is asked of temperatures: use --from degc")
    try:
        limit(np.array([0.0]))
    except ValueError as error:
        return refuse(f"--class: {error}")
    words = f"the temperatures class {options.tolerance} of {name} is stated for"
    return run(Conversion("°C", lambda t: _bounded(limit(t), words)), options)


def _bounded(results: Floats, range_words: str) -> Answers:
    outside = np.flatnonzero(np.isnan(results)).tolist()
    return Answers(results, dict.fromkeys(outside, f"“{{text}}” is outside {range_words}"))
