"""Rules about cores and terminals: each used once, each in a cable that has it."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from canaleta.core.model.fields import Station
from canaleta.core.model.image import PlantImage
from canaleta.core.notation.arrays import Rows
from canaleta.core.rules.finding import Finding
from canaleta.core.rules.rule import report, rule
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
