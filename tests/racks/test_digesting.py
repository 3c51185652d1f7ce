"""What several racks answered at once: written in one go, and what is wrong with one is its own matter."""

from __future__ import annotations

import asyncio
from datetime import UTC, datetime

import numpy as np
import pytest
from tests.building.agents import in_a_loop_of_its_own
from tests.building.database import Database

from canaleta.catalogue.demo import demo_plant, layout_of
from canaleta.core.model.registers import RackMap
from canaleta.plant.live import leases
from canaleta.plant.live.blocks import RackState, read_block
from canaleta.racks.agent import Agent
from canaleta.racks.digesting import Answer
from canaleta.racks.life import Outside, RackLife
from canaleta.racks.reader import RackUnreachableError
from canaleta.standins.field import FieldRack

PLANT = demo_plant()
LAYOUT = layout_of(PLANT)
AT = datetime(2026, 11, 29, 12, tzinfo=UTC)


def test_each_rack_of_a_moment_is_written_under_its_own_lease_and_fails_alone(database: Database) -> None:
    """Of ten racks: somebody else has the lease of rack 4; the words of rack 5 are too few; rack 6 is silent."""

    async def run() -> None:
        agent = Agent(database.engine, None)
        context = agent.context
        image = context.cache.current()
        epochs = {}
        with database.engine.begin() as connection:
            for rack in LAYOUT.racks:
                epochs[rack] = leases.take_lease(connection, rack, "other" if rack == 4 else context.holder)
        lives = {rack: RackLife(image, rack, RackMap.of(LAYOUT, rack)) for rack in LAYOUT.racks}
        outcome = {}
        # Twice: the first time each writes its state as well, the second most have nothing but their block.
        for _ in range(2):
            answers = []
            for rack, life in lives.items():
                words = FieldRack(PLANT, LAYOUT, rack, rack).step(0)
                given = None if rack == 6 else words[:3] if rack == 5 else words
                none = np.zeros(len(words), dtype=bool)
                answers.append(
                    Answer(
                        life, epochs[rack] or 0, given, AT, Outside(), none, RackUnreachableError("nothing answers")
                    )
                )
            done = await asyncio.gather(*map(agent.digester.digest, answers), return_exceptions=True)
            outcome = dict(zip(lives, done, strict=True))
        assert outcome[4] is False
        assert isinstance(outcome[5], IndexError)
        assert {rack for rack, report in outcome.items() if report is True} == {1, 2, 3, 6, 7, 8, 9, 10}
        with database.engine.connect() as connection:
            blocks = {rack: read_block(connection, rack) for rack in LAYOUT.racks}
        assert {rack: block.scan for rack, block in blocks.items() if block} == dict.fromkeys(
            (1, 2, 3, 6, 7, 8, 9, 10), 2
        )
        silent = blocks[6]
        assert silent is not None
        assert (silent.state, silent.says) == (RackState.UNREACHABLE, "nothing answers")

    in_a_loop_of_its_own(run)


def test_a_scanner_that_is_cancelled_ends_when_its_answer_is_written(database: Database) -> None:
    """Its rack's memory is in use until then; what is kept of it afterwards is whole."""

    async def run() -> None:
        agent = Agent(database.engine, None)
        context = agent.context
        with database.engine.begin() as connection:
            epoch = leases.take_lease(connection, 1, context.holder)
        assert epoch is not None
        life = RackLife(context.cache.current(), 1, RackMap.of(LAYOUT, 1))
        words = FieldRack(PLANT, LAYOUT, 1, 7).step(0)
        answer = Answer(life, epoch, words, AT, Outside(), np.zeros(len(words), dtype=bool))
        task = asyncio.create_task(agent.digester.digest(answer))
        for _ in range(3):
            # Whoever waits for its end asks again and again.
            await asyncio.sleep(0)
            task.cancel()
        with pytest.raises(asyncio.CancelledError):
            await task
        assert answer.done.result() is True
        with database.engine.connect() as connection:
            block = read_block(connection, 1)
        assert block is not None
        assert block.scan == life.scan == 1

    in_a_loop_of_its_own(run)
