"""The database's time on every machine: by hand with a clock and a wire that are told what to do."""

from __future__ import annotations

from datetime import UTC, datetime

import pytest
from hypothesis import given
from hypothesis import strategies as st
from sqlalchemy.exc import OperationalError
from tests.building.database import Database

from canaleta.plant.database.clock import DRIFT, LOOK_S, PlantClock

NOON = 1_800_000_000.0


class Wire:
    """A machine whose own ticks have nothing to do with the database's time, and the way between the two, s each
    way."""

    def __init__(self) -> None:
        self.true, self.ticks_less = NOON, 5_000.0
        self.there = self.back = 0.0
        self.away = False
        self.asked = 0

    def ticks(self) -> float:
        return self.true - self.ticks_less

    def ask(self) -> float:
        self.asked += 1
        if self.away:
            raise OperationalError("select", {}, Exception("gone"))
        self.true += self.there
        told = self.true
        self.true += self.back
        return told

    def clock(self) -> PlantClock:
        return PlantClock(self.ask, self.ticks)


def test_the_middle_of_the_way_is_taken_and_carried_on_without_asking() -> None:
    wire = Wire()
    wire.there = wire.back = 0.05
    clock = wire.clock()
    clock.look()
    wire.true += 60.0
    assert clock.now() == pytest.approx(wire.true)
    assert wire.asked == 1
    assert clock.when() == datetime.fromtimestamp(wire.true, UTC)


def test_a_lopsided_way_is_off_by_half_the_round_trip_at_most() -> None:
    wire = Wire()
    wire.back = 0.2
    clock = wire.clock()
    clock.look()
    assert clock.now() == pytest.approx(wire.true - 0.1)


def test_a_quick_answer_is_kept_until_its_drift_makes_it_worse() -> None:
    """0.1 ms kept against 20 ms with 100 ppm: it takes 199 s until the slow answer is the better one."""
    wire = Wire()
    wire.there = wire.back = 0.0001
    clock = wire.clock()
    clock.look()
    wire.there, wire.back = 0.0, 0.04
    wire.true += 100.0
    clock.look()
    assert clock.now() == pytest.approx(wire.true, abs=1e-6), "the quick answer still holds"
    wire.true += 150.0
    clock.look()
    assert clock.now() == pytest.approx(wire.true - 0.02), "now the slow one does"


def test_a_database_whose_clock_was_set_is_followed_at_once() -> None:
    wire = Wire()
    clock = wire.clock()
    clock.look()
    wire.true += 3600.0
    wire.ticks_less += 3600.0
    wire.there = wire.back = 0.01
    clock.look()
    assert clock.now() == pytest.approx(wire.true)


def test_while_the_database_is_away_time_goes_on_and_it_is_asked_now_and_then() -> None:
    wire = Wire()
    clock = wire.clock()
    clock.looked_lately()
    wire.away = True
    for _ in range(40):
        wire.true += 1.0
        assert clock.looked_lately() == pytest.approx(wire.true)
    assert wire.asked == 1 + int(40 // LOOK_S) - 1
    with pytest.raises(OperationalError):
        clock.look()


@given(
    st.lists(st.tuples(st.floats(0, 0.5), st.floats(0, 0.5), st.floats(0, 300)), min_size=1, max_size=12),
    st.floats(-DRIFT, DRIFT),
)
def test_a_stamp_is_never_later_than_what_it_stamps(ways: list[tuple[float, float, float]], runs_off: float) -> None:
    """Whatever the ways there and back take and however fast this machine's quartz runs, within 100 ppm."""
    wire = Wire()
    begins = wire.true
    clock = PlantClock(wire.ask, lambda: (wire.true - begins) * (1 + runs_off))
    for there, back, rest in ways:
        wire.there, wire.back = there, back
        clock.look()
        wire.true += rest
        assert clock.not_before().timestamp() <= wire.true + 1e-3 * rest * DRIFT + 1e-5


def test_until_it_was_asked_the_machine_s_own_time_has_to_do() -> None:
    clock = PlantClock(lambda: NOON)
    assert abs(clock.now() - datetime.now(UTC).timestamp()) < 1.0
    assert abs(clock.not_before().timestamp() - datetime.now(UTC).timestamp()) < 1.0


def test_the_database_tells_its_time(database: Database) -> None:
    clock = PlantClock.of(database.engine)
    clock.look()
    assert abs(clock.now() - datetime.now(UTC).timestamp()) < 5.0
