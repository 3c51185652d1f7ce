"""How long the slowest text takes each reader at the greatest length that a door lets through: budget 100 ms.

    PYTHONPATH=src .venv/bin/python bench/texts.py

The readers and the texts that backtracking readers are slow with are those of tests/core/test_linear_texts.py.
Processor time, the least of three. Results: bench/results-texts.txt.
"""

from __future__ import annotations

import sys
from pathlib import Path

HERE = Path(__file__).parent
sys.path[:0] = [str(HERE.parent), str(HERE)]
from tests.building.mean_texts import LONG, MEAN, READERS, spent  # noqa: E402

from measure import Report  # noqa: E402


def main() -> None:
    """Measure every reader with every text."""
    report = Report("texts")
    report.add("length of each text", f"{LONG} characters")
    for name, read in READERS.items():
        worst, piece = max((spent(read, piece * (LONG // len(piece)) + "x"), piece) for piece in MEAN)
        report.add(f"{name}: slowest, a run of {piece!r}", f"{worst * 1000:.1f} ms", "100 ms")
    report.write()


if __name__ == "__main__":
    main()
