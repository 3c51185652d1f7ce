"""Texts that readers which go back over them are slow with."""

from __future__ import annotations

import contextlib
import time
from collections.abc import Callable

from canaleta.core.checks.scripts import read_script
from canaleta.core.model.conventions import Conventions, fault_grades
from canaleta.core.model.fields import read_signal
from canaleta.core.model.naming import next_name, ruled_address
from canaleta.core.notation.networks import rack_networks
from canaleta.core.notation.tags import has_shape, own_letters, read_tag
from canaleta.core.notation.text import read_number, read_range
from canaleta.core.program.unit import by_hand
from canaleta.core.rules.texts import _QUOTED, _TYPED_ADDRESS, _may_quote
from canaleta.core.sheet.series import counted_on
from canaleta.core.signals.bands import read_bands
from canaleta.core.signals.decodings import read_shown
from canaleta.core.signals.hops_and_factors import read_factors, read_hops
from canaleta.core.signals.strips import read_cores, read_terminals
from canaleta.core.st import read as read_program
from canaleta.exchange.lists.contents import is_date, looks_like_tag
from canaleta.exchange.lists.figures import decimal_marks, read_figure, read_span
from canaleta.exchange.lists.headings import read_heading
from canaleta.exchange.lists.phrases import read_class, read_phrase, read_supply, read_wires
from canaleta.exchange.lists.places import Seats, context_of, read_core_text, read_place, read_strip
from tests.building.words import plant_of

PLANT = plant_of("PT-1: 4–20 mA, 0…100 %, shows 0…100 %")


READERS: dict[str, Callable[[str], object]] = {
    "number": read_number, "range": read_range, "signal": read_signal, "hops": read_hops, "factors": read_factors,
    "bands": read_bands, "terminals": read_terminals, "cores": read_cores, "tag": read_tag, "letters": own_letters,
    "controller's address": read_shown, "networks": rack_networks, "grades": fault_grades, "heading": read_heading.__wrapped__,
    "script": lambda text: read_script(PLANT, text), "script's line": lambda text: read_script(PLANT, f"0 s PT-1 put {text}"),
    "script's clauses": lambda text: read_script(PLANT, f"0 s PT-1 see {text} within 3 s"),
    "quoted range": lambda text: list(_QUOTED.finditer(text)), "may quote": lambda text: _may_quote([text]),
    "typed address": _TYPED_ADDRESS.findall, "shape": lambda text: has_shape("*A*-9*[A*]*|*9", text),
    "rule of addresses": lambda text: ruled_address("10.{cabinet}.{rack}.1", text, text), "series": lambda text: counted_on([text], 1),
    "next name": lambda text: next_name(text, []), "channel": PLANT.layout.read_address,
    "convention": lambda text: Conventions(tag_rule=text), "networks of a plant": lambda text: Conventions(rack_networks=text),
    "structured text": read_program, "a program's body": lambda text: read_program(f"PROGRAM P {text} END_PROGRAM"),
    "a comment that is not closed": lambda text: read_program(f"PROGRAM P (*{text}"),
    "an expression": lambda text: read_program(f"PROGRAM P X := {text}; END_PROGRAM"), "lines by hand": by_hand,
    "a span of a list": read_span, "a figure of a list": read_figure, "decimal marks": lambda text: decimal_marks([text]),
    "a signal in words": read_phrase.__wrapped__, "a class": read_class, "wires in words": read_wires, "supply in words": read_supply,
    "a place": lambda text: read_place(text, Seats()), "a line above": lambda text: context_of([text], Seats()),
    "terminals of a list": read_strip, "cores of a list": read_core_text, "a date": is_date, "a tag of a list": looks_like_tag.__wrapped__,
}  # fmt: skip


MEAN = (
    " ",
    "1",
    "1 ",
    "a ",
    "1.",
    "1,",
    "-",
    "(",
    "[ ",
    "1-",
    "1 a",
    "put ",
    "within 1",
    "..",
    "0 to ",
    "<",
    ";",
    "a1",
    "\u2009",
    "*",
    "é ",
)
"""What made backtracking readers slow: long runs of what may belong to two neighbours of a pattern."""


SHORT, LONG = 4_000, 16_000


def spent(read: Callable[[str], object], text: str) -> float:
    """Processor time of a reading, s; the least of some, so that what else the machine does tells nothing."""
    best = float("inf")
    for _ in range(3):
        began = time.process_time()
        with contextlib.suppress(ValueError, LookupError):
            read(text)
        best = min(best, time.process_time() - began)
    return best
