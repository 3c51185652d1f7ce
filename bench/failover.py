"""A primary that dies, hangs or is cut off from its standby, under edits and scans: what is lost, and how long nobody gets on.

    PYTHONPATH=src .venv/bin/python bench/failover.py [ROUNDS]

Two web hosts, each with an agent, on one address of two PostgreSQL servers of Debian's packages; the second confirms each
commit. Four people edit, two at each web host. A plain detector promotes the standby a second after the primary was lost; the
old primary is rewound (pg_rewind) and follows, and the next round begins the other way round. In turn the primary is killed, is
frozen (it neither answers nor refuses), and is left running beside the promoted one (a split network: both take writes).
Results: bench/results-failover.txt.
"""

from __future__ import annotations

import contextlib
import os
import shutil
import subprocess
import sys
import tempfile
import threading
import time
from pathlib import Path

HERE = Path(__file__).parent
sys.path.insert(0, str(HERE.parent))
os.environ["PYTHONPATH"] = str(HERE.parent / "src")
os.environ["CANALETA_PROGRAM"] = "failover"
sys.path.insert(0, str(HERE))
from sqlalchemy import Engine, select, text  # noqa: E402
from sqlalchemy.exc import SQLAlchemyError  # noqa: E402
from tests.building.pair import Member, Pair, paired  # noqa: E402

from canaleta.host.cluster import free_port  # noqa: E402
from canaleta.plant.database import tables as t  # noqa: E402
from canaleta.plant.database.connection import engine_for  # noqa: E402
from canaleta.plant.people import accounts  # noqa: E402
from canaleta.plant.records.image_cache import ImageCache  # noqa: E402
from measure import Report  # noqa: E402
from outages import Quick  # noqa: E402

PEOPLE, HOSTS, DETECT_S, CALM_S = 4, 2, 1.0, 8.0
WAYS = ("killed", "frozen", "split")
BUDGET_S = 10.0


def begun(url: str, folder: Path, port: int) -> subprocess.Popen[bytes]:
    return subprocess.Popen(
        [sys.executable, "-m", "canaleta.cli", "start", "--data", str(folder), "--port", str(port)],
        env=os.environ | {"CANALETA_DATABASE_URL": url}, stdout=(folder.parent / f"{folder.name}.said").open("wb"),
        stderr=subprocess.STDOUT, cwd="/",
    )  # fmt: skip


def hands_at(engine: Engine, ports: list[int]) -> list[Quick]:
    names = [f"hand-{n}" for n in range(PEOPLE)]
    with engine.begin() as connection:
        for name in names:
            accounts.add_account(connection, name, "technician")
        tokens = {name: accounts.make_link(connection, name) for name in names}
    hands: list[Quick] = []
    while len(hands) < PEOPLE:
        n = len(hands)
        with contextlib.suppress(OSError):
            hands.append(Quick(f"http://127.0.0.1:{ports[n % HOSTS]}", tokens[names[n]], names[n], n))
        time.sleep(0.2)
    image = ImageCache(engine).current()
    for hand in hands:
        hand.known["own"] = image.text("service", image.row_of(30 + hand.number))
    return hands


def lose(pair: Pair, way: str, leads: Member, follows: Member) -> float:
    """The primary is lost in some way. Returns when."""
    at = time.monotonic()
    if way == "killed":
        pair.kill(leads)
    elif way == "frozen":
        pair.freeze(leads)
    time.sleep(DETECT_S)
    pair.promote(follows)
    return at


def mend(pair: Pair, way: str, old: Member, leads: Member) -> None:
    """What led before follows now, and confirms."""
    if way != "killed":
        pair.kill(old)
    # It must have ended in order before it can be rewound. Meanwhile it takes writes, and nobody may send it any.
    pair.start(old)
    pair.stop_in_order(old)
    pair.rewind(old, leads)
    pair.confirmed_by(leads, old.name)
    pair.until(lambda: pair.in_step(leads), "the standby does not confirm")


def scans_again(engine: Engine, since: float) -> float:
    """Until every rack was read since a moment (of this machine's monotonic clock). Returns when, on that clock."""
    wall = time.time() - (time.monotonic() - since)
    late = text(
        "select count(*) filter (where b.read_at > to_timestamp(:s)), count(*) from rack r left join live_block b on b.rack = r.id"
    )
    while True:
        with contextlib.suppress(SQLAlchemyError), engine.connect() as connection:
            fresh, racks = connection.execute(late, {"s": wall + DETECT_S}).one()
            if fresh == racks:
                return time.monotonic()
        time.sleep(0.1)


def main(rounds: int) -> None:
    report = Report("failover")
    home = Path(tempfile.mkdtemp(prefix="canaleta-failover-"))
    home.chmod(0o755)
    with paired() as pair:
        url = pair.url(owner=True)
        engine = engine_for(url, pool_size=3)
        ports = [free_port() for _ in range(HOSTS)]
        hosts = [begun(url, home / "web0", ports[0])]
        try:
            # The first has the plant made before the second comes.
            while "canaleta runs at" not in (home / "web0.said").read_text():
                time.sleep(0.3)
            hosts.append(begun(url, home / "web1", ports[1]))
            while "canaleta runs at" not in (home / "web1.said").read_text():
                time.sleep(0.3)
            work(pair, engine, ports, rounds, report)
        finally:
            for host in hosts:
                host.terminate()
            for host in hosts:
                host.wait()
            engine.dispose()
            if "--keep" not in sys.argv:
                shutil.rmtree(home, ignore_errors=True)
    report.write()


def work(pair: Pair, engine: Engine, ports: list[int], rounds: int, report: Report) -> None:
    hands = hands_at(engine, ports)
    over = threading.Event()
    threads = [threading.Thread(target=hand.work, args=(over.is_set,), daemon=True) for hand in hands]
    for thread in threads:
        thread.start()
    leads, follows = pair.a, pair.b
    lost: list[tuple[str, float, float]] = []
    for n in range(rounds):
        way = WAYS[n % len(WAYS)]
        time.sleep(CALM_S)
        at = lose(pair, way, leads, follows)
        scans = scans_again(engine, at) - at
        while not all(any(h > at + DETECT_S for h in hand.heard) for hand in hands):
            time.sleep(0.1)
        time.sleep(CALM_S / 2)
        lost.append((way, at, scans))
        mend(pair, way, leads, follows)
        leads, follows = follows, leads
        print(f"round {n + 1}, {way}: scans again after {scans:.1f} s", flush=True)
    over.set()
    for thread in threads:
        thread.join()
    judge(engine, hands, lost, report)


def judge(engine: Engine, hands: list[Quick], lost: list[tuple[str, float, float]], report: Report) -> None:
    """Hold what was acknowledged against what is in the database."""
    with engine.connect() as connection:
        sets = {row.seq: row.who for row in connection.execute(select(t.change_set))}
        rows = connection.execute(select(t.change).order_by(t.change.c.seq)).all()
    written = {
        (row.seq, f"{row.entity_id}:{field}"): became or ""
        for row in rows
        for field, (_, became) in row.fields.items()
    }
    acknowledged = [(seq, cell, said, hand.name) for hand in hands for seq, cell, said in hand.acknowledged]
    gone = [a for a in acknowledged if written.get(a[:2]) != a[2] or sets.get(a[0]) != a[3]]
    report.add("edits acknowledged", str(len(acknowledged)))
    report.add("primaries lost", str(len(lost)))
    report.add("acknowledged and not there, or another's", str(len(gone)), "0")
    report.add("numbers missing or given twice", str(len(set(range(1, len(sets) + 1)) ^ set(sets))), "0")
    for way in WAYS:
        silences = [
            min(h for h in hand.heard if h > at + DETECT_S) - max(h for h in hand.heard if h <= at + DETECT_S)
            for one, at, _ in lost
            if one == way
            for hand in hands
        ]
        scans = [s for one, _, s in lost if one == way]
        if not scans:
            continue
        report.add(f"{way}: longest silence to one of the people", f"{max(silences):.1f} s", f"{BUDGET_S:.0f} s")
        report.add(f"{way}: until every rack was read again, at most", f"{max(scans):.1f} s", f"{BUDGET_S:.0f} s")
    report.add("of that, until the standby is promoted", f"{DETECT_S:.0f} s")


if __name__ == "__main__":
    main(next((int(word) for word in sys.argv[1:] if word.isdigit()), 10))
