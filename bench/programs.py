"""What generated code costs: 50,000 points generated, every count of 1,000 16-bit channels proved.

PYTHONPATH=src .venv/bin/python bench/programs.py        writes bench/results-programs.txt
"""

from __future__ import annotations

import resource
import time
from pathlib import Path

import numpy as np

from canaleta.catalogue.demo import demo_plant, generated, layout_of
from canaleta.core.model.image import PlantImage
from canaleta.core.program.project import check_project
from canaleta.core.program.proof import prove, summary
from canaleta.core.program.unit import BLOCKS_FILE, generate_all, scopes_of
from canaleta.exchange.program_files import LANGUAGES, blocks_of, program_files
from canaleta.plant.changes.seed import stored_row

POINTS, CHANNELS = 50_000, 1_000
GENERATE_S, PROVE_S = 30.0, 60.0


def image_of(points: int) -> PlantImage:
    document = generated(points) if points else demo_plant()
    layout = layout_of(document)
    empty = PlantImage.of_rows([{}], layout)
    return PlantImage.of_rows([stored_row(empty, {n: t for n, t in p.items() if t}) for p in document.points], layout)


def main() -> None:
    lines = []

    def told(what: str, figure: str, budget: str = "") -> None:
        lines.append(f"{what:<72}{figure:>16}{budget:>20}")
        print(lines[-1])

    image = image_of(POINTS)
    began = time.perf_counter()
    units = generate_all(image, [s for s in scopes_of(image) if s.kind == "cabinet"])
    took = time.perf_counter() - began
    count = sum(len(u.codes) for u in units)
    told(
        f"{count} points generated as structured text, {len(units)} programs",
        f"{took:.1f} s",
        f"budget {GENERATE_S:g} s",
    )
    began = time.perf_counter()
    files = program_files(units[:10], LANGUAGES, "bench")
    told("ten of those programs as ST, PLCopen XML, C99 and CSV", f"{time.perf_counter() - began:.1f} s")
    told("characters of structured text", f"{sum(len(u.text) for u in units) / 1e6:.1f} M")
    told("of it the C99 of ten programs", f"{sum(len(t) for n, t in files.items() if n.endswith('.c')) / 1e6:.1f} M")

    done, words, spent, bad = 0, 0, 0.0, 0
    for unit in units:
        some = [c.point for c in unit.codes if c.kind == "AI" and c.channel.form.bits == 16][: CHANNELS - done]
        if not some:
            continue
        began = time.perf_counter()
        proof = prove(image, unit, only=some, timing=False)
        spent += time.perf_counter() - began
        total = summary([proof])
        done, words, bad = done + len(some), words + total["words"], bad + total["points"] - total["proved"]
        if done >= CHANNELS:
            break
    told(
        f"every count of {done} 16-bit channels proved, {words / 1e6:.1f} M words, {bad} not right",
        f"{spent:.1f} s",
        f"budget {PROVE_S:g} s",
    )
    unit = units[0]
    began = time.perf_counter()
    through_time = prove(image, unit, only=[c.point for c in unit.codes][:100])
    told(
        f"{len(through_time.points)} points with 48 sequences of 160 scans or more each as well",
        f"{time.perf_counter() - began:.1f} s",
    )
    began = time.perf_counter()
    check_project(image, {unit.file: unit.text, BLOCKS_FILE: blocks_of([unit])})
    told(f"a project of {len(unit.codes)} points held against the list", f"{time.perf_counter() - began:.1f} s")
    told("memory at most", f"{resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024:.0f} MB")
    told("points of the plant without code", f"{sum(len(u.refused) for u in units)}")
    Path(__file__).with_name("results-programs.txt").write_text("\n".join(lines) + "\n", encoding="utf-8")


if __name__ == "__main__":
    np.seterr(all="ignore")
    main()
