"""Two states of a list compared, in the words of the trade: ranges as ranges, and what moves with them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from canaleta.core.field import Field
from canaleta.core.field_table import ALARM_LEVELS, FIELDS
from canaleta.core.text import as_typed

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
_MOVES_VALUES = frozenset(
    ("device_low", "device_high", "device_unit", "value_low", "value_high", "value_unit", "value_law", "device_law",
     "signal", "mode", "counts_low", "counts_high", "slope", "offset", "factors", "value_table", "device_table",
     "curve_table", "shunt_ohm")
)  # fmt: skip
CHECK_POINTS = 5
"""Points of span that a loop is checked at: 0, 25, 50, 75, 100 %."""


@dataclass(frozen=True)
class PointDifference:
    """What became of one point. kind: added, removed, changed. cells: (field, was, becomes). words: the same, as told.

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
    names = [f.name for f in FIELDS if f.stored and was.get(f.name, "") != becomes.get(f.name, "")]
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
    """What lies elsewhere on the wires because the value is scaled another way."""
    if not {name for name, _, _ in cells} & _MOVES_VALUES:
        return ""
    alarms = sum(bool(becomes.get(f"alarm_{level}")) for level in ALARM_LEVELS)
    switch = sum(bool(becomes.get(name)) for name in ("on_at", "off_at"))
    parts = [_many(alarms, "alarm")] if alarms else []
    parts += [_many(switch, "threshold")] if switch else []
    parts += ["its bands"] if becomes.get("bands") else []
    # The ends of the range stay at the ends of the signal; what lies between them is another value.
    ends = all(was.get(name) != becomes.get(name) for name in ("device_low", "device_high"))
    parts.append(_many(CHECK_POINTS if ends else CHECK_POINTS - 1, "check point"))
    return f"{' and '.join([', '.join(parts[:-1]), parts[-1]] if len(parts) > 1 else parts)} move"


def _many(count: int, what: str) -> str:
    words = ("no", "one", "two", "three", "four", "five", "six")
    return f"{words[count] if count < len(words) else count} {what}{'' if count == 1 else 's'}"
