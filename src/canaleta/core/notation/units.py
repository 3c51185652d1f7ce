"""Engineering units: the trade's spelling on screen, UCUM codes underneath, factors from the units library.

Units stand in units.tsv beside this file. Only units of one quantity convert into each other.
"""

from __future__ import annotations

import csv
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cache
from importlib import resources

from canaleta.core.notation.text import TextError

__all__ = [
    "Unit",
    "convert",
    "factor_and_offset",
    "find_unit",
    "find_unit_and_reference",
    "read_unit",
    "read_unit_and_reference",
    "unece_code",
    "unit_places",
    "units",
]


@dataclass(frozen=True)
class Unit:
    """One unit. `shown` is how it is written on screen and stored; `quantity` is what it measures.

    value · factor + offset is in the base unit of the units library, which knows it as `expression`.
    """

    code: str
    shown: str
    quantity: str
    expression: str
    factor: float
    offset: float
    others: tuple[str, ...]


@cache
def units() -> tuple[Unit, ...]:
    """All units of the table, in its order."""
    text = resources.files(__package__).joinpath("units.tsv").read_text(encoding="utf-8")
    rows = csv.reader((line for line in text.splitlines() if line and line[0] != "#"), delimiter="\t")
    return tuple(
        Unit(
            code, shown, quantity, expression, float(factor), float(offset), tuple(rest[0].split(",")) if rest else ()
        )
        for code, shown, quantity, expression, factor, offset, *rest in rows
    )


@cache
def _spellings() -> tuple[dict[str, Unit], dict[str, list[Unit]]]:
    exact: dict[str, Unit] = {}
    loose: dict[str, list[Unit]] = {}
    for unit in units():
        for spelling in {unit.shown, unit.code, *unit.others}:
            exact.setdefault(spelling, unit)
            same = loose.setdefault(spelling.lower().replace(" ", ""), [])
            if unit not in same:
                same.append(unit)
    return exact, loose


@cache
def unit_places() -> Mapping[str, int]:
    """The place of each unit in the table, by every exact spelling."""
    places = {unit.shown: place for place, unit in enumerate(units())}
    return {shown: places[unit.shown] for shown, unit in _spellings()[0].items()}


@cache
def _unece() -> Mapping[str, str]:
    text = resources.files(__package__).joinpath("unece.tsv").read_text(encoding="utf-8")
    rows = csv.reader((line for line in text.splitlines() if line and line[0] != "#"), delimiter="\t")
    return dict(rows)


def unece_code(shown: str) -> str:
    """The common code of UNECE Recommendation No. 20 of a unit by an exact spelling, "" where it has none."""
    unit = find_unit(shown)
    return _unece().get(unit.code, "") if unit else ""


def find_unit(shown: str) -> Unit | None:
    """The unit of an exact spelling, or None. '' has no unit."""
    return _spellings()[0].get(shown)


def _meant(typed: str) -> Sequence[Unit]:
    """The units that a spelling may mean: one, several that differ by case alone, or none."""
    exact, loose = _spellings()
    return (exact[typed],) if typed in exact else loose.get(typed.lower().replace(" ", ""), ())


def read_unit(text: str) -> Unit:
    """The unit a person meant. Case is ignored only where one unit is left ("MBAR"; "mw" would be asked about).

    Raises TextError naming the text and near units.
    """
    typed = text.strip()
    near = _meant(typed)
    if len(near) == 1:
        return near[0]
    if near:
        raise TextError(f"“{typed}” could be {' or '.join(u.shown for u in near)}: write it as one of these")
    known = ", ".join(u.shown for u in units() if u.shown[:1].lower() == typed[:1].lower()) or "mbar, °C, m³/h, %"
    raise TextError(f"“{typed}” is not a unit in the table; near it are: {known}")


_REFERENCES = {
    "gauge": ("gauge pressure", "relative", "gauge", "rel", "g"),
    "absolute": ("absolute", "abs", "a"),
}
_ENDINGS = tuple(
    (reference, tuple(w for word in words for w in (f"({word})", f"[{word}]", f" {word}", f"_{word}", word)))
    for reference, words in _REFERENCES.items()
)


def read_unit_and_reference(text: str) -> tuple[Unit, str]:
    """A unit with what it is counted from, where that is written behind it: "bar(g)", "barg", "mbar abs".

    The reference is "gauge", "absolute" or "". Only a pressure has one. Raises TextError as `read_unit`.
    """
    typed = text.strip()
    return find_unit_and_reference(typed) or (read_unit(typed), "")


def find_unit_and_reference(text: str) -> tuple[Unit, str] | None:
    """The same, None where there is none: for who asks many texts whether they are units."""
    typed = text.strip()
    if len(near := _meant(typed)) == 1:
        return near[0], ""
    small = typed.lower()
    for reference, endings in _ENDINGS:
        for written in endings:
            if small.endswith(written):
                near = _meant(typed[: -len(written)].strip())
                if len(near) == 1 and near[0].quantity == "pressure":
                    return near[0], reference
    return None


@cache
def factor_and_offset(of: str, into: str) -> tuple[float, float] | None:
    """(factor, offset) such that value_into = value_of · factor + offset; None if the quantities differ.

    of, into: units as shown. Temperatures convert as temperatures, not as differences.
    """
    if of == into:
        return 1.0, 0.0
    a, b = find_unit(of), find_unit(into)
    if a is None or b is None or a.quantity != b.quantity:
        return None
    return a.factor / b.factor, (a.offset - b.offset) / b.factor


def convert(value: float, of: str, into: str) -> float:
    """A value of one unit in another. Raises ValueError if they measure different quantities."""
    pair = factor_and_offset(of, into)
    if pair is None:
        raise ValueError(f"{of or 'no unit'} and {into or 'no unit'} do not measure the same quantity")
    return value * pair[0] + pair[1]
