"""Proving a plant at size: a dossier of 300 points with photos, 100,000 records found and drawn, a package of 200 points taken
along, how far 50,000 points have come.

    PYTHONPATH=src .venv/bin/python bench/proving.py

The database is a throwaway one; what is written is kept in bench/results-proving.txt.
"""

from __future__ import annotations

import base64
import io
import os
import shutil
import signal
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

sys.path.insert(0, str(Path(__file__).parents[1]))
sys.path.insert(0, str(Path(__file__).parent))

import numpy as np
from PIL import Image
from sqlalchemy import Engine, insert
from tests.building.people import Person

from canaleta.catalogue.demo import generated
from canaleta.host.cluster import Cluster
from canaleta.host.progress import wait_for
from canaleta.jobs import dossiers
from canaleta.plant.changes import seed
from canaleta.plant.checks.evidence import digest
from canaleta.plant.database import tables as t
from canaleta.plant.database.connection import engine_for, grant_runtime, migrate
from canaleta.plant.people import accounts
from canaleta.web.app import create_app
from measure import Report

POINTS, RECORDS, OF_DOSSIER, OF_PACKAGE = 50_000, 100_000, 300, 200
SYSTEM = "burners"


def photo(chance: np.random.Generator) -> str:
    """A photo as a phone's, made small by the browser: 1280 pixels, some 250 kB."""
    rough = chance.integers(0, 255, (240, 320, 3), dtype=np.uint8)
    out = io.BytesIO()
    Image.fromarray(rough).resize((1280, 960), Image.Resampling.BICUBIC).save(out, "JPEG", quality=40)
    return base64.b64encode(out.getvalue()).decode()


def body(k: int, error: float, picture: str = "") -> dict[str, Any]:
    """A loop check's record, as long as one is."""
    steps = [0, 25, 50, 75, 100, 75, 50, 25, 0]
    rows = [
        [f"{s} up", "12.000 mA", "16000", "300.0 mbar", "16000", "300.1 mbar", "+0.10", "+0.017", "pass"]
        for s in steps
    ]
    head = [
        "% of range",
        "signal",
        "count due",
        "value due",
        "count read",
        "value read",
        "error, mbar",
        "% of span",
        "",
    ]
    return {
        "tag": f"PT-{k}", "service": "a pressure", "address": "A·1·1·1", "lines": ["range 0 to 600 mbar"] * 6,
        "table": {"head": head, "rows": rows, "widths": [18, 20, 18, 22, 18, 22, 18, 16, 12]},
        "readings": [{"signal": 12.0, "counts": 16000, "value": 300.1} for _ in steps], "worst": abs(error),
        "furthest": error, "tolerance": 0.5, "passes": abs(error) <= 0.5, "seq": 1, "instrument": "cal 3",
        "due": "2999-12", "phase": "as found", "photo": picture, "note": "", "open_wire": {},
    }  # fmt: skip


def record(point: int, at: datetime, what: dict[str, Any]) -> dict[str, Any]:
    words = ("loop check", point, "ana", "Ana Serra", "passed: largest error 0.017 % of span")
    kind, _, who, name, verdict = words
    return {
        "at": at, "kind": kind, "point": point, "who": who, "name": name, "verdict": verdict, "body": what,
        "hash": digest(at, kind, point, who, name, verdict, what),
    }  # fmt: skip


def timed(work: Callable[[], Any], times: int = 5) -> float:
    """Median of some runs, s."""
    took = []
    for _ in range(times):
        began = time.perf_counter()
        work()
        took.append(time.perf_counter() - began)
    return statistics.median(took)


def filled(engine: Engine) -> None:
    """50,000 points, 100,000 records over five years, 300 points of one system with a photo in each record."""
    chance = np.random.default_rng(20)
    with engine.begin() as connection:
        seed.load_document(connection, generated(POINTS))
        connection.execute(t.point.update().where(t.point.c.id <= OF_DOSSIER).values(system=SYSTEM))
        accounts.add_account(connection, "ana", "engineer")
        accounts.set_password(connection, "ana", "a long enough word")
    first = datetime(2022, 1, 1, tzinfo=UTC)
    for begin in range(0, RECORDS, 5000):
        rows = [
            record(301 + (k % 20_000), first + timedelta(minutes=26 * k), body(k, float(chance.normal(0, 0.15))))
            for k in range(begin, begin + 5000)
        ]
        with engine.begin() as connection:
            connection.execute(insert(t.evidence), rows)
    for point in range(1, OF_DOSSIER + 1):
        at = datetime(2026, 11, 1, tzinfo=UTC) + timedelta(minutes=point)
        with engine.begin() as connection:
            connection.execute(insert(t.evidence), [record(point, at, body(point, 0.02, photo(chance)))])
    with engine.connect() as connection:
        connection.exec_driver_sql("analyze evidence")


def dossier(engine: Engine, form: str) -> tuple[float, float, float]:
    """(s, peak MB of the process, MB of the file)."""
    with engine.begin() as connection:
        number = connection.execute(
            insert(t.dossier)
            .values(who="ana", name="Ana", system=SYSTEM, form=form, state=dossiers.WORKS)
            .returning(t.dossier.c.id)
        ).scalar_one()
    url = engine.url.render_as_string(hide_password=False)
    began = time.perf_counter()
    process = subprocess.Popen(
        [sys.executable, "-m", "canaleta.jobs.dossiers", str(number)], env=os.environ | {"CANALETA_RUNTIME_URL": url}
    )
    _, status, used = os.wait4(process.pid, 0)
    took = time.perf_counter() - began
    assert status == 0, "the dossier failed"
    with engine.connect() as connection:
        job = dossiers.job_of(connection, number)
    assert job is not None
    size = Path(job.file).stat().st_size / 2**20
    if form == "pdf":
        from canaleta.exchange.dossier.prove import prove

        assert prove(Path(job.file)).sound
    Path(job.file).unlink()
    return took, used.ru_maxrss / 1024, size


def main() -> None:
    report = Report("proving")
    folder = Path(tempfile.mkdtemp(prefix="canaleta-bench-"))
    folder.chmod(0o755)
    cluster = Cluster(folder, folder / "log", ())
    cluster.prepare()
    server = subprocess.Popen(
        cluster.command(), stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, cwd="/", **cluster.as_user()
    )
    try:
        assert wait_for(cluster.answers, server, "database")
        cluster.ensure_database()
        engine = engine_for(cluster.owner_url, pool_size=4)
        migrate(engine)
        with engine.begin() as connection:
            grant_runtime(connection)
        filled(engine)
        for form in ("pdf", "zip"):
            took, peak, size = dossier(engine, form)
            what = f"dossier of {OF_DOSSIER} points with photos, {form} of {size:.0f} MB"
            report.add(f"{what}: time", f"{took:.1f} s", "60 s")
            report.add(f"{what}: memory of its process", f"{peak:.0f} MB", "500 MB")
        ana = Person(create_app(engine, frozenset({"localhost"}), most_streams=4), "ana")

        def asked(path: str) -> float:
            assert ana.get(path).status_code == 200, path
            return timed(lambda: ana.get(path))

        report.add(
            f"{RECORDS} records: newest 200 of all", f"{1000 * asked('/api/records'):.0f} ms", "500 ms with the plot"
        )
        report.add(f"{RECORDS} records: those that failed", f"{1000 * asked('/api/records?passes=no'):.0f} ms")
        report.add(f"{RECORDS} records: of one area", f"{1000 * asked('/api/records?area=kiln 1'):.0f} ms")
        report.add(
            f"{RECORDS} records: errors of all for the plot", f"{1000 * asked('/api/records/timeline'):.0f} ms"
        )
        report.add("due list of 20,300 points with five checks each", f"{asked('/api/due'):.2f} s")
        ana.send("PUT", "/api/packages/two hundred", {"points": list(range(1, OF_PACKAGE + 1))})
        ana.send("POST", "/api/packages/two hundred/away", {})
        along = timed(lambda: ana.send("POST", "/api/packages/two hundred/away", {}))
        report.add(f"package of {OF_PACKAGE} points taken along", f"{along:.2f} s", "5 s")
        report.add(
            f"sheets of {OF_PACKAGE} points",
            f"{timed(lambda: ana.get('/api/packages/two hundred/sheets.pdf'), 1):.1f} s",
        )
        report.add(f"how far {POINTS} points are, by area", f"{1000 * asked('/api/progress'):.0f} ms")
        report.add("one point's ladder with what stands in its way", f"{1000 * asked('/api/points/5/ladder'):.0f} ms")
    finally:
        server.send_signal(signal.SIGQUIT)
        server.wait()
        shutil.rmtree(folder, ignore_errors=True)
    report.write()


if __name__ == "__main__":
    main()
