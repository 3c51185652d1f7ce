"""Sheets to be filled in by hand: a page a point, with what is put on and what must be read, and a code by which the page of the
point is found again."""

from __future__ import annotations

import io
from collections.abc import Mapping, Sequence
from typing import Any

import segno

from canaleta.exchange.pages import Page

__all__ = ["work_sheets"]

_QR_MM = 28


def work_sheets(
    plant: str, package: str, people: str, days: str, points: Sequence[Mapping[str, Any]], address: str
) -> bytes:
    """The sheets of a package as PDF. points: as they are taken along; address: of this program, for the codes."""
    page = Page()
    page.set_title(f"{plant}: {package}")
    page.foot = f"{plant} · {package} · {people} · {days}".rstrip(" ·")
    for point in points:
        _sheet(page, point, address)
    return page.packed()


def _sheet(page: Page, point: Mapping[str, Any], address: str) -> None:
    page.add_page()
    link = f"{address.rstrip('/')}/check/{point['id']}"
    code = io.BytesIO()
    segno.make(link, error="m").save(code, kind="png", scale=8, border=2)
    page.image(
        code, x=page.w - page.r_margin - _QR_MM, y=page.t_margin, w=_QR_MM, h=_QR_MM, alt_text=f"code of {link}"
    )
    page.set_right_margin(16 + _QR_MM + 4)
    page.words(str(point["tag"]), 18, bold=True)
    page.words(str(point["service"]))
    page.words(link, 8)
    page.ln(1)
    told = {
        "area": point["area"], "channel": point["channel"], "terminals": point["terminals"], "cable": point["cable"],
        "cores": point["cores"], "strip": point["strip"],
    }  # fmt: skip
    page.words(" · ".join(f"{name} {text}" for name, text in told.items() if text), 8)
    page.set_right_margin(16)
    page.set_y(max(page.y, page.t_margin + _QR_MM + 2))
    for warning in (*point["trips_told"], *point["open"]):
        page.words(f"! {warning}", 9, bold=True)
    if point["why_not"]:
        page.words(point["why_not"])
        return
    page.words(f"tolerance {point['tolerance']:g} % of span; each step once it stands still")
    page.ln(1)
    contact = point["contact"]
    head = ["% of range", "put on", "due", "seen, at" if contact else "calibrator said", "" if contact else "read"]
    rows = [[f"{s['share']:g} {s['way']}", s["signal"], s["value"], "", ""] for s in point["steps"]]
    page.grid(head, rows, [22, 34, 38, 40, 40])
    for line in ("open wire: value, quality, alarm, lamp, after s", "note", "instrument, serial, calibrated until"):
        page.words(line, 9)
        page.ln(7)
    page.words("name, day, signature", 9)
