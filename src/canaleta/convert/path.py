"""`convert path`: a whole path described in a JSON document, from a value at any of its stations."""

from __future__ import annotations

import argparse
import json
import sys
from collections.abc import Iterator
from pathlib import Path

import numpy as np

from canaleta.catalogue.types import module_types
from canaleta.convert.stream import json_line, refuse, texts_of
from canaleta.core.model.fields import STATIONS, Station
from canaleta.core.model.image import PlantImage
from canaleta.core.model.quality import Quality
from canaleta.core.notation.text import TextError
from canaleta.core.path.evaluate import describe, reason_messages, workings
from canaleta.core.path.facts import Section, facts_of
from canaleta.core.path.faults import Fault, evaluate_faulted, faulted, upset_of, words_of
from canaleta.core.sheet.document import DocumentError, path_schema, read_document
from canaleta.core.sheet.entry import read_station, station_figure, switch_words

__all__ = ["add_path"]


def add_path(kinds: argparse._SubParsersAction[argparse.ArgumentParser]) -> None:
    """The command."""
    parser = kinds.add_parser(
        "path",
        help="a whole path described in JSON",
        epilog="STATION is PROCESS, DEVICE, LOOP, INPUT, COUNTS or VALUE; more values may follow, and - reads them "
        "one a line: --set LOOP=4 8 12, --set COUNTS=-",
    )
    parser.add_argument("file", nargs="?", metavar="FILE", help="the document; - for standard input")
    parser.add_argument("--set", dest="set", nargs="+", action="extend", default=[], metavar="STATION=VALUE")
    parser.add_argument("--schema", action="store_true", help="print the JSON schema of the document")
    parser.add_argument("--working", action="store_true", help="print how each number came about")
    parser.add_argument("--facts", action="store_true", help="print budgets, resolution and agreement of the path")
    parser.add_argument("--json", action="store_true", help="one JSON object a line")
    parser.set_defaults(run=_path)


def _path(options: argparse.Namespace) -> int:
    if options.schema:
        print(json.dumps(path_schema(), indent=2, ensure_ascii=False))
        return 0
    if not options.file:
        return refuse("give the file of a path, or --schema to see what one looks like")
    try:
        image, faults = _read(options.file)
    except DocumentError as error:
        return refuse(f"{options.file}: {error}")
    if options.facts:
        _print_facts(facts_of(image, 0), options.json)
    if not options.set:
        return 0 if options.facts else refuse("say where the value stands, as in --set LOOP=12")
    bad = False
    for text in _wanted(options.set):
        try:
            station, value, _ = _reading(image, text)
        except TextError as error:
            bad = True
            print(f"canaleta: {error}", file=sys.stderr)
            if options.json:
                print(json_line(text, None, None, "bad", [str(error)]))
            continue
        _answer(image, faults, text, station, value, options)
    return 2 if bad else 0


def _read(file: str) -> tuple[PlantImage, list[Fault]]:
    try:
        text = sys.stdin.read() if file == "-" else Path(file).read_text(encoding="utf-8")
        document = json.loads(text)
    except OSError as error:
        raise DocumentError(error.strerror or "cannot be read") from error
    except ValueError as error:
        raise DocumentError(f"is not JSON: {error}") from error
    return read_document(document, module_types())


def _wanted(words: list[str]) -> Iterator[str]:
    """Each STATION=VALUE; a value without a station is for the station before it."""
    station = ""
    for word in words:
        name, equals, value = word.partition("=")
        if equals:
            station = name
        else:
            value = word
        yield from (f"{station}={text}" for text in texts_of([value]))


def _reading(image: PlantImage, text: str) -> tuple[Station, float, str]:
    name, _, value = text.partition("=")
    try:
        station = Station(name.strip().upper())
        if station not in STATIONS:
            raise ValueError
    except ValueError:
        raise TextError(f"“{name}” is not a station: {', '.join(STATIONS)}") from None
    return station, read_station(image, 0, station, value), value


def _answer(
    image: PlantImage, faults: list[Fault], text: str, station: Station, value: float, options: argparse.Namespace
) -> None:
    by_row = {0: faults} if faults else {}
    paths = evaluate_faulted(image, station, np.array([value]), by_row)
    found, words = paths.stations[:, 0], describe(faulted(image, by_row), 0)
    quality = Quality(int(paths.quality[0])).name.lower()
    reasons = reason_messages(image, 0, int(paths.reasons[0]))
    why = workings(faulted(image, by_row), 0, station, value, upset_of(1, by_row)) if options.working else ()
    told = [
        {"station": STATIONS[k].value, "formula": w.formula, "figures": w.figures, "source": w.source}
        for k, w in enumerate(why)
        if w
    ]
    if options.json:
        result = {s.value: _plain(s, float(x)) for s, x in zip(STATIONS, found, strict=True)}
        units = {s.value: w.unit for s, w in zip(STATIONS, words, strict=True)}
        more = {"working": told} if options.working else {}
        if faults:
            more["faults"] = [{"fault": words_of(image, 0, fault)} for fault in faults]
        print(json_line(text, result, units, quality, reasons, **more))
        return
    print(text + (f"   with {', '.join(words_of(image, 0, f) for f in faults)}" if faults else ""))
    by_station = {line["station"]: line for line in told}
    for k, name in enumerate(STATIONS):
        figure = station_figure(image, 0, k, float(found[k]), max(words[k].decimals, 4 if words[k].unit else 0))
        print(f"  {name:<8} {figure or '—'} {words[k].unit}".rstrip())
        if line := by_station.get(name.value):
            print(f"           {line['formula']}\n           {line['figures']}\n           {line['source']}")
    if says := switch_words(image, 0, float(found[-1])):
        print(f"  {says}")
    print(f"  {quality}" + (f": {'; '.join(reasons)}" if reasons else ""))


def _print_facts(sections: list[Section], as_json: bool) -> None:
    if as_json:
        for s in sections:
            rows = [{"label": r.label, "figure": r.figure, "basis": r.basis, "tone": r.tone} for r in s.rows]
            print(json.dumps({"section": s.title, "verdict": s.verdict, "rows": rows}, ensure_ascii=False))
        return
    for s in sections:
        print(s.title + (f": {s.verdict}" if s.verdict else ""))
        for r in s.rows:
            print(f"  {r.label:<28} {r.figure}" + (f"   [{r.basis}]" if r.basis else ""))


def _plain(station: Station, x: float) -> float | int | None:
    """A figure without the noise behind its last digit; whole counts as whole numbers."""
    if not np.isfinite(x):
        return None
    return int(x) if station is Station.COUNTS and x == int(x) else float(f"{x:.12g}")
