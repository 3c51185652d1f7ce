"""Alarms: sequences from the state diagram of IEC 62682, limits at their edges, delays and deadbands."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.building.points import ANALOG, CONTACT, point

from canaleta.core.live import alarms as alarm_states
from canaleta.core.live.alarms import LETTERS, LIFE, Alarms, AlarmTable, Event, State, priority_of
from canaleta.core.model.image import PlantImage
from canaleta.core.model.quality import Quality

ROW = np.array([0])


class Plant:
    """One point with its alarms, moved by values and by words."""

    def __init__(self, image: PlantImage) -> None:
        self.table = AlarmTable.of(image, ROW)
        self.alarms: Alarms = alarm_states.begin(len(self.table))
        self.now = 0.0
        self.journal: list[str] = []

    def reads(
        self, value: float, after: float = 1.0, quality: Quality = Quality.GOOD, state: int = -1, quiet: bool = False
    ) -> str:
        """The letters of the alarms' states after a reading."""
        self.now += after
        quiet_on = np.full(len(self.table), quiet)
        self.alarms, passed = alarm_states.step(
            self.table,
            self.alarms,
            self.now,
            np.array([value]),
            np.array([quality], dtype=np.uint8),
            np.array([state], dtype=np.int8),
            quiet_on,
        )
        self.journal += [f"{LETTERS[p.was]}{LETTERS[p.becomes]}" for p in passed]
        return self.letters()

    def hears(self, event: Event, until: float = np.nan) -> str:
        self.alarms, passed = alarm_states.told(self.table, self.alarms, np.arange(len(self.table)), event, until)
        self.journal += [f"{LETTERS[p.was]}{LETTERS[p.becomes]}" for p in passed]
        return self.letters()

    def letters(self) -> str:
        return "".join(LETTERS[State(int(s))] for s in self.alarms.state)


def high(**more: str) -> Plant:
    return Plant(point(ANALOG, alarm_h="80", **more))


def test_an_alarm_comes_is_acknowledged_and_goes() -> None:
    plant = high()
    assert plant.reads(79.9) == "A"
    assert plant.reads(80.0) == "B", "a limit that is met is passed"
    assert plant.hears(Event.ACKNOWLEDGE) == "C"
    assert plant.reads(79.9) == "A"
    assert plant.journal == ["AB", "BC", "CA"]


def test_what_returns_before_it_is_acknowledged_stays_in_sight() -> None:
    plant = high()
    plant.reads(90)
    assert plant.reads(50) == "D"
    assert plant.reads(90) == "B", "it comes anew and is unacknowledged again"
    assert plant.reads(50) == "D"
    assert plant.hears(Event.ACKNOWLEDGE) == "A"


def test_a_latching_alarm_waits_for_its_reset_acknowledged_or_not() -> None:
    plant = high(alarm_ends="on reset")
    plant.reads(90)
    assert plant.reads(50) == "E", "latched, unacknowledged"
    assert plant.hears(Event.ACKNOWLEDGE) == "F", "latched, acknowledged"
    assert plant.reads(90) == "B", "it comes again while latched"
    assert plant.hears(Event.ACKNOWLEDGE) == "C"
    assert plant.hears(Event.RESET) == "C", "a condition that stands is not reset"
    assert plant.reads(50) == "F"
    assert plant.hears(Event.RESET) == "A"


def test_a_shelf_holds_until_it_is_lifted_or_ends() -> None:
    plant = high()
    plant.reads(90)
    assert plant.hears(Event.SHELVE, until=plant.now + 60) == "G"
    assert plant.reads(95, 59) == "G"
    assert plant.reads(95, 1) == "B", "its time is over and the condition stands: it comes anew"
    plant.hears(Event.SHELVE)
    assert plant.reads(50, 1e6) == "G", "without an end it stays"
    assert plant.hears(Event.UNSHELVE) == "A"


def test_by_design_it_is_quiet_while_another_point_is_on() -> None:
    plant = high()
    assert plant.reads(90, quiet=True) == "H"
    assert plant.reads(90, quiet=True) == "H"
    assert plant.reads(90) == "B"
    plant.hears(Event.SHELVE)
    assert plant.reads(90, quiet=True) == "G", "somebody's shelf is not lifted by design"


def test_out_of_service_hears_nothing_but_back() -> None:
    plant = high()
    plant.reads(90)
    assert plant.hears(Event.OUT) == "I"
    for event in (Event.ACKNOWLEDGE, Event.RESET, Event.SHELVE, Event.UNSHELVE):
        assert plant.hears(event) == "I"
    assert plant.reads(95, quiet=True) == "I"
    assert plant.hears(Event.BACK) == "A"
    assert plant.reads(95) == "B"


def test_the_diagram_reaches_every_state_and_leads_back_from_each() -> None:
    """Every state can be reached from normal, and normal from every state; acknowledging never raises an alarm."""
    for latches in (False, True):
        follows = {s: {LIFE[k] for k in LIFE if k[0] is s and k[2] is latches} for s in State}
        known, edge = {State.NORMAL}, {State.NORMAL}
        while edge:
            edge = set().union(*(follows[s] for s in edge)) - known
            known |= edge
        unreachable = set(State) - known
        assert unreachable == (set() if latches else {State.LATCHED, State.LATCHED_ACKNOWLEDGED})
        assert all(follows[s] for s in State)
    assert all(LIFE[k] is not State.UNACKNOWLEDGED for k in LIFE if k[1] is Event.ACKNOWLEDGE)


@pytest.mark.parametrize(
    ("kind", "limit", "deadband", "values", "active"),
    [
        ("alarm_h", "80", "5", [79, 80, 76, 75.1, 75, 79], [0, 1, 1, 1, 0, 0]),
        ("alarm_hh", "90", "0", [90, 89.99, 90.01], [1, 0, 1]),
        ("alarm_l", "20", "3", [21, 20, 22.9, 23], [0, 1, 1, 0]),
        ("alarm_ll", "10", "0", [10.01, 10, 10.01], [0, 1, 0]),
    ],
)
def test_a_limit_is_passed_where_it_is_met_and_ends_beyond_its_deadband(
    kind: str, limit: str, deadband: str, values: list[float], active: list[int]
) -> None:
    plant = Plant(point(ANALOG, **{kind: limit, f"{kind}_deadband": deadband}))
    out = []
    for value in values:
        plant.reads(value)
        out.append(int(plant.alarms.active[0]))
    assert out == active


def test_delays_ask_for_an_unbroken_condition_on_both_sides() -> None:
    plant = high(alarm_h_delay="5", alarm_h_off_delay="3")
    plant.reads(0)
    for _ in range(5):
        assert plant.reads(90) == "A", "the fifth second is not over before the sixth reading"
    assert plant.reads(79) == "A"
    for _ in range(5):
        plant.reads(90)
    assert plant.reads(90) == "B"
    assert plant.reads(50) == "B"
    assert plant.reads(90) == "B"
    for _ in range(3):
        assert plant.reads(50) == "B"
    assert plant.reads(50) == "D"


def test_a_deviation_is_counted_from_its_set_point_to_both_sides() -> None:
    plant = Plant(point(ANALOG, alarm_dev="5", alarm_dev_from="60"))
    assert [plant.reads(v) for v in (60, 64.9, 65)] == ["A", "A", "B"]
    plant.reads(60)
    assert plant.reads(55) == "B"


def test_a_steady_ramp_has_its_own_rate() -> None:
    """2 % each second is 120 % in a minute, up or down."""
    for sign in (1.0, -1.0):
        at, over = (Plant(point(ANALOG, alarm_rate=limit)) for limit in ("119", "121"))
        for k in range(120):
            letters = at.reads(50 + sign * 2.0 * k), over.reads(50 + sign * 2.0 * k)
        assert letters == ("B", "A")


def test_a_state_of_a_discrete_is_an_alarm_after_its_delay() -> None:
    plant = Plant(point(CONTACT, alarm_state="0", alarm_state_delay="2"))
    assert plant.reads(1, state=1) == "A"
    assert [plant.reads(0, state=0) for _ in range(3)] == ["A", "A", "B"]


def test_a_failed_signal_moves_no_process_alarm_and_is_one_of_its_own() -> None:
    """A broken wire alarms although the count says the bottom of the range."""
    plant = Plant(point(ANALOG, alarm_l="20", alarm_fault="yes", alarm_fault_priority="high"))
    assert plant.reads(50) == "AA"
    assert plant.reads(-25, quality=Quality.BAD) == "AB"
    assert plant.reads(np.nan, quality=Quality.BAD) == "AB"
    assert plant.reads(10) == "BD"


def test_by_the_plants_rule_what_trips_or_is_used_has_a_fault_alarm() -> None:
    assert len(AlarmTable.of(point(ANALOG), ROW)) == 0
    assert len(AlarmTable.of(point(ANALOG, used_by="PIC-1"), ROW)) == 1
    assert len(AlarmTable.of(point(ANALOG, used_by="PIC-1", alarm_fault="no"), ROW)) == 0


@pytest.mark.parametrize(
    ("consequence", "minutes", "priority"),
    [
        ("severe", 2, "high"),
        ("severe", 60, "medium"),
        ("major", 2, "high"),
        ("major", 20, "medium"),
        ("minor", 60, "low"),
        ("minor", 5, "medium"),
        ("none", 1, "journal only"),
    ],
)
def test_priority_follows_from_consequence_and_time(consequence: str, minutes: float, priority: str) -> None:
    assert priority_of(consequence, minutes) == priority
    image = point(ANALOG, alarm_h="80", consequence=consequence, respond_min=str(minutes))
    assert alarm_states.PRIORITIES[AlarmTable.of(image, ROW).priority[0]] == priority


def test_a_shorter_time_or_a_worse_consequence_never_lowers_the_priority() -> None:
    order = ["journal only", "low", "medium", "high"]
    for worse, better in (("severe", "major"), ("major", "minor"), ("minor", "none")):
        for minutes in (1, 5, 20, 60):
            assert order.index(priority_of(worse, minutes)) >= order.index(priority_of(better, minutes))
            assert order.index(priority_of(worse, minutes)) >= order.index(priority_of(worse, minutes * 4))


@given(st.lists(st.one_of(st.floats(0, 100), st.sampled_from(list(Event))), max_size=60), st.booleans())
def test_whatever_happens_an_unshelved_alarm_whose_condition_stands_is_never_normal(
    steps: list[float | Event], latches: bool
) -> None:
    """After any reading: active and in service means unacknowledged or acknowledged; not active means neither."""
    plant = high(**({"alarm_ends": "on reset"} if latches else {}))
    for what in steps:
        if isinstance(what, Event):
            if what not in (Event.COMES, Event.GOES, Event.SUPPRESS, Event.RELEASE):
                plant.hears(what)
            continue
        letter = plant.reads(what)
        if letter not in "GHI":
            assert (letter in "BC") == bool(plant.alarms.active[0])
            assert bool(plant.alarms.active[0]) == (what >= 80)


def test_alarms_are_at_rest_only_where_nothing_came_is_coming_or_is_set_aside() -> None:
    rest = alarm_states.begin(2)
    assert rest.at_rest
    second = np.array([False, True])
    assert not replace(rest, state=np.array([0, State.SHELVED], dtype=np.uint8)).at_rest, "one is set aside"
    assert not replace(rest, active=second).at_rest, "one stands"
    assert not replace(rest, since=np.where(second, 12.0, np.nan)).at_rest, "one is within its delay"
