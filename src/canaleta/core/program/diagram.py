"""A point's network as a diagram: boxes with places, wires with bends.

Every step has a band of its own from left to right and from above to below, as stairs; what is given out stands in one column at
the end. So no box lies on another, no wire goes through a box, and no two wires lie on one line: a wire leaves in its own row,
turns down in a lane of its own before the box that takes it, and arrives in that pin's row.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

from canaleta.core.program.network import Arg, Call, Is, Masked, Not, Or, Pin, Set, Var, arg_text, mask_text, real_of

__all__ = ["Box", "Diagram", "Wire", "drawn"]

Point = tuple[int, int]
ROW = 20
LETTER = 8
LANE = 10
GAP = 40


@dataclass
class Wire:
    """To a pin of a box, from a box and its pin. path: from the pin that takes it to the one that gives it, bends between."""

    pin: str
    source: int
    source_pin: str
    negated: bool = False
    path: tuple[Point, ...] = ()


@dataclass
class Box:
    """kind: "in" and "out" for variables and literals, "block" for a block or function, "contact" and "coil". text: the variable, the
    type of the block. instance: of a block, "" for a function. outputs: pins in their order. order: when it is worked out."""

    id: int
    kind: str
    text: str
    x: int = 0
    y: int = 0
    width: int = 0
    height: int = 0
    instance: str = ""
    wires: list[Wire] = field(default_factory=list)
    outputs: tuple[str, ...] = ()
    order: int = 0
    negated: bool = False

    def pin_at(self, pin: str) -> Point:
        """Where an input is, relative to the box."""
        names = [w.pin for w in self.wires]
        return 0, (1 + names.index(pin)) * ROW if self.kind == "block" else ROW // 2

    def output_at(self, pin: str) -> Point:
        """Where an output is, relative to the box."""
        row = (1 + self.outputs.index(pin)) * ROW if self.kind == "block" else ROW // 2
        return self.width, row


@dataclass
class Diagram:
    """Boxes of one network, the left upper corner at (0, 0)."""

    boxes: list[Box]
    width: int
    height: int


def drawn(
    steps: Sequence[Call | Set],
    real: str,
    outputs: dict[str, tuple[str, ...]],
    first_id: int,
    first_order: int,
    ladder: bool = False,
) -> Diagram:
    """The diagram of some steps. outputs: {block type: its outputs}. ladder: states that are only passed on as contact and coil."""
    return _Drawing(real, outputs, first_id, first_order, ladder).of(steps)


class _Drawing:
    def __init__(
        self, real: str, outputs: dict[str, tuple[str, ...]], first_id: int, first_order: int, ladder: bool
    ) -> None:
        self._real, self._outputs, self._ladder = real, outputs, ladder
        self._id, self._order = first_id, first_order
        self._boxes: list[Box] = []
        self._of: dict[str, Box] = {}
        self._stairs: list[Box] = []
        self._ends: list[Box] = []

    def of(self, steps: Sequence[Call | Set]) -> Diagram:
        for step in steps:
            if isinstance(step, Call):
                self._call(step)
            else:
                self._set(step)
        return self._placed()

    def _new(self, kind: str, text: str, **more: object) -> Box:
        box = Box(self._id, kind, text, **more)  # type: ignore[arg-type]
        self._id += 1
        self._boxes.append(box)
        return box

    def _ordered(self, box: Box) -> Box:
        box.order = self._order
        self._order += 1
        return box

    def _call(self, step: Call) -> None:
        real = real_of(step.type, self._real)
        wires = [(pin, *self._source(arg, real)) for pin, arg in step.pins]
        box = self._ordered(self._new("block", step.type, instance=step.instance, outputs=self._outputs[step.type]))
        box.wires = [Wire(pin, source.id, of, negated) for pin, source, of, negated in wires]
        self._of[step.instance] = box
        self._stairs.append(box)

    def _set(self, step: Set) -> None:
        of, negated = (step.to.of, True) if isinstance(step.to, Not) else (step.to, False)
        if self._ladder and isinstance(of, Var) and not of.convert:
            contact = self._new("contact", of.name, negated=negated, outputs=("",))
            coil = self._ordered(self._new("coil", step.name))
            coil.wires = [Wire("", contact.id, "")]
            self._ends.append(coil)
            return
        source, pin, negated = self._source(step.to, self._real)
        if negated:
            source, pin = self._function("NOT", [("IN", source, pin, False)]), "OUT"
        box = self._ordered(self._new("out", step.name))
        box.wires = [Wire("", source.id, pin)]
        self._ends.append(box)

    def _source(self, arg: Arg, real: str) -> tuple[Box, str, bool]:
        """(box, its pin, whether it is taken negated) that an argument comes from."""
        if isinstance(arg, Not):
            box, pin, _ = self._source(arg.of, real)
            return box, pin, True
        if isinstance(arg, Or):
            parts = [self._source(one, real) for one in (arg.a, arg.b)]
            return self._function("OR", [(f"IN{n}", *part) for n, part in enumerate(parts, start=1)]), "OUT", False
        if isinstance(arg, Is):
            box, pin, _ = self._source(arg.of, real)
            figure = self._new("in", str(arg.value), outputs=("",))
            return self._function("EQ", [("IN1", box, pin, False), ("IN2", figure, "", False)]), "OUT", False
        if isinstance(arg, Masked):
            word, mask, nothing = (
                self._new("in", text, outputs=("",)) for text in (arg.word, mask_text(arg.bit), "16#0000")
            )
            both = self._function("AND", [("IN1", word, "", False), ("IN2", mask, "", False)])
            sign = "NE" if arg.one else "EQ"
            return self._function(sign, [("IN1", both, "OUT", False), ("IN2", nothing, "", False)]), "OUT", False
        if isinstance(arg, Pin):
            source: tuple[Box, str] = self._of[arg.instance], arg.pin
        elif isinstance(arg, Var):
            source = self._new("in", arg.name, outputs=("",)), ""
        else:
            return self._new("in", arg_text(arg, real), outputs=("",)), "", False
        if arg.convert:
            return self._function(arg.convert, [("IN", *source, False)]), "OUT", False
        return (*source, False)

    def _function(self, name: str, wires: list[tuple[str, Box, str, bool]]) -> Box:
        box = self._ordered(self._new("block", name, outputs=("OUT",)))
        box.wires = [Wire(pin, source.id, of, negated) for pin, source, of, negated in wires]
        self._stairs.append(box)
        return box

    # Places.

    def _placed(self) -> Diagram:
        by_id = {box.id: box for box in self._boxes}
        x, y = 0, 0
        for box in self._stairs:
            x, y = self._step(box, by_id, x, y)
        # One column for all that is given out: its lanes stand before it.
        before = self._zone(self._ends, by_id)
        lane = x + LANE
        at = x + before
        width = at
        for box in self._ends:
            box.width, box.height = max(LETTER * len(box.text) + 16, 40), ROW
            box.x, box.y = at, y
            y += 2 * ROW
            lane = self._wired(box, by_id, lane)
            width = max(width, box.x + box.width)
        return Diagram(self._boxes, width, y)

    def _zone(self, boxes: Sequence[Box], by_id: dict[int, Box]) -> int:
        """Room before a column: a lane for each wire that comes from afar, then the widest of what stands right before a pin."""
        lanes = sum(by_id[w.source].kind not in ("in", "contact") for box in boxes for w in box.wires)
        near = [
            LETTER * len(by_id[w.source].text) + 16
            for box in boxes
            for w in box.wires
            if by_id[w.source].kind in ("in", "contact")
        ]
        return (lanes + 2) * LANE + max(near, default=0) + GAP

    def _step(self, box: Box, by_id: dict[int, Box], x: int, y: int) -> tuple[int, int]:
        names = [len(w.pin) for w in box.wires]
        longest = max(names, default=0) + max((len(o) for o in box.outputs), default=0)
        box.width = LETTER * max(longest + 3, len(box.text), len(box.instance)) + 16
        box.height = (2 + max(len(box.wires), len(box.outputs))) * ROW
        box.x, box.y = x + self._zone([box], by_id), y + ROW
        self._wired(box, by_id, x + LANE)
        return box.x + box.width + GAP, box.y + box.height + ROW

    def _wired(self, box: Box, by_id: dict[int, Box], lane: int) -> int:
        for wire in box.wires:
            source = by_id[wire.source]
            dx, dy = box.pin_at(wire.pin)
            end = (box.x + dx, box.y + dy)
            if source.kind in ("in", "contact"):
                source.width, source.height = LETTER * len(source.text) + 16, ROW
                source.x, source.y = box.x - GAP // 2 - source.width, end[1] - ROW // 2
                wire.path = (end, (source.x + source.width, end[1]))
                continue
            sx, sy = source.output_at(wire.source_pin)
            begin = (source.x + sx, source.y + sy)
            wire.path = (end, (lane, end[1]), (lane, begin[1]), begin)
            lane += LANE
        return lane
