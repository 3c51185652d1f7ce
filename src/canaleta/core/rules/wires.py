"""Rules about cores and terminals: each used once, each in a cable that has it."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from canaleta.core.model.fields import Station
from canaleta.core.model.image import PlantImage
from canaleta.core.notation.arrays import Rows
from canaleta.core.notation.patterns import LONGEST_LINE, compiled
from canaleta.core.rules.finding import Cell, Finding, Fix
from canaleta.core.rules.rule import report, rule
from canaleta.core.signals.signal_types import Family
from canaleta.core.signals.strips import cores_of, terminals_of


@rule(
    "R02C",
    "a core twice",
    "one core, one use",
    ("cable", "cores", "tag"),
    group="cable",
    looks="the cores of each cable against what is claimed of them",
    severity="bad",
    harm="hides",
)
def core_twice(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """Two points on one core of a cable, a core the cable does not have, or a cable nobody has recorded."""
    claims: dict[tuple[str, int], list[int]] = {}
    for row in rows[image.filled("cable")[rows]].tolist():
        name = image.text("cable", row)
        cable = image.layout.cable_named.get(name.lower())
        if cable is None:
            yield _finding(
                image,
                [row],
                f"cable:{name.lower()}:{image.ids[row]}",
                "cable",
                f"there is no cable {name}: its cores cannot be told",
            )
            continue
        for number in cores_of(image.text("cores", row)):
            claims.setdefault((cable.name, number), []).append(row)
            if number > cable.cores:
                yield _finding(
                    image,
                    [row],
                    f"core:{cable.name}:{number}:{image.ids[row]}",
                    "cores",
                    f"{cable.name} has {cable.cores} cores and no core {number}",
                )
    for (name, number), claiming in claims.items():
        if len(claiming) > 1:
            tags = ", ".join(image.label(row) for row in claiming)
            yield _finding(
                image, claiming, f"twice:{name}:{number}", "cores", f"core {number} of {name} is claimed by {tags}"
            )


def _on_terminals(image: PlantImage, points: set[int]) -> set[int]:
    """The points that share a terminal's name with some points."""
    rows = [image.row_of(point) for point in points if image.has(point)]
    names = {t.name for row in rows for t in terminals_of(image.text("strip", row))}
    if not names:
        return set()
    wired = np.flatnonzero(image.filled("strip")).tolist()
    return {
        int(image.ids[row]) for row in wired if any(t.name in names for t in terminals_of(image.text("strip", row)))
    }


@rule(
    "R02T",
    "a terminal twice",
    "one terminal, one use",
    ("strip", "tag", "channel"),
    near=_on_terminals,
    looks="the terminals of each cabinet's strip",
    severity="bad",
    harm="hides",
)
def terminal_twice(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """Two points on one terminal of a cabinet's strip. Points without a channel are in no cabinet yet."""
    looked = set(rows.tolist())
    claims: dict[tuple[int, str], list[int]] = {}
    layout = image.layout
    for row in np.flatnonzero(image.filled("strip")).tolist():
        module = layout.modules.get(int(image.module[row]))
        if module is None:
            continue
        for terminal in terminals_of(image.text("strip", row)):
            claims.setdefault((layout.racks[module.rack].cabinet, terminal.name), []).append(row)
    for (cabinet, name), claiming in claims.items():
        if len(claiming) > 1 and looked & set(claiming):
            tags = ", ".join(image.label(row) for row in claiming)
            yield _finding(
                image,
                claiming,
                f"strip:{cabinet}:{name}",
                "strip",
                f"terminal {name} of {layout.cabinets[cabinet].name} is claimed by {tags}",
            )


def _finding(image: PlantImage, rows: list[int], key: str, field: str, text: str) -> Finding:
    return report(image, "R02T" if field == "strip" else "R02C", rows, Station.LOOP, text, (field,), about=key)


_BRIDGE = compiled(r"\s*([^\s;,\-\x{2013}]{1,12})\s*(?:-|\x{2013}|to)\s*([^\s;,\-\x{2013}]{1,12})\s*")
_SHORTS = frozenset(
    frozenset(pair)
    for pair in (
        ("plus", "minus"), ("24 V out", "0 V"), ("24 V out", "minus"), ("24 V out", "signal in"), ("signal in", "0 V"),
        ("signal out", "0 V"), ("signal in", "neutral"), ("signal out", "common"),
    )
)  # fmt: skip
"""Roles of terminals that a bridge must not join: the device is no longer read, or the output no longer reaches it."""
_SENSE = ("sense", "sense 2")


@rule(
    "R100",
    "a bridge that does not fit",
    "one conductor is one potential",
    ("bridged", "jumper", "wires", "signal", "channel", "mode"),
    severity="bad",
    harm="hides",
    looks="terminals of a channel that are bridged, against what they are for and what is said of the jumper",
)
def bridged(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """A bridge over the signal itself: whatever the device does is not read. A bridge to a sense terminal is the jumper of an
    element with fewer wires than its input: the jumper is said to be so, and there are fewer wires."""
    for row in rows[image.filled("bridged")[rows] & image.landed[rows]].tolist():
        roles = dict(
            image.layout.type_at(int(image.module[row]), int(image.channel[row])).terminal_marks(
                int(image.channel[row])
            )
        )
        point, text = int(image.ids[row]), image.text("bridged", row)
        for part in text.replace(",", ";").split(";"):
            found = _BRIDGE.fullmatch(part) if len(part) <= LONGEST_LINE else None
            if found is None:
                if part.strip():
                    says = f"“{part.strip()[:40]}” is no bridge between two terminals: write 2-3"
                    yield report(
                        image,
                        "R100",
                        [row],
                        Station.LOOP,
                        says,
                        ("bridged",),
                        about=f"{point}:text",
                        severity="note",
                        harm="confuses",
                    )
                    break
                continue
            one, other = found[1], found[2]
            joined = frozenset((roles.get(one, ""), roles.get(other, "")))
            if joined in _SHORTS:
                first, second = (roles[mark] for mark in (one, other))
                says = f"terminals {one} ({first}) and {other} ({second}) are bridged: what the device does is not seen any more"
                yield report(image, "R100", [row], Station.LOOP, says, ("bridged",), about=f"{point}:{one}-{other}")
            elif image.family[row] == Family.RESISTANCE and joined & set(_SENSE) and joined & {"plus", "minus"}:
                yield from _jumpers(image, row, one, other)


def _jumpers(image: PlantImage, row: int, one: str, other: str) -> Iterator[Finding]:
    """What a bridge to a sense terminal says against the wires and the jumper of the list."""
    point, jumper = int(image.ids[row]), image.text("jumper", row)
    wires, mode = image.number("wires")[row], int(image.mode[row])
    built = float(image.layout.mode_table.numbers["wires"][mode]) if mode >= 0 else np.nan
    if wires < built and jumper != "at the input":
        says = f"terminals {one} and {other} are bridged, which is the jumper at the input, and {f'the list has it {jumper}' if jumper else 'nobody says where it is'}"
        fix = Fix("the jumper is at the input", ((Cell(point, "jumper"), "at the input"),))
        yield report(
            image,
            "R100",
            [row],
            Station.LOOP,
            says,
            ("bridged", "jumper"),
            about=f"{point}:jumper",
            fixes=(fix,),
            severity="settle",
            harm="falsifies",
        )
    elif wires >= built:
        says = f"terminals {one} and {other} are bridged, and {wires:.0f} wires come to them: a lead counts into the reading"
        fix = Fix("no bridge", ((Cell(point, "bridged"), ""),))
        yield report(
            image,
            "R100",
            [row],
            Station.LOOP,
            says,
            ("bridged", "wires"),
            about=f"{point}:wires",
            fixes=(fix,),
            severity="settle",
            harm="falsifies",
        )
