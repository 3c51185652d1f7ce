"""A row of texts entered into a point: the cells that others depend on are read first, each sees those before it."""

from __future__ import annotations

from collections.abc import Mapping

from canaleta.core.fields import Field, Kind, Stored, field_named
from canaleta.core.image import PlantImage
from canaleta.core.text import TextError
from canaleta.plant.cells import OF_MODULE, SCALING_FORMS, read, read_alone

__all__ = ["enter_row", "in_order"]

_FIRST = {"signal": 0, "channel": 1, "mode": 2}


def in_order(names: Mapping[str, str]) -> list[Field]:
    """The fields in the order they are read: a mode means what the module offers, so the channel comes before it."""
    return sorted((field_named(name) for name in names), key=lambda f: _FIRST.get(f.name, 3))


def enter_row(base: PlantImage, texts: Mapping[str, str], *, known: bool) -> tuple[dict[str, Stored], dict[str, str]]:
    """What texts mean together: ({field: stored value}, {field: why it cannot be read}).

    base: an image of the one point, or of an empty one. known: whether the point exists, so that what it holds makes
    a difference. What follows from a cell gives way to what is typed for that field itself.
    """
    values: dict[str, Stored] = {}
    troubles: dict[str, str] = {}
    for field in in_order(texts):
        typed = texts[field.name]
        try:
            got = _entered(base, values, field, typed, known=known)
        except TextError as error:
            troubles[field.name] = str(error)
            continue
        values |= {n: v for n, v in got.items() if n == field.name or (n not in values and n not in texts)}
    return values, troubles


def _entered(
    base: PlantImage, values: Mapping[str, Stored], field: Field, typed: str, *, known: bool
) -> dict[str, Stored]:
    depends = field.kind in OF_MODULE or field.name in SCALING_FORMS or (known and field.name == "signal")
    if not depends:
        return read_alone(base.layout, field, typed)
    after = base.with_cells({(0, name): value for name, value in values.items()})
    if field.kind is Kind.MODE and typed.strip() and after.module[0] < 0:
        return {field.name: typed.strip()}
    return read(after, 0, field, typed)
