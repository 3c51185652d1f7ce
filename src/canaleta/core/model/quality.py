"""Quality of a value and the reasons for it: level, converter limits, sensor limits, status bits.

Staleness is not here: whoever reads judges it, from the age of the reading.
"""

from __future__ import annotations

from enum import IntEnum, IntFlag

import numpy as np
from numpy.typing import NDArray

from canaleta.core.model.conventions import Namur
from canaleta.core.notation.arrays import Bools, Floats

__all__ = [
    "BAD_SIGNAL",
    "WORDS",
    "Quality",
    "Reason",
    "mark",
    "of_reasons",
    "reason_words",
    "ripened",
    "signal_reasons",
    "trusted",
]


class Quality(IntEnum):
    """How far a value can be trusted. NONE: there is no value to judge."""

    GOOD = 0
    DOUBTFUL = 1
    BAD = 2
    NONE = 3


class Reason(IntFlag):
    """Why a value is not good. Kept as a bit mask, so that fifty thousand fit in one array."""

    UNDER_RANGE = 1
    OVER_RANGE = 2
    FAILED_LOW = 4
    FAILED_HIGH = 8
    AT_LIMIT_LOW = 16
    AT_LIMIT_HIGH = 32
    OPEN_CIRCUIT = 64
    OUTSIDE_SENSOR = 128
    UNDEFINED_LEVEL = 256
    NO_MODE = 512
    MODE_MISFIT = 1024
    NOT_SCALED = 2048
    CHANNEL_FAULT = 4096
    RACK_SILENT = 8192
    SHORT_CIRCUIT = 16384
    SUBSTITUTED = 32768
    HELD = 65536
    CLAMPED = 131072
    NO_CURRENT_PATH = 262144
    WRONG_SUPPLY = 524288
    TWO_TEMPERATURES = 1048576
    STARVED_LOOP = 2097152
    LATCHED = 4194304
    CHATTERS = 8388608
    FORCED = 16777216
    DISABLED = 33554432
    NOT_A_NUMBER = 67108864
    REGISTER_REFUSED = 134217728
    MODULE_FAULT = 268435456
    SUPPLY_FAULT = 536870912
    NOT_CALIBRATED = 1073741824
    SOURCE_UNCERTAIN = 2147483648


WORDS: dict[Reason, tuple[Quality, str]] = {
    Reason.UNDER_RANGE: (Quality.DOUBTFUL, "below the good range of the signal"),
    Reason.OVER_RANGE: (Quality.DOUBTFUL, "above the good range of the signal"),
    Reason.FAILED_LOW: (Quality.BAD, "failed low or open"),
    Reason.FAILED_HIGH: (Quality.BAD, "failed high"),
    Reason.AT_LIMIT_LOW: (Quality.DOUBTFUL, "at the lower end of what the module can count: cannot tell"),
    Reason.AT_LIMIT_HIGH: (Quality.DOUBTFUL, "at the upper end of what the module can count: cannot tell"),
    Reason.OPEN_CIRCUIT: (Quality.BAD, "open circuit"),
    Reason.OUTSIDE_SENSOR: (Quality.BAD, "outside the range of the sensor"),
    Reason.UNDEFINED_LEVEL: (Quality.DOUBTFUL, "between off and on: the input does not say which"),
    Reason.NO_MODE: (Quality.NONE, "no channel with a mode yet"),
    Reason.MODE_MISFIT: (Quality.BAD, "the channel's mode cannot take this signal"),
    Reason.NOT_SCALED: (Quality.NONE, "not scaled yet"),
    Reason.CHANNEL_FAULT: (Quality.BAD, "the module reports a fault on this channel"),
    Reason.RACK_SILENT: (Quality.BAD, "the rack does not answer"),
    Reason.SHORT_CIRCUIT: (Quality.BAD, "short circuit"),
    Reason.WRONG_SUPPLY: (Quality.BAD, "AC and DC do not go together: the voltage destroys one of the two"),
    Reason.NO_CURRENT_PATH: (Quality.BAD, "no current can flow: device and input pull to the same side"),
    Reason.STARVED_LOOP: (Quality.DOUBTFUL, "the supply cannot drive this current through the loop"),
    Reason.TWO_TEMPERATURES: (Quality.DOUBTFUL, "two temperatures have this emf; the higher is given"),
    Reason.SUBSTITUTED: (Quality.DOUBTFUL, "substituted"),
    Reason.HELD: (Quality.DOUBTFUL, "the last good value is held"),
    Reason.CLAMPED: (Quality.GOOD, "clamped at the end of the range"),
    Reason.LATCHED: (Quality.BAD, "a fault was here and waits for a reset"),
    Reason.CHATTERS: (Quality.DOUBTFUL, "it chatters"),
    Reason.FORCED: (Quality.DOUBTFUL, "forced in the rack"),
    Reason.DISABLED: (Quality.NONE, "switched off: not read, not watched"),
    Reason.NOT_A_NUMBER: (Quality.BAD, "the register holds no number"),
    Reason.REGISTER_REFUSED: (Quality.BAD, "the rack has no such register, or tells nothing of this name"),
    Reason.MODULE_FAULT: (Quality.BAD, "the module reports a fault of its own"),
    Reason.SUPPLY_FAULT: (Quality.BAD, "the module reports that its supply has failed"),
    Reason.NOT_CALIBRATED: (Quality.DOUBTFUL, "the module reports that its calibration is not valid"),
    Reason.SOURCE_UNCERTAIN: (Quality.DOUBTFUL, "the rack itself calls the value uncertain"),
}


BAD_SIGNAL = np.uint32(
    Reason.FAILED_LOW
    | Reason.FAILED_HIGH
    | Reason.OPEN_CIRCUIT
    | Reason.SHORT_CIRCUIT
    | Reason.OUTSIDE_SENSOR
    | Reason.CHANNEL_FAULT
    | Reason.NOT_A_NUMBER
    | Reason.REGISTER_REFUSED
    | Reason.MODULE_FAULT
    | Reason.SUPPLY_FAULT
    | Reason.RACK_SILENT
)
"""Reasons that say the signal itself has failed, whatever its value."""


_OF_LEVEL = {
    level: np.uint32(sum(int(reason) for reason, (q, _) in WORDS.items() if q == level))
    for level in (Quality.DOUBTFUL, Quality.BAD)
}


def mark(reasons: NDArray[np.uint32], where: Bools, reason: Reason) -> None:
    """Add a reason to the masks where it holds, in place."""
    reasons[where] |= np.uint32(reason)


def of_reasons(reasons: NDArray[np.uint32], has_value: Bools) -> NDArray[np.uint8]:
    """Quality of each value: the worst of its reasons; NONE where there is no value and nothing is bad, and where a
    channel is switched off, whatever else is said of it."""
    out = np.where(has_value, Quality.GOOD, Quality.NONE).astype(np.uint8)
    for level, mask in _OF_LEVEL.items():
        hit = (reasons & mask) != 0
        out[hit & (has_value | (level == Quality.BAD))] = level
    out[(reasons & np.uint32(Reason.DISABLED)) != 0] = Quality.NONE
    return out


def trusted(quality: NDArray[np.uint8], value: Floats) -> Bools:
    """Where a value may be worked with: it is good or doubtful, and a figure."""
    return np.asarray((quality <= Quality.DOUBTFUL) & np.isfinite(value), dtype=bool)


def ripened(reasons: NDArray[np.uint32], lasted_s: Floats, after_s: float) -> NDArray[np.uint32]:
    """Reasons after the time that NE 43 gives a failure: until a level has lasted so long it is only out of range.

    lasted_s: how long each level has said so, s.
    """
    out = reasons.copy()
    for failed, only in ((Reason.FAILED_LOW, Reason.UNDER_RANGE), (Reason.FAILED_HIGH, Reason.OVER_RANGE)):
        young = ((reasons & np.uint32(failed)) != 0) & (lasted_s < after_s - 1e-9)
        out[young] = (out[young] & ~np.uint32(failed)) | np.uint32(only)
    return out


def reason_words(reasons: int, at_or_below: str = "", at_or_above: str = "") -> list[str]:
    """The reasons in words, most telling first. at_or_below, at_or_above: the signals where the count stops."""
    told = {
        Reason.AT_LIMIT_LOW: f"at or below {at_or_below}, cannot tell" if at_or_below else "",
        Reason.AT_LIMIT_HIGH: f"at or above {at_or_above}, cannot tell" if at_or_above else "",
    }
    return [told.get(reason) or words for reason, (_, words) in WORDS.items() if reasons & reason]


def signal_reasons(
    milliampere: Floats, live_zero: Bools, at_least: Bools, at_most: Bools, namur: Namur, per_count_ma: Floats
) -> NDArray[np.uint32]:
    """Reasons told by the level of a current signal and by the limits of the converter.

    milliampere: the signal, NaN where it is no current. at_least, at_most: the count stands at its limit.
    per_count_ma: how finely the module sees it; a limit is met by the count nearest to it.
    A module that stops below the failure current cannot say "failed high": it says that it cannot tell.
    """
    out = np.zeros(milliampere.shape, dtype=np.uint32)
    judged = live_zero & ~np.isnan(milliampere)
    # The small part keeps a limit that falls between two counts from depending on the last binary digit.
    half = np.nan_to_num(np.abs(per_count_ma)) * 0.5 + 1e-9
    low, high = milliampere <= namur.failed_low_ma + half, milliampere >= namur.failed_high_ma - half
    mark(out, judged & low, Reason.FAILED_LOW)
    mark(out, judged & high, Reason.FAILED_HIGH)
    mark(out, judged & ~low & (milliampere < namur.good_from_ma - half), Reason.UNDER_RANGE)
    cannot_tell = at_most & (~judged | ~high)
    mark(out, judged & ~high & ~cannot_tell & (milliampere > namur.good_to_ma + half), Reason.OVER_RANGE)
    mark(out, cannot_tell, Reason.AT_LIMIT_HIGH)
    mark(out, at_least & ~(judged & low), Reason.AT_LIMIT_LOW)
    return out
