"""Agents, alarms and trends end to end: a real Modbus stand-in, real agents, a real database."""

from __future__ import annotations

import asyncio
from collections.abc import Callable, Sequence
from datetime import UTC, datetime, timedelta

import numpy as np
import pytest
from numpy.typing import NDArray
from sqlalchemy import func, insert, select
from tests.building.agents import (
    TOKEN,
    in_a_loop_of_its_own,
    on_port,
    scanned,
    scanning,
    standing_in,
    until,
    value_of,
)
from tests.building.database import Database
from tests.building.waiting import HANGS_S

from canaleta.core.hardware.forcing import command_writes, force_writes
from canaleta.core.live.trends import Rolled
from canaleta.host.cluster import free_port
from canaleta.plant.changes.apply import Edit, Proposal, apply
from canaleta.plant.database import tables as t
from canaleta.plant.database.clock import PlantClock
from canaleta.plant.live import alarms, commands, temporary
from canaleta.plant.live.blocks import Flag, RackState
from canaleta.plant.live.leases import LEASE_S, RENEW_S
from canaleta.plant.live.trends import pack_hour, read_raw, read_trends, waiting_hours, want_newest
from canaleta.plant.live.walking import found_since
from canaleta.plant.records.image_cache import ImageCache
from canaleta.racks import scanner
from canaleta.racks.agent import TEND_S, Agent
from canaleta.racks.life import PART_S
from canaleta.racks.reader import RackReader, RackRefusesError, RackSilentError
from canaleta.racks.source import SignalSource

PT = 1
"""PT-3107: 4–20 mA, the list shows 0…500 mbar."""


def edit(database: Database, **cells: str) -> None:
    cache = ImageCache(database.engine)
    image = cache.current()
    edits = tuple(Edit(PT, name, image.text(name, image.row_of(PT)), text) for name, text in cells.items())
    apply(database.engine, cache, Proposal(edits), "ana")


async def asked(database: Database, kind: str, target: dict[str, object], rack: int = 1) -> commands.Outcome:
    with database.engine.begin() as connection:
        number = commands.ask(connection, "ana", rack, kind, target)
    async with asyncio.timeout(HANGS_S):
        while True:
            with database.engine.connect() as connection:
                if (found := commands.outcome(connection, number)) is not None:
                    return found
            await asyncio.sleep(0.02)


async def eventually(
    database: Database, holds: Callable[[dict[tuple[int, str], str]], bool], seconds: float = 30.0
) -> None:
    """Wait until the open alarms are so."""
    async with asyncio.timeout(seconds):
        while True:
            with database.engine.connect() as connection:
                if holds({(a.point, a.kind): a.state for a in alarms.open_alarms(connection)}):
                    return
            await asyncio.sleep(0.02)


def test_an_alarm_lives_its_life_in_the_database_and_outlives_its_agent(database: Database) -> None:
    edit(database, alarm_h="400", alarm_h_deadband="10", consequence="severe", respond_min="2")

    async def run() -> None:
        port, source_port = free_port(), free_port()
        on_port(database, port)
        source = SignalSource(source_port, TOKEN)
        async with standing_in(port, source_port):
            async with scanning(database, source):
                await source.inject((1, 2, 0), 12.0, "mA")
                await until(database, lambda b: value_of(b, PT) == 250.0)
                await source.inject((1, 2, 0), 20.0, "mA")
                await eventually(database, lambda a: a.get((PT, "h")) == "unacknowledged")
                report = await asked(
                    database, "alarm", {"event": "ACKNOWLEDGE", "alarms": [[PT, "h"]], "why": "seen"}
                )
                assert report.answer == {"moved": 1}
                await eventually(database, lambda a: a.get((PT, "h")) == "acknowledged")
                last = (await until(database, lambda b: True)).epoch
            async with scanning(database, source):
                await until(database, lambda b: b.epoch > last)
                await eventually(database, lambda a: a.get((PT, "h")) == "acknowledged")
                await source.inject((1, 2, 0), 12.0, "mA")
                await eventually(database, lambda a: (PT, "h") not in a)
        with database.engine.connect() as connection:
            # The next agent did not raise it anew: three lines and no more.
            lines = alarms.journal(connection, point=PT)
            assert [(x.event, x.becomes, x.who) for x in reversed(lines) if x.kind == "h"] == [
                ("comes", "unacknowledged", ""),
                ("acknowledge", "acknowledged", "ana"),
                ("goes", "normal", ""),
            ]
            assert {x.priority for x in lines if x.kind == "h"} == {"high"}

    in_a_loop_of_its_own(run)


def test_the_journal_never_changes(database: Database) -> None:
    from sqlalchemy import text
    from sqlalchemy.exc import DBAPIError

    with database.owner.begin() as connection:
        row = {
            "at": datetime.now(UTC),
            "point": 1,
            "kind": "h",
            "event": "comes",
            "was": "normal",
            "becomes": "unacknowledged",
        }
        connection.execute(insert(t.journal).values(**row))
    for engine in (database.engine, database.owner):
        for statement in ("update journal set event = 'x'", "delete from journal"):
            with pytest.raises(DBAPIError), engine.begin() as connection:
                connection.execute(text(statement))


def test_two_agents_share_the_racks_and_a_dead_ones_move_within_ten_seconds(
    database: Database, monkeypatch: pytest.MonkeyPatch
) -> None:
    assert LEASE_S + RENEW_S + TEND_S < 10.0, "the lease, a look of the other, and a beginning of its scanner"
    monkeypatch.setattr("canaleta.plant.live.leases.gone", lambda connection, holder: None)
    monkeypatch.setattr(scanner.Scanner, "_keep_last", lambda self: None)

    async def run() -> None:
        on_port(database, free_port())
        one, two = Agent(database.engine, None), Agent(database.engine, None)
        tasks = [asyncio.create_task(agent.run()) for agent in (one, two)]
        try:
            async with asyncio.timeout(HANGS_S):
                while sorted(len(a.held) for a in (one, two)) != [5, 5]:
                    await asyncio.sleep(0.05)
            assert not set(one.held) & set(two.held)
            tasks[0].cancel()
            await asyncio.gather(tasks[0], return_exceptions=True)
            async with asyncio.timeout(HANGS_S):
                while len(two.held) < 10:
                    await asyncio.sleep(0.05)
        finally:
            for task in tasks:
                task.cancel()
            await asyncio.gather(*tasks, return_exceptions=True)

    in_a_loop_of_its_own(run)


def test_a_force_acts_in_the_rack_and_is_read_back_from_it(database: Database) -> None:
    async def run() -> None:
        layout = ImageCache(database.engine).current().layout
        module = next(m.id for m in layout.modules_of(1) if layout.type_of(m.id).key == "ai8-ui")

        def writes(counts: float | None) -> dict[str, object]:
            return {
                "stand_in": True,
                "writes": [[w.register, w.word, w.mask] for w in force_writes(layout, module, 0, counts)],
            }

        async with scanned(database):
            assert await asked(database, "force", writes(24000)) == commands.DONE
            block = await until(database, lambda b: value_of(b, PT) == 375.0)
            assert block.flags[block.points == PT] & Flag.FORCED
            assert (block.flags & Flag.FORCED != 0).sum() == 1
            assert await asked(database, "force", writes(None)) == commands.DONE
            await until(database, lambda b: not (b.flags & Flag.FORCED).any() and value_of(b, PT) != 375.0)

    in_a_loop_of_its_own(run)


@pytest.mark.parametrize(
    ("trouble", "state"),
    [(RackSilentError("too slow"), RackState.SILENT), (RackRefusesError("no such register"), RackState.ANSWERS)],
)
def test_values_without_what_is_forced_among_them_are_not_shown(
    database: Database, monkeypatch: pytest.MonkeyPatch, trouble: Exception, state: RackState
) -> None:
    """A forced value without its mark would pass for the field's. A rack that has no such register forces nothing."""

    async def fails(self: RackReader, registers: Sequence[int]) -> dict[int, int]:
        raise trouble

    monkeypatch.setattr(RackReader, "read_some_settings", fails)

    async def run() -> None:
        async with scanned(database):
            block = await until(database, lambda b: b.scan >= 3 and b.state in (RackState.SILENT, RackState.ANSWERS))
            assert block.state == state
            assert np.isnan(value_of(block, PT)) == (state != "answers")

    in_a_loop_of_its_own(run)


def test_a_reading_is_never_older_than_it_says(database: Database, monkeypatch: pytest.MonkeyPatch) -> None:
    """The rack takes its time; each reading holds its own number, and when it was asked for is known."""
    began: list[datetime] = []
    real = RackReader.read

    async def slow(self: RackReader) -> NDArray[np.uint16]:
        began.append(datetime.now(UTC))
        mine = len(began)
        words = await real(self)
        await asyncio.sleep(0.3)
        words[:] = mine
        return words

    monkeypatch.setattr(RackReader, "read", slow)

    async def run() -> None:
        async with scanned(database):
            block = await until(database, lambda b: b.state == "answers" and b.scan >= 3)
            number = int(block.counts[block.points == PT][0])
            assert block.read_at <= began[number - 1]

    in_a_loop_of_its_own(run)


def test_readings_are_stamped_with_the_database_s_time_whatever_the_machine_s_own_says(
    database: Database, monkeypatch: pytest.MonkeyPatch
) -> None:
    """The database is an hour ahead of the machine that scans: other machines tell the age by the database's time."""
    real = PlantClock.of
    ahead = classmethod(lambda _, engine: PlantClock(lambda: real(engine)._ask() + 3600.0))
    monkeypatch.setattr(PlantClock, "of", ahead)

    async def run() -> None:
        async with scanned(database):
            block = await until(database, lambda b: b.state == "answers")
            assert 3540 < (block.read_at - datetime.now(UTC)).total_seconds() <= 3600

    in_a_loop_of_its_own(run)


def test_a_rack_that_is_not_armed_takes_no_force(database: Database) -> None:
    async def run() -> None:
        async with scanned(database):
            report = await asked(database, "force", {"writes": [[0, 1, 1]]})
            assert report.ended is commands.Ended.FAILED
            assert "not armed" in report.says

    in_a_loop_of_its_own(run)


def test_a_module_without_a_register_for_it_cannot_be_forced(database: Database) -> None:
    layout = ImageCache(database.engine).current().layout
    module = next(m.id for m in layout.modules.values() if layout.type_of(m.id).key == "tc8")
    with pytest.raises(LookupError, match="no register"):
        force_writes(layout, module, 0, 1.0)
    with pytest.raises(LookupError, match="no register"):
        command_writes(layout, module, 0, 1.0)


def test_a_substitute_is_seen_here_and_not_by_the_controller(database: Database) -> None:
    async def run() -> None:
        async with scanned(database):
            with database.engine.begin() as connection:
                number = temporary.enter(
                    connection, temporary.SUBSTITUTE, PT, "shows 123", "ana", given="123", minutes=60
                )
            block = await until(database, lambda b: value_of(b, PT) == 123.0)
            assert float(block.counts[block.points == PT][0]) != 123.0
            with database.engine.begin() as connection:
                assert temporary.end(connection, number, "ben", "gauge is back")
                assert not temporary.end(connection, number, "ben"), "it ends once"
            await until(database, lambda b: value_of(b, PT) != 123.0)

    in_a_loop_of_its_own(run)


def test_what_is_older_than_the_plant_keeps_is_forgotten(database: Database) -> None:
    """Trends, their times and found patterns of the day before the last that is kept; the journal and records
    stay."""
    from canaleta.core.live.trends import Part
    from canaleta.plant.live.trends import write_part
    from canaleta.plant.live.walking import note_found

    days = ImageCache(database.engine).current().conventions.trend_days
    now = datetime.now(UTC)
    with database.engine.begin() as connection:
        for ago in (days + 1, 1):
            at = (now - timedelta(days=ago)).replace(minute=0, second=0, microsecond=0)
            one = np.ones((10, 1))
            write_part(
                connection,
                1,
                Part(np.array([1]), at.timestamp() + np.arange(10.0), one, one, np.zeros((10, 1), np.uint8)),
            )
            assert pack_hour(connection, 1, at) == 1
            note_found(connection, 1, at, "staircase", [])
    Agent(database.engine, None)._forget(days)
    with database.engine.connect() as connection:
        for table in (t.trend_hour, t.trend_clock, t.found):
            assert connection.execute(select(func.count()).select_from(table)).scalar_one() == 1, table.name


def test_readings_become_parts_and_parts_become_hours_with_their_roll_ups(database: Database) -> None:
    from canaleta.core.live.trends import Part
    from canaleta.plant.live.trends import write_part

    hour = datetime(2026, 11, 26, 8, tzinfo=UTC)
    begins = hour.timestamp()
    with database.engine.begin() as connection:
        for k in range(0, 3600, 10):
            times = begins + k + np.arange(10.0)
            value = np.stack([np.sin(times / 600), np.full(10, 5.0)], axis=1)
            if k == 1800:
                value[3, 1] = 80.0
            quality = np.zeros((10, 2), np.uint8)
            quality[:, 0] = 2 if 1200 <= k < 1800 else 0
            write_part(connection, 1, Part(np.array([1, 2]), times, value * 100, value, quality))
        assert waiting_hours(connection, 1, hour + timedelta(minutes=30)) == []
        assert waiting_hours(connection, 1, hour + timedelta(hours=2)) == [hour]
        before = read_trends(connection, {2: 1}, begins, begins + 3600, 400, {2: 1.0})[2]
        assert pack_hour(connection, 1, hour) == 2
        assert waiting_hours(connection, 1, hour + timedelta(hours=2)) == []
        after = read_trends(connection, {2: 1}, begins, begins + 3600, 400, {2: 1.0})[2]
        np.testing.assert_allclose(after.most, before.most)
        assert np.nanmax(after.most) == 80.0
        row = connection.execute(select(t.trend_hour).where(t.trend_hour.c.point == 1)).one()
        assert len(read_raw(connection, 1, 1, begins, begins + 3599).times) == 3600
        assert connection.execute(select(func.count()).select_from(t.trend_clock)).scalar_one() == 1, (
            "times once a rack"
        )
        minutes = Rolled.unpacked(row.minutes)
        assert len(minutes.begins) == 60
        assert np.isnan(minutes.mean[20:30]).all(), "ten minutes without a good value"
        week = read_trends(connection, {2: 1}, begins - 6 * 86400, begins + 86400, 400, {2: 1.0})[2]
        assert np.nanmax(week.most) == 80.0
        gaps = read_trends(connection, {1: 1}, begins - 3600, begins + 7200, 400, {1: 1.0})[1]
        assert np.isnan(gaps.mean).any()


def test_what_was_read_lately_is_written_when_somebody_looks_at_the_trend(database: Database) -> None:
    """A part is ten seconds long unless somebody wants it sooner: a first part that is shorter was wanted."""

    async def run() -> None:
        async with scanned(database), asyncio.timeout(HANGS_S):
            while True:
                with database.engine.begin() as connection:
                    want_newest(connection, [1, 1])
                    first = connection.execute(select(t.trend_part).order_by(t.trend_part.c.begins)).first()
                if first is not None:
                    assert (first.ends - first.begins).total_seconds() < PART_S
                    return
                await asyncio.sleep(0.05)

    in_a_loop_of_its_own(run)


def test_the_agent_writes_the_trend_while_it_scans(database: Database) -> None:
    async def run() -> None:
        began = datetime.now(UTC).timestamp()
        async with scanned(database):
            await until(database, lambda b: b.state == "answers" and b.scan > 8)
        with database.engine.connect() as connection:
            trend = read_trends(connection, {PT: 1}, began - 1, began + 60, 400, {PT: 0.1})[PT]
        assert len(trend.times) >= 8, "what an agent that ends has not written yet is written then"

    in_a_loop_of_its_own(run)


@pytest.mark.long
def test_somebody_who_plays_at_a_device_is_found_by_the_scan(database: Database) -> None:
    """The staircase at 3 s a level: PT-3107 is found with nine plateaus, and no other point of the rack."""

    async def run() -> None:
        began = datetime.now(UTC)
        async with scanned(database) as (_, source):
            await source.put(
                {"rack": 1, "place": 2, "channel": 0, "value": 4.0, "unit": "mA", "form": "staircase", "high": 20.0, "period_s": 31.5}
            )  # fmt: skip
            async with asyncio.timeout(HANGS_S):
                while True:
                    with database.engine.connect() as connection:
                        if found := found_since(connection, began):
                            break
                    await asyncio.sleep(0.2)
        assert [f.point for f in found] == [PT]
        assert [p["signal"] for p in found[0].plateaus] == pytest.approx([4, 8, 12, 16, 20, 16, 12, 8, 4], abs=0.01)
        assert [p["counts"] for p in found[0].plateaus][:5] == pytest.approx([0, 8000, 16000, 24000, 32000], abs=1)

    in_a_loop_of_its_own(run)
