"""What a joint is: the step from one station to the next, forwards, backwards, and with its working."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from canaleta.core.conventions import Conventions
from canaleta.core.image import PlantImage
from canaleta.core.quality import Reason, mark
from canaleta.core.text import as_typed

Floats = NDArray[np.float64]

__all__ = ["Chain", "Floats", "Joint", "PathRows", "Working"]


@dataclass(frozen=True)
class Working:
    """How one number came about: the formula, the same with figures, and where each came from."""

    formula: str
    figures: str
    source: str


class PathRows:
    """The columns that paths of some rows need, gathered once. Every array has shape (n,)."""

    def __init__(self, image: PlantImage, rows: NDArray[np.int64]) -> None:
        self.image = image
        self.rows = rows
        self.conventions: Conventions = image.conventions
        self._mode = image.mode[rows]
        self._table = image.layout.mode_table

    def __len__(self) -> int:
        return len(self.rows)

    def number(self, field: str) -> Floats:
        """A number field of these rows."""
        return self.image.number(field)[self.rows]

    def code(self, field: str) -> NDArray[np.int16]:
        """A choice field of these rows."""
        return self.image.code(field)[self.rows]

    def of_mode(self, column: str) -> Floats:
        """A column of the mode table for these rows, NaN where there is no mode."""
        values = getattr(self._table, column)
        if not len(values):
            return np.full(len(self.rows), np.nan)
        return np.where(self._mode >= 0, values[np.maximum(self._mode, 0)], np.nan)

    @property
    def has_mode(self) -> NDArray[np.bool_]:
        """Whether the channel's mode is known."""
        return self._mode >= 0

    @property
    def mode_family(self) -> NDArray[np.float64]:
        """The family of each mode, NaN where there is none."""
        return self.of_mode("family")

    def text(self, field: str) -> str:
        """A cell of the first row as it is shown in words and workings."""
        return as_typed(self.image.text(field, int(self.rows[0])))


class Joint(Protocol):
    """One step of the path. Arrays in and out have shape (n,), in the units of their stations."""

    def forward(self, p: PathRows, x: Floats) -> Floats:
        """The next station from this one."""

    def backward(self, p: PathRows, y: Floats) -> Floats:
        """This station from the next one."""

    def working(self, p: PathRows, x: float, y: float, forward: bool) -> Working:
        """The working of one row: x is this station, y the next."""


@dataclass(frozen=True)
class Chain:
    """The five joints between six stations for one family, and what its levels say of quality.

    describe and limits are for a PathRows of one row; limits are the signals at which the count stops, in words.
    """

    joints: tuple[Joint, Joint, Joint, Joint, Joint]
    reasons: _Reasons
    describe: _Describe
    limits: Callable[[PathRows], tuple[str, str]] = lambda p: ("", "")


class _Reasons(Protocol):
    def __call__(self, p: PathRows, stations: Floats) -> NDArray[np.uint32]:
        """Reasons for doubt from the stations, array (6, n)."""


@dataclass(frozen=True)
class StationWords:
    """How one station of one point is shown: unit, decimals, and up to three short lines under its figure."""

    unit: str
    decimals: int
    lines: tuple[str, ...]


class _Describe(Protocol):
    def __call__(self, p: PathRows) -> tuple[StationWords, ...]:
        """The words for the six stations of the one row in p."""


def decimals_for(span: float) -> int:
    """Decimals that show about one part in five thousand of a span."""
    if not np.isfinite(span) or span == 0:
        return 1
    return int(np.clip(3 - np.floor(np.log10(abs(span))), 0, 6))


def mode_reasons(p: PathRows, family: int) -> NDArray[np.uint32]:
    """NO_MODE where the channel has none; MODE_MISFIT where its mode is of another family."""
    out = np.zeros(len(p), dtype=np.uint32)
    mark(out, ~p.has_mode, Reason.NO_MODE)
    mark(out, p.has_mode & (p.mode_family != family), Reason.MODE_MISFIT)
    return out
