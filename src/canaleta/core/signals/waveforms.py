"""Signals over time that a signal source puts on terminals: every figure follows from the time and a seed."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np

from canaleta.core.notation.text import TextError

__all__ = ["FORMS", "Waveform", "waveform_of"]

Form = Literal["fixed", "step", "ramp", "sine", "drift", "noise", "chatter", "staircase"]
FORMS: dict[str, str] = {
    "fixed": "stays where it is put",
    "step": "from one level to the other and back, half of the period each",
    "ramp": "from one level to the other within the period, then stays",
    "sine": "between the two levels, once in a period",
    "drift": "creeps from one level to the other within the period, and on",
    "noise": "at the first level, with the second as standard deviation",
    "chatter": "jumps between the two levels, a new throw at each tenth of the period",
    "staircase": "0-25-50-75-100-75-50-25-0 % between the two levels, a ninth of the period each",
}
_STAIRS = (0.0, 0.25, 0.5, 0.75, 1.0, 0.75, 0.5, 0.25, 0.0)


@dataclass(frozen=True)
class Waveform:
    """A signal over time. low, high: its two levels; period_s: how long it takes; seed: of what is thrown."""

    form: str
    low: float
    high: float = 0.0
    period_s: float = 10.0
    seed: int = 0

    def at(self, t: float) -> float:
        """The level t seconds after it was put on."""
        share = max(t, 0.0) / self.period_s
        span = self.high - self.low
        if self.form == "step":
            return self.low if share % 1.0 < 0.5 else self.high
        if self.form == "ramp":
            return self.low + span * min(share, 1.0)
        if self.form == "drift":
            return self.low + span * share
        if self.form == "sine":
            return self.low + span * 0.5 * (1.0 - float(np.cos(2.0 * np.pi * share)))
        if self.form == "noise":
            return self.low + self.high * float(np.random.default_rng((self.seed, int(t * 20))).standard_normal())
        if self.form == "chatter":
            return self.high if np.random.default_rng((self.seed, int(share * 10.0))).random() < 0.5 else self.low
        if self.form == "staircase":
            return self.low + span * _STAIRS[min(int(share * len(_STAIRS)), len(_STAIRS) - 1)]
        return self.low


def waveform_of(form: str, low: float, high: float = 0.0, period_s: float = 10.0, seed: int = 0) -> Waveform:
    """A waveform. Raises TextError for a form there is none of, or a time that makes no sense."""
    if form not in FORMS:
        raise TextError(f"“{form}” is not one of: {', '.join(FORMS)}")
    if not 0.1 <= period_s <= 86_400.0:
        raise TextError(f"{period_s:g} s: a signal takes from 0.1 s to a day")
    if not (np.isfinite(low) and np.isfinite(high)):
        raise TextError("both levels are numbers")
    return Waveform(form, low, high, period_s, seed)
