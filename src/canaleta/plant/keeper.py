"""The plant image that a process keeps, brought up to date from the change log."""

from __future__ import annotations

import threading
from typing import Any

from sqlalchemy import Connection, Engine, select

from canaleta.core.conventions import Conventions
from canaleta.core.fields import Stored
from canaleta.core.image import PlantImage
from canaleta.core.layout import Cabinet, Cable, Layout, Module, Rack
from canaleta.core.modules import ModuleType
from canaleta.plant import tables as t
from canaleta.plant.cells import from_row

__all__ = ["PlantKeeper", "load_layout"]


class PlantKeeper:
    """Keeps the newest image seen. Safe for threads: the image is immutable, the reference is swapped."""

    def __init__(self, engine: Engine) -> None:
        self._engine = engine
        self._image: PlantImage | None = None
        self._lock = threading.Lock()

    def current(self) -> PlantImage:
        """The image of everything committed so far. Raises LookupError if the database holds no plant."""
        with self._engine.connect() as connection:
            return self.caught_up(connection)

    def caught_up(self, connection: Connection) -> PlantImage:
        """The image as this connection's transaction sees the plant."""
        seq = connection.execute(select(t.plant.c.seq)).scalar_one_or_none()
        if seq is None:
            raise LookupError("the database holds no plant yet")
        with self._lock:
            image = self._image
        if image is None or seq < image.seq:
            image = _load(connection, seq)
        elif seq > image.seq:
            image = _advanced(connection, image, seq)
        self.adopt(image)
        return image

    def adopt(self, image: PlantImage) -> None:
        """Keep an image if it is newer than the one kept."""
        with self._lock:
            if self._image is None or image.seq >= self._image.seq:
                self._image = image


def load_layout(connection: Connection, conventions: Conventions) -> Layout:
    """The plant's hardware from the database."""
    types = {
        row.key: ModuleType.model_validate(row.body)
        for row in connection.execute(select(t.module_type.c.key, t.module_type.c.body).order_by(t.module_type.c.key))
    }
    cabinets = {
        row.id: Cabinet(row.id, row.name, row.title)
        for row in connection.execute(select(t.cabinet).order_by(t.cabinet.c.id))
    }
    racks = {
        row.id: Rack(
            row.id,
            row.cabinet,
            row.name,
            row.host,
            row.port,
            row.unit,
            row.period_ms,
            row.first_register,
            row.stand_in,
        )
        for row in connection.execute(select(t.rack).order_by(t.rack.c.id))
    }
    modules = {
        row.id: Module(row.id, row.rack, row.place, row.type_key, tuple(row.wired))
        for row in connection.execute(select(t.module).order_by(t.module.c.id))
    }
    cables = {row.id: Cable(**row) for row in connection.execute(select(t.cable).order_by(t.cable.c.id)).mappings()}
    return Layout(cabinets, racks, modules, types, conventions.channel_base, cables)


def _load(connection: Connection, seq: int) -> PlantImage:
    conventions = Conventions.model_validate(connection.execute(select(t.plant.c.conventions)).scalar_one())
    layout = load_layout(connection, conventions)
    rows = connection.execute(select(t.point).order_by(t.point.c.id)).mappings().all()
    return PlantImage.of_rows(
        (from_row(dict(row)) for row in rows), layout, conventions, seq, ids=(row["id"] for row in rows)
    )


def _advanced(connection: Connection, image: PlantImage, seq: int) -> PlantImage:
    """The image with the points that changed since; anything but points changed means a fresh load."""
    changed = connection.execute(
        select(t.change.c.entity, t.change.c.entity_id).where(t.change.c.seq > image.seq).distinct()
    ).all()
    points = [row.entity_id for row in changed]
    if any(row.entity != "point" for row in changed) or not all(image.has(point) for point in points):
        return _load(connection, seq)
    cells: dict[tuple[int, str], Stored] = {}
    rows: Any = connection.execute(select(t.point).where(t.point.c.id.in_(points))).mappings()
    for row in rows:
        at = image.row_of(row["id"])
        cells |= {(at, name): value for name, value in from_row(row).items() if image.cells[name][at] != value}
    return image.with_cells(cells, seq=seq)
