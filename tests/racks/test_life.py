"""What time does to a rack: states move with the list and from agent to agent; a lost rack is bad, not forgotten."""

import io
import zlib
from datetime import UTC, datetime, timedelta

import numpy as np
import pytest
from tests.building.points import point
from tests.building.words import plant_of

from canaleta.core.live.alarms import Event, State
from canaleta.core.model.image import PlantImage
from canaleta.core.model.quality import Quality, Reason
from canaleta.core.model.registers import RackMap, encode
from canaleta.plant.live.blocks import Flag, LiveBlock, RackState
from canaleta.racks.life import Outside, RackLife

START = datetime(2026, 11, 27, 12, tzinfo=UTC)
LOOP = "PT-1: 4–20 mA, 0…100 %, shows 0…100 %"


class Rack:
    """A rack with what stands on its channels, by (module, channel)."""

    def __init__(self, image: PlantImage) -> None:
        self.map = RackMap.of(image.layout, 1)
        self.life = RackLife(image, 1, self.map)
        self.now = START
        self.passed: list[str] = []

    def reads(self, counts: dict[tuple[int, int], float], after: float = 1.0, **outside: object) -> LiveBlock:
        self.now += timedelta(seconds=after)
        words = np.zeros(max(a + n for a, n in self.map.used), dtype=np.uint16)
        at = np.array([self.map.row_of(m, c) for m, c in counts])
        encode(self.map, at, np.array(list(counts.values())), words)
        block, passed = self.life.read(words, self.now, 1, Outside(**outside))  # type: ignore[arg-type]
        self.passed += [f"{p.kind} {p.event.name}" for p in passed]
        return block

    def silent(self, after: float = 1.0) -> LiveBlock:
        self.now += timedelta(seconds=after)
        block, passed = self.life.silent(RackState.UNREACHABLE, "nothing answers", self.now, 1)
        self.passed += [f"{p.kind} {p.event.name}" for p in passed]
        return block


def analog(**cells: str) -> Rack:
    return Rack(point(LOOP, **cells))


def half(counts: float = 16000) -> dict[tuple[int, int], float]:
    return {(2, 0): counts}


def test_a_lost_rack_keeps_its_figures_and_every_one_is_bad_once_it_is_stale() -> None:
    """The period is 1 s, stale after two: at 1 s without an answer the figures stand, at 3 s they are bad."""
    rack = analog(alarm_fault="yes")
    assert rack.reads(half()).quality[0] == Quality.GOOD
    young, old = rack.silent(), rack.silent(2.0)
    assert young.quality[0] == Quality.GOOD
    assert old.quality[0] == Quality.BAD
    assert Reason(int(old.reasons[0])) & Reason.RACK_SILENT
    assert old.value[0] == pytest.approx(50)
    assert old.read_at == START + timedelta(seconds=1)
    assert rack.passed == ["fault COMES"]
    back = rack.reads(half())
    assert back.quality[0] == Quality.GOOD
    assert rack.passed == ["fault COMES", "fault GOES"]


def test_a_rack_that_never_answered_is_bad_from_the_start() -> None:
    block = analog().silent()
    assert block.quality[0] == Quality.BAD
    assert np.isnan(block.value[0])


def test_states_go_on_with_the_next_agent() -> None:
    rack = analog(alarm_h="80", alarm_ends="on reset", fault_ends="on reset")
    rack.reads(half(28000))
    rack.life.told(Event.ACKNOWLEDGE, [(1, "h")], rack.now, "ana")
    rack.reads(half(-8000), 10)
    rack.reads(half(-8000), 10)
    next_one = Rack(rack.life.plan.image)
    next_one.life.take_up(rack.life.packed())
    next_one.now = rack.now
    assert next_one.life.alarms.state[0] == State.LATCHED_ACKNOWLEDGED
    block = next_one.reads(half())
    assert block.flags[0] & Flag.LATCHED, "a fault that the agent before saw waits for its reset"
    assert block.quality[0] == Quality.BAD
    assert next_one.life.reset_faults([1]) == 1
    assert next_one.reads(half()).quality[0] == Quality.GOOD
    assert next_one.passed == []
    assert next_one.life.told(Event.RESET, [(1, "h")], next_one.now, "ana")[0].becomes == State.NORMAL


def test_what_a_version_without_a_debounce_kept_is_gone_on_with() -> None:
    rack = analog(fault_ends="on reset")
    rack.reads(half(-8000), 10)
    rack.reads(half(-8000), 10)
    with np.load(io.BytesIO(zlib.decompress(rack.life.packed()))) as kept:
        older = {name: kept[name] for name in kept.files if name not in ("condition_read", "condition_read_since")}
    out = io.BytesIO()
    np.savez(out, **older)
    next_one = Rack(rack.life.plan.image)
    next_one.life.take_up(zlib.compress(out.getvalue()))
    next_one.now = rack.now
    assert next_one.reads(half()).flags[0] & Flag.LATCHED


def test_bytes_that_are_none_are_refused() -> None:
    with pytest.raises(ValueError):
        analog().life.take_up(b"nothing")


def test_an_edit_elsewhere_moves_no_state_and_a_new_limit_begins_at_rest() -> None:
    rack = Rack(plant_of(LOOP, "contact NO").with_cells({(0, "alarm_h"): 80, (1, "counts_on"): "coming on"}))
    for state in (0, 1, 0, 1):
        rack.reads(half(28000) | {(1, 0): state})
    image = rack.life.plan.image.with_cells({(0, "alarm_hh"): 90, (0, "service"): "other"}, seq=1)
    assert rack.life.replan(image) is not None, "what was read so far is handed on for the trend"
    assert rack.life.new_alarms == [(1, "hh")]
    block = rack.reads(half(28000) | {(1, 0): 1})
    assert block.counted.tolist() == [2]
    assert rack.passed == ["h COMES"]
    assert block.alarm[0] & 15 == State.UNACKNOWLEDGED


def test_an_alarm_open_on_another_rack_is_taken_up_and_does_not_come_anew() -> None:
    rack = analog(alarm_h="80")
    rack.life.adopt({(1, "h"): State.ACKNOWLEDGED})
    rack.reads(half(28000))
    assert rack.passed == []
    rack.reads(half())
    assert rack.passed == ["h GOES"]


def test_the_worst_alarm_of_a_point_is_the_one_that_waits_for_somebody() -> None:
    rack = analog(alarm_h="60", alarm_hh="80", alarm_h_priority="high", alarm_hh_priority="low")
    rack.reads(half(28000))
    rack.life.told(Event.ACKNOWLEDGE, [(1, "h")], rack.now, "ana")
    block = rack.reads(half(28000))
    assert block.alarm[0] & 15 == State.UNACKNOWLEDGED
    assert block.alarm[0] >> 4 == 1, "low is the first priority"


def test_what_is_only_for_the_journal_asks_nobody() -> None:
    rack = analog(alarm_h="60", alarm_h_priority="journal only")
    rack.reads(half(28000))
    rack.reads(half(0))
    assert rack.passed == ["h COMES", "h ACKNOWLEDGE", "h GOES"]
    assert rack.life.alarms.state[0] == State.NORMAL


def test_a_value_replaced_in_our_view_is_marked_and_a_forced_channel_too() -> None:
    rack = analog()
    block = rack.reads(half(), substitutes={1: 77.0})
    assert block.value[0] == 77
    assert block.counts[0] == 16000, "the controller does not see it"
    assert block.flags[0] == Flag.SUBSTITUTED
    assert block.quality[0] == Quality.DOUBTFUL
    block = rack.reads(half(), forced=frozenset({(2, 0)}))
    assert block.flags[0] == Flag.FORCED
    assert Reason(int(block.reasons[0])) & Reason.FORCED


def test_a_channel_switched_off_is_neither_read_nor_watched() -> None:
    rack = analog(enabled="no", alarm_h="10", alarm_fault="yes")
    block = rack.reads(half(28000))
    assert np.isnan(block.value[0])
    assert block.quality[0] == Quality.NONE
    assert Reason(int(block.reasons[0])) == Reason.DISABLED
    assert rack.passed == []


def test_another_point_keeps_it_quiet_by_design_on_this_rack_or_another() -> None:
    image = plant_of(LOOP, "XS-1: contact NO").with_cells({(0, "alarm_h"): 80, (0, "quiet_while"): "XS-1"})
    rack = Rack(image)
    assert rack.reads(half(28000) | {(1, 0): 1}).alarm[0] & 15 == State.SUPPRESSED
    assert rack.reads(half(28000) | {(1, 0): 0}).alarm[0] & 15 == State.UNACKNOWLEDGED
    away = plant_of(LOOP, "XS-1: contact NO, nowhere").with_cells({(0, "alarm_h"): 80, (0, "quiet_while"): "XS-1"})
    other = Rack(away)
    assert other.reads(half(28000), switches={2: 1}).alarm[0] & 15 == State.SUPPRESSED


def test_what_has_failed_keeps_nothing_quiet() -> None:
    """The loop that keeps the other quiet is on above 50 %; then it fails low, with 0.8 mA: count −6 400 of 0…32
    000."""
    on = {(1, "on_at"): 50, (1, "off_at"): 40, (0, "alarm_h"): 80, (0, "quiet_while"): "PT-2"}
    rack = Rack(plant_of(LOOP, LOOP.replace("PT-1", "PT-2")).with_cells(on))
    assert rack.reads({(2, 0): 28000, (2, 1): 28000}).alarm[0] & 15 == State.SUPPRESSED
    for _ in range(10):
        broken = rack.reads({(2, 0): 28000, (2, 1): -6400})
    assert broken.quality[1] == Quality.BAD
    assert broken.alarm[0] & 15 == State.UNACKNOWLEDGED
    assert rack.life.states_of({2}) == {2: -1}


def test_a_clock_that_is_set_back_makes_no_alarm_late_and_no_lost_rack_good() -> None:
    """The limit is passed for 5 s before it is an alarm; after 2 s somebody sets the plant's clock back by an
    hour."""
    rack = analog(alarm_h="80", alarm_h_delay="5", alarm_fault="yes")
    rack.reads(half())
    for _ in range(3):
        rack.reads(half(30000))
    rack.now -= timedelta(hours=1)
    for _ in range(4):
        block = rack.reads(half(30000))
    assert rack.passed == ["h COMES"]
    assert block.read_at == rack.now, "readings are stamped by the plant's time"
    rack.now -= timedelta(hours=1)
    assert [int(rack.silent().quality[0]) for _ in range(4)][-1] == Quality.BAD
    assert rack.passed == ["h COMES", "fault COMES"]


def test_a_scanner_that_takes_over_after_the_clock_was_set_back_goes_on_at_once() -> None:
    rack = analog(alarm_h="80", alarm_h_delay="5")
    rack.reads(half())
    rack.reads(half(30000))
    other = analog(alarm_h="80", alarm_h_delay="5")
    other.now = rack.now - timedelta(hours=1)
    other.life.take_up(rack.life.packed())
    for _ in range(7):
        other.reads(half(30000))
    assert other.passed == ["h COMES"]


def test_a_shelf_lasts_as_long_as_it_was_asked_for_when_the_clock_was_set_back() -> None:
    rack = analog(alarm_h="80")
    rack.reads(half(30000))
    rack.now -= timedelta(hours=1)
    rack.reads(half(30000))
    until = rack.now + timedelta(seconds=10)
    rack.life.told(Event.SHELVE, [(1, "h")], rack.now, "ana", "test", until)
    states = [int(rack.reads(half(30000)).alarm[0]) & 15 for _ in range(12)]
    assert states[7] == State.SHELVED
    assert states[-1] != State.SHELVED


def test_a_lost_rack_keeps_nothing_quiet_elsewhere() -> None:
    rack = Rack(plant_of("XS-1: contact NO"))
    rack.reads({(1, 0): 1})
    assert rack.life.states_of({1}) == {1: 1}
    rack.silent(5.0)
    assert rack.life.states_of({1}) == {1: -1}


def test_what_is_kept_for_trends_is_handed_out_once_every_ten_seconds() -> None:
    rack = analog()
    for _ in range(10):
        rack.reads(half())
    assert not rack.life.part_due(rack.now.timestamp())
    rack.reads(half(32000))
    assert rack.life.part_due(rack.now.timestamp())
    part = rack.life.part()
    assert part is not None
    assert part.value[:, 0].tolist() == pytest.approx([50.0] * 10 + [100.0])
    assert rack.life.part() is None


def test_whoever_looks_at_a_trend_gets_what_was_read_lately() -> None:
    rack = analog()
    rack.reads(half())
    rack.reads(half())
    now = rack.now.timestamp()
    assert not rack.life.part_due(now, wanted=True), "two readings a second apart: a hole that nobody sees"
    rack.reads(half())
    assert rack.life.part_due(rack.now.timestamp(), wanted=True)
    assert not rack.life.part_due(rack.now.timestamp())


def test_what_the_controller_shows_stands_beside_ours() -> None:
    block = analog().reads(half(), shown={1: 49.2})
    assert block.shown[0] == 49.2
    assert np.isnan(analog().reads(half()).shown[0])


def many() -> Rack:
    """Three loops with fault alarms on one rack."""
    loops = [LOOP.replace("PT-1", f"PT-{k}") for k in (1, 2, 3)]
    return Rack(plant_of(*loops).with_cells({(k, "alarm_fault"): "yes" for k in range(3)}))


def test_a_lost_rack_is_one_alarm_of_the_rack_and_none_of_its_points() -> None:
    """Forty-six signal alarms for one pulled cable say nothing; a fault that stood before stands on."""
    rack = many()
    image = rack.life.plan.image
    spots = [(int(image.module[k]), int(image.channel[k])) for k in range(3)]
    rack.reads(dict(zip(spots, (16000, 16000, -8000), strict=True)))
    rack.reads(dict(zip(spots, (16000, 16000, -8000), strict=True)), 10)
    assert rack.passed == ["fault COMES"], "the third loop is broken"
    rack.passed.clear()
    rack.now += timedelta(seconds=1)
    rack.life.silent(RackState.UNREACHABLE, "nothing answers", rack.now, 1)
    _, passed = rack.life.silent(RackState.UNREACHABLE, "nothing answers", rack.now + timedelta(seconds=5), 1)
    assert [(p.point, p.kind, p.event) for p in passed] == [(-1, "fault", Event.COMES)]
    told = rack.life.told(Event.ACKNOWLEDGE, [(-1, "fault")], rack.now, "ana")
    assert [p.becomes for p in told] == [State.ACKNOWLEDGED]
    rack.now += timedelta(seconds=6)
    rack.reads(dict(zip(spots, (16000, 16000, -8000), strict=True)))
    assert rack.passed == ["fault GOES"], "of the rack; the broken loop's alarm has not moved"
    assert rack.life.rack_alarm.state.tolist() == [State.NORMAL]
    assert sorted(rack.life.alarms.state.tolist()) == [State.NORMAL, State.NORMAL, State.UNACKNOWLEDGED]


def test_a_restart_of_the_program_is_no_alarm_of_the_plant() -> None:
    """An hour later another agent looks for the first time, and the rack takes a moment to answer."""
    rack = many()
    image = rack.life.plan.image
    spots = [(int(image.module[k]), int(image.channel[k])) for k in range(3)]
    well = dict.fromkeys(spots, 16000.0)
    rack.reads(well)
    after = Rack(image)
    after.life.take_up(rack.life.packed())
    after.now = rack.now + timedelta(hours=1)
    for _ in range(12):
        after.silent()
    assert after.passed == []
    after.reads(well)
    assert after.passed == []
    assert after.life.gap_s == pytest.approx(3601, abs=1), "nobody watched for an hour, and that is told"


def test_what_had_begun_before_nobody_watched_goes_on_and_is_not_taken_for_an_hour() -> None:
    """An on-delay of 60 s that had run 10 s: after the gap it takes another 50."""
    rack = analog(alarm_h="80", alarm_h_delay="60")
    rack.reads(half(28000))
    rack.reads(half(28000), 10)
    after = Rack(rack.life.plan.image)
    after.life.take_up(rack.life.packed())
    after.now = rack.now + timedelta(hours=1)
    after.reads(half(28000))
    after.reads(half(28000), 45)
    assert after.passed == []
    after.reads(half(28000), 10)
    assert after.passed == ["h COMES"]


def test_a_rack_that_stays_away_after_a_restart_is_told_after_a_quarter_of_a_minute() -> None:
    rack = many()
    for _ in range(16):
        rack.silent()
    assert rack.passed == []
    rack.silent()
    assert rack.passed == ["fault COMES"]
