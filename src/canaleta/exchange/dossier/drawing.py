"""A circuit's drawing on paper: the shapes by the PDF library's own reader of SVG, the words in the page's face."""

from __future__ import annotations

import io
from xml.etree import ElementTree as ET

from canaleta.exchange.pages import Page

__all__ = ["draw_circuit"]

_SVG = "{http://www.w3.org/2000/svg}"
_INK, _QUIET, _BAD, _COPPER = "#1d1c1a", "#6b675f", "#a3150f", "#9a4a1f"
_SHAPES = {
    "c": {"fill": "none", "stroke": _INK, "stroke-width": "2"},
    "box": {"fill": "#ffffff", "stroke": _INK, "stroke-width": "1.5"},
    "thin": {"fill": "none", "stroke": _QUIET, "stroke-width": "1", "stroke-dasharray": "5 3"},
    "a": {"fill": _COPPER},
}
_WORDS = {"": (12.0, "", 20), "q": (11.0, "", 105), "m": (13.0, "B", 20), "bad": (12.0, "B", 20)}
"""Of each class of words: size in the drawing's units, weight, shade of grey."""


def draw_circuit(page: Page, svg: str, alt: str) -> None:
    """Draw a circuit over the page's width, where the page stands; on the next page where there is no room for it. alt: words
    that stand for it."""
    root = ET.fromstring(svg)
    _, _, width, height = (float(x) for x in root.attrib["viewBox"].split())
    scale = page.epw / width
    if page.will_page_break(height * scale):
        page.add_page()
    left, top = page.l_margin, page.y
    words = [element for element in root if element.tag == f"{_SVG}text"]
    for element in [*words, *(e for e in root if e.tag == f"{_SVG}style")]:
        root.remove(element)
    for element in root:
        element.attrib.update(_SHAPES.get(element.attrib.pop("class", ""), {}))
    root.attrib |= {"width": str(width), "height": str(height)}
    ET.register_namespace("", _SVG[1:-1])
    with page.drawing(alt):
        page.image(io.BytesIO(ET.tostring(root)), x=left, y=top, w=page.epw, h=height * scale)
        for element in words:
            size, weight, grey = _WORDS[element.attrib.get("class", "")]
            page.set_font("plex-latin", weight, size * scale * page.k)
            page.set_text_color(grey)
            text = (element.text or "").replace("■", "•")
            x = left + float(element.attrib["x"]) * scale
            ends = {"end": 1.0, "middle": 0.5}.get(element.attrib.get("text-anchor", ""), 0.0)
            long = page.get_string_width(text)
            # The library sets a line three tenths of its size below the middle of its cell.
            page.set_xy(x - ends * long, top + float(element.attrib["y"]) * scale - 0.8 * page.font_size)
            page.cell(long, page.font_size, text)
    page.set_y(top + height * scale + 2)
