"""What one machine carries, for docs/scale.md: people on streams, edits in history, a month of trends dropped.

    PYTHONPATH=src .venv/bin/python bench/scale.py

A web host as people start it, with the demo plant (ten racks, a second each), and as many streams as it takes: its share of a
core and its memory, with and without them. Then a database of one's own: what an edit takes in history, and how long a month of
trends takes to go as a whole and row by row. Results: bench/results-scale.txt.
"""

from __future__ import annotations

import contextlib
import os
import shutil
import sys
import tempfile
import threading
import time
from datetime import UTC, datetime, timedelta
from pathlib import Path

HERE = Path(__file__).parent
sys.path.insert(0, str(HERE.parent))
os.environ["PYTHONPATH"] = str(HERE.parent / "src")
sys.path.insert(0, str(HERE))
from sqlalchemy import Engine, insert, text  # noqa: E402
from tests.building.pair import paired  # noqa: E402
from tests.building.running import Running  # noqa: E402

from canaleta.catalogue.demo import demo_plant  # noqa: E402
from canaleta.plant.changes import seed  # noqa: E402
from canaleta.plant.changes.apply import apply  # noqa: E402
from canaleta.plant.changes.proposal import Edit, Proposal  # noqa: E402
from canaleta.plant.database import tables as t  # noqa: E402
from canaleta.plant.database.connection import engine_for  # noqa: E402
from canaleta.plant.records.image_cache import ImageCache  # noqa: E402
from measure import Report, below  # noqa: E402

STREAMS, LOOK_S, EDITS, POINTS = 200, 20.0, 500, 500
HOUR_BYTES = 5300
"""Of a point and an hour at one reading a second: bench/results-live-trends.txt."""


def main() -> None:
    report = Report("scale")
    streams(report)
    history(report)
    report.write()


def spent(pids: list[int]) -> tuple[float, float]:
    """(processor seconds, megabytes of their own and shared in proportion) of some processes."""
    seconds, megabytes = 0.0, 0.0
    for pid in pids:
        fields = Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()
        seconds += (int(fields[11]) + int(fields[12])) / os.sysconf("SC_CLK_TCK")
        rollup = Path(f"/proc/{pid}/smaps_rollup").read_text()
        megabytes += int(next(line.split()[1] for line in rollup.splitlines() if line.startswith("Pss:"))) / 1024
    return seconds, megabytes


def streams(report: Report) -> None:
    folder = Path(tempfile.mkdtemp(prefix="canaleta-scale-"))
    folder.chmod(0o755)
    running = Running(folder / "plant")
    heard = [0] * STREAMS
    over = threading.Event()
    try:
        web = [pid for pid, args in below(running.process.pid).items() if "gunicorn" in args]
        time.sleep(5)
        alone = _share(web)
        racks = ",".join(str(n) for n in range(1, 11))

        def listen(n: int) -> None:
            with contextlib.suppress(OSError), running.open(f"/api/stream?since=0&racks={racks}") as stream:
                for line in stream:
                    heard[n] += line.startswith(b"event: live")
                    if over.is_set():
                        return

        for n in range(STREAMS):
            threading.Thread(target=listen, args=(n,), daemon=True).start()
        while min(heard) < 20:
            time.sleep(0.2)
        web = [pid for pid, args in below(running.process.pid).items() if "gunicorn" in args]
        before = sum(heard)
        share, memory = _share(web)
        report.add("streams of one web host, ten racks each", str(STREAMS))
        report.add("blocks told, a second", f"{(sum(heard) - before) / LOOK_S:,.0f}")
        report.add("web host without streams, of a core", f"{100 * alone[0]:.0f} %")
        report.add("web host with them, of a core", f"{100 * share:.0f} %")
        report.add("web host without streams, memory", f"{alone[1]:.0f} MB")
        report.add("web host with them, memory", f"{memory:.0f} MB")
    finally:
        over.set()
        running.process.terminate()
        running.process.wait()
        shutil.rmtree(folder, ignore_errors=True)


def _share(pids: list[int]) -> tuple[float, float]:
    before, _ = spent(pids)
    time.sleep(LOOK_S)
    after, memory = spent(pids)
    return (after - before) / LOOK_S, memory


def history(report: Report) -> None:
    with paired() as pair:
        engine = engine_for(pair.url(owner=True), pool_size=2)
        with engine.begin() as connection:
            seed.load_document(connection, demo_plant())
        cache = ImageCache(engine)
        size = text("select pg_total_relation_size('change') + pg_total_relation_size('change_set')")
        with engine.connect() as connection:
            before = connection.execute(size).scalar_one()
        was, began = cache.current().text("service", cache.current().row_of(1)), time.perf_counter()
        for n in range(EDITS):
            edit = Edit(1, "service", was, f"burner gas header pressure {n}")
            apply(engine, cache, Proposal((edit,)), "erna")
            was = edit.text
        report.add("an edit saved, confirmed by a standby", f"{1000 * (time.perf_counter() - began) / EDITS:.1f} ms")
        with engine.connect() as connection:
            grown = connection.execute(size).scalar_one() - before
        report.add("an edit in history, with indexes", f"{grown / EDITS:.0f} bytes")
        pair.confirmed_by(pair.a, "")
        report.add("a line of the alarm journal, with indexes", f"{_journal_line(engine):.0f} bytes")
        month = datetime(2020, 1, 1, tzinfo=UTC)
        body = os.urandom(HOUR_BYTES)
        with engine.begin() as connection:
            for name in ("trend_hour_2020_01", "kept_apart_rows"):
                of = (
                    ""
                    if name == "kept_apart_rows"
                    else "partition of trend_hour for values from ('2020-01-01+00') to ('2020-02-01+00')"
                )
                connection.execute(text(f"create table {name} {of or '(like trend_hour including all)'}"))
            rows = [
                {"point": p, "hour": month + timedelta(hours=h), "body": body, "minutes": b"", "quarters": b""}
                for h in range(744) for p in range(POINTS)
            ]  # fmt: skip
            for at in range(0, len(rows), 20_000):
                connection.execute(insert(t.trend_hour), rows[at : at + 20_000])
            connection.execute(text("insert into kept_apart_rows select * from trend_hour_2020_01"))
        report.add("rows in a month of trends", f"{len(rows):,}")
        for what, how in (
            ("as a whole", "select canaleta_forget_trends('2020-02-01+00')"),
            ("row by row, for comparison", "delete from kept_apart_rows where hour < '2020-02-01+00'"),
        ):
            began = time.perf_counter()
            with engine.begin() as connection:
                connection.execute(text(how))
            report.add(f"the month dropped {what}", f"{time.perf_counter() - began:.2f} s")
        engine.dispose()


def _journal_line(engine: Engine) -> float:
    now, lines = datetime.now(UTC), 20_000
    line = {
        "kind": "high",
        "event": "comes",
        "was": "normal",
        "becomes": "unacknowledged",
        "priority": "medium",
        "value": 1.5,
    }
    part = text("select pg_total_relation_size(to_regclass(:name))")
    with engine.begin() as connection:
        rows = [line | {"at": now + timedelta(milliseconds=k), "point": k % 500} for k in range(lines)]
        connection.execute(insert(t.journal), rows)
    with engine.connect() as connection:
        return int(connection.execute(part, {"name": f"journal_{now:%Y_%m}"}).scalar_one()) / lines


if __name__ == "__main__":
    main()
