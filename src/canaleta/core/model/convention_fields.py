"""The conventions of a plant as single fields that people type, by dotted names: "namur.good_from_ma"."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from decimal import Decimal
from typing import Any, get_args, get_origin

from pydantic import BaseModel, ValidationError

from canaleta.core.model.conventions import Conventions
from canaleta.core.model.fields import read_choice
from canaleta.core.notation.text import TextError, plain, read_number

__all__ = ["CONVENTION_FIELDS", "ConventionField", "convention_texts", "with_conventions"]


@dataclass(frozen=True)
class ConventionField:
    """One convention. says: what it is, with its unit. choices: what it may be, empty where it is free."""

    name: str
    says: str
    kind: type
    choices: tuple[str, ...]


def _fields(model: type[BaseModel], before: str = "") -> tuple[ConventionField, ...]:
    out: list[ConventionField] = []
    for name, info in model.model_fields.items():
        of: Any = info.annotation
        if isinstance(of, type) and issubclass(of, BaseModel):
            out += _fields(of, f"{before}{name}.")
            continue
        choices = get_args(of) if get_origin(of) is not None else ()
        kind = type(choices[0]) if choices else of
        out.append(ConventionField(f"{before}{name}", info.description or name, kind, tuple(str(c) for c in choices)))
    return tuple(out)


CONVENTION_FIELDS: tuple[ConventionField, ...] = _fields(Conventions)
_BY_NAME = {field.name: field for field in CONVENTION_FIELDS}


def convention_texts(conventions: Conventions) -> dict[str, str]:
    """Every convention as text, by its dotted name."""
    out = {}
    for field in CONVENTION_FIELDS:
        value: Any = conventions
        for part in field.name.split("."):
            value = getattr(value, part)
        out[field.name] = value if isinstance(value, str) else plain(int(value) if value == int(value) else value)
    return out


def with_conventions(conventions: Conventions, typed: Mapping[str, str]) -> Conventions:
    """The conventions with some of them as typed. Raises TextError naming the one that cannot be, KeyError for
    none."""
    body: dict[str, Any] = conventions.model_dump()
    for name, text in typed.items():
        field = _BY_NAME[name]
        *path, last = name.split(".")
        place = body
        for part in path:
            place = place[part]
        place[last] = _read(field, text.strip())
    try:
        return Conventions.model_validate(body)
    except ValidationError as error:
        first = error.errors()[0]
        report = first["msg"].removeprefix("Value error, ").removeprefix("Input should be ")
        named = _BY_NAME.get(".".join(str(part) for part in first["loc"]))
        raise TextError(f"{named.says}: {report}" if named else report) from error


def _read(field: ConventionField, text: str) -> Any:
    if field.choices:
        return field.kind(read_choice(field.choices, text))
    if field.kind is str:
        return text
    number: Decimal = read_number(text)
    if field.kind is int:
        if number != number.to_integral_value():
            raise TextError(f"“{text}”: {field.says} is a whole number")
        return int(number)
    return float(number)
