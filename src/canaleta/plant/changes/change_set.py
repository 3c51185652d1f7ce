"""One change set: everything that changes together, whatever it is. Proposals, hardware, conventions, rows, typicals,
waivers, undo and revert all make one; preview and commit take one."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from canaleta.core.model.conventions import Conventions
from canaleta.core.model.fields import Stored
from canaleta.core.model.image import PlantImage
from canaleta.core.model.layout import Layout
from canaleta.plant.records.records import RecordChange

__all__ = ["CellChanges", "ChangeSet", "Points"]

CellChanges = dict[tuple[int, str], Stored]
"""Cells that change: {(row, field): stored value}."""
Points = Mapping[int, Mapping[str, Stored]]
"""Points by their numbers, with their cells that hold anything."""


@dataclass(frozen=True)
class ChangeSet:
    """What changes of a plant at once.

    cells: of points that are there and stay. added, removed: points that come and go. layout, conventions: as they are
    from now on, None where they stay. records: typicals and waivers that change.
    """

    cells: CellChanges = field(default_factory=dict)
    added: Points = field(default_factory=dict)
    removed: Points = field(default_factory=dict)
    layout: Layout | None = None
    conventions: Conventions | None = None
    records: Sequence[RecordChange] = ()

    @property
    def empty(self) -> bool:
        """Whether nothing changes."""
        return self.of_cells_alone and not self.cells and not self.records

    @property
    def of_cells_alone(self) -> bool:
        """Whether no point comes or goes and neither hardware nor conventions change."""
        return not (self.added or self.removed) and self.layout is None and self.conventions is None

    def after(self, image: PlantImage) -> PlantImage:
        """The image once this is done. The hardware first: a point may come back to a channel that comes back with
        it."""
        out = (image if self.layout is None else image.with_layout(self.layout)).with_cells(self.cells)
        if self.added or self.removed:
            out = out.with_points(self.added, self.removed)
        return out if self.conventions is None else out.with_conventions(self.conventions)
