"""Trimming a channel: known signals are put on, the counts come to rest, and what the channel counts is held against what
its data sheet says.

Between the two lies a straight line, offset and slope: through two levels, or the best one through more (least squares).
What is found are the counts at the ends of the mode, beside those of the data sheet, which stay. All percentages are of
the count's span over the signal, unless another is named.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from decimal import Decimal
from enum import StrEnum

import numpy as np

from canaleta.core.model.conventions import Trimming
from canaleta.core.model.fields import Station
from canaleta.core.model.image import PlantImage
from canaleta.core.notation.arrays import Floats
from canaleta.core.path.evaluate import evaluate
from canaleta.core.path.joints.base import PathRows, Upset
from canaleta.core.path.joints.chains import CHAINS
from canaleta.core.path.joints.scaling import Scaling
from canaleta.core.signals.signal_types import Family

__all__ = [
    "SHARES",
    "Capture",
    "Level",
    "Refused",
    "Trim",
    "kept_figure",
    "levels_of",
    "refusal_words",
    "scatter_of",
    "trimmed",
]

SHARES = tuple(float(share) for share in range(0, 101, 10))
"""% of the signal's span at which the error is told."""
_AT_REST = 2.0
"""How far apart the means of both halves of the samples may lie, in their own standard error and the noise allowed."""


class Refused(StrEnum):
    """Why a level, or the whole, is not taken."""

    FEW = "few"
    BAD = "bad"
    UNSTABLE = "unstable"
    MOVING = "moving"
    SATURATED = "saturated"
    UNKNOWN = "unknown"
    ONE_LEVEL = "one level"
    EXCHANGED = "exchanged"
    WRONG_WAY = "wrong way"
    TOO_CLOSE = "too close"
    TOO_FAR = "too far"


_WORDS = {
    Refused.FEW: "too few samples yet",
    Refused.BAD: "a sample was of no good quality",
    Refused.UNSTABLE: "the counts do not stand still: they scatter more than the plant allows",
    Refused.MOVING: "the counts still move: the signal has not come to rest",
    Refused.SATURATED: "the count stands at the end of what the channel counts: take a level further inside",
    Refused.UNKNOWN: "no count belongs to this signal in this mode",
    Refused.ONE_LEVEL: "two levels are needed, apart from each other",
    Refused.EXCHANGED: "the levels are exchanged: each count belongs to another signal",
    Refused.WRONG_WAY: "the count falls where it must rise: look at the polarity",
    Refused.TOO_CLOSE: "the levels are too close together to tell slope from offset",
    Refused.TOO_FAR: "further from the data sheet than the plant allows: look for the reason first",
}


def refusal_words(refused: Refused) -> str:
    """The sentence for a refusal."""
    return _WORDS[refused]


@dataclass(frozen=True)
class Capture:
    """One level. signal: what is known to stand on the wires, in the unit of LOOP. counts: (samples,) what was counted, NaN
    for a sample of no good quality; of an output what it was given. junction_degc: of the cold junction meanwhile, NaN
    for what the list says."""

    signal: float
    counts: Floats
    junction_degc: float = float("nan")


@dataclass(frozen=True)
class Level:
    """A capture judged. specified: what the data sheet says of this signal. mean, sigma: of the samples, counts (sigma with
    one less than there are samples). drift: mean less specified, counts; of_span: the same in %."""

    signal: float
    specified: float
    mean: float
    sigma: float
    samples: int
    drift: float
    of_span: float
    refused: tuple[Refused, ...]


@dataclass(frozen=True)
class Trim:
    """What several levels say. ends: counts at the ends of the signal by the data sheet, found: those of the channel;
    mode_found: counts found at the ends of the mode, as they are kept; NaN while nothing can be said. zero: how far the
    low end has moved, counts; slope: by how much the slope differs, %. residual: the largest distance of a level from the
    line, % of span. before, after: (SHARES,) error of the value with the data sheet's pair and with the found one, % of
    the value's span."""

    levels: tuple[Level, ...]
    ends: tuple[float, float]
    found: tuple[float, float]
    mode_found: tuple[float, float]
    zero: float
    slope: float
    residual: float
    before: Floats
    after: Floats
    refused: tuple[Refused, ...]

    @property
    def acceptable(self) -> bool:
        """Whether nothing speaks against it."""
        return not self.refused and not any(level.refused for level in self.levels)


_UNTRIMMED = ("found_low", "found_high", "trimmed")


def as_specified(image: PlantImage, row: int) -> PlantImage:
    """The image of one point whose channel counts as its data sheet says."""
    return image.only(np.array([row])).with_cells({(0, name): None for name in _UNTRIMMED})


def _specified(one: PlantImage, signal: float, junction_degc: float) -> float:
    """The exact count that the data sheet says of a signal; NaN where none belongs to it. one: of one point.

    The path rounds on its way to COUNTS and not on its way back: between the two counts around the rounded one it is
    straight for all that a count can tell.
    """
    at = np.zeros(3, dtype=np.int64)
    upset = Upset(junction_degc=np.full(3, junction_degc))
    near = float(evaluate(one, Station.LOOP, np.full(3, signal), at, upset).at(Station.COUNTS)[0])
    mode = int(one.mode[0])
    if np.isnan(near) or mode < 0:
        return float("nan")
    reach = _step(one)
    low, high = near - reach, near + reach
    back = evaluate(one, Station.COUNTS, np.array([low, high, near]), at, upset).at(Station.LOOP)
    if not np.isfinite(back[0] + back[1]) or back[0] == back[1]:
        return float("nan")
    exact = low + (signal - float(back[0])) / float(back[1] - back[0]) * (high - low)
    # Where the path stops, what stands on the wires is no longer what makes the count.
    return exact if abs(exact - near) <= reach * 1.001 else float("nan")


def _ends(one: PlantImage) -> tuple[float, float]:
    """Counts at both ends of the scaling by the data sheet."""
    scaling = CHAINS[Family(int(one.family[0]))].joints[-1]
    assert isinstance(scaling, Scaling)
    c0, c1, _, _ = scaling.point_form(PathRows(one, np.array([0])))
    return float(c0[0]), float(c1[0])


def _step(one: PlantImage) -> float:
    """How far the count moves at once; where the word holds what it measures as it is, a millionth of its span."""
    mode, numbers = int(one.mode[0]), one.layout.mode_table.numbers
    if mode < 0:
        return 1.0
    step = float(numbers["step"][mode])
    return step if step > 0 else abs(float(numbers["counts_high"][mode] - numbers["counts_low"][mode])) * 1e-6


def _scatter(one: PlantImage, span: float) -> float:
    return max(one.conventions.trimming.noise_percent / 100.0 * abs(span), _step(one))


def scatter_of(image: PlantImage, row: int) -> float:
    """The most standard deviation that samples of a level may have, counts; NaN where the span is not known."""
    one = as_specified(image, row)
    c0, c1 = _ends(one)
    return _scatter(one, c1 - c0) if np.isfinite(c0 + c1) else float("nan")


def kept_figure(count: float, span: float) -> Decimal:
    """A count as it is kept: to a ten-millionth of the span and no finer, for no mean of samples knows more."""
    decimals = min(max(7 - int(np.floor(np.log10(abs(span)))), 0), 12)
    return Decimal(f"{count:.{decimals}f}")


def levels_of(image: PlantImage, row: int, count: int) -> list[float]:
    """Signals to put on, in the unit of LOOP, from the low end of the point's span to its high one; an end at which the
    channel stops counting is moved inside by a twentieth. Empty where nothing is known."""
    one = as_specified(image, row)
    c0, c1 = _ends(one)
    mode = int(one.mode[0])
    if not np.isfinite(c0 + c1) or mode < 0:
        return []
    numbers = one.layout.mode_table.numbers
    step = _step(one)
    least, most = (float(numbers[name][mode]) for name in ("least", "most"))
    shares = np.linspace(0.0, 1.0, count)
    inside = [0.0 if least + step <= min(c0, c1) else 0.05, 1.0 if max(c0, c1) <= most - step else 0.95]
    if c1 < c0:
        inside = [1.0 - inside[1], 1.0 - inside[0]]
    counts = c0 + (inside[0] + shares * (inside[1] - inside[0])) * (c1 - c0)
    found = evaluate(one, Station.COUNTS, counts, np.zeros(count, dtype=np.int64)).at(Station.LOOP)
    return [float(x) for x in found] if np.isfinite(found).all() else []


def _judged(one: PlantImage, capture: Capture, span: float, allowed: Trimming, driven: bool) -> Level:
    counts = np.asarray(capture.counts, dtype=np.float64)
    good = counts[np.isfinite(counts)]
    refused: list[Refused] = []
    if len(good) < len(counts):
        refused.append(Refused.BAD)
    if len(good) < (1 if driven else allowed.samples):
        refused.append(Refused.FEW)
    mean = float(good.mean()) if len(good) else float("nan")
    sigma = float(good.std(ddof=1)) if len(good) > 1 else 0.0
    mode, numbers = int(one.mode[0]), one.layout.mode_table.numbers
    step = _step(one)
    scatter = _scatter(one, span)
    if sigma > scatter:
        refused.append(Refused.UNSTABLE)
    elif len(good) > 3:
        half = len(good) // 2
        apart = abs(float(good[-half:].mean() - good[:half].mean()))
        if apart > max(scatter / 2.0, step) + _AT_REST * sigma * np.sqrt(2.0 / half):
            refused.append(Refused.MOVING)
    if mode >= 0 and len(good) and not driven:
        least, most = (float(numbers[name][mode]) for name in ("least", "most"))
        if good.min() < least + step or good.max() > most - step:
            refused.append(Refused.SATURATED)
    specified = _specified(one, capture.signal, capture.junction_degc)
    if np.isnan(specified):
        refused.append(Refused.UNKNOWN)
    drift = mean - specified
    return Level(capture.signal, specified, mean, sigma, len(good), drift, 100.0 * drift / abs(span), tuple(refused))


def _against(levels: Sequence[Level], span: float, allowed: Trimming) -> tuple[Refused, ...]:
    """What speaks against all levels together."""
    specified, counted = (np.array([getattr(level, name) for level in levels]) for name in ("specified", "mean"))
    if levels and not (np.isfinite(span) and span != 0):
        return (Refused.UNKNOWN,)
    if len(levels) < 2 or not np.isfinite(specified + counted).all():
        return (Refused.ONE_LEVEL,)
    apart = specified.max() - specified.min()
    if apart < allowed.apart_percent / 100.0 * abs(span) * (1.0 - 1e-9):
        return (Refused.TOO_CLOSE,)
    order = np.argsort(specified)
    if counted[order][-1] <= counted[order][0]:
        mirrored = np.abs(counted[order][::-1] - specified[order]).max()
        return (Refused.EXCHANGED if mirrored <= allowed.most_percent / 100.0 * abs(span) else Refused.WRONG_WAY,)
    if (np.diff(counted[order]) <= 0).any():
        return (Refused.EXCHANGED,)
    if np.abs(counted - specified).max() > allowed.most_percent / 100.0 * abs(span):
        return (Refused.TOO_FAR,)
    return ()


def trimmed(image: PlantImage, row: int, captures: Sequence[Capture], *, driven: bool = False) -> Trim:
    """What the levels say of a channel, whatever was found of it before. driven: it is an output, whose counts were given
    and whose signal was metered."""
    one, allowed = as_specified(image, row), image.conventions.trimming
    c0, c1 = _ends(one)
    levels = tuple(_judged(one, capture, c1 - c0, allowed, driven) for capture in captures)
    refused = _against(levels, c1 - c0, allowed)
    nothing = np.full(len(SHARES), np.nan)
    nan = float("nan")
    if {Refused.UNKNOWN, Refused.ONE_LEVEL, Refused.TOO_CLOSE} & set(refused):
        return Trim(levels, (c0, c1), (nan, nan), (nan, nan), nan, nan, nan, nothing, nothing, refused)
    specified, counted = (np.array([getattr(level, name) for level in levels]) for name in ("specified", "mean"))
    gain, offset = np.polyfit(specified, counted, 1)
    residual = float(np.abs(counted - (offset + gain * specified)).max()) / abs(c1 - c0) * 100.0
    mode, numbers = int(one.mode[0]), one.layout.mode_table.numbers
    kept = tuple(offset + gain * float(numbers[name][mode]) for name in ("counts_low", "counts_high"))
    found = (offset + gain * c0, offset + gain * c1)
    before, after = _errors(one, (c0, c1), float(offset), float(gain), kept)
    return Trim(
        levels, (c0, c1), found, (float(kept[0]), float(kept[1])), float(found[0] - c0), 100.0 * (float(gain) - 1.0),
        residual, before, after, refused,
    )  # fmt: skip


def _errors(
    one: PlantImage, ends: tuple[float, float], offset: float, gain: float, kept: Sequence[float]
) -> tuple[Floats, Floats]:
    """Errors over the span, % of the value's span: as scaled by the data sheet, and by what was found. The rest that
    remains is what the figures that are kept are rounded by."""
    at = np.zeros(len(SHARES), dtype=np.int64)
    specified = ends[0] + np.array(SHARES) / 100.0 * (ends[1] - ends[0])
    counted = offset + gain * specified
    if gain <= 0:
        # A channel that stands still, or counts backwards, has no found pair to try.
        nothing = np.full(len(SHARES), np.nan)
        return nothing, nothing
    span = abs(kept[1] - kept[0])
    with_found = one.with_cells(
        {(0, f"found_{end}"): kept_figure(k, span) for end, k in zip(("low", "high"), kept, strict=True)}
    )
    true = evaluate(one, Station.COUNTS, specified, at).at(Station.VALUE)
    wide = float(true[-1] - true[0])
    if not np.isfinite(wide) or wide == 0:
        nothing = np.full(len(SHARES), np.nan)
        return nothing, nothing
    shown = [evaluate(image, Station.COUNTS, counted, at).at(Station.VALUE) for image in (one, with_found)]
    before, after = (100.0 * (values - true) / abs(wide) for values in shown)
    return before, after
