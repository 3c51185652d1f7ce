"""PLCopen XML (IEC 61131-10, namespace tc6_0201): projects written with structured text in them, and projects that are brought back,
whose units become structured text again.

A document that is brought back may be anybody's: entities and external references are refused, and its size and depth are bounded.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from xml.etree.ElementTree import Element, SubElement, tostring

from defusedxml.common import DefusedXmlException
from defusedxml.ElementTree import ParseError, fromstring

from canaleta.core.program.unit import UnitText
from canaleta.core.st import read
from canaleta.core.st.kinds import DTYPES
from canaleta.core.st.tree import Array, Initial, Literal, Pou, Type, Variable

__all__ = ["NAMESPACE", "Tc6Error", "project_xml", "texts_of"]

NAMESPACE = "http://www.plcopen.org/xml/tc6_0201"
XHTML = "http://www.w3.org/1999/xhtml"
LARGEST = 64_000_000
DEEPEST = 200
MADE_AT = "2000-01-01T00:00:00"
"""The day that every document says: the same list gives the same bytes."""
_SECTIONS = {"VAR_INPUT": "inputVars", "VAR_OUTPUT": "outputVars", "VAR_IN_OUT": "inOutVars", "VAR_EXTERNAL": "externalVars", "VAR": "localVars"}  # fmt: skip
_KINDS = {"PROGRAM": "program", "FUNCTION_BLOCK": "functionBlock", "FUNCTION": "function"}
_ELEMENTARY = {name.lower(): name for name in (*DTYPES, "STRING")}


class Tc6Error(ValueError):
    """A document that cannot be read. code: "not xml", "entities", "too large", "too deep", "another dialect", "no units"; line: where,
    0 if that is not known."""

    def __init__(self, code: str, says: str, line: int = 0) -> None:
        super().__init__(says)
        self.code, self.says, self.line = code, says, line


@dataclass(frozen=True)
class _Parted:
    """A unit's tree and its body as it was written."""

    pou: Pou
    body: str


def project_xml(units: Iterable[UnitText], name: str) -> bytes:
    """A project with the programs of some units and the blocks that they need."""
    units = list(units)
    root = Element("project", {"xmlns": NAMESPACE, "xmlns:xhtml": XHTML})
    SubElement(
        root,
        "fileHeader",
        {"companyName": "Canaleta", "productName": "Canaleta", "productVersion": "1", "creationDateTime": MADE_AT},
    )
    content = SubElement(root, "contentHeader", {"name": name})
    coordinates = SubElement(content, "coordinateInfo")
    for language in ("fbd", "ld", "sfc"):
        SubElement(SubElement(coordinates, language), "scaling", {"x": "1", "y": "1"})
    types = SubElement(root, "types")
    SubElement(types, "dataTypes")
    pous = SubElement(types, "pous")
    blocks: dict[str, _Parted] = {}
    for unit in units:
        for one in _parted(unit.blocks):
            blocks[one.pou.name] = one
    for one in blocks.values():
        _pou(pous, one)
    instances = SubElement(SubElement(root, "instances"), "configurations")
    configuration = SubElement(instances, "configuration", {"name": "Plant"})
    resource = SubElement(configuration, "resource", {"name": "Controller"})
    period = units[0].target.period_ms if units else 100.0
    task = SubElement(resource, "task", {"name": "Scan", "interval": f"T#{round(period)}ms", "priority": "1"})
    globals_at = SubElement(resource, "globalVars")
    for unit in units:
        for one in _parted(unit.text):
            _pou(pous, one)
            SubElement(task, "pouInstance", {"name": f"{one.pou.name}_1", "typeName": one.pou.name})
        for v in read(unit.text).variables:
            _variable(globals_at, v)
    return b'<?xml version="1.0" encoding="utf-8"?>\n' + bytes(tostring(root, encoding="utf-8")) + b"\n"


def _parted(text: str) -> Iterator[_Parted]:
    """The units of a generated text with their bodies, letter by letter."""
    source = read(text)
    lines = text.splitlines(keepends=True)
    starts = [pou.line for pou in source.pous]
    for pou, begins, ends in zip(source.pous, starts, [*starts[1:], len(lines) + 1], strict=True):
        own = lines[begins - 1 : ends - 1]
        last = max(n for n, line in enumerate(own) if line.strip() == "END_VAR")
        stop = max(n for n, line in enumerate(own) if line.strip() == f"END_{pou.kind}")
        yield _Parted(pou, "".join(own[last + 1 : stop]))


def _pou(into: Element, one: _Parted) -> None:
    pou = one.pou
    at = SubElement(into, "pou", {"name": pou.name, "pouType": _KINDS[pou.kind]})
    interface = SubElement(at, "interface")
    for section, tag in _SECTIONS.items():
        some = [v for v in pou.variables if v.section == section]
        if some:
            holder = SubElement(interface, tag)
            for v in some:
                _variable(holder, v)
    body = SubElement(SubElement(at, "body"), "ST")
    SubElement(body, "xhtml:p").text = one.body


def _variable(into: Element, v: Variable) -> None:
    at = SubElement(into, "variable", {"name": v.name} | ({"address": v.address} if v.address else {}))
    _type(SubElement(at, "type"), v.type)
    if v.initial is not None:
        _value(SubElement(at, "initialValue"), v.initial)


def _type(into: Element, of: Type) -> None:
    if isinstance(of, Array):
        array = SubElement(into, "array")
        SubElement(array, "dimension", {"lower": str(of.low), "upper": str(of.high)})
        _type(SubElement(array, "baseType"), of.of)
    elif of in DTYPES:
        SubElement(into, of)
    elif of == "STRING":
        SubElement(into, "string")
    else:
        SubElement(into, "derived", {"name": of})


def _value(into: Element, given: Initial) -> None:
    if isinstance(given, Literal):
        SubElement(into, "simpleValue", {"value": given.text or str(given.value)})
    elif isinstance(given, dict):
        struct = SubElement(into, "structValue")
        for name, value in given.items():
            _value(SubElement(struct, "value", {"member": name}), value)
    else:
        array = SubElement(into, "arrayValue")
        for value in given:
            _value(SubElement(array, "value"), value)


# Brought back ---------------------------------------------------------------------------------------------------


def texts_of(data: bytes, name: str) -> dict[str, str]:
    """{file and unit: structured text} of a document. A unit's body begins in the first line, so that lines count as they do there.

    Raises Tc6Error.
    """
    if len(data) > LARGEST:
        raise Tc6Error("too large", f"{len(data)} bytes; at most {LARGEST} are read")
    try:
        root = fromstring(data, forbid_dtd=True)
    except DefusedXmlException as error:
        raise Tc6Error(
            "entities", "it declares entities or a document type, which may stand for anything: nothing was read"
        ) from error
    except (ParseError, ValueError, LookupError) as error:
        line = error.position[0] if isinstance(error, ParseError) else 0
        raise Tc6Error("not xml", f"it is no XML: {error}", line) from error
    _not_too_deep(root)
    space, _, tag = root.tag.rpartition("}")
    if tag != "project" or not space.lstrip("{").startswith("http://www.plcopen.org/xml/tc6"):
        raise Tc6Error(
            "another dialect",
            f"it begins with {tag[:40]} of {space.lstrip('{')[:80] or 'no namespace'}, and a project of PLCopen XML with project of {NAMESPACE}",
        )
    out: dict[str, str] = {}
    for pou in root.iter(f"{space}}}pou"):
        unit = pou.get("name", "")
        text = _text_of(pou, space)
        if text is None:
            language = next((child.tag.rpartition("}")[2] for child in pou.iterfind(f"{space}}}body/*")), "nothing")
            raise Tc6Error("another dialect", f"{unit} is written in {language}: only structured text is read back")
        out[f"{name}#{unit}"] = text
    declared = [
        _declared(v, space)
        for holder in root.iter(f"{space}}}globalVars")
        for v in holder.iterfind(f"{space}}}variable")
    ]
    if declared:
        out[f"{name}#globals"] = f"VAR_GLOBAL {' '.join(declared)} END_VAR"
    if not out:
        raise Tc6Error("no units", "there is no program and no block in it")
    return out


def _not_too_deep(root: Element) -> None:
    level = [root]
    for _ in range(DEEPEST):
        level = [child for one in level for child in one]
        if not level:
            return
    raise Tc6Error("too deep", f"more than {DEEPEST} elements in each other")


def _text_of(pou: Element, space: str) -> str | None:
    """A unit as structured text, None if its body is in another language."""
    kinds = {tag: kind for kind, tag in _KINDS.items()}
    kind = kinds.get(pou.get("pouType", ""), "PROGRAM")
    sections = []
    for section, tag in _SECTIONS.items():
        declared = [
            _declared(v, space)
            for holder in pou.iterfind(f"{space}}}interface/{space}}}{tag}")
            for v in holder.iterfind(f"{space}}}variable")
        ]
        if declared:
            sections.append(f"{section} {' '.join(declared)} END_VAR")
    body = pou.find(f"{space}}}body/{space}}}ST")
    if body is None:
        return None
    text = "".join(body.itertext())
    returns = pou.find(f"{space}}}interface/{space}}}returnType")
    result = f" : {_type_text(returns, space)}" if kind == "FUNCTION" and returns is not None else ""
    return f"{kind} {pou.get('name', '')}{result} {' '.join(sections)} {text}\nEND_{kind}\n"


def _declared(v: Element, space: str) -> str:
    of = v.find(f"{space}}}type")
    address = f" AT {v.get('address')}" if v.get("address") else ""
    value = v.find(f"{space}}}initialValue")
    begins = f" := {_value_text(value, space)}" if value is not None else ""
    return f"{v.get('name', '')}{address} : {_type_text(of, space) if of is not None else 'BOOL'}{begins};"


def _type_text(of: Element, space: str) -> str:
    for child in of:
        tag = child.tag.rpartition("}")[2]
        if tag == "derived":
            return child.get("name", "")
        if tag == "array":
            ranges = ", ".join(f"{d.get('lower')}..{d.get('upper')}" for d in child.iterfind(f"{space}}}dimension"))
            base = child.find(f"{space}}}baseType")
            return f"ARRAY [{ranges}] OF {_type_text(base, space) if base is not None else 'BOOL'}"
        return _ELEMENTARY.get(tag.lower(), tag)
    return "BOOL"


def _value_text(value: Element, space: str) -> str:
    for child in value:
        tag = child.tag.rpartition("}")[2]
        if tag == "simpleValue":
            return child.get("value", "0")
        inner = list(child.iterfind(f"{space}}}value"))
        if tag == "arrayValue":
            return f"[{', '.join(_value_text(v, space) for v in inner)}]"
        if tag == "structValue":
            return "(" + ", ".join(f"{v.get('member', '')} := {_value_text(v, space)}" for v in inner) + ")"
    return "0"
