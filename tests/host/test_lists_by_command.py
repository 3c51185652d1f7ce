"""A list by the command line: told, asked, answered from a file, kept as a mapping, as JSON; one change set or nothing."""

from __future__ import annotations

import json
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from tests.building.database import Database, fresh_database

from canaleta.cli import main
from canaleta.exchange.project import project_of, written_project
from canaleta.host.cluster import Cluster
from canaleta.plant.changes import seed
from canaleta.plant.changes.undo import NothingToUndo, revert, undo
from canaleta.plant.records.image_cache import ImageCache

pytestmark = pytest.mark.database

LIST = """Cabinet KC-2 rack 1;;;;
Tag;Was es ist;Signal;Range;Slot;Ch
PT-9001;new one;24 V DC;25 bar;;
PT-9002;another;PNP;0-10 bar;;
Total;2;;;
"""


@pytest.fixture
def call(
    database: Database, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> Any:
    """Call import on a text; the exit status and what was said."""
    monkeypatch.setenv("CANALETA_DATABASE_URL", database.owner.url.render_as_string(hide_password=False))

    def called(text: str, *options: str) -> tuple[int, str]:
        file = tmp_path / "list.csv"
        file.write_text(text, encoding="utf-8")
        status = main(["import", str(file), *options])
        told = capsys.readouterr()
        return status, told.out + told.err

    return called


def test_what_is_asked_is_told_with_its_readings_and_nothing_of_it_is_taken_in(call: Any, database: Database) -> None:
    status, said = call(LIST, "--dry-run")
    assert status == 2, "something was left out"
    assert "2 points would be added" in said
    assert "form@signal~signal: NO | NC" in said
    assert "alone@range~device_range: from zero | around zero | high end | left out" in said
    assert "column@wasesist~words: service | left out" in said
    assert ImageCache(database.engine).current().seq == 0


def test_answers_come_from_a_file_and_the_reading_is_kept_as_a_mapping(
    call: Any, database: Database, tmp_path: Path
) -> None:
    answers, kept = tmp_path / "answers.json", tmp_path / "kept.json"
    said = {"form@signal~signal": "NO", "alone@range~device_range": "from zero", "column@wasesist~words": "service"}
    answers.write_text(json.dumps(said))
    status, told = call(LIST, "--answers", str(answers), "--write-map", str(kept))
    assert (status, "2 points were added" in told) == (0, True), told
    image = ImageCache(database.engine).current()
    row = image.row_of(int(image.ids[-2]))
    assert [image.text(n, row) for n in ("tag", "service", "signal", "device_low", "device_high", "device_unit")] == [
        "PT-9001", "new one", "contact NO", "0", "25", "bar",
    ]  # fmt: skip
    # The next list of that kind is read so without a question.
    status, told = call(LIST.replace("900", "910"), "--map", str(kept))
    assert (status, "read as “kept.json” was" in told) == (0, True), told


def test_a_mapping_of_another_list_is_refused(call: Any, tmp_path: Path, database: Database) -> None:
    kept = tmp_path / "kept.json"
    kept.write_text(json.dumps({"look": ["a~tag", "b~words", "c~figure"], "answers": {}}))
    status, said = call(LIST, "--map", str(kept))
    assert (status, "kept for a list that looks otherwise" in said) == (1, True)
    assert ImageCache(database.engine).current().seq == 0


@pytest.mark.parametrize("text", ["[1, 2]", "{", '{"answers": {"a": 1}}', ""])
def test_answers_that_are_none_are_refused(call: Any, tmp_path: Path, text: str) -> None:
    file = tmp_path / "answers.json"
    file.write_text(text)
    status, said = call(LIST, "--answers", str(file))
    assert (status, str(file) in said) == (1, True)


def test_a_column_that_is_taken_for_nothing_there_is_gets_a_sentence(call: Any, tmp_path: Path) -> None:
    file = tmp_path / "answers.json"
    file.write_text(json.dumps({"column@wasesist~words": "colour"}))
    status, said = call(LIST, "--answers", str(file))
    assert (status, "a column cannot be “colour”" in said) == (1, True), said


def test_what_was_read_comes_as_json_row_by_row(call: Any) -> None:
    status, said = call(LIST, "--dry-run", "--json")
    body = json.loads(said)
    assert status == 2
    assert body["lists"][0]["columns"][0]["target"] == "tag"
    assert [(row["row"], row["kind"], row["code"]) for row in body["rows"]] == [
        (3, "added", ""), (4, "added", ""), (5, "out", "total"),
    ]  # fmt: skip
    assert body["rows"][0]["cells"][0] == ["tag", "", "PT-9001"]
    assert {reason["code"] for reason in body["reasons"]} == {"form", "alone"}


def test_a_file_that_is_no_list_changes_nothing(call: Any, database: Database) -> None:
    status, said = call("vendor;service\nOrmeu;b\n")
    assert (status, "no sheet of the file holds a list of points" in said) == (1, True)
    assert ImageCache(database.engine).current().seq == 0


@pytest.fixture
def empty_plant(cluster: Cluster) -> Iterator[Database]:
    """A database as `start --no-demo` leaves it."""
    with fresh_database(cluster, demo=False) as made:
        with made.owner.begin() as connection:
            seed.new_plant(connection, "new plant")
        yield made


def test_a_project_takes_the_place_of_a_plant_in_which_nothing_was_done(
    database: Database,
    empty_plant: Database,
    tmp_path: Path,
    monkeypatch: pytest.MonkeyPatch,
    capsys: pytest.CaptureFixture[str],
) -> None:
    with database.engine.connect() as connection:
        text = written_project(project_of(connection))
    file = tmp_path / "plant.canaleta.json"
    file.write_text(text, encoding="utf-8")
    monkeypatch.setenv("CANALETA_DATABASE_URL", empty_plant.owner.url.render_as_string(hide_password=False))
    cache = ImageCache(empty_plant.engine)
    assert len(cache.current()) == 0, "somebody looks at it"
    assert main(["import", "--dry-run", str(file)]) == 0
    assert len(cache.current()) == 0
    assert main(["import", "--as", "ana", str(file)]) == 0
    assert len(cache.current()) == 286, "whoever has it open sees the project"
    with empty_plant.engine.connect() as connection:
        assert written_project(project_of(connection)) == text
    with pytest.raises(NothingToUndo):
        undo(empty_plant.engine, cache, "ana")
    with pytest.raises(NothingToUndo):
        revert(empty_plant.engine, cache, 1, "ana")
    assert main(["import", str(file)]) == 1
    assert "something was done in it" in capsys.readouterr().err


def test_a_list_comes_into_a_plant_without_racks(
    empty_plant: Database, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    file = tmp_path / "list.csv"
    file.write_text("tag;service;signal;range;mode\nPT-1;gas;4-20 mA;0-10 bar;4-20 mA\nTE-1;oil;Pt100;0-200 °C;\n")
    monkeypatch.setenv("CANALETA_DATABASE_URL", empty_plant.owner.url.render_as_string(hide_password=False))
    assert main(["import", str(file)]) in (0, 2)
    image = ImageCache(empty_plant.engine).current()
    assert [image.text("device_high", row) for row in range(len(image))] == ["10", "200"]
