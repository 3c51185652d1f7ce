"""The signal path: six stations, from any of them to all others, for any number of points at once.

    PROCESS → DEVICE → LOOP → INPUT → COUNTS → VALUE

A path is a chain of joints chosen by the family of the signal; CHAINS is the one place that knows which.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import ArrayLike, NDArray

from canaleta.core.model.fields import STATIONS, Station
from canaleta.core.model.image import PlantImage
from canaleta.core.model.mode_table import ModeTable
from canaleta.core.model.quality import of_reasons, reason_words
from canaleta.core.notation.arrays import Floats
from canaleta.core.path.joints.base import Chain, PathRows, StationWords, Upset, Working
from canaleta.core.path.joints.chains import CHAINS
from canaleta.core.path.joints.policy import clamped_share, settle
from canaleta.core.path.joints.scaling import Scaling
from canaleta.core.signals.converters import round_counts
from canaleta.core.signals.signal_types import Family

__all__ = ["Paths", "Runs", "describe", "evaluate", "forwards", "reason_messages", "workings"]

Ripen = Callable[[NDArray[np.int64], NDArray[np.uint32]], NDArray[np.uint32]]
"""Places in `rows` and their reasons in, reasons of the same shape out."""
_COUNTS = STATIONS.index(Station.COUNTS)
_UNROUNDED = ModeTable.ROUNDINGS.index("none")


@dataclass(frozen=True)
class Paths:
    """Stations of n paths. stations: (6, n) float64 in the order of STATIONS, NaN where unknown.

    reasons: (n,) uint32 bit masks of quality.Reason; quality: (n,) uint8 of quality.Quality.
    """

    rows: NDArray[np.int64]
    stations: Floats
    reasons: NDArray[np.uint32]
    quality: NDArray[np.uint8]

    def at(self, station: Station) -> Floats:
        """One station of every path."""
        row: Floats = self.stations[STATIONS.index(station)]
        return row


@dataclass(frozen=True)
class Runs:
    """Paths made ready to be run again and again, as a scan does: what follows from settings alone is kept.

    rows: (n,) of the points. parts: for each family there is, its chain, places in `rows`, and their columns.
    """

    rows: NDArray[np.int64]
    parts: tuple[tuple[Chain, NDArray[np.int64], PathRows], ...]

    @classmethod
    def of(cls, image: PlantImage, rows: NDArray[np.int64] | None = None, upset: Upset | None = None) -> Runs:
        """Of some rows, all if None. upset: what is wrong in the field, for stations after the given one."""
        chosen = np.arange(len(image)) if rows is None else np.asarray(rows, dtype=np.int64)
        family, parts = image.family[chosen], []
        for code, chain in CHAINS.items():
            mask = np.flatnonzero(family == code)
            if len(mask):
                parts.append((chain, mask, PathRows(image, chosen[mask], upset.at(mask) if upset else None)))
        return cls(chosen, tuple(parts))

    def disturb(self, noise: Floats | None) -> None:
        """Put this noise on the wires from now on, (n,), in the unit of LOOP; what else is wrong stays as it is."""
        for _, mask, p in self.parts:
            p.upset = replace(p.upset, noise=None if noise is None else noise[mask])

    def warm(self, junction_degc: Floats) -> None:
        """Take these for the temperatures of the modules' cold junctions from now on, (n,), NaN where none is measured."""
        for _, mask, p in self.parts:
            p.upset = replace(p.upset, junction_degc=junction_degc[mask])

    def evaluate(
        self,
        station: Station,
        values: ArrayLike,
        last: Floats | None = None,
        told: NDArray[np.uint32] | None = None,
        ripen: Ripen | None = None,
    ) -> Paths:
        """All six stations of each path from a value at one of them; see `evaluate`."""
        given = np.broadcast_to(np.asarray(values, dtype=np.float64), self.rows.shape)
        stations = np.full((len(STATIONS), len(self.rows)), np.nan)
        reasons = np.zeros(len(self.rows), dtype=np.uint32)
        start = STATIONS.index(station)
        for chain, mask, p in self.parts:
            with np.errstate(divide="ignore", invalid="ignore", over="ignore"):
                block = _run(chain, p, start, given[mask])
                found = chain.reasons(p, block)
                if told is not None:
                    found |= told[mask]
                if ripen is not None:
                    found = ripen(mask, found)
                if start < len(STATIONS) - 1 and isinstance(scaling := chain.joints[-1], Scaling):
                    before = last[mask] if last is not None else None
                    block[-1] = settle(p, scaling, block[_COUNTS], block[-1], found, before)
            stations[:, mask] = block
            reasons[mask] = found
        has_value = ~np.isnan(stations[-1])
        return Paths(self.rows, stations, reasons, of_reasons(reasons, has_value))


def evaluate(
    image: PlantImage,
    station: Station,
    values: ArrayLike,
    rows: NDArray[np.int64] | None = None,
    upset: Upset | None = None,
    last: Floats | None = None,
    told: NDArray[np.uint32] | None = None,
    ripen: Ripen | None = None,
) -> Paths:
    """All six stations of each path from a value at one of them.

    rows: the points, all if None. values: (n,) or one number, in the unit of `station`, NaN where unknown.
    upset: what is wrong in the field, for stations after the given one. last: the last good value of each row, for
    points that hold it when their signal fails. told: reasons known from elsewhere, a status bit, for each row.
    ripen: what time makes of reasons, before a failed value is replaced; see quality.ripened.
    A count is a whole number on its way forwards; going backwards from VALUE the stations before COUNTS
    follow from the unrounded count, so that a typed value meets the quantity that would make it.
    """
    return Runs.of(image, rows, upset).evaluate(station, values, last, told, ripen)


def forwards(image: PlantImage, process: Floats, rows: NDArray[np.int64]) -> Floats:
    """Stations of paths that run forwards from PROCESS, for several quantities at once and without judging them.

    process: (k, n) for n rows. Returns (6, k, n): what scalings alone make of it, unclamped. For rules that compare.
    """
    out = np.full((len(STATIONS), *process.shape), np.nan)
    family = image.family[rows]
    for code, chain in CHAINS.items():
        mask = np.flatnonzero(family == code)
        if not len(mask):
            continue
        p = PathRows(image, rows[mask])
        with np.errstate(divide="ignore", invalid="ignore", over="ignore"):
            for k, given in enumerate(process):
                x = given[mask]
                out[0, k, mask] = x
                for station, joint in enumerate(chain.joints, start=1):
                    x = joint.forward(p, x)
                    out[station, k, mask] = x
    return out


def _run(chain: Chain, p: PathRows, start: int, given: Floats) -> Floats:
    block = np.empty((len(STATIONS), len(p)))
    block[start] = x = given
    for k in range(start, len(chain.joints)):
        block[k + 1] = x = chain.joints[k].forward(p, x)
    x = given
    for k in range(start - 1, -1, -1):
        block[k] = x = chain.joints[k].backward(p, x)
        if k == _COUNTS:
            block[k] = _whole(p, x)
            outputs = p.mode_flag("outputs")
            if outputs.any():
                x = np.where(outputs, _given_out(chain, p, x), x)
                block[k] = np.where(outputs, x, block[k])
    return block


def _whole(p: PathRows, counts: Floats) -> Floats:
    """Counts as the word can hold them; a mode that does not round keeps its fraction."""
    return round_counts(counts, np.where(p.of_mode("rounding") == _UNROUNDED, _UNROUNDED, 0))


def _given_out(chain: Chain, p: PathRows, counts: Floats) -> Floats:
    """What an output is given for a value: clamped where its point says so, rounded, stopped at its limits."""
    scaling = chain.joints[-1]
    if isinstance(scaling, Scaling):
        c0, c1, _, _ = scaling.point_form(p)
        share = clamped_share(p, (p.as_specified(counts) - c0) / (c1 - c0))
        counts = p.as_counted(c0 + share * (c1 - c0))
    return np.clip(_whole(p, counts), p.of_mode("least"), p.of_mode("most"))


def reason_messages(image: PlantImage, row: int, reasons: int) -> list[str]:
    """The reasons of one point in words; a converter at its limit says which signal it cannot tell apart."""
    chain = CHAINS.get(Family(int(image.family[row])))
    low, high = chain.limits(PathRows(image, np.array([row]))) if chain else ("", "")
    return reason_words(reasons, at_or_below=low, at_or_above=high)


def describe(image: PlantImage, row: int) -> tuple[StationWords, ...]:
    """Unit, decimals and short lines of each station of one point; blank where no signal is chosen."""
    chain = CHAINS.get(Family(int(image.family[row])))
    if chain is None:
        blank = StationWords("", 1, ())
        first = StationWords("", 1, (image.text("service", row), "choose what the device is"))
        return (first, *(blank,) * 5)
    return chain.describe(PathRows(image, np.array([row])))


def workings(
    image: PlantImage, row: int, station: Station, value: float, upset: Upset | None = None
) -> tuple[Working | None, ...]:
    """The working of each station of one point, from a value at one of them.

    The station that was given has none; a station that could not be worked out has none either.
    """
    chain = CHAINS.get(Family(int(image.family[row])))
    if chain is None:
        return (None,) * len(STATIONS)
    found = evaluate(image, station, value, np.array([row]), upset).stations[:, 0]
    p = PathRows(image, np.array([row]), upset)
    start = STATIONS.index(station)
    out: list[Working | None] = []
    for k in range(len(STATIONS)):
        joint = k if k < start else k - 1
        known = k != start and not np.isnan(found[joint] + found[joint + 1])
        out.append(
            chain.workings[joint](chain.joints[joint], p, float(found[joint]), float(found[joint + 1]), k > start)
            if known
            else None
        )
    return tuple(out)
