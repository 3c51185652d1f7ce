"""Changing the hardware: cabinets, racks, modules in their order, module types. Previewed, one change set, undone.

Operations are read one after the other against the layout as it is; what they make is one new layout. Points keep
their channels by the module, so moving a module moves nothing else; what loses its channel is named and waits.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from sqlalchemy import Connection, Engine, func, select

from canaleta.core.model.fields import Landing, Stored
from canaleta.core.model.image import PlantImage
from canaleta.core.model.layout import Layout, has_channel
from canaleta.core.model.links import is_serial
from canaleta.core.notation.networks import allowed_address
from canaleta.plant.changes.apply import Applied, Preview, commit, preview
from canaleta.plant.changes.change_set import CellChanges, ChangeSet
from canaleta.plant.changes.operations import Draft, HardwareError
from canaleta.plant.database import tables as t
from canaleta.plant.database.connection import take_plant_lock
from canaleta.plant.records.equipment import trouble_of
from canaleta.plant.records.image_cache import ImageCache

__all__ = ["HardwareChange", "Renumbered", "change_hardware", "plan_hardware", "preview_hardware"]


@dataclass(frozen=True)
class Renumbered:
    """A channel whose address or register changes while its point stays on it."""

    point: int
    was: str
    becomes: str
    register_was: int
    register: int


@dataclass(frozen=True)
class HardwareChange:
    """What operations make: the layout, the cells of points that follow, who loses a channel, who is renumbered."""

    layout: Layout
    changes: CellChanges
    freed: tuple[int, ...]
    renumbered: tuple[Renumbered, ...]
    preview: Preview | None = None


def plan_hardware(
    image: PlantImage,
    operations: Sequence[Mapping[str, Any]],
    last: Mapping[str, int],
    shut: tuple[str, int] = ("", 0),
) -> HardwareChange:
    """The layout after the operations. last: the greatest number ever given to a cabinet, rack, module and cable.
    shut: host and port of the database, where no rack may be looked for.

    Raises HardwareError; then nothing is changed.
    """
    draft = Draft(image, dict(last))
    for operation in operations:
        draft.do(operation)
    layout = draft.layout
    if says := trouble_of(layout):
        raise HardwareError(says)
    _reachable(image, layout, shut)
    changes: CellChanges = {}
    freed = []
    for row, at in enumerate(image.cells["channel"]):
        if isinstance(at, Landing) and not has_channel(layout, at):
            changes[row, "channel"] = None
            freed.append(int(image.ids[row]))
    changes |= _renamed_modes(image, layout, draft.renamed)
    for row, text in enumerate(image.cells["cable"] if draft.recalled else ()):
        if text is not None and (name := draft.recalled.get(str(text).lower())):
            changes[row, "cable"] = name
    return HardwareChange(layout, changes, tuple(freed), _renumbered(image, layout))


def preview_hardware(
    connection: Connection, image: PlantImage, operations: Sequence[Mapping[str, Any]]
) -> HardwareChange:
    """What operations would do, with nothing written. Raises HardwareError."""
    planned = plan_hardware(image, operations, _last(connection), _database(connection))
    return replace(planned, preview=preview(connection, image, ChangeSet(planned.changes, layout=planned.layout)))


def change_hardware(
    engine: Engine, cache: ImageCache, operations: Sequence[Mapping[str, Any]], who: str, why: str = ""
) -> tuple[Applied, HardwareChange]:
    """Do the operations as one change set. Raises HardwareError; then nothing is written."""
    with engine.begin() as connection:
        take_plant_lock(connection)
        image = cache.caught_up(connection)
        planned = plan_hardware(image, operations, _last(connection), _database(connection))
        same = planned.layout == image.layout
        change = ChangeSet(planned.changes, layout=None if same else planned.layout)
        applied = commit(connection, image, change, who, "hardware", why)
    cache.adopt(applied.image)
    return applied, planned


def _reachable(image: PlantImage, layout: Layout, shut: tuple[str, int]) -> None:
    """Racks that are new or moved must be where an administrator allows them, however their address came about."""
    networks = image.conventions.rack_networks
    for rack in layout.racks.values():
        before = image.layout.racks.get(rack.id)
        if before is not None and (before.host, before.port) == (rack.host, rack.port):
            continue
        if is_serial(rack.link):
            continue
        if not allowed_address(networks, rack.host, rack.port):
            raise HardwareError(
                f"{rack.host}:{rack.port} is outside the networks and ports that racks may be in", forbidden=True
            )
        if (rack.host, rack.port) == shut:
            raise HardwareError(f"{rack.host}:{rack.port} is the database, no rack", forbidden=True)


def _database(connection: Connection) -> tuple[str, int]:
    url = connection.engine.url
    host = "127.0.0.1" if url.host == "localhost" else url.host or ""
    return host, url.port or 5432


def _renamed_modes(image: PlantImage, layout: Layout, renamed: Mapping[str, Mapping[str, str]]) -> CellChanges:
    """Points follow a mode that is only called something else now."""
    out: dict[tuple[int, str], Stored] = {}
    for row in np.flatnonzero(image.module >= 0).tolist():
        module = layout.modules.get(int(image.module[row]))
        if module and (names := renamed.get(module.type_key)) and (now := names.get(image.text("mode", row))):
            out[row, "mode"] = now
    return out


def _renumbered(image: PlantImage, layout: Layout) -> tuple[Renumbered, ...]:
    before = image.layout
    if before is layout:
        return ()
    out = []
    for row in np.flatnonzero(image.landed).tolist():
        at = image.cells["channel"][row]
        if not has_channel(layout, at):
            continue
        was, becomes = before.address(at.module, at.channel), layout.address(at.module, at.channel)
        registers = before.first_registers[at.module], layout.first_registers[at.module]
        if was != becomes or registers[0] != registers[1]:
            out.append(Renumbered(int(image.ids[row]), was, becomes, *registers))
    return tuple(out)


def _last(connection: Connection) -> dict[str, int]:
    """The greatest number ever given; history speaks of what was taken away, so none is given twice."""
    out = {}
    for kind, table in (("cabinet", t.cabinet), ("rack", t.rack), ("module", t.module), ("cable", t.cable)):
        now = connection.execute(select(func.coalesce(func.max(table.c.id), 0))).scalar_one()
        gone = connection.execute(
            select(func.coalesce(func.max(t.change.c.entity_id), 0)).where(t.change.c.entity == kind)
        ).scalar_one()
        out[kind] = max(int(now), int(gone))
    return out
