"""Somebody at a desk, who edits."""

from __future__ import annotations

from canaleta.plant.changes.apply import Applied, Edit, Planned, Proposal, apply
from canaleta.plant.records.findings import stored_findings
from canaleta.plant.records.image_cache import ImageCache
from tests.building.database import Database


class Desk:
    """A person at the list: edits by tag-less shorthand, against a database."""

    def __init__(self, database: Database, who: str = "ana") -> None:
        self.engine, self.who = database.engine, who
        self.cache = ImageCache(self.engine)

    def text(self, point: int, field: str) -> str:
        image = self.cache.current()
        return image.text(field, image.row_of(point))

    def propose(self, *edits: tuple[int, str, str], was: str | None = None) -> Applied | Planned:
        made = tuple(Edit(p, f, self.text(p, f) if was is None else was, typed) for p, f, typed in edits)
        return apply(self.engine, self.cache, Proposal(made), self.who)

    def edit(self, *edits: tuple[int, str, str]) -> Applied:
        done = self.propose(*edits)
        assert isinstance(done, Applied), done
        return done

    def findings(self) -> list[str]:
        """Keys of what is found at points; spares are the plant's matter."""
        with self.engine.connect() as connection:
            return [body["key"] for body in stored_findings(connection) if body["cells"]]
