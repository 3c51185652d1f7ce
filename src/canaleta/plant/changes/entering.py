"""A row of texts entered into a point: the cells that others depend on are read first, each sees those before it."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np

from canaleta.core.model.fields import Field, Kind, Landing, Stored, field_named
from canaleta.core.model.image import PlantImage
from canaleta.core.notation.text import TextError
from canaleta.core.sheet.derived import SCALING_POINTS
from canaleta.plant.database.cells import (
    OF_MODULE,
    SCALING_FORMS,
    mode_follows,
    read,
    read_alone,
    read_of_module,
    refuse_proved,
)

__all__ = ["enter_row", "in_order"]

_FIRST = {"signal": 0, "channel": 1, "mode": 2}


def in_order(names: Mapping[str, str]) -> list[Field]:
    """The fields in the order they are read: a mode means what the module offers, so the channel comes before it."""
    return sorted((field_named(name) for name in names), key=lambda f: _FIRST.get(f.name, 3))


def enter_row(
    image: PlantImage, row: int | None, texts: Mapping[str, str]
) -> tuple[dict[str, Stored], dict[str, str]]:
    """What texts mean together for a point of the image, or for a new one: ({field: stored value}, {field: why not}).

    What follows from a cell gives way to what is typed for that field itself. Fifty thousand rows pass through here,
    so what needs no image of the point is read without one.
    """
    values: dict[str, Stored] = {}
    troubles: dict[str, str] = {}
    for field in in_order(texts):
        try:
            got = _entered(image, row, values, field, texts[field.name])
        except TextError as error:
            troubles[field.name] = str(error)
            continue
        values |= {n: v for n, v in got.items() if n == field.name or (n not in values and n not in texts)}
    if not texts.get("mode", "").strip() and ("channel" in texts or "signal" in texts) and "mode" not in troubles:
        values |= mode_follows(
            image.layout, *(_as_it_becomes(image, row, values, n) for n in ("channel", "signal", "mode"))
        )
    values |= _left_behind(image, row, values) if row is not None and "found_low" not in texts else {}
    return values, troubles


def _left_behind(image: PlantImage, row: int, values: Mapping[str, Stored]) -> dict[str, Stored]:
    """What a channel was found to count is that channel's, in that mode: a point that goes elsewhere leaves it."""
    if not image.filled("found_low")[row]:
        return {}
    moves = any(
        name in values and _place(values[name]) != _place(image.cells[name][row]) for name in ("channel", "mode")
    )
    return dict.fromkeys(("found_low", "found_high", "trimmed")) if moves else {}


def _place(value: Stored) -> Any:
    return (value.module, value.channel) if isinstance(value, Landing) else value or None


def _as_it_becomes(image: PlantImage, row: int | None, values: Mapping[str, Stored], name: str) -> Any:
    if name in values:
        return values[name] or ""
    return image.cells[name][row] or "" if row is not None else ""


def _entered(
    image: PlantImage, row: int | None, values: Mapping[str, Stored], field: Field, typed: str
) -> dict[str, Stored]:
    if field.kind in OF_MODULE:
        return _of_module(image, row, values, field, typed.strip())
    if field.name in SCALING_FORMS and not _plain_points(image, row, values, field):
        return read(_as_entered(image, row, values), 0, field, typed)
    if field.name == "signal" and row is not None and image.text("signal", row) != typed.strip():
        return read(_as_entered(image, row, values), 0, field, typed)
    values_alone = read_alone(image.layout, field, typed)
    if field.name == "status":
        refuse_proved(image, row, str(values_alone["status"] or ""))
    return values_alone


def _of_module(
    image: PlantImage, row: int | None, values: Mapping[str, Stored], field: Field, typed: str
) -> dict[str, Stored]:
    """A mode or a filter by its name, of those that the module has; as it stands while there is no module."""
    at = values["channel"] if "channel" in values else image.cells["channel"][row] if row is not None else None
    if not isinstance(at, Landing) and field.kind is Kind.MODE:
        return {field.name: typed or None}
    return {field.name: read_of_module(image.layout, at if isinstance(at, Landing) else None, field, typed)}


def _plain_points(image: PlantImage, row: int | None, values: Mapping[str, Stored], field: Field) -> bool:
    """Whether it is an end point of a scaling that is kept as end points: then nothing else follows."""
    form = (
        values["value_form"]
        if "value_form" in values
        else image.cells["value_form"][row]
        if row is not None
        else None
    )
    return field.name in SCALING_POINTS and form in (None, "two points")


def _as_entered(image: PlantImage, row: int | None, values: Mapping[str, Stored]) -> PlantImage:
    """An image of the one point with what was read so far."""
    one = PlantImage.of_rows([{}], image.layout, image.conventions) if row is None else image.only(np.array([row]))
    return one.with_cells({(0, name): value for name, value in values.items()})
