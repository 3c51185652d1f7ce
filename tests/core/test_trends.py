"""Readings kept for trends: nothing is lost in packing, peaks survive zooming out, gaps stay gaps."""

import struct
import zlib
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from canaleta.core.live.trends import (
    Hour,
    Part,
    Rolled,
    drawn,
    drawn_of_rolled,
    join_hours,
    packed_times,
    roll,
    unpacked_times,
)
from canaleta.core.model.quality import Quality

BEGINS = 1_800_000_000.0


def hour(value: list[float], quality: list[int] | None = None, period: float = 1.0) -> Hour:
    x = np.array(value, dtype=np.float64)
    k = np.array(quality or [0] * len(value), dtype=np.uint8)
    return Hour(BEGINS + period * np.arange(len(value)), -x, x, k)


Figure = st.floats(allow_infinity=False)


@given(st.lists(Figure, min_size=1, max_size=50), st.lists(Figure, min_size=50, max_size=50))
def test_an_hour_comes_back_to_the_last_bit(value: list[float], counts: list[float]) -> None:
    """Whatever was read, with gaps anywhere."""
    given_ = replace(hour(value), counts=np.array(counts[: len(value)]))
    back = Hour.unpacked(given_.packed(), given_.times)
    for was, now in ((given_.value, back.value), (given_.counts, back.counts)):
        assert np.isnan(now).tolist() == np.isnan(was).tolist()
        assert now[~np.isnan(now)].tobytes() == was[~np.isnan(was)].tobytes()


@given(
    st.lists(st.one_of(st.integers(-(2**52), 2**52), st.just(float("nan"))), min_size=2, max_size=50),
    st.floats(-1e6, 1e6),
    st.floats(-1e6, 1e6),
)
def test_counts_of_any_length_and_a_straight_scaling_come_back_to_the_last_bit(
    counts: list[float], slope: float, offset: float
) -> None:
    """A counter of 32 bits keeps its last digit, and so does what a scaling makes of it."""
    raw = np.array(counts, dtype=np.float64)
    given_ = replace(hour(counts), counts=raw, value=offset + raw * slope)
    back = Hour.unpacked(given_.packed(), given_.times)
    assert np.array_equal(back.counts, raw, equal_nan=True)
    assert np.array_equal(back.value, given_.value, equal_nan=True)


def test_an_hour_of_a_straight_scaling_takes_less_than_a_byte_a_reading() -> None:
    """A slow walk of ±6 counts has 4.7 bits of news in each reading (log2 of 6.4·√(2πe)); the value adds next to
    none."""
    counts = np.cumsum(np.rint(np.random.default_rng(2).normal(0, 6.4, 3600))) + 16000
    given_ = Hour(BEGINS + np.arange(3600.0), counts, -50 + counts / 32000 * 200, np.zeros(3600, np.uint8))
    assert len(given_.packed()) < 3600 * 1.0


def test_times_come_back_to_the_millisecond() -> None:
    times = BEGINS + np.cumsum(np.random.default_rng(1).uniform(0.001, 2.0, 4000))
    assert unpacked_times(packed_times(times)) == pytest.approx(times, abs=5.01e-4)
    with pytest.raises(ValueError, match="lack their times"):
        Hour.unpacked(hour([1, 2, 3]).packed(), times)


def test_an_hour_of_an_older_form_has_its_own_times() -> None:
    """Bytes as earlier versions wrote them: times in ms, counts, value, quality, each byte with its like."""
    arrays = (
        np.array([1000, 2500], "<i8"),
        np.array([1.0, 2.0], "<f8"),
        np.array([0.5, 1.0], "<f8"),
        np.array([0, 2], "u1"),
    )
    planes = b"".join(a.view(np.uint8).reshape(-1, a.itemsize).T.tobytes() for a in arrays)
    back = Hour.unpacked(b"CNH1" + struct.pack("<II", 2, 1) + zlib.compress(planes))
    assert (back.times.tolist(), back.value.tolist(), back.quality.tolist()) == ([1.0, 2.5], [0.5, 1.0], [0, 2])


def test_parts_of_a_rack_become_hours_of_its_points() -> None:
    def part(first: float, points: list[int], base: float) -> Part:
        k, n = 3, len(points)
        value = base + np.arange(k * n, dtype=np.float64).reshape(k, n)
        return Part(
            np.array(points), BEGINS + first + np.arange(k), value * 2, value, np.zeros((k, n), dtype=np.uint8)
        )

    early, late = part(0, [7, 8], 0), part(10, [8, 9], 100)
    packed = [Part.unpacked(p.packed()) for p in (late, early)]
    hours = join_hours(packed)
    assert hours[7].value.tolist() == [0, 2, 4]
    assert hours[8].value.tolist() == [1, 3, 5, 100, 102, 104]
    assert hours[9].counts.tolist() == [202, 206, 210]


def test_damaged_bytes_are_refused() -> None:
    data = hour([1, 2, 3]).packed()
    for broken in (b"", b"nothing at all", data[:-4], data[:12] + b"x" * 20, Rolled.joined([]).packed()):
        with pytest.raises(ValueError):
            Hour.unpacked(broken, np.arange(3.0))


def test_a_roll_up_keeps_the_peak_and_counts_the_good() -> None:
    value = [10.0] * 60 + [10.0] * 29 + [99.0] + [10.0] * 30
    quality = [0] * 60 + [0] * 30 + [int(Quality.BAD)] * 30
    rolled = roll(hour(value, quality), 60.0)
    assert rolled.most.tolist() == [10.0, 99.0]
    assert rolled.good.tolist() == [60, 30]
    assert rolled.all.tolist() == [60, 60]
    assert rolled.mean[1] == pytest.approx((29 * 10 + 99) / 30)


def test_a_minute_without_a_good_value_has_none() -> None:
    rolled = roll(hour([5.0] * 60, [int(Quality.BAD)] * 60), 60.0)
    assert np.isnan(rolled.mean[0])
    assert np.isnan(rolled.least[0])


def test_one_bad_second_of_a_week_is_seen_and_one_peak_too() -> None:
    """A week in quarters of an hour on 300 columns: a single reading of 99 stays the highest thing drawn."""
    quarters = 7 * 96
    level = np.full(quarters, 20.0)
    most = level.copy()
    most[500] = 99.0
    ones = np.ones(quarters, dtype=np.int64)
    rolled = Rolled(BEGINS + 900.0 * np.arange(quarters), level, most, level, ones, ones)
    picture = drawn_of_rolled(rolled, BEGINS, BEGINS + 7 * 86400, 300, 900.0)
    assert len(picture.times) <= 301
    assert np.nanmax(picture.most) == 99.0
    assert np.nanmax(picture.mean) < 99.0


def test_where_there_was_no_good_value_there_is_a_gap() -> None:
    bad = int(Quality.BAD)
    picture = drawn(hour([1, 2, 3, 4, 5], [0, 0, bad, 0, 0]), BEGINS, BEGINS + 10, 800, 2.5)
    assert np.isnan(picture.mean).tolist() == [False, False, True, False, False]
    silent = Hour(*(np.delete(a, [2, 3, 4]) for a in (hour([1, 2, 3, 4, 5, 6]).__dict__.values())))
    picture = drawn(silent, BEGINS, BEGINS + 10, 800, 2.5)
    assert np.isnan(picture.mean).tolist() == [False, False, True, False]


def test_many_readings_become_columns_with_their_peaks() -> None:
    value = np.zeros(36_000)
    value[17_777] = 50.0
    long = hour(value.tolist(), period=0.1)
    picture = drawn(long, BEGINS, BEGINS + 3600, 400, 1.0)
    assert len(picture.times) <= 402
    assert picture.most.max() == 50.0
    assert not np.isnan(picture.mean).any()
