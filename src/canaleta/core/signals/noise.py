"""Noise of a captured window: what it is in counts and units, and what a filter would make of it.

A filter is tried on the samples themselves, so that a slow swing, which no filter takes away, is not mistaken for
noise. Times are of the samples; they need not be even.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from canaleta.core.notation.arrays import Floats

__all__ = ["SMOOTHINGS_S", "Noise", "Tried", "advised", "noise_of", "tried"]

LEAST_SAMPLES = 8
SMOOTHINGS_S = (0.5, 1.0, 2.0, 5.0, 10.0, 20.0, 60.0)
SETTLED = 3.0
"""Time constants after which a filter shows 95 % of a step; what is before is left out of its figures."""


@dataclass(frozen=True)
class Noise:
    """least, most, mean and standard deviation (n − 1) of the samples; fast: the part that changes from sample to
    sample, as its standard deviation; samples: how many there are."""

    least: float
    most: float
    mean: float
    sigma: float
    fast: float
    samples: int


@dataclass(frozen=True)
class Tried:
    """A filter tried on the samples: its time constant, the standard deviation behind it, and what it takes to show
    95 % of a step."""

    smoothing_s: float
    sigma: float
    to_95_s: float


def noise_of(samples: Floats) -> Noise:
    """The figures of a window; samples that are no number are left out. All NaN where fewer than two are left.

    fast is from the differences of neighbours, √(Σ(xₖ₊₁ − xₖ)² / 2(n − 1)) (von Neumann 1941): a drift leaves it
    alone.
    """
    x = samples[np.isfinite(samples)]
    if len(x) < 2:
        nothing = float("nan")
        return Noise(nothing, nothing, nothing, nothing, nothing, len(x))
    steps = np.diff(x)
    fast = float(np.sqrt(np.sum(steps**2) / (2.0 * len(steps))))
    return Noise(float(x.min()), float(x.max()), float(x.mean()), float(x.std(ddof=1)), fast, len(x))


def tried(times_s: Floats, samples: Floats, smoothing_s: float) -> Tried:
    """A first-order filter on the samples. sigma is NaN where the window is too short for it to settle."""
    fine = np.isfinite(samples)
    t, x = times_s[fine], samples[fine]
    out = np.empty(len(x))
    y = x[0] if len(x) else 0.0
    for k, value in enumerate(x.tolist()):
        share = 1.0 - float(np.exp(-(t[k] - t[k - 1]) / smoothing_s)) if k else 0.0
        y += share * (value - y)
        out[k] = y
    settled = out[t >= t[0] + SETTLED * smoothing_s] if len(t) else out
    sigma = float(settled.std(ddof=1)) if len(settled) >= LEAST_SAMPLES else float("nan")
    return Tried(smoothing_s, sigma, SETTLED * smoothing_s)


def advised(
    times_s: Floats, samples: Floats, wanted_sigma: float, slowest_s: float = np.inf
) -> tuple[list[Tried], str]:
    """Every filter tried, and advice in words: the shortest that brings the noise down to what is wanted.

    wanted_sigma: in the unit of the samples. slowest_s: how soon the value must have followed a step, to 63 %.
    """
    found = noise_of(samples)
    if found.samples < LEAST_SAMPLES:
        return [], "too few readings to judge: take a longer window"
    all_ = [tried(times_s, samples, s) for s in SMOOTHINGS_S if s <= slowest_s]
    if found.sigma <= wanted_sigma:
        return all_, "no filter is needed: the noise is within what is wanted"
    if found.fast < 0.3 * found.sigma:
        return all_, "most of it is a slow change of the value itself: a filter would only hide it"
    good = next((t for t in all_ if t.sigma <= wanted_sigma), None)
    if good is None:
        return all_, "no filter tried here is enough: look for the source of the noise, screen and earth first"
    return all_, f"a smoothing of {good.smoothing_s:g} s is the shortest that is enough"
