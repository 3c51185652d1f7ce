"""A row of texts entered into a point: the cells that others depend on are read first, each sees those before it."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np

from canaleta.core.model.fields import STORED, Field, Kind, Landing, Stored, field_named
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

__all__ = ["Known", "enter_new", "enter_row", "in_order"]


class Known:
    """What texts of fields mean by themselves, kept over the rows of a list. singles: {field: {text: the one value that
    it gives}}; others: what gives more, or why it gives nothing."""

    def __init__(self) -> None:
        self.singles: dict[str, dict[str, Stored]] = {}
        self.others: dict[tuple[str, str], dict[str, Stored] | str] = {}


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


def enter_new(image: PlantImage, texts: Mapping[str, str], known: Known) -> tuple[dict[str, Stored], dict[str, str]]:
    """What `enter_row` says of a new point, for tens of thousands of them: what many rows say alike is read once."""
    if texts.get("value_form", "two points") != "two points" or not _OTHER_FORMS.isdisjoint(texts):
        return enter_row(image, None, texts)
    values: dict[str, Stored] = {}
    troubles: dict[str, str] = {}
    singles = known.singles
    for name, text in texts.items():
        if name in singles and text in singles[name]:
            values[name] = singles[name][text]
            continue
        if name in _OF_MODULE:
            continue
        if len(text) <= _LONGEST.get(name, 0) and text.isprintable() and text.strip() == text:
            values[name] = text
            continue
        got = known.others.get((name, text))
        if got is None:
            got = _alone(image, name, text)
            if name not in _OF_ONE:
                if len(got) == 1 and not isinstance(got, str):
                    singles.setdefault(name, {})[text] = got[name]
                else:
                    known.others[name, text] = got
        if isinstance(got, str):
            troubles[name] = got
        elif len(got) == 1:
            values |= got
        else:
            values |= {n: v for n, v in got.items() if n == name or (n not in values and n not in texts)}
    for name in _OF_MODULE:
        if text := texts.get(name, ""):
            at = values.get("channel")
            kind = image.layout.modules[at.module].type_key if isinstance(at, Landing) else ""
            key = (f"{name} {kind}", text)
            if key not in known.others:
                try:
                    known.others[key] = _of_module(image, None, values, field_named(name), text)
                except TextError as error:
                    known.others[key] = str(error)
            got = known.others[key]
            if isinstance(got, str):
                troubles[name] = got
            else:
                values |= got
    if not texts.get("mode") and ("channel" in texts or "signal" in texts):
        values |= mode_follows(image.layout, values.get("channel") or "", str(values.get("signal") or ""), "")
    return values, troubles


def _alone(image: PlantImage, name: str, text: str) -> dict[str, Stored] | str:
    """What a text of a field gives by itself, or why it gives nothing."""
    try:
        return _entered(image, None, {}, field_named(name), text)
    except TextError as error:
        return str(error)


_LONGEST = {field.name: field.longest for field in STORED if field.kind is Kind.TEXT}
_OTHER_FORMS = frozenset(("slope", "offset", "factors"))
_OF_MODULE = ("mode", "filter")
_OF_ONE = frozenset(("tag", "service", "channel", "strip", "cable", "serial", "second_name", "old_address", "notes"))
"""Fields whose texts are one point's own: keeping what they mean saves nothing."""


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
