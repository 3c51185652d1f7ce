"""Rules about outputs by pulse width: what the module can make, dither that can be drawn, limits with room
between."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from canaleta.core.hardware.settings import FIELD_OF
from canaleta.core.model.fields import Station, field_named
from canaleta.core.model.image import PlantImage
from canaleta.core.model.module_type import FIGURES
from canaleta.core.notation.arrays import Rows
from canaleta.core.notation.text import plain_figure
from canaleta.core.rules.finding import Cell, Finding, Fix
from canaleta.core.rules.rule import report, rule

FIELDS = tuple(FIELD_OF[of] for of in FIGURES)
PERIODS_A_DITHER = 5.0
"""A tremble is drawn by the pulses: with fewer of them in its period it is not the tremble that was asked for."""


@rule(
    "R69",
    "pulses that the output cannot make",
    "the module's manual",
    (*FIELDS, "channel", "signal"),
    severity="settle",
    harm="falsifies",
    looks="frequency, dither and limits of an output by pulse width against what its module takes",
)
def cannot_make(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """A frequency, a dither or a duty beyond what the module takes: it is not written, and the module does its
    own."""
    rows = rows[image.landed[rows] & np.any([image.filled(name)[rows] for name in FIELDS], axis=0)]
    for row in rows.tolist():
        kind = image.layout.type_of(int(image.module[row]))
        for of in FIGURES:
            name = FIELD_OF[of]
            figure, setting = float(image.number(name)[row]), kind.setting_of(of)
            if np.isnan(figure) or (setting and setting.least <= figure <= setting.most):
                continue
            field = field_named(name)
            text = f"{field.label} {plain_figure(figure)} {field.unit}: {kind.title} has no such setting"
            fixes: tuple[Fix, ...] = ()
            if setting:
                ends = f"{plain_figure(setting.least)} … {plain_figure(setting.most)} {field.unit}"
                text = f"{field.label} {plain_figure(figure)} {field.unit}: {kind.title} takes {ends}"
                near = plain_figure(min(max(figure, setting.least), setting.most))
                fixes = (Fix(f"{near} {field.unit}", ((Cell(int(image.ids[row]), name), near),)),)
            yield report(image, "R69", [row], Station.INPUT, text, (name, "channel"), fixes=fixes)


@rule(
    "R70",
    "dither too fast for its pulses",
    "a period is drawn by several pulses, or it is another",
    ("pwm_hz", "dither_hz"),
    severity="settle",
    harm="falsifies",
    looks="the dither of an output by pulse width against how often it switches",
)
def dither_too_fast(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """A valve that is meant to tremble and is only hummed at."""
    dither, pulses = image.number("dither_hz")[rows], image.number("pwm_hz")[rows]
    for at in np.flatnonzero(dither * PERIODS_A_DITHER > pulses).tolist():
        text = (
            f"dither at {plain_figure(float(dither[at]))} Hz with pulses at {plain_figure(float(pulses[at]))} Hz: "
            f"{plain_figure(round(float(pulses[at] / dither[at]), 1))} pulses in each period, five at least draw it"
        )
        yield report(image, "R70", [int(rows[at])], Station.INPUT, text, ("dither_hz", "pwm_hz"))


@rule(
    "R71",
    "no room between the duties",
    "the least is below the most",
    ("least_duty", "most_duty"),
    severity="settle",
    harm="falsifies",
    looks="the least and the most duty of an output by pulse width",
)
def no_room(image: PlantImage, rows: Rows) -> Iterator[Finding]:
    """A least duty at or above the most: whatever is asked for, one figure is given."""
    least, most = (
        np.nan_to_num(image.number(name)[rows], nan=end) for name, end in (("least_duty", 0.0), ("most_duty", 100.0))
    )
    for at in np.flatnonzero(least >= most).tolist():
        text = f"the least duty is {plain_figure(float(least[at]))} % and the most {plain_figure(float(most[at]))} %"
        yield report(image, "R71", [int(rows[at])], Station.INPUT, text, ("least_duty", "most_duty"))
