"""Typicals: kinds of point filled in beforehand. Points remember the one they were made from."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Any

from sqlalchemy import Connection, select
from sqlalchemy.dialects.postgresql import insert as upsert

from canaleta.plant.database import tables as t
from canaleta.plant.records.points import TYPICAL
from canaleta.plant.records.records import Shelf

__all__ = ["TYPICALS", "Typical", "load_typicals", "typicals"]


@dataclass(frozen=True)
class Typical:
    """A kind of point: its cells as texts that people would type. says: what it is for."""

    id: int
    name: str
    says: str
    cells: Mapping[str, str]

    def body(self) -> dict[str, Any]:
        """As history keeps it."""
        return {"name": self.name, "says": self.says, "cells": dict(self.cells)}

    def columns(self) -> dict[str, Any]:
        """As the table keeps it."""
        return self.body()


TYPICALS = Shelf(
    t.typical, TYPICAL, lambda row: Typical(row.id, row.name, row.says, row.cells), lambda n, body: Typical(n, **body)
)


def typicals(connection: Connection) -> list[Typical]:
    """Every typical, by name."""
    rows = connection.execute(select(t.typical).order_by(t.typical.c.name))
    return [Typical(row.id, row.name, row.says, row.cells) for row in rows]


def load_typicals(connection: Connection, given: Iterable[Mapping[str, Any]]) -> None:
    """Put typicals into a database that has none."""
    for number, body in enumerate(given, start=1):
        connection.execute(upsert(t.typical).values(id=number, **body).on_conflict_do_nothing())
