"""What is asked about a list: once for a column, with the likeliest readings and the rows they touch.

| code       | what is open                                      | readings                                   |
|------------|---------------------------------------------------|--------------------------------------------|
| column     | what a column is                                  | up to three fields                         |
| joined     | how the parts of a tag are joined                 | with a dash, without, with a dot           |
| figures    | what a mark before three digits is                | decimal, thousands                         |
| form       | normally open or closed                           | NO, NC, load                               |
| sensor     | which element or thermocouple                     | the likeliest three                        |
| letter     | whether a letter alone is a thermocouple          | thermocouple                               |
| kind       | which load an output switches                     | load 24 V DC, load AC                      |
| alone      | the other end of a range                          | from zero, around zero, high end           |
| reversed   | a range that begins with its higher end           | turned, as written                         |
| electrical | a signal where a range should be                  | signal                                     |
| unit       | a unit that the table does not have               | without                                    |
| supply     | who feeds the loop                                | module, own 24 V, drive                    |
| where      | in which cabinet and rack an address is           | the racks that have most; old address      |
| dotted     | whether 4.1 is a slot and a channel               | slot and channel, old address              |
| place      | an address that the plant does not have           | old address                                |

Whatever is asked stays out until it is answered; to leave it out for good is a reading of each.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

from canaleta.core.model.fields import STORED, field_named
from canaleta.core.model.layout import SEPARATOR
from canaleta.exchange.lists.figures import DoubtError
from canaleta.exchange.lists.headings import (
    CLASS,
    CLASS_MARKS,
    FORM,
    PARTS,
    RANGES,
    STRIP_NAME,
    TAG_PARTS,
    TERMINALS,
)
from canaleta.exchange.lists.judging import Column, worth
from canaleta.exchange.lists.places import Place, Seats, address_of, read_place
from canaleta.exchange.lists.reading import Doubt

__all__ = [
    "LEFT_OUT",
    "MOST",
    "TARGETS",
    "Question",
    "Reading",
    "answered_questions",
    "askable",
    "column_questions",
    "doubt_questions",
    "no_target",
    "target_words",
]

MOST = 4
"""Questions that a list is asked at once; what they leave open is told, and asked next."""
LEFT_OUT = "left out"
TARGETS = (
    *(one.name for one in STORED), *RANGES, CLASS, FORM, *CLASS_MARKS, *PARTS, *TAG_PARTS, STRIP_NAME, *TERMINALS,
)  # fmt: skip
"""All that a column may be taken for."""


@dataclass(frozen=True)
class Reading:
    """One way to read. answer: what is sent back. says: what it means, with an example."""

    answer: str
    says: str


@dataclass(frozen=True)
class Question:
    """Something that is asked once. id: code and column. heading: the column's head. examples: texts of its cells.

    rows: how many rows it touches. answer: what was answered, "" for nothing yet.
    """

    id: str
    code: str
    heading: str
    says: str
    examples: tuple[str, ...]
    rows: int
    readings: tuple[Reading, ...]
    answer: str = ""


_ASKED: Mapping[str, tuple[str, tuple[tuple[str, str], ...]]] = {
    "joined": ("how are the parts of the tag joined?", (("with a dash", "with a dash"), ("without", "without anything"), ("with a dot", "with a dot"))),
    "figures_comma": ("what is the comma before three digits?", (("decimal", "a decimal mark"), ("thousands", "a mark of thousands"))),
    "figures_point": ("what is the point before three digits?", (("decimal", "a decimal mark"), ("thousands", "a mark of thousands"))),
    "form": ("normally open or normally closed?", (("NO", "normally open"), ("NC", "normally closed"))),
    "sensor": ("which sensor is it?", ()),
    "letter": ("are the letters thermocouples?", (("thermocouple", "thermocouples of that type"),)),
    "kind": ("what does the output switch?", (("load 24 V DC", "a load at 24 V DC"), ("load AC", "a load at mains"))),
    "alone": ("which range is meant?", (("from zero", "from zero to it"), ("around zero", "from minus to plus"), ("high end", "the high end alone"))),
    "reversed": ("the higher end comes first: which way round?", (("turned", "the lower end is the low one"), ("as written", "as written: low is the first"))),
    "electrical": ("a signal stands where a range should", (("signal", "it is the signal"),)),
    "unit": ("the unit is not known", (("without", "the figures without it"),)),
    "supply": ("who feeds the loop?", (("module", "the module"), ("own 24 V", "a 24 V supply of its own"), ("drive", "the drive"))),
    "dotted": (
        "what do two figures with a point stand for?",
        (("slot and channel", "a slot and a channel"), ("old address", "a byte and a bit: kept as the old address")),
    ),
    "place": ("the plant has no such channel", (("old address", "kept as the old address, as it is written"),)),
    "where": ("in which cabinet and rack?", ()),
}  # fmt: skip
"""Doubts that a person can settle for a whole column; all others are told with their rows."""
_ORDER = ("joined", "column", "where", *(code for code in _ASKED if code not in ("joined", "where")))


def target_words(target: str) -> str:
    """A target in words: "device low", "tag", "range of the device in one cell"."""
    if target in RANGES:
        return f"{target.removesuffix('_range')} range, both ends in one cell"
    if target in CLASS_MARKS:
        return f"a mark means {target[-2:]}"
    try:
        one = field_named(target)
    except KeyError:
        return target
    return f"{one.station.lower()} {one.label}"


def column_questions(columns: Iterable[tuple[Column, int, Sequence[str]]]) -> list[Question]:
    """What is asked about columns: (column, rows it fills, texts of its cells)."""
    out: dict[str, tuple[int, Question]] = {}
    for column, rows, texts in columns:
        if column.why != "asked" or column.target or not column.likely:
            continue
        if (have := out.get(column.key)) is not None:
            rows += have[1].rows
        readings = tuple(Reading(target, target_words(target)) for target in column.likely[:3])
        says = f"what is “{column.heading}”?"
        out[column.key] = (
            worth(column),
            Question(f"column@{column.key}", "column", column.heading, says, tuple(texts[:4]), rows, readings),
        )
    return [question for _, question in sorted(out.values(), key=lambda one: (one[0], -one[1].rows))]


def doubt_questions(doubts: Mapping[str, Sequence[tuple[Column, Doubt]]], seats: Seats) -> list[Question]:
    """What is asked about cells: {id: the doubts that it would settle}."""
    out = []
    for number, found in doubts.items():
        code = number.partition("@")[0]
        says, fixed = _ASKED[code]
        column = found[0][0]
        examples = tuple(dict.fromkeys(doubt.typed for _, doubt in found))
        readings = tuple(Reading(answer, _with_example(code, answer, words, examples)) for answer, words in fixed)
        if code == "sensor":
            readings = tuple(Reading(choice, choice) for choice in found[0][1].choices)
        elif code == "form" and any(choice.startswith("load") for _, d in found for choice in d.choices):
            readings = (*readings, Reading("load", "an output: a load"))
        elif code == "where":
            readings = _racks(found, seats)
        heading = column.heading if not code.startswith("figures") else ""
        out.append(Question(number, code, heading, says, examples[:4], len(found), readings))
    return sorted(out, key=lambda q: (_ORDER.index(q.code), -q.rows))


def answered_questions(said: Mapping[str, str], columns: Iterable[Column]) -> list[Question]:
    """What was answered, in the words of what was asked."""
    headings = {column.key: column.heading for column in columns}
    out = []
    for number, answer in said.items():
        code, _, key = number.partition("@")
        if not answer or (code != "column" and code not in _ASKED):
            continue
        if code == "column":
            says, words = f"“{headings.get(key, key.partition('~')[0])}” is", target_words(answer)
        else:
            says, fixed = _ASKED[code]
            words = dict(fixed).get(answer, answer)
        heading = headings.get(key, "") if code != "column" else ""
        out.append(Question(number, code, heading, says, (), 0, (Reading(answer, words),), answer))
    return out


def no_target(answers: Mapping[str, str]) -> str:
    """The first answer that takes a column for something that there is not, "" if there is none."""
    known = {*TARGETS, LEFT_OUT, ""}
    return next((a for question, a in answers.items() if question.startswith("column@") and a not in known), "")


def askable(code: str) -> bool:
    """Whether a doubt is one that a person can settle for a whole column."""
    return code in _ASKED


def _racks(found: Sequence[tuple[Column, Doubt]], seats: Seats) -> tuple[Reading, ...]:
    """The racks that have most of the addresses, and to keep them as they are."""
    fits: Counter[str] = Counter()
    some = [place for _, doubt in found[:200] if (place := read_place(doubt.typed, seats))]
    for cabinet, rack, _ in seats.racks:
        for place in some:
            if (place.cabinet and place.cabinet != cabinet) or place.rack not in ("", rack):
                continue
            try:
                address_of(Place(cabinet, rack, place.slot, place.channel), seats)
            except DoubtError:
                continue
            # Where a list says a rack, it is that one of the cabinet.
            fits[f"{cabinet}{SEPARATOR}{rack}" if not place.rack else cabinet] += 1
    best = [
        Reading(name, f"{name}, which has {count} of {len(some)} looked at")
        for name, count in fits.most_common(2)
        if count
    ]
    return (*best, Reading("old address", "kept as the old address, as it is written"))


def _with_example(code: str, answer: str, words: str, examples: Sequence[str]) -> str:
    first = examples[0] if examples else ""
    if code.startswith("figures") and first:
        mark = "," if code == "figures_comma" else "."
        figure = next((word for word in first.replace("-", " ").replace("…", " ").split() if mark in word), first)
        return f"{words}: {figure} is {figure.replace(mark, '.' if answer == 'decimal' else '')}"
    if code == "joined" and first:
        return f"{words}: {first.replace(' ', {'with a dash': '-', 'without': '', 'with a dot': '.'}[answer])}"
    return words
