"""The quick benchmarks, in under four minutes: each figure also as a ratio to a fixed piece of work of the same run.

    PYTHONPATH=src .venv/bin/python bench/quick.py                 measure, and compare with what was kept
    PYTHONPATH=src .venv/bin/python bench/quick.py --keep LABEL    and keep it: bench/over-time.tsv

Fixed pieces of work: sorting a million numbers ten times, before and after each piece of the core (NumPy); writing and
flushing four megabytes (disk); building ten thousand elements (browser). A machine that is slow today is slow at them
too, so ratios are compared and not times: what took a quarter more of its piece than when it was kept last is printed,
and the exit code is 1. Run it with nothing else at work: what holds up one piece may spare the other.
"""

from __future__ import annotations

import argparse
import csv
import os
import statistics
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from datetime import date
from decimal import Decimal
from pathlib import Path
from typing import Any

HERE = Path(__file__).parent
sys.path.insert(0, str(HERE))
sys.path.insert(0, str(HERE.parent))

import numpy as np  # noqa: E402

from measure import _SCROLL, POINTS, _opened, best, data_folder, generated_rows, started  # noqa: E402

PLACE = Path("/var/lib/canaleta/app") if os.geteuid() == 0 else HERE.parent / ".installed"
KEPT = HERE / "over-time.tsv"
HEAD = ("day", "label", "what", "figure", "unit", "per", "ratio")
SLIPPED = 1.25


@dataclass(frozen=True)
class Measured:
    """A figure, and how many of its fixed pieces of work would have taken as long."""

    what: str
    figure: float
    per: str
    ratio: float
    unit: str = "ms"


_NUMBERS = np.random.default_rng(1).uniform(0, 1, 1_000_000)


def numpy_piece() -> float:
    """ms for sorting a million numbers ten times: long enough to be held up by whatever holds up the rest."""
    began = time.perf_counter()
    for _ in range(10):
        np.sort(_NUMBERS)
    return (time.perf_counter() - began) * 1000


def beside(work: Callable[[], float], times: int) -> tuple[float, float]:
    """(figure in ms, least ratio) of some work that tells what it took: each time between two pieces of work."""
    figures, ratios, before = [], [], numpy_piece()
    for _ in range(times):
        took, after = work(), numpy_piece()
        figures.append(took)
        ratios.append(2 * took / (before + after))
        before = after
    return min(figures), min(ratios)


def disk_piece() -> float:
    """ms for writing and flushing four megabytes, a hundredth each time."""
    block = os.urandom(40_000)

    def write() -> None:
        with tempfile.TemporaryFile() as file:
            for _ in range(100):
                file.write(block)
                file.flush()
                os.fsync(file.fileno())

    return best(write, 3)


_ELEMENTS = """() => {
  const t = performance.now()
  const box = document.createElement('div')
  for (let k = 0; k < 10000; k++) {
    const one = document.createElement('span')
    one.textContent = String(k)
    box.append(one)
  }
  document.body.append(box)
  box.getBoundingClientRect()
  box.remove()
  return performance.now() - t
}"""


def core() -> Iterator[Measured]:
    """What the core takes for 50,000 points."""
    from canaleta.core.model.fields import Station
    from canaleta.core.model.image import PlantImage
    from canaleta.core.path.evaluate import evaluate
    from canaleta.core.rules import audit, audit_change
    from canaleta.core.signals.sensors.elements import degrees

    def took(what: str, work: Callable[[], Any], times: int = 5) -> Measured:
        figure, ratio = beside(lambda: best(work, 1), times)
        return Measured(what, figure, "numpy", ratio)

    rows, layout = generated_rows()

    def build() -> PlantImage:
        made = PlantImage.of_rows(rows, layout)
        evaluate(made, Station.COUNTS, 1.0)
        return made

    image = build()
    yield took("image of 50,000 points built", build)
    counts = np.random.default_rng(1).uniform(0, 10_000, POINTS).round()
    yield took("six stations of 50,000 points", lambda: evaluate(image, Station.COUNTS, counts), 5)
    yield took("50,000 points audited by all rules", lambda: audit(image))
    after = image.with_cells({(20, "value_high"): Decimal(-5)})
    point = int(image.ids[20])
    yield took("an edit of a range audited", lambda: audit_change(image, after, {point: {"value_high"}}), 5)
    yield took(
        "an edit of tag and channel audited", lambda: audit_change(image, after, {point: {"tag", "channel"}}), 5
    )
    letters = np.full(100_000, "K", dtype=object)
    emf = np.random.default_rng(2).uniform(-5, 50, len(letters))
    yield took("100,000 voltages of type K as degrees", lambda: degrees(letters, emf))


def start() -> Iterator[Measured]:
    """A warm start to a served page."""
    with data_folder() as data:

        def once() -> float:
            with started(data) as (_, seconds):
                return seconds * 1000

        once()
        figure, ratio = beside(once, 3)
    yield Measured("a warm start to a served page", figure, "numpy", ratio)


def site() -> Iterator[Measured]:
    """The list of 50,000 points in a browser, and edits over HTTP."""
    from canaleta.catalogue.demo import generated
    from canaleta.host import frontend

    os.environ["CANALETA_FRONT"] = str(frontend.build(HERE.parent, PLACE))
    disk = disk_piece()
    with _opened(generated(POINTS), scan=False) as (page, address, _, loaded):
        yield Measured("50,000 points loaded into an empty database", loaded * 1000, "disk", loaded * 1000 / disk)
        browser = min(page.evaluate(_ELEMENTS) for _ in range(7))
        firsts = []
        for _ in range(6):
            began = time.perf_counter()
            page.goto(address + "/list")
            page.wait_for_selector(".grid .row", timeout=60_000)
            firsts.append((time.perf_counter() - began) * 1000)
        figure = statistics.median(firsts)
        yield Measured("the list to its first rows", figure, "browser", figure / browser)
        frames = page.evaluate(_SCROLL)[0]
        figure = float(np.percentile(frames, 95))
        yield Measured("a frame while scrolling, 95 of 100", figure, "browser", figure / browser)
        edit = """async (number) => {
          window.csrf ??= (await (await fetch('/api/session')).json()).csrf
          const t = performance.now()
          const answer = await fetch('/api/proposals', {method: 'POST',
            headers: {'content-type': 'application/json', 'X-Canaleta-Csrf': window.csrf},
            body: JSON.stringify({edits: [{point: 21, field: 'value_low', was: String(number), text: String(number + 1)}]})})
          return [answer.status, performance.now() - t]
        }"""
        answers = [page.evaluate(edit, number) for number in range(30)]
        assert all(status == 200 for status, _ in answers), answers[0]
        figure = statistics.median(took for _, took in answers[5:])
        yield Measured("an edit saved with its consequences", figure, "disk", figure / disk)


def kept() -> dict[str, dict[str, str]]:
    """What was kept last, by what it is."""
    if not KEPT.exists():
        return {}
    with KEPT.open(encoding="utf-8", newline="") as file:
        return {row["what"]: row for row in csv.DictReader(file, delimiter="\t")}


def keep(label: str, all_: list[Measured]) -> None:
    """Write the figures behind those of before."""
    new = not KEPT.exists()
    with KEPT.open("a", encoding="utf-8", newline="") as file:
        out = csv.writer(file, delimiter="\t", lineterminator="\n")
        if new:
            out.writerow(HEAD)
        for m in all_:
            out.writerow([date.today(), label, m.what, f"{m.figure:.1f}", m.unit, m.per, f"{m.ratio:.3g}"])


def main() -> int:
    """Measure, compare, and keep if asked to."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--keep", metavar="LABEL", help="keep these figures under a name, that of a closed issue")
    options = parser.parse_args()
    before, slipped, all_ = kept(), [], []
    for part in (core, start, site):
        for m in part():
            all_.append(m)
            was = before.get(m.what)
            then = f"{float(was['ratio']):8.3g} ({was['label']})" if was else "         –"
            print(f"{m.what:<46} {m.figure:9.1f} {m.unit}   {m.ratio:8.3g} of {m.per:<8} before {then}", flush=True)
            if was and m.ratio > SLIPPED * float(was["ratio"]):
                slipped.append(f"{m.what}: {m.ratio:.3g} of {m.per}, {was['ratio']} when {was['label']} was closed")
    if options.keep:
        keep(options.keep, all_)
    for line in slipped:
        print(f"slipped: {line}")
    return 1 if slipped else 0


if __name__ == "__main__":
    sys.exit(main())
