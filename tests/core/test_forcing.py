"""Forces and commands as registers: a bit a channel, a word a count, and nobody else's bit is touched."""

from __future__ import annotations

from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.building.words import layout_with, plant_of

from canaleta.catalogue.types import module_types
from canaleta.core.hardware.forcing import ForceMap, Write, command_writes, force_writes, held_between

TYPES = module_types()
LAYOUT = layout_with([TYPES["ao4"], TYPES["po4"]])
DI, AI, TC, AO, PO = 1, 2, 3, 4, 5
MAP = ForceMap.of(LAYOUT, 1)
CHANNELS = [
    (m, c)
    for m, kind in ((DI, "di16-24v"), (AI, "ai8-ui"), (AO, "ao4"), (PO, "po4"))
    for c in range(TYPES[kind].channels)
]


def written(words: dict[int, int], writes: list[Write]) -> dict[int, int]:
    """What stands in the registers afterwards."""
    after = dict(words)
    for write in writes:
        after[write.register] = (after.get(write.register, 0) & ~write.mask) | (write.word & write.mask)
    return after


def test_every_channel_of_a_module_with_force_bits_can_be_held_and_no_other() -> None:
    assert set(zip(MAP.modules.tolist(), MAP.channels.tolist(), strict=True)) == set(CHANNELS)
    for refused in (force_writes, command_writes):
        with pytest.raises(LookupError, match="no register"):
            refused(LAYOUT, TC, 0, 100.0)


def test_the_count_is_written_before_the_bit_that_makes_it_hold() -> None:
    """−6 400 in two's complement is 0xE700; channel 3 is bit 3."""
    count, bit = force_writes(LAYOUT, AI, 3, -6400.0)
    assert (count.word, count.mask) == (0xE700, 0xFFFF)
    assert (bit.word, bit.mask) == (1 << 3, 1 << 3)
    released = force_writes(LAYOUT, AI, 3, None)
    assert [(w.register, w.word, w.mask) for w in released] == [(bit.register, 0, 1 << 3)]


def test_a_count_that_its_word_does_not_hold_is_refused() -> None:
    with pytest.raises(ValueError, match="40000 does not fit: the word holds -32768 to 32767"):
        force_writes(LAYOUT, AI, 0, 40_000.0)


def test_no_two_channels_share_a_bit_or_a_register_for_their_counts() -> None:
    bits = set(zip(MAP.register.tolist(), MAP.bit.tolist(), strict=True))
    assert len(bits) == len(CHANNELS)
    counts = [w.register for m, c in CHANNELS for w in force_writes(LAYOUT, m, c, 1.0)[:-1]]
    assert len(set(counts)) == len(counts)
    assert not set(counts) & set(MAP.registers)


@given(st.lists(st.tuples(st.sampled_from(CHANNELS), st.booleans()), max_size=40))
def test_what_is_read_back_is_what_was_forced_last(steps: list[tuple[tuple[int, int], bool]]) -> None:
    words: dict[int, int] = {}
    held: set[tuple[int, int]] = set()
    for at, hold in steps:
        words = written(words, force_writes(LAYOUT, *at, 1.0 if hold else None))
        held = held | {at} if hold else held - {at}
        assert MAP.forced(words) == held
    assert MAP.forced({}) == set()


def test_an_output_has_a_register_of_its_own_for_its_command() -> None:
    places = [command_writes(LAYOUT, AO, c, 100.0)[0].register for c in range(4)]
    assert places == list(range(places[0], places[0] + 4))
    assert command_writes(LAYOUT, AO, 0, 100.0)[0].word == 100
    assert not set(places) & set(MAP.registers)


def duty(**cells: Any) -> tuple[Any, Any]:
    kind = TYPES["po4"]
    mode = next(m for m in kind.modes if m.signal_unit == "%")
    plant = plant_of("0–10 V, 0…100 %").with_cells({(0, name): value for name, value in cells.items()})
    return plant, mode


@pytest.mark.parametrize(
    ("given", "held"), [(0, 0), (50, 100), (100, 100), (375, 375), (900, 900), (950, 900), (1000, 900)]
)
def test_a_duty_stays_within_its_limits_but_none_at_all_is_off(given: float, held: float) -> None:
    """37.5 % are 375 of 1000; least 10 %, most 90 %: what is given less is raised, what is given more is cut."""
    plant, mode = duty(least_duty=10, most_duty=90)
    assert (mode.counts.low, mode.counts.high) == (0, 1000)
    assert held_between(plant, 0, mode, given) == held


def test_without_limits_a_duty_is_what_it_is_given() -> None:
    plant, mode = duty()
    assert [held_between(plant, 0, mode, c) for c in (0, 1, 375, 1000)] == [0, 1, 375, 1000]
    only_most = duty(most_duty=50)
    assert held_between(*only_most[:1], 0, mode, 800) == 500
