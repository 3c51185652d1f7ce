"""Racks that are none of ours, and racks that misbehave: what is shown of each value is true at every moment."""

from __future__ import annotations

import asyncio
import contextlib
import os
from collections.abc import Iterator
from dataclasses import replace
from datetime import UTC, datetime

import numpy as np
import pytest
from pyModbusTCP.server import DataBank, ModbusServer
from sqlalchemy import update
from tests.building.agents import in_a_loop_of_its_own, scanning
from tests.building.database import Database
from tests.building.stranger import Manner, Stranger
from tests.building.waiting import HANGS_S
from tests.building.words import layout_with

from canaleta.core.live.advice import advice_of
from canaleta.core.model.fields import Landing, field_named, read_cell
from canaleta.core.model.image import PlantImage
from canaleta.core.model.module_type import Mode, ModuleType, Registers, Span
from canaleta.core.model.quality import Quality, Reason
from canaleta.core.model.register_tables import Table
from canaleta.core.model.registers import RackMap, decode
from canaleta.core.signals.converters import WordForm
from canaleta.host.check import LONG
from canaleta.host.cluster import free_port
from canaleta.plant.database import tables as t
from canaleta.plant.live.blocks import read_block
from canaleta.plant.records.image_cache import ImageCache
from canaleta.racks.life import RackLife
from canaleta.racks.reader import RackLostError, RackReader, RackRefusesError, RackSilentError

FIRST, UNIT = 100, 17


def foreign(order: str) -> PlantImage:
    """A device with four 32-bit reals in °C from holding register 100 on, in some order of their bytes."""
    degrees = Mode(
        name="°C",
        family="thermocouple",
        signal_unit="°C",
        signal=Span(low=0, high=1000),
        counts=Span(low=0, high=1000),
        least=-1e6,
        most=1e6,
        step=0,
        rounding="none",
        curve="K",
    )
    kind = ModuleType(
        key="stranger",
        title="stranger",
        channels=4,
        modes=(degrees,),
        registers=(Registers(holds="channel words", count=8),),
        word=WordForm(kind="float", bits=32, order=order),
    )
    layout = layout_with([kind])
    rack = replace(layout.racks[1], unit=UNIT, first_register=FIRST, function="holding")
    module = replace(layout.modules[4], id=1)
    layout = replace(layout, racks={1: rack}, modules={1: module})
    rows = []
    for k in range(4):
        row = {"tag": f"TE-{k}", "signal": "TC K", "mode": "°C", "channel": Landing(1, k, landed=True)}
        for name, text in (("value_low", "0…1000"), ("counts_low", "0…1000"), ("value_unit", "°C")):
            row |= read_cell(field_named(name), text)
        rows.append(row)
    return PlantImage.of_rows(rows, layout)


@pytest.mark.parametrize("order", ["ABCD", "CDAB", "BADC", "DCBA"])
def test_a_foreign_rack_with_32_bit_values_in_any_order_of_their_bytes(order: str) -> None:
    """Unit 17, function 3, registers from 100 on: one request for all of them."""
    values = [21.5, 846.25, -40.0, 1187.75]
    form = WordForm(kind="float", bits=32, order=order)
    words = form.words_of(values).ravel().tolist()

    async def run() -> None:
        server = Stranger(UNIT, holding={FIRST + k: word for k, word in enumerate(words)})
        await server.begin()
        image = foreign(order)
        rack = replace(image.layout.racks[1], port=server.port)
        rack_map = RackMap.of(image.layout, 1)
        async with RackReader(rack, rack_map) as reader:
            read = await reader.read()
        block, _ = RackLife(image, 1, rack_map).read(read, datetime.now(UTC), 1)
        assert block.value.tolist() == pytest.approx(values)
        assert server.asked == [(3, FIRST, 8)]
        await server.cut()

    in_a_loop_of_its_own(run)


@contextlib.contextmanager
def by_other_hands(port: int, words: list[int]) -> Iterator[ModbusServer]:
    """A Modbus TCP server that shares no line with our client, our stand-ins or our tests; 200 registers, no more."""
    server = ModbusServer("127.0.0.1", port, no_block=True, data_bank=DataBank(h_regs_size=200))
    server.start()
    server.data_bank.set_holding_registers(FIRST, words)
    try:
        yield server
    finally:
        server.stop()


@pytest.mark.parametrize("order", ["ABCD", "CDAB", "BADC", "DCBA"])
def test_a_server_by_other_hands_is_read_lost_and_read_again(order: str) -> None:
    """0x41AC0000 is 21.5: in the order CDAB its registers hold 0x0000 and 0x41AC."""
    values = [21.5, 846.25, -40.0, 1187.75]
    words = WordForm(kind="float", bits=32, order=order).words_of(values).ravel().tolist()
    if order == "CDAB":
        assert words[:2] == [0x0000, 0x41AC]

    async def run() -> None:
        image, port = foreign(order), free_port()
        rack = replace(image.layout.racks[1], port=port)
        rack_map = RackMap.of(image.layout, 1)
        life = RackLife(image, 1, rack_map)
        async with RackReader(rack, rack_map, timeout_s=0.5) as reader:
            with by_other_hands(port, words):
                block, _ = life.read(await reader.read(), datetime.now(UTC), 1)
                assert block.value.tolist() == pytest.approx(values)
                with pytest.raises(RackRefusesError, match="no such register"):
                    await reader.read_run(Table.HOLDING_REGISTERS, 199, 2)
            with pytest.raises(RackSilentError):
                await reader.read()
            with by_other_hands(port, words[::-1]):
                async with asyncio.timeout(HANGS_S):
                    while True:
                        with contextlib.suppress(RackSilentError):
                            assert (await reader.read())[FIRST : FIRST + 8].tolist() == words[::-1]
                            break

    in_a_loop_of_its_own(run)


@pytest.mark.parametrize(
    ("manner", "says"),
    [
        ("silent", "in time"),
        ("garbage", "in time"),
        ("refuses", "no such register"),
        ("other transaction", "in time"),
        ("short", "fewer registers|in time"),
    ],
)
def test_a_rack_that_misbehaves_gives_no_figures_and_a_reason_and_comes_back(manner: Manner, says: str) -> None:
    words = WordForm(kind="float", bits=32).words_of([1.0, 2.0, 3.0, 4.0]).ravel().tolist()

    async def run() -> None:
        server = Stranger(UNIT, holding={FIRST + k: word for k, word in enumerate(words)})
        await server.begin()
        image = foreign("ABCD")
        rack = replace(image.layout.racks[1], port=server.port)
        async with RackReader(rack, RackMap.of(image.layout, 1), timeout_s=0.3) as reader:
            await reader.read()
            server.manner = manner
            for _ in range(3):
                with pytest.raises(RackSilentError, match=says):
                    await reader.read()
            server.manner = "well"
            assert (await reader.read())[FIRST : FIRST + 8].tolist() == words
        await server.cut()

    in_a_loop_of_its_own(run)


@pytest.mark.parametrize(
    ("code", "lasts"), [(1, True), (2, True), (3, True), (4, False), (5, False), (6, False), (10, False), (11, False)]
)
def test_what_a_rack_will_refuse_next_time_too_is_told_from_what_passes(code: int, lasts: bool) -> None:
    """MODBUS Application Protocol V1.1b3, 7: illegal function, address and value last; failure, busy and the
    gateway's own codes pass, and a value read beside them is not known to be free of a force."""

    async def run() -> None:
        server = Stranger(UNIT, holding={0: 1})
        server.manner, server.refuses_with = "refuses", code
        await server.begin()
        image = foreign("ABCD")
        rack = replace(image.layout.racks[1], port=server.port)
        async with RackReader(rack, RackMap.of(image.layout, 1)) as reader:
            with pytest.raises(RackSilentError) as caught:
                await reader.read_some_settings([0])
        assert isinstance(caught.value, RackRefusesError) == lasts
        assert not str(caught.value).endswith(str(code)), "it is said in words"
        await server.cut()

    in_a_loop_of_its_own(run)


SECONDS = 240.0 if os.environ.get(LONG) else 14.0
PERIOD_S = 0.2
MANNERS: tuple[Manner, ...] = ("silent", "slow", "garbage", "refuses", "other transaction", "short")


def test_cut_off_slowed_restarted_and_answering_garbage_every_quality_is_true(database: Database) -> None:
    """Rack 1 misbehaves in turns while rack 2 stays well. Whatever was read within two periods and a scan may be
    good; whatever is older is bad. Rack 2 is never held up: its readings are never older than a few periods."""
    layout = ImageCache(database.engine).current().layout
    maps = {rack: RackMap.of(layout, rack) for rack in (1, 2)}

    def registers(rack: int) -> dict[int, int]:
        return {at: 100 for first, count in maps[rack].used for at in range(first, first + count)}

    async def run() -> None:
        bad, well = (Stranger(1, inputs=registers(rack), holding=dict.fromkeys(range(2000), 0)) for rack in (1, 2))
        await bad.begin()
        await well.begin()
        with database.owner.begin() as connection:
            connection.execute(update(t.rack).values(port=free_port(), stand_in=False, period_ms=60_000))
            for rack, server in ((1, bad), (2, well)):
                connection.execute(
                    update(t.rack)
                    .where(t.rack.c.id == rack)
                    .values(port=server.port, period_ms=round(PERIOD_S * 1000))
                )
        loop = asyncio.get_running_loop()
        random = np.random.default_rng(8)
        wrong: list[str] = []
        well_ages: list[float] = []
        good_seen = bad_seen = 0

        def blocks() -> tuple:
            with database.engine.connect() as connection:
                return read_block(connection, 1), read_block(connection, 2)

        async with scanning(database):
            async with asyncio.timeout(HANGS_S):
                while not all(b is not None and b.state == "answers" for b in await asyncio.to_thread(blocks)):
                    await asyncio.sleep(0.05)
            ends = loop.time() + SECONDS
            while loop.time() < ends:
                manner = str(random.choice([*MANNERS, "well", "cut"]))
                if manner == "cut":
                    await bad.cut()
                else:
                    bad.manner = manner  # type: ignore[assignment]
                phase = loop.time() + float(random.uniform(1.2, 2.0))
                while loop.time() < phase:
                    one, two = await asyncio.to_thread(blocks)
                    age = (datetime.now(UTC) - one.read_at).total_seconds()
                    trusted = int((one.quality <= Quality.DOUBTFUL).sum())
                    # Stale after two periods; a scan that waits for its answer takes one time-out more.
                    if trusted and age > 2 * PERIOD_S + 2.5 * PERIOD_S + 0.5:
                        wrong.append(f"{manner}: {trusted} values trusted at an age of {age:.2f} s")
                    if one.state == "answers" and (one.reasons & np.uint32(Reason.RACK_SILENT)).any():
                        wrong.append(f"{manner}: it answers and is called lost")
                    good_seen += trusted > 0
                    bad_seen += trusted == 0
                    well_ages.append((datetime.now(UTC) - two.read_at).total_seconds())
                    await asyncio.sleep(0.05)
                if manner == "cut":
                    await bad.begin()
                bad.manner = "well"
                await asyncio.sleep(2 * PERIOD_S)
        assert wrong == []
        assert good_seen > 5
        assert bad_seen > 5
        assert float(np.percentile(well_ages, 95)) < 5 * PERIOD_S, "a slow rack holds up no other"
        await bad.cut()
        await well.cut()

    in_a_loop_of_its_own(run)


@pytest.mark.parametrize("gone", [[2], [4, 5], [0, 1, 6, 7]])
def test_one_address_that_a_rack_does_not_have_costs_its_points_and_not_the_rack(gone: list[int]) -> None:
    """Four floats; the rack lacks some registers. The rest is read, over the same connection, and found only once."""
    values = [21.5, 846.25, -40.0, 1187.75]
    words = WordForm(kind="float", bits=32).words_of(values).ravel().tolist()

    async def run() -> None:
        server = Stranger(UNIT, holding={FIRST + k: word for k, word in enumerate(words) if k not in gone})
        await server.begin()
        image = foreign("ABCD")
        rack = replace(image.layout.racks[1], port=server.port)
        rack_map = RackMap.of(image.layout, 1)
        life = RackLife(image, 1, rack_map)
        async with RackReader(rack, rack_map) as reader:
            for scan in range(3):
                asked = len(server.asked)
                block, _ = life.read(await reader.read(), datetime.now(UTC), 1, refused=reader.refused)
                if scan:
                    assert len(server.asked) - asked <= 3, "what is refused is not looked for at every scan"
        lost = sorted({k // 2 for k in gone})
        for k, value in enumerate(values):
            if k in lost:
                assert Reason(int(block.reasons[k])) & Reason.REGISTER_REFUSED
                assert np.isnan(block.value[k])
                assert block.quality[k] == Quality.BAD
            else:
                assert block.value[k] == pytest.approx(value)
                assert block.quality[k] == Quality.GOOD
        assert server.connections == 1, "a refusal ends no connection"
        await server.cut()

    in_a_loop_of_its_own(run)


@pytest.mark.parametrize("value", [float("nan"), float("inf"), float("-inf")])
def test_no_number_in_a_float_register_is_a_fault_with_a_name(value: float) -> None:
    """IEEE 754: 0x7FC00000 is NaN, 0x7F800000 infinity. Bad, no figure, and the others stay as they are."""
    words = WordForm(kind="float", bits=32).words_of([21.5, value, -40.0, 1187.75]).ravel().tolist()
    image = foreign("ABCD")
    rack_map = RackMap.of(image.layout, 1)
    read = np.zeros(FIRST + 8, dtype=np.uint16)
    read[FIRST:] = words
    block, _ = RackLife(image, 1, rack_map).read(read, datetime.now(UTC), 1)
    assert Reason(int(block.reasons[1])) == Reason.NOT_A_NUMBER
    assert block.quality.tolist() == [Quality.GOOD, Quality.BAD, Quality.GOOD, Quality.GOOD]
    assert np.isnan(block.value[1])
    assert np.isnan(block.counts[1])
    told = advice_of(image, 1, int(block.reasons[1]))
    assert told[0].says == "the register holds no number"
    assert told[0].causes
    assert told[0].next


def mixed() -> RackMap:
    """A module of six contacts as discrete inputs from 40 on, a coil for each that tells a fault from 8 on, and a
    status word of the module in input register 5."""
    contact = Mode(
        name="24 V DC", family="contact", signal_unit="V", signal=Span(low=0, high=24), counts=Span(low=0, high=1)
    )
    kind = ModuleType.model_validate(
        {
            "key": "mixed", "title": "mixed", "channels": 6, "modes": [contact],
            "registers": [{"holds": "channel bits", "table": "discrete inputs", "at": 40, "count": 6}],
            "status_words": [
                {"table": "coils", "at": 8, "step": 1, "bits": [{"bit": 0, "means": "fault"}]},
                {"table": "input registers", "at": 5, "channels_a_word": 0, "bits": [{"bit": 2, "means": "supply fault"}]},
            ],
        }
    )  # fmt: skip
    layout = layout_with([kind])
    return RackMap.of(replace(layout, modules={1: replace(layout.modules[4], id=1)}), 1)


def test_each_table_is_read_by_its_own_function_and_costs_one_request() -> None:
    async def run() -> None:
        server = Stranger(
            UNIT, inputs={5: 0}, coils=dict.fromkeys(range(8, 14), 0), discrete={40 + k: k % 2 for k in range(6)}
        )
        server.tables[1][11] = 1
        await server.begin()
        rack_map = mixed()
        rack = replace(layout_with().racks[1], unit=UNIT, port=server.port)
        async with RackReader(rack, rack_map) as reader:
            found = decode(rack_map, await reader.read())
            assert found.counts.tolist() == [0, 1, 0, 1, 0, 1]
            assert found.reasons.tolist() == [0, 0, 0, Reason.CHANNEL_FAULT, 0, 0]
            assert sorted(server.asked) == [(1, 8, 6), (2, 40, 6), (4, 5, 1)]
            # A part of a table that is not there costs its own channels; the rest is read on.
            del server.tables[2][44], server.tables[2][45]
            decode(rack_map, await reader.read())
            assert reader.refused_places() == "discrete inputs 44 to 45"
            assert rack_map.without(reader.refused).tolist() == [False] * 4 + [True] * 2
            # A whole function may be missing.
            server.tables[1].clear()
            reader._searched_at = float("-inf")
            await reader.read()
            assert reader.refused_places() == "discrete inputs 44 to 45; coils 8 to 13"
            # Or be unknown to the rack, which is told with another code and costs no more.
            del server.tables[1]
            reader._searched_at = float("-inf")
            await reader.read()
            assert reader.refused_places() == "discrete inputs 44 to 45; coils 8 to 13"
        await server.cut()

    in_a_loop_of_its_own(run)


@pytest.mark.parametrize("swapped", [False, True])
def test_an_answer_that_comes_late_is_never_taken_for_another_requests(swapped: bool) -> None:
    """A gateway that answers 0.5 to 3 s late, in and out of order: whatever is read was asked for by that very
    request."""

    async def run() -> None:
        holding = {k: 1000 + k for k in range(64)}
        server = Stranger(UNIT, holding=holding)
        server.late = [0.9, 0.0, 0.5, 0.0, 3.0, 0.0, 0.35, 0.0]
        server.swapped = swapped
        await server.begin()
        image = foreign("ABCD")
        rack = replace(image.layout.racks[1], port=server.port)
        right = 0
        async with RackReader(rack, RackMap.of(image.layout, 1), timeout_s=0.3) as reader:
            for k in range(24):
                with contextlib.suppress(RackSilentError):
                    assert await reader.read_run(Table.HOLDING_REGISTERS, k, 2) == [1000 + k, 1001 + k]
                    right += 1
        assert right >= 4
        await server.cut()

    in_a_loop_of_its_own(run)


def test_a_reading_never_joins_two_connections() -> None:
    """Between the first request and the second the rack cuts the line: nothing of this reading counts."""

    async def run() -> None:
        server = Stranger(UNIT, holding=dict.fromkeys(range(300), 7))
        await server.begin()
        image = foreign("ABCD")
        rack = replace(image.layout.racks[1], port=server.port)
        async with RackReader(rack, RackMap.of(image.layout, 1)) as reader:

            async def reading() -> None:
                async with reader.one_reading():
                    await reader.read_run(Table.HOLDING_REGISTERS, 0, 2)
                    await server.hang_up()
                    while reader.connected:
                        await asyncio.sleep(0.01)
                    await reader.read_run(Table.HOLDING_REGISTERS, 2, 2)

            with pytest.raises(RackLostError):
                await reading()
            assert await reader.read_run(Table.HOLDING_REGISTERS, 0, 2) == [7, 7], "and the next one connects anew"
        await server.cut()

    in_a_loop_of_its_own(run)
