"""Code for the controller: names, mapping, what the figures in it are by hand, and that the proof sees what is wrong in a text."""

from __future__ import annotations

import difflib
from dataclasses import replace
from decimal import Decimal

import numpy as np
import pytest
import tree_sitter_iec61131_3_st
from tests.building.planted import clean_plant
from tests.building.words import layout_with, plant_of
from tree_sitter import Language, Parser

from canaleta.core.live.timing import strip
from canaleta.core.model.conventions import Conventions, Programming
from canaleta.core.model.fields import Landing, field_named, read_cell
from canaleta.core.model.image import PlantImage
from canaleta.core.model.module_type import Mode, ModuleType
from canaleta.core.program.blocks import block_text, parted
from canaleta.core.program.figures import analog_figures
from canaleta.core.program.names import legal, names_for
from canaleta.core.program.network import figure, time_text
from canaleta.core.program.points import Refusal, codes_of
from canaleta.core.program.project import check_project
from canaleta.core.program.proof import Run, prove, read_back
from canaleta.core.program.trying import tried
from canaleta.core.program.unit import UnitText, by_hand, generate, parameters, scopes_of
from canaleta.core.signals.converters import WordForm
from canaleta.core.st import check, read


def unit_of(image: PlantImage, name: str = "") -> UnitText:
    scope = next(s for s in scopes_of(image) if not name or s.name == name)
    return generate(image, scope)


def with_program(image: PlantImage, **rule: object) -> PlantImage:
    return image.with_conventions(image.conventions.model_copy(update={"program": Programming.model_validate(rule)}))


def lines_of(unit: UnitText, tag: str) -> list[str]:
    point = next(c.point for c in unit.codes if c.tag == tag)
    text = unit.text.splitlines()
    return [text[n - 1].strip() for n, of in unit.point_of.items() if of == point]


@pytest.fixture(scope="module")
def plant() -> PlantImage:
    return clean_plant()


# Names.


@pytest.mark.parametrize(
    ("tag", "name"),
    [
        ("PT-3107", "PT_3107"), ("1TE-5", "P_1TE_5"), ("ON", "ON_P"), ("=A1+K2-B3", "A1_K2_B3"), ("Öl/Menge", "Ol_Menge"), ("a__b_", "a_b"),
        ("Ø 5", "O_5"), ("real", "real_P"), ("--", ""),
    ],
)  # fmt: skip
def test_a_tag_becomes_the_nearest_legal_name(tag: str, name: str) -> None:
    assert legal(tag) == name


def test_two_tags_that_become_one_have_no_code_and_neither_has_one_without_letters() -> None:
    found = names_for(["PT-1", "pt 1", "PT-2", ""], Programming())
    assert [n.code for n in found] == ["two become one", "two become one", "", "no name"]
    assert "pt 1" in found[0].says


def test_a_name_longer_than_the_target_takes_is_cut_off_and_told_or_refused() -> None:
    long = names_for(["PRESSURE-OF-THE-RING-MAIN-1"], Programming(longest_name=24))[0]
    assert (long.name, "cut off" in long.renamed) == ("PRESSURE_OF_THE_R", True)
    both = names_for(["PRESSURE-OF-THE-RING-MAIN-1", "PRESSURE-OF-THE-RING-MAIN-2"], Programming(longest_name=24))
    assert [n.code for n in both] == ["too long", "too long"]


def test_a_prefix_begins_a_name() -> None:
    assert names_for(["PT-1"], Programming(prefix="io"))[0].name == "ioPT_1"
    with pytest.raises(ValueError):
        Programming(prefix="9x")


def test_cabinets_whose_names_become_one_keep_programs_of_their_own_and_never_share_an_array() -> None:
    layout = layout_with()
    twin = replace(layout.racks[1], id=2, cabinet=2)
    modules = layout.modules | {9: replace(layout.modules[2], id=9, rack=2, place=1)}
    cabinets = layout.cabinets | {2: replace(layout.cabinets[1], id=2, name="TC 1")}
    both = replace(layout, cabinets=cabinets, racks=layout.racks | {2: twin}, modules=modules)
    image = plant_of(
        "PT-1: 4–20 mA, 0…10 bar, shows 0…10 bar", "PT-2: 4–20 mA, 0…10 bar, shows 0…10 bar", layout=both
    )
    image = image.with_cells({(0, "channel"): Landing(9, 0, True)})
    assert [s.unit for s in scopes_of(image)] == ["IO_TC_1", "IO_TC_1_2"]
    # Slot 2 of one and slot 1 of the other have other arrays; brought to one slot they would have one.
    same = replace(both, modules=modules | {8: replace(layout.modules[1], id=8, rack=2, place=0)})
    clash = image.with_layout(same)
    found = [generate(clash, s) for s in scopes_of(clash)]
    assert sorted(c.tag for u in found for c in u.codes) == ["PT-1", "PT-2"]
    area = clash.with_cells({(0, "area"): "all", (1, "area"): "all"})
    together = unit_of(area, "all")
    assert ([c.tag for c in together.codes], [(r.tag, r.code) for r in together.refused]) == (
        ["PT-2"],
        [("PT-1", "two become one")],
    )


def test_an_array_longer_than_the_target_takes_is_refused() -> None:
    layout = layout_with()
    long = replace(layout, cabinets={1: replace(layout.cabinets[1], name="a cabinet with a very long name")})
    image = plant_of("PT-1: 4–20 mA, 0…10 bar, shows 0…10 bar", layout=long)
    unit = unit_of(image)
    assert ([r.code for r in unit.refused], len(unit.scope.unit) <= 32) == (["too long"], True)
    assert unit_of(with_program(image, longest_name=64)).refused == []


# Literals.


@pytest.mark.parametrize(("value", "of", "text"), [(0.1, "REAL", "0.1"), (1 / 3, "REAL", "0.33333334"), (30000.0, "REAL", "30000.0"), (1e-7, "REAL", "1.0E-7"), (-3e38, "REAL", "-3.0E38"), (1 / 3, "LREAL", "0.3333333333333333")])  # fmt: skip
def test_a_literal_reads_back_as_the_very_same_number(value: float, of: str, text: str) -> None:
    assert figure(value, of) == text
    assert (np.float32 if of == "REAL" else np.float64)(text) == (np.float32 if of == "REAL" else np.float64)(value)


def test_durations() -> None:
    assert [time_text(ms) for ms in (0, 500, 2000, 1500)] == ["T#0ms", "T#500ms", "T#2s", "T#1500ms"]


# Figures.


def test_a_pressure_on_4_to_20_mA_over_0_to_30000_by_hand() -> None:
    """1500 counts a milliampere: 4 mA is 6000, 20 mA 30000. NE 43: failed at and below 3.6 mA = 5400, good from 3.8 mA = 5700 to
    20.5 mA = 30750, failed at and above 21 mA = 31500."""
    kind = layout_with().types["ai8-ui"].model_copy(
        update={"key": "t", "modes": (Mode.model_validate({"name": "0–20 mA", "signal_unit": "mA", "signal": [0, 20], "counts": [0, 30000], "least": 0, "most": 32511}),), "settings": (), "filters": ()}
    )  # fmt: skip
    image = _one(kind)
    found = analog_figures(image, np.array([0]), np.array([-32768.0]), np.array([32767.0]))
    assert (found.c0[0], found.c1[0], found.v0[0], found.v1[0]) == pytest.approx((6000.0, 30000.0, 0.0, 10.0))
    assert (found.bad_to[0], found.doubt_to[0]) == (5400.0, 5699.0)
    assert (found.doubt_from[0], found.bad_from[0]) == (30751.0, 31500.0)
    assert found.after_ms[0] == 4000.0


def _one(kind: ModuleType, **cells: object) -> PlantImage:
    layout = layout_with([kind])
    image = plant_of("PT-1: 4–20 mA, 0…10 bar, shows 0…10 bar, nowhere", layout=layout)
    return image.with_cells(
        {
            (0, "channel"): Landing(4, 0, True),
            (0, "mode"): kind.modes[0].name,
            (0, "counts_low"): None,
            (0, "counts_high"): None,
            **{(0, n): v for n, v in cells.items()},
        }
    )  # type: ignore[dict-item]


# Mapping.


def test_a_wire_moved_changes_one_line(plant: PlantImage) -> None:
    row = list(plant.cells["tag"]).index("PSL-3101")
    before = unit_of(plant, "KC-2")
    module = int(plant.module[row])
    used = {int(c) for m, c in zip(plant.module, plant.channel, strict=True) if m == module}
    free = next(c for c in range(plant.layout.type_of(module).channels) if c not in used)
    moved = unit_of(plant.with_cells({(row, "channel"): Landing(module, free, True)}), "KC-2")
    changed = [line for line in difflib.ndiff(before.text.splitlines(), moved.text.splitlines()) if line[0] in "+-"]
    assert len(changed) == 2
    assert all("PSL_3101_Raw := " in line for line in changed)
    assert before.blocks == moved.blocks


def test_limits_are_the_same_however_many_counts_are_asked_at_once(
    plant: PlantImage, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Few points are asked at fifteen counts between two, very many at the middle alone."""
    one_by_one, several = [], []
    for cheap, into in ((0, one_by_one), (10**6, several)):
        monkeypatch.setattr("canaleta.core.program.figures._CHEAP", cheap)
        into += [generate(plant, scope).text for scope in scopes_of(plant) if scope.kind == "cabinet"]
    assert one_by_one == several
    assert any("BadTo := " in text for text in several)


def test_the_same_list_gives_the_same_bytes(plant: PlantImage) -> None:
    assert unit_of(plant, "KC-2").text == unit_of(clean_plant(), "KC-2").text


def test_a_head_says_node_slot_voltage_current_and_terminals_and_a_line_device_words_and_wire(
    plant: PlantImage,
) -> None:
    text = unit_of(plant, "KC-2").text
    head = text[text.index("(* KC-2, rack 1, slot 1") :].split("*)")[0]
    for told in (
        "DI-16",
        "node 1",
        "DC, 24 V",
        "common at 0 V, the current flows into the module: it sinks",
        "terminals 1",
    ):
        assert told in head
    assert (
        "PSL_3101_Raw := KC_2_1_S01_IX[1]; (* PSL-3101 · burner gas pressure low · contact NO · 0 = low, 1 = healthy · wire"
        in text
    )


def test_spares_are_named_and_spare_outputs_kept_off(plant: PlantImage) -> None:
    text = unit_of(plant, "KC-2").text
    assert "KC_2_1_S01_IX_Spare : ARRAY [1..16] OF BOOL; (* spares" in text
    loops = [line for line in text.splitlines() if "spares stay off" in line]
    assert loops
    assert all(line.startswith("FOR K := 1 TO ") for line in loops)


def test_a_comment_is_never_ended_by_what_people_typed(plant: PlantImage) -> None:
    row = list(plant.cells["tag"]).index("PSL-3101")
    unit = unit_of(plant.with_cells({(row, "service"): "a *) K := 1; (* b\nc", (row, "text_0"): "(*"}), "KC-2")
    library, problems = check([read(unit.blocks), read(unit.text)])
    assert problems == []
    assert len(library.pous["io_kc_2"].body) == len(
        check([read(unit_of(plant, "KC-2").text)])[0].pous["io_kc_2"].body
    )


def test_lines_by_hand_survive(plant: PlantImage) -> None:
    first = unit_of(plant, "KC-2")
    mine = first.text.replace("(* by hand: at the end *)", "(* by hand: at the end *)\nMine := Mine + 1;").replace(
        "  (* by hand: variables *)", "  (* by hand: variables *)\n  Mine : INT;"
    )
    kept = by_hand(mine)
    assert kept == {"at the end": ["Mine := Mine + 1;"], "variables": ["  Mine : INT;"]}
    scope = first.scope
    assert generate(plant, scope, hand=kept).text == mine
    assert generate(plant, scope, hand=kept | {"nowhere": ["X := 1;"]}).lost == {"nowhere": ["X := 1;"]}


def test_an_independent_grammar_reads_all_of_it(plant: PlantImage) -> None:
    parser = Parser(Language(tree_sitter_iec61131_3_st.language()))
    for scope in scopes_of(plant):
        unit = generate(plant, scope)
        assert not parser.parse((unit.blocks + unit.text).encode()).root_node.has_error, scope
        assert check([read(unit.blocks), read(unit.text)])[1] == []


def test_a_whole_text_stands_for_itself(plant: PlantImage) -> None:
    """Blocks, program, and the globals where the standard has them: in a configuration (IEC 61131-3, table 62)."""
    parser = Parser(Language(tree_sitter_iec61131_3_st.language()))
    unit = unit_of(plant, "KC-2")
    assert not parser.parse(unit.whole.encode()).root_node.has_error
    library, problems = check([read(unit.whole)])
    assert problems == []
    assert library.variables.keys() == check([read(unit.text)])[0].variables.keys()
    assert check_project(plant, {"whole.st": unit.whole})[0] == []


def test_every_block_is_read_by_both_in_both_types() -> None:
    parser = Parser(Language(tree_sitter_iec61131_3_st.language()))
    for real in ("REAL", "LREAL"):
        for name in (*parted(real), "CT_Table5", "CT_Curve7", "CT_Bands3", "CT_Line_L"):
            text = block_text(name, real)
            assert not parser.parse(text.encode()).root_node.has_error
            assert check([read(text)])[1] == []


def test_parameters_are_a_row_a_point(plant: PlantImage) -> None:
    rows = parameters([unit_of(plant, "KC-2")]).splitlines()
    head, first = rows[0].split(","), next(r for r in rows if r.startswith("PT-3107,")).split(",")
    told = dict(zip(head, first, strict=True))
    assert (told["name"], told["Line C1"], told["Line V1"], told["Check After"]) == (
        "PT_3107",
        "32000.0",
        "600.0",
        "4000.0",
    )


# Proof.


def test_every_point_of_a_cabinet_is_proved(plant: PlantImage) -> None:
    unit = unit_of(plant, "KC-2")
    kinds = {}
    for code in unit.codes:
        kinds.setdefault((code.kind, tuple(b.type for b in code.network.blocks)), code.point)
    proof = prove(plant, unit, only=kinds.values())
    assert [p for p in proof.points if p.wrong] == []
    assert proof.mapping.wrong == ()
    assert proof.mapping.mapped == len(unit.codes)
    assert all(p.words == 65_536 for p in proof.points if p.tag == "PT-3107")
    assert proof.holds


@pytest.mark.parametrize(
    ("tag", "was", "becomes", "wrong"),
    [
        ("PT-3107", "V1 := 600.0", "V1 := 601.0", "value"),
        ("PT-3107", "C0 := 0.0", "C0 := 1.0", "value"),
        ("PT-3107", "BadTo := ", "BadTo := 1", "quality"),
        ("TE-2101", "Limit := 1150.0", "Limit := 1100.0", "timing"),
        ("TE-2101", "OnDelay := T#10s", "OnDelay := T#1s", "timing"),
        ("FT-3110", "CT_Root", "CT_Line", "value"),
        ("PSL-3101", "PSL_3101 := PSL_3101_Raw", "PSL_3101 := NOT PSL_3101_Raw", "timing"),
        ("ZS-2207", "ZS_2207_Time.Rise", "ZS_2207_Time.Fall", "timing"),
    ],
)
def test_the_proof_sees_what_was_spoiled_in_the_text(
    plant: PlantImage, tag: str, was: str, becomes: str, wrong: str
) -> None:
    unit = unit_of(plant, "KC-2")
    code = next(c for c in unit.codes if c.tag == tag)
    lines = unit.text.splitlines()
    at = next(
        n
        for n, of in unit.point_of.items()
        if of == code.point and was in lines[n - 1] and not lines[n - 1].startswith("(*")
    )
    lines[at - 1] = lines[at - 1].replace(was, becomes, 1)
    proof = prove(plant, unit, "\n".join(lines) + "\n", only=[code.point])
    assert wrong in proof.points[0].wrong
    assert not proof.holds


def test_the_proof_sees_a_mapping_that_is_not_the_lists(plant: PlantImage) -> None:
    unit = unit_of(plant, "KC-2")
    line = next(x for x in unit.text.splitlines() if x.startswith("PSL_3101_Raw := "))
    other = prove(plant, unit, unit.text.replace(line, line.replace("[1]", "[2]")), only=())
    assert any("PSL-3101 is mapped to" in w for w in other.mapping.wrong)
    assert any("[2] is mapped to" in w for w in other.mapping.wrong)
    gone = prove(
        plant, unit, unit.text.replace(line, ""), only=[next(c.point for c in unit.codes if c.tag == "PSL-3101")]
    )
    assert gone.points[0].wrong == ("not in the text",)
    assert "PSL-3101 is not mapped" in gone.mapping.wrong


def test_what_the_module_reports_of_a_channel_makes_it_bad_and_is_mapped_with_it(plant: PlantImage) -> None:
    unit = next(u for s in scopes_of(plant) if (u := generate(plant, s)) and any(c.fault for c in u.codes))
    code = next(c for c in unit.codes if c.fault)
    line = next(x for x in unit.text.splitlines() if x.startswith(f"{code.raw} := "))
    assert f" {code.fault} := {code.channel.array}_Fault[{code.channel.index}]; (*" in line
    assert prove(plant, unit, only=[code.point], timing=False).points[0].wrong == ()
    deaf = prove(plant, unit, unit.text.replace(f", Fault := {code.fault})", ")"), only=[code.point], timing=False)
    assert deaf.points[0].wrong == ("quality",)
    other = unit.text.replace(
        f"_Fault[{code.channel.index}]; (* {code.tag}", f"_Fault[{code.channel.index + 1}]; (* {code.tag}"
    )
    assert any("what the module reports of it" in w for w in prove(plant, unit, other, only=()).mapping.wrong)


def test_status_words_are_taken_apart_for_every_channel_whatever_stands_on_it(plant: PlantImage) -> None:
    """AI-8 U/I reports its channels' faults in one word behind its eight, bit 0 the first channel, 1 a fault."""
    unit = unit_of(plant, "KC-2")
    assert "  KC_2_1_W9 AT %IW1.9 : WORD; (* status *)" in unit.text
    for channel in range(1, 9):
        assert (
            f"KC_2_1_S02_IW_Fault[{channel}] := (KC_2_1_W9 AND 16#{1 << (channel - 1):04X}) <> 16#0000;" in unit.text
        )
    assert prove(plant, unit, only=()).mapping.wrong == ()
    spoiled = unit.text.replace("(KC_2_1_W9 AND 16#0004)", "(KC_2_1_W9 AND 16#0008)")
    assert prove(plant, unit, spoiled, only=()).mapping.wrong == (
        "KC_2_1_S02_IW_Fault[3] is not what the module's status says",
    )
    turned = unit.text.replace("(KC_2_1_W9 AND 16#0001) <> ", "(KC_2_1_W9 AND 16#0001) = ")
    assert "KC_2_1_S02_IW_Fault[1]" in prove(plant, unit, turned, only=()).mapping.wrong[0]


def test_a_text_that_does_not_compile_is_not_proved(plant: PlantImage) -> None:
    unit = unit_of(plant, "KC-2")
    proof = prove(plant, unit, unit.text.replace("PT_3107_Line : CT_Line;", ""), only=[unit.codes[0].point])
    assert any(p.code == "unknown name" for p in proof.problems)
    assert proof.points[0].wrong == ("not in the text",)


def test_a_target_that_rounds_otherwise_or_works_in_long_reals_is_proved_in_its_own_arithmetic(
    plant: PlantImage,
) -> None:
    row = list(plant.cells["tag"]).index("PT-3107")
    for rule in ({"real": "LREAL"}, {"rounding": "cut off"}):
        image = with_program(plant.with_cells({(row, "value_type"): "INT"}), **rule)
        unit = unit_of(image, "KC-2")
        found = prove(image, unit, only=[int(plant.ids[row])]).points[0]
        # Cutting off loses up to one unit, rounding a half.
        assert found.wrong == (() if "real" in rule else ("value", "timing"))
        assert found.units == pytest.approx(0.5 if "real" in rule else 1.0, abs=0.02)


def test_a_whole_number_with_a_decimal_is_multiplied_before_it_is_rounded(plant: PlantImage) -> None:
    """Times ten, the code is off by half of a tenth at most, and the text says how."""
    row = list(plant.cells["tag"]).index("PT-3107")
    image = plant.with_cells({(row, "value_type"): "INT", (row, "value_factor"): Decimal(10)})
    unit = unit_of(image, "KC-2")
    assert "PT_3107_Times(X := " in unit.text
    found = prove(image, unit, only=[int(plant.ids[row])]).points[0]
    assert found.wrong == ()
    assert found.units == pytest.approx(0.5, abs=0.02)


@pytest.mark.parametrize(
    "form",
    [
        {"coding": "offset binary"}, {"coding": "unsigned"}, {"used_bits": 12}, {"used_bits": 12, "coding": "offset binary"},
        {"used_bits": 13, "low_bit": 3}, {"bits": 32}, {"bits": 32, "order": "CDAB"}, {"bits": 32, "order": "DCBA", "coding": "unsigned"},
        {"bits": 32, "kind": "float"}, {"bits": 32, "kind": "float", "order": "BADC"},
    ],
)  # fmt: skip
def test_every_form_of_a_number_that_is_read_is_proved(form: dict[str, object]) -> None:
    word = WordForm.model_validate(form)
    base = layout_with().types["ai8-ui"]
    most = min(word.most, 4000.0)
    mode = Mode.model_validate(
        {
            "name": "0–20 mA",
            "signal_unit": "mA",
            "signal": [0, 20],
            "counts": [0, most * 0.9],
            "least": 0 if word.kind == "whole" else -1e6,
            "most": most if word.kind == "whole" else 1e6,
            "rounding": "none" if word.kind == "float" else "nearest",
        }
    )
    registers = tuple(
        r.model_copy(update={"count": 8 * word.words}) for r in base.registers if r.holds == "channel words"
    )
    kind = base.model_copy(
        update={
            "key": "w",
            "word": word,
            "modes": (mode,),
            "registers": registers,
            "settings": (),
            "filters": (),
            "status": None,
            "status_words": (),
        }
    )
    image = _one(kind)
    unit = unit_of(image)
    proof = prove(image, unit)
    assert [(p.wrong, p.says, p.faults) for p in proof.points] == [((), "", ())]


@pytest.mark.parametrize("form", [{"bits": 64}, {"kind": "BCD"}, {"order": "BADC"}])
def test_a_form_that_is_not_read_is_refused_with_its_reason(form: dict[str, object]) -> None:
    word = WordForm.model_validate(form)
    base = layout_with().types["ai8-ui"]
    mode = base.modes[0].model_copy(update={"least": 0.0, "most": 9999.0})
    registers = tuple(
        r.model_copy(update={"count": 8 * word.words}) for r in base.registers if r.holds == "channel words"
    )
    kind = base.model_copy(
        update={
            "key": "w",
            "word": word,
            "modes": (mode,),
            "registers": registers,
            "settings": (),
            "filters": (),
            "status": None,
            "status_words": (),
        }
    )
    codes, refused = codes_of(_one(kind))
    assert (codes, [r.code for r in refused]) == ([], ["word form"])


def test_points_without_code_say_why() -> None:
    image = plant_of(
        "PT-1: 4–20 mA, 0…10 bar, shows 0…10 bar",
        "pt 1: 4–20 mA, 0…10 bar, shows 0…10 bar",
        "PT-2: 4–20 mA, 0…10 bar, shows 0…10 bar, nowhere",
    )
    codes, refused = codes_of(image)
    assert codes == []
    assert {r.tag: r.code for r in refused} == {
        "PT-1": "two become one",
        "pt 1": "two become one",
        "PT-2": "no channel",
    }


def test_a_table_through_which_real_cannot_go_is_refused() -> None:
    image = plant_of("PT-1: 4–20 mA, 0…10 bar, shows 0…10 bar")
    image = image.with_cells({(0, "value_law"): "table", (0, "value_table"): "0 0; 1 1; 1.00000001 2; 10 3"})
    assert [r.code for r in codes_of(image)[1]] == ["table"]
    assert codes_of(with_program(image, real="LREAL"))[1] == []


@pytest.mark.parametrize(
    "cells",
    [
        {"value_law": "table", "value_table": "0 0; 2 5; 7 6; 10 10"},
        {"value_law": "table, cubic", "value_table": "0 0; 2 5; 7 6; 10 10"},
        {"value_law": "table", "value_table": "0 10; 4 7; 10 0"},
        {"value_law": "square root", "value_cutoff": "5"},
        {"below": "clamp", "above": "clamp"}, {"below": "hold last", "above": "substitute", "substitute": "3"},
        {"on_failure": "hold last"}, {"on_failure": "up-scale"}, {"on_failure": "substitute", "substitute": "2"},
        {"smoothing_s": "2", "alarm_h": "8", "alarm_h_deadband": "0.5", "alarm_h_delay": "1", "alarm_h_off_delay": "2"},
        {"on_at": "4", "off_at": "3", "stretch": "500"}, {"on_at": "3", "off_at": "4", "on_delay": "700"},
        {"bands": "low < 2 < mid < 5 < high", "bands_deadband": "0.3"},
        {"alarm_dev": "1", "alarm_dev_from": "5", "alarm_ll": "1", "alarm_ll_deadband": "0.2", "alarm_fault": "yes", "alarm_fault_delay": "1"},
        {"value_type": "INT"}, {"alarm_rate": "20", "alarm_rate_delay": "0.5"}, {"value_form": "slope and offset", "slope": "0.001", "offset": "-3"},
        {"counts_low": "2000", "counts_high": "500"},
    ],
)  # fmt: skip
def test_each_law_and_each_policy_is_proved(cells: dict[str, str]) -> None:
    image = plant_of("PT-1: 4–20 mA, 0…10 bar, shows 0…10 bar")
    stored = {(0, n): v for name, text in cells.items() for n, v in read_cell(field_named(name), text).items()}
    image = image.with_cells(stored)
    proof = prove(image, unit_of(image))
    assert [(p.tag, p.wrong, p.says, p.faults) for p in proof.points] == [("PT-1", (), "", ())]


@pytest.mark.parametrize("cells", [{"debounce": "300"}, {"debounce": "250", "counts_on": "both", "preset": "10", "pulse_value": "2.5"}, {"on_delay": "400", "off_delay": "200", "stretch": "900"}, {"acting": "reverse", "off_delay": "600"}, {"alarm_state": "1", "alarm_state_delay": "1"}])  # fmt: skip
def test_what_a_contact_goes_through_is_proved(cells: dict[str, str]) -> None:
    image = plant_of("LS-1: contact NO")
    choices = field_named("counts_on").choices
    typed = {n: choices[2] if t == "both" else t for n, t in cells.items()}
    stored = {(0, n): v for name, text in typed.items() for n, v in read_cell(field_named(name), text).items()}
    image = image.with_cells(stored)
    proof = prove(image, unit_of(image))
    assert [(p.tag, p.wrong, p.says) for p in proof.points] == [("LS-1", (), "")]


def test_a_light_barrier_of_500_ms_that_counts_to_ten() -> None:
    """Ten objects of one second each, each with a flutter of 100 ms: one count an object, done at the tenth."""
    image = plant_of("LS-1: contact NO")
    stored = {
        (0, n): v
        for name, text in {
            "debounce": "500",
            "counts_on": field_named("counts_on").choices[0],
            "preset": "10",
        }.items()
        for n, v in read_cell(field_named(name), text).items()
    }
    image = image.with_cells(stored)
    given = [(0.0, 0.0)]
    for k in range(10):
        given += [(2.0 * k + 0.5, 1.0), (2.0 * k + 0.6, 0.0), (2.0 * k + 0.7, 1.0), (2.0 * k + 1.7, 0.0)]
    times = np.arange(0.0, 21.0, 0.05)
    made = tried(image, given, times)
    assert not isinstance(made, Refusal)
    assert made.counted[-1] == 10
    shown = strip(image, 0, given, 20.95, 0.05)
    assert (made.counted == shown.counted).all()
    assert (made.state == shown.state).all()
    # The first object counts when it has stood for 500 ms behind its flutter: at 0.7 s + 0.5 s.
    assert times[np.flatnonzero(made.counted == 1)[0]] == pytest.approx(1.2)


@pytest.mark.parametrize(
    ("signal", "unit", "counts"), [("Pt100", "Ω", (0, 4000)), ("TC K", "mV", (-1000, 6000)), ("TC S", "mV", (-100, 2000))]
)  # fmt: skip
def test_a_sensors_curve_is_proved_where_the_module_counts_ohms_or_millivolts(
    signal: str, unit: str, counts: tuple[int, int]
) -> None:
    base = layout_with().types["ai8-ui"]
    low, high = (c / 100.0 if unit == "mV" else c / 10.0 for c in counts)
    family = "thermocouple" if unit == "mV" else "resistance"
    mode = Mode.model_validate(
        {
            "name": "raw",
            "family": family,
            "signal_unit": unit,
            "signal": [low, high],
            "counts": list(counts),
            "least": counts[0] - 100,
            "most": counts[1] + 100,
        }
    )
    kind = base.model_copy(update={"key": "r", "modes": (mode,), "settings": (), "filters": ()})
    image = _one(kind)
    cells = {
        "signal": signal,
        "value_law": "sensor curve",
        "value_unit": "°C",
        "value_low": str(low),
        "value_high": str(high),
    }
    image = image.with_cells({(0, n): None for n in ("device_low", "device_high", "device_unit")})
    image = image.with_cells(
        {(0, n): v for name, text in cells.items() for n, v in read_cell(field_named(name), text).items()}
    )
    made = unit_of(image)
    assert "CT_Curve" in made.text, made.refused
    proof = prove(image, made).points[0]
    assert (proof.wrong, proof.says) == ((), "")
    # Near −270 °C a hundredth of a count is more than a hundredth of a degree.
    assert proof.units < 0.04
    assert proof.counts < 0.01


def test_pulses_that_a_module_counts_are_counted_on_over_its_end(plant: PlantImage) -> None:
    unit = unit_of(plant, "KC-2")
    code = next(c for c in unit.codes if c.tag == "FQ-3115")
    assert any(b.type.startswith("CT_Pulses") for b in code.network.blocks)
    assert prove(plant, unit, only=[code.point]).points[0].wrong == ()
    run = Run(read_back(unit.text, unit.blocks, "IO_KC_2"), unit.target, code)
    run.fresh()
    most = float(plant.layout.mode_table.numbers["most"][plant.mode[code.row]])
    told = []
    for k, count in enumerate((most - 3, most, 1.0, 4.0)):
        pair = code.channel.form.words_of([count])[0].astype(np.uint32)
        word = (pair[0] << np.uint32(16)) | pair[1] if len(pair) == 2 else pair[0]
        run.at(word, 100 * k)
        told.append(float(run.value(f"{code.name}_Num", 1)[0]))
    # Three to its end, two over it (the end itself is followed by zero), three on.
    assert told == [0.0, 3.0, 5.0, 8.0]


def test_an_output_gives_every_count_back(plant: PlantImage) -> None:
    unit = next(u for s in scopes_of(plant) if (u := generate(plant, s)) and any(c.kind == "AO" for c in u.codes))
    points = [c.point for c in unit.codes if c.kind == "AO"]
    proof = prove(plant, unit, only=points)
    assert points
    assert [(p.differ, p.counts) for p in proof.points] == [(0, 0.0)] * len(points)


def test_a_rule_for_controllers_is_the_plants() -> None:
    assert Conventions().program.real == "REAL"
    image = plant_of("PT-1: 4–20 mA, 0…10 bar, shows 0…10 bar")
    assert "PT_1 : LREAL;" in unit_of(with_program(image, real="LREAL")).text
    assert "xPT_1 := xPT_1_Line.V;" in unit_of(with_program(image, prefix="x")).text


def test_a_wide_counter_is_worked_out_in_long_reals(plant: PlantImage) -> None:
    told = "\n".join(lines_of(unit_of(plant, "KC-2"), "FQ-3115"))
    assert "CT_Line_L" in told
    assert "_TO_LREAL(" in told


def test_scopes_are_cabinets_and_areas(plant: PlantImage) -> None:
    found = scopes_of(plant)
    assert [s.unit for s in found if s.kind == "cabinet"] == ["IO_GL_1", "IO_KC_1", "IO_KC_2", "IO_SD_1"]
