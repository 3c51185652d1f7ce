"""Instruments that people measure with, as the plant keeps them."""

from __future__ import annotations

from datetime import date
from typing import Annotated, Self

from flask import Response, jsonify
from pydantic import ConfigDict, Field, model_validator

from canaleta.core.checks.days import has_passed
from canaleta.core.notation.text import TextError
from canaleta.plant.changes.instruments import keep_instrument
from canaleta.plant.records.instruments import Instrument, InstrumentRange, instruments
from canaleta.web.checks.with_instrument import today
from canaleta.web.kit.access import needs, session_now
from canaleta.web.kit.changed import ChangedOut, applied_out
from canaleta.web.kit.point import Figure
from canaleta.web.kit.problems import PROBLEMS, ProblemError
from canaleta.web.kit.routes import Shape, routes
from canaleta.web.kit.shared import shared

__all__ = ["api"]

api = routes("instruments", __name__, url_prefix="/api", abp_responses=PROBLEMS)
Share = Annotated[float, Field(ge=0, le=100)]


class RangeShape(Shape):
    """What an instrument sources or measures, to ±(of_reading % of reading + of_span % of span + digits · resolution)."""

    model_config = ConfigDict(extra="forbid")

    unit: str = Field(min_length=1, max_length=20)
    low: Figure
    high: Figure
    of_reading: Share = 0.0
    of_span: Share = 0.0
    digits: Annotated[float, Field(ge=0, le=1000)] = 0.0
    resolution: Annotated[float, Field(ge=0, le=1e9)] = 0.0

    @model_validator(mode="after")
    def _rises(self) -> Self:
        if self.low >= self.high:
            raise ValueError("a range goes from a low end to a higher one")
        return self


class InstrumentIn(Shape):
    """An instrument from now on. becomes: its new name, if that changes."""

    model_config = ConfigDict(extra="forbid")

    becomes: str = Field("", max_length=60)
    make: str = Field("", max_length=200)
    serial: str = Field("", max_length=80)
    due: str = Field("", pattern=r"^(\d{4}-\d{2}(-\d{2})?)?$")
    certificate: str = Field("", max_length=80)
    ranges: list[RangeShape] = Field(default_factory=list, max_length=40)


class InstrumentOut(Shape):
    """An instrument. overdue: its calibration has run out; days: until it does, negative after it has, none where nobody
    said."""

    name: str
    make: str
    serial: str
    due: str
    certificate: str
    overdue: bool
    days: int | None
    ranges: list[RangeShape]


class InstrumentsOut(Shape):
    """Every instrument, by name."""

    instruments: list[InstrumentOut]


class InstrumentPath(Shape):
    """An instrument by its name."""

    name: str = Field(min_length=1, max_length=60)


@api.get("/instruments", responses={200: InstrumentsOut})
@needs("read")
def all_instruments() -> Response:
    """Every instrument, and how long its calibration still holds."""
    with shared().engine.connect() as connection:
        out = [_out(one, today()) for one in instruments(connection)]
    return jsonify(InstrumentsOut(instruments=out).model_dump())


@api.put("/instruments/<string:name>", responses={200: ChangedOut})
@needs("edit")
def keep(path: InstrumentPath, body: InstrumentIn) -> Response:
    """Make an instrument or change it."""
    ranges = tuple(InstrumentRange(**one.model_dump()) for one in body.ranges)
    name = (body.becomes or path.name).strip()
    becomes = Instrument(0, name, body.make.strip(), body.serial.strip(), body.due, body.certificate.strip(), ranges)
    return _changed(path.name.strip(), becomes)


@api.delete("/instruments/<string:name>", responses={200: ChangedOut})
@needs("edit")
def take_away(path: InstrumentPath) -> Response:
    """Take an instrument away; what was signed with it keeps its name."""
    return _changed(path.name, None)


def _changed(name: str, becomes: Instrument | None) -> Response:
    try:
        return applied_out(keep_instrument(shared().engine, shared().cache, name, becomes, session_now().account))
    except LookupError as error:
        raise ProblemError(404, str(error.args[0]), "nothing was changed") from error
    except TextError as error:
        raise ProblemError(422, str(error), "nothing was changed", "choose another name") from error


def _out(one: Instrument, day: date) -> InstrumentOut:
    last = _last_day(one.due)
    return InstrumentOut(
        name=one.name, make=one.make, serial=one.serial, due=one.due, certificate=one.certificate, overdue=has_passed(one.due, day.isoformat()),
        days=None if last is None else (last - day).days, ranges=[RangeShape(**one_range.__dict__) for one_range in one.ranges],
    )  # fmt: skip


def _last_day(due: str) -> date | None:
    """The last day that a day or a month names; None for none."""
    try:
        if len(due) == 10:
            return date.fromisoformat(due)
        year, month = int(due[:4]), int(due[5:7])
        return date.fromordinal(date(year + month // 12, month % 12 + 1, 1).toordinal() - 1)
    except ValueError:
        return None
