"""Documents that are tables: terminal plans, cables, cores, alarms, registers, module cards. Each is rows with a key, so that
two of them can be held against each other."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass

import numpy as np

from canaleta.core.model.field_table import ALARM_LEVELS
from canaleta.core.model.image import PlantImage
from canaleta.core.notation.arrays import Rows
from canaleta.core.sheet.register_map import MAP_HEADS, map_rows
from canaleta.core.signals.strips import cores_of
from canaleta.core.wiring.circuit import Circuit, circuit_of
from canaleta.exchange.prints.paper import Column

__all__ = ["TABLES", "Row", "TableKind"]

Row = tuple[str, str, tuple[str, ...]]
"""(heading above it, key, cells)."""


@dataclass(frozen=True)
class TableKind:
    """A document. rows: of the points that are asked for; empty: what it says where there is none."""

    title: str
    columns: tuple[Column, ...]
    rows: Callable[[PlantImage, Rows], Iterator[Row]]
    empty: str


def _circuits(image: PlantImage, rows: Rows) -> Iterator[tuple[int, Circuit]]:
    for row in rows.tolist():
        circuit = circuit_of(image.only(np.array([row])), 0)
        if circuit is not None:
            yield row, circuit


def _cabinet(image: PlantImage, row: int) -> str:
    module = image.layout.modules.get(int(image.module[row]))
    return image.layout.cabinets[image.layout.racks[module.rack].cabinet].name if module else "no cabinet"


def _natural(text: str) -> tuple[tuple[int, int, str], ...]:
    """X2 before X10."""
    out, digits, letters = [], "", ""
    for letter in f"{text}\0":
        if letter.isdigit():
            if letters:
                out.append((1, 0, letters))
                letters = ""
            digits += letter
        else:
            if digits:
                out.append((0, int(digits[:15]), ""))
                digits = ""
            letters += letter
    return tuple(out)


def _terminals(image: PlantImage, rows: Rows) -> Iterator[Row]:
    """Strip by strip, in the order of their marks: what comes from the field, and where it goes inside."""
    found = []
    for row, circuit in _circuits(image, rows):
        for run in circuit.runs:
            if run.strip is None:
                continue
            heading = f"{_cabinet(image, row)}: strip {run.strip.strip}"
            core = " ".join(part for part in (str(run.number or ""), run.colour) if part)
            cells = (
                run.strip.mark, run.strip.kind or "plain", circuit.tag, run.mark, run.cable, core, run.end, run.role,
                circuit.module, circuit.channel,
            )  # fmt: skip
            found.append(
                (_natural(heading), _natural(run.strip.mark), heading, f"{image.ids[row]} {run.mark}", cells)
            )
    for _, _, heading, key, cells in sorted(found, key=lambda one: one[:2]):
        yield heading, key, cells


def _claims(image: PlantImage) -> dict[tuple[str, int], list[int]]:
    out: dict[tuple[str, int], list[int]] = {}
    for row in np.flatnonzero(image.filled("cable")).tolist():
        for number in cores_of(image.text("cores", row)):
            out.setdefault((image.text("cable", row).lower(), number), []).append(row)
    return out


def _of_rows(image: PlantImage, rows: Rows) -> set[str]:
    return {image.text("cable", row).lower() for row in rows.tolist() if image.filled("cable")[row]}


def _cables(image: PlantImage, rows: Rows) -> Iterator[Row]:
    mine, claims = _of_rows(image, rows), _claims(image)
    whole = len(rows) == len(image)
    for cable in sorted(image.layout.cables.values(), key=lambda c: _natural(c.name)):
        if not whole and cable.name.lower() not in mine:
            continue
        used = sum(1 for n in range(1, cable.cores + 1) if (cable.name.lower(), n) in claims)
        yield "", cable.name, (
            cable.name, cable.kind, str(cable.cores), f"{cable.mm2:g}" if cable.mm2 else "", f"{cable.length_m:g}" if cable.length_m else "",
            cable.begins, cable.ends, str(cable.cores - used), cable.colours,
        )  # fmt: skip


def _cores(image: PlantImage, rows: Rows) -> Iterator[Row]:
    mine, claims = _of_rows(image, rows), _claims(image)
    whole = len(rows) == len(image)
    ends = {
        (circuit.tag, run.cable.lower(), run.number): (run.mark, str(run.strip or ""), run.end)
        for row, circuit in _circuits(image, rows)
        for run in circuit.runs
        if run.cable
    }
    for cable in sorted(image.layout.cables.values(), key=lambda c: _natural(c.name)):
        if not whole and cable.name.lower() not in mine:
            continue
        heading = f"{cable.name}: {cable.begins or '?'} to {cable.ends or '?'}, {cable.kind}"
        for number in range(1, cable.cores + 1):
            claimed = claims.get((cable.name.lower(), number), [])
            tags = [image.label(row) for row in claimed]
            at = ends.get((tags[0] if tags else "", cable.name.lower(), number), ("", "", ""))
            yield (
                heading,
                f"{cable.name} {number}",
                (str(number), cable.core(number), ", ".join(tags) or "spare", *at),
            )


def _alarms(image: PlantImage, rows: Rows) -> Iterator[Row]:
    for row in rows.tolist():
        tag, service = image.label(row), image.text("service", row)
        unit, must = image.text("value_unit", row), image.text("respond_min", row)
        about = (image.text("consequence", row), f"{must} min" if must else "", image.text("trips", row))
        for level in ALARM_LEVELS[::-1]:
            if not (limit := image.text(f"alarm_{level}", row)):
                continue
            deadband, delay = image.text(f"alarm_{level}_deadband", row), image.text(f"alarm_{level}_delay", row)
            yield image.text("area", row) or "no area", f"{image.ids[row]} {level}", (
                tag, service, level.upper(), f"{limit} {unit}".strip(), deadband, f"{delay} s" if delay else "",
                image.text(f"alarm_{level}_priority", row), *about,
            )  # fmt: skip
        if state := image.text("alarm_state", row):
            word = image.text(f"text_{state}", row)
            delay = image.text("alarm_state_delay", row)
            yield image.text("area", row) or "no area", f"{image.ids[row]} state", (
                tag, service, "state", f"{state} {word}".strip(), "", f"{delay} s" if delay else "", "", *about,
            )  # fmt: skip


def _registers(image: PlantImage, rows: Rows) -> Iterator[Row]:
    wanted = {image.label(row) for row in rows.tolist()}
    picked = [MAP_HEADS.index(head) for head in _MAPPED]
    for row in map_rows(image):
        if row[0] in wanted:
            yield "", row[0], tuple(row[k] for k in picked)


_MAPPED = (
    "tag", "service", "table", "from 0", "with the table's digit", "type", "order", "times", "unit", "low", "high", "0 says",
    "1 says", "when bad", "good at", "read by",
)  # fmt: skip


def _cards(image: PlantImage, rows: Rows) -> Iterator[Row]:
    """Module by module, for the door: each channel with its terminals and what is on it, free ones too."""
    layout = image.layout
    wanted = {int(image.module[row]) for row in rows.tolist() if image.landed[row]}
    at = {(int(image.module[row]), int(image.channel[row])): row for row in np.flatnonzero(image.landed).tolist()}
    racks = sorted(layout.racks.values(), key=lambda r: (_natural(layout.cabinets[r.cabinet].name), _natural(r.name)))
    for rack in racks:
        for module in layout.modules_of(rack.id):
            kind = layout.type_of(module.id)
            if module.id not in wanted or not kind.channels:
                continue
            heading = f"{layout.cabinets[rack.cabinet].name}, rack {rack.name}, slot {layout.slots[module.id]}: {kind.title}"
            for channel in range(kind.channels):
                row = at.get((module.id, channel))
                own = layout.type_at(module.id, channel)
                marks = ", ".join(mark for mark, _ in own.terminal_marks(channel))
                told = (
                    ("free", "", "", "")
                    if row is None
                    else (
                        image.label(row),
                        image.text("service", row),
                        image.text("signal", row),
                        image.text("mode", row),
                    )
                )
                yield heading, f"{module.id} {channel}", (str(channel + layout.channel_base), marks, *told)


def _c(*columns: tuple[str, float] | tuple[str, float, bool]) -> tuple[Column, ...]:
    return tuple(Column(*column) for column in columns)


TABLES: dict[str, TableKind] = {
    "terminals": TableKind(
        "terminal plan",
        _c(("terminal", 12), ("kind", 12), ("device", 22), ("its mark", 12), ("cable", 24), ("core", 18), ("goes to", 20),
           ("role", 18), ("module", 34), ("channel", 24)),
        _terminals, "no point stands on a strip",
    ),
    "cables": TableKind(
        "cable list",
        _c(("cable", 26), ("kind", 40), ("cores", 10), ("mm²", 10), ("m", 10), ("from", 32), ("to", 24), ("spare", 10),
           ("colours", 44, True)),
        _cables, "no cable is known",
    ),
    "cores": TableKind(
        "core list",
        _c(("core", 10), ("colour", 22), ("device", 30), ("its mark", 16), ("strip", 24), ("ends at", 28)), _cores,
        "no cable is known",
    ),
    "alarms": TableKind(
        "alarm list",
        _c(("tag", 22), ("service", 46), ("alarm", 10), ("limit", 22), ("deadband", 14), ("delay", 12), ("priority", 16),
           ("consequence", 20), ("to act", 14), ("trips", 36, True)),
        _alarms, "no alarm is set",
    ),
    "registers": TableKind(
        "register map",
        _c(("tag", 22), ("service", 40), ("table", 22), ("from 0", 12), ("address", 14), ("type", 10), ("order", 12),
           ("times", 10), ("unit", 14), ("low", 14), ("high", 14), ("0 says", 16, True), ("1 says", 16, True), ("when bad", 14),
           ("good at", 24), ("read by", 24, True)),
        _registers, "no point is published",
    ),
    "cards": TableKind(
        "module cards",
        _c(("ch.", 8), ("terminals", 26), ("tag", 24), ("service", 60), ("signal", 22), ("mode", 28)), _cards,
        "no module holds a point",
    ),
}  # fmt: skip
"""Documents by what they are asked for as."""
