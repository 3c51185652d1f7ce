"""The project file: out and in gives the same plant; what is not one is told; old files stay readable."""

import json
from pathlib import Path
from typing import Any

import pytest
from tests.building.database import Database

from canaleta.core.model.fields import STORED
from canaleta.exchange.project import Project, ProjectError, load_project, project_of, read_project, written_project
from canaleta.plant.changes.conventions import ConventionEdit, change_conventions
from canaleta.plant.changes.hardware import change_hardware
from canaleta.plant.records.image_cache import ImageCache

OLD = Path(__file__).parent / "version-1.canaleta.json"


def exported(database: Database) -> str:
    with database.engine.connect() as connection:
        return written_project(project_of(connection))


def test_out_and_in_and_out_again_is_the_same_file(database: Database, empty_database: Database) -> None:
    edits = [ConventionEdit("channel_base", "1", "0"), ConventionEdit("namur.good_to_ma", "20.5", "20.8")]
    change_conventions(database.engine, ImageCache(database.engine), edits, "ana")
    text = exported(database)
    with empty_database.owner.begin() as connection:
        assert load_project(connection, read_project(json.loads(text))) == 286
    assert exported(empty_database) == text
    one, other = (ImageCache(d.engine).current() for d in (database, empty_database))
    assert all([str(a) for a in one.cells[f.name]] == [str(b) for b in other.cells[f.name]] for f in STORED)
    assert (other.landed == one.landed).all()
    assert other.layout.cables == one.layout.cables
    assert other.layout.modules == one.layout.modules


def test_spares_that_are_wired_or_off_and_warm_cabinets_go_out_and_come_in(
    database: Database, empty_database: Database
) -> None:
    cabinet = next(iter(ImageCache(database.engine).current().layout.cabinets))
    does = [
        {"do": "wire", "module": 2, "channel": 7},
        {"do": "switch spare", "module": 2, "channel": 6},
        {"do": "change", "what": "cabinet", "id": cabinet, "field": "ambient_degc", "text": "38"},
    ]
    change_hardware(database.engine, ImageCache(database.engine), does, "ana")
    with empty_database.owner.begin() as connection:
        load_project(connection, read_project(json.loads(exported(database))))
    layout = ImageCache(empty_database.engine).current().layout
    assert layout.modules[2].wired == (7,)
    assert layout.modules[2].off == (6,)
    assert [c.ambient_degc for c in layout.cabinets.values() if c.ambient_degc] == [38.0]


def test_a_slot_that_an_older_file_skipped_stays_skipped(empty_database: Database) -> None:
    body = small()
    module = body["cabinets"][0]["racks"][0]["modules"][0]
    body["cabinets"][0]["racks"][0]["modules"] = [module, module | {"slot": 4}]
    body["points"][0]["channel"] = "A-1·1·4·1"
    with empty_database.owner.begin() as connection:
        load_project(connection, read_project(body))
    layout = ImageCache(empty_database.engine).current().layout
    assert [layout.slots[m.id] for m in layout.modules_of(1)] == [1, 2, 3, 4]
    assert layout.type_of(layout.modules_of(1)[1].id).passive


def test_two_cables_of_one_name_are_refused() -> None:
    with pytest.raises(ProjectError, match="two cables are called w-1"):
        read_project(small(cables=[{"name": "W-1", "cores": 2}, {"name": "w-1", "cores": 2}]))


def test_a_file_of_the_first_version_is_still_read(empty_database: Database) -> None:
    with empty_database.owner.begin() as connection:
        assert load_project(connection, read_project(json.loads(OLD.read_text(encoding="utf-8")))) == 2
    image = ImageCache(empty_database.engine).current()
    assert image.text("channel", 0) == "A-1·1·1·1"
    assert image.text("value_high", 0) == "6.00"


def small(**change: Any) -> dict[str, Any]:
    return json.loads(OLD.read_text(encoding="utf-8")) | change


@pytest.mark.parametrize(
    ("document", "says"),
    [
        ([], "no project file"),
        ({"format": "other"}, "no project file"),
        (small(version=2), "version 2; this program reads version 1"),
        (small(points=[{"service": "x"}]), "point 1 has no tag"),
        (small(points=[{"tag": "A", "colour": "red"}]), "point 1: no field “colour”"),
        (small(module_types=[]), "no type “ai8-ui”"),
        (small(name=""), "name"),
        (small(conventions={"mains_hz": 55}), "conventions.mains_hz"),
    ],
)
def test_what_is_no_project_is_told_with_its_place(document: Any, says: str) -> None:
    with pytest.raises(ProjectError) as told:
        read_project(document)
    assert says in str(told.value)


def test_a_cell_that_cannot_be_read_keeps_the_whole_file_out(empty_database: Database) -> None:
    document = read_project(small(points=[{"tag": "PT-1", "device_low": "low"}]))
    with pytest.raises(ProjectError, match="point 1, PT-1: “low” is not a number"), empty_database.owner.begin() as c:
        load_project(c, document)
    with pytest.raises(LookupError):
        ImageCache(empty_database.engine).current()


def test_the_schema_is_published() -> None:
    schema = Project.model_json_schema()
    assert set(schema["required"]) == {"name", "module_types", "cabinets", "points"}
