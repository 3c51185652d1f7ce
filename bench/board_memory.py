"""Whether a board that stays open grows: the memory of a page on the live board of the demo plant, minute after minute.

    PYTHONPATH=src .venv/bin/python bench/board_memory.py 60

So many minutes, 60 if not said. After a collection each minute: what scripts hold, elements of the page, those that hear
events. Level is a straight line through the second half that rises by less than a tenth an hour.
Results: bench/results-board-memory.txt.
"""

from __future__ import annotations

import os
import sys
from pathlib import Path
from typing import Any

import numpy as np

from measure import Report, _opened

HERE = Path(__file__).parent
SETTLES_MIN = 5
"""Until then trends and the sixty minutes of a card fill up."""
LEVEL_SHARE = 0.10


def taken(cdp: Any) -> dict[str, float]:
    """What the page holds after a collection."""
    cdp.send("HeapProfiler.collectGarbage")
    return {m["name"]: m["value"] for m in cdp.send("Performance.getMetrics")["metrics"]}


def main() -> None:
    """Open the board and watch it."""
    from canaleta.catalogue.demo import demo_plant
    from canaleta.host import frontend
    from quick import PLACE

    minutes = int(sys.argv[1]) if len(sys.argv) > 1 else 60
    os.environ.setdefault("CANALETA_FRONT", str(frontend.build(HERE.parent, PLACE)))
    report = Report("board-memory")
    with _opened(demo_plant(), scan=True) as (page, address, _, _):
        page.goto(address + "/live")
        page.locator(".hung").first.wait_for()
        cdp = page.context.new_cdp_session(page)
        cdp.send("Performance.enable")
        held = []
        for minute in range(minutes + 1):
            now = taken(cdp)
            held.append(now["JSHeapUsedSize"] / 1e6)
            if minute % max(1, minutes // 12) == 0:
                elements, hearers = now["Nodes"], now["JSEventListeners"]
                report.add(
                    f"after {minute} min", f"{held[-1]:.1f} MB, {elements:.0f} elements, {hearers:.0f} hearers"
                )
            if minute < minutes:
                for _ in range(6):
                    page.wait_for_timeout(10_000)
    late = np.array(held[max(SETTLES_MIN, minutes // 2) :])
    slope = float(np.polyfit(np.arange(len(late)), late, 1)[0]) * 60 if len(late) > 1 else 0.0
    report.add("scripts hold more each hour, second half", f"{slope:+.2f} MB", f"{LEVEL_SHARE * late.mean():.1f} MB")
    report.write()


if __name__ == "__main__":
    main()
