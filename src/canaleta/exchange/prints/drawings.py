"""Documents that are drawings: loop sheets with their circuit, and cabinets as they stand. Lines and letters, no pictures of
them: they stay sharp at any size, and can be searched."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from xml.etree.ElementTree import Element

import numpy as np
from defusedxml.ElementTree import fromstring

from canaleta.core.model.fields import field_named
from canaleta.core.model.image import PlantImage
from canaleta.core.notation.arrays import Rows
from canaleta.core.wiring.circuit import circuit_of
from canaleta.core.wiring.circuit_drawing import drawn
from canaleta.core.wiring.hookup import hookup_of
from canaleta.exchange.pages import THIN
from canaleta.exchange.prints.paper import About, Framed, Paper, Told

__all__ = ["elevations", "loop_sheets"]

_QUIET = {"q": 95, "thin": 120}


def loop_sheets(
    image: PlantImage, rows: Rows, about: About, paper: Paper, told: Told, issued: PlantImage | None = None
) -> Framed:
    """A sheet a point: what it is from the pipe to the value, its circuit drawn, what a meter reads. issued: the list as it was
    issued last; what changed since stands below the head."""
    page = Framed(about, "loop sheets", paper)
    for count, row in enumerate(rows.tolist()):
        page.add_page()
        _loop(page, image.only(np.array([row])), _changed(image, row, issued), about.issue)
        told((count + 1) / max(1, len(rows)))
    if not len(rows):
        page.add_page()
        page.words("no points")
    return page


_FACTS = (
    ("service", "service"), ("area", "area"), ("signal", "signal"), ("wires", "wires"), ("channel", "channel"), ("mode", "mode"),
    ("filter", "filter"), ("cable", "cable"), ("cores", "cores"), ("strip", "strip"), ("screen", "screen"), ("supply", "supply"),
    ("trips", "trips"), ("value_law", "law"), ("notes", "notes"),
)  # fmt: skip


def _changed(image: PlantImage, row: int, issued: PlantImage | None) -> tuple[str, ...]:
    """What is not as it was issued, in words: none where nothing was issued."""
    if issued is None:
        return ()
    point = int(image.ids[row])
    if not issued.has(point):
        return ("new",)
    was = issued.row_of(point)
    return tuple(
        f"{field_named(name).label} “{now}”, was “{old}”"
        for name in image.cells
        if field_named(name).stored and (now := image.text(name, row)) != (old := issued.text(name, was))
    )


def _since(page: Framed, changed: Sequence[str], issue: str) -> None:
    """A bar at the margin, as in tables, and the words beside it."""
    top = page.y
    page.words(f"since issue {issue}: {'; '.join(changed)}", 8, bold=True)
    page.set_fill_color(60)
    page.rect(page.l_margin - 3, top, 1.2, page.y - top, style="F")


def _loop(page: Framed, image: PlantImage, changed: Sequence[str], issue: str) -> None:
    page.words(image.label(0), 16, bold=True)
    if changed:
        _since(page, changed, issue)
    page.ln(1)
    facts = [(label, text) for name, label in _FACTS if (text := image.text(name, 0))]
    for station, label in (("process", "process"), ("device", "device"), ("value", "value")):
        low, high = (
            image.text(f"{station}_{end}", 0) if f"{station}_low" in image.cells else "" for end in ("low", "high")
        )
        if low or high:
            unit = image.text(f"{station}_unit", 0) if f"{station}_unit" in image.cells else ""
            facts.append((f"{label} range", f"{low or '?'} to {high or '?'} {unit}".strip()))
    limits = [
        f"{level.upper()} {text}" for level in ("hh", "h", "l", "ll") if (text := image.text(f"alarm_{level}", 0))
    ]
    if limits:
        facts.append(("alarms", "  ".join(limits)))
    _facts(page, facts)
    circuit = circuit_of(image, 0)
    if circuit is None:
        page.words("it holds no channel or has no signal yet: there is no circuit to draw")
        return
    draw_svg(page, drawn(circuit), f"circuit of {image.label(0)}, from the device to its channel")
    hookup = hookup_of(image, 0, circuit)
    for reading in hookup.readings:
        page.words(f"{reading.meter}, {reading.where}: {reading.healthy}", 8)
    page.words(f"calibrator: {hookup.calibrator}", 8)


def _facts(page: Framed, facts: list[tuple[str, str]]) -> None:
    """Words and what they say, in two columns."""
    half = (len(facts) + 1) // 2
    width, top = page.epw / 2, page.y
    lowest = top
    for column, some in enumerate((facts[:half], facts[half:])):
        page.set_y(top)
        for label, text in some:
            with page.tagged("P"):
                page.set_x(page.l_margin + column * width)
                page.set_font("plex-latin", size=7)
                page.set_text_color(95)
                page.cell(24, 4.4, label)
                page.set_text_color(20)
                page.set_font("plex-latin", size=8.5)
                for k, line in enumerate(page.broken(text.translate(THIN), width - 28, most=3)):
                    if k:
                        page.ln(4)
                        page.set_x(page.l_margin + column * width + 24)
                    page.cell(width - 28, 4.4, line)
                page.ln(4.6)
        lowest = max(lowest, page.y)
    page.set_y(lowest + 2)


def draw_svg(page: Framed, svg: str, alt: str) -> None:
    """One of our own drawings (core/wiring/circuit_drawing.py) on a page, as lines and letters: rectangles, circles, paths of
    straight pieces and texts are all that it has. alt: words that stand for it."""
    root = fromstring(svg)
    _, _, wide, high = (float(x) for x in root.attrib["viewBox"].split())
    room = page.h - page.y - 32
    scale = min(page.epw / wide, room / high) if room > 40 else page.epw / wide
    if page.y + high * scale > page.h - 26:
        page.add_page()
        scale = min(page.epw / wide, (page.h - page.y - 32) / high)
    with page.drawing(alt):
        _draw(page, root, page.l_margin, page.y, scale)
    page.set_xy(page.l_margin, page.y + high * scale + 3)


def _draw(page: Framed, root: Element, left: float, top: float, scale: float) -> None:
    for element in root:
        kind, a = element.tag.rpartition("}")[2], element.attrib
        style = a.get("class", "")
        grey = _QUIET.get(style, 25)
        page.set_draw_color(grey)
        page.set_line_width(0.3 if style == "c" else 0.2)
        if kind == "rect":
            page.rect(
                left + float(a["x"]) * scale,
                top + float(a["y"]) * scale,
                float(a["width"]) * scale,
                float(a["height"]) * scale,
            )
        elif kind == "circle":
            r = float(a["r"]) * scale
            page.circle(left + float(a["cx"]) * scale, top + float(a["cy"]) * scale, r)
        elif kind == "path":
            if style == "thin":
                page.set_dash_pattern(1.2, 0.8)
            for points in _paths(a["d"]):
                where = [(left + x * scale, top + y * scale) for x, y in points]
                if style == "a":
                    page.set_fill_color(25)
                    page.polygon(where, style="F")
                else:
                    page.polyline(where)
            page.set_dash_pattern()
        elif kind == "text":
            _text(page, element.text or "", left + float(a["x"]) * scale, top + float(a["y"]) * scale, scale, a)
    page.set_xy(left, top)


def _text(page: Framed, text: str, x: float, y: float, scale: float, a: dict[str, str]) -> None:
    style = a.get("class", "")
    size = {"q": 11, "m": 13}.get(style, 12) * scale / 0.3528
    page.set_font("plex-latin", "B" if style in ("m", "bad") else "", size)
    page.set_text_color(95 if style == "q" else 20)
    told = text.translate(THIN)
    width = page.get_string_width(told)
    anchor = a.get("text-anchor", "start")
    page.put(x - (width if anchor == "end" else width / 2 if anchor == "middle" else 0), y, told)


def _paths(d: str) -> Iterator[list[tuple[float, float]]]:
    """The pieces of a path of straight lines: M, m, L, l, H, h, V, v, z."""
    words = _words(d)
    points: list[tuple[float, float]] = []
    command, x, y = "", 0.0, 0.0
    at = 0
    while at < len(words):
        if words[at].isalpha():
            command = words[at]
            at += 1
            if command in "zZ":
                points.append(points[0])
                continue
        own = command.islower()
        if command in "Mm":
            if len(points) > 1:
                yield points
            dx, dy = float(words[at]), float(words[at + 1])
            at += 2
            x, y = (x + dx, y + dy) if own else (dx, dy)
            points = [(x, y)]
            command = "l" if own else "L"
            continue
        if command in "Ll":
            dx, dy = float(words[at]), float(words[at + 1])
            at += 2
            x, y = (x + dx, y + dy) if own else (dx, dy)
        elif command in "Hh":
            x = x + float(words[at]) if own else float(words[at])
            at += 1
        else:
            y = y + float(words[at]) if own else float(words[at])
            at += 1
        points.append((x, y))
    if len(points) > 1:
        yield points


def _words(d: str) -> list[str]:
    out, now = [], ""
    for letter in d:
        if letter.isdigit() or letter == "." or (letter == "-" and not now):
            now += letter
            continue
        if now:
            out.append(now)
        now = "-" if letter == "-" else ""
        if letter.isalpha():
            out.append(letter)
    return [*out, now] if now else out


def elevations(
    image: PlantImage, rows: Rows, about: About, paper: Paper, told: Told, issued: PlantImage | None = None
) -> Framed:
    """A sheet a cabinet: its racks as rows of modules in their slots, each with its type and how full it is. issued: the list as it
    was issued last; modules on which something lands that did not then, or no longer, are marked."""
    moved = _moved(image, issued)
    page, layout = Framed(about, "cabinet elevations", paper), image.layout
    held: dict[int, int] = {}
    for module in image.module[image.landed].tolist():
        held[module] = held.get(module, 0) + 1
    mine = {
        layout.racks[layout.modules[m].rack].cabinet for m in set(image.module[rows].tolist()) if m in layout.modules
    }
    whole = len(rows) == len(image)
    cabinets = [c for c in sorted(layout.cabinets.values(), key=lambda c: c.name) if whole or c.id in mine]
    for count, cabinet in enumerate(cabinets):
        page.add_page()
        page.words(f"{cabinet.name}  {cabinet.title}", 14, bold=True)
        page.ln(2)
        for rack in sorted((r for r in layout.racks.values() if r.cabinet == cabinet.id), key=lambda r: r.name):
            _rack(page, image, rack.id, held, moved)
        told((count + 1) / max(1, len(cabinets)))
    if not cabinets:
        page.add_page()
        page.words("there is no cabinet")
    return page


_HIGH, _WIDE = 44.0, 27.0


def _moved(image: PlantImage, issued: PlantImage | None) -> dict[int, int]:
    """{module: how many of its channels hold another point than when it was issued}."""
    if issued is None:
        return {}
    now, then = (
        {(int(of.module[row]), int(of.channel[row])): int(of.ids[row]) for row in np.flatnonzero(of.landed)}
        for of in (image, issued)
    )
    out: dict[int, int] = {}
    for at in now.keys() | then.keys():
        if now.get(at) != then.get(at):
            out[at[0]] = out.get(at[0], 0) + 1
    return out


def _rack(page: Framed, image: PlantImage, rack: int, held: dict[int, int], moved: dict[int, int]) -> None:
    layout = image.layout
    modules = layout.modules_of(rack)
    if page.will_page_break(_HIGH + 12):
        page.add_page()
    one = layout.racks[rack]
    page.words(f"rack {one.name}, {one.reached_at}", 9, bold=True)
    page.ln(1)
    each = int(page.epw // _WIDE)
    for begin in range(0, max(1, len(modules)), each):
        if begin and page.will_page_break(_HIGH + 4):
            page.add_page()
        top = page.y
        for k, module in enumerate(modules[begin : begin + each]):
            with page.tagged("P"):
                _card(
                    page,
                    image,
                    module.id,
                    page.l_margin + k * _WIDE,
                    top,
                    held.get(module.id, 0),
                    moved.get(module.id, 0),
                )
        page.set_xy(page.l_margin, top + _HIGH + 4)


def _card(page: Framed, image: PlantImage, module: int, left: float, top: float, used: int, moved: int) -> None:
    """A module's front: its slot, its type, how full it is. moved: how many of its channels changed hands."""
    layout, kind = image.layout, image.layout.type_of(module)
    page.set_draw_color(40)
    page.set_line_width(0.3)
    page.rect(left, top, _WIDE - 1, _HIGH)
    page.line(left, top + 7, left + _WIDE - 1, top + 7)
    page.set_text_color(20)
    page.set_font("plex-latin", "B", 9)
    page.put(left + 2, top + 5, "" if kind.passive else str(layout.slots[module]))
    page.set_font("plex-latin", size=7.5)
    for n, line in enumerate(page.broken(kind.title.translate(THIN), _WIDE - 5, most=3)):
        page.put(left + 2, top + 12 + n * 3.6, line)
    if moved:
        page.set_fill_color(60)
        page.rect(left, top, 1.2, _HIGH, style="F")
        page.set_font("plex-latin", "B", 7)
        page.put(left + 2, top + _HIGH - 11, f"{moved} changed")
    page.set_font("plex-latin", size=7)
    page.set_text_color(95)
    if kind.channels:
        page.put(left + 2, top + _HIGH - 3, f"{used} of {kind.channels}")
        page.set_fill_color(205)
        page.rect(left + 2, top + _HIGH - 9, (_WIDE - 5) * min(1.0, used / kind.channels), 2.4, style="F")
        page.set_line_width(0.1)
        page.rect(left + 2, top + _HIGH - 9, _WIDE - 5, 2.4)
