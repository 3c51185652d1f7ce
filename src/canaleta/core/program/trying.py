"""Trying a point's generated code on a timing strip, scan by scan, before anything is set."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from canaleta.core.model.fields import Station
from canaleta.core.model.image import PlantImage
from canaleta.core.notation.arrays import Floats, States
from canaleta.core.path.evaluate import evaluate
from canaleta.core.program.points import PointCode, Refusal, codes_of, target_of
from canaleta.core.program.proof import Run, read_back
from canaleta.core.program.unit import Scope, unit_of
from canaleta.core.signals.signal_types import Family

__all__ = ["Tried", "tried"]


@dataclass(frozen=True)
class Tried:
    """What the code makes of a train, (k,): state and band -1 where it has none, value and counted NaN. lines: the code."""

    state: States
    band: States
    value: Floats
    counted: Floats
    lines: tuple[str, ...]


def tried(image: PlantImage, given: Sequence[tuple[float, float]], times: Floats) -> Tried | Refusal:
    """The code of the one point of an image. given: (s, level) from when on which level stands, as core.live.timing.strip takes
    it; times: of the scans, s."""
    if len(times) > 1:
        # A filter takes its share for the period of the task: here that is the strip's.
        rule = image.conventions.program.model_copy(update={"scan_ms": max(0.1, float(times[1] - times[0]) * 1000.0)})
        image = image.with_conventions(image.conventions.model_copy(update={"program": rule}))
    codes, refused = codes_of(image)
    if not codes:
        return refused[0]
    code = codes[0]
    unit = unit_of(image, Scope("point", code.tag, "Tried"), codes)
    back = read_back(unit.text, unit.blocks, "Tried")
    run = Run(back, target_of(image), code)
    run.fresh()
    begins, levels = np.array([at for at, _ in given]), np.array([level for _, level in given])
    words = _words(image, code, levels)
    failed = np.isnan(levels)
    place = np.clip(np.searchsorted(begins, times + 1e-9, side="right") - 1, 0, len(levels) - 1)
    have = {name for name, _, _ in code.network.variables}
    of_state = code.name if code.kind[0] == "D" else f"{code.name}_On"
    bands = [name for k in range(64) if (name := f"{code.name}_B{k}") in have]
    state, band = np.full(len(times), -1, dtype=np.int8), np.full(len(times), -1, dtype=np.int8)
    value, counted = np.full(len(times), np.nan), np.full(len(times), np.nan)
    for k, moment in enumerate(times.tolist()):
        if code.fault:
            run.given(code.fault, failed[place[k]])
        run.at(words[place[k]], round(moment * 1000.0))
        if of_state in have:
            state[k] = run.state(of_state, 1)[0]
        if code.kind[0] == "A":
            value[k] = run.value(code.name, 1)[0]
        if f"{code.name}_Num" in have:
            counted[k] = run.value(f"{code.name}_Num", 1)[0]
        lit = [n for n, name in enumerate(bands) if run.state(name, 1)[0]]
        band[k] = lit[0] if lit else -1
    lines = tuple(line for n, line in enumerate(unit.text.splitlines(), start=1) if n in unit.point_of)
    return Tried(state, band, value, counted, lines)


def _words(image: PlantImage, code: PointCode, levels: Floats) -> Sequence[object]:
    """What stands in the channel at each level: of a failed signal, what is read where nothing is on the wires."""
    rows = np.zeros(len(levels), dtype=np.int64)
    contact = image.family[0] == Family.CONTACT
    failed = np.isnan(levels)
    station = Station.DEVICE if contact else Station.VALUE
    counts = evaluate(image, station, np.nan_to_num(levels), rows).at(Station.COUNTS)
    nothing = evaluate(image, Station.LOOP, 0.0, rows).at(Station.COUNTS)
    counts = np.nan_to_num(np.where(failed, nothing, counts))
    if contact:
        return list(counts > 0.5)
    form = code.channel.form
    pairs = form.words_of(np.clip(np.rint(counts) if form.kind == "whole" else counts, form.least, form.most))
    if form.bits == 16:
        words = pairs[:, 0]
        return list(words.view(np.int16) if code.raw_type == "INT" else words)
    raw = (pairs[:, 0].astype(np.uint32) << np.uint32(16)) | pairs[:, 1]
    return list(
        raw.view(np.int32) if code.raw_type == "DINT" else raw.view(np.float32) if code.raw_type == "REAL" else raw
    )
