"""Rows and sections of facts, and how their figures are written."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np

from canaleta.core.model.fields import Station
from canaleta.core.notation.text import shown
from canaleta.core.path.joints.base import PathRows, decimals_for

__all__ = ["Row", "Section", "Tone", "first", "of_value", "significant"]

Tone = Literal["", "settle", "bad"]


@dataclass(frozen=True)
class Row:
    """One line: what it is, its figure with unit, what it rests on, and whether something is wrong."""

    label: str
    figure: str
    basis: str = ""
    tone: Tone = ""


@dataclass(frozen=True)
class Section:
    """Rows under a title, at the station they belong to. verdict: the one thing to take away, with its tone.

    of_loop: whether it judges the current loop; margin_v: the volts that its verdict is about, where it is about
    some.
    """

    station: Station
    title: str
    rows: tuple[Row, ...]
    verdict: str = ""
    tone: Tone = ""
    of_loop: bool = False
    margin_v: float | None = None


def first(array: np.ndarray) -> float:
    """The figure of the one row."""
    return float(array[0])


def significant(value: float, digits: int = 4) -> str:
    """A figure with so many significant digits, no exponent."""
    if not np.isfinite(value) or value == 0:
        return shown(value, 0)
    return shown(value, max(0, digits - 1 - int(np.floor(np.log10(abs(value))))))


def of_value(p: PathRows, value: float, more: int = 0) -> str:
    """A value with its unit, in the point's decimals."""
    span = first(p.number("value_high")) - first(p.number("value_low"))
    typed = first(p.number("value_decimals"))
    decimals = decimals_for(span) if np.isnan(typed) else int(typed)
    return f"{shown(value, decimals + more)} {p.text('value_unit')}".rstrip()
