"""The sub-commands of `convert`."""

from __future__ import annotations

import argparse

from canaleta.convert.counts import add_counts
from canaleta.convert.path import add_path
from canaleta.convert.sensors import add_sensors, list_curves
from canaleta.convert.stream import refuse

__all__ = ["add_commands", "joined_spans"]

_SPANS = ("--signal", "--counts", "--stops", "--scale", "--scale-signal", "--junction-degc", "--lead-ohm", "--step")


def add_commands(parser: argparse.ArgumentParser) -> None:
    """thermocouple, rtd, counts, path, and --list."""
    parser.add_argument("--list", action="store_true", help="all curves with their range and source")
    parser.set_defaults(run=_nothing_said)
    kinds = parser.add_subparsers(metavar="KIND")
    add_sensors(kinds)
    add_counts(kinds)
    add_path(kinds)


def _nothing_said(options: argparse.Namespace) -> int:
    if not options.list:
        return refuse("say what to convert: thermocouple, rtd, counts or path, or --list")
    list_curves()
    return 0


def joined_spans(argv: list[str]) -> list[str]:
    """The words of a command line with spans that begin with a minus joined to their option, which else would be
    lost."""
    out: list[str] = []
    for word in argv:
        if out and out[-1] in _SPANS and word[:1] in ("-", "\u2212") and word[1:2].isdecimal():
            out[-1] = f"{out[-1]}={word}"
        else:
            out.append(word)
    return out
