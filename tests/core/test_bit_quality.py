"""The quality that a bit makes of a value: that of its meaning, or the one that is chosen."""

from __future__ import annotations

import pytest

from canaleta.core.model.module_map import StatusBit
from canaleta.core.model.quality import WORDS, Quality, Reason


@pytest.mark.parametrize(
    ("means", "makes", "reason"),
    [
        ("open circuit", "", Reason.OPEN_CIRCUIT),
        ("over range", "", Reason.OVER_RANGE),
        ("over range", "bad", Reason.CHANNEL_FAULT),
        ("open circuit", "bad", Reason.OPEN_CIRCUIT),
        ("open circuit", "doubtful", Reason.SOURCE_UNCERTAIN),
        ("not calibrated", "doubtful", Reason.NOT_CALIBRATED),
        ("fault", "good", None),
        ("note", "", None),
        ("note", "bad", Reason.CHANNEL_FAULT),
        ("note", "doubtful", Reason.SOURCE_UNCERTAIN),
    ],
)
def test_a_bit_makes_what_it_means_or_what_is_chosen(means: str, makes: str, reason: Reason | None) -> None:
    bit = StatusBit.model_validate({"bit": 3, "means": means, "makes": makes})
    assert bit.reason == reason
    if reason is not None and makes:
        assert WORDS[reason][0] is {"bad": Quality.BAD, "doubtful": Quality.DOUBTFUL}[makes]
