"""What the cells of a column can be: how many of them a target's reader takes.

Every kind of target has one test of a text; the share of a column's texts that pass it is its fit. Free words have a
test as well: dates, figures and classes are no words.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import lru_cache
from typing import Final

from canaleta.core.model.fields import Kind, field_named, read_choice
from canaleta.core.notation.patterns import SPACE, compiled
from canaleta.core.notation.tags import read_tag
from canaleta.core.notation.text import TextError
from canaleta.exchange.lists.figures import DoubtError, read_figure, read_figure_and_unit, read_span, read_unit_text
from canaleta.exchange.lists.headings import (
    CLASS,
    FORM,
    NO_FIELD,
    NUMBER_TARGETS,
    PARTS,
    RANGES,
    STRIP_NAME,
    TAG_PARTS,
    TERMINALS,
)
from canaleta.exchange.lists.phrases import read_class, read_form, read_phrase, read_supply, read_wires
from canaleta.exchange.lists.places import Seats, read_core_text, read_place, read_strip

__all__ = ["EMPTY", "is_date", "is_empty", "is_error", "is_figure", "looks_like_tag", "test_of"]

EMPTY: Final = frozenset(
    ("-", "–", "—", "--", "---", "/", "n/a", "n.a.", "n.a", "na", "tbd", "tba", "tbc", "t.b.d.", "?", "??", "nil", "./.", ".", "*", "x.x", "none.", "n.v.", "k.a.", "s/d", "n.d.", "nd", "…", "...",
     "n. a.", "entf.", "entfällt", "n/d", "s.o.", "nvt", "n.v.t.")
)  # fmt: skip
"""What people write into a cell that holds nothing."""
_LONGEST_EMPTY = max(map(len, EMPTY))
ERRORS = (
    "#div/0!",
    "#n/a",
    "#name?",
    "#null!",
    "#num!",
    "#ref!",
    "#value!",
    "#error",
    "#err",
    "#nv",
    "#bezug!",
    "#wert!",
    "#¡valor!",
    "#¡ref!",
    "#valeur!",
    "#valore!",
    "#spill!",
    "#calc!",
    "#####",
)
_DATE = compiled(
    rf"\d{{4}}[-./]\d{{1,2}}[-./]\d{{1,2}}(?:[T\s].*)?|\d{{1,2}}[-./]\d{{1,2}}[-./]\d{{2,4}}(?:\s.*)?|\d{{1,2}}[-.\s]*(?:jan|feb|mar|mär|apr|ap[rt]|may|mai|jun|jul|aug|ago|sep|oct|okt|nov|dec|dez|dic|"
    rf"ene|abr|févr?|avr|juin|juil|août|déc|gen|mag|giu|lug|set|ott)[\pL]*\.?[-.,\s]*\d{{2,4}}|\d{{1,2}}:\d{{2}}(?::\d{{2}})?|(?:kw|cw|w){SPACE}?\d{{1,2}}(?:[/.-]\d{{2,4}})?",
    ignore_case=True,
)
_IDENTIFIER = compiled(r"[=+\-]?[\pL\pN][\pL\pN_.\-/=+:]*")
_LETTERED = compiled(r"[A-Z]{2,6}-\d+[A-Z]?")
_NUMBERED = compiled(r"[\pL][\pL\pN]*[ ]?[-_. ]?[ ]?\d[\pL\pN\-_. /]*")
_PART_OF_TAG = compiled(r"[A-Za-z]{1,5}|\d{1,6}[A-Za-z]?|[A-Za-z]{1,3}\d{1,5}[A-Za-z]?")
_YES = frozenset(["yes", "no", "y", "n", "ja", "nein", "si", "sí", "oui", "non", "j", "x", "sim", "não", "nee"])


def is_empty(text: str) -> bool:
    """Whether a cell holds nothing, or a sign that says so."""
    return not text or (len(text) <= _LONGEST_EMPTY and text.casefold() in EMPTY)


def is_error(text: str) -> bool:
    """Whether a cell is what a sheet shows for a formula that failed."""
    return text[:1] == "#" and text.casefold() in ERRORS


def is_date(text: str) -> bool:
    """Whether a text is a date or a time of day."""
    return bool(text[:1].isdigit() or len(text) < 12) and len(text) < 30 and _DATE.fullmatch(text) is not None


def is_figure(text: str) -> bool:
    """Whether a text is a number, however marked, and nothing else."""
    try:
        read_figure(text)
    except DoubtError as doubt:
        return doubt.code.startswith("figures")
    return True


@lru_cache(maxsize=50_000)
def looks_like_tag(text: str) -> bool:
    """Whether a text has the shape of a name: letters with a number, or one word of an identifier."""
    if len(text) > 40 or is_date(text) or is_error(text):
        return False
    figures = any(c.isdigit() for c in text)
    if " " in text and not text.split()[0].isupper():
        # “Zone 71” is a name; “LIC 2001” is a tag.
        return False
    if read_tag(text) is not None and figures and text.count(" ") <= 2:
        # PT-100 is a pressure transmitter where tags stand.
        return _LETTERED.fullmatch(text) is not None or (not read_phrase(text).signals and not _is_span(text))
    if _IDENTIFIER.fullmatch(text) and any(c.isalpha() for c in text) and (figures or "_" in text):
        return not read_phrase(text).signals and not read_class(text)
    return bool(figures and _NUMBERED.fullmatch(text) and not read_phrase(text).signals)


def _is_span(text: str) -> bool:
    return _span(text, ())


def _words(text: str) -> bool:
    """Whether a text is words: no date, no figure, no class, no range."""
    return not (is_date(text) or is_figure(text) or is_error(text)) and any(c.isalpha() for c in text)


def _is_part_of_plant(text: str) -> bool:
    return len(text) <= 60 and not (is_date(text) or is_error(text) or _signal(text) or _span(text, ()))


def _name_of_strip(text: str) -> bool:
    return len(text) <= 12 and " " not in text and any(c.isalpha() for c in text) and ":" not in text


@lru_cache(maxsize=50_000)
def _span(
    text: str, also: tuple[str, ...] = ("alone", "reversed", "figures_comma", "figures_point", "electrical", "unit")
) -> bool:
    try:
        read_span(text)
    except DoubtError as doubt:
        return doubt.code in also
    return True


def _end(text: str) -> bool:
    """Whether a text is a figure, with a unit or without."""
    try:
        read_figure_and_unit(text)
    except DoubtError as doubt:
        return doubt.code.startswith("figures")
    return True


def _does(read: Callable[[], object]) -> bool:
    try:
        return bool(read())
    except (DoubtError, TextError):
        return False


def _whole(text: str) -> bool:
    return text.isdecimal() and len(text) <= 4


@lru_cache(maxsize=50_000)
def _signal(text: str) -> bool:
    phrase = read_phrase(text)
    return bool(phrase.signals)


_SPECIAL: dict[str, Callable[[str], bool]] = {
    "tag": looks_like_tag,
    "second_name": lambda text: looks_like_tag(text) or text[:1] in "=+-",
    CLASS: lambda text: bool(read_class(text)),
    FORM: lambda text: bool(read_form(text)),
    "signal": _signal,
    "wires": lambda text: bool(read_wires(text)),
    "supply": lambda text: bool(read_supply(text)) or (any(c.isdigit() for c in text) and "v" in text.lower()),
    "hart": lambda text: text.casefold() in _YES or "hart" in text.casefold(),
    "old_address": lambda text: any(c.isdigit() for c in text) and not is_date(text),
    "strip": lambda text: _does(lambda: read_strip(text, "X1")),
    "cores": lambda text: _does(lambda: read_core_text(text)) or (len(text) < 12 and "/" in text),
    "cable": lambda text: len(text) <= 40 and _words(text) and any(c.isdigit() for c in text),
    STRIP_NAME: _name_of_strip,
    **dict.fromkeys(TERMINALS, lambda text: _does(lambda: read_strip(text, "X1"))),
    PARTS[0]: lambda text: len(text) <= 20 and not is_date(text) and not _span(text, ()),
    PARTS[1]: lambda text: len(text) <= 8 and any(c.isdigit() for c in text) and not is_date(text),
    PARTS[2]: lambda text: _whole(text.lstrip("SMsmlotd. ")),
    PARTS[3]: lambda text: _whole(text.lstrip("CHKVPchkvpan. ")),
    **dict.fromkeys(TAG_PARTS, lambda text: _PART_OF_TAG.fullmatch(text) is not None),
    "serial": lambda text: len(text) <= 40 and not is_date(text),
    "device_model": lambda text: (
        not is_date(text) and not is_figure(text) and not read_class(text) and not _signal(text)
    ),
    "data_sheet": lambda text: "." in text,
    "text_0": lambda text: len(text) <= 30 and not is_date(text),
    "text_1": lambda text: len(text) <= 30 and not is_date(text),
    "area": lambda text: _is_part_of_plant(text),
    "system": lambda text: _is_part_of_plant(text),
    "service": lambda text: (
        _words(text) and not read_class(text) and not _span(text, ()) and (not _signal(text) or len(text) > 40)
    ),
    "notes": lambda text: True,
}


@lru_cache(maxsize=400)
def _test(target: str) -> Callable[[str], bool]:
    if target in RANGES:
        return _span
    if target in NUMBER_TARGETS:
        one = field_named(target)
        if one.pair and target.endswith(("_low", "_high")):
            return lambda text: _end(text) or _span(text, ())
        return _end
    if target in _SPECIAL:
        return _SPECIAL[target]
    if target.startswith(NO_FIELD):
        return _other(target)
    one = field_named(target)
    match one.kind:
        case Kind.UNIT:
            return lambda text: _does(lambda: read_unit_text(text))
        case Kind.WHOLE:
            return _whole
        case Kind.CHOICE:
            return lambda text: _does(lambda: read_choice(one.choices, text))
        case Kind.TEXT:
            return lambda text: len(text) <= one.longest and not is_date(text)
    return lambda text: bool(text)


def _other(target: str) -> Callable[[str], bool]:
    if target.endswith("a date"):
        return is_date
    if target.endswith("a running number"):
        return lambda text: text.isdecimal() or is_figure(text)
    if target.endswith("what kind of device it is"):
        return lambda text: _words(text) and not _signal(text) and not read_class(text)
    return lambda text: True


def test_of(target: str, seats: Seats) -> Callable[[Sequence[str]], float]:
    """The share of some texts that a target's reader takes, 0 to 1; 1 for none at all."""

    def is_channel(text: str) -> bool:
        place = read_place(text, seats)
        return place is not None and place.whole and not is_date(text)

    passes = is_channel if target == "channel" else _test(target)
    return lambda texts: sum(map(passes, texts)) / len(texts) if texts else 1.0
