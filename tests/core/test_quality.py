"""What the level of a current says, at the very limits of NAMUR NE 43 and of what a module can tell apart."""

from __future__ import annotations

import numpy as np
import pytest

from canaleta.core.model.conventions import Namur
from canaleta.core.model.quality import Reason, signal_reasons


@pytest.mark.parametrize(
    ("milliampere", "per_count_ma", "failed"),
    [
        # NE 43: failed low is at or below 3.6 mA. A count of 0.01 mA meets the limit from half of it away, no farther.
        (3.604, 0.01, True),
        (3.606, 0.01, False),
        (3.6, 0.0, True),
        (3.604, 0.0, False),
    ],
)
def test_a_limit_is_met_by_the_count_nearest_to_it(milliampere: float, per_count_ma: float, failed: bool) -> None:
    one = np.array([True])
    no = np.array([False])
    told = signal_reasons(np.array([milliampere]), one, no, no, Namur(), np.array([per_count_ma]))
    assert bool(told[0] & Reason.FAILED_LOW) is failed
