"""What a reading is worth: the uncertainty of a test by its shares, the ratio to the tolerance, and whether that is enough to
decide.

JCGM 100:2008 (GUM): a limit ±a of which no more is known is a rectangular distribution, a/√3 (4.3.7); a digital step δ is
δ/√12 (F.2.2.1); the mean of n samples is s/√n (4.2.3). Shares that do not depend on each other add in squares (5.1.2);
expanded by k = 2 they cover about 95 % (6.3.3). JCGM 106:2012: how probable it is that what was measured lies within its
tolerance (7.3), and what a guard band takes from the tolerance so that it does (8.3.2).
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from enum import StrEnum

__all__ = [
    "COVERAGE",
    "Accuracy",
    "Decided",
    "Decision",
    "Part",
    "Rule",
    "Worth",
    "accuracy_share",
    "decided",
    "of_limit",
    "of_mean",
    "of_step",
    "worst",
    "worth_of",
]

COVERAGE = 2.0
"""k: what the standard uncertainty is multiplied by; about 95 % of a normal distribution."""


@dataclass(frozen=True)
class Accuracy:
    """What a maker states of an instrument on one range: ±(of_reading % of reading + of_span % of span + digits · resolution),
    in the unit of the range."""

    low: float
    high: float
    of_reading: float = 0.0
    of_span: float = 0.0
    digits: float = 0.0
    resolution: float = 0.0

    def limit(self, reading: float) -> float:
        """The limit of error ± at a reading. Raises ValueError beyond the range: nothing is stated there."""
        slack = 1e-9 * max(abs(self.low), abs(self.high), 1e-300)
        if not self.low - slack <= reading <= self.high + slack:
            raise ValueError(f"{reading:g} lies beyond the range of {self.low:g} to {self.high:g}")
        span = self.high - self.low
        return abs(reading) * self.of_reading / 100.0 + span * self.of_span / 100.0 + self.digits * self.resolution


@dataclass(frozen=True)
class Part:
    """One share of an uncertainty: its name, its standard uncertainty in the unit of what is measured, how that follows, and
    its degrees of freedom (infinite where it is no estimate from samples)."""

    name: str
    standard: float
    basis: str
    freedom: float = math.inf


@dataclass(frozen=True)
class Worth:
    """Everything together. standard: combined; expanded: COVERAGE times that; freedom: effective degrees (JCGM 100, G.4.1,
    Welch and Satterthwaite)."""

    parts: tuple[Part, ...]
    standard: float
    expanded: float
    freedom: float

    def part_of(self, part: Part) -> float:
        """A share of the sum of squares, 0 … 1."""
        return (part.standard / self.standard) ** 2 if self.standard else 0.0


def of_limit(name: str, limit: float, per: float = 1.0, basis: str = "") -> Part:
    """A limit of error ±. per: units of what is measured for one unit of the limit (the sensitivity, JCGM 100, 5.1.3)."""
    return Part(name, abs(per) * abs(limit) / math.sqrt(3.0), basis or f"±{limit:g}, rectangular")


def of_step(name: str, step: float, per: float = 1.0) -> Part:
    """A display or a converter that moves by steps."""
    return Part(name, abs(per) * abs(step) / math.sqrt(12.0), f"step {step:g}, rectangular")


def of_mean(name: str, scatter: float, samples: int, per: float = 1.0) -> Part:
    """The mean of samples with a standard deviation. Raises ValueError for fewer than two: they say nothing of it."""
    if samples < 2:
        raise ValueError("the scatter of one sample is not known")
    basis = f"standard deviation {scatter:g} of {samples} samples"
    return Part(name, abs(per) * scatter / math.sqrt(samples), basis, float(samples - 1))


def accuracy_share(name: str, accuracy: Accuracy, reading: float, per: float = 1.0) -> Part:
    """What an instrument's stated accuracy contributes at a reading. Raises ValueError beyond its range."""
    limit = accuracy.limit(reading)
    stated = [
        f"{accuracy.of_reading:g} % of reading" if accuracy.of_reading else "",
        f"{accuracy.of_span:g} % of span" if accuracy.of_span else "",
        f"{accuracy.digits:g} digits of {accuracy.resolution:g}" if accuracy.digits else "",
    ]
    told = " + ".join(one for one in stated if one) or "nothing"
    return of_limit(name, limit, per, f"±({told}) is ±{limit:.6g}, rectangular")


def worth_of(parts: Iterable[Part]) -> Worth:
    """Shares that do not depend on each other, together."""
    some = tuple(parts)
    variance = sum(part.standard**2 for part in some)
    standard = math.sqrt(variance)
    against = sum(part.standard**4 / part.freedom for part in some)
    return Worth(some, standard, COVERAGE * standard, variance**2 / against if against else math.inf)


class Rule(StrEnum):
    """What a plant decides by. SIMPLE: within the tolerance passes. GUARDED: within the tolerance less a guard band.
    REFUSING: as SIMPLE, and nothing is decided where the ratio is too small."""

    SIMPLE = "simple acceptance"
    GUARDED = "guard band"
    REFUSING = "refuse below the ratio"


class Decided(StrEnum):
    """What comes of a measured error."""

    PASSES = "passes"
    FAILS = "fails"
    BETWEEN = "in the guard band"
    TOO_POOR = "ratio too small"


@dataclass(frozen=True)
class Decision:
    """ratio: tolerance to expanded uncertainty (TUR). limit: of the error that is accepted ±, after the guard band.
    probability: that what was measured is within the tolerance, normal distribution (JCGM 106, 7.3)."""

    decided: Decided
    ratio: float
    limit: float
    probability: float


def _below(z: float) -> float:
    """The standard normal distribution up to z."""
    return 0.5 * math.erfc(-z / math.sqrt(2.0))


def decided(
    error: float, tolerance: float, worth: Worth, rule: Rule, least_ratio: float = 4.0, guard_share: float = 1.0
) -> Decision:
    """What a measured error is worth against a tolerance ±, all in one unit.

    guard_share: of the expanded uncertainty that the guard band takes from each side (JCGM 106, 8.3.2: r = w / U; with 1 at
    most 2.5 % of what is accepted lies outside).
    """
    if tolerance <= 0:
        raise ValueError("a tolerance is more than nothing")
    u = worth.standard
    ratio = tolerance / worth.expanded if worth.expanded else math.inf
    inside = (
        _below((tolerance - error) / u) - _below((-tolerance - error) / u) if u else float(abs(error) <= tolerance)
    )
    limit = tolerance - guard_share * worth.expanded if rule is Rule.GUARDED else tolerance
    within = abs(error) <= tolerance * (1.0 + 1e-12)
    if rule is Rule.REFUSING and ratio < least_ratio:
        found = Decided.TOO_POOR
    elif abs(error) <= limit * (1.0 + 1e-12):
        found = Decided.PASSES
    else:
        found = Decided.BETWEEN if within else Decided.FAILS
    return Decision(found, ratio, max(limit, 0.0), inside)


def worst(decisions: Sequence[Decision]) -> Decided | None:
    """What comes of a whole test: it passes where each step does; None without steps."""
    order = (Decided.FAILS, Decided.TOO_POOR, Decided.BETWEEN, Decided.PASSES)
    return min((one.decided for one in decisions), key=order.index, default=None)
