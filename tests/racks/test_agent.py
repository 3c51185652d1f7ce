"""From a register to a live block: a real Modbus stand-in, a real agent, a real database."""

from __future__ import annotations

import asyncio
from dataclasses import replace

import numpy as np
import pytest
from tests.building.agents import in_a_loop_of_its_own, on_port, scanned, scanning, standing_in, until, value_of
from tests.building.database import Database

from canaleta.catalogue.demo import demo_plant, layout_of
from canaleta.core.model.registers import RackMap
from canaleta.host.cluster import free_port
from canaleta.plant.live import commands
from canaleta.plant.live.blocks import RackState
from canaleta.racks.reader import RackReader, RackSilentError
from canaleta.racks.source import SignalSource, SourceError


def test_what_the_agent_writes_is_what_the_registers_say(database: Database) -> None:
    async def run() -> None:
        async with scanned(database) as (_, source):
            await source.inject((1, 2, 0), 12.0, "mA")
            block = await until(database, lambda b: value_of(b, 1) == 250.0)
            assert block.state == "answers"
            assert block.injected[block.points == 1] == [1]
            assert block.injected.sum() == 1
            assert block.counts[block.points == 1] == [16000]

    in_a_loop_of_its_own(run)


def test_a_silent_rack_keeps_its_last_reading_and_comes_back_by_itself(database: Database) -> None:
    async def run() -> None:
        port, source_port = free_port(), free_port()
        on_port(database, port)
        async with scanning(database):
            async with standing_in(port, source_port):
                answered = await until(database, lambda b: b.state == "answers")
            silent = await until(database, lambda b: b.state != "answers")
            assert silent.read_at >= answered.read_at
            assert silent.state in (RackState.UNREACHABLE, RackState.TIMED_OUT, RackState.LOST)
            assert silent.says, "and in words"
            later = await until(database, lambda b: b.scan > silent.scan)
            assert later.read_at == silent.read_at, "its age tells on every screen"
            async with standing_in(port, source_port):
                await until(database, lambda b: b.state == "answers" and b.read_at > silent.read_at)

    in_a_loop_of_its_own(run)


def test_a_rack_that_never_answered_says_why(database: Database) -> None:
    async def run() -> None:
        on_port(database, free_port())
        async with scanning(database):
            block = await until(database, lambda b: b.state != "answers")
            assert np.isnan(block.counts).all()

    in_a_loop_of_its_own(run)


def test_an_edit_of_the_scaling_moves_the_next_reading(database: Database) -> None:
    from canaleta.plant.changes.apply import Edit, Proposal, apply
    from canaleta.plant.records.image_cache import ImageCache

    async def run() -> None:
        async with scanned(database) as (_, source):
            await source.inject((1, 2, 0), 12.0, "mA")
            await until(database, lambda b: value_of(b, 1) == 250.0)
            proposal = Proposal((Edit(1, "value_high", "500", "600"),))
            await asyncio.to_thread(apply, database.engine, ImageCache(database.engine), proposal, "ana")
            block = await until(database, lambda b: b.seq == 1)
            assert value_of(block, 1) == 300.0

    in_a_loop_of_its_own(run)


def test_injection_is_a_command_that_the_agent_carries_out(database: Database) -> None:
    async def run() -> None:
        async with scanned(database):
            with database.engine.begin() as connection:
                good = commands.ask(
                    connection, "ana", 1, "inject", {"rack": 1, "place": 2, "channel": 0, "value": 20.0, "unit": "mA"}
                )
                bad = commands.ask(
                    connection, "ana", 1, "inject", {"rack": 1, "place": 2, "channel": 0, "value": 5.0, "unit": "V"}
                )
            await until(database, lambda b: value_of(b, 1) == 500.0)
            with database.engine.connect() as connection:
                assert commands.outcome(connection, good) == commands.DONE
                refused = commands.outcome(connection, bad)
                assert refused is not None
                assert refused.ended is commands.Ended.FAILED
                assert "works with mA" in refused.says

    in_a_loop_of_its_own(run)


def test_the_source_port_wants_its_token() -> None:
    async def run() -> None:
        port, source_port = free_port(), free_port()
        async with standing_in(port, source_port) as made:
            with pytest.raises(SourceError, match="wrong token"):
                await SignalSource(source_port, "guess").inject((1, 2, 0), 12.0, "mA")
            assert made.racks[1].field.injected() == []

    in_a_loop_of_its_own(run)


def test_a_rack_without_such_registers_says_so() -> None:
    async def run() -> None:
        port, source_port = free_port(), free_port()
        layout = layout_of(demo_plant())
        rack = replace(layout.racks[1], port=port, first_register=5000)
        moved = replace(layout, racks={1: rack})
        async with standing_in(port, source_port), RackReader(rack, RackMap.of(moved, 1)) as reader:
            with pytest.raises(RackSilentError, match="no such register"):
                await reader.read()

    in_a_loop_of_its_own(run)
