"""PLCopen XML (IEC 61131-10, namespace tc6_0201): projects written with structured text in them, and projects that are brought back,
whose units become structured text again.

A document that is brought back may be anybody's: entities and external references are refused, and its size and depth are bounded.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from typing import ClassVar
from xml.etree.ElementTree import Element, SubElement, tostring

from defusedxml.common import DefusedXmlException
from defusedxml.ElementTree import ParseError, fromstring

from canaleta.core.program.diagram import Box, Diagram, Wire, drawn
from canaleta.core.program.network import Bool, Call, Real, Set, Var, Whole
from canaleta.core.program.unit import UnitText, status_steps
from canaleta.core.st import read
from canaleta.core.st.kinds import DTYPES
from canaleta.core.st.tree import Array, Initial, Literal, Pou, Type, Variable

__all__ = ["NAMESPACE", "Tc6Error", "project_xml", "texts_of"]

NAMESPACE = "http://www.plcopen.org/xml/tc6_0201"
XHTML = "http://www.w3.org/1999/xhtml"
LARGEST = 64_000_000
DEEPEST = 200
MOST_DEEP = 100
MADE_AT = "2000-01-01T00:00:00"
"""The day that every document says: the same list gives the same bytes."""
_SECTIONS = {"VAR_INPUT": "inputVars", "VAR_OUTPUT": "outputVars", "VAR_IN_OUT": "inOutVars", "VAR_EXTERNAL": "externalVars", "VAR": "localVars"}  # fmt: skip
_KINDS = {"PROGRAM": "program", "FUNCTION_BLOCK": "functionBlock", "FUNCTION": "function"}
_ELEMENTARY = {name.lower(): name for name in (*DTYPES, "STRING")}


class Tc6Error(ValueError):
    """A document that cannot be read. code: "not xml", "entities", "too large", "too deep", "another dialect", "no units", "diagram"; line: where,
    0 if that is not known."""

    def __init__(self, code: str, says: str, line: int = 0) -> None:
        super().__init__(says)
        self.code, self.says, self.line = code, says, line


@dataclass(frozen=True)
class _Parted:
    """A unit's tree and its body as it was written."""

    pou: Pou
    body: str


def project_xml(units: Iterable[UnitText], name: str, language: str = "ST") -> bytes:
    """A project with the programs of some units and the blocks that they need. language: of the programs, ST, FBD or LD; blocks are
    structured text."""
    units = list(units)
    root = Element("project", {"xmlns": NAMESPACE, "xmlns:xhtml": XHTML})
    SubElement(
        root,
        "fileHeader",
        {"companyName": "Canaleta", "productName": "Canaleta", "productVersion": "1", "creationDateTime": MADE_AT},
    )
    content = SubElement(root, "contentHeader", {"name": name})
    coordinates = SubElement(content, "coordinateInfo")
    for of in ("fbd", "ld", "sfc"):
        SubElement(SubElement(coordinates, of), "scaling", {"x": "1", "y": "1"})
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
            at = _pou(pous, one)
            if language != "ST":
                _diagrams(at, unit, language)
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


def _pou(into: Element, one: _Parted) -> Element:
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
    return at


# Diagrams ---------------------------------------------------------------------------------------------------


def _diagrams(pou: Element, unit: UnitText, language: str) -> None:
    """The same program as diagrams, one network below the other: mapped in, worked out, mapped out."""
    old = pou.find("body")
    assert old is not None
    pou.remove(old)
    body = SubElement(SubElement(pou, "body"), language)
    outputs = {
        p.name: tuple(v.name for v in p.variables if v.section == "VAR_OUTPUT") for p in read(unit.blocks).pous
    }
    at = _Sheet(body, unit.target.real, outputs, ladder=language == "LD")
    inputs = [c for c in unit.codes if c.channel.direction == "in"]
    for array in unit.arrays:
        if array.direction == "in":
            at.add(status_steps(array), "what it reports of its channels", bits=False)
            mine = [c for c in inputs if c.channel.array == array.name]
            at.add(
                [Set(c.raw, Var(f"{array.name}[{c.channel.index}]")) for c in mine],
                f"{array.name}: from channels to points",
                bits=array.type == "BOOL",
            )
            told = [c for c in mine if c.fault]
            at.add(
                [Set(c.fault, Var(f"{array.name}_Fault[{c.channel.index}]")) for c in told], "faults that it reports"
            )
            if len(mine) < array.high - array.low + 1:
                at.add([Set(f"{array.name}_Spare", Var(array.name))], "spares")
    for code in unit.codes:
        at.add(code.network.steps, code.tag)
    for array in unit.arrays:
        if array.direction == "out":
            used = {c.channel.index: c for c in unit.codes if c.channel.array == array.name}
            nothing = Bool(False) if array.type == "BOOL" else Real(0.0) if array.type == "REAL" else Whole(0)
            spare = [Set(f"{array.name}[{k}]", nothing) for k in range(array.low, array.high + 1) if k not in used]
            at.add(spare, "spares stay off")
            at.add(
                [Set(f"{array.name}[{k}]", Var(c.raw)) for k, c in used.items()],
                f"{array.name}: from points to channels",
                bits=array.type == "BOOL",
            )


class _Sheet:
    """A body that grows downwards, a network at a time."""

    def __init__(self, body: Element, real: str, outputs: dict[str, tuple[str, ...]], *, ladder: bool) -> None:
        self._body, self._real, self._outputs, self._ladder = body, real, outputs, ladder
        self._y, self._id, self._order = 40, 1, 1

    def add(self, steps: Sequence[Call | Set], comment: str, *, bits: bool = True) -> None:
        """One network below what is there. bits: whether what is passed on is a state, which a ladder draws as contact and coil."""
        if not steps:
            return
        note = SubElement(self._body, "comment", {"localId": str(self._next()), "height": "20", "width": "400"})
        SubElement(note, "position", {"x": "20", "y": str(self._y - 30)})
        SubElement(SubElement(note, "content"), "xhtml:p").text = comment
        ladder = self._ladder and bits and all(isinstance(s, Set) for s in steps)
        made = drawn(steps, self._real, self._outputs, self._id, self._order, ladder)
        self._id += len(made.boxes)
        self._order += sum(box.order > 0 for box in made.boxes)
        rail = self._rails(made) if any(box.kind == "contact" for box in made.boxes) else 0
        for box in made.boxes:
            self._box(box, rail)
        self._y += made.height + 80

    def _next(self) -> int:
        self._id += 1
        return self._id - 1

    def _rails(self, made: Diagram) -> int:
        contacts = [box for box in made.boxes if box.kind == "contact"]
        rail = self._next()
        left = SubElement(
            self._body, "leftPowerRail", {"localId": str(rail), "height": str(made.height), "width": "4"}
        )
        self._place(left, 0, 0)
        for box in contacts:
            point = SubElement(left, "connectionPointOut", {"formalParameter": f"r{box.id}"})
            SubElement(point, "relPosition", {"x": "4", "y": str(box.y + 10)})
        return rail

    def _place(self, into: Element, x: int, y: int) -> None:
        SubElement(into, "position", {"x": str(x + 20), "y": str(y + self._y)})

    def _box(self, box: Box, rail: int) -> None:
        tag = {"in": "inVariable", "out": "outVariable", "block": "block", "contact": "contact", "coil": "coil"}[
            box.kind
        ]
        more = {"localId": str(box.id), "height": str(box.height), "width": str(box.width)}
        if box.kind == "block":
            more |= {"typeName": box.text} | ({"instanceName": box.instance} if box.instance else {})
        if box.order:
            more["executionOrderId"] = str(box.order)
        if box.kind == "contact" and box.negated:
            more["negated"] = "true"
        at = SubElement(self._body, tag, more)
        self._place(at, box.x, box.y)
        if box.kind == "block":
            inputs = SubElement(at, "inputVariables")
            for wire in box.wires:
                pin = SubElement(
                    inputs, "variable", {"formalParameter": wire.pin} | ({"negated": "true"} if wire.negated else {})
                )
                self._taken(pin, box, wire)
            SubElement(at, "inOutVariables")
            given = SubElement(at, "outputVariables")
            for name in box.outputs:
                point = SubElement(SubElement(given, "variable", {"formalParameter": name}), "connectionPointOut")
                self._relative(point, box.output_at(name))
            return
        if box.kind == "contact":
            point = SubElement(at, "connectionPointIn")
            self._relative(point, (0, 10))
            SubElement(point, "connection", {"refLocalId": str(rail), "formalParameter": f"r{box.id}"})
        if box.kind in ("out", "coil"):
            self._taken(at, box, box.wires[0])
        if box.kind in ("in", "contact", "coil"):
            self._relative(SubElement(at, "connectionPointOut"), (box.width, 10))
        SubElement(at, "variable" if box.kind in ("contact", "coil") else "expression").text = box.text

    def _relative(self, into: Element, place: tuple[int, int]) -> None:
        SubElement(into, "relPosition", {"x": str(place[0]), "y": str(place[1])})

    def _taken(self, into: Element, box: Box, wire: Wire) -> None:
        point = SubElement(into, "connectionPointIn")
        self._relative(point, box.pin_at(wire.pin))
        source = {"refLocalId": str(wire.source)} | ({"formalParameter": wire.source_pin} if wire.source_pin else {})
        connection = SubElement(point, "connection", source)
        for x, y in wire.path:
            SubElement(connection, "position", {"x": str(x + 20), "y": str(y + self._y)})


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
            raise Tc6Error(
                "another dialect",
                f"{unit} is written in {language}: only structured text, function block and ladder diagrams are read back",
            )
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
    if body is not None:
        text = "".join(body.itertext())
    else:
        diagram = pou.find(f"{space}}}body/{space}}}FBD")
        diagram = pou.find(f"{space}}}body/{space}}}LD") if diagram is None else diagram
        if diagram is None:
            return None
        text = _Meaning(diagram, space).text()
    returns = pou.find(f"{space}}}interface/{space}}}returnType")
    result = f" : {_type_text(returns, space)}" if kind == "FUNCTION" and returns is not None else ""
    return f"{kind} {pou.get('name', '')}{result} {' '.join(sections)} {text}\nEND_{kind}\n"


class _Meaning:
    """What a diagram says, from its connections alone: where boxes stand and how wires run says nothing."""

    _SIGNS: ClassVar[dict[str, str]] = {"OR": "OR", "AND": "AND", "XOR": "XOR", "EQ": "=", "NE": "<>", "GT": ">", "GE": ">=", "LT": "<", "LE": "<=", "ADD": "+", "SUB": "-", "MUL": "*", "DIV": "/"}  # fmt: skip

    def __init__(self, body: Element, space: str) -> None:
        self._space = space
        self._boxes: dict[str, Element] = {}
        for child in body:
            key = child.get("localId", "")
            if key in self._boxes:
                raise Tc6Error("diagram", f"two boxes have the number {key}")
            self._boxes[key] = child

    def text(self) -> str:
        """Statements in the order in which they are worked out."""
        told: list[tuple[int, str]] = []
        for n, box in enumerate(self._boxes.values()):
            tag, order = box.tag.rpartition("}")[2], int(box.get("executionOrderId") or n + 1_000_000)
            if tag == "block" and box.get("instanceName"):
                told.append((order, f"{box.get('instanceName')}({', '.join(self._pins(box, 0))});"))
            elif tag == "outVariable":
                told.append((order, f"{self._words(box, 'expression')} := {self._taken(box, 0)};"))
            elif tag == "coil":
                negated = "NOT " if box.get("negated") == "true" else ""
                told.append((order, f"{self._words(box, 'variable')} := {negated}{self._taken(box, 0)};"))
            elif tag not in ("inVariable", "block", "contact", "leftPowerRail", "rightPowerRail", "comment"):
                raise Tc6Error("diagram", f"a {tag} in a diagram is not read back")
        return "\n".join(text for _, text in sorted(told))

    def _words(self, box: Element, tag: str) -> str:
        found = box.find(f"{self._space}}}{tag}")
        return (found.text or "").strip() if found is not None else ""

    def _pins(self, box: Element, deep: int, *, named: bool = True) -> list[str]:
        out = []
        for pin in box.iterfind(f"{self._space}}}inputVariables/{self._space}}}variable"):
            negated = "NOT " if pin.get("negated") == "true" else ""
            value = f"{negated}{self._taken(pin, deep)}"
            out.append(f"{pin.get('formalParameter')} := {value}" if named else value)
        return out

    def _taken(self, pin: Element, deep: int) -> str:
        """The expression that arrives at a pin."""
        if deep > MOST_DEEP:
            raise Tc6Error("diagram", "its wires go round in a circle")
        wires = pin.findall(f"{self._space}}}connectionPointIn/{self._space}}}connection")
        if not wires:
            raise Tc6Error("diagram", "a pin that is drawn takes no wire")
        parts = [self._given(wire, deep + 1) for wire in wires]
        return parts[0] if len(parts) == 1 else f"({' OR '.join(parts)})"

    def _given(self, wire: Element, deep: int) -> str:
        key = wire.get("refLocalId", "")
        source = self._boxes.get(key)
        if source is None:
            raise Tc6Error("diagram", f"a wire comes from a box that is not there, number {key}")
        tag = source.tag.rpartition("}")[2]
        if tag == "inVariable":
            return self._words(source, "expression")
        if tag == "leftPowerRail":
            return "TRUE"
        if tag in ("contact", "coil"):
            own = ("NOT " if source.get("negated") == "true" else "") + self._words(source, "variable")
            before = self._taken(source, deep)
            return own if before == "TRUE" else f"({before} AND {own})"
        if source.get("instanceName"):
            return f"{source.get('instanceName')}.{wire.get('formalParameter', '')}"
        name, pins = source.get("typeName", ""), self._pins(source, deep, named=False)
        if name == "NOT":
            return f"NOT {pins[0]}"
        if name in self._SIGNS:
            return f"({f' {self._SIGNS[name]} '.join(pins)})"
        return f"{name}({', '.join(pins)})"


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
