"""Readings kept for trends: packing, hours of one point, roll-ups, and drawing with gaps and with peaks kept.

A part is what one rack said in a few seconds, for all its points; an hour is one point's. Counts, value and quality
lie apart, each byte of a number with its like, which is what lets them be compressed well. Times are seconds since
1970.
"""

from __future__ import annotations

import struct
import zlib
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from canaleta.core.model.quality import trusted
from canaleta.core.notation.arrays import Floats, Whole

__all__ = [
    "Drawn",
    "Hour",
    "Part",
    "Rolled",
    "drawn",
    "drawn_of_rolled",
    "join_hours",
    "packed_times",
    "roll",
    "unpacked_times",
]

_HEAD = struct.Struct("<4sII")
_PART, _HOUR, _ROLL, _TIMES, _OLD_HOUR = b"CNP1", b"CNH2", b"CNR1", b"CNT1", b"CNH1"
QUICK, SMALL = 1, 6
"""How hard bytes are pressed: parts are written at every scan and live for an hour, hours are kept for weeks."""
MS = 1e3
STRAIGHT = 1e-12
"""A value that lies so near a straight line of its counts, as a share of the largest, is told from that line."""


@dataclass(frozen=True)
class Part:
    """Some scans of one rack. points: (n,); times: (k,) s; counts, value: (k, n), NaN for none; quality: (k, n)."""

    points: NDArray[np.int64]
    times: Floats
    counts: Floats
    value: Floats
    quality: NDArray[np.uint8]

    def packed(self) -> bytes:
        """As bytes."""
        return _packed(
            _PART,
            len(self.times),
            len(self.points),
            (
                self.points.astype("<i8"),
                _whole_ms(self.times),
                self.counts.T.astype("<f8"),
                self.value.T.astype("<f8"),
                self.quality.T,
            ),
            QUICK,
        )

    @classmethod
    def unpacked(cls, data: bytes) -> Part:
        """From bytes. Raises ValueError if they are no part."""
        k, n, arrays = _unpacked(
            _PART, data, lambda k, n: ((n, "<i8"), (k, "<i8"), (n * k, "<f8"), (n * k, "<f8"), (n * k, "u1"))
        )
        points, times, counts, value, quality = arrays
        return cls(points, times / MS, counts.reshape(n, k).T, value.reshape(n, k).T, quality.reshape(n, k).T)


@dataclass(frozen=True)
class Hour:
    """Readings of one point in their order. Arrays of shape (k,)."""

    times: Floats
    counts: Floats
    value: Floats
    quality: NDArray[np.uint8]

    def packed(self) -> bytes:
        """As bytes, without its times: those are the same for every point of a rack (packed_times). Nothing is lost.
        Whole counts are kept as differences, which are small; a value as how far its bits lie from a straight line of
        its counts, or, where there is no such line, from the value before it."""
        k, whole = len(self.times), _is_whole(self.counts)
        slope, offset = _line_of(self.counts, self.value)
        counts = _folded(_apart(_filled(self.counts))) if whole else _folded(_apart(_ordered(self.counts)))
        guess = _guess(self.counts, slope, offset)
        values = _folded(_apart(_ordered(self.value)) if guess is None else _ordered(self.value) - _ordered(guess))
        return _packed(
            _HOUR,
            k,
            1,
            (
                np.array([whole, guess is not None], "u1"),
                np.array([slope, offset], "<f8"),
                counts,
                np.isfinite(self.counts).astype("u1"),
                values,
                np.isfinite(self.value).astype("u1"),
                self.quality.astype("u1"),
            ),
        )

    @classmethod
    def unpacked(cls, data: bytes, times: Floats | None = None) -> Hour:
        """From bytes and the times of its readings; an hour of an older form has its own. Raises ValueError if they
        are no hour, or not of those times."""
        if data[:4] == _OLD_HOUR:
            _, _, old = _unpacked(_OLD_HOUR, data, lambda k, n: ((k, "<i8"), (k, "<f8"), (k, "<f8"), (k, "u1")))
            return cls(old[0] / MS, *old[1:])
        _, _, arrays = _unpacked(
            _HOUR,
            data,
            lambda k, n: ((2, "u1"), (2, "<f8"), (k, "<i8"), (k, "u1"), (k, "<i8"), (k, "u1"), (k, "u1")),
        )
        (whole, straight), (slope, offset), counted, known, valued, good, quality = arrays
        if times is None or len(times) != len(quality):
            raise ValueError("these readings lack their times")
        summed = np.cumsum(_unfolded(counted))
        counts = summed.astype(np.float64) if whole else _from_ordered(summed)
        counts[known == 0] = np.nan
        guess = _guess(counts, slope, offset) if straight else None
        value = _from_ordered(np.cumsum(_unfolded(valued)) if guess is None else _ordered(guess) + _unfolded(valued))
        value[good == 0] = np.nan
        return cls(times, counts, value, quality)


@dataclass(frozen=True)
class Rolled:
    """Readings rolled up in even spans. Arrays of shape (k,): begins: s; least, most, mean of the good values, NaN
    where there was none; good, all: how many readings."""

    begins: Floats
    least: Floats
    most: Floats
    mean: Floats
    good: NDArray[np.int64]
    all: NDArray[np.int64]

    def packed(self) -> bytes:
        """As bytes."""
        return _packed(
            _ROLL,
            len(self.begins),
            1,
            (
                _whole_ms(self.begins),
                self.least.astype("<f8"),
                self.most.astype("<f8"),
                self.mean.astype("<f8"),
                self.good.astype("<i4"),
                self.all.astype("<i4"),
            ),
        )

    @classmethod
    def unpacked(cls, data: bytes) -> Rolled:
        """From bytes. Raises ValueError if they are no roll-up."""
        _, _, a = _unpacked(
            _ROLL, data, lambda k, n: ((k, "<i8"), (k, "<f8"), (k, "<f8"), (k, "<f8"), (k, "<i4"), (k, "<i4"))
        )
        return cls(a[0] / MS, a[1], a[2], a[3], a[4].astype(np.int64), a[5].astype(np.int64))

    @classmethod
    def joined(cls, parts: Iterable[Rolled]) -> Rolled:
        """Several in their order."""
        some = list(parts)
        if not some:
            none = np.empty(0)
            return cls(none, none, none, none, none.astype(np.int64), none.astype(np.int64))
        return cls(*(np.concatenate([getattr(p, name) for p in some]) for name in cls.__dataclass_fields__))


def _whole_ms(times: Floats) -> NDArray[np.int64]:
    return np.rint(times * MS).astype("<i8")


def packed_times(times: Floats) -> bytes:
    """Times of readings, s, as bytes: whole milliseconds."""
    return _packed(_TIMES, len(times), 1, (_folded(_apart(_whole_ms(times))),))


def unpacked_times(data: bytes) -> Floats:
    """From bytes. Raises ValueError if they are no times."""
    _, _, (apart,) = _unpacked(_TIMES, data, lambda k, n: ((k, "<i8"),))
    return np.cumsum(_unfolded(apart)) / MS


def _is_whole(counts: Floats) -> bool:
    """Whether every count that is known is a whole number that keeps its last digit: 53 bits do. −0 is none."""
    known = counts[np.isfinite(counts)]
    return bool(((known == np.rint(known)) & (np.abs(known) < 2**53) & ~((known == 0) & np.signbit(known))).all())


def _filled(counts: Floats) -> Whole:
    """Whole counts with those that are not known taken from the one before, so that nothing jumps."""
    at = np.maximum.accumulate(np.where(np.isfinite(counts), np.arange(len(counts)), 0))
    return np.nan_to_num(counts[at]).astype(np.int64)


def _apart(numbers: Whole) -> Whole:
    """Each number less the one before it; the first as it is. It wraps, and comes back by wrapping."""
    return np.diff(numbers, prepend=np.int64(0))


def _folded(numbers: Whole) -> Whole:
    """0, −1, 1, −2 become 0, 1, 2, 3: small ones of either sign have the same high bytes."""
    return (numbers << 1) ^ (numbers >> 63)


def _unfolded(folded: Whole) -> Whole:
    """The inverse of `_folded`."""
    return (folded.view(np.uint64) >> np.uint64(1)).view(np.int64) ^ -(folded & 1)


def _ordered(values: Floats) -> Whole:
    """The bits of numbers as whole numbers that lie near each other where the numbers do; none counts as 0."""
    bits = np.where(np.isfinite(values), values, 0.0).view(np.int64)
    return np.where(bits < 0, np.int64(-(2**63)) - bits - 1, bits)


def _from_ordered(numbers: Whole) -> Floats:
    """The inverse of `_ordered`."""
    return np.where(numbers < 0, np.int64(-(2**63)) - numbers - 1, numbers).view(np.float64)


def _guess(counts: Floats, slope: float, offset: float) -> Floats | None:
    """The values of a line at the counts, None without a line; where no count is known, that of no count."""
    return None if np.isnan(slope) else slope * np.nan_to_num(counts) + offset


def _line_of(counts: Floats, value: Floats) -> tuple[float, float]:
    """(slope, offset) where the values lie on a straight line of their counts, else NaN."""
    none = (float("nan"), float("nan"))
    both = np.isfinite(counts) & np.isfinite(value)
    if not both.any():
        return none
    low, high = (int(np.flatnonzero(both)[k(counts[both])]) for k in (np.argmin, np.argmax))
    with np.errstate(all="ignore"):
        slope = float((value[high] - value[low]) / (counts[high] - counts[low])) if high != low else 0.0
        offset = float(value[low] - slope * counts[low])
        off = np.abs(slope * counts[both] + offset - value[both])
    near = np.isfinite(slope + offset) and bool((off <= STRAIGHT * np.abs(value[both]).max()).all())
    return (slope, offset) if near else none


def _packed(kind: bytes, k: int, n: int, arrays: Iterable[NDArray[np.generic]], level: int = SMALL) -> bytes:
    """The bytes of several arrays: of each, all first bytes, then all second ones, and so on."""
    body = b"".join(
        np.ascontiguousarray(a).reshape(-1).view(np.uint8).reshape(-1, a.itemsize).T.tobytes() for a in arrays
    )
    return _HEAD.pack(kind, k, n) + zlib.compress(body, level)


def _unpacked(
    kind: bytes, data: bytes, shapes: Callable[[int, int], tuple[tuple[int, str], ...]]
) -> tuple[int, int, list[NDArray[Any]]]:
    if len(data) < _HEAD.size or data[:4] != kind:
        raise ValueError("these bytes hold no readings of this kind")
    _, k, n = _HEAD.unpack_from(data)
    try:
        body = np.frombuffer(zlib.decompress(data[_HEAD.size :]), dtype=np.uint8)
    except zlib.error as error:
        raise ValueError("these readings are damaged") from error
    out: list[NDArray[Any]] = []
    at = 0
    for count, kind_of in shapes(k, n):
        dtype = np.dtype(kind_of)
        size = count * dtype.itemsize
        planes = body[at : at + size].reshape(dtype.itemsize, count)
        out.append(np.ascontiguousarray(planes.T).reshape(-1).view(dtype))
        at += size
    return k, n, out


def join_hours(parts: Iterable[Part]) -> dict[int, Hour]:
    """The readings of each point out of many parts, in time. A point that came later has fewer."""
    times: dict[int, list[NDArray[np.generic]]] = {}
    for part in sorted(parts, key=lambda p: p.times[0] if len(p.times) else 0.0):
        for column, point in enumerate(part.points.tolist()):
            kept = times.setdefault(point, [])
            kept.append(
                np.array([part.times, part.counts[:, column], part.value[:, column], part.quality[:, column]])
            )
    out = {}
    for point, pieces in times.items():
        whole = np.concatenate(pieces, axis=1)
        out[point] = Hour(whole[0], whole[1], whole[2], whole[3].astype(np.uint8))
    return out


def roll(hour: Hour, span_s: float) -> Rolled:
    """Readings in even spans that begin at whole multiples of span_s. Only good and doubtful values count."""
    if not len(hour.times):
        return Rolled.joined([])
    slot = np.floor(hour.times / span_s).astype(np.int64)
    begins, inverse = np.unique(slot, return_inverse=True)
    worth = trusted(hour.quality, hour.value)
    n = len(begins)
    least, most = np.full(n, np.inf), np.full(n, -np.inf)
    np.minimum.at(least, inverse[worth], hour.value[worth])
    np.maximum.at(most, inverse[worth], hour.value[worth])
    good = np.bincount(inverse[worth], minlength=n)
    total = np.bincount(inverse[worth], weights=hour.value[worth], minlength=n)
    some = good > 0
    with np.errstate(invalid="ignore", divide="ignore"):
        mean = np.where(some, total / good, np.nan)
    return Rolled(
        begins.astype(np.float64) * span_s,
        np.where(some, least, np.nan),
        np.where(some, most, np.nan),
        mean,
        good,
        np.bincount(inverse, minlength=n),
    )


@dataclass(frozen=True)
class Drawn:
    """What a trend draws: at each time the least and the most of its span and its mean; NaN is a gap."""

    times: Floats
    least: Floats
    most: Floats
    mean: Floats


def drawn(hour: Hour, begins: float, ends: float, most_columns: int, gap_s: float) -> Drawn:
    """A trend of single readings: as they are where there are few, else least and most of each column.

    gap_s: a silence longer than this is a gap. No good value is a gap as well.
    """
    some = (hour.times >= begins) & (hour.times <= ends)
    times, value, quality = hour.times[some], hour.value[some], hour.quality[some]
    if len(times) > 2 * most_columns:
        span = (ends - begins) / most_columns
        return _gapped(roll(Hour(times, value, value, quality), span), max(gap_s, 1.5 * span), span / 2)
    shown = np.where(trusted(quality, value), value, np.nan)
    whole = Rolled(
        times, shown, shown, shown, np.ones(len(times), dtype=np.int64), np.ones(len(times), dtype=np.int64)
    )
    return _gapped(whole, gap_s, 0.0)


def drawn_of_rolled(rolled: Rolled, begins: float, ends: float, most_columns: int, span_s: float) -> Drawn:
    """A trend of roll-ups; several go into one column where there are more than columns, peaks kept."""
    some = (rolled.begins >= begins - span_s) & (rolled.begins <= ends)
    kept = Rolled(*(getattr(rolled, name)[some] for name in Rolled.__dataclass_fields__))
    together = int(np.ceil(len(kept.begins) / max(most_columns, 1)))
    if together <= 1:
        return _gapped(kept, 1.5 * span_s, span_s / 2)
    wide = span_s * together
    slot = np.floor(kept.begins / wide).astype(np.int64)
    at, inverse = np.unique(slot, return_inverse=True)
    n = len(at)
    least, most = np.full(n, np.inf), np.full(n, -np.inf)
    fine = kept.good > 0
    np.minimum.at(least, inverse[fine], kept.least[fine])
    np.maximum.at(most, inverse[fine], kept.most[fine])
    good = np.bincount(inverse, weights=kept.good, minlength=n)
    total = np.bincount(inverse[fine], weights=(kept.mean * kept.good)[fine], minlength=n)
    with np.errstate(invalid="ignore", divide="ignore"):
        mean = np.where(good > 0, total / good, np.nan)
    joined = Rolled(
        at.astype(np.float64) * wide,
        np.where(good > 0, least, np.nan),
        np.where(good > 0, most, np.nan),
        mean,
        good.astype(np.int64),
        np.bincount(inverse, weights=kept.all, minlength=n).astype(np.int64),
    )
    return _gapped(joined, 1.5 * wide, wide / 2)


def _gapped(rolled: Rolled, gap_s: float, middle_s: float) -> Drawn:
    """The columns with a NaN put between two that lie further apart than gap_s."""
    times = rolled.begins + middle_s
    breaks = np.flatnonzero(np.diff(times) > gap_s) + 1
    if not len(breaks):
        return Drawn(times, rolled.least, rolled.most, rolled.mean)
    middles = (times[breaks - 1] + times[breaks]) / 2.0
    nothing = np.full(len(breaks), np.nan)
    return Drawn(
        np.insert(times, breaks, middles),
        *(np.insert(a, breaks, nothing) for a in (rolled.least, rolled.most, rolled.mean)),
    )
