"""Numbers of its points that a controller keeps itself: the counts of both ends, and limits. As the list has them, as they
were issued, and as they stand in its registers, or behind names where it has no registers.

A pair is one parameter: half of it means nothing. A limit stands in the value's unit, or in as many whole numbers of it as
the value's type has. Where an OPC UA server says of a node between which values it runs (EURange, OPC 10000-8, 5.6.2), that is
a pair too: the numbers that both ends of the range make there.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass

import numpy as np

from canaleta.core.checks.trim import kept_figure, trimmed
from canaleta.core.hardware.running import Issued, Parameter, stands_of
from canaleta.core.hardware.settings import Words, rows_at, trips_of
from canaleta.core.model.by_name import read_name
from canaleta.core.model.field_table import ALARM_LEVELS
from canaleta.core.model.fields import STATIONS, Kind, Station, Stored, field_named, read_cell
from canaleta.core.model.image import PlantImage
from canaleta.core.model.layout import Rack
from canaleta.core.model.register_tables import Table
from canaleta.core.model.whole_numbers import whole_factor
from canaleta.core.notation.arrays import Rows
from canaleta.core.notation.text import TextError, plain_figure
from canaleta.core.path.evaluate import describe
from canaleta.core.signals.decodings import AS_IT_COMES, Shown, read_limits, read_pair, runs

__all__ = [
    "AGREES",
    "NUMBER_FIELDS",
    "OwnNumber",
    "as_kept",
    "compared",
    "key_of",
    "must_be_of",
    "named_nodes",
    "names_to_write",
    "number_names",
    "number_runs",
    "numbers_of",
    "pair_in_use",
    "pairs_agree",
    "ranged",
    "wished",
    "words_to_write",
]

_PAIR = "found_low"
NUMBER_FIELDS = (_PAIR, *(f"alarm_{level}" for level in ALARM_LEVELS))
"""The fields of a point that such numbers stand beside."""

AGREES = 0.5
"""Counts by which a pair may be off and be the same: it may have been rounded either way."""
_SINGLE = 1e-6
"""How far two figures are the same in a real of 32 bits, of the figure."""
_FOUND = (_PAIR, "found_high", "trimmed")


@dataclass(frozen=True)
class OwnNumber:
    """One parameter that a controller keeps. row: of the point; setting: what it is; field: of the list it stands beside;
    places: where it stands, one or both ends. told: by a node of its own range, which nobody writes."""

    row: int
    setting: str
    field: str
    places: tuple[Shown, ...]
    told: bool = False

    @property
    def where(self) -> str:
        """In words."""
        return " and ".join(place.where for place in self.places)


Heard = Mapping[str, float]
"""What stands behind names now; a name that could not be read is not there, or NaN."""
_LOW, _HIGH = "low", "high"


def numbers_of(image: PlantImage, rack: int) -> tuple[list[OwnNumber], list[str]]:
    """What the controller of a rack keeps of the points that are landed on it, in the list's order; and in words what is
    written so that nobody could look there."""
    modules = [m.id for m in image.layout.modules_of(rack)]
    here = image.landed & np.isin(image.module, modules)
    out: list[OwnNumber] = []
    wrong = []
    for row in np.flatnonzero(here & (image.filled("pair_at") | image.filled("limits_at"))).tolist():
        # What is written wrongly of the one takes the other not along.
        for read in (_pair_of, _limits_of):
            try:
                mine = read(image, row)
                must_be_of([place for one in mine for place in one.places], image.layout.racks[rack])
                out += mine
            except TextError as error:
                wrong.append(f"{image.label(row)}: {error}")
    return out, wrong


def _pair_of(image: PlantImage, row: int) -> list[OwnNumber]:
    text = image.text("pair_at", row)
    return [OwnNumber(row, "pair of counts", _PAIR, read_pair(text))] if text else []


def _limits_of(image: PlantImage, row: int) -> list[OwnNumber]:
    text = image.text("limits_at", row)
    places = read_limits(text) if text else {}
    return [OwnNumber(row, f"limit {level.upper()}", f"alarm_{level}", (place,)) for level, place in places.items()]


def must_be_of(places: Iterable[Shown], rack: Rack) -> None:
    """Raises TextError where a rack has no such place: nothing may be read or written there, for it would be another one."""
    for place in places:
        if bool(place.name) != rack.by_name:
            has = "names and no registers" if rack.by_name else "registers and no names"
            raise TextError(f"{place.where}: a rack that is reached by {rack.link} has {has}")
        if rack.by_name:
            read_name(rack.link, place.name)


def ranged(
    image: PlantImage, rack: int, ranges: Mapping[str, tuple[float, float]], numbers: Iterable[OwnNumber]
) -> tuple[list[OwnNumber], dict[str, float]]:
    """The ranges that nodes tell of themselves, for the points that are landed on them and whose pair is not kept elsewhere;
    and what stands behind the names of both ends. ranges: {node: (low, high)}."""
    kept = {one.row for one in numbers if one.field == _PAIR}
    out: list[OwnNumber] = []
    heard: dict[str, float] = {}
    for (module, channel), row in rows_at(image, rack).items():
        name = image.layout.modules[module].name_of(channel)
        if row in kept or name not in ranges or not np.isfinite(ranges[name]).all():
            continue
        places = tuple(Shown("name", 0, AS_IT_COMES, f"{name} EURange {end}") for end in (_LOW, _HIGH))
        out.append(OwnNumber(row, "range of the node", _PAIR, places, told=True))
        heard |= {place.name: float(figure) for place, figure in zip(places, ranges[name], strict=True)}
    return out, heard


def named_nodes(image: PlantImage, rack: int) -> list[str]:
    """The names of a rack's channels that points are landed on, each once: of these one asks for a range."""
    modules = image.layout.modules
    return list(dict.fromkeys(name for m, c in rows_at(image, rack) if (name := modules[m].name_of(c))))


def number_names(numbers: Iterable[OwnNumber]) -> list[str]:
    """The names that are read to know them, each once."""
    return list(dict.fromkeys(place.name for one in numbers for place in one.places if place.name))


def number_runs(numbers: Iterable[OwnNumber]) -> list[tuple[Table, int, int]]:
    """(table, first, count) of what is read to know them. Nothing between them is touched: it may be refused."""
    found = runs([place for one in numbers for place in one.places if not place.name], gap=0)
    return [(Table.HOLDING_REGISTERS, first, count) for _, first, count in found]


def key_of(image: PlantImage, one: OwnNumber) -> str:
    """What tells a number from every other of its rack."""
    return f"{image.ids[one.row]} {one.field}"


def compared(
    image: PlantImage, issued: Issued, numbers: Iterable[OwnNumber], words: Words, heard: Heard | None = None
) -> list[Parameter]:
    """Those on which list, issue and controller are not one. words: what stands in its registers; heard: behind its names; a
    place that could not be read tells nothing."""
    numbers = list(numbers)
    rows = np.array(sorted({one.row for one in numbers}), dtype=np.int64)
    was = _as_issued(image, issued, rows)
    out = []
    for one in numbers:
        now = _running(one, words, heard or {})
        if now is None:
            continue
        ids = int(image.ids[one.row])
        if one.told and _is_whole_span(image, one, now):
            continue
        wish = wished(image, one)
        then = wished(was[0], OwnNumber(was[1][ids], one.setting, one.field, one.places)) if ids in was[1] else None
        stands = stands_of(wish, then, now, known=bool(issued), same=lambda a, b, one=one: _same(one, a, b))  # type: ignore[misc]
        if stands is None:
            continue
        out.append(
            Parameter(
                ids, image.label(one.row), image.layout.address(int(image.module[one.row]), int(image.channel[one.row])), one.setting, one.field,
                _said(image, one, wish), _said(image, one, then), _said(image, one, now), _takes(image, one, now), stands,
                key_of(image, one), one.where, False, trips_of(image, one.row), writes=not one.told,
            )
        )  # fmt: skip
    return out


def wished(image: PlantImage, one: OwnNumber) -> tuple[float, ...]:
    """What ought to stand at each of its places; NaN where the list says nothing."""
    if one.field == _PAIR:
        ends = pair_in_use(image, one.row, trimmed(image, one.row, []).ends)
        return tuple(as_kept(count, place) for count, place in zip(ends, one.places, strict=True))
    limit, factor = float(image.number(one.field)[one.row]), _factor(image, one)
    return (as_kept(limit * factor, one.places[0]),)


def names_to_write(image: PlantImage, one: OwnNumber) -> list[tuple[str, float]]:
    """(name, number) of each place that has a name, as the list has it."""
    return [(place.name, number) for place, number in zip(one.places, wished(image, one), strict=True) if place.name]


def words_to_write(image: PlantImage, one: OwnNumber) -> list[tuple[int, list[int]]]:
    """(register, words) of each place, as the list has it. Raises TextError where it does not go in there."""
    out = []
    for place, number in zip(one.places, wished(image, one), strict=True):
        if place.name:
            continue
        try:
            words = [int(word) for word in place.form.words_of(number)[0]]
        except ValueError as error:
            raise TextError(f"{image.label(one.row)}: {number:.10g} does not go into {one.where}") from error
        out.append((place.register, words))
    return out


def pair_in_use(image: PlantImage, row: int, ends: tuple[float, float]) -> tuple[float, float]:
    """The counts at both ends as the channel gives them by the list: those of the data sheet (`ends`), or what it was found
    to give there."""
    low, high = (float(image.number(name)[row]) for name in (_PAIR, "found_high"))
    span = _mode_counts(image, row)
    if span is None or np.isnan(low + high):
        return ends
    c0, c1 = span
    gain = (high - low) / (c1 - c0)
    return low + gain * (ends[0] - c0), low + gain * (ends[1] - c0)


def pairs_agree(places: Iterable[Shown], a: Iterable[float], b: Iterable[float]) -> bool:
    """Whether two pairs are one for who keeps them there: within half a count, or the last digits of what comes as it is."""
    return _same(OwnNumber(-1, "", _PAIR, tuple(places)), tuple(a), tuple(b))


def as_kept(count: float, place: Shown) -> float:
    """A number as its registers hold it: whole, unless it is a real."""
    if not np.isfinite(count) or place.form.bits == AS_IT_COMES.bits:
        return count
    return float(np.float32(count)) if place.form.kind == "float" else float(np.floor(count + 0.5))


def _is_whole_span(image: PlantImage, one: OwnNumber, now: tuple[float, ...]) -> bool:
    """Whether a node's range is all that its channel can tell: 0 to 20 mA says nothing against 4 to 20."""
    span = _mode_counts(image, one.row)
    return span is not None and _same(one, span, now)


def _mode_counts(image: PlantImage, row: int) -> tuple[float, float] | None:
    mode = int(image.mode[row])
    if mode < 0:
        return None
    numbers = image.layout.mode_table.numbers
    return float(numbers["counts_low"][mode]), float(numbers["counts_high"][mode])


def _factor(image: PlantImage, one: OwnNumber) -> float:
    """How many of the controller's numbers one unit is: a real keeps units."""
    real = one.places[0].form.kind == "float"
    return 1.0 if real else float(whole_factor(image, np.array([one.row]))[0])


def _figure(image: PlantImage, one: OwnNumber, number: float) -> str:
    """A controller's number in the value's unit: as many digits as a real of 32 bits knows."""
    return plain_figure(float(f"{number / _factor(image, one):.7g}"))


def _running(one: OwnNumber, words: Words, heard: Heard) -> tuple[float, ...] | None:
    out = []
    for place in one.places:
        if place.name:
            if not np.isfinite(heard.get(place.name, np.nan)):
                return None
            out.append(heard[place.name])
            continue
        mine = [words.get((Table.HOLDING_REGISTERS, place.register + k)) for k in range(place.form.words)]
        there = [word for word in mine if word is not None]
        if len(there) != len(mine):
            return None
        out.append(float(place.form.counts_of([there])[0]))
    return tuple(out)


def _same(one: OwnNumber, a: tuple[float, ...], b: tuple[float, ...]) -> bool:
    if one.field == _PAIR:
        return all((np.isnan(x) and np.isnan(y)) or abs(x - y) <= _off(one, a) for x, y in zip(a, b, strict=True))
    (x,), (y,) = a, b
    return (np.isnan(x) and np.isnan(y)) or abs(x - y) <= _SINGLE * max(abs(x), abs(y))


def _off(one: OwnNumber, ends: tuple[float, ...]) -> float:
    """By how much an end may be off: half a count, and of what comes as it is the last digits of a real of 32 bits."""
    if not one.places[0].name:
        return AGREES
    return _SINGLE * max(abs(end) for end in ends if np.isfinite(end)) if np.isfinite(ends).any() else 0.0


def _said(image: PlantImage, one: OwnNumber, figures: tuple[float, ...] | None) -> str:
    """As people read it."""
    if figures is None or any(np.isnan(x) for x in figures):
        return ""
    if one.field == _PAIR:
        return " and ".join(plain_figure(float(f"{x:.10g}")) for x in figures)
    unit = describe(image, one.row)[STATIONS.index(Station.VALUE)].unit
    return f"{_figure(image, one, figures[0])} {unit}".strip()


def _takes(image: PlantImage, one: OwnNumber, now: tuple[float, ...]) -> tuple[tuple[str, str], ...]:
    """What is typed where the controller's is adopted: (field, text) each; () where it is no figure that the list could
    hold."""
    if not all(np.isfinite(x) for x in now):
        return ()
    if one.field != _PAIR:
        return ((one.field, _figure(image, one, now[0])),)
    ends, span = trimmed(image, one.row, []).ends, _mode_counts(image, one.row)
    if span is None or not np.isfinite(ends).all() or ends[0] == ends[1] or now[0] == now[1]:
        return ()
    if _same(one, ends, now):
        return tuple((name, "") for name in _FOUND)
    gain = (now[1] - now[0]) / (ends[1] - ends[0])
    found = (now[0] + gain * (span[0] - ends[0]), now[0] + gain * (span[1] - ends[0]))
    kept = [plain_figure(float(kept_figure(count, abs(found[1] - found[0])))) for count in found]
    return ((_PAIR, kept[0]), ("found_high", kept[1]), ("trimmed", "adopted from the controller"))


def _as_issued(image: PlantImage, issued: Issued, rows: Rows) -> tuple[PlantImage, dict[int, int]]:
    """(image, {point: row in it}) of some rows with what was issued of them; those that were issued on another channel, or
    not at all, are left out."""
    part = image.only(rows)
    cells: dict[tuple[int, str], Stored] = {}
    known = {}
    for k, row in enumerate(rows.tolist()):
        point = int(image.ids[row])
        then = issued.get(point)
        if then is None or then.get("channel", "") != image.text("channel", row):
            continue
        known[point] = k
        for name in part.cells:
            field = field_named(name)
            old = then.get(name, "")
            if not field.stored or field.kind is Kind.ADDRESS or old == image.text(name, row):
                continue
            try:
                cells |= {(k, n): v for n, v in _read(field.name, old).items()}
            except TextError:
                # What the issue has and nobody reads any more was the same to the controller then as nothing.
                cells[k, name] = None
    return (part.with_cells(cells) if cells else part), known


def _read(name: str, text: str) -> dict[str, Stored]:
    field = field_named(name)
    if not text:
        return {name: None}
    return {name: text} if field.kind in (Kind.MODE, Kind.FILTER) else read_cell(field, text)
