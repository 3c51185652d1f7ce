"""A row of texts entered into a point: the cells that others depend on are read first, each sees those before it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
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

__all__ = ["Entered", "enter_new", "enter_row", "in_order"]


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
    for one in in_order(texts):
        try:
            got = _entered(image, row, values, one, texts[one.name])
        except TextError as error:
            troubles[one.name] = str(error)
            continue
        values |= {n: v for n, v in got.items() if n == one.name or (n not in values and n not in texts)}
    if not texts.get("mode", "").strip() and ("channel" in texts or "signal" in texts) and "mode" not in troubles:
        values |= mode_follows(
            image.layout, *(_as_it_becomes(image, row, values, n) for n in ("channel", "signal", "mode"))
        )
    values |= _left_behind(image, row, values) if row is not None and "found_low" not in texts else {}
    return values, troubles


@dataclass
class Entered:
    """New points as read, column by column: what they hold is put together for each point when somebody asks for it.

    troubles: {index of a point: {field: why its text means nothing}}.
    """

    count: int
    troubles: dict[int, dict[str, str]] = field(default_factory=dict)
    _means: dict[str, Mapping[str, Any]] = field(default_factory=dict)
    _follows: list[tuple[Sequence[str], Mapping[str, Mapping[str, Stored]]]] = field(default_factory=list)
    _typed: Mapping[str, Sequence[str]] = field(default_factory=dict)
    _modes: list[Mapping[str, Stored]] = field(default_factory=list)
    _whole: dict[int, dict[str, Stored]] = field(default_factory=dict)

    def has(self, at: int, name: str) -> bool:
        """Whether a point got anything for a field of its own."""
        return name in self._means and self._means[name][self._typed[name][at]] is not _NOTHING

    def column(self, name: str) -> list[Any]:
        """What each point got for a field; _NOTHING for nothing."""
        if name not in self._means:
            return [_NOTHING] * self.count
        return list(map(self._means[name].__getitem__, self._typed[name]))

    def rows(self) -> list[dict[str, Stored]]:
        """{field: stored value} of each point."""
        names = tuple(self._means)
        out: list[dict[str, Stored]] = [
            {name: value for name, value in zip(names, row, strict=True) if value is not _NOTHING}
            for row in zip(*map(self.column, names), strict=True)
        ] or [{} for _ in range(self.count)]
        for texts, means in self._follows:
            # What follows from a text gives way to what is typed for that field itself.
            for at, text in enumerate(texts):
                for name, value in means.get(text, _NONE).items():
                    if not (name in self._typed and self._typed[name][at]):
                        out[at].setdefault(name, value)
        for cells, modes in zip(out, self._modes, strict=True):
            cells.update(modes)
        for at, cells in self._whole.items():
            out[at] = cells
        return out


_NOTHING: Any = object()
_NONE: Mapping[str, Stored] = {}


def enter_new(image: PlantImage, columns: Mapping[str, Sequence[str]], count: int) -> Entered:
    """What `enter_row` says of new points, for tens of thousands of them at once: each text of a field is read once.

    columns: {field: a text for each of the points, "" for none}.
    """
    out = Entered(count, _typed=columns)
    for name, texts in columns.items():
        if name in _OF_MODULE:
            continue
        means: dict[str, Any] = {"": _NOTHING}
        follows: dict[str, Mapping[str, Stored]] = {}
        wrong: dict[str, str] = {}
        longest = _LONGEST.get(name, 0)
        for text in set(texts):
            if len(text) <= longest and text.isprintable() and text.strip() == text:
                if text:
                    means[text] = text
                continue
            got = _alone(image, name, text) if text else _NONE
            if isinstance(got, str):
                means[text], wrong[text] = _NOTHING, got
            else:
                means[text] = got.get(name, _NOTHING)
                if got.keys() - {name}:
                    follows[text] = got
        out._means[name] = means
        if follows:
            out._follows.append((texts, follows))
        if wrong:
            for at, text in enumerate(texts):
                if text in wrong:
                    out.troubles.setdefault(at, {})[name] = wrong[text]
    _modes_of(image, columns, out)
    for at in _in_other_forms(columns):
        # A scaling that is kept in another form is worked out with the rest of its point.
        typed = {name: texts[at] for name, texts in columns.items() if texts[at]}
        out._whole[at], wrong = enter_row(image, None, typed)
        out.troubles.pop(at, None)
        if wrong:
            out.troubles[at] = wrong
    return out


def _in_other_forms(columns: Mapping[str, Sequence[str]]) -> list[int]:
    out: set[int] = set()
    for name in _OTHER_FORMS & columns.keys():
        out |= {at for at, text in enumerate(columns[name]) if text}
    if "value_form" in columns:
        out |= {at for at, text in enumerate(columns["value_form"]) if text not in ("", "two points")}
    return sorted(out)


def _modes_of(image: PlantImage, columns: Mapping[str, Sequence[str]], out: Entered) -> None:
    """Read what a module offers, and let the mode follow where none is typed: once for each type of module and text."""
    read_before: dict[tuple[str, str, str], Mapping[str, Stored] | str] = {}
    follows: dict[tuple[str, int, str], Mapping[str, Stored]] = {}
    layout, nothing = image.layout, [""] * out.count
    typed = [(name, columns[name]) for name in _OF_MODULE if name in columns]
    modes = columns.get("mode", nothing)
    signals = out.column("signal")
    for at, landing in enumerate(out.column("channel")):
        landed = isinstance(landing, Landing)
        kind = layout.modules[landing.module].type_key if landed else ""
        means = _NONE
        for name, texts in typed:
            if not (text := texts[at]):
                continue
            key = (name, kind, text)
            if key not in read_before:
                try:
                    cells = {"channel": landing} if landed else {}
                    read_before[key] = _of_module(image, None, cells, field_named(name), text)
                except TextError as error:
                    read_before[key] = str(error)
            got = read_before[key]
            if isinstance(got, str):
                out.troubles.setdefault(at, {})[name] = got
            else:
                means = {**means, **got} if means else got
        if landed and not modes[at]:
            signal = signals[at]
            here = (kind, landing.channel, signal if isinstance(signal, str) else "")
            if here not in follows:
                follows[here] = mode_follows(layout, landing, here[2], "")
            means = {**means, **follows[here]} if means else follows[here]
        out._modes.append(means)


def _alone(image: PlantImage, name: str, text: str) -> dict[str, Stored] | str:
    """What a text of a field gives by itself, or why it gives nothing."""
    try:
        return _entered(image, None, {}, field_named(name), text)
    except TextError as error:
        return str(error)


_LONGEST = {field.name: field.longest for field in STORED if field.kind is Kind.TEXT}
_OTHER_FORMS = frozenset(("slope", "offset", "factors"))
_OF_MODULE = ("mode", "filter")


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
