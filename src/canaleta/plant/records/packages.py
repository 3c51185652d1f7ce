"""Packages of work: which points somebody goes through, who, and from which day to which."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Any

from sqlalchemy import Connection, insert, select

from canaleta.plant.database import tables as t
from canaleta.plant.records.points import PACKAGE
from canaleta.plant.records.records import Shelf

__all__ = ["PACKAGES", "Package", "load_packages", "packages"]


@dataclass(frozen=True)
class Package:
    """A package of work. people: names of accounts; begins, ends: days, ISO 8601, "" where nobody said; points: in the order in
    which they are gone through."""

    id: int
    name: str
    people: tuple[str, ...]
    begins: str
    ends: str
    points: tuple[int, ...]
    note: str = ""

    def body(self) -> dict[str, Any]:
        """As history keeps it."""
        return {
            "name": self.name, "people": list(self.people), "begins": self.begins, "ends": self.ends,
            "points": list(self.points), "note": self.note,
        }  # fmt: skip

    def columns(self) -> dict[str, Any]:
        """As the table keeps it."""
        return self.body()


def _of_body(number: int, body: Mapping[str, Any]) -> Package:
    return Package(number, **{**body, "people": tuple(body["people"]), "points": tuple(body["points"])})


def _of_row(row: Any) -> Package:
    return Package(row.id, row.name, tuple(row.people), row.begins, row.ends, tuple(row.points), row.note)


PACKAGES = Shelf(t.package, PACKAGE, _of_row, _of_body)


def packages(connection: Connection) -> list[Package]:
    """Every package, by the day on which it begins, then by name."""
    rows = connection.execute(select(t.package).order_by(t.package.c.begins, t.package.c.name))
    return [_of_row(row) for row in rows]


def load_packages(connection: Connection, given: Iterable[Mapping[str, Any]]) -> None:
    """Put packages into a database that has none."""
    for number, body in enumerate(given, start=1):
        connection.execute(insert(t.package).values(id=number, **body))
