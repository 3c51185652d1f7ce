"""`generate`, `prove`, `check-code`: files that are written, what is said of them, and with which exit status."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
from tests.building.database import Database

from canaleta.cli import main

Said = pytest.CaptureFixture[str]


@pytest.fixture
def plant(database: Database, monkeypatch: pytest.MonkeyPatch) -> Database:
    monkeypatch.setenv("CANALETA_DATABASE_URL", database.engine.url.render_as_string(hide_password=False))
    return database


@pytest.mark.long
def test_code_is_made_anew_with_what_was_written_by_hand_proved_and_checked(
    plant: Database, capsys: Said, tmp_path: Path
) -> None:
    folder = tmp_path / "code"
    assert main(["generate", str(folder), "--of", "stack"]) == 3
    said = capsys.readouterr()
    assert "TE-2134: no code, it has no channel yet" in said.out + said.err
    assert {f.name for f in folder.iterdir()} == {
        "canaleta_blocks.st",
        "Area_stack.st",
        "Area_stack_whole.st",
        "Area_stack.c",
        "Area_stack.h",
        "canaleta.xml",
        "canaleta_fbd.xml",
        "canaleta_ld.xml",
        "parameters.csv",
    }
    file = folder / "Area_stack.st"
    made = file.read_text()
    file.write_text(made.replace("(* by hand: at the end *)", "(* by hand: at the end *)\nK := K + 1;"))
    assert main(["generate", str(folder), "--of", "Area_stack", "--language", "st"]) == 3
    told = capsys.readouterr()
    assert "Area_stack.st: as it was" in told.out + told.err
    assert "K := K + 1;" in file.read_text()
    assert main(["prove", "--of", "stack", "--from", str(folder), "--json"]) == 0
    (proof,) = json.loads(capsys.readouterr().out)
    assert {p["tag"] for p in proof["points"]} >= {"AT-3120"}
    assert main(["check-code", str(file), str(folder / "canaleta_blocks.st")]) == 0
    assert main(["check-code", str(folder / "canaleta.xml")]) == 0
    capsys.readouterr()

    file.write_text(file.read_text().replace("C1 := ", "C1 := 1", 1))
    assert main(["prove", "--of", "stack", "--from", str(folder)]) == 4
    assert "words give another value" in capsys.readouterr().out
    assert main(["check-code", str(file), str(folder / "canaleta_blocks.st"), "--json"]) == 4
    (finding,) = json.loads(capsys.readouterr().out)
    assert (finding["code"], finding["tag"]) == ("changed", "AT-3120")


def test_a_sheet_is_sealed_and_never_written_over(plant: Database, capsys: Said, tmp_path: Path) -> None:
    sheet = tmp_path / "proof.pdf"
    assert main(["prove", "--of", "stack", "--sheet", str(sheet), "--name", "Ana Serra"]) == 0
    assert b"/ByteRange" in sheet.read_bytes()
    assert main(["prove", "--of", "stack", "--sheet", str(sheet)]) == 1
    assert "exists already" in capsys.readouterr().err


@pytest.mark.parametrize(
    ("words", "says"),
    [
        (["generate", "code", "--of", "nowhere"], "there is no cabinet and no area"),
        (["prove", "--of", "stack", "--from", "nowhere"], "is not there"),
        (["check-code", "nowhere.st"], "No such file"),
        (["check-code", "broken.xml"], "it is no XML"),
    ],
)
def test_trouble_is_told(
    plant: Database, capsys: Said, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, words: list[str], says: str
) -> None:
    monkeypatch.chdir(tmp_path)
    (tmp_path / "broken.xml").write_text("<project")
    assert main(words) == 1
    assert says in capsys.readouterr().err
