"""Instruments that people measure with: what their makers state of them, and until when they are calibrated."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import asdict, dataclass
from typing import Any

from sqlalchemy import Connection, insert, select

from canaleta.core.checks.uncertainty import Accuracy
from canaleta.plant.database import tables as t
from canaleta.plant.records.points import INSTRUMENT
from canaleta.plant.records.records import Shelf

__all__ = ["INSTRUMENTS", "Instrument", "InstrumentRange", "instruments", "load_instruments", "range_for"]


@dataclass(frozen=True)
class InstrumentRange(Accuracy):
    """What an instrument sources or measures in a unit, and how well."""

    unit: str = "mA"


@dataclass(frozen=True)
class Instrument:
    """A calibrator or a meter. name: what people call it; due: the last day on which its calibration holds, ISO 8601, "" where
    nobody said; certificate: number of it."""

    id: int
    name: str
    make: str
    serial: str
    due: str
    certificate: str
    ranges: tuple[InstrumentRange, ...]

    def body(self) -> dict[str, Any]:
        """As history keeps it."""
        told = {name: getattr(self, name) for name in ("name", "make", "serial", "due", "certificate")}
        return told | {"ranges": [asdict(one) for one in self.ranges]}

    def columns(self) -> dict[str, Any]:
        """As the table keeps it."""
        return self.body()


def _of_body(number: int, body: Mapping[str, Any]) -> Instrument:
    return Instrument(number, **{**body, "ranges": tuple(InstrumentRange(**one) for one in body["ranges"])})


def _of_row(row: Any) -> Instrument:
    ranges = tuple(InstrumentRange(**one) for one in row.ranges)
    return Instrument(row.id, row.name, row.make, row.serial, row.due, row.certificate, ranges)


INSTRUMENTS = Shelf(t.instrument, INSTRUMENT, _of_row, _of_body)


def instruments(connection: Connection) -> list[Instrument]:
    """Every instrument, by name."""
    return [_of_row(row) for row in connection.execute(select(t.instrument).order_by(t.instrument.c.name))]


def load_instruments(connection: Connection, given: Iterable[Mapping[str, Any]]) -> None:
    """Put instruments into a database that has none."""
    for number, body in enumerate(given, start=1):
        connection.execute(insert(t.instrument).values(id=number, **body))


def range_for(instrument: Instrument, unit: str, reading: float) -> InstrumentRange | None:
    """The range of an instrument that states the least error of a reading in a unit; None where none reaches it."""
    found: list[tuple[float, InstrumentRange]] = []
    for one in instrument.ranges:
        if one.unit == unit and one.low <= reading <= one.high:
            found.append((one.limit(reading), one))
    return min(found, key=lambda pair: pair[0])[1] if found else None
