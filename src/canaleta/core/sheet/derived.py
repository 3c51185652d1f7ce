"""Which fields a point's choices give a meaning to, what an empty one follows, and what a changed kind replaces."""

from __future__ import annotations

from collections.abc import Iterable
from decimal import Decimal

import numpy as np

from canaleta.core.model.ambient import ambient_degc
from canaleta.core.model.fields import Field, Landing, Station, Stored
from canaleta.core.model.image import PlantImage
from canaleta.core.model.quality import Reason
from canaleta.core.model.references import asks_reference
from canaleta.core.notation.text import plain_figure
from canaleta.core.path.evaluate import describe, evaluate
from canaleta.core.path.joints.base import PathRows
from canaleta.core.path.joints.chains import CHAINS
from canaleta.core.path.joints.scaling import Scaling
from canaleta.core.signals.signal_types import Family, signal_named

__all__ = ["SCALING_POINTS", "applies", "derived_texts", "form_follows", "kind_follows", "misfits"]

_DIGITS = 12
"""Significant digits a derived figure is filled in with: more than any converter has, fewer than a float's noise."""


def applies(image: PlantImage, row: int, field: Field) -> bool:
    """Whether a field has a meaning for this point as it stands."""
    family = Family(int(image.family[row]))
    if family not in field.applies:
        return False
    signal = signal_named(image.text("signal", row))
    if field.units and (signal is None or signal.unit not in field.units):
        return False
    if field.name.endswith("_reference"):
        return bool(asks_reference(image.text(field.name.replace("_reference", "_unit"), row)))
    if field.needs and image.cells[field.needs][row] is None:
        return False
    if field.when is None:
        return True
    other, texts = field.when
    return image.text(other, row) in texts


def derived_texts(image: PlantImage, row: int) -> dict[str, str]:
    """What empty fields follow, as text: counts of the signal's ends, the other form of the scaling, conventions."""
    out = {
        "cable_mm2": f"{image.conventions.cable_mm2:g}",
        "cable_degc": f"{image.conventions.hottest_cable_degc:g}",
        "on_failure": image.conventions.on_failure,
        "value_form": "two points",
        "below": "pass",
        "above": "pass",
        "junction": "at the terminals",
        "junction_degc": f"{ambient_degc(image, np.array([row]))[0]:g}",
        "value_type": "REAL",
        "device_law": "straight line",
        "value_law": "straight line",
        "acting": "direct",
        "enabled": "yes",
    }
    if image.mode[row] < 0 or Family(int(image.family[row])) not in CHAINS:
        return out
    scaling = CHAINS[Family(int(image.family[row]))].joints[-1]
    if not isinstance(scaling, Scaling):
        return out
    p = PathRows(image, np.array([row]))
    with np.errstate(all="ignore"):
        names = ("counts_low", "counts_high", "value_low", "value_high")
        figures = dict(zip(names, scaling.point_form(p), strict=True))
        figures |= dict(zip(("slope", "offset"), scaling.slope_form(p), strict=True))
    out |= {name: _text(float(figure[0])) for name, figure in figures.items() if np.isfinite(figure[0])}
    out["value_decimals"] = str(describe(image, row)[-1].decimals)
    return out


SCALING_POINTS = ("counts_low", "counts_high", "value_low", "value_high")
_LINE = ("slope", "offset")


def form_follows(image: PlantImage, row: int, changed: dict[str, Stored]) -> dict[str, Stored]:
    """What else changes when somebody types into one form of the scaling: that form becomes the stored one.

    Its partners are filled in with what they were. The other form stays stored as it was typed, so that going back to
    it, or undo, brings every digit back.
    """
    form = image.text("value_form", row) or "two points"
    typed = {name for name, value in changed.items() if value is not None}
    if typed & set(_LINE) and form != "slope and offset":
        return _filled(image, row, _LINE, changed, anew=True) | {"value_form": "slope and offset"}
    if typed & set(SCALING_POINTS) and form != "two points":
        return _filled(image, row, SCALING_POINTS, changed, anew=True) | {"value_form": "two points"}
    if "factors" in typed and form != "factors":
        return {"value_form": "factors"}
    if changed.get("value_form") == "slope and offset":
        return _filled(image, row, _LINE, changed, anew=False)
    if changed.get("value_form") in ("two points", None) and "value_form" in changed and form != "two points":
        return _filled(image, row, SCALING_POINTS, changed, anew=False)
    return {}


def _filled(
    image: PlantImage, row: int, names: tuple[str, ...], changed: dict[str, Stored], anew: bool
) -> dict[str, Stored]:
    """The figures of a form as they are now. anew: also where that form still holds what it was typed as before."""
    derived = derived_texts(image.only(np.array([row])), 0)
    return {
        name: Decimal(derived[name])
        for name in names
        if name in derived and name not in changed and (anew or image.cells[name][row] is None)
    }


def kind_follows(image: PlantImage, row: int, becomes: str) -> dict[str, Stored]:
    """What else changes when a point's signal does: a mode that fits, and counts that follow it.

    What still applies stays; what no longer does stays stored, unseen, and is back if the old kind is chosen again.
    """
    image, row = image.only(np.array([row])), 0
    after = image.with_cells({(row, "signal"): becomes})
    out: dict[str, Stored] = {}
    landing = image.cells["channel"][row]
    if isinstance(landing, Landing) and not _fits(after, row):
        kind = image.layout.type_at(landing.module, landing.channel)
        for mode in kind.modes:
            if _fits(after.with_cells({(row, "mode"): mode.name}), row):
                out["mode"] = mode.name
                break
    if "mode" in out or signal_named(becomes) is None:
        out |= {n: None for n in ("counts_low", "counts_high") if image.cells[n][row] is not None}
    if image.text("value_law", row) == "sensor curve" and after.family[row] == Family.LINEAR:
        out["value_law"] = None
    tolerance = image.text("tolerance_class", row)
    if tolerance and after.family[row] != image.family[row]:
        out["tolerance_class"] = None
    return out


def misfits(image: PlantImage, row: int, modes: Iterable[str]) -> dict[str, str]:
    """The modes that cannot take this point's signal, each with the reason; all fit while no signal is chosen."""
    signal = signal_named(image.text("signal", row))
    landing = image.cells["channel"][row]
    if signal is None or not isinstance(landing, Landing):
        return {}
    image, row = image.only(np.array([row])), 0
    kind = image.layout.type_at(landing.module, landing.channel)
    out = {}
    for name in modes:
        mode = kind.mode_named(name)
        if mode is not None and not _fits(image.with_cells({(row, "mode"): name}), row):
            takes = mode.curve or mode.signal_unit
            out[name] = f"takes {takes}; {signal.name} gives {signal.unit if not signal.curve else signal.name}"
    return out


def _fits(image: PlantImage, row: int) -> bool:
    """Whether the point's mode takes its signal."""
    if image.mode[row] < 0:
        return False
    return not int(evaluate(image, Station.COUNTS, 0.0, np.array([row])).reasons[0]) & int(Reason.MODE_MISFIT)


def _text(figure: float) -> str:
    return plain_figure(float(f"{figure:.{_DIGITS}g}"))
