"""Labels for terminals, wires and devices, on stock as it is bought: so many across and down, of a size, with margins. A code on
each device's label leads to the point's page."""

from __future__ import annotations

import io
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Literal

import numpy as np
import segno

from canaleta.core.model.image import PlantImage
from canaleta.core.notation.arrays import Rows
from canaleta.core.wiring.circuit import circuit_of
from canaleta.exchange.pages import THIN, Page

__all__ = ["LabelError", "LabelKind", "Stock", "labels"]

LabelKind = Literal["terminals", "wires", "devices"]
_PAGES = {"A4": (210.0, 297.0), "A3": (297.0, 420.0)}
_LEAST = (8.0, 3.5)


class LabelError(ValueError):
    """The stock cannot be: the message says why."""


@dataclass(frozen=True)
class Stock:
    """A sheet of labels, mm. across, down: how many; wide, high: of one; left, top: of the first one's corner; gap_x, gap_y:
    between two; skip: labels of the first sheet that are used already. One label a page where across and down are 1 and the
    sheet is as large as the label: for printers of rolls."""

    across: int = 3
    down: int = 8
    wide: float = 70.0
    high: float = 37.0
    left: float = 0.0
    top: float = 0.5
    gap_x: float = 0.0
    gap_y: float = 0.0
    sheet: Literal["A4", "A3", "roll"] = "A4"
    skip: int = 0

    def fits(self) -> tuple[float, float]:
        """(width, height) of a sheet, mm. Raises LabelError where the labels do not go on it."""
        if self.across < 1 or self.down < 1 or not 0 <= self.skip < self.across * self.down:
            raise LabelError("a sheet has at least one label across and down, and fewer are used than there are")
        if self.wide < _LEAST[0] or self.high < _LEAST[1]:
            raise LabelError(f"a label is at least {_LEAST[0]:g} × {_LEAST[1]:g} mm")
        if self.sheet == "roll":
            return self.wide, self.high
        width, height = _PAGES[self.sheet]
        right = self.left + self.across * self.wide + (self.across - 1) * self.gap_x
        bottom = self.top + self.down * self.high + (self.down - 1) * self.gap_y
        if right > width + 0.5 or bottom > height + 0.5:
            raise LabelError(
                f"{self.across} × {self.down} labels of {self.wide:g} × {self.high:g} mm reach to {right:g} × {bottom:g} mm, and"
                f" {self.sheet} has {width:g} × {height:g}"
            )
        return width, height


@dataclass(frozen=True)
class _Label:
    large: str
    small: str = ""
    link: str = ""


def labels(image: PlantImage, rows: Rows, kind: LabelKind, stock: Stock, address: str) -> bytes:
    """Labels as PDF. address: of this program, for the codes. Raises LabelError."""
    width, height = stock.fits()
    page = _Sheets((width, height))
    page.set_title(f"labels: {kind}")
    at, each = stock.skip, 1 if stock.sheet == "roll" else stock.across * stock.down
    made = False
    for label in _of(image, rows, kind, address):
        place = at % each
        if not made or place == 0:
            page.add_page()
        made = True
        x = 0.0 if stock.sheet == "roll" else stock.left + place % stock.across * (stock.wide + stock.gap_x)
        y = 0.0 if stock.sheet == "roll" else stock.top + place // stock.across * (stock.high + stock.gap_y)
        with page.tagged("P"):
            _draw(page, label, x, y, stock.wide, stock.high)
        at += 1
    if not made:
        raise LabelError("nothing of these points has such a label: no strip, no cable, or no tag is known")
    return page.packed()


class _Sheets(Page):
    def __init__(self, size: tuple[float, float]) -> None:
        super().__init__(paper=size)
        self.set_margins(0, 0, 0)
        self.set_auto_page_break(False)
        self.c_margin = 0.0

    def footer(self) -> None:
        """Labels have none."""


def _of(image: PlantImage, rows: Rows, kind: LabelKind, address: str) -> Iterator[_Label]:
    if kind == "devices":
        for row in rows.tolist():
            link = f"{address.rstrip('/')}/point/{image.ids[row]}"
            yield _Label(image.label(row), image.text("service", row), link)
        return
    seen: set[str] = set()
    for row in rows.tolist():
        circuit = circuit_of(image.only(np.array([row])), 0)
        for run in circuit.runs if circuit else ():
            if kind == "terminals" and run.strip is not None:
                mark = f"{run.strip.strip}:{run.strip.mark}"
                if mark not in seen:
                    seen.add(mark)
                    yield _Label(run.strip.mark, f"{run.strip.strip} {circuit.tag if circuit else ''}".strip())
            elif kind == "wires" and circuit is not None:
                # A wire has two ends, each with both of them named.
                far = str(run.strip) if run.strip else run.end
                for here, there in ((f"{circuit.tag} {run.mark}", far), (far, f"{circuit.tag} {run.mark}")):
                    yield _Label(here, f"to {there}")


def _draw(page: Page, label: _Label, x: float, y: float, wide: float, high: float) -> None:
    pad = min(2.0, wide * 0.06, high * 0.12)
    inner = wide - 2 * pad
    if label.link and high >= 15 and wide >= 30:
        side = min(high - 2 * pad, wide * 0.4)
        code = io.BytesIO()
        segno.make(label.link, error="m").save(code, kind="png", scale=6, border=1)
        page.image(code, x=x + wide - pad - side, y=y + (high - side) / 2, w=side, h=side, alt_text=label.link)
        inner -= side + pad
    large = _fitted(
        page, label.large.translate(THIN), inner, min(high * (0.45 if label.small else 0.7), 9.0), bold=True
    )
    lines = [(label.large.translate(THIN), large, True)]
    if label.small and high >= 6:
        small = _fitted(page, label.small.translate(THIN), inner, min(high * 0.26, 4.0), bold=False)
        lines.append((label.small.translate(THIN), small, False))
    total = sum(size * 1.15 for _, size, _ in lines)
    at = y + (high - total) / 2
    for text, size, bold in lines:
        page.set_font("plex-latin", "B" if bold else "", size / 0.3528)
        page.set_text_color(0)
        page.put(x + pad, at + size * 0.95, _cut(page, text, inner))
        at += size * 1.15


def _fitted(page: Page, text: str, width: float, most: float, *, bold: bool) -> float:
    """The size, mm, at which a text goes into a width; it is never smaller than can be read."""
    page.set_font("plex-latin", "B" if bold else "", most / 0.3528)
    real = page.get_string_width(text) or 1.0
    return max(1.5, min(most, most * width / real))


def _cut(page: Page, text: str, width: float) -> str:
    if page.get_string_width(text) <= width:
        return text
    while text and page.get_string_width(f"{text}…") > width:
        text = text[:-1]
    return f"{text}…"
