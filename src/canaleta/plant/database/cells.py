"""Cells of a point between people, the core and the database.

`read` turns typed text into stored values with the plant's layout at hand; `to_json` and `from_json` are
how history keeps them; `to_row` and `from_row` how the table does.
"""

from __future__ import annotations

from collections.abc import Mapping
from decimal import Decimal
from typing import Any

from canaleta.core.checks.ladder import PROVED
from canaleta.core.hardware.fit import mode_that_fits
from canaleta.core.model.fields import STORED, Field, Kind, Landing, Stored, field_named, read_cell, read_choice
from canaleta.core.model.image import PlantImage
from canaleta.core.model.layout import Layout
from canaleta.core.model.module_type import ModuleType
from canaleta.core.notation.text import TextError, plain
from canaleta.core.sheet.derived import form_follows, kind_follows

__all__ = [
    "OF_MODULE",
    "SCALING_FORMS",
    "from_json",
    "from_row",
    "mode_follows",
    "read",
    "read_alone",
    "read_of_module",
    "refuse_proved",
    "same_cell",
    "to_json",
    "to_row",
]


def read_alone(layout: Layout, field: Field, text: str) -> dict[str, Stored]:
    """What a text means by itself, with nothing following from it: cells of files. A mode is taken as it stands."""
    typed = text.strip()
    if field.kind is Kind.ADDRESS and typed:
        module, channel = layout.read_address(typed)
        return {field.name: Landing(module, channel, landed=False)}
    return {field.name: typed or None} if field.kind in OF_MODULE else read_cell(field, text)


def read(image: PlantImage, row: int, field: Field, text: str) -> dict[str, Stored]:
    """What text typed into a cell of one point means, and what follows from it. Raises TextError for who typed it."""
    typed = text.strip()
    if field.kind is Kind.ADDRESS:
        values = read_alone(image.layout, field, text)
        return values | mode_follows(
            image.layout, values["channel"], image.text("signal", row), image.text("mode", row)
        )
    if field.kind in OF_MODULE:
        at = image.cells["channel"][row]
        return {field.name: read_of_module(image.layout, at if isinstance(at, Landing) else None, field, typed)}
    values = read_cell(field, text)
    if field.name == "status":
        refuse_proved(image, row, str(values["status"] or ""))
    if (
        field.name == "signal"
        and isinstance(becomes := values["signal"], str)
        and becomes != image.text("signal", row)
    ):
        follows = kind_follows(image, row, becomes)
        mode = mode_follows(image.layout, image.cells["channel"][row], becomes, image.text("mode", row))
        return values | follows | mode
    if field.name in SCALING_FORMS:
        return form_follows(image, row, values) | values
    return values


def refuse_proved(image: PlantImage, row: int | None, becomes: str) -> None:
    """A status that follows from a signed record is not typed. Raises TextError."""
    if becomes in PROVED and (row is None or image.text("status", row) != becomes):
        raise TextError(f"{becomes} is not typed: it follows from what is signed at checkout")


def mode_follows(layout: Layout, at: Stored, signal: str, now: str) -> dict[str, Stored]:
    """The mode that a point takes with its channel or its signal, as landing it in the cabinet does; {} where none
    does."""
    if not isinstance(at, Landing) or at.module not in layout.modules:
        return {}
    mode = mode_that_fits(layout.type_at(at.module, at.channel), signal, now)
    return {} if mode is None else {"mode": mode}


SCALING_FORMS = frozenset(
    ("slope", "offset", "factors", "value_form", "value_low", "value_high", "counts_low", "counts_high")
)
"""Fields of which typing one makes its form of the scaling the stored one."""


OF_MODULE = (Kind.MODE, Kind.FILTER)
"""Kinds of cells whose choices are those of the module."""


def offered_filters(image: PlantImage, row: int) -> tuple[str, ...]:
    """The filters a point may have: those of its module, or of any module while it has none."""
    return _filters(image.layout, _module_of(image, row))


def offered_modes(image: PlantImage, row: int) -> tuple[str, ...]:
    """The modes a point may have: those of its module, or of any module while it has none."""
    return _modes(image.layout, _module_of(image, row))


def read_of_module(layout: Layout, at: Landing | None, field: Field, typed: str) -> str | None:
    """A mode or a filter by the name it has in the module of a channel. Raises TextError."""
    if not typed:
        return None
    module = at.module if at and at.module in layout.modules else None
    if field.kind is Kind.MODE:
        return read_choice(_modes(layout, module), typed)
    offered = _filters(layout, module)
    if not offered:
        raise TextError("this module has no filter to choose")
    return read_choice(offered, typed)


def _module_of(image: PlantImage, row: int) -> int | None:
    module = int(image.module[row])
    return module if module in image.layout.modules else None


def _kinds(layout: Layout, module: int | None) -> list[ModuleType]:
    return list(layout.types.values()) if module is None else [layout.type_of(module)]


def _modes(layout: Layout, module: int | None) -> tuple[str, ...]:
    names = tuple(dict.fromkeys(mode.name for kind in _kinds(layout, module) for mode in kind.modes))
    if not names:
        raise TextError("the plant has no module type yet")
    return names


def _filters(layout: Layout, module: int | None) -> tuple[str, ...]:
    return tuple(dict.fromkeys(f.name for kind in _kinds(layout, module) for f in kind.filters))


def to_json(value: Stored) -> Any:
    """A stored value as history keeps it: numbers as text with every digit, landings as a list."""
    if isinstance(value, Landing):
        return list(value)
    return plain(value) if isinstance(value, Decimal) else value


def from_json(field: Field, value: Any) -> Stored:
    """The inverse of `to_json`."""
    if value is None:
        return None
    if field.kind is Kind.ADDRESS:
        module, channel, landed = value
        return Landing(module, channel, landed)
    return Decimal(value) if field.kind is Kind.NUMBER else value


def to_row(values: Mapping[str, Stored]) -> dict[str, Any]:
    """Columns of the point table for stored values; only the fields given."""
    out: dict[str, Any] = {}
    for name, value in values.items():
        if field_named(name).kind is Kind.ADDRESS:
            module, channel, landed = value if isinstance(value, Landing) else (None, None, False)
            out |= {"module": module, "channel": channel, "landed": landed}
        else:
            out[name] = value
    return out


def from_row(row: Mapping[str, Any]) -> dict[str, Stored]:
    """Stored values from a row of the point table."""
    out: dict[str, Stored] = {}
    for field in STORED:
        if field.kind is Kind.ADDRESS:
            at = row["module"]
            out[field.name] = None if at is None else Landing(at, row["channel"], row["landed"])
        else:
            out[field.name] = row[field.name]
    return out


def same_cell(a: Stored, b: Stored) -> bool:
    """Whether two cells say the same; 1.0 and 1.00 do not, for the decimals typed are kept."""
    if isinstance(a, Landing) and isinstance(b, Landing):
        return a[:2] == b[:2]
    return a == b and str(a) == str(b)
