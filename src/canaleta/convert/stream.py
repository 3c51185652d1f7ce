"""Values in, answers out: read as typed or streamed from standard input, a chunk at a time, in order.

Good values are answered even if others are bad; bad ones get a sentence on standard error and exit status 2.
"""

from __future__ import annotations

import argparse
import itertools
import json
import re
import sys
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass, field

import numpy as np

from canaleta.core.notation.arrays import Floats
from canaleta.core.notation.text import TextError, read_number

__all__ = ["Answers", "Conversion", "json_line", "refuse", "run", "texts_of"]

AT_ONCE = 10_000
_PLAIN = re.compile(r"[+-]?(\d{1,15}(\.\d{0,15})?|\.\d{1,15})([eE][+-]?\d{1,2})?", re.ASCII)


@dataclass(frozen=True)
class Answers:
    """Results of one chunk. trouble: {place: why there is none}. notes: {place: (quality, reasons)} where not good.

    texts: results as text where they are no plain numbers.
    """

    results: Floats
    trouble: dict[int, str] = field(default_factory=dict)
    notes: dict[int, tuple[str, list[str]]] = field(default_factory=dict)
    texts: list[str] | None = None


@dataclass(frozen=True)
class Conversion:
    """One way to convert: a chunk of numbers in, answers out.

    read: how a typed value becomes a number, where it is not a plain one. decimals: shown to people.
    """

    unit: str
    work: Callable[[Floats], Answers]
    read: Callable[[str], float] | None = None
    decimals: int = 6

    def number(self, x: float) -> int | float:
        """A result as scripts read it: a whole number where it is one by its nature."""
        return int(x) if self.decimals == 0 and x == int(x) else x


def run(conversion: Conversion, options: argparse.Namespace) -> int:
    """Answer every value in order, a chunk at a time. Exit status 2 if any was bad."""
    if not options.values:
        return refuse("give values, or - to read them from standard input")
    bad = False
    for chunk in _chunks(texts_of(options.values)):
        numbers, troubles = _read(chunk, conversion.read)
        with np.errstate(all="ignore"):
            answers = conversion.work(numbers)
        troubles = {at: answers.trouble[at].replace("{text}", chunk[at]) for at in answers.trouble} | troubles
        bad |= bool(troubles)
        write = _write_json if options.json else _write_plain
        write(chunk, numbers, answers, troubles, conversion)
    return 2 if bad else 0


def texts_of(values: list[str]) -> Iterator[str]:
    """The values as typed: arguments, and in the place of - the lines of standard input."""
    for value in values:
        if value == "--":
            continue
        if value == "-":
            yield from (line.strip() for line in sys.stdin if line.strip())
        else:
            yield value


def refuse(sentence: str) -> int:
    """Say why nothing can be done; exit status 2."""
    print(f"canaleta: {sentence}", file=sys.stderr)
    return 2


def json_line(given: object, result: object, unit: object, quality: str, reasons: list[str], **more: object) -> str:
    """One answer as people's scripts read it."""
    answer = {"given": given, "result": result, "unit": unit, "quality": quality, "reasons": reasons}
    return json.dumps(answer | more, ensure_ascii=False)


def _write_plain(
    chunk: list[str], numbers: Floats, answers: Answers, troubles: dict[int, str], conversion: Conversion
) -> None:
    shown = answers.texts or [f"{x:.{conversion.decimals}f} {conversion.unit}" for x in answers.results.tolist()]
    for at, (_, reasons) in answers.notes.items():
        shown[at] = f"{shown[at].strip()}   ({'; '.join(reasons)})"
    if not troubles:
        sys.stdout.write("\n".join(line.rstrip() for line in shown) + "\n")
        return
    for at in range(len(chunk)):
        if at in troubles:
            sys.stdout.flush()
            print(f"canaleta: {troubles[at]}", file=sys.stderr)
        else:
            print(shown[at].rstrip())


def _write_json(
    chunk: list[str], numbers: Floats, answers: Answers, troubles: dict[int, str], conversion: Conversion
) -> None:
    tail = f', "unit": {json.dumps(conversion.unit, ensure_ascii=False)}, "quality": "good", "reasons": []}}'
    results = [json.dumps(t, ensure_ascii=False) for t in answers.texts] if answers.texts else None
    if results is None:
        numbers_told = answers.results.tolist()
        if conversion.decimals == 0:
            numbers_told = [conversion.number(x) if np.isfinite(x) else x for x in numbers_told]
        results = [repr(x) for x in numbers_told]
    given = [repr(x) for x in numbers.tolist()]
    lines = [f'{{"given": {g}, "result": {r}{tail}' for g, r in zip(given, results, strict=True)]
    for at, (quality, reasons) in answers.notes.items():
        result = (
            answers.texts[at]
            if answers.texts
            else json.loads(results[at])
            if np.isfinite(answers.results[at])
            else None
        )
        lines[at] = json_line(float(numbers[at]), result, conversion.unit, quality, reasons)
    for at, trouble in troubles.items():
        print(f"canaleta: {trouble}", file=sys.stderr)
        told = chunk[at] if np.isnan(numbers[at]) else float(numbers[at])
        lines[at] = json_line(told, None, conversion.unit, "bad", [trouble])
    sys.stdout.write("\n".join(lines) + "\n")


def _chunks(texts: Iterable[str]) -> Iterator[list[str]]:
    source = iter(texts)
    while chunk := list(itertools.islice(source, AT_ONCE)):
        yield chunk


def _read(chunk: list[str], read: Callable[[str], float] | None) -> tuple[Floats, dict[int, str]]:
    """Numbers, NaN where a text is none, and for those the sentence that says so."""
    matches = _PLAIN.fullmatch
    if read is None and all(map(matches, chunk)):
        return np.array([float(text) for text in chunk], dtype=np.float64), {}
    numbers, troubles = np.full(len(chunk), np.nan), {}
    for at, text in enumerate(chunk):
        try:
            numbers[at] = read(text) if read else float(read_number(text))
        except TextError as error:
            troubles[at] = str(error)
    return numbers, troubles
