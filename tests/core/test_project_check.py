"""A project that is brought back: every kind of fault is planted in it, and each is found at its place and nowhere else."""

from __future__ import annotations

import pytest
from tests.building.planted import clean_plant

from canaleta.core.model.image import PlantImage
from canaleta.core.program.project import CODES, CodeFinding, check_project
from canaleta.core.program.unit import BLOCKS_FILE, UnitText, generate, scopes_of


@pytest.fixture(scope="module")
def plant() -> PlantImage:
    return clean_plant()


@pytest.fixture(scope="module")
def unit(plant: PlantImage) -> UnitText:
    return generate(plant, next(s for s in scopes_of(plant) if s.name == "KC-2"))


def found(
    plant: PlantImage, unit: UnitText, text: str | None = None, blocks: str | None = None, issue: str = ""
) -> list[CodeFinding]:
    files = {unit.file: unit.text if text is None else text, BLOCKS_FILE: unit.blocks if blocks is None else blocks}
    return check_project(plant, {name: text for name, text in files.items() if text}, issue)[0]


def line_with(unit: UnitText, words: str) -> tuple[int, str]:
    return next((n, line) for n, line in enumerate(unit.text.splitlines(), start=1) if words in line)


def test_what_was_generated_has_nothing_to_settle_however_it_is_written(plant: PlantImage, unit: UnitText) -> None:
    assert found(plant, unit) == []
    assert found(plant, unit, unit.text.replace("\n", "\r\n")) == []
    assert found(plant, unit, unit.text.replace("PT_3107_Line(X", "pt_3107_line( (* mine *)\n X")) == []
    both = unit.blocks + unit.text
    assert check_project(plant, {"all.st": both})[0] == []


@pytest.mark.parametrize(
    ("was", "becomes", "code", "tag"),
    [
        ("PT_3107_Line(X", None, "missing call", "PT-3107"),
        ("PSL_3101_Raw := ", None, "missing line", "PSL-3101"),
        ("V1 := 600.0", "V1 := 601.0", "changed", "PT-3107"),
        ("PSL_3101_Raw := KC_2_1_S01_IX[1]", "PSL_3101_Raw := KC_2_1_S01_IX[2]", "changed", "PSL-3101"),
        ("PSL_3101_Raw := KC_2_1_S01_IX[1]", "PSL_3101_Raw := KC_2_1_S01_IX[17]", "bound", ""),
        ("PT_3107_Raw : INT;", "PT_3107_Raw : DINT;", "declared otherwise", "PT-3107"),
        ("AT %IX1.0.0", "AT %IX1.1.0", "changed", ""),
        ("(* Values. *)", "(* Values. *)\nK := 3;", "foreign", ""),
        ("(* by hand: at the end *)", "(* by hand: at the end *)\nFOR K := 0 TO 16 DO KC_2_1_S01_IX[K] := FALSE; END_FOR", "bound", ""),
        ("(* by hand: at the end *)", "(* by hand: at the end *)\nK := K / 2;", "integer division", ""),
        ("(* by hand: at the end *)", "(* by hand: at the end *)\nK := ZS_2207_Num;", "narrowing", ""),
        ("(* by hand: at the end *)", "(* by hand: at the end *)\nNowhere := 1;", "does not compile", ""),
        ("  PT_3107_Line : CT_Line;\n", "", "does not compile", ""),
        ("END_PROGRAM", "END_PROGRA", "unreadable", ""),
    ],
)  # fmt: skip
def test_a_fault_is_found_where_it_is(
    plant: PlantImage, unit: UnitText, was: str, becomes: str | None, code: str, tag: str
) -> None:
    at, line = line_with(unit, was.split("\n")[0])
    text = unit.text.replace(line + "\n", "", 1) if becomes is None else unit.text.replace(was, becomes, 1)
    assert text != unit.text
    findings = found(plant, unit, text)
    mine = [f for f in findings if f.code == code]
    assert mine, [(f.code, f.says) for f in findings]
    assert not tag or tag in [f.tag for f in mine]
    if becomes is not None and code not in ("declared otherwise", "unreadable", "does not compile"):
        assert any(abs(f.line - at) <= 1 for f in mine)


def test_a_block_that_was_changed_or_is_missing(plant: PlantImage, unit: UnitText) -> None:
    changed = found(plant, unit, blocks=unit.blocks.replace("Beyond := NOT Told AND", "Beyond :=", 1))
    assert [(f.code, f.unit) for f in changed] == [("changed block", "CT_Check")]
    begins = unit.blocks.index("FUNCTION_BLOCK CT_Line")
    gone = (
        unit.blocks[:begins]
        + unit.blocks[unit.blocks.index("END_FUNCTION_BLOCK", begins) + len("END_FUNCTION_BLOCK") :]
    )
    assert {"missing unit"} <= {f.code for f in found(plant, unit, blocks=gone)}


def test_code_of_another_issue(plant: PlantImage, unit: UnitText) -> None:
    old = generate(plant, unit.scope, "B").text
    assert [f.code for f in found(plant, unit, old, issue="C")] == ["other issue"]
    assert found(plant, unit, old, issue="B") == []


def test_a_list_that_went_on_shows_what_the_code_has_not(plant: PlantImage, unit: UnitText) -> None:
    row = list(plant.cells["tag"]).index("PT-3107")
    later = plant.with_cells({(row, "alarm_h"): 500, (row, "alarm_hh"): 550})
    findings = found(later, unit)
    assert {f.tag for f in findings} <= {"PT-3107", ""}
    assert "changed" in {f.code for f in findings} or "missing call" in {f.code for f in findings}


def test_a_project_without_anything_of_this_plant(plant: PlantImage) -> None:
    findings, scopes = check_project(plant, {"x.st": "PROGRAM Other END_PROGRAM"})
    assert ([f.code for f in findings], scopes) == (["nothing of ours"], [])


def test_every_code_says_what_it_is() -> None:
    assert {rule for rule, _ in CODES.values()} == {"", "R14", "R28", "R29"}
