"""Loading a plant document into an empty database: hardware first, then points as texts typed into cells."""

from __future__ import annotations

from dataclasses import asdict

from sqlalchemy import Connection, delete, insert, select, text

from canaleta.catalogue.demo import DemoPlant, layout_of
from canaleta.catalogue.types import starter_typicals
from canaleta.core.model.conventions import Conventions
from canaleta.core.model.fields import Landing, Stored, field_named
from canaleta.core.model.image import PlantImage
from canaleta.core.model.layout import Layout
from canaleta.plant.changes.apply import reaudit
from canaleta.plant.database import tables as t
from canaleta.plant.database.cells import read_alone
from canaleta.plant.records.image_cache import ImageCache
from canaleta.plant.records.points import copy_points
from canaleta.plant.records.typicals import load_typicals

__all__ = [
    "clear_untouched",
    "has_plant",
    "is_untouched",
    "load_document",
    "new_plant",
    "stored_row",
    "write_hardware",
]


def has_plant(connection: Connection) -> bool:
    """Whether the database holds a plant already."""
    return connection.execute(select(t.plant.c.name)).first() is not None


def is_untouched(connection: Connection) -> bool:
    """Whether the plant is as `start --no-demo` makes it: nothing in it, and nothing ever changed."""
    return not any(
        connection.execute(select(one)).first() is not None
        for one in (t.change_set.c.seq, t.point.c.id, t.cabinet.c.id)
    )


def clear_untouched(connection: Connection) -> str:
    """Take an untouched plant away, so that another takes its place. Returns its name."""
    name = plant_name(connection)
    for table in (t.typical, t.plant):
        connection.execute(delete(table))
    return name


def plant_name(connection: Connection) -> str:
    """What the plant is called. Raises NoResultFound without one."""
    return str(connection.execute(select(t.plant.c.name)).scalar_one())


def new_plant(connection: Connection, name: str) -> None:
    """An empty plant with the default conventions and the starter typicals."""
    connection.execute(insert(t.plant).values(name=name, conventions=Conventions().model_dump()))
    load_typicals(connection, starter_typicals())


def load_document(connection: Connection, document: DemoPlant) -> int:
    """Load a plant into an empty database. Returns how many points; raises TextError for an unreadable cell."""
    new_plant(connection, document.name)
    layout = layout_of(document)
    write_hardware(connection, layout)
    empty = PlantImage.of_rows([{}], layout)
    rows = [stored_row(empty, point) for point in document.points]
    copy_points(connection, dict(enumerate(rows, start=1)))
    connection.execute(text("analyze point"))
    cache = ImageCache(connection.engine)
    reaudit(connection, cache.caught_up(connection))
    return len(rows)


def stored_row(empty: PlantImage, texts: dict[str, str]) -> dict[str, Stored]:
    """Stored values of one point of a document. empty: an image with the plant's layout and one empty row."""
    out: dict[str, Stored] = {}
    for name, typed in texts.items():
        values = read_alone(empty.layout, field_named(name), typed)
        out |= {k: v._replace(landed=True) if isinstance(v, Landing) else v for k, v in values.items()}
    return out


def write_hardware(connection: Connection, layout: Layout) -> None:
    """Write module types, cabinets, racks and modules into an empty database."""
    if layout.cables:
        connection.execute(insert(t.cable), [asdict(cable) for cable in layout.cables.values()])
    if not layout.cabinets:
        return
    for key, kind in layout.types.items():
        connection.execute(insert(t.module_type).values(key=key, body=kind.model_dump(mode="json")))
    connection.execute(insert(t.cabinet), [asdict(c) for c in layout.cabinets.values()])
    connection.execute(
        insert(t.rack),
        [asdict(r) for r in layout.racks.values()],
    )
    connection.execute(
        insert(t.module),
        [asdict(m) for m in layout.modules.values()],
    )
