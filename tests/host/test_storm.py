"""Eight people edit at once while workers are killed: every edit that was acknowledged is there, in order, with its
author.

The check lets them work for some seconds; `check --long` for three minutes.
"""

from __future__ import annotations

import contextlib
import os
import random
import shutil
import signal
import tempfile
import threading
import time
from collections.abc import Iterator
from pathlib import Path

import pytest
from sqlalchemy import select
from tests.building.running import Hand, Running
from tests.building.waiting import until

from canaleta.host.check import LONG
from canaleta.host.cluster import Cluster
from canaleta.plant.database import tables as t
from canaleta.plant.database.connection import engine_for
from canaleta.plant.people import accounts
from canaleta.plant.records.image_cache import ImageCache

pytestmark = [pytest.mark.database, pytest.mark.xdist_group("recovery")]
PEOPLE = 8
KILLS = 90 if os.environ.get(LONG) else 5
EDITS_BETWEEN = 12
"""How many edits are acknowledged, by all together, from one kill to the next: a slow machine takes longer for them."""


@pytest.fixture
def stormy() -> Iterator[Running]:
    data = Path(tempfile.mkdtemp(prefix="canaleta-storm-"))
    data.chmod(0o755)
    made = Running(data)
    try:
        yield made
    finally:
        made.process.terminate()
        made.process.wait()
        shutil.rmtree(data, ignore_errors=True)


def workers(running: Running) -> list[int]:
    """The web workers themselves, below the process that watches them."""
    out = []
    for master in running.children("gunicorn"):
        listed = Path(f"/proc/{master}/task/{master}/children").read_text().split()
        out += [int(pid) for pid in listed]
    return out


def _killed(dice: random.Random, stormy: Running) -> bool:
    """Kill a worker drawn by lot, if there is one."""
    victims = workers(stormy)
    with contextlib.suppress(ProcessLookupError):
        if victims:
            os.kill(dice.choice(victims), signal.SIGKILL)
            return True
    return False


@pytest.mark.long
def test_every_acknowledged_edit_is_there_in_order_with_its_author(stormy: Running) -> None:
    cluster = Cluster(stormy.data, stormy.data / "log")
    cluster.port = int((stormy.data / "postgres.port").read_text())
    engine = engine_for(cluster.owner_url, pool_size=2)
    names = [f"hand-{n}" for n in range(PEOPLE)]
    with engine.begin() as connection:
        for name in names:
            accounts.add_account(connection, name, "technician")
        tokens = {name: accounts.make_link(connection, name) for name in names}
    hands = [Hand(stormy.address, tokens[name], name, n) for n, name in enumerate(names)]
    image = ImageCache(engine).current()
    for hand in hands:
        hand.known["own"] = image.text("service", image.row_of(30 + hand.number))
    over = threading.Event()
    threads = [threading.Thread(target=hand.work, args=(over.is_set,), daemon=True) for hand in hands]
    for thread in threads:
        thread.start()
    dice = random.Random(7)
    for kill in range(1, KILLS + 1):
        until(lambda n=kill: sum(len(hand.acknowledged) for hand in hands) >= n * EDITS_BETWEEN, "they work")
        time.sleep(dice.uniform(0.0, 0.5))
        until(lambda: _killed(dice, stormy), "a worker is killed")
    until(lambda: sum(len(hand.acknowledged) for hand in hands) >= (KILLS + 1) * EDITS_BETWEEN, "they work on")
    over.set()
    for thread in threads:
        thread.join()
    until(lambda: bool(stormy.service()), "the server answers after the storm")

    acknowledged = sorted((seq, cell, text, hand.name) for hand in hands for seq, cell, text in hand.acknowledged)
    with engine.connect() as connection:
        sets = {row.seq: row.who for row in connection.execute(select(t.change_set))}
        rows = connection.execute(select(t.change).order_by(t.change.c.seq)).all()
    story: dict[str, list[tuple[int, str, str]]] = {}
    for row in rows:
        for field, (was, became) in row.fields.items():
            story.setdefault(f"{row.entity_id}:{field}", []).append((row.seq, was or "", became or ""))
    written = {(seq, cell): became for cell, steps in story.items() for seq, _, became in steps}
    for seq, cell, text, name in acknowledged:
        assert written.get((seq, cell)) == text, f"{name} was told that “{text}” is in"
        assert sets[seq] == name
    for cell, steps in story.items():
        chain = [became for _, _, became in steps]
        assert [was for _, was, _ in steps][1:] == chain[:-1], (
            f"{cell}: each edit began where the one before it ended"
        )
    assert sorted(sets) == list(range(1, len(sets) + 1)), "no number is missing, none is given out twice"
    now = ImageCache(engine).current()
    for cell, steps in story.items():
        point, field = cell.split(":")
        assert now.text(field, now.row_of(int(point))) == steps[-1][2]
    unasked = {became for steps in story.values() for _, _, became in steps} - {
        text for _, _, text, _ in acknowledged
    }
    assert unasked <= set().union(*(hand.unsure for hand in hands)), "nothing is in that nobody typed"
    engine.dispose()
