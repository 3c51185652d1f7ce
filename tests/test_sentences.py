"""Nothing decides on the words of a message: with every sentence of the core and of the lists reworded, all is as
before."""

import json
import os
import subprocess
import sys
from pathlib import Path
from typing import Any

ROOT = Path(__file__).parents[1]


def told(*options: str) -> Any:
    paths = os.pathsep.join([str(ROOT), *(p for p in sys.path if p)])
    done = subprocess.run(
        [sys.executable, "-m", "tests.building.reworded", *options],
        env=os.environ | {"PYTHONPATH": paths},
        capture_output=True,
        text=True,
        check=True,
    )
    return json.loads(done.stdout)


def test_other_sentences_decide_nothing_else() -> None:
    plain, reworded = told(), told("--reworded")
    assert plain.pop("reworded") == 0
    assert reworded.pop("reworded") > 700, "sentences there are in the code"
    report = list(zip(plain.pop("report"), reworded.pop("report"), strict=True))
    assert sum(one != other for one, other in report) > 0.95 * len(report), "what is said is worded otherwise"
    assert {name for name in plain if plain[name] != reworded[name]} == set()
    assert min(len(plain[name]) for name in ("findings", "faults", "fits", "advice")) > 100
