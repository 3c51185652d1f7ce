"""The converter: what the electronics see becomes a count, rounded as the module rounds and stopped at its limits."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from canaleta.core.model.mode_table import ModeTable
from canaleta.core.model.quality import Reason, mark
from canaleta.core.notation.arrays import Bools, Floats
from canaleta.core.path.joints.base import PathRows, or_zero
from canaleta.core.signals.converters import round_counts

__all__ = ["AffineConverter", "fault_counts"]

_MA = ModeTable.UNITS.index("mA")


class AffineConverter:
    """INPUT to COUNTS: an affine span, rounded as the converter rounds and stopped at its limits."""

    def forward(self, p: PathRows, x: Floats) -> Floats:
        """Counts at what the input sees."""
        return self.counts_from(p, self.unrounded(p, x))

    def counts_from(self, p: PathRows, exact: Floats) -> Floats:
        """Counts as the word says them, from those of the data sheet: as the channel was found to count, rounded, stopped, or the count that tells a fault."""
        least, most = p.of_mode("least"), p.of_mode("most")
        rounding = or_zero(p.of_mode("rounding")).astype(np.int8)
        out = round_counts(
            p.drifted(p.as_counted(exact)),
            rounding,
            np.nan_to_num(p.of_mode("step"), nan=1.0),
            p.of_mode("counts_low"),
        )
        low, high = out < least, out > most
        out = np.clip(out, least, most)
        for where, name in ((low, "under_counts"), (high, "over_counts")):
            if where.any():
                told = p.of_mode(name)
                out = np.where(where & ~np.isnan(told), told, out)
        for fault, name in (("opened", "open_counts"), ("shorted", "short_counts")):
            if p.hit(fault).any():
                told = p.of_mode(name)
                out = np.where(p.hit(fault) & ~np.isnan(told), told, out)
        return out

    def unrounded(self, p: PathRows, x: Floats) -> Floats:
        """Counts before rounding and limits."""
        low, high = self.seen_span(p)
        c0, c1 = p.of_mode("counts_low"), p.of_mode("counts_high")
        return c0 + (x - low) / (high - low) * (c1 - c0)

    def backward(self, p: PathRows, y: Floats) -> Floats:
        """What the input sees at a count; y need not be whole."""
        low, high = self.seen_span(p)
        c0, c1 = p.of_mode("counts_low"), p.of_mode("counts_high")
        return low + (p.as_specified(y) - c0) / (c1 - c0) * (high - low)

    def seen_span(self, p: PathRows) -> tuple[Floats, Floats]:
        """The mode's signal span in the unit of the INPUT station."""
        return p.once("seen span", lambda: self._seen_span(p))

    @staticmethod
    def _seen_span(p: PathRows) -> tuple[Floats, Floats]:
        burden = p.of_mode("burden_ohm")
        volts = np.where((burden > 0) & (p.of_mode("unit") == _MA), burden / 1000.0, 1.0)
        volts = np.where(p.mode_flag("follows_supply"), volts * p.supply_v / p.of_mode("at_supply_v"), volts)
        return p.of_mode("signal_low") * volts, p.of_mode("signal_high") * volts


def fault_counts(p: PathRows, counts: Floats, reasons: NDArray[np.uint32]) -> Bools:
    """Mark the faults that a count of their own tells. Returns where the count told one."""
    told = np.zeros(len(p), dtype=bool)
    for name, reason in (
        ("open_counts", Reason.OPEN_CIRCUIT),
        ("short_counts", Reason.SHORT_CIRCUIT),
        ("under_counts", Reason.AT_LIMIT_LOW),
        ("over_counts", Reason.AT_LIMIT_HIGH),
    ):
        hit = (counts == p.of_mode(name)) & ~told
        mark(reasons, hit, reason)
        told |= hit
    return told
