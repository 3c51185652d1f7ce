"""States that are kept from one reading to the next, a column for each, and move along when the list changes."""

from __future__ import annotations

from abc import abstractmethod
from dataclasses import fields
from typing import ClassVar, Self

import numpy as np

from canaleta.core.notation.arrays import Rows

__all__ = ["Columns"]


class Columns:
    """The base of a dataclass of columns: arrays with an axis of the points (or alarms), the first, or the last where
    LAST_AXIS is set. What is no array is told of all of them together, and stays."""

    LAST_AXIS: ClassVar[bool] = False

    @classmethod
    @abstractmethod
    def begin(cls, n: int) -> Self:
        """The states of n new ones."""

    def take(self, rows: Rows) -> Self:
        """The states of other rows; -1 for one that is new."""
        new, known = self.begin(len(rows)), rows >= 0
        out = {}
        for field in fields(self):  # type: ignore[arg-type]
            now = getattr(self, field.name)
            if isinstance(now, np.ndarray):
                column = getattr(new, field.name).copy()
                to, of = ((..., known), (..., rows[known])) if self.LAST_AXIS else (known, rows[known])
                column[to] = now[of]
                now = column
            out[field.name] = now
        return type(self)(**out)
