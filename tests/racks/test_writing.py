"""Writing to racks by other hands: every function that the protocol has for it, and those that a rack does not know."""

from __future__ import annotations

from collections.abc import Awaitable, Callable

import pytest
from tests.building.agents import in_a_loop_of_its_own
from tests.building.stranger import Stranger
from tests.building.words import layout_with

from canaleta.core.hardware.forcing import Write
from canaleta.core.model.layout import Rack
from canaleta.core.model.register_tables import Table
from canaleta.core.model.registers import RackMap
from canaleta.racks.commands import _together, _written_bits
from canaleta.racks.reader import RackReader, RackRefusesError

Work = Callable[[RackReader, Stranger], Awaitable[None]]


def at_a_stranger(work: Work, unknown: set[int]) -> None:
    async def run() -> None:
        server = Stranger(1, holding=dict.fromkeys(range(10), 0) | {5: 0xF0F0}, coils=dict.fromkeys(range(20), 0))
        server.unknown = unknown
        await server.begin()
        rack = Rack(1, 1, "1", "127.0.0.1", server.port, 1, 1000)
        async with RackReader(rack, RackMap.of(layout_with(), 7), timeout_s=5.0) as reader:
            await work(reader, server)
        await server.cut()

    in_a_loop_of_its_own(run)


@pytest.mark.parametrize(("unknown", "one", "two"), [(set(), 6, 16), ({6}, 16, 16), ({16}, 6, 23), ({6, 16}, 23, 23)])
def test_registers_are_written_by_the_function_that_the_rack_knows(unknown: set[int], one: int, two: int) -> None:
    async def work(reader: RackReader, server: Stranger) -> None:
        await reader.write_run(2, [7])
        await reader.write_run(3, [0xFFFF, 0x1234])
        assert [server.tables[3][k] for k in (2, 3, 4)] == [7, 0xFFFF, 0x1234]
        assert server.written == [one, two]

    at_a_stranger(work, unknown)


def test_two_registers_of_one_number_are_never_written_one_by_one() -> None:
    """Half a number of 32 bits is another number: a rack that can only write one register is not written to."""

    async def work(reader: RackReader, server: Stranger) -> None:
        with pytest.raises(RackRefusesError):
            await reader.write_run(3, [1, 2])
        assert [server.tables[3][3], server.tables[3][4]] == [0, 0]

    at_a_stranger(work, {16, 23})


@pytest.mark.parametrize(("unknown", "by"), [(set(), [22]), ({22}, [6]), ({22, 6}, [16])])
def test_bits_are_written_and_the_others_stay(unknown: set[int], by: list[int]) -> None:
    """V1.1b3, 6.16: the bits of the mask alone. 0xF0F0 with 0x0A in the lowest four is 0xF0FA."""

    async def work(reader: RackReader, server: Stranger) -> None:
        await reader.write_masked(5, 0xFFFA, 0x000F)
        assert server.tables[3][5] == 0xF0FA
        assert server.written == by
        await reader.write_bits(Table.HOLDING_REGISTERS, 5, 0x0100, 0x0F00)
        assert server.tables[3][5] == 0xF1FA
        assert server.written == by * 2, "what it does not know it is not asked again"

    at_a_stranger(work, unknown)


@pytest.mark.parametrize(("unknown", "one"), [(set(), 5), ({5}, 15)])
def test_coils_are_written_one_or_several(unknown: set[int], one: int) -> None:
    async def work(reader: RackReader, server: Stranger) -> None:
        await reader.write_bits(Table.COILS, 3, 1)
        await reader.write_coils(8, [True, False, True, True, False, False, False, False, True])
        assert [server.tables[1][k] for k in (3, 8, 9, 10, 11, 12, 16)] == [1, 1, 0, 1, 1, 0, 1]
        assert server.written == [one, 15]

    at_a_stranger(work, unknown)


def test_a_rack_that_knows_no_way_to_write_says_so() -> None:
    async def work(reader: RackReader, server: Stranger) -> None:
        with pytest.raises(RackRefusesError) as told:
            await reader.write_run(2, [7])
        assert told.value.code == 1

    at_a_stranger(work, {6, 16, 23})


def test_what_is_written_is_read_back_and_what_was_not_kept_is_told() -> None:
    async def work(reader: RackReader, server: Stranger) -> None:
        assert (await _written_bits(reader, [Write(2, 5), Write(3, 6)])).done
        assert server.written == [16]
        assert (await _written_bits(reader, [Write(5, 0xFF01, 0x0001)])).done
        server.writes = frozenset((6, 16))
        server._written = lambda function, body: body[:5]  # type: ignore[method-assign]
        kept = await _written_bits(reader, [Write(2, 9)])
        assert (kept.done, kept.says) == (False, "the rack kept 5")

    at_a_stranger(work, set())


def test_only_whole_registers_that_follow_one_another_go_together() -> None:
    writes = [Write(1, 1), Write(2, 2), Write(4, 3), Write(5, 1, 1), Write(6, 4)]
    assert [[w.register for w in run] for run in _together(writes)] == [[1, 2], [4], [5], [6]]
