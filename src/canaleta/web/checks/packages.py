"""Packages of work: who goes through which points on which days, and how far they are."""

from __future__ import annotations

from typing import Annotated

from flask import Response, jsonify
from pydantic import ConfigDict, Field

from canaleta.core.checks.ladder import Rung
from canaleta.core.model.image import PlantImage
from canaleta.core.notation.text import TextError
from canaleta.plant.changes.packages import keep_package
from canaleta.plant.database.locks import PACKAGE_LOCK, RowLock, held
from canaleta.plant.records.packages import Package, packages
from canaleta.web.kit.access import needs, session_now
from canaleta.web.kit.changed import ChangedOut, applied_out
from canaleta.web.kit.problems import PROBLEMS, ProblemError
from canaleta.web.kit.routes import Shape, routes
from canaleta.web.kit.shared import shared

__all__ = ["MOST_POINTS", "PackagePath", "api", "package_named"]

api = routes("packages", __name__, url_prefix="/api", abp_responses=PROBLEMS)
MOST_POINTS = 1000
Day = Annotated[str, Field(pattern=r"^(\d{4}-\d{2}-\d{2})?$")]


class PackageIn(Shape):
    """A package from now on. becomes: its new name, if that changes; people: names of accounts, or of whoever comes; points: in
    the order in which they are gone through."""

    model_config = ConfigDict(extra="forbid")

    becomes: str = Field("", max_length=60)
    people: list[Annotated[str, Field(min_length=1, max_length=80)]] = Field(default_factory=list, max_length=40)
    begins: Day = ""
    ends: Day = ""
    points: list[Annotated[int, Field(ge=0, le=2**62)]] = Field(max_length=MOST_POINTS)
    note: str = Field("", max_length=1000)


class PackageOut(Shape):
    """A package. checked: how many of its points are loop-checked or further; gone: points that are no longer in the list; away:
    who has taken it along, '' for nobody; twice: points that another package has as well."""

    name: str
    people: list[str]
    begins: str
    ends: str
    points: list[int]
    note: str
    checked: int
    gone: int
    away: str
    twice: list[int]


class PackagesOut(Shape):
    """Every package, by the day on which it begins."""

    packages: list[PackageOut]


class PackagePath(Shape):
    """A package by its name."""

    name: str = Field(min_length=1, max_length=60)


@api.get("/packages", responses={200: PackagesOut})
@needs("read")
def all_packages() -> Response:
    """Every package of work, and how far it is."""
    image = shared().image()
    with shared().engine.connect() as connection:
        every, locks = packages(connection), held(connection)
    counted: dict[int, int] = {}
    for one in every:
        for point in one.points:
            counted[point] = counted.get(point, 0) + 1
    out = [_out(image, one, locks, [p for p in one.points if counted[p] > 1]) for one in every]
    return jsonify(PackagesOut(packages=out).model_dump())


@api.put("/packages/<string:name>", responses={200: ChangedOut})
@needs("edit")
def keep(path: PackagePath, body: PackageIn) -> Response:
    """Make a package or change it."""
    if body.begins and body.ends and body.ends < body.begins:
        raise ProblemError(
            422, "it ends before it begins", "nothing was changed", "give the days the other way round"
        )
    points = tuple(dict.fromkeys(body.points))
    name = (body.becomes or path.name).strip()
    people = tuple(dict.fromkeys(x.strip() for x in body.people if x.strip()))
    return _changed(path.name.strip(), Package(0, name, people, body.begins, body.ends, points, body.note.strip()))


@api.delete("/packages/<string:name>", responses={200: ChangedOut})
@needs("edit")
def take_away(path: PackagePath) -> Response:
    """Take a package away; what was signed in it stays."""
    return _changed(path.name, None)


def package_named(name: str) -> Package:
    """A package by its name. Raises ProblemError 404."""
    with shared().engine.connect() as connection:
        one = next((x for x in packages(connection) if x.name == name), None)
    if one is None:
        raise ProblemError(404, f"there is no package “{name}”", remedy="it may have another name by now")
    return one


def _changed(name: str, becomes: Package | None) -> Response:
    try:
        return applied_out(keep_package(shared().engine, shared().cache, name, becomes, session_now().account))
    except LookupError as error:
        raise ProblemError(404, str(error.args[0]), "nothing was changed") from error
    except TextError as error:
        raise ProblemError(422, str(error), "nothing was changed", "choose another name, or other points") from error


def _out(image: PlantImage, one: Package, locks: dict[int, RowLock], twice: list[int]) -> PackageOut:
    there = [image.row_of(point) for point in one.points if image.has(point)]
    status = image.code("status")
    away = sorted({locks[p].who for p in one.points if p in locks and locks[p].kind == PACKAGE_LOCK})
    return PackageOut(
        name=one.name, people=list(one.people), begins=one.begins, ends=one.ends, points=list(one.points),
        note=one.note, checked=sum(int(status[row]) >= Rung.LOOP_CHECKED for row in there),
        gone=len(one.points) - len(there), away=", ".join(away), twice=twice,
    )  # fmt: skip
