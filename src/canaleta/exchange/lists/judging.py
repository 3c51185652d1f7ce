"""What each column of a list is taken for: by its head and by its cells together, and by its neighbours.

A conservative rule decides. A meaning is settled where the head says it and the cells do not speak against it, or where
the cells can be nothing else and no other column claims it. What is not settled is asked, once for a column, with the
likeliest meanings; what has no field is left out and told.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from canaleta.exchange.lists.contents import is_date, is_empty, is_figure, test_of
from canaleta.exchange.lists.figures import DoubtError
from canaleta.exchange.lists.headings import (
    CLASS,
    FORM,
    NO_FIELD,
    PARTS,
    RANGES,
    STRIP_NAME,
    TAG_PARTS,
    TERMINALS,
    Heading,
    bare,
)
from canaleta.exchange.lists.phrases import read_class
from canaleta.exchange.lists.places import Seats, address_of, read_place
from canaleta.exchange.lists.tables import Table, row_kind
from canaleta.exchange.sheets import EXACT

__all__ = ["Column", "judge", "look_of", "worth"]

SAMPLE = 150
"""Rows, spread over a list, that its columns are judged by."""
_TYPED = frozenset(
    (
        "tag",
        "signal",
        CLASS,
        FORM,
        "channel",
        "strip",
        "wires",
        "device_unit",
        "value_unit",
        *RANGES,
        *PARTS[2:],
        *TERMINALS,
        "cores",
    )
)
"""Targets whose cells say themselves that they are it."""
_FREE = frozenset(("service", "area", "system", "notes", "device_model", "serial"))
_WEIGHTS = (
    "tag",
    "channel",
    "signal",
    *RANGES,
    "device_low",
    "device_high",
    "value_low",
    "value_high",
    "device_unit",
    "value_unit",
    "service",
    CLASS,
)
"""What a question is worth: the first of these is asked first."""
_BY_CONTENT = ("signal", "device_range", CLASS, "channel")
_KINDS = ("tag", CLASS, "signal", "device_range", "device_unit", "channel", "strip")


@dataclass(frozen=True)
class Column:
    """A column of a list. at: on the sheet, from 0. target: what it is taken for, "" for left out.

    why: named, contents, neighbours, answered, asked, second, nothing, unknown, empty. likely: the likeliest targets,
    the best first. key: what tells its look from others.
    """

    at: int
    heading: str
    unit: str
    target: str
    why: str
    likely: tuple[str, ...] = ()
    key: str = ""


@dataclass
class _Seen:
    """A column while it is judged. fits: {target: share of its cells}."""

    at: int
    heading: str
    head: Heading
    texts: list[str]
    share: float
    unique: float
    kind: str
    fits: dict[str, float] = field(default_factory=dict)
    target: str = ""
    why: str = ""
    likely: tuple[str, ...] = ()


def look_of(heading: str, kind: str) -> str:
    """What a column looks like: its head, and what its cells are."""
    return f"{bare(heading)}~{kind}"


def judge(table: Table, rows: Sequence[Sequence[str]], seats: Seats, answers: Mapping[str, str]) -> list[Column]:
    """The columns of a list. answers: {key: target} that somebody gave, over everything."""
    seen = _look_at(table, rows, seats)
    taken: dict[str, _Seen] = {}
    for one in seen:
        key = look_of(one.heading, one.kind)
        if key in answers:
            one.target, one.why = answers[key], "answered"
            if one.target:
                taken.setdefault(one.target, one)
    _marks_of_classes(seen, taken)
    left = [one for one in seen if not one.why]
    for one in left:
        if not one.texts:
            best = one.head.best
            one.why = "empty" if not best else "nothing" if best.startswith(NO_FIELD) else "empty"
            left = [x for x in left if x is not one]
    _settle(left, taken)
    _settle_neighbours(seen, taken)
    _settle_by_content([x for x in seen if not x.why], taken, seats)
    _units(seen, taken)
    _ask([x for x in seen if not x.why], taken, seen)
    _tag_in_parts(seen, taken)
    return [Column(x.at, x.heading, x.head.unit, x.target, x.why, x.likely, look_of(x.heading, x.kind)) for x in seen]


def _look_at(table: Table, rows: Sequence[Sequence[str]], seats: Seats) -> list[_Seen]:
    body = range(table.data.start, table.data.stop)
    step = max(1, len(body) // SAMPLE)
    some = [
        cells
        for at in body[::step]
        if sum(map(bool, cells := rows[at][table.start : table.stop])) > 2
        and not row_kind(cells, 3, cells[0] or "x", table.again)
    ] or [rows[at][table.start : table.stop] for at in body[::step] if any(rows[at][table.start : table.stop])]
    out, looks = [], {}  # type: ignore[var-annotated]
    for number, (heading, head) in enumerate(zip(table.headings, table.read, strict=True)):
        texts = [t for row in some if number < len(row) and not is_empty(t := row[number].rstrip(EXACT))]
        unique = list(dict.fromkeys(texts))
        kind = _kind(unique[:60], seats)
        key = look_of(heading, kind)
        looks[key] = looks.get(key, 0) + 1
        shown = heading if looks[key] == 1 else f"{heading} ({looks[key]})"
        one = _Seen(
            table.start + number,
            shown,
            head,
            unique,
            len(texts) / max(1, len(some)),
            len(unique) / max(1, len(texts)),
            kind,
        )
        one.fits = {t: test_of(t, seats)(unique) for t in {*head.meanings, *_BY_CONTENT, "tag", "device_unit"}}
        out.append(one)
    return out


def _kind(texts: Sequence[str], seats: Seats) -> str:
    """What the cells of a column are, in a word."""
    if not texts:
        return ""
    for target in _KINDS:
        if test_of(target, seats)(texts) >= 0.8:
            return target
    if sum(map(is_date, texts)) >= 0.8 * len(texts):
        return "date"
    if sum(map(is_figure, texts)) >= 0.8 * len(texts):
        return "figure"
    return "words"


def _enough(target: str, weight: int, fit: float, one: _Seen) -> bool:
    """Whether head and cells together settle a meaning."""
    if target == "tag":
        # A column that names every row differently may be called a tag where its head says so.
        return (weight >= 2 and (fit >= 0.7 or (one.unique >= 0.95 and fit >= 0.3))) or (
            weight == 1 and one.unique >= 0.7 and fit >= (0.85 if one.unique < 0.95 else 0.7)
        )
    if weight >= 2:
        return fit >= 0.5
    if target == "signal":
        # Nothing else reads as a signal does.
        return fit >= 0.7
    return fit >= 0.85 and (target in _TYPED or target.startswith(NO_FIELD))


def _marks_of_classes(seen: Sequence[_Seen], taken: dict[str, _Seen]) -> None:
    """Columns headed AI, AO, DI and DO with marks in them, as lists to be counted have them."""
    mine = [(one, f"marked_as_{io}") for one in seen if not one.why and (io := read_class(one.heading.split()[-1]))]
    if len({target for _, target in mine}) < 2:
        return
    for one, target in mine:
        if target not in taken and all(len(text) <= 2 for text in one.texts):
            one.target, one.why = target, "named"
            taken[target] = one


def _settle(left: Sequence[_Seen], taken: dict[str, _Seen]) -> None:
    """Meanings that heads and cells settle, the surest first."""
    claims = sorted(
        (
            (
                weight + fit * (2 if target in _TYPED else 1),
                _length(one) if target == "service" else 0,
                -one.at,
                one,
                target,
            )
            for one in left
            for target, weight in one.head.meanings.items()
            if _enough(target, weight, fit := one.fits[target], one)
        ),
        key=lambda claim: claim[:3],
        reverse=True,
    )
    for _, _, _, one, target in claims:
        if one.why or target in ("device_unit", "value_unit"):
            continue
        if target.startswith(NO_FIELD):
            if "device_unit" in one.head.meanings and one.fits["device_unit"] >= 0.8:
                continue
            one.why, one.likely = "nothing", (target,)
        elif target == "tag" and one.head.meanings["tag"] < 2 and _rivals(one, left):
            continue
        elif target not in taken and _agrees(target, one, taken):
            one.target, one.why = target, "named"
            taken[target] = one
        elif (
            target in ("service", "notes", "tag")
            and one.head.meanings.get(target, 0) >= 2
            and not _others(one, target, taken)
        ):
            one.why, one.likely = "second", (target,)
            if target == "tag" and "second_name" not in taken and one.fits["tag"] >= 0.85:
                one.target, one.why = "second_name", "named"
                taken["second_name"] = one


def _rivals(one: _Seen, left: Sequence[_Seen]) -> bool:
    """Whether another column, of which no head says what it is, looks as much like tags as one whose head may say it."""
    return any(
        other is not one and not other.head.meanings and other.fits.get("tag", 0) >= 0.9 and other.unique >= 0.9
        for other in left
    )


def _length(one: _Seen) -> float:
    """How long a column's texts are: of two that may be the service, it is the one that says more."""
    return sum(map(len, one.texts)) / max(1, len(one.texts))


def _others(one: _Seen, target: str, taken: Mapping[str, _Seen]) -> bool:
    return any(
        other != target and other not in taken and _enough(other, weight, one.fits[other], one)
        for other, weight in one.head.meanings.items()
    )


def _agrees(target: str, one: _Seen, taken: Mapping[str, _Seen]) -> bool:
    """Whether a meaning can stand beside those that are settled: a range in one cell beside its ends in two cannot."""
    for whole, (low, high, _) in RANGES.items():
        if target == whole and (low in taken or high in taken):
            return False
        if target in (low, high) and whole in taken:
            return False
    if target == "channel":
        return PARTS[3] not in taken
    if target == PARTS[3]:
        return "channel" not in taken
    if target == "strip":
        return not (TERMINALS[0] in taken and TERMINALS[1] in taken)
    return True


def _settle_neighbours(seen: Sequence[_Seen], taken: dict[str, _Seen]) -> None:
    """Letters and words that mean one thing beside others: L and H beside LL and HH, low and high once the range has its
    ends."""
    outer = "alarm_ll" in taken or "alarm_hh" in taken
    open_ = [one for one in seen if not one.why and one.texts]
    single = {
        t
        for one in open_
        for t in ("alarm_l", "alarm_h")
        if t in one.head.meanings and bare(one.heading.split()[-1]) in ("l", "h")
    }
    for level in ("alarm_l", "alarm_h"):
        mine = [one for one in open_ if level in one.head.meanings and one.fits[level] >= 0.85]
        only_letters = len(single) == 2 and all(bare(x.heading.split()[-1]) in ("l", "h") for x in mine)
        if level not in taken and len(mine) == 1 and (outer or only_letters):
            mine[0].target, mine[0].why = level, "neighbours"
            taken[level] = mine[0]
    # What somebody said of the low end holds for the high end beside it.
    for number, one in enumerate(seen):
        if one.why == "answered" and one.target.endswith(("_low", "alarm_l")):
            other = one.target.removesuffix("low") + "high" if one.target.endswith("_low") else "alarm_h"
            beside = next((x for x in seen[number + 1 : number + 3] if not x.why and other in x.head.meanings), None)
            if beside is not None and other not in taken:
                beside.target, beside.why = other, "neighbours"
                taken[other] = beside
    # A terminal strip's name beside its terminals.
    for one in open_:
        if (
            not one.why
            and STRIP_NAME in one.head.meanings
            and "strip" in taken
            and one.fits[STRIP_NAME] >= 0.85
            and STRIP_NAME not in taken
        ):
            one.target, one.why = STRIP_NAME, "neighbours"
            taken[STRIP_NAME] = one


def _settle_by_content(left: Sequence[_Seen], taken: dict[str, _Seen], seats: Seats) -> None:
    """Columns whose heads say nothing, or nothing that fits, and whose cells can be one thing only."""
    for target in ("signal", CLASS, "channel"):
        mine = [
            x for x in left if not x.why and len(x.texts) >= 1 and x.fits.get(target, 0) >= 0.95 and x.share >= 0.2
        ]
        if target in taken or len(mine) != 1 or (target == "channel" and PARTS[3] in taken):
            continue
        one = mine[0]
        if target == "channel" and not _resolves(one.texts, seats):
            continue
        one.target, one.why = target, "contents"
        taken[target] = one
    if "tag" not in taken:
        mine = [
            x
            for x in left
            if not x.why and x.texts and x.fits.get("tag", 0) >= 0.9 and x.unique >= 0.9 and x.share >= 0.5
        ]
        if len(mine) == 1:
            mine[0].target, mine[0].why = "tag", "contents"
            taken["tag"] = mine[0]
    mine = [
        x
        for x in left
        if not x.why and not x.head.meanings and x.fits.get("device_range", 0) >= 0.95 and _with_units(x.texts)
    ]
    if len(mine) == 1 and not {"device_range", "device_low", "device_high", "value_range", "value_low"} & set(taken):
        mine[0].target, mine[0].why = "device_range", "contents"
        taken["device_range"] = mine[0]


def _with_units(texts: Sequence[str]) -> bool:
    return sum(any(c.isalpha() or c in "%°" for c in text) for text in texts) > len(texts) / 2


def _resolves(texts: Sequence[str], seats: Seats) -> bool:
    """Whether most of some addresses are channels of the plant."""
    good = 0
    for text in texts[:50]:
        if (place := read_place(text, seats)) is None:
            continue
        try:
            address_of(place, seats)
        except DoubtError:
            continue
        good += 1
    return good > 0.8 * min(50, len(texts))


def _units(seen: Sequence[_Seen], taken: dict[str, _Seen]) -> None:
    """Columns of units: each belongs to the range that it stands beside."""
    ends = {
        station: [taken[t].at for t in (f"{station}_low", f"{station}_high", f"{station}_range") if t in taken]
        for station in ("device", "value")
    }
    for one in seen:
        if one.why or not one.texts or one.fits["device_unit"] < 0.8:
            continue
        said = {t: one.head.meanings[t] for t in ("device_unit", "value_unit") if t in one.head.meanings}
        if not said and (one.head.meanings or one.fits["device_unit"] < 0.95 or not _with_units(one.texts)):
            continue
        near = {s: min((abs(at - one.at) for at in places), default=99) for s, places in ends.items()}
        station = "device" if near["device"] <= near["value"] else "value"
        if near["device"] == near["value"] == 99:
            if not said:
                continue
            station = max(said, key=lambda t: said[t]).partition("_")[0]
        elif len(said) == 1 and ends[next(iter(said)).partition("_")[0]]:
            station = next(iter(said)).partition("_")[0]
        target = f"{station}_unit"
        if target in taken:
            target = "value_unit" if station == "device" else "device_unit"
        if target in taken or (not ends[target.partition("_")[0]] and f"{station}_unit" in taken):
            one.why, one.likely = "second", (f"{station}_unit",)
            continue
        one.target, one.why = target, "named" if len(said) == 1 else "neighbours"
        taken[target] = one


def _ask(left: Sequence[_Seen], taken: Mapping[str, _Seen], seen: Sequence[_Seen]) -> None:
    """What is not settled: asked where something likely is known, told as unknown otherwise."""
    nameless = not any(one.head.meanings for one in seen)
    wordy = [one for one in left if one.kind == "words" and not one.head.meanings and one.share > 0.5]
    for one in left:
        likely = sorted(
            (
                (weight + 2 * one.fits[target], target)
                for target, weight in one.head.meanings.items()
                if one.fits[target] >= 0.4
                and not target.startswith(NO_FIELD)
                and target not in taken
                and _agrees(target, one, taken)
            ),
            reverse=True,
        )
        targets = [target for _, target in likely]
        for target in (*_BY_CONTENT, "value_range", "device_unit", "value_unit", "tag"):
            if (
                target not in targets
                and target not in taken
                and one.fits.get(target, 0) >= 0.8
                and _agrees(target, one, taken)
            ):
                targets.append(target)
        if one.head.meanings.get("channel", 0) >= 2 and "channel" not in targets and "old_address" not in taken:
            targets.append("old_address")
        if (
            one.fits.get("device_range", 0) >= 0.8
            and "value_range" not in taken
            and "device_range" in targets
            and "value_range" not in targets
        ):
            targets.append("value_range")
        if (
            not targets
            and one.kind == "words"
            and not one.head.meanings
            and "service" not in taken
            and one.share > 0.5
            and (nameless or wordy == [one])
        ):
            targets = ["service"]
        if targets and (targets == ["service"] or _matters(one, targets[0], taken)):
            one.why, one.likely = "asked", tuple(dict.fromkeys(targets))[:3]
        else:
            known = next((t for t in one.head.meanings if t.startswith(NO_FIELD)), "")
            one.why = "nothing" if known else "second" if any(t in taken for t in one.head.meanings) else "unknown"
            one.likely = (known,) if known else tuple(t for t in one.head.meanings if t in taken)[:1]


def _matters(one: _Seen, target: str, taken: Mapping[str, _Seen]) -> bool:
    """Whether a question is worth asking: not for a column of free words that a sure one stands for already."""
    if target == "tag" and "tag" in taken:
        return False
    if target in _FREE and not one.head.meanings.get(target):
        return False
    return one.share >= 0.02


def worth(column: Column) -> int:
    """How much a question about a column matters, the lower the more."""
    first = column.likely[0] if column.likely else ""
    return _WEIGHTS.index(first) if first in _WEIGHTS else len(_WEIGHTS) + (first in _FREE)


def _tag_in_parts(seen: Sequence[_Seen], taken: dict[str, _Seen]) -> None:
    """A tag in two or three columns beside each other, where none is the tag by itself: asked how they are joined."""
    if "tag" in taken:
        return
    run: list[_Seen] = []
    best: list[_Seen] = []
    for one in seen:
        part = one.texts and not one.target and test_of_part(one.texts) >= 0.9
        run = [*run, one] if part else []
        if len(run) >= 2 and any(not _digits(x.texts) for x in run) and any(_digits(x.texts) for x in run):
            best = run if len(run) > len(best) else best
    named = [one for one in seen if "tag" in one.head.meanings]
    if not best or not (named or len(best) >= 2):
        return
    for one, target in zip(best[:3], TAG_PARTS, strict=False):
        one.target, one.why, one.likely = target, "asked", ()
        taken[target] = one


def test_of_part(texts: Sequence[str]) -> float:
    """The share of texts that can be part of a tag: letters, or a number."""
    good = sum(len(t) <= 6 and (t.isalpha() or t.rstrip("ABCDEFabcdef").isdecimal()) for t in texts)
    return good / len(texts) if texts else 0.0


def _digits(texts: Sequence[str]) -> bool:
    return sum(any(c.isdigit() for c in t) for t in texts) > len(texts) / 2
