"""The text of a part of the plant: arrays of its modules, its points, and one program that maps inputs, works out values and maps
outputs, in that order. The same list gives the same text, byte for byte.

Lines between marks, “by hand”, are somebody's own: they are taken over when the text is made anew.
"""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from canaleta.core.model.image import PlantImage
from canaleta.core.model.layout import Layout
from canaleta.core.model.module_type import ModuleType
from canaleta.core.model.registers import RackMap
from canaleta.core.notation.text import plain_figure
from canaleta.core.program.blocks import block_text, names_of
from canaleta.core.program.channels import ChannelArray, arrays_of
from canaleta.core.program.names import legal
from canaleta.core.program.network import (
    Bool,
    Call,
    Masked,
    Or,
    Real,
    Set,
    Time,
    Var,
    Whole,
    arg_text,
    figure,
    real_of,
    step_text,
    time_text,
)
from canaleta.core.program.points import PointCode, Refusal, codes_of, target_of
from canaleta.core.st.kinds import Target

__all__ = [
    "BLOCKS_FILE",
    "HAND_BEGINS",
    "HAND_ENDS",
    "Scope",
    "UnitText",
    "by_hand",
    "generate",
    "generate_all",
    "parameters",
    "scopes_of",
    "status_steps",
]

BLOCKS_FILE = "canaleta_blocks.st"
HAND_BEGINS, HAND_ENDS = "(* by hand: ", "(* end by hand *)"
HAND_PLACES = ("variables", "before the inputs", "before the values", "before the outputs", "at the end")
_INDENT = "  "
_LONGEST_BEHIND = len("_Spare")
"""What stands behind the name of an array, at most."""


@dataclass(frozen=True)
class Scope:
    """A part of the plant. kind: "cabinet" or "area"; name: of it; unit: of its program."""

    kind: str
    name: str
    unit: str


@dataclass
class UnitText:
    """A generated text. point_of: {line, counted from 1: point}. codes: the points in it; refused: those that are not. lost:
    lines by hand whose place is gone."""

    scope: Scope
    text: str
    blocks: str
    point_of: dict[int, int]
    codes: list[PointCode]
    refused: list[Refusal]
    target: Target
    arrays: list[ChannelArray]
    lost: dict[str, list[str]] = field(default_factory=dict)

    @property
    def whole(self) -> str:
        """Blocks, program, and global variables in a configuration with a task: a text that stands for itself."""
        begins = self.text.index("VAR_GLOBAL")
        program = self.text.index(f"\nPROGRAM {self.scope.unit}\n") + 1
        period = time_text(self.target.period_ms)
        return (
            f"{self.text[:begins]}{self.blocks}\n{self.text[program:]}\n"
            f"CONFIGURATION Plant\n{self.text[begins:program].rstrip()}\nRESOURCE Controller ON PLC\n"
            f"TASK Scan(INTERVAL := {period}, PRIORITY := 1);\nPROGRAM {self.scope.unit}_1 WITH Scan : {self.scope.unit};\n"
            "END_RESOURCE\nEND_CONFIGURATION\n"
        )

    @property
    def file(self) -> str:
        """The name of its file."""
        return f"{self.scope.unit}.st"


def scopes_of(image: PlantImage) -> list[Scope]:
    """Cabinets with channels, then areas."""
    layout = image.layout
    cabinets = {
        layout.racks[m.rack].cabinet
        for m in layout.modules.values()
        if m.rack in layout.racks and layout.type_of(m.id).channels
    }
    names = [("cabinet", layout.cabinets[c].name) for c in cabinets]
    names += [("area", area) for area in {a for a in image.cells["area"] if a}]
    most, out = image.conventions.program.longest_name, list[Scope]()
    taken: set[str] = set()
    for kind, name in sorted(names, key=lambda one: (one[0] != "cabinet", one[1])):
        first = "IO" if kind == "cabinet" else "Area"
        plain = f"{first}_{legal(name) or 'none'}"[:most].rstrip("_")
        # Two names that become one are told apart by a number, so that each keeps its own program.
        numbered = (f"{plain[: most - 3]}_{n}" for n in range(2, 100))
        unit = next(u for u in (plain, *numbered) if u.upper() not in taken)
        taken.add(unit.upper())
        out.append(Scope(kind, name, unit))
    return out


def rows_of(image: PlantImage, scope: Scope) -> NDArray[np.int64]:
    """The points of a scope, in the order of the list."""
    if scope.kind == "area":
        return np.flatnonzero(image.cells["area"] == scope.name)
    layout = image.layout
    here = {
        m.id
        for m in layout.modules.values()
        if m.rack in layout.racks and layout.cabinets[layout.racks[m.rack].cabinet].name == scope.name
    }
    return np.flatnonzero(np.isin(image.module, np.array(sorted(here), dtype=np.int64)))


def by_hand(text: str) -> dict[str, list[str]]:
    """{place: lines} that stand between marks in a text; places without lines are left out."""
    out: dict[str, list[str]] = {}
    place = ""
    for line in text.splitlines():
        bare = line.strip()
        if bare.startswith(HAND_BEGINS) and bare.endswith("*)"):
            place = bare[len(HAND_BEGINS) : -2].strip()
        elif bare == HAND_ENDS:
            place = ""
        elif place:
            out.setdefault(place, []).append(line.rstrip())
    return {place: lines for place, lines in out.items() if any(line.strip() for line in lines)}


def generate(
    image: PlantImage, scope: Scope, issue: str = "", hand: Mapping[str, Sequence[str]] | None = None
) -> UnitText:
    """The text of a scope. issue: of the list that it is made for. hand: what was written by hand in the text before."""
    codes, refused = codes_of(image, rows_of(image, scope))
    return unit_of(image, scope, codes, refused, issue, hand)


def generate_all(
    image: PlantImage,
    scopes: Sequence[Scope],
    issue: str = "",
    hand: Mapping[str, Mapping[str, Sequence[str]]] | None = None,
) -> list[UnitText]:
    """The texts of several scopes: many times as fast as one after the other. hand: {unit: what was written in it by hand}."""
    rows = [rows_of(image, scope) for scope in scopes]
    every = np.unique(np.concatenate(rows)) if rows else np.zeros(0, dtype=np.int64)
    codes, refused = codes_of(image, every)
    by_row = {code.row: code for code in codes}
    without = {r.point: r for r in refused}
    out = []
    for scope, some in zip(scopes, rows, strict=True):
        mine = [by_row[row] for row in some.tolist() if row in by_row]
        none = [without[point] for point in image.ids[some].tolist() if point in without]
        out.append(unit_of(image, scope, mine, none, issue, (hand or {}).get(scope.unit)))
    return out


def unit_of(
    image: PlantImage,
    scope: Scope,
    codes: list[PointCode],
    refused: Sequence[Refusal] = (),
    issue: str = "",
    hand: Mapping[str, Sequence[str]] | None = None,
) -> UnitText:
    """The text of some points whose code is made already."""
    arrays = _arrays(image, scope, codes)
    codes, twice = _one_name_each(codes, arrays, image.conventions.program.longest_name)
    return _Writer(image, scope, codes, [*refused, *twice], arrays, issue, dict(hand or {})).text()


def _arrays(image: PlantImage, scope: Scope, codes: Iterable[PointCode]) -> list[ChannelArray]:
    layout = image.layout
    modules = {code.channel.module for code in codes}
    if scope.kind == "cabinet":
        modules |= {
            m.id for m in layout.modules.values()
            if m.rack in layout.racks and layout.cabinets[layout.racks[m.rack].cabinet].name == scope.name and layout.type_of(m.id).channels
        }  # fmt: skip
    order = sorted(modules, key=lambda m: (layout.modules[m].rack, layout.modules[m].place))
    racks = {layout.modules[m].rack for m in order}
    maps = {rack: RackMap.of(layout, rack) for rack in racks}
    found: dict[str, ChannelArray] = {}
    for m in order:
        for a in arrays_of(layout, m, maps[layout.modules[m].rack]):
            found.setdefault(a.name, a)
    for code in codes:
        c = code.channel
        have = found.get(c.array)
        if have is not None and (have.module, have.type) != (c.module, c.type):
            continue
        if have is None or not have.low <= c.index <= have.high:
            # A channel that may listen or drive, and here does what its first mode does not.
            low, high = (c.index, c.index) if have is None else (min(have.low, c.index), max(have.high, c.index))
            channels = tuple(sorted({c.index, *(have.channels if have else ())}))
            found[c.array] = ChannelArray(
                c.array,
                c.module,
                c.direction,
                c.type,
                low,
                high,
                "",
                "channels that may be one or the other: connect each by hand",
                channels,
                bool(code.fault) or (have is not None and have.tells_faults),
            )
    rank = {m: n for n, m in enumerate(order)}
    return sorted(found.values(), key=lambda a: (rank.get(a.module, len(rank)), a.direction, a.type))


def _one_name_each(
    codes: list[PointCode], arrays: list[ChannelArray], longest: int
) -> tuple[list[PointCode], list[Refusal]]:
    """The points all of whose names are theirs alone, and whose module has an array of its own."""
    of_array = {a.name: a for a in arrays}
    users: dict[str, int] = (
        {a.name.upper(): -1 for a in arrays}
        | {f"{a.name}_{of}".upper(): -1 for a in arrays for of in ("Spare", "Fault")}
        | {b.word.upper(): -1 for a in arrays for _, bits in a.status for b in bits}
        | {"K": -1}
    )
    out, refused = [], []
    for code in codes:
        net, array = code.network, of_array[code.channel.array]
        why = code_of = ""
        if (array.module, array.type) != (code.channel.module, code.channel.type):
            why = f"its module's array {array.name} is that of another module, or of other numbers: name cabinets and racks apart"
            code_of = "two become one"
        elif len(array.name) + _LONGEST_BEHIND > longest:
            why = f"its module's array {array.name} needs {len(array.name) + _LONGEST_BEHIND} characters, and the controller takes {longest}"
            code_of = "too long"
        if why:
            refused.append(Refusal(code.point, code.tag, code_of, why))
            continue
        names = {
            code.raw,
            code.fault or code.raw,
            *(n for n, _, _ in net.variables),
            *(b.name for b in net.blocks),
            *(a.name for a in net.arrays),
        }
        names = {name.upper() for name in names}
        taken = sorted(name for name in names if name in users)
        if taken:
            refused.append(
                Refusal(code.point, code.tag, "two become one", f"{taken[0]} is the name of something else already")
            )
            continue
        users |= dict.fromkeys(names, code.point)
        out.append(code)
    return out, refused


def status_steps(a: ChannelArray) -> list[Set]:
    """What a module reports of its channels, taken out of its status words: of every channel, whatever point is on it."""
    out: list[Set] = []
    for index, bits in a.status:
        place = f"{a.name}_Fault[{index}]"
        first, *more = (Masked(b.word, b.bit, b.fault_is_one) for b in bits)
        out.append(Set(place, first))
        out += [Set(place, Or(Var(place), one)) for one in more]
    return out


class _Writer:
    """Lines, and which point each is of."""

    def __init__(
        self, image: PlantImage, scope: Scope, codes: list[PointCode], refused: list[Refusal], arrays: list[ChannelArray],
        issue: str, hand: dict[str, Sequence[str]],
    ) -> None:  # fmt: skip
        self._image, self._scope, self._codes, self._refused = image, scope, codes, refused
        self._arrays, self._issue, self._hand = arrays, issue, hand
        self._target = target_of(image)
        self._lines: list[str] = []
        self._point_of: dict[int, int] = {}
        self._used: dict[str, set[int]] = {}
        for code in codes:
            self._used.setdefault(code.channel.array, set()).add(code.channel.index)

    def text(self) -> UnitText:
        scope, add = self._scope, self._add
        blocks = names_of({b.type for code in self._codes for b in code.network.blocks})
        of = f" for issue {self._issue} of the list" if self._issue else ""
        add(f"(* {scope.unit}: {scope.kind} {_comment(scope.name)}{of}. {len(self._codes)} points.")
        add(
            f"   Values in {self._target.real}, a scan every {plain_figure(self._target.period_ms)} ms. Blocks: {BLOCKS_FILE}. *)"
        )
        self._globals()
        add("")
        add(f"PROGRAM {scope.unit}")
        self._externals()
        self._locals()
        self._body()
        add("END_PROGRAM")
        text = "\n".join(self._lines) + "\n"
        library = "\n".join(block_text(name, self._target.real) for name in blocks)
        lost = {place: list(lines) for place, lines in self._hand.items() if place not in HAND_PLACES}
        return UnitText(
            scope, text, library, self._point_of, self._codes, self._refused, self._target, self._arrays, lost
        )

    def _add(self, line: str, point: int = 0) -> None:
        self._lines.append(line)
        if point:
            self._point_of[len(self._lines)] = point

    def _by_hand(self, place: str, indent: str = "") -> None:
        self._add(f"{indent}{HAND_BEGINS}{place} *)")
        for line in self._hand.get(place, ()):
            self._add(line)
        self._add(f"{indent}{HAND_ENDS}")

    def _globals(self) -> None:
        add = self._add
        add("VAR_GLOBAL")
        for a in self._arrays:
            for line in self._header(a):
                add(f"{_INDENT}{line}")
            at = f" AT {a.at}" if a.at else ""
            add(f"{_INDENT}{a.name}{at} : ARRAY [{a.low}..{a.high}] OF {a.type};")
            if a.tells_faults:
                says = "faults that the module reports" + ("" if a.status else ", written by who reads its status")
                add(f"{_INDENT}{a.name}_Fault : ARRAY [{a.low}..{a.high}] OF BOOL; (* {says} *)")
            if self._spares(a) and a.direction == "in":
                add(
                    f"{_INDENT}{a.name}_Spare : ARRAY [{a.low}..{a.high}] OF {a.type}; (* spares: channels that no point is mapped from *)"
                )
        for name, address in self._status_words():
            add(f"{_INDENT}{name} AT {address} : WORD; (* status *)")
        add("END_VAR")
        add("")
        add("VAR_GLOBAL")
        for code in self._codes:
            service = self._image.text("service", code.row)
            for name, of, comment in code.network.variables:
                told = (
                    " ".join(part for part in (code.tag, service, comment) if part)
                    if name == code.name
                    else f"{code.tag}: {comment}"
                )
                add(f"{_INDENT}{name} : {of}; (* {_comment(told)} *)", code.point)
        add("END_VAR")

    def _externals(self) -> None:
        self._add("VAR_EXTERNAL")
        for a in self._arrays:
            self._add(f"{_INDENT}{a.name} : ARRAY [{a.low}..{a.high}] OF {a.type};")
            if a.tells_faults:
                self._add(f"{_INDENT}{a.name}_Fault : ARRAY [{a.low}..{a.high}] OF BOOL;")
            if self._spares(a) and a.direction == "in":
                self._add(f"{_INDENT}{a.name}_Spare : ARRAY [{a.low}..{a.high}] OF {a.type};")
        for name, _ in self._status_words():
            self._add(f"{_INDENT}{name} : WORD;")
        for code in self._codes:
            for name, of, _ in code.network.variables:
                self._add(f"{_INDENT}{name} : {of};", code.point)
        self._add("END_VAR")

    def _status_words(self) -> list[tuple[str, str]]:
        """(name, direct address) of each word that faults are reported in."""
        return list(dict.fromkeys((b.word, b.at) for a in self._arrays for _, bits in a.status for b in bits))

    def _locals(self) -> None:
        add, real = self._add, self._target.real
        add("VAR")
        add(f"{_INDENT}K : INT;")
        for code in self._codes:
            add(f"{_INDENT}{code.raw} : {code.raw_type};", code.point)
            if code.fault:
                add(f"{_INDENT}{code.fault} : BOOL;", code.point)
            for block in code.network.blocks:
                add(f"{_INDENT}{block.name} : {block.type};", code.point)
            of = "LREAL" if any(real_of(b.type, real) != real for b in code.network.blocks) else real
            for array in code.network.arrays:
                values = ", ".join(figure(v, of) for v in array.values)
                add(f"{_INDENT}{array.name} : ARRAY [1..{len(array.values)}] OF {of} := [{values}];", code.point)
        self._by_hand("variables", _INDENT)
        add("END_VAR")

    def _body(self) -> None:
        add, real = self._add, self._target.real
        self._by_hand("before the inputs")
        add("(* Inputs: from channels to points. *)")
        of_array: dict[str, list[PointCode]] = {}
        for code in self._codes:
            of_array.setdefault(code.channel.array, []).append(code)
        for a in self._arrays:
            if a.direction != "in":
                continue
            add(f"(* {self._place(a)} *)")
            for told in status_steps(a):
                add(step_text(told, real))
            for code in of_array.get(a.name, ()):
                # What the module says of the channel is mapped in the same line: a wire that is moved takes both along.
                fault = f" {code.fault} := {a.name}_Fault[{code.channel.index}];" if code.fault else ""
                add(f"{code.raw} := {a.name}[{code.channel.index}];{fault} (* {self._told(code)} *)", code.point)
            if self._spares(a):
                add(f"{a.name}_Spare := {a.name};")
        self._by_hand("before the values")
        add("(* Values. *)")
        for code in self._codes:
            steps = code.network.steps
            add(f"(* {_comment(code.tag)}{''.join('; ' + _comment(n) for n in code.notes)} *)", code.point)
            for step in steps:
                add(step_text(step, real), code.point)
        self._by_hand("before the outputs")
        add("(* Outputs: from points to channels. *)")
        for a in self._arrays:
            if a.direction == "in":
                continue
            add(f"(* {self._place(a)} *)")
            if self._spares(a):
                nothing = "FALSE" if a.type == "BOOL" else "0.0" if a.type == "REAL" else "0"
                add(f"FOR K := {a.low} TO {a.high} DO {a.name}[K] := {nothing}; END_FOR; (* spares stay off *)")
            for code in of_array.get(a.name, ()):
                add(f"{a.name}[{code.channel.index}] := {code.raw}; (* {self._told(code)} *)", code.point)
        self._by_hand("at the end")

    def _spares(self, a: ChannelArray) -> bool:
        return len(self._used.get(a.name, ())) < a.high - a.low + 1

    def _place(self, a: ChannelArray) -> str:
        layout = self._image.layout
        m = layout.modules[a.module]
        rack = layout.racks[m.rack]
        return _comment(
            f"{layout.cabinets[rack.cabinet].name}, rack {rack.name}, slot {layout.slots[m.id]}: {layout.type_of(m.id).title}"
        )

    def _header(self, a: ChannelArray) -> list[str]:
        """Node, slot, type, voltage, which way the current goes, terminals."""
        layout = self._image.layout
        kind = layout.type_at(a.module, a.channels[0] - layout.channel_base)
        rack = layout.racks[layout.modules[a.module].rack]
        out = [
            f"(* {self._place(a)}",
            f"   node {layout.rack_numbers[rack.id]}, {_comment(rack.reached_at)}; {len(a.channels)} channels {'read' if a.direction == 'in' else 'driven'}",
        ]
        for told in (_volts(kind), _current(kind, a.direction), _terminals(kind, a, layout), a.says):
            if told:
                out.append(f"   {_comment(told)}")
        out[-1] += " *)"
        return out

    def _told(self, code: PointCode) -> str:
        """Tag, device, what 0 and 1 mean, wires."""
        t, row = self._image.text, code.row
        device = t("device_model", row) or t("signal", row)
        words = ", ".join(f"{n} = {w}" for n in (0, 1) if (w := t(f"text_{n}", row)))
        wire = " ".join(w for w in (t("cable", row), t("cores", row)) if w)
        strip = t("strip", row)
        parts = (code.tag, t("service", row), device, words, wire and f"wire {wire}", strip)
        return _comment(" · ".join(part for part in parts if part))


def _comment(text: str) -> str:
    """A text that ends no comment and begins none, on one line."""
    return (
        " ".join(text.replace("(*", "( *").replace("*)", "* )").replace("*", "∗").split())
        if "*" in text
        else " ".join(text.split())
    )


def _volts(kind: ModuleType) -> str:
    modes = [m for m in kind.modes if m.family == "contact"]
    if not modes:
        return "signals: " + ", ".join(dict.fromkeys(m.name for m in kind.modes[:6])) if kind.modes else ""
    mode = modes[0]
    if mode.current == "AC":
        return f"AC, {plain_figure(mode.signal.high)} {mode.signal_unit}"
    kind_of = f", type {mode.input_type} of IEC 61131-2" if mode.input_type else ""
    return f"DC, {plain_figure(mode.at_supply_v)} V{kind_of}"


def _current(kind: ModuleType, direction: str) -> str:
    if not kind.common or not any(m.family == "contact" for m in kind.modes):
        return ""
    into = (kind.common == "0 V") == (direction == "in")
    flows = "into the module: it sinks" if into else "out of the module: it sources"
    return f"common at {kind.common}, the current flows {flows}"


def _terminals(kind: ModuleType, a: ChannelArray, layout: Layout) -> str:
    if not kind.terminals:
        return ""
    first, last = (kind.terminal_marks(c - layout.channel_base) for c in (a.channels[0], a.channels[-1]))
    return f"terminals {', '.join(m for m, _ in first)}" + (
        f" … {', '.join(m for m, _ in last)}" if last != first else ""
    )


def parameters(texts: Iterable[UnitText]) -> str:
    """A row a point with every figure that its blocks are given, as CSV: for controllers that hold scaling in tables."""
    rows: list[dict[str, str]] = []
    columns: dict[str, None] = {}
    for text in texts:
        real = text.target.real
        for code in text.codes:
            row = {
                "tag": code.tag,
                "name": code.name,
                "kind": code.kind,
                "array": code.channel.array,
                "index": str(code.channel.index),
                "type": code.raw_type,
            }
            for step in code.network.steps:
                if isinstance(step, Set):
                    continue
                stem = step.instance.removeprefix(f"{code.name}_")
                row[f"{stem} block"] = step.type
                figures = {array.name: array.values for array in code.network.arrays}
                for pin, arg in step.pins:
                    if isinstance(arg, Var) and arg.name in figures:
                        row[f"{stem} {pin}"] = " ".join(figure(v, real) for v in figures[arg.name])
                    if isinstance(arg, Real | Time | Whole | Bool):
                        row[f"{stem} {pin}"] = str(arg.ms) if isinstance(arg, Time) else arg_text(arg, real)
            rows.append(row)
    first = ["tag", "name", "kind", "array", "index", "type"]
    columns = dict.fromkeys(first) | dict.fromkeys(sorted({c for row in rows for c in row} - set(first)))
    out = io.StringIO()
    writer = csv.DictWriter(out, list(columns), restval="", lineterminator="\r\n")
    writer.writeheader()
    writer.writerows(rows)
    return out.getvalue()


def calls_of(code: PointCode) -> list[Call]:
    """The blocks that a point's code calls."""
    return [step for step in code.network.steps if isinstance(step, Call)]
