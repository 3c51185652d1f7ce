"""`check-plan`, `records`, `dossier`, `verify`: what is to be tested, what was, what is handed over and whether it holds, for
scripts and for people."""

from __future__ import annotations

import csv
import json
import shutil
import sys
from collections.abc import Callable, Mapping, Sequence
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any

from canaleta.core.checks.loopcheck import CheckStep, TestOf, steps_of, tolerance_of
from canaleta.core.checks.progress import BY
from canaleta.core.model.fields import STATIONS, Station
from canaleta.core.model.image import PlantImage
from canaleta.core.notation.text import TextError, begins_formula
from canaleta.core.path.evaluate import describe
from canaleta.core.sheet.entry import station_figure
from canaleta.host.folder import running
from canaleta.host.steps import TroubleError, say, step
from canaleta.host.upkeep import database_of
from canaleta.plant.changes import seed
from canaleta.plant.checks import evidence
from canaleta.plant.checks.evidence import Wanted
from canaleta.plant.records.image_cache import ImageCache
from canaleta.plant.records.packages import packages

__all__ = ["ALTERED", "UNPLANNED", "Asked", "check_plan", "dossier", "records", "verify"]

UNPLANNED, ALTERED = 3, 4
"""Exit statuses: some of the points asked for cannot be tested yet; a dossier is not what was signed."""
MOST_RECORDS = 1_000_000


@dataclass(frozen=True)
class Asked:
    """Which points are meant: by tag, by the parts they belong to, by a package; all where nothing is said."""

    tags: Sequence[str] = ()
    area: str = ""
    cabinet: str = ""
    system: str = ""
    package: str = ""

    def parts(self) -> dict[str, str]:
        """{what the plant is divided by: the part that is meant}."""
        return {by: name for by in ("area", "cabinet", "system") if (name := getattr(self, by))}


def check_plan(data: Path, asked: Asked, test: str, form: str) -> int:
    """The steps of tests: what is put on and what must be read. form: "" for people, json or csv. Returns 0, UNPLANNED if a
    point has nothing to be tested with yet."""
    with database_of(data) as (_, engine), engine.connect() as connection:
        image = _image(connection, engine)
        rows = _rows(image, asked, {p.name: p.points for p in packages(connection)})
    plans = [_plan(image, row, TestOf(test)) for row in rows]
    if form == "json":
        print(json.dumps({"test": test, "points": plans}, ensure_ascii=False, indent=1))
    elif form == "csv":
        head = ("tag", "share_percent", "way", "put_on", "due", "tolerance_percent_of_span", "why_not")
        _print_csv(
            head,
            (
                [p["tag"], s["share_percent"], s["way"], s["put_on"], s["due"], p["tolerance_percent_of_span"], ""]
                for p in plans
                for s in p["steps"]
            ),
        )
    else:
        for plan in plans:
            print(f"{plan['tag']}  {plan['service']}  within {plan['tolerance_percent_of_span']:g} % of span")
            for one in plan["steps"]:
                print(f"  {one['share_percent']:>5g} % {one['way']:<4}  {one['put_on']:>16}  {one['due']:>18}")
            if plan["why_not"]:
                print(f"  ▲ {plan['why_not']}")
    return UNPLANNED if any(p["why_not"] for p in plans) else 0


def records(data: Path, asked: Asked, wanted: Mapping[str, str], form: str) -> int:
    """Signed records, oldest first. wanted: kind, who, passes (yes, no), since and until as days."""
    with database_of(data) as (_, engine), engine.connect() as connection:
        image = _image(connection, engine)
        some = asked.tags or asked.package or asked.parts()
        rows = _rows(image, asked, {p.name: p.points for p in packages(connection)}) if some else None
        lines, _count = evidence.search(connection, _wanted(image, rows, wanted), most=MOST_RECORDS)
    told = [_line(image, line) for line in reversed(lines)]
    if form == "json":
        print(json.dumps(told, ensure_ascii=False, indent=1))
    elif form == "csv":
        head = ("id", "at", "kind", "tag", "who", "name", "passes", "worst", "verdict")
        _print_csv(head, ([one[name] for name in head] for one in told))
    else:
        for one in told:
            print(
                f"{one['id']:>7}  {one['at'][:16]}  {one['tag']:<14} {one['kind']:<13} {one['name']:<18} {one['verdict']}"
            )
    return 0


def dossier(data: Path, file: Path, system: str, name: str) -> int:
    """Write a dossier: as PDF, as ZIP, or as a folder, by what the name ends in."""
    from canaleta.exchange.dossier.folder import write_folder, write_zip
    from canaleta.exchange.dossier.gather import gathered
    from canaleta.exchange.dossier.pdf import dossier_pdf
    from canaleta.exchange.dossier.seal import plant_seal, seal_pdf

    if file.exists():
        raise TroubleError(f"{file} exists already", "choose another name: nothing is written over")
    with database_of(data) as (_, engine):
        with engine.connect() as connection:
            image = _image(connection, engine)
            try:
                made = gathered(connection, image, system, "command line", name)
            except LookupError as error:
                raise TroubleError(str(error.args[0]), "name one of the list's column “system”") from error
        seal = plant_seal(engine)
    with step("writing the dossier"):
        partial = file.with_name(f"{file.name}.part")
        # What an earlier one that was broken off left behind is nobody's.
        if partial.is_dir():
            shutil.rmtree(partial)
        partial.unlink(missing_ok=True)
        if file.suffix == ".pdf":
            dossier_pdf(made, image, partial)
            seal_pdf(partial, seal, name, "handed over")
        elif file.suffix == ".zip":
            write_zip(made, seal, partial)
        else:
            write_folder(made, seal, partial)
        partial.rename(file)
    say(f"  {file}: {len(made.document['points'])} points, {len(made.document['records'])} records")
    return 0


def verify(data: Path | None, file: Path, form: str) -> int:
    """Prove a dossier by itself, and against a plant's database where one is named. Returns 0 or ALTERED."""
    from canaleta.exchange.dossier.prove import prove, prove_against
    from canaleta.exchange.dossier.seal import fingerprint_of, plant_seal

    if not file.exists():
        raise TroubleError(f"{file} is not there", "name the dossier: a PDF, a ZIP file or a folder")
    proof = prove(file)
    if data is not None:
        if not data.exists() and running(data) is None:
            raise TroubleError(f"there is no plant in {data}", "leave --data out to prove the dossier by itself")
        with database_of(data) as (_, engine):
            seal = fingerprint_of(plant_seal(engine))
            with engine.connect() as connection:
                prove_against(proof, connection, seal)
    against = "by itself and against the database" if data is not None else "by itself"
    document = proof.document or {}
    if form == "json":
        body: dict[str, Any] = {
            "sound": proof.sound, "against_database": data is not None, "seal": proof.seal, "records": proof.records,
            "plant": document.get("plant", ""), "system": document.get("system", ""),
            "made_at": document.get("made_at", ""), "faults": [asdict(f) for f in proof.faults],
        }  # fmt: skip
        print(json.dumps(body, ensure_ascii=False, indent=1))
    else:
        if proof.document is not None:
            print(f"{document['plant']}: {document['system'] or 'the whole plant'}, {document['made_at'][:19]}")
        print(f"seal {proof.seal or 'none'}")
        for fault in proof.faults:
            print(f"■ {fault.says}")
        print(f"{proof.records} records; {'sound' if proof.sound else 'NOT what was signed'}, proved {against}")
    return 0 if proof.sound else ALTERED


def _image(connection: Any, engine: Any) -> PlantImage:
    if not seed.has_plant(connection):
        raise TroubleError("there is no plant in this database", "./canaleta start loads the demo plant")
    return ImageCache(engine).caught_up(connection)


def _rows(image: PlantImage, asked: Asked, points_of: Mapping[str, Sequence[int]]) -> list[int]:
    """The rows that are meant, in the list's order; those of a package in its own. Raises TroubleError for a name of nothing."""
    rows = list(range(len(image)))
    if asked.package:
        if asked.package not in points_of:
            raise TroubleError(
                f"there is no package “{asked.package}”", "they are: " + (", ".join(points_of) or "none")
            )
        rows = [image.row_of(p) for p in points_of[asked.package] if image.has(p)]
    for by, name in asked.parts().items():
        parts = BY[by](image)
        if name not in parts:
            raise TroubleError(f"no point belongs to the {by} “{name}”", "look at the list for its exact name")
        rows = [row for row in rows if parts[row] == name]
    if asked.tags:
        known = {image.label(row).casefold(): row for row in rows}
        if missing := [tag for tag in asked.tags if tag.casefold() not in known]:
            raise TroubleError(f"there is no {missing[0]} among these points", "write tags as the list has them")
        rows = [known[tag.casefold()] for tag in asked.tags]
    return rows


def _plan(image: PlantImage, row: int, test: TestOf) -> dict[str, Any]:
    why_not, steps = "", []
    try:
        steps = steps_of(image, row)
    except TextError as error:
        why_not = str(error)
    if not why_not and test is not TestOf.DEVICE and not image.landed[row]:
        why_not = "it holds no channel yet: there is nothing to read"
    put_on = Station.PROCESS if test is TestOf.DEVICE else Station.LOOP
    return {
        "point": int(image.ids[row]), "tag": image.label(row), "service": image.text("service", row),
        "channel": image.text("channel", row), "tolerance_percent_of_span": tolerance_of(image, row, test),
        "why_not": why_not,
        "steps": [
            {
                "share_percent": s.share, "way": s.way, "put_on": _figure(image, row, put_on, s),
                "due": _figure(image, row, test.station, s),
            }
            for s in steps
        ],
    }  # fmt: skip


def _figure(image: PlantImage, row: int, station: Station, one: CheckStep) -> str:
    k = STATIONS.index(station)
    words = describe(image, row)[k]
    by: dict[Station, Callable[[CheckStep], float]] = {
        Station.PROCESS: lambda s: s.process, Station.LOOP: lambda s: s.signal, Station.COUNTS: lambda s: s.counts,
        Station.VALUE: lambda s: s.value,
    }  # fmt: skip
    return f"{station_figure(image, row, k, by[station](one), words.decimals)} {words.unit}".strip()


def _line(image: PlantImage, line: evidence.Line) -> dict[str, Any]:
    told = asdict(line) | {"at": line.at.isoformat(timespec="seconds")}
    return told | {"tag": image.label(image.row_of(line.point)) if image.has(line.point) else ""}


def _wanted(image: PlantImage, rows: Sequence[int] | None, asked: Mapping[str, str]) -> Wanted:
    try:
        since, until = evidence.moments_of(asked.get("since", ""), asked.get("until", ""))
    except ValueError as error:
        raise TroubleError(f"there is no such day: {error}", "write it as 2027-03-31") from error
    return Wanted(
        kind=asked.get("kind", ""), who=asked.get("who", ""), passes={"yes": True, "no": False}.get(asked.get("passes", "")),
        since=since, until=until,
        points=None if rows is None else [int(image.ids[row]) for row in rows],
    )  # fmt: skip


def _print_csv(head: Sequence[str], rows: Any) -> None:
    writer = csv.writer(sys.stdout)
    writer.writerow(head)
    for row in rows:
        writer.writerow(
            [f"'{c}" if isinstance(c, str) and begins_formula(c) else "" if c is None else c for c in row]
        )
