"""`convert counts`: a signal, the converter's count, the words it stands in, and the scaled value; any to any."""

from __future__ import annotations

import argparse
from dataclasses import dataclass

import numpy as np
from pydantic import ValidationError

from canaleta.convert.stream import Answers, Conversion, refuse, run
from canaleta.core.notation.arrays import Floats
from canaleta.core.notation.text import TextError, plain, read_number, read_range
from canaleta.core.signals.converters import ORDERS, WordForm, round_counts

__all__ = ["add_counts"]

STATIONS = ("signal", "count", "word", "value")
_CODINGS = {"signed": "two's complement", "unsigned": "unsigned", "offset": "offset binary"}
_ROUNDINGS = ("nearest", "down", "zero", "none")


@dataclass(frozen=True)
class _Converter:
    """Everything the options say. Spans are (low, high)."""

    signal: tuple[float, float]
    unit: str
    counts: tuple[float, float]
    stops: tuple[float, float]
    form: WordForm
    rounding: int
    step: float
    scale: tuple[float, float] | None
    scale_unit: str
    scale_signal: tuple[float, float]


def add_counts(kinds: argparse._SubParsersAction[argparse.ArgumentParser]) -> None:
    """The command."""
    parser = kinds.add_parser(
        "counts",
        help="signal, count, register words and scaled value",
        epilog="Behind them: values, or - to read one a line. Words are written as 0x9999, two of them with a space or "
        "as 0x41480000. Spans as “4…20 mA”; negative ends need =, as in --stops=-8000…32767.",
    )
    parser.add_argument("--signal", default="0…20 mA", help="the converter's signal span (default 0…20 mA)")
    parser.add_argument("--counts", help="the counts of that span (default 0…65535; with --float the signal itself)")
    parser.add_argument("--stops", help="where the count stops (default: where the word does)")
    parser.add_argument("--from", dest="given", choices=STATIONS, default="signal")
    parser.add_argument(
        "--to", dest="wanted", choices=STATIONS, default="", help="default: count, or signal from one"
    )
    parser.add_argument("--coding", choices=tuple(_CODINGS), help="of the word (default: unsigned if the count is)")
    parser.add_argument("--bits", type=int, choices=(16, 32), default=16, help="of the word (default 16)")
    parser.add_argument("--float", action="store_true", help="IEEE 754 in two registers, not rounded")
    parser.add_argument("--left", type=int, default=0, metavar="N", help="N bits at the left end of the word")
    parser.add_argument("--order", choices=ORDERS, default="ABCD", help="of the bytes, A the most significant")
    parser.add_argument("--rounding", choices=_ROUNDINGS, default="nearest", help="of the count (default nearest)")
    parser.add_argument("--step", default="1", help="how far the count moves at once (default 1)")
    parser.add_argument("--scale", help="engineering span of the value, as “-20…80 °C”")
    parser.add_argument("--scale-signal", help="the signal at its ends (default: the converter's span)")
    parser.add_argument("--json", action="store_true", help="one JSON object a line")
    parser.set_defaults(run=_counts, takes_values=True)


def _counts(options: argparse.Namespace) -> int:
    try:
        converter = _read(options)
    except (TextError, ValueError) as error:
        return refuse(str(error))
    given = options.given
    wanted = options.wanted or ("signal" if given in ("count", "word") else "count")
    if "value" in (given, wanted) and converter.scale is None:
        return refuse("the value needs --scale, as in --scale “-20…80 °C”")

    def work(numbers: Floats) -> Answers:
        return _answers(converter, _count_of(converter, given, numbers), given, wanted, numbers)

    unit = {"signal": converter.unit, "value": converter.scale_unit}.get(wanted, "")
    reads = (lambda text: _word_number(converter.form, text)) if given == "word" else None
    decimals = {"count": 0 if converter.rounding != _ROUNDINGS.index("none") else 6}.get(wanted, 6)
    return run(Conversion(unit, work, reads, decimals), options)


def _read(options: argparse.Namespace) -> _Converter:
    signal, unit = _span("--signal", options.signal)
    counts = signal if options.float else (0.0, 65535.0)
    if options.counts:
        counts, _ = _span("--counts", options.counts)
    coding = options.coding or ("signed" if min(counts) < 0 else "unsigned")
    if options.stops and min(_span("--stops", options.stops)[0]) < 0 and options.coding is None:
        coding = "signed"
    try:
        form = WordForm.model_validate(
            {
                "kind": "float" if options.float else "whole",
                "bits": 32 if options.float else options.bits,
                "coding": _CODINGS[coding],
                "used_bits": options.left,
                "order": options.order,
            }
        )
    except ValidationError as error:
        raise ValueError(error.errors()[0]["msg"].removeprefix("Value error, ")) from error
    stops = _span("--stops", options.stops)[0] if options.stops else (form.least, form.most)
    scale, scale_unit = _span("--scale", options.scale) if options.scale else (None, "")
    scale_signal = _span("--scale-signal", options.scale_signal)[0] if options.scale_signal else signal
    step = float(read_number(options.step))
    if step <= 0:
        raise ValueError("--step is more than zero")
    rounding = _ROUNDINGS.index("none" if options.float else options.rounding)
    return _Converter(
        signal, unit, counts, (min(stops), max(stops)), form, rounding, step, scale, scale_unit, scale_signal
    )


def _span(option: str, text: str) -> tuple[tuple[float, float], str]:
    try:
        ends = read_range(text)
    except TextError as error:
        raise ValueError(f"{option}: {error}") from error
    if ends is None:
        raise ValueError(f"{option}: “{text}” is not a span: write it as “4…20 mA”")
    if ends.low == ends.high:
        raise ValueError(f"{option}: both ends are {plain(ends.low)}: a span has a length")
    return (float(ends.low), float(ends.high)), ends.unit


def _along(x: Floats | float, of: tuple[float, float], into: tuple[float, float]) -> Floats:
    return np.asarray(into[0] + (np.asarray(x) - of[0]) / (of[1] - of[0]) * (into[1] - into[0]), dtype=np.float64)


def _value_counts(c: _Converter) -> tuple[float, float]:
    """Counts at the ends of the scale, unrounded."""
    low, high = (float(_along(end, c.signal, c.counts)) for end in c.scale_signal)
    return low, high


def _count_of(c: _Converter, given: str, numbers: Floats) -> Floats:
    """Exact counts, before rounding and stops."""
    if given == "signal":
        return _along(numbers, c.signal, c.counts)
    if given == "value" and c.scale:
        return _along(numbers, c.scale, _value_counts(c))
    return numbers


def _answers(c: _Converter, exact: Floats, given: str, wanted: str, numbers: Floats) -> Answers:
    notes: dict[int, tuple[str, list[str]]] = {}
    trouble: dict[int, str] = {}
    counts = exact
    if given in ("signal", "value"):
        # What a slope of many digits leaves behind the last digit of a count does not turn it into the next.
        rounded = round_counts(exact, c.rounding, c.step, c.counts[0])
        counts = np.clip(rounded, *c.stops)
        for at in np.flatnonzero((counts != rounded) & ~np.isnan(rounded)).tolist():
            end = "upper" if rounded[at] > counts[at] else "lower"
            notes[at] = ("doubtful", [f"the count stops at its {end} end, {_whole(float(counts[at]))}: cannot tell"])
    elif given == "count":
        for at in np.flatnonzero((counts < c.form.least) | (counts > c.form.most)).tolist():
            trouble[at] = f"“{{text}}” does not fit: the word holds {c.form.least:.0f} to {c.form.most:.0f}"
        whole = c.rounding != _ROUNDINGS.index("none")
        for at in np.flatnonzero(whole & (counts != np.rint(counts))).tolist():
            trouble[at] = "“{text}”: counts are whole numbers"
    if wanted == "count":
        return Answers(counts, trouble, notes)
    if wanted == "word":
        safe = np.where(np.isnan(counts) | np.isin(np.arange(len(counts)), list(trouble)), 0.0, counts)
        texts = [
            " ".join(f"0x{word:04X}" for word in row)
            for row in c.form.words_of(np.clip(safe, c.form.least, c.form.most)).tolist()
        ]
        return Answers(counts, trouble, notes, texts)
    if wanted == "value" and c.scale:
        return Answers(_along(counts, _value_counts(c), c.scale), trouble, notes)
    return Answers(_along(counts, c.counts, c.signal), trouble, notes)


def _whole(count: float) -> str:
    return plain(int(count) if count == int(count) else count)


def _word_number(form: WordForm, text: str) -> float:
    """The count in words as typed: hex or decimal registers, apart by spaces, or all digits of both in one."""
    parts = text.replace(",", " ").split()
    try:
        numbers = [int(part, 0) for part in parts]
    except ValueError as error:
        raise TextError(f"“{text}” is not a word: write it as 0x9999") from error
    if len(numbers) == 1 and form.words == 2:
        numbers = [numbers[0] >> 16, numbers[0] & 0xFFFF]
    if len(numbers) != form.words or not all(0 <= number <= 0xFFFF for number in numbers):
        raise TextError(f"“{text}” is not {form.words} word{'s' * (form.words > 1)} of 16 bits")
    return float(form.counts_of(np.array(numbers))[0])
