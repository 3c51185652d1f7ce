"""`audit`: what it says and with which exit status, for a file and for the database."""

import contextlib
import io
import json
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from tests.building.database import Database

from canaleta.cli import main
from canaleta.exchange.project import image_of, project_of, read_project, written_project
from canaleta.plant.changes.accepting import lift, waive
from canaleta.plant.records.findings import stored_findings
from canaleta.plant.records.image_cache import ImageCache


@pytest.fixture
def file(database: Database, tmp_path: Path) -> Path:
    with database.engine.connect() as connection:
        text = written_project(project_of(connection))
    path = tmp_path / "plant.canaleta.json"
    path.write_text(text, encoding="utf-8")
    return path


def without(file: Path, *tags: str) -> None:
    """Take points out of a project file."""
    body = json.loads(file.read_text())
    body["points"] = [point for point in body["points"] if point["tag"] not in tags]
    file.write_text(json.dumps(body))


def test_what_is_bad_is_told_first_and_ends_with_four(file: Path, capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["audit", str(file)]) == 4
    told = capsys.readouterr().out
    assert told.startswith("■ bad  R")
    assert "at 12 mA the list shows 250.0 mbar where the pipe holds 300.0" in told
    assert "PT-1501, PT-1502, PT-1503, PT-1504, PT-1505, PT-1506  (6 places of one cause: AI-8" in told
    assert "Vallroja Tileworks: 286 points, 3 bad, 11 settle, 5 note" in told


def test_without_what_is_bad_it_ends_with_three_and_without_anything_with_none(file: Path) -> None:
    faulty = {tag for body in _audited(file)["findings"] if body["severity"] == "bad" for tag in body["tags"]}
    without(file, *faulty)
    assert main(["audit", str(file)]) == 3
    without(file, *(tag for body in _audited(file)["findings"] for tag in body["tags"]))
    assert main(["audit", str(file)]) == 0


def test_as_json_each_finding_names_its_tags_its_cells_and_its_cost(file: Path) -> None:
    body = _audited(file)
    assert (body["plant"], body["points"], body["bad"]) == ("Vallroja Tileworks", 286, 3)
    (found,) = [f for f in body["findings"] if f["rule"] == "R43"]
    assert (found["tags"], found["station"], found["harm"]) == (["TE-2103"], "LOOP", "falsifies")


def test_what_was_accepted_goes_with_the_file_until_its_facts_change(database: Database, file: Path) -> None:
    cache = ImageCache(database.engine)
    with database.engine.connect() as connection:
        bad = [body["key"] for body in stored_findings(connection) if body["severity"] == "bad"]
    waive(database.engine, cache, bad, "for training", "ana")
    with database.engine.connect() as connection:
        file.write_text(written_project(project_of(connection)), encoding="utf-8")
    body = _audited(file)
    assert (body["bad"], body["accepted"]) == (0, 3)
    text = file.read_text().replace('"head_degc": "45"', '"head_degc": "46"')
    file.write_text(text)
    assert _audited(file)["bad"] == 1, "the wrong wire makes another error now"
    lift(database.engine, cache, bad[:1], "ana")
    with database.engine.connect() as connection:
        assert len(project_of(connection).waivers) == 2


def test_what_is_no_project_is_said_so(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    path = tmp_path / "list.json"
    path.write_text("{}")
    assert main(["audit", str(path)]) == 1
    assert "this is no project file" in capsys.readouterr().err
    assert main(["audit", str(tmp_path / "nothing.json")]) == 1


def test_the_rules_are_printed_with_what_they_look_at(capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["audit", "--rules"]) == 0
    assert "R43   the wrong extension wire" in capsys.readouterr().out


def _audited(file: Path) -> dict[str, Any]:
    out = io.StringIO()
    with contextlib.redirect_stdout(out):
        main(["audit", str(file), "--json"])
    body: dict[str, Any] = json.loads(out.getvalue())
    return body


def test_a_project_has_one_image_whether_loaded_or_not(database: Database, file: Path) -> None:
    image, loaded = image_of(read_project(json.loads(file.read_text()))), ImageCache(database.engine).current()
    assert [list(image.cells[n]) for n in ("tag", "mode", "value_high")] == [
        list(loaded.cells[n]) for n in ("tag", "mode", "value_high")
    ]


def changed(file: Path, change: Callable[[dict[str, Any]], object]) -> None:
    body = json.loads(file.read_text())
    change(body)
    file.write_text(json.dumps(body))


def test_a_file_that_the_schema_refuses_in_part_is_audited_for_the_rest(
    file: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    before = _audited(file)
    elsewhere = [f for f in before["findings"] if f["tags"] == ["TE-2103"]]

    def spoil(body: dict[str, Any]) -> None:
        body["version"] = 7
        body["made_by"] = "somebody else"
        body["points"][0]["colour"] = "red"
        body["points"][1]["range"] = {"low": 1}
        body["points"][2]["device_high"] = "five hundred"
        body["points"].insert(1, {"service": "nobody knows"})
        body["cabinets"][0]["racks"][0]["port"] = 99_999
        body["waivers"] = [{"rule": 3}]

    changed(file, spoil)
    body = _audited(file)
    assert {(one["place"], one["kind"]) for one in body["left_out"]} == {
        ("version", "version"), ("made_by", "extra_forbidden"), ("points.0.colour", "unknown field"),
        ("points.2.range", "unknown field"), ("points.3.device_high", "cell"), ("points.1", "missing"),
        ("cabinets.0.racks.0.port", "less_than_equal"), ("waivers.0", "missing"),
    }  # fmt: skip
    assert body["points"] == 286
    assert [f for f in body["findings"] if f["tags"] == ["TE-2103"]] == elsewhere
    assert {f["key"] for f in body["findings"]} <= {f["key"] for f in before["findings"]}
    assert main(["audit", str(file)]) == 4
    told = capsys.readouterr().out
    assert told.startswith("? 8 parts of the file were not read; the rest was audited")
    assert "Input should be less than or equal to 65535" in told


def test_a_module_type_that_is_refused_goes_with_its_modules_and_nothing_wrong_is_said_of_them(file: Path) -> None:
    def spoil(body: dict[str, Any]) -> None:
        kind = next(k for k in body["module_types"] if k["key"] == "rtd6")
        kind["channels"] = "eight"

    before = _audited(file)
    changed(file, spoil)
    after = _audited(file)
    places = {one["kind"] for one in after["left_out"]}
    assert {"unknown type", "cell"} <= places
    assert {f["key"] for f in after["findings"] if f["cells"]} < {f["key"] for f in before["findings"]}


def test_with_something_left_out_it_never_ends_well(file: Path) -> None:
    without(file, *(tag for body in _audited(file)["findings"] for tag in body["tags"]))
    assert main(["audit", str(file)]) == 0
    changed(file, lambda body: body["points"][0].update(colour="red"))
    assert main(["audit", str(file)]) == 3


def test_for_other_tools_it_is_sarif(file: Path, database: Database, capsys: pytest.CaptureFixture[str]) -> None:
    """What SARIF 2.1.0 asks of a log, a run, a rule and a result (OASIS, sections 3.13, 3.14, 3.27, 3.49)."""
    with database.engine.connect() as connection:
        bad = [body["key"] for body in stored_findings(connection) if body["severity"] == "bad"]
    waive(database.engine, ImageCache(database.engine), bad[:1], "for training", "ana")
    with database.engine.connect() as connection:
        file.write_text(written_project(project_of(connection)), encoding="utf-8")
    assert main(["audit", "--sarif", str(file)]) == 4
    log = json.loads(capsys.readouterr().out)
    assert log["version"] == "2.1.0"
    (run,) = log["runs"]
    rules = run["tool"]["driver"]["rules"]
    assert len({rule["id"] for rule in rules}) == len(rules)
    findings = _audited(file)["findings"]
    assert len(run["results"]) == len(findings)
    for result, finding in zip(run["results"], findings, strict=True):
        assert rules[result["ruleIndex"]]["id"] == result["ruleId"] == finding["rule"]
        assert result["message"]["text"] == finding["text"]
        assert result["level"] == {"bad": "error", "settle": "warning", "note": "note"}[finding["severity"]]
        assert result["partialFingerprints"]["finding/v1"] == finding["key"]
        (location,) = result["locations"]
        names = [one["name"] for one in location.get("logicalLocations", ())]
        assert list(dict.fromkeys(names)) == finding["tags"]
    (accepted,) = [one for one in run["results"] if "suppressions" in one]
    assert accepted["suppressions"][0]["justification"] == "for training (ana)"
