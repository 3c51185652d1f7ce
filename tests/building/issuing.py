"""A list that was issued."""

from __future__ import annotations

from sqlalchemy import insert

from canaleta.exchange.project import project_of
from canaleta.plant.changes.revisions import put_up
from canaleta.plant.database import tables as t
from canaleta.plant.records.image_cache import ImageCache
from tests.building.database import Database


def issue(database: Database) -> None:
    """The list as it stands, issued: signatures are another test's matter."""
    made = put_up(
        database.engine, ImageCache(database.engine), lambda c, image: project_of(c, image).model_dump(mode="json"),
        "A", "", "for trying", "ana",
    )  # fmt: skip
    with database.owner.begin() as connection:
        for meaning in ("checked", "issued"):
            connection.execute(
                insert(t.signature).values(revision=made.id, meaning=meaning, who="bru", name="Bru", hash="")
            )
