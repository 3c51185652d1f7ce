"""What an input filter does to a step and to hum: by its time, or by the frequency it takes out."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from math import comb, factorial, floor, isfinite, log1p, log10, pi, sin

import numpy as np
from numpy.typing import ArrayLike

from canaleta.core.model.module_type import Filter
from canaleta.core.notation.arrays import Floats

__all__ = ["Response", "attenuation", "response_of", "step_response"]

REACHED = 1.0 - float(np.exp(-1.0))
"""The share of a step that a first-order filter has reached after its time: 63.2 %."""


@dataclass(frozen=True)
class Response:
    """Times after a step until its share is reached, ms."""

    to_63_ms: float
    to_95_ms: float
    to_99_ms: float


def step_response(chosen: Filter, t_ms: ArrayLike) -> Floats:
    """Share of a step that is shown t ms after it, (n,).

    By time: `stages` equal first-order stages, together at 63.2 % after time_ms: the gamma distribution. By rejected
    frequency: `stages` averages over one period of it in a row: the Irwin–Hall distribution.
    """
    t = np.atleast_1d(np.asarray(t_ms, dtype=np.float64))
    if chosen.rejects_hz:
        periods = t * chosen.rejects_hz / 1000.0
        return np.array([_irwin_hall(x, chosen.stages) for x in periods])
    if not chosen.time_ms:
        return np.where(t >= 0, 1.0, 0.0)
    return np.where(t > 0, _gamma_share(chosen.stages, np.maximum(t, 0.0) / _stage_ms(chosen)), 0.0)


def response_of(chosen: Filter) -> Response:
    """When a step has been shown to 63.2, 95 and 99 %."""
    return Response(*(_time_to(chosen, share) for share in (REACHED, 0.95, 0.99)))


def attenuation(chosen: Filter, hz: float) -> float:
    """How much of a sine of that frequency is left, 0 to 1."""
    if chosen.rejects_hz:
        x = pi * hz / chosen.rejects_hz
        return abs(sin(x) / x) ** chosen.stages if x else 1.0
    if not chosen.time_ms:
        return 1.0
    return float((1.0 + (2.0 * pi * hz * _stage_ms(chosen) / 1000.0) ** 2) ** (-chosen.stages / 2.0))


def decibels(share: float) -> str:
    """What is left of a sine as an attenuation in whole dB; below a thousandth of a percent nothing is left."""
    if share <= 1e-5 or not isfinite(share):
        return "100 dB or more"
    return f"{-20.0 * log10(share):.0f} dB"


def _gamma_share(stages: int, x: Floats) -> Floats:
    """What equal first-order stages in a row have let through after x of their time constants: the regularised
    incomplete gamma function P(stages, x), which for a whole number is 1 − e^−x · Σ x^k / k! (Abramowitz & Stegun
    6.5.13).
    """
    term, total = np.ones_like(x), np.ones_like(x)
    for k in range(1, stages):
        term = term * x / k
        total = total + term
    return np.asarray(1.0 - np.exp(-x) * total, dtype=np.float64)


@lru_cache(maxsize=1000)
def _gamma_time(stages: int, share: float) -> float:
    """After how many time constants so much has come through; the inverse of `_gamma_share`."""
    if stages == 1:
        return -log1p(-share)
    # Taken in here: few filters need it, and loading it takes longer than all of the core.
    from scipy.special import gammaincinv

    return float(gammaincinv(stages, share))


def _stage_ms(chosen: Filter) -> float:
    return chosen.time_ms / _gamma_time(chosen.stages, REACHED)


def _time_to(chosen: Filter, share: float) -> float:
    if chosen.rejects_hz:
        # Taken in here: few filters need it, and loading it takes longer than all of the core.
        from scipy.optimize import brentq

        most = chosen.stages * 1000.0 / chosen.rejects_hz
        return float(brentq(lambda t: float(step_response(chosen, t)[0]) - share, 0.0, most))
    if not chosen.time_ms:
        return 0.0
    return _stage_ms(chosen) * _gamma_time(chosen.stages, share)


def _irwin_hall(x: float, n: int) -> float:
    if x <= 0:
        return 0.0
    if x >= n:
        return 1.0
    return float(sum((-1) ** k * comb(n, k) * (x - k) ** n for k in range(floor(x) + 1)) / factorial(n))
