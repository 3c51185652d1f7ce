"""What is due to be checked, by day; and devices that are exchanged for others."""

from __future__ import annotations

from datetime import UTC, date, datetime
from typing import Any

from flask import Response, jsonify
from pydantic import ConfigDict, Field

from canaleta.core.model.fields import FIELDS
from canaleta.core.model.image import PlantImage
from canaleta.plant.changes.proposal import Planned
from canaleta.plant.changes.swaps import swap
from canaleta.plant.checks.due import due_points
from canaleta.plant.checks.histories import DAY_S
from canaleta.plant.records.packages import packages
from canaleta.web.checks.records import RecordOut, record_out
from canaleta.web.checks.with_instrument import today
from canaleta.web.kit.access import needs, session_now
from canaleta.web.kit.point import PointPath, found
from canaleta.web.kit.problems import PROBLEMS, ProblemError
from canaleta.web.kit.routes import Shape, routes
from canaleta.web.kit.shared import shared
from canaleta.web.kit.signing import proved

__all__ = ["api"]

api = routes("due", __name__, url_prefix="/api", abp_responses=PROBLEMS)
MOST_TOLD = 2000
SET_IN_IT = (
    "signal", "device_low", "device_high", "device_unit", "device_law", "device_cutoff", "device_cutoff_in", "acting",
    "damping_s", "failure_ma", "tolerance_class", "device_table", "signal_low", "signal_high",
)  # fmt: skip
"""What the list says of a device that is set in it: the new one must say the same."""


class DueOut(Shape):
    """A point that is due. day: ISO 8601; days: until then, negative after it; because: interval, drift, out or failed; route: the
    package that it is gone through with, '' for none."""

    point: int
    tag: str
    area: str
    cabinet: str
    route: str
    day: str
    days: int
    because: str
    says: str


class DueListOut(Shape):
    """Points that were checked, soonest due first; count: of all."""

    points: list[DueOut]
    count: int


class SetOut(Shape):
    """A setting of the new device, as the list has it."""

    name: str
    label: str
    text: str


class SwapOut(Shape):
    """What a device swap asks for: the old serial number, and what is to be set in the new device."""

    serial: str
    settings: list[SetOut]


class SwapIn(Shape):
    """Another device: its serial number, whether it is of the same make and range, why, a name and the password once more."""

    model_config = ConfigDict(extra="forbid")

    serial: str = Field(min_length=1, max_length=60)
    like_for_like: bool = True
    model: str = Field("", max_length=60)
    why: str = Field(min_length=1, max_length=400)
    name: str = Field(min_length=1, max_length=80)
    password: str = Field("", max_length=200)


@api.get("/due", responses={200: DueListOut})
@needs("read")
def due() -> Response:
    """Every point that was checked, soonest due first."""
    image, day = shared().image(), today()
    with shared().engine.connect() as connection:
        routes_of = {point: one.name for one in reversed(packages(connection)) for point in one.points}
        every = due_points(connection, image)
    told = sorted((one.day, point, one.because, one.says) for point, one in every.items())
    out = [
        _due_out(image, point, _day(at), day, because, says, routes_of)
        for at, point, because, says in told[:MOST_TOLD]
    ]
    return jsonify(DueListOut(points=out, count=len(told)).model_dump())


@api.get("/points/<int:point>/swap", responses={200: SwapOut})
@needs("read")
def offers_swap(path: PointPath) -> Response:
    """What is to be set in a device that takes the place of the one at this point."""
    image, row = found(path.point)
    labels = {field.name: field.label for field in FIELDS}
    settings = [SetOut(name=n, label=labels[n], text=text) for n in SET_IN_IT if (text := image.text(n, row))]
    return jsonify(SwapOut(serial=image.text("serial", row), settings=settings).model_dump())


@api.post("/points/<int:point>/swap", responses={200: RecordOut})
@needs("edit")
def sign_swap(path: PointPath, body: SwapIn) -> Response:
    """Sign that another device took the place of the old one: its line of drift begins anew, and it is to be checked."""
    image, row = found(path.point)
    was = image.text("serial", row)
    if body.serial.strip() == was:
        raise ProblemError(
            422, "the new device has the serial number of the old one", "nothing was signed", "type its own"
        )
    proved(body.password)
    texts = {"serial": body.serial.strip()} | ({"device_model": body.model.strip()} if body.model.strip() else {})
    kind = "like for like" if body.like_for_like else "another make or range"
    settings = [f"set in it: {n} {image.text(n, row)}" for n in SET_IN_IT if image.text(n, row)]
    document: dict[str, Any] = {
        "tag": image.label(row), "service": image.text("service", row), "address": image.text("channel", row),
        "lines": [f"serial {was or 'not known'} gave way to {body.serial.strip()}, {kind}", f"because: {body.why.strip()}", *settings],
        "passes": None, "serial_was": was, "serial": body.serial.strip(), "like_for_like": body.like_for_like,
    }  # fmt: skip
    verdict = f"{was or 'the old device'} gave way to {body.serial.strip()}, {kind}"
    made = swap(
        shared().engine,
        shared().cache,
        path.point,
        texts,
        session_now().account,
        body.name.strip(),
        verdict,
        document,
    )
    if isinstance(made, Planned):
        says = "; ".join(r.says for r in made.refusals) or "the point was changed meanwhile"
        raise ProblemError(409, says, "nothing was signed", "look at the point again")
    return jsonify(record_out(made).model_dump())


def _due_out(
    image: PlantImage, point: int, on: date, day: date, because: str, says: str, routes_of: dict[int, str]
) -> DueOut:
    row = image.row_of(point)
    channel = image.text("channel", row)
    return DueOut(
        point=point, tag=image.label(row), area=image.text("area", row), cabinet=channel.partition("·")[0],
        route=routes_of.get(point, ""), day=on.isoformat(), days=(on - day).days, because=because, says=says,
    )  # fmt: skip


def _day(at: float) -> date:
    return datetime.fromtimestamp(at * DAY_S, UTC).date()
