"""Tables of points people type: straight between them or a monotone cubic, forwards and backwards."""

from __future__ import annotations

import itertools
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from decimal import Decimal
from functools import cached_property, lru_cache

import numpy as np
from numpy.typing import ArrayLike

from canaleta.core.notation.arrays import Bools, Floats
from canaleta.core.notation.text import TextError, plain, read_number
from canaleta.core.signals.monotone import MonotoneCubic

__all__ = ["MOST_POINTS", "Table", "read_table", "table_of", "through_tables"]

MOST_POINTS = 256
_NEWTON_STEPS = 60
_SETTLED = 1e-14


@dataclass(frozen=True)
class Table:
    """Points (x, y) with x rising. cubic: the monotone cubic between them, else straight lines."""

    points: tuple[tuple[float, float], ...]
    cubic: bool = False

    @cached_property
    def x(self) -> Floats:
        """x of each point, rising."""
        return np.array([p[0] for p in self.points], dtype=np.float64)

    @cached_property
    def y(self) -> Floats:
        """y of each point."""
        return np.array([p[1] for p in self.points], dtype=np.float64)

    @property
    def direction(self) -> int:
        """1 if y rises all the way, -1 if it falls, 0 if it does neither: then there is no inverse."""
        steps = np.diff(self.y)
        return 1 if (steps > 0).all() else -1 if (steps < 0).all() else 0

    def turns_at(self) -> int | None:
        """The first point (counted from 1) where y no longer goes the way it began, None if it never turns."""
        steps = np.sign(np.diff(self.y))
        wrong = np.flatnonzero((steps != steps[0]) | (steps == 0))
        return int(wrong[0]) + 2 if len(wrong) else None

    def forward(self, x: ArrayLike) -> Floats:
        """y at each x. Beyond the ends the last piece runs on straight; what is done there is the policy's."""
        at = np.asarray(x, dtype=np.float64)
        inside = np.clip(at, self.x[0], self.x[-1])
        y = self._cubic(inside) if self.cubic else np.interp(inside, self.x, self.y)
        return np.asarray(y + (at - inside) * self._end_slope(at), dtype=np.float64)

    def inverse(self, y: ArrayLike) -> Floats:
        """x at each y; NaN everywhere if y neither rises nor falls all the way."""
        at = np.asarray(y, dtype=np.float64)
        if self.direction == 0:
            return np.full(at.shape, np.nan)
        up = self.y[:: self.direction]
        across = self.x[:: self.direction]
        inside = np.clip(at, up[0], up[-1])
        x = self._solve(inside) if self.cubic else np.interp(inside, up, across)
        with np.errstate(divide="ignore", invalid="ignore"):
            beyond = (at - inside) / self._end_slope(x)
        return np.asarray(x + np.where(at == inside, 0.0, beyond), dtype=np.float64)

    def slope(self, x: ArrayLike) -> Floats:
        """dy/dx of the cubic at each x inside the table."""
        return self._cubic.slope(np.asarray(x, dtype=np.float64))

    @cached_property
    def _cubic(self) -> MonotoneCubic:
        return MonotoneCubic(self.x, self.y)

    def _end_slope(self, x: Floats) -> Floats:
        first = (self.y[1] - self.y[0]) / (self.x[1] - self.x[0])
        last = (self.y[-1] - self.y[-2]) / (self.x[-1] - self.x[-2])
        return np.asarray(np.where(x <= self.x[0], first, last), dtype=np.float64)

    def _solve(self, y: Floats) -> Floats:
        """x in the cell that y falls into, by Newton's method kept inside the cell."""
        up = self.y[:: self.direction]
        cell = np.clip(np.searchsorted(up, y, side="right") - 1, 0, len(up) - 2)
        if self.direction < 0:
            cell = len(up) - 2 - cell
        low, high = self.x[cell].copy(), self.x[cell + 1].copy()
        x = low + (high - low) * (y - self.y[cell]) / (self.y[cell + 1] - self.y[cell])
        for _ in range(_NEWTON_STEPS):
            miss = (self._cubic(x) - y) * self.direction
            low, high = np.where(miss <= 0, x, low), np.where(miss > 0, x, high)
            with np.errstate(divide="ignore", invalid="ignore"):
                step = x - miss * self.direction / self._cubic.slope(x)
            renewed = np.where((step >= low) & (step <= high), step, (low + high) / 2.0)
            moved = float(np.nanmax(np.abs(renewed - x), initial=0.0))
            x = renewed
            if moved <= _SETTLED * (self.x[-1] - self.x[0]):
                break
        return np.asarray(x, dtype=np.float64)


def through_tables(texts: Sequence[str | None], cubic: Bools, x: Floats, forward: bool) -> Floats:
    """Each x through its own table, or backwards; NaN where there is no table. All of one length; rows of one table
    are worked on together.
    """
    groups: dict[tuple[str | None, bool], list[int]] = {}
    for at, key in enumerate(zip(texts, cubic.tolist(), strict=True)):
        groups.setdefault(key, []).append(at)
    out = np.full(x.shape, np.nan)
    for (text, curved), rows in groups.items():
        if text:
            table = table_of(text, curved)
            out[rows] = (table.forward if forward else table.inverse)(x[rows])
    return out


def read_table(text: str) -> str:
    """A typed table, tidied: "0 0; 25 18.5; 100 100". Pairs stand apart by ; or lines, their figures by space or :.

    Raises TextError naming the pair that is wrong: unreadable, x that does not rise, fewer than two points or
    more than MOST_POINTS.
    """
    pairs = [_pair(part) for part in text.replace("\n", ";").split(";") if part.strip()]
    if len(pairs) < 2:
        raise TextError("a table has at least two points, written as “0 0; 50 18.5; 100 100”")
    if len(pairs) > MOST_POINTS:
        raise TextError(f"{len(pairs)} points; a table holds {MOST_POINTS}")
    for number, ((before, _), (x, _)) in enumerate(itertools.pairwise(pairs), start=2):
        if x <= before:
            raise TextError(f"point {number}: {plain(x)} does not rise after {plain(before)}")
    return "; ".join(f"{plain(x)} {plain(y)}" for x, y in pairs)


@lru_cache(maxsize=4096)
def table_of(text: str, cubic: bool) -> Table:
    """The table of a stored text."""
    pairs = [part.split() for part in text.split(";")]
    return Table(tuple((float(x), float(y)) for x, y in pairs), cubic)


def _pair(part: str) -> tuple[Decimal, Decimal]:
    figures = [f for f in _figures(part) if f]
    if len(figures) != 2:
        raise TextError(f"“{part.strip()}” is not one pair of numbers: write x, a space and y, and ; between pairs")
    return read_number(figures[0]), read_number(figures[1])


def _figures(part: str) -> Iterator[str]:
    for mark in (":", "→", "\t"):
        part = part.replace(mark, " ")
    yield from part.split()
