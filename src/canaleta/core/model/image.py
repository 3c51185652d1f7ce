"""The plant as columns: what the core computes on. Immutable; what-if is the image with some cells replaced.

Cells hold what is stored (text, Decimal, Landing). Numeric columns are derived from them once, kept, and
carried over to the next image with only the changed rows worked out again.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from canaleta.core.model.conventions import Conventions
from canaleta.core.model.fields import STORED, Landing, Stored, field_named, written
from canaleta.core.model.layout import Layout
from canaleta.core.notation.arrays import Bools, Floats, Rows
from canaleta.core.notation.tags import letters_code
from canaleta.core.notation.units import unit_places
from canaleta.core.signals.signal_types import SIGNALS, Family

__all__ = ["PlantImage"]

_ALL = slice(None)
_FAMILY_OF = {signal.name: signal.family for signal in SIGNALS}


@dataclass(frozen=True)
class PlantImage:
    """All points of a plant at one sequence number.

    ids: (n,) int64, the identity of each row. cells: {field name: (n,) object array of stored values}.
    """

    seq: int
    ids: NDArray[np.int64]
    cells: Mapping[str, NDArray[np.object_]]
    layout: Layout
    conventions: Conventions
    _kept: dict[str, NDArray[np.generic]] = field(default_factory=dict, repr=False, compare=False)
    _worked_out: dict[str, Any] = field(init=False, default_factory=dict, repr=False, compare=False)

    @classmethod
    def of_rows(
        cls,
        rows: Iterable[Mapping[str, Stored]],
        layout: Layout,
        conventions: Conventions | None = None,
        seq: int = 0,
        ids: Iterable[int] | None = None,
    ) -> PlantImage:
        """An image from one mapping a point; missing fields are empty, ids are 1, 2, 3 … if not given."""
        listed = list(rows)
        filled = {name for row in listed for name in row}
        columns = {f.name: [row.get(f.name) for row in listed] for f in STORED if f.name in filled}
        return cls.of_columns(
            columns, list(ids) if ids is not None else range(1, len(listed) + 1), layout, conventions, seq
        )

    @classmethod
    def of_columns(
        cls,
        columns: Mapping[str, Sequence[Stored]],
        ids: Sequence[int],
        layout: Layout,
        conventions: Conventions | None = None,
        seq: int = 0,
    ) -> PlantImage:
        """An image from columns; a field without one is empty throughout, which costs no memory."""
        cells = {}
        for f in STORED:
            values = columns.get(f.name)
            if values is None:
                cells[f.name] = _nothing(len(ids))
                continue
            cells[f.name] = column = np.empty(len(ids), dtype=object)
            column[:] = values
        return cls(seq, np.array(ids, dtype=np.int64), cells, layout, conventions or Conventions())

    def __len__(self) -> int:
        return len(self.ids)

    @cached_property
    def _row_of(self) -> dict[int, int]:
        return {int(identity): row for row, identity in enumerate(self.ids)}

    def row_of(self, identity: int) -> int:
        """The row of a point. Raises KeyError if the plant has no such point."""
        return self._row_of[identity]

    def has(self, identity: int) -> bool:
        """Whether the plant has a point of this identity."""
        return identity in self._row_of

    def text(self, name: str, row: int) -> str:
        """A cell as the API carries it."""
        value = self.cells[name][row]
        return self._landed_text(value) if isinstance(value, Landing) else written(value)

    def texts(self, name: str, rows: Rows | None = None) -> list[str]:
        """A column as the API carries it, of some rows or of all: many times as fast as cell by cell."""
        column = self.cells[name]
        if self.is_empty(name):
            return [""] * (len(self) if rows is None else len(rows))
        values = column if rows is None else column[rows]
        return [
            v if type(v) is str else "" if v is None else self._landed_text(v) if type(v) is Landing else written(v)
            for v in values
        ]

    def filled_texts(self) -> list[dict[str, str]]:
        """{field: text} of each row, without the empty ones, in the order of the fields."""
        out: list[dict[str, str]] = [{} for _ in range(len(self))]
        for f in STORED:
            if not self.is_empty(f.name):
                for cells, text in zip(out, self.texts(f.name), strict=True):
                    if text:
                        cells[f.name] = text
        return out

    def is_empty(self, name: str) -> bool:
        """Whether a column is known to be empty throughout."""
        return self.cells[name].strides == (0,)

    def _landed_text(self, at: Landing) -> str:
        return self.layout.address(at.module, at.channel)

    def label(self, row: int) -> str:
        """The point's tag, for messages."""
        return self.cells["tag"][row] or "(no tag)"

    # Derived columns -------------------------------------------------------------------------------

    def stale_after_s(self, rack: int) -> float:
        """The age in s at which a reading of a rack is stale: so many of its periods as the plant says."""
        return self.conventions.stale_after_periods * self.layout.racks[rack].period_ms / 1000.0

    def number(self, name: str) -> Floats:
        """A number field as float64, NaN where empty."""
        return self._column(f"number:{name}")  # type: ignore[return-value]

    def code(self, name: str) -> NDArray[np.int16]:
        """A choice field as index into its choices, -1 where empty."""
        return self._column(f"code:{name}")  # type: ignore[return-value]

    def filled(self, name: str) -> Bools:
        """Whether a cell holds anything."""
        return self._column(f"filled:{name}")  # type: ignore[return-value]

    def folded(self, name: str) -> NDArray[np.object_]:
        """A text field whatever its case, None where empty."""
        return self._column(f"folded:{name}")  # type: ignore[return-value]

    @property
    def letters(self) -> NDArray[np.int64]:
        """The letters of each point's tag as one number (core.notation.tags.letters_in), 0 for none."""
        return self._column("letters:tag")  # type: ignore[return-value]

    def unit(self, name: str) -> NDArray[np.int16]:
        """A unit field as index into the table of units, -1 where empty."""
        return self._column(f"unit:{name}")  # type: ignore[return-value]

    def once(self, name: str, make: Callable[[], Any]) -> Any:
        """What is worked out of the whole image, kept with it: an image with an edit works it out anew."""
        if name not in self._worked_out:
            self._worked_out[name] = make()
        return self._worked_out[name]

    @property
    def family(self) -> NDArray[np.int8]:
        """The family of each point's signal."""
        return self._column("family")  # type: ignore[return-value]

    @property
    def module(self) -> Rows:
        """The module each point claims, -1 for none."""
        return self._column("module")  # type: ignore[return-value]

    @property
    def channel(self) -> Rows:
        """The channel each point claims, counted from 0, -1 for none."""
        return self._column("channel")  # type: ignore[return-value]

    @property
    def landed(self) -> Bools:
        """Whether the point holds its channel."""
        return self._column("landed")  # type: ignore[return-value]

    @property
    def mode(self) -> NDArray[np.int32]:
        """The row of each point's mode in the mode table, -1 where the channel has no such mode."""
        return self._column("mode")  # type: ignore[return-value]

    def _column(self, name: str) -> NDArray[np.generic]:
        if name not in self._kept:
            self._kept[name] = self._derive(name, self.cells, _ALL)
        return self._kept[name]

    def _derive(self, name: str, cells: Mapping[str, NDArray[np.object_]], rows: slice | Rows) -> NDArray[np.generic]:
        kind, _, of = name.partition(":")
        if of and cells[of].strides == (0,):
            # Most fields are empty in most plants: nobody walks through fifty thousand times nothing.
            empty: dict[str, tuple[object, Any]] = {
                "number": (np.nan, np.float64), "filled": (False, np.bool_), "code": (-1, np.int16), "unit": (-1, np.int16), "letters": (0, np.int64), "folded": (None, np.object_),
            }  # fmt: skip
            value, dtype = empty[kind]
            return np.full(len(cells[of][rows]), value, dtype=dtype)
        if kind == "number":
            return np.array([np.nan if v is None else float(v) for v in cells[of][rows]], dtype=np.float64)
        if kind == "folded":
            out = np.empty(len(cells[of][rows]), dtype=object)
            out[:] = [None if v is None else v.casefold() for v in cells[of][rows]]
            return out
        if kind == "filled":
            return np.array([v is not None for v in cells[of][rows]], dtype=np.bool_)
        if kind == "code":
            codes = {choice: code for code, choice in enumerate(field_named(of).choices)}
            return np.array([codes.get(v, -1) for v in cells[of][rows]], dtype=np.int16)
        if kind == "letters":
            # Most tags begin with the letters before their dash, and there are few of those.
            heads = [v.partition("-")[0] if v else "" for v in cells[of][rows]]
            known = {head: letters_code(head) for head in set(heads)}
            numbers = [known[head] or letters_code(v or "") for head, v in zip(heads, cells[of][rows], strict=True)]
            return np.array(numbers, dtype=np.int64)
        if kind == "unit":
            places = unit_places()
            return np.array([-1 if v is None else places.get(v, -1) for v in cells[of][rows]], dtype=np.int16)
        if kind == "family":
            return np.array([_FAMILY_OF.get(v, Family.NONE) for v in cells["signal"][rows]], dtype=np.int8)
        landings = cells["channel"][rows]
        if kind == "mode":
            table, modules = self.layout.mode_table.rows, self.layout.modules
            limited = self.layout.mode_table.limited
            found = [
                -1 if at is None else table.get((modules[at.module].type_key, wish), -1)
                for at, wish in zip(landings, cells["mode"][rows], strict=True)
            ]
            if limited:
                # A mode that other channels of the module have is none of this one's.
                found = [
                    -1 if at is not None and m in limited and at.channel not in limited[m] else m
                    for m, at in zip(found, landings, strict=True)
                ]
            return np.array(found, dtype=np.int32)
        pick: Callable[[Landing | None], int] = {
            "module": lambda at: at.module if at else -1,
            "channel": lambda at: at.channel if at else -1,
            "landed": lambda at: bool(at and at.landed),
        }[kind]
        return np.array([pick(at) for at in landings], dtype=np.bool_ if kind == "landed" else np.int64)

    # What-if ---------------------------------------------------------------------------------------

    def with_cells(self, changes: Mapping[tuple[int, str], Stored], seq: int | None = None) -> PlantImage:
        """The image with some cells replaced: {(row, field name): stored value}. Everything else is shared."""
        by_field: dict[str, list[tuple[int, Stored]]] = {}
        for (row, name), value in changes.items():
            by_field.setdefault(name, []).append((row, value))
        cells = dict(self.cells)
        for name, values in by_field.items():
            column = cells[name].copy()
            for row, value in values:
                column[row] = value
            cells[name] = column
        kept = dict(self._kept)
        rows = np.array(sorted({row for row, _ in changes}), dtype=np.int64)
        for name, known in self._kept.items():
            if self._reads(name) & by_field.keys():
                renewed = known.copy()
                renewed[rows] = self._derive(name, cells, rows)
                kept[name] = renewed
        out = replace(self, seq=self.seq if seq is None else seq, cells=cells, _kept=kept)
        if "_row_of" in self.__dict__:
            out.__dict__["_row_of"] = self._row_of
        return out

    def with_points(self, added: Mapping[int, Mapping[str, Stored]], removed: Iterable[int] = ()) -> PlantImage:
        """The image with points added, each in its place by its identity, and some taken away."""
        gone = list(removed)
        stay = np.flatnonzero(~np.isin(self.ids, gone))
        # Where nobody goes, columns are joined as they are: picking rows copies every cell of every column.
        left: Callable[[NDArray[Any]], NDArray[Any]] = (
            (lambda column: column[stay]) if gone else (lambda column: column)
        )
        filled = {name for values in added.values() for name, value in values.items() if value is not None}
        cells, new = {}, {}
        for name, column in self.cells.items():
            if name not in filled:
                new[name] = _nothing(len(added))
            else:
                new[name] = np.empty(len(added), dtype=object)
                new[name][:] = [values.get(name) for values in added.values()]
            if column.strides == (0,) and name not in filled:
                cells[name] = _nothing(len(stay) + len(added))
            else:
                cells[name] = np.concatenate((left(column), new[name]))
        ids = np.concatenate((left(self.ids), np.array(list(added), dtype=np.int64)))
        kept = {
            name: np.concatenate((left(column), self._derive(name, new, _ALL))) for name, column in self._kept.items()
        }
        if len(added) and len(stay) and min(added) < ids[len(stay) - 1]:
            # A point that comes back takes its place among the others by its identity.
            order = np.argsort(ids, kind="stable")
            ids = ids[order]
            cells = {name: column if column.strides == (0,) else column[order] for name, column in cells.items()}
            kept = {name: column[order] for name, column in kept.items()}
        return replace(self, ids=ids, cells=cells, _kept=kept)

    def with_conventions(self, conventions: Conventions) -> PlantImage:
        """The image under other conventions; labels of channels follow, nothing that is stored changes."""
        layout = replace(self.layout, channel_base=conventions.channel_base)
        return replace(self, conventions=conventions, layout=layout, _kept=dict(self._kept))

    def with_layout(self, layout: Layout) -> PlantImage:
        """The image on other hardware: claims stay, what a mode means is looked up anew."""
        kept = {name: column for name, column in self._kept.items() if name != "mode"}
        return replace(self, layout=layout, _kept=kept)

    def only(self, rows: Rows) -> PlantImage:
        """An image of some rows alone: for working on one point without copying the plant's columns."""
        return replace(
            self,
            ids=self.ids[rows],
            cells={name: column[rows] for name, column in self.cells.items()},
            _kept={name: column[rows] for name, column in self._kept.items()},
        )

    @staticmethod
    def _reads(column: str) -> set[str]:
        kind, _, of = column.partition(":")
        return {of} if of else {"signal"} if kind == "family" else {"channel", "mode"}


def _nothing(rows: int) -> NDArray[np.object_]:
    """A column of empty cells, all of them one: most fields are empty in most plants."""
    return np.broadcast_to(np.array(None, dtype=object), (rows,))
