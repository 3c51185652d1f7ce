"""Stand-ins at rest are worked out together: what is wrong with one stops no other, and what is newer stays."""

from __future__ import annotations

import asyncio
import json
from collections.abc import Awaitable, Callable
from typing import Any

import numpy as np
import pytest
from tests.building.agents import in_a_loop_of_its_own
from tests.building.waiting import HANGS_S

from canaleta.catalogue.demo import demo_plant
from canaleta.core.model.registers import decode
from canaleta.host.cluster import free_port
from canaleta.standins.server import READ_INPUT_REGISTERS, StandIn, StandIns
from canaleta.standins.source_port import SourcePort

LAYOUT_RACKS = (1, 2, 3)


def visited(visit: Callable[[StandIns], Awaitable[None]]) -> None:
    async def run() -> None:
        made = StandIns(demo_plant(), {rack: free_port() for rack in LAYOUT_RACKS}, seed=5)
        await made.begin()
        try:
            async with asyncio.timeout(HANGS_S):
                await visit(made)
        finally:
            await made.end()

    in_a_loop_of_its_own(run)


async def registers(made: StandIn) -> list[int]:
    """What a client would read now."""
    size = max(first + count for first, count in made.field.map.used)
    return list(await made.server.async_getValues(made.unit, READ_INPUT_REGISTERS, 0, size))


@pytest.mark.parametrize("broken", ["process", pytest.param("written", marks=pytest.mark.long)])
def test_one_that_cannot_be_worked_out_stops_no_other(broken: str, monkeypatch: Any) -> None:
    async def visit(made: StandIns) -> None:
        def fails(*_: object) -> Any:
            raise ZeroDivisionError("a rack that nobody foresaw")

        monkeypatch.setattr(made.racks[1].field if broken == "process" else made.racks[1], broken, fails)
        was = {rack: await registers(made.racks[rack]) for rack in (2, 3)}
        for rack in (2, 3):
            while await registers(made.racks[rack]) == was[rack]:
                await asyncio.sleep(0.05)
        monkeypatch.undo()
        stood, first = made.racks[1].turn, made.racks[1]
        while first.turn == stood:
            await asyncio.sleep(0.05)

    visited(visit)


def test_a_signal_put_on_while_others_are_written_is_not_overwritten_by_what_was_worked_out_before(
    monkeypatch: Any,
) -> None:
    """20 mA are 32 000 counts; it comes between the working out of all racks and the writing of the last."""

    async def visit(made: StandIns) -> None:
        first, last = made.racks[2], made.racks[1]
        # In the order in which they are written, the one that the signal is put on comes last.
        made.racks = {2: first, 3: made.racks[3], 1: last}
        put, seen = StandIn.put, asyncio.Event()

        async def putting(self: StandIn, words: Any) -> None:
            if self is first and not seen.is_set():
                seen.set()
                last.field.inject(2, 0, 20.0, "mA")
                await last.refresh()
            await put(self, words)

        monkeypatch.setattr(StandIn, "put", putting)
        await seen.wait()
        step = made._step
        while made._step < step + 2:
            counts = decode(last.field.map, np.array(await registers(last), dtype=np.uint16)).counts
            assert counts[last.field.map.row_of(2, 0)] == 32_000
            await asyncio.sleep(0)

    visited(visit)


@pytest.mark.parametrize(
    "line",
    [
        {"do": "wire", "rack": 1, "place": 2, "channel": 0, "output": [5, 0]},
        {"do": "wire", "rack": 1, "place": 2},
        {"do": "inject", "rack": "one", "place": 2, "channel": 0, "value": 12, "unit": "mA"},
        {"do": "wire", "rack": 1, "place": 2, "channel": 0, "output": 7},
    ],
)
def test_a_line_that_is_no_request_is_answered_and_changes_nothing(line: dict[str, Any]) -> None:
    async def visit(made: StandIns) -> None:
        source = SourcePort(made, "secret")
        answer = await source._answer(json.dumps(line | {"token": "secret"}).encode())
        assert answer["ok"] is False
        assert answer["says"].startswith("not understood")
        assert not any(one.field.injected() for one in made.racks.values())

    visited(visit)
