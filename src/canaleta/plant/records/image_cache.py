"""The plant image that a process keeps, brought up to date from the change log."""

from __future__ import annotations

import threading
from collections.abc import Callable, Sequence
from typing import Any

from sqlalchemy import Connection, Engine, Numeric, func, select

from canaleta.core.model.conventions import Conventions
from canaleta.core.model.fields import STORED, Kind, Landing, Stored
from canaleta.core.model.image import PlantImage
from canaleta.core.model.layout import Cabinet, Cable, Layout, Module, Rack
from canaleta.core.model.module_type import ModuleType
from canaleta.plant.database import tables as t
from canaleta.plant.database.cells import from_row
from canaleta.plant.records.points import ADDED, INSTRUMENT, PACKAGE, REMOVED, TYPICAL

__all__ = ["ImageCache", "load_layout"]

_BESIDE = (TYPICAL, INSTRUMENT, PACKAGE)
"""Kept beside the list: the image holds none of them."""
_ROWS = ("point", ADDED, REMOVED, *_BESIDE)
"""What a change set may hold without the plant being loaded anew."""
FETCHED = 2000
MANY = 5000
"""Changed points from which loading all columns is quicker than reading rows."""


class ImageCache:
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
        row.id: Cabinet(row.id, row.name, row.title, row.ambient_degc)
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
            row.function,
            row.link,
            row.line,
            row.path,
            row.security,
            row.username,
            row.trusted,
            row.quiet_s,
            row.head,
        )
        for row in connection.execute(select(t.rack).order_by(t.rack.c.id))
    }
    modules = {
        row.id: Module(
            row.id,
            row.rack,
            row.place,
            row.type_key,
            tuple(row.wired),
            tuple(row.names),
            row.label,
            row.comment,
            tuple(row.remarks),
            tuple(row.off),
            row.firmware,
        )
        for row in connection.execute(select(t.module).order_by(t.module.c.id))
    }
    cables = {row.id: Cable(**row) for row in connection.execute(select(t.cable).order_by(t.cable.c.id)).mappings()}
    return Layout(cabinets, racks, modules, types, conventions.channel_base, cables)


def _load(connection: Connection, seq: int) -> PlantImage:
    conventions = Conventions.model_validate(connection.execute(select(t.plant.c.conventions)).scalar_one())
    layout = load_layout(connection, conventions)
    # Most of the many fields are empty in most plants: only those that hold something are read.
    stored = [f for f in STORED if f.kind is not Kind.ADDRESS]
    counted = connection.execute(select(*(func.count(t.point.c[f.name]) for f in stored))).one()
    filled = [f for f, count in zip(stored, counted, strict=True) if count]
    wanted = [t.point.c[f.name] for f in filled]
    place = (t.point.c.id, t.point.c.module, t.point.c.channel, t.point.c.landed)
    # A few rows at a time, each value kept once however many points have it: all of them at once would leave memory
    # behind that nobody can use.
    rows = connection.execute(
        select(*place, *wanted).order_by(t.point.c.id), execution_options={"yield_per": FETCHED}
    )
    # 780 and 780.0 are equal and not the same: figures are told apart by how they are written.
    keys: list[Callable[[Any], Any] | None] = [
        str if isinstance(c.type, Numeric) else None for c in (*place, *wanted)
    ]
    known: list[dict[Any, Stored]] = [{} for _ in keys]
    columns: list[list[Any]] = [[] for _ in keys]
    for some in rows.partitions():
        for column, key, kept, values in zip(columns, keys, known, zip(*some, strict=True), strict=True):
            column += (
                [kept.setdefault(value, value) for value in values]
                if key is None
                else [None if value is None else kept.setdefault(key(value), value) for value in values]
            )
    del known
    ids, modules, channels, landed, *texts = columns
    cells: dict[str, Sequence[Stored]] = {f.name: column for f, column in zip(filled, texts, strict=True)}
    cells["channel"] = [
        None if m is None else Landing(m, c, held) for m, c, held in zip(modules, channels, landed, strict=True)
    ]
    return PlantImage.of_columns(cells, ids, layout, conventions, seq)


def _advanced(connection: Connection, image: PlantImage, seq: int) -> PlantImage:
    """The image with the points that changed, came or went since; anything else changed means a fresh load."""
    changed = connection.execute(
        select(t.change.c.entity, t.change.c.entity_id).where(t.change.c.seq > image.seq).distinct()
    ).all()
    if any(row.entity not in _ROWS for row in changed) or len(changed) > MANY:
        return _load(connection, seq)
    numbers = {row.entity_id for row in changed if row.entity not in _BESIDE}
    rows: Any = connection.execute(select(t.point).where(t.point.c.id.in_(numbers)).order_by(t.point.c.id)).mappings()
    now = {row["id"]: from_row(row) for row in rows}
    gone = [number for number in numbers if image.has(number) and number not in now]
    new = {number: cells for number, cells in now.items() if not image.has(number)}
    cells: dict[tuple[int, str], Stored] = {}
    for number, values in now.items():
        if number not in new:
            at = image.row_of(number)
            cells |= {(at, name): value for name, value in values.items() if image.cells[name][at] != value}
    after = image.with_cells(cells, seq=seq)
    return after.with_points(new, gone) if new or gone else after
