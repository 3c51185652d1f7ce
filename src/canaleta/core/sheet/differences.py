"""Two states of a list compared, in the words of the trade: ranges as ranges, and what moves with them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from fractions import Fraction

from canaleta.core.model.field import Field
from canaleta.core.model.field_table import ALARM_LEVELS, FIELDS
from canaleta.core.notation.text import as_typed

__all__ = ["PointDifference", "difference_words", "differences"]

Cells = Mapping[str, str]
"""A point as texts by field; empty ones may be left out."""
_RANGES: dict[str, tuple[str, str, str]] = {
    "range": ("device_low", "device_high", "device_unit"),
    "scaling": ("value_low", "value_high", "value_unit"),
    "counts": ("counts_low", "counts_high", ""),
    "signal range": ("signal_low", "signal_high", ""),
}
_FIELD = {field.name: field for field in FIELDS}
_BENDS = frozenset(
    ("value_law", "device_law", "signal", "mode", "counts_low", "counts_high", "slope", "offset", "factors", "value_table",
     "device_table", "curve_table", "shunt_ohm")
)  # fmt: skip
_MOVES_VALUES = _BENDS | {f"{side}_{end}" for side in ("device", "value") for end in ("low", "high", "unit")}
_SHARES = (Fraction(0), Fraction(1, 4), Fraction(1, 2), Fraction(3, 4), Fraction(1))
"""Parts of span that a loop is checked at."""


@dataclass(frozen=True)
class PointDifference:
    """What became of one point. kind: added, removed, changed. cells: (field, was, becomes). words: the same, as
    told.

    moves: what lies elsewhere because of it, "" if nothing does.
    """

    point: int
    tag: str
    kind: str
    cells: tuple[tuple[str, str, str], ...]
    words: tuple[str, ...]
    moves: str = ""


def differences(was: Mapping[int, Cells], becomes: Mapping[int, Cells]) -> list[PointDifference]:
    """Every point that differs, in the order of the newer list, points that are gone behind."""
    out = []
    for point, now in becomes.items():
        then = was.get(point)
        if then is None:
            words = (difference_words({}, now) or ("new",)) if now else ("new",)
            out.append(PointDifference(point, now.get("tag", ""), "added", _cells({}, now), tuple(words)))
        elif cells := _cells(then, now):
            out.append(
                PointDifference(
                    point,
                    now.get("tag", ""),
                    "changed",
                    cells,
                    tuple(difference_words(then, now)),
                    _moves(then, now, cells),
                )
            )
    for point, then in was.items():
        if point not in becomes:
            out.append(PointDifference(point, then.get("tag", ""), "removed", _cells(then, {}), ("taken away",)))
    return out


def difference_words(was: Cells, becomes: Cells) -> list[str]:
    """What differs between two states of a point, a range told as one thing."""
    differ = [name for name, _, _ in _cells(was, becomes)]
    out = []
    for title, names in _RANGES.items():
        touched = [name for name in names if name in differ]
        if not touched:
            continue
        then, now = _range(was, names), _range(becomes, names)
        unit = becomes.get(names[2], "")
        if then.endswith(f" {unit}") and unit:
            then = then.removesuffix(f" {unit}")
        out.append(f"{title} {then or 'none'} → {now or 'none'}")
        differ = [name for name in differ if name not in touched]
    for name in differ:
        label = _label(_FIELD[name])
        out.append(f"{label} {as_typed(was.get(name, '')) or 'none'} → {as_typed(becomes.get(name, '')) or 'none'}")
    return out


def _cells(was: Cells, becomes: Cells) -> tuple[tuple[str, str, str], ...]:
    if was == becomes:
        return ()
    differ = {name for name in was.keys() | becomes.keys() if was.get(name, "") != becomes.get(name, "")}
    names = [f.name for f in FIELDS if f.stored and f.name in differ] if differ else []
    return tuple((name, was.get(name, ""), becomes.get(name, "")) for name in names)


def _range(cells: Cells, names: Sequence[str]) -> str:
    low, high = (as_typed(cells.get(name, "")) for name in names[:2])
    if not low and not high:
        return ""
    return f"{low or '?'}…{high or '?'} {cells.get(names[2], '') if names[2] else ''}".strip()


def _label(field: Field) -> str:
    alone = sum(other.label == field.label for other in FIELDS) == 1
    return field.label if alone else f"{field.station.lower()} {field.label}"


def _moves(was: Cells, becomes: Cells, cells: Sequence[tuple[str, str, str]]) -> str:
    """What lies elsewhere because of it: check points of the device's range, limits on the way to the value."""
    names = {name for name, _, _ in cells}
    if not names & _MOVES_VALUES:
        return ""
    points = _check_points_moved(_ends(was, "device"), _ends(becomes, "device"))
    then, now = _ends(was, "value"), _ends(becomes, "value")
    parts = []
    if then is not None and now is not None and then != now:
        limits = [becomes[f"alarm_{level}"] for level in ALARM_LEVELS if becomes.get(f"alarm_{level}")]
        switch = [becomes[name] for name in ("on_at", "off_at") if becomes.get(name)]
        for what, texts in (("alarm", limits), ("threshold", switch)):
            moved = sum(_share(Fraction(text), then) != _share(Fraction(text), now) for text in texts)
            parts += [_many(moved, what)] if moved else []
        parts += ["its bands"] if becomes.get("bands") else []
    parts += [_many(points, "check point")] if points else []
    if not parts:
        # Law, signal, mode and the like bend the way between: how far is told by the preview of the change itself.
        return "values on the way move" if names & _BENDS else ""
    several = len(parts) > 1 or parts[0].split()[0] not in ("one",)
    return f"{' and '.join([', '.join(parts[:-1]), parts[-1]] if len(parts) > 1 else parts)} {'move' if several else 'moves'}"


def _ends(cells: Cells, side: str) -> tuple[Fraction, Fraction, str] | None:
    low, high = cells.get(f"{side}_low", ""), cells.get(f"{side}_high", "")
    return (Fraction(low), Fraction(high), cells.get(f"{side}_unit", "")) if low and high else None


def _share(value: Fraction, ends: tuple[Fraction, Fraction, str]) -> Fraction | None:
    """Where a value lies between the ends, and so on the wires; None without a span."""
    low, high, _ = ends
    return (value - low) / (high - low) if high != low else None


def _check_points_moved(
    was: tuple[Fraction, Fraction, str] | None, becomes: tuple[Fraction, Fraction, str] | None
) -> int:
    """How many parts of span are another quantity now; all where the unit is another."""
    if was is None or becomes is None or was == becomes:
        return 0
    if was[2] != becomes[2]:
        return len(_SHARES)
    return sum(was[0] + s * (was[1] - was[0]) != becomes[0] + s * (becomes[1] - becomes[0]) for s in _SHARES)


def _many(count: int, what: str) -> str:
    words = ("no", "one", "two", "three", "four", "five", "six")
    return f"{words[count] if count < len(words) else count} {what}{'' if count == 1 else 's'}"
