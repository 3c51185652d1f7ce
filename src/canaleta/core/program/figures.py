"""What the code of each point works with, in counts and units: taken from the path itself, so that both say the same.

Limits of quality are not derived a second time: the path is asked at which count it begins to doubt, by parting what is left,
for all points at once.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from canaleta.core.model.field_table import ON_FAILURE, OUTSIDE
from canaleta.core.model.fields import Station
from canaleta.core.model.image import PlantImage
from canaleta.core.model.mode_table import ModeTable
from canaleta.core.model.quality import Quality, Reason
from canaleta.core.notation.arrays import Bools, Floats
from canaleta.core.path.evaluate import Runs
from canaleta.core.path.joints.base import PathRows
from canaleta.core.path.joints.chains import CHAINS
from canaleta.core.path.joints.scaling import Scaling
from canaleta.core.signals.signal_types import Family

__all__ = ["CODES", "Figures", "analog_figures"]

CODES = ("open_counts", "short_counts", "under_counts", "over_counts")
_Asked = tuple[NDArray[np.uint8], NDArray[np.uint32], Floats]
_FAILING = np.uint32(Reason.FAILED_LOW | Reason.FAILED_HIGH)
_UNROUNDED = ModeTable.ROUNDINGS.index("none")
_HELD, _SUBSTITUTE, _CLAMP = (OUTSIDE.index(w) for w in ("hold last", "substitute", "clamp"))
NEVER = 3.0e38
_AT_ONCE, _CHEAP = (15, 7, 3), 2000
"""How many counts between two are asked at once, and up to how many paths in all."""


@dataclass(frozen=True)
class Figures:
    """Of n analog points, arrays (n,) unless said otherwise. NaN where there is none.

    c0, c1: counts of both ends, as the channel counts; v0, v1: what the straight part makes of them. cut: share of the root.
    bad_to, doubt_to, doubt_from, bad_from: counts at and beyond which the signal is bad or in doubt. after_ms: how long it must
    be. codes: (4, n) counts of CODES with code_bad: (4, n), whether each is bad. below, above: counts at and beyond which the
    range is left; low_do, high_do, fail_do: 0 nothing, 1 hold, 2 the value beside it. give_low, give_high: shares that an output
    is clamped to. good: a count at which all is well; usable: whether the path makes a value there. least, most: of the
    converter.
    """

    c0: Floats
    c1: Floats
    v0: Floats
    v1: Floats
    cut: Floats
    bad_to: Floats
    doubt_to: Floats
    doubt_from: Floats
    bad_from: Floats
    after_ms: Floats
    codes: Floats
    code_bad: Bools
    below: Floats
    above: Floats
    low_do: NDArray[np.int64]
    low_value: Floats
    high_do: NDArray[np.int64]
    high_value: Floats
    fail_do: NDArray[np.int64]
    fail_value: Floats
    give_low: Floats
    give_high: Floats
    good: Floats
    usable: Bools
    least: Floats
    most: Floats


def analog_figures(image: PlantImage, rows: NDArray[np.int64], word_least: Floats, word_most: Floats) -> Figures:
    """The figures of analog points. word_least, word_most: (n,) of what their words can hold."""
    n = len(rows)
    out = {
        name: np.full(n, np.nan)
        for name in (
            "c0",
            "c1",
            "v0",
            "v1",
            "cut",
            "below",
            "above",
            "low_value",
            "high_value",
            "fail_value",
            "give_low",
            "give_high",
        )
    }
    low_do, high_do, fail_do = (np.zeros(n, dtype=np.int64) for _ in range(3))
    whole = np.ones(n, dtype=bool)
    codes = np.full((len(CODES), n), np.nan)
    least, most = np.full(n, np.nan), np.full(n, np.nan)
    family = image.family[rows]
    for code, chain in CHAINS.items():
        at = np.flatnonzero(family == code)
        if code == Family.CONTACT or not len(at):
            continue
        p, scaling = PathRows(image, rows[at]), chain.joints[-1]
        assert isinstance(scaling, Scaling)
        with np.errstate(all="ignore"):
            c0, c1, v0, v1 = scaling.point_form(p)
            out["c0"][at], out["c1"][at], out["v0"][at], out["v1"][at] = p.as_counted(c0), p.as_counted(c1), v0, v1
            out["cut"][at] = scaling.cut_off(p, v0, v1)
            whole[at] = np.nan_to_num(p.of_mode("rounding")) != _UNROUNDED
            least[at], most[at] = p.of_mode("least"), p.of_mode("most")
            for k, name in enumerate(CODES):
                codes[k, at] = p.of_mode(name)
            _policies(p, scaling, out, (low_do, high_do, fail_do), at, whole[at])
    found = _limits(image, rows, out, codes, whole, (word_least, word_most), (least, most))
    return Figures(
        **out, **found, codes=codes, low_do=low_do, high_do=high_do, fail_do=fail_do, least=least, most=most
    )


def _policies(
    p: PathRows,
    scaling: Scaling,
    out: dict[str, Floats],
    does: tuple[NDArray[np.int64], ...],
    at: NDArray[np.int64],
    whole: Bools,
) -> None:
    """What core.path.joints.policy does, as counts at which it begins and values that it puts."""
    c = p.conventions
    low, high = -c.clamp_low_share, 1.0 + c.clamp_high_share
    below, above, failure = p.code("below"), p.code("above"), p.code("on_failure")
    failure = np.where(failure < 0, ON_FAILURE.index(c.on_failure), failure)
    ends = {limit: scaling.at_share(p, np.full(len(p), limit)) for limit in (low, high)}
    substitute = p.number("substitute")
    rises = scaling.share(p, out["c1"][at]) > scaling.share(p, out["c0"][at])
    rising = out["c1"][at] > out["c0"][at]
    assert rises.shape == rising.shape
    for codes, limit, beyond in ((below, low, -1), (above, high, 1)):
        do = np.select([codes == _HELD, (codes == _SUBSTITUTE) | (codes == _CLAMP)], [1, 2], 0)
        value = np.where(codes == _CLAMP, ends[limit], substitute)
        edge = _edge(p, scaling, limit, beyond, whole)
        # Below the range is at the lower counts where the value rises with them, else at the higher ones.
        lower = rising if beyond < 0 else ~rising
        for _side, counts, of_do, of_value, mask in (
            ("below", out["below"], does[0], out["low_value"], lower), ("above", out["above"], does[1], out["high_value"], ~lower),
        ):  # fmt: skip
            some = mask & (do > 0)
            counts[at[some]], of_do[at[some]], of_value[at[some]] = edge[some], do[some], value[some]
    names = [ON_FAILURE.index(w) for w in ("up-scale", "down-scale", "hold last", "substitute")]
    does[2][at] = np.select([failure == n for n in names], [2, 2, 1, 2], 0)
    out["fail_value"][at] = np.select([failure == names[0], failure == names[1]], [ends[high], ends[low]], substitute)
    out["give_low"][at] = np.where(below == _CLAMP, low, np.nan)
    out["give_high"][at] = np.where(above == _CLAMP, high, np.nan)


def _edge(p: PathRows, scaling: Scaling, limit: float, beyond: int, whole: Bools) -> Floats:
    """The count nearest to the span that lies beyond a share of it, by the path's own reckoning."""
    c0, c1, _, _ = scaling.point_form(p)
    exact = p.as_counted(c0 + limit * (c1 - c0))
    away = np.where(p.as_counted(c1) > p.as_counted(c0), beyond, -beyond)
    best = exact + away * np.abs(exact) * 1e-7
    found = np.zeros(len(exact), dtype=bool)
    for step in range(-2, 4):
        candidate = np.rint(exact) + step * away
        share = scaling.share(p, candidate)
        hit = (share < limit if beyond < 0 else share > limit) & ~found & whole
        best, found = np.where(hit, candidate, best), found | hit
    return best


def _limits(
    image: PlantImage,
    rows: NDArray[np.int64],
    out: dict[str, Floats],
    codes: Floats,
    whole: Bools,
    word: tuple[Floats, Floats],
    converter: tuple[Floats, Floats],
) -> dict[str, Any]:
    """Where the path begins to doubt, asked of itself."""
    runs, nothing = Runs.of(image, rows), np.zeros(len(rows))

    def asked(counts: Floats) -> _Asked:
        paths = runs.evaluate(Station.COUNTS, counts, last=nothing)
        return paths.quality, paths.reasons, paths.at(Station.VALUE)

    good, usable = np.full(len(rows), np.nan), np.zeros(len(rows), dtype=bool)
    mid = np.where(np.isnan(out["c0"] + out["c1"]), (converter[0] + converter[1]) / 2, np.nan)
    for share in (0.5, 0.25, 0.75, 0.1, 0.9, 0.0, 1.0):
        trial = np.where(np.isnan(mid), out["c0"] + share * (out["c1"] - out["c0"]), mid)
        trial = np.where(whole, np.rint(trial), trial)
        trial = np.clip(trial, np.fmax(word[0], -NEVER), np.fmin(word[1], NEVER))
        quality, _, value = asked(trial)
        fresh = ~usable & (quality == Quality.GOOD) & np.isfinite(value) & ~np.isnan(trial)
        good, usable = np.where(fresh, trial, good), usable | fresh
    start = np.nan_to_num(good)
    # A number in floating point has no last count: a thousand spans away all has been said.
    far = 1000.0 * np.fmax(np.abs(converter[1] - converter[0]), 1.0)
    word = (
        np.where(whole, word[0], np.fmax(word[0], start - far)),
        np.where(whole, word[1], np.fmin(word[1], start + far)),
    )
    out_of: dict[str, Any] = {"good": good, "usable": usable}
    failing = np.zeros(len(rows), dtype=bool)
    names = ("doubt_to", "bad_to", "doubt_from", "bad_from")
    ends = np.stack([word[0], word[0], word[1], word[1]])
    bad_alone = np.array([[False], [True], [False], [True]])
    found = _parted(image, rows, np.stack([start] * len(names)), ends, whole, codes, bad_alone)
    for name, counts in zip(names, found, strict=True):
        out_of[name] = counts
        if name.startswith("bad"):
            _, reasons, _ = asked(np.where(np.isnan(counts), start, counts))
            failing |= ~np.isnan(counts) & ((reasons & _FAILING) != 0)
    out_of["after_ms"] = np.where(failing, image.conventions.namur.after_s * 1000.0, 0.0)
    bad = np.zeros(codes.shape, dtype=bool)
    for k in range(len(CODES)):
        quality, _, _ = asked(np.where(np.isnan(codes[k]), start, codes[k]))
        bad[k] = ~np.isnan(codes[k]) & (quality == Quality.BAD)
    out_of["code_bad"] = bad
    return out_of


def _parted(
    image: PlantImage,
    rows: NDArray[np.int64],
    start: Floats,
    end: Floats,
    whole: Bools,
    codes: Floats,
    bad_alone: Bools,
) -> Floats:
    """The count between a good one and the end of the word from which on something holds; NaN if it does not there.

    start, end: (k, n) of k searches; bad_alone: (k, 1), whether what is bad is looked for, or what is in doubt as well. What a
    path takes to be asked is the same for one count and for a thousand: all searches go at once, and where there are few points
    each step asks at several counts between, not at the middle alone.
    """
    k, n = start.shape
    several = next((c for c in _AT_ONCE if c * k * n <= _CHEAP), 1)
    away, whole = np.sign(end - start), np.broadcast_to(whole, (k, n))
    runs: dict[int, Runs] = {}

    def holds(counts: Floats) -> Bools:
        """counts: (times, k, n)."""
        times = len(counts)
        if times not in runs:
            runs[times] = Runs.of(image, np.tile(rows, times * k))
        # A count that tells a fault of its own says nothing of its neighbours.
        for _ in range(len(codes)):
            counts = np.where((counts[None] == codes[:, None, None, :]).any(axis=0) & whole, counts - away, counts)
        flat = counts.ravel()
        quality = runs[times].evaluate(Station.COUNTS, flat, last=np.zeros(len(flat))).quality.reshape(counts.shape)
        held: Bools = np.where(bad_alone, quality == Quality.BAD, quality != Quality.GOOD)
        return held

    some = holds(end[None])[0] & (away != 0)
    low, high = start.copy(), end.copy()
    shares = (np.arange(1, several + 1) / (several + 1))[:, None, None]
    for _ in range(100):
        between = low + (high - low) * shares
        between = np.where(whole, np.trunc(between), between)
        middle = between[several // 2]
        done = (middle == low) | (middle == high) | ~some
        if done.all():
            break
        hit = np.where(between == low, False, np.where(between == high, True, holds(between)))
        steps = np.concatenate([low[None], between, high[None]])
        # From the last that does not hold to the next.
        last = several - np.argmax(~hit[::-1], axis=0)
        last = np.where(hit.all(axis=0), 0, last)[None]
        fresh_low, fresh_high = (np.take_along_axis(steps, last + step, axis=0)[0] for step in (0, 1))
        low, high = np.where(done, low, fresh_low), np.where(done, high, fresh_high)
    # Between two neighbours the last step decides for the outer one.
    return np.where(some, high, np.nan)
