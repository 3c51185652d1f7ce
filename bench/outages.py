"""Edits while anything is killed, and while the disk runs full: is every acknowledged edit there, none half-written?

    PYTHONPATH=src .venv/bin/python bench/outages.py [SECONDS] [--full-disk]

Three clients make ten edits a second together. Every five seconds one process dies by SIGKILL, drawn by lot: the
launcher itself (begun again at once, as a person or a service manager would), the database or one of its backends,
nginx, the web server or a worker, the agent, the stand-ins. --full-disk (as root): the data lie on a small mounted
file system that is filled to the last byte twice for fifteen seconds. Results: bench/results-outages.txt.
"""

from __future__ import annotations

import contextlib
import os
import random
import shutil
import signal
import subprocess
import sys
import tempfile
import threading
import time
import urllib.error
from collections import Counter
from pathlib import Path

HERE = Path(__file__).parent
sys.path.insert(0, str(HERE.parent))
os.environ["PYTHONPATH"] = str(HERE.parent / "src")
# As the launcher does: who has audited the plant need not do so again at each of many starts.
os.environ["CANALETA_PROGRAM"] = "outages"
sys.path.insert(0, str(HERE))
from sqlalchemy import select  # noqa: E402
from tests.building.running import Hand  # noqa: E402

from canaleta.host.cluster import free_port  # noqa: E402
from canaleta.host.upkeep import database_of  # noqa: E402
from canaleta.plant.database import tables as t  # noqa: E402
from canaleta.plant.people import accounts  # noqa: E402
from canaleta.plant.records.image_cache import ImageCache  # noqa: E402
from measure import Report, below  # noqa: E402

PEOPLE, EACH_S, KILL_EVERY_S, DISK_MB, FULL_S = 3, 0.3, 5.0, 900, 15.0
SAID = Path(tempfile.gettempdir()) / "canaleta-outages.log"
"""What the launchers say."""
KINDS = ("launcher", "postgres -D", "postgres: canaleta", "nginx: master", "gunicorn", "_agent", "_stand-in")


def begun(data: Path, port: int) -> subprocess.Popen[bytes]:
    return subprocess.Popen(
        [sys.executable, "-m", "canaleta.cli", "start", "--data", str(data), "--port", str(port)],
        stdout=SAID.open("ab"),
        stderr=subprocess.STDOUT,
        cwd="/",
    )


class Quick(Hand):
    """A person who edits at a steady pace and notes when each answer came, and every refusal."""

    def __init__(self, *given: object) -> None:
        self.heard: list[float] = []
        self.refused: Counter[str] = Counter()
        super().__init__(*given)  # type: ignore[arg-type]

    def ask(self, path: str, body: object) -> object:
        try:
            answer = super().ask(path, body)
        except urllib.error.HTTPError as error:
            self.refused[str(error.code)] += 1
            if error.code != 409:
                time.sleep(0.2)
            raise
        self.heard.append(time.monotonic())
        time.sleep(EACH_S)
        return answer


def main(seconds: float, full_disk: bool) -> None:
    report = Report("outages-full-disk" if full_disk else "outages")
    folder = Path(tempfile.mkdtemp(prefix="canaleta-outages-"))
    folder.chmod(0o755)
    if full_disk:
        subprocess.run(
            ["mount", "-t", "tmpfs", "-o", f"size={DISK_MB}m,mode=755", "canaleta", str(folder)], check=True
        )
    try:
        run(folder / "plant", seconds, full_disk, report)
    finally:
        if full_disk:
            subprocess.run(["umount", "-l", str(folder)], check=False)
        shutil.rmtree(folder, ignore_errors=True)
    report.write()


def run(data: Path, seconds: float, full_disk: bool, report: Report) -> None:
    names = [f"hand-{n}" for n in range(PEOPLE)]
    with database_of(data) as (_, engine), engine.begin() as connection:
        for name in names:
            accounts.add_account(connection, name, "technician")
        tokens = {name: accounts.make_link(connection, name) for name in names}
    port = free_port()
    launcher = begun(data, port)
    address = f"http://127.0.0.1:{port}"
    hands: list[Quick] = []
    while len(hands) < PEOPLE:
        with contextlib.suppress(OSError):
            hands.append(Quick(address, tokens[names[len(hands)]], names[len(hands)], len(hands)))
        time.sleep(0.2)
    with database_of(data) as (_, engine):
        image = ImageCache(engine).current()
        for hand in hands:
            hand.known["own"] = image.text("service", image.row_of(30 + hand.number))
    began = time.monotonic()
    end = began + seconds
    threads = [threading.Thread(target=hand.work, args=(lambda: time.monotonic() >= end,)) for hand in hands]
    for thread in threads:
        thread.start()
    dice, killed, fills = random.Random(11), Counter[str](), []
    fill_at = [seconds / 3, 2 * seconds / 3] if full_disk else []
    ballast = data.parent / "ballast"
    while (now := time.monotonic()) < end - 2:
        if fill_at and now - began > fill_at[0]:
            fill_at.pop(0)
            with contextlib.suppress(OSError), ballast.open("wb") as file:
                while True:
                    file.write(b"\0" * 65_536)
            fills.append(now - began)
        if ballast.exists() and now - began > fills[-1] + FULL_S:
            ballast.unlink()
        if launcher.poll() is not None:
            # It said why and ended: whoever looks after it begins it again.
            launcher = begun(data, port)
            killed["a launcher that ended by itself"] += 1
        kind = dice.choice(KINDS)
        if kind == "launcher":
            launcher.kill()
            launcher.wait()
            launcher = begun(data, port)
            killed[kind] += 1
        elif victims := [pid for pid, args in below(launcher.pid).items() if kind in args]:
            with contextlib.suppress(ProcessLookupError):
                os.kill(dice.choice(victims), signal.SIGKILL)
                killed[kind] += 1
        time.sleep(max(0.0, min(KILL_EVERY_S, end - 2 - time.monotonic())))
    ballast.unlink(missing_ok=True)
    for thread in threads:
        thread.join()
    launcher.terminate()
    launcher.wait()
    judge(data, hands, killed, (began, end), report, fills)


def judge(
    data: Path,
    hands: list[Quick],
    killed: Counter[str],
    time_of: tuple[float, float],
    report: Report,
    fills: list[float],
) -> None:
    """Hold what was acknowledged against what is in the database."""
    with database_of(data) as (_, engine):
        with engine.connect() as connection:
            sets = {row.seq: row.who for row in connection.execute(select(t.change_set))}
            rows = connection.execute(select(t.change).order_by(t.change.c.seq)).all()
        now = ImageCache(engine).current()
    story: dict[str, list[tuple[int, str, str]]] = {}
    for row in rows:
        for field, (was, became) in row.fields.items():
            story.setdefault(f"{row.entity_id}:{field}", []).append((row.seq, was or "", became or ""))
    written = {(seq, cell): became for cell, steps in story.items() for seq, _, became in steps}
    acknowledged = [(seq, cell, text, hand.name) for hand in hands for seq, cell, text in hand.acknowledged]
    lost = [a for a in acknowledged if written.get(a[:2]) != a[2] or sets.get(a[0]) != a[3]]
    broken = [
        cell
        for cell, steps in story.items()
        if [was for _, was, _ in steps][1:] != [became for _, _, became in steps][:-1]
        or now.text(cell.split(":")[1], now.row_of(int(cell.split(":")[0]))) != steps[-1][2]
    ]
    heard = sorted(at for hand in hands for at in hand.heard)
    began, end = time_of
    silence, at = max((b - a, a - began) for a, b in zip([began, *heard], [*heard, end], strict=True))
    refused = sum((hand.refused for hand in hands), Counter[str]())
    report.add("edits acknowledged", str(len(acknowledged)))
    report.add("processes killed", str(sum(killed.values())))
    for kind, count in sorted(killed.items()):
        report.add(f"  {kind}", str(count))
    report.add("acknowledged and not there, or another's", str(len(lost)), "0")
    report.add("cells whose history does not join, or half-written", str(len(broken)), "0")
    report.add("numbers missing or given twice", str(len(set(range(1, len(sets) + 1)) ^ set(sets))), "0")
    report.add("longest silence to all three together", f"{silence:.1f} s")
    report.add("  which began after", f"{at:.0f} s")
    for code, count in sorted(refused.items()):
        report.add(f"answers {code}", str(count))
    for at in fills:
        report.add(f"disk full for {FULL_S:.0f} s from", f"{at:.0f} s")


if __name__ == "__main__":
    numbers = [float(word) for word in sys.argv[1:] if not word.startswith("-")]
    main(numbers[0] if numbers else 600.0, "--full-disk" in sys.argv)
