"""It finds me: the pattern that somebody plays at a device is recognised wherever it appears.

A staircase: nine steady levels, 0-25-50-75-100-75-50-25-0 % of a span, in mA, ohms, mV or volts: the scan sees what
stands on the wires, so the levels may be any that rise by four even steps and come back by the same ones. A contact:
short, long, short. Every point is watched at once; a state machine driven by time, without clock or I/O.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from canaleta.core.live.columns import Columns
from canaleta.core.model.fields import Station
from canaleta.core.model.image import PlantImage
from canaleta.core.notation.arrays import Bools, Floats
from canaleta.core.path.evaluate import evaluate
from canaleta.core.signals.signal_types import Family

__all__ = ["LEVELS", "Plateau", "Recognised", "Watch", "begin", "signal_span", "step"]

LEVELS = (0.0, 0.25, 0.5, 0.75, 1.0, 0.75, 0.5, 0.25, 0.0)
STEADY_S = 2.5
"""How long a level must stand before it counts."""
STEADY_READINGS = 3
EVEN = 0.12
"""How far a step may be off an even one, as a share of a step."""
LEAST_SPAN = 0.4
"""How much of the signal's span the staircase must cross: what a process does by itself is less."""
TRIM = 0.04
LONGEST_S = 900.0
KEPT = len(LEVELS)
PULSES = 8
"""Changes of a contact that are remembered."""
SHORT_S, LONG_S, REST_S = (0.2, 2.2), (2.8, 9.0), 2.0
"""How long a short and a long closing last, and the rest that follows the last one, so that chatter is none."""


@dataclass(frozen=True)
class Plateau:
    """One steady level: mean and standard deviation of the signal, mean count and value, from when to when (s)."""

    signal: float
    sigma: float
    counts: float
    value: float
    begins: float
    ends: float
    readings: int


@dataclass(frozen=True)
class Recognised:
    """A point whose pattern was complete at `at` (s). plateaus: of a staircase, none of a contact."""

    row: int
    at: float
    pattern: str
    plateaus: tuple[Plateau, ...]


def signal_span(image: PlantImage, rows: NDArray[np.int64]) -> Floats:
    """The span of each point's signal in the unit of what stands on the wires, (n,); NaN where there is none.

    That of the signal itself, or, of a temperature element, what its range makes of it.
    """
    low, high = (image.number(name)[rows] for name in ("device_low", "device_high"))
    ends = [evaluate(image, Station.PROCESS, end, rows).at(Station.LOOP) for end in (low, high)]
    return np.where(image.family[rows] == Family.CONTACT, np.nan, np.abs(ends[1] - ends[0]))


_SUMS = ("signal", "square", "counts", "value")


@dataclass(frozen=True)
class Watch(Columns):
    """What was seen of n points. n_now, first, sums: of the level that stands now, (n,) and (4, n); levels: (KEPT, 7,
    n) of the last plateaus, oldest first, NaN for none; counted: whether the level that stands now is among them.
    changes: (PULSES, n) times at which a contact changed, newest last; contact: its state; told: when found last."""

    LAST_AXIS = True

    n_now: Floats
    first: Floats
    last: Floats
    origin: Floats
    sums: Floats
    levels: Floats
    counted: Bools
    changes: Floats
    contact: NDArray[np.int8]
    told: Floats

    @classmethod
    def begin(cls, n: int) -> Watch:
        """Nothing has come yet."""
        return begin(n)


def begin(n: int) -> Watch:
    """Nothing seen yet."""
    nothing = np.full(n, np.nan)
    return Watch(
        n_now=np.zeros(n),
        first=nothing,
        last=nothing,
        origin=np.zeros(n),
        sums=np.zeros((len(_SUMS), n)),
        levels=np.full((KEPT, 7, n), np.nan),
        counted=np.zeros(n, dtype=bool),
        changes=np.full((PULSES, n), np.nan),
        contact=np.full(n, -1, dtype=np.int8),
        told=np.full(n, -np.inf),
    )


def step(
    before: Watch,
    now: float,
    signal: Floats,
    span: Floats,
    counts: Floats,
    value: Floats,
    state: NDArray[np.int8],
    noise: Floats | None = None,
) -> tuple[Watch, list[Recognised]]:
    """After a reading at `now` (s): what was seen, and the points whose pattern is complete with it.

    signal: (n,) what stands on the wires, NaN for none. span: of the signal of each point, NaN for a contact. state:
    of a contact, -1 elsewhere. noise: standard deviation of each signal where it is known: a level moves by more.
    """
    close = np.maximum(0.01 * np.abs(span), 4.0 * noise if noise is not None else 0.0)
    with np.errstate(invalid="ignore", divide="ignore"):
        mean = before.origin + before.sums[0] / before.n_now
        stands = (before.n_now > 0) & (np.abs(signal - mean) <= close)
    fine = np.isfinite(signal)
    fresh = ~stands
    origin = np.where(fresh, np.nan_to_num(signal), before.origin)
    offset = np.nan_to_num(signal - origin)
    new = np.stack([offset, offset**2, np.nan_to_num(counts), np.nan_to_num(value)])
    sums = np.where(fresh, new, before.sums + new)
    n_now = np.where(fine, np.where(fresh, 1.0, before.n_now + 1.0), 0.0)
    first = np.where(fresh, now, before.first)
    counted = before.counted & ~fresh
    steady = fine & (n_now >= STEADY_READINGS) & (now - first >= STEADY_S)
    levels = before.levels
    came = steady & ~counted
    # A level that is trimmed a little is still the one before: whoever turns a knob needs two tries.
    with np.errstate(invalid="ignore"):
        trimmed = came & (np.abs(origin + sums[0] / np.maximum(n_now, 1.0) - levels[-1, 0]) <= TRIM * np.abs(span))
    counted = counted | trimmed
    came &= ~trimmed
    held = steady & counted
    if came.any() or held.any():
        levels = levels.copy()
        if came.any():
            levels[:-1, :, came] = levels[1:, :, came]
        some = came | held
        levels[-1][:, some] = _plateau(origin, sums, n_now, first, now)[:, some]
    found = [] if not came.any() else _staircases(levels, came, span, now, before.told)
    changes, contact = _contacts(before, now, state)
    found += _signals(changes, contact, now, before.told)
    told = before.told
    if found:
        told = told.copy()
        told[[f.row for f in found]] = now
    return (
        replace(
            before, n_now=n_now, first=first, last=np.full(len(signal), now), origin=origin, sums=sums, levels=levels,
            counted=counted | came, changes=changes, contact=contact, told=told,
        ),
        found,
    )  # fmt: skip


def _plateau(origin: Floats, sums: Floats, n: Floats, first: Floats, now: float) -> Floats:
    """(7, n): signal, sigma, counts, value, begins, ends, readings."""
    with np.errstate(invalid="ignore", divide="ignore"):
        mean = sums[0] / n
        sigma = np.sqrt(np.maximum(sums[1] / n - mean**2, 0.0) * n / np.maximum(n - 1.0, 1.0))
        return np.stack([origin + mean, sigma, sums[2] / n, sums[3] / n, first, np.full(len(n), now), n])


def _staircases(levels: Floats, came: Bools, span: Floats, now: float, told: Floats) -> list[Recognised]:
    """The points whose last nine levels are a staircase, up and back by the same steps."""
    signal, begins = levels[:, 0, :], levels[:, 4, :]
    with np.errstate(invalid="ignore", divide="ignore"):
        low, high = signal[0], signal[4]
        one = (high - low) / 4.0
        share = (signal - low) / (high - low)
        even = (np.abs(share - np.array(LEVELS)[:, None]) <= EVEN / 4.0).all(axis=0)
        wide = np.abs(4.0 * one) >= LEAST_SPAN * np.abs(span)
        soon = (now - begins[0] <= LONGEST_S) & (begins[0] > told)
    hits = came & even & wide & soon & np.isfinite(signal).all(axis=0)
    out = []
    for row in np.flatnonzero(hits).tolist():
        plateaus = tuple(_told(levels[k, :, row]) for k in range(KEPT))
        out.append(Recognised(row, now, "staircase", plateaus))
    return out


def _told(level: Floats) -> Plateau:
    signal, sigma, counts, value, begins, ends, readings = level.tolist()
    return Plateau(signal, sigma, counts, value, begins, ends, int(readings))


def _contacts(before: Watch, now: float, state: NDArray[np.int8]) -> tuple[Floats, NDArray[np.int8]]:
    changed = (state >= 0) & (before.contact >= 0) & (state != before.contact)
    changes = before.changes
    if changed.any():
        changes = changes.copy()
        changes[:-1, changed] = changes[1:, changed]
        changes[-1, changed] = now
    return changes, np.where(state >= 0, state, before.contact).astype(np.int8)


def _signals(changes: Floats, contact: NDArray[np.int8], now: float, told: Floats) -> list[Recognised]:
    """The contacts that went short, long, short and then rested, away from a rest before it."""
    if not np.isfinite(changes[-6:]).any():
        return []
    six = changes[-6:]
    with np.errstate(invalid="ignore"):
        lasted = six[1::2] - six[::2]
        between = six[2::2] - six[1:-1:2]
        rest_before = np.where(np.isnan(changes[-7]), np.inf, six[0] - changes[-7])
        short = (
            (lasted[0] >= SHORT_S[0])
            & (lasted[0] <= SHORT_S[1])
            & (lasted[2] >= SHORT_S[0])
            & (lasted[2] <= SHORT_S[1])
        )
        long = (lasted[1] >= LONG_S[0]) & (lasted[1] <= LONG_S[1])
        calm = (between <= LONG_S[1]).all(axis=0) & (rest_before >= REST_S) & (now - six[-1] >= REST_S)
        hits = short & long & calm & (six[0] > told)
    return [Recognised(row, now, "short, long, short", ()) for row in np.flatnonzero(hits & (contact >= 0)).tolist()]
