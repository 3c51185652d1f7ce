"""How long documents take that are printed of very many points, what they weigh, and the memory they want; on A3.

    PYTHONPATH=src .venv/bin/python bench/prints.py [POINTS ...]

Each in a process of its own, as the program makes them: of the generated plant, and the I/O list also of the demo plant's
points over and over, whose rows are fuller. The generated plant has no strips, cables and published registers: those documents
are empty, and their time is that of looking. Results: bench/results-prints.txt.
"""

from __future__ import annotations

import multiprocessing
import resource
import sys
import time
from typing import Any

import numpy as np

from measure import Report, generated_rows

DRAWN = 1500
"""Loop sheets that one print may have."""


def _made(document: str, points: int, answer: Any) -> None:
    from canaleta.catalogue.demo import demo_plant, layout_of
    from canaleta.core.model.image import PlantImage
    from canaleta.exchange.list_print import Issue, printed_list
    from canaleta.exchange.prints.documents import printed
    from canaleta.exchange.prints.paper import About
    from canaleta.plant.changes.seed import stored_row

    if document == "list, demo's points repeated":
        plant = demo_plant()
        layout = layout_of(plant)
        empty = PlantImage.of_rows([{}], layout)
        rows = [stored_row(empty, point) for point in plant.points]
    else:
        rows, layout = generated_rows()
    image = PlantImage.of_rows(rows, layout)
    wanted = np.resize(np.arange(len(image), dtype=np.int64), points)
    before, began = _memory(), time.perf_counter()
    if document.startswith("list"):
        body = printed_list(image, wanted.tolist(), "Vallroja Tileworks", "2026-12-02", Issue(), "A3")
    else:
        body = printed(document, image, wanted, About("Vallroja Tileworks", "", "2026-12-02"), "A3")
    answer.put((time.perf_counter() - began, len(body), before, _memory()))


def _memory() -> float:
    """MB, the most so far."""
    return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024


def main() -> None:
    """Print the documents that go by tables of as many points as asked for, 10,000 and 50,000 otherwise, and loop sheets."""
    report = Report("prints")
    sizes = [int(word) for word in sys.argv[1:]] or [10_000, 50_000]
    wanted = [
        (document, points)
        for points in sizes
        for document in (
            "list, demo's points repeated",
            "list",
            "terminals",
            "cables",
            "cores",
            "cards",
            "alarms",
            "registers",
        )
    ]
    spawn = multiprocessing.get_context("spawn")
    for document, points in [*wanted, ("loops", DRAWN)]:
        answer = spawn.Queue()
        work = spawn.Process(target=_made, args=(document, points, answer))
        work.start()
        seconds, size, before, most = answer.get()
        work.join()
        figure = f"{seconds:.1f} s, {size / 1e6:.1f} MB"
        report.add(f"{document}, {points} points", figure)
        report.add("  memory before, and the most", f"{before:.0f}, {most:.0f} MB")
    report.write()


if __name__ == "__main__":
    main()
