"""What becomes of a value outside its range, and of one whose signal has failed. Detection is apart: see quality.py.

A clamped, held or substituted value keeps every doubt that the signal gave it.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from canaleta.core.model.field_table import ON_FAILURE, OUTSIDE
from canaleta.core.model.quality import BAD_SIGNAL, Reason, mark
from canaleta.core.notation.arrays import Floats
from canaleta.core.path.joints.base import PathRows
from canaleta.core.path.joints.scaling import Scaling

__all__ = ["clamped_share", "settle"]


def settle(
    p: PathRows, scaling: Scaling, counts: Floats, values: Floats, reasons: NDArray[np.uint32], last: Floats | None
) -> Floats:
    """Values with the policies of their points applied; reasons are added in place.

    last: the last good value of each row, None if there is none to hold.
    """
    below, above, failure = p.code("below"), p.code("above"), p.code("on_failure")
    plant = ON_FAILURE.index(p.conventions.on_failure)
    failure = np.where(failure < 0, plant, failure)
    if (below <= 0).all() and (above <= 0).all() and (failure <= 0).all():
        return values
    out = values.copy()
    held = np.full(len(p), np.nan) if last is None else last
    substitute = p.number("substitute")
    low, high = -p.conventions.clamp_low_share, 1.0 + p.conventions.clamp_high_share
    with np.errstate(invalid="ignore", divide="ignore"):
        share = scaling.share(p, counts)
        for where, codes, limit in ((share < low, below, low), (share > high, above, high)):
            ends = scaling.at_share(p, np.full(len(p), limit))
            for choice, value, reason in (
                ("clamp", ends, Reason.CLAMPED),
                ("hold last", held, Reason.HELD),
                ("substitute", substitute, Reason.SUBSTITUTED),
            ):
                hit = where & (codes == OUTSIDE.index(choice))
                out = np.where(hit, value, out)
                mark(reasons, hit, reason)
        failed = ((reasons & BAD_SIGNAL) != 0) & ~np.isnan(scaling.slope_form(p)[0])
        for choice, value, reason in (
            ("up-scale", scaling.at_share(p, np.full(len(p), high)), Reason.SUBSTITUTED),
            ("down-scale", scaling.at_share(p, np.full(len(p), low)), Reason.SUBSTITUTED),
            ("hold last", held, Reason.HELD),
            ("substitute", substitute, Reason.SUBSTITUTED),
        ):
            hit = failed & (failure == ON_FAILURE.index(choice))
            out = np.where(hit, value, out)
            mark(reasons, hit, reason)
    return out


def clamped_share(p: PathRows, share: Floats) -> Floats:
    """The share of span an output is given: clamped where its point says so."""
    low, high = -p.conventions.clamp_low_share, 1.0 + p.conventions.clamp_high_share
    clamp = OUTSIDE.index("clamp")
    out = np.where(p.code("below") == clamp, np.maximum(share, low), share)
    return np.where(p.code("above") == clamp, np.minimum(out, high), out)
