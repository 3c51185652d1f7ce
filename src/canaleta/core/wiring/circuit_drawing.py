"""A circuit as a drawing: device at the left, cable, strip, hops, module at the right; one line a core. SVG text.

Cores are drawn in one neutral colour with their colour named, so that a red core is no alarm; the current has arrows.
The figures are ours; every text is escaped. The drawing takes its colours from variables of the page it stands in and
is black on white by itself, for paper.
"""

from __future__ import annotations

from xml.sax.saxutils import escape, quoteattr

from canaleta.core.wiring.circuit import Circuit, Run

__all__ = ["drawn"]

STEP, TOP, WIDTH = 56, 62, 960
RAIL = 596
DEVICE, CABLE, STRIP, HOPS, MODULE = (16, 176), (190, 410), (430, 500), (520, 716), (740, 944)
_STYLE = """
.c{fill:none;stroke:var(--draw-ink,#1d1c1a);stroke-width:2}.box{fill:var(--draw-paper,#fff);stroke:var(--draw-ink,#1d1c1a);stroke-width:1.5}
.thin{fill:none;stroke:var(--draw-quiet,#6b675f);stroke-width:1;stroke-dasharray:5 3}.a{fill:var(--draw-copper,#9a4a1f)}
text{fill:var(--draw-ink,#1d1c1a);font:12px 'IBM Plex Sans',sans-serif}.q{fill:var(--draw-quiet,#6b675f);font-size:11px}
.m{font:600 13px 'IBM Plex Mono',monospace}.bad{fill:var(--draw-bad,#a3150f);font-weight:600}
"""


def drawn(circuit: Circuit) -> str:
    """The circuit as an SVG document."""
    rows = len(circuit.runs) + len(circuit.links) + len(circuit.unused)
    height = TOP + max(rows, 2) * STEP + (36 if circuit.screen else 24) + 22 * (1 + len(circuit.faults))
    foot = TOP + max(rows, 2) * STEP
    out = [
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {WIDTH} {height}" role="img" '
        f"aria-label={quoteattr(_said(circuit))}><style>{_STYLE}</style>",
        _text(16, 22, circuit.tag, "m"),
        _text(16, 40, circuit.device, "q"),
        _text(CABLE[0], 22, circuit.runs[0].cable if circuit.runs else "", "m"),
        _text(STRIP[0] - 4, 22, "strip" if any(r.strip for r in circuit.runs) else "", "q"),
        _text(HOPS[0], 22, "in the loop" if circuit.hops else "", "q"),
        _text(MODULE[0], 22, circuit.module, "m"),
        _text(MODULE[0], 40, circuit.channel, "q"),
        _box(DEVICE[0], TOP - 14, DEVICE[1], TOP + max(1, len(circuit.runs)) * STEP - 18),
        _box(MODULE[0], TOP - 14, MODULE[1], foot + 10),
    ]
    loaded = _loaded(circuit)
    for k, run in enumerate(circuit.runs):
        out += _core(run, TOP + 8 + k * STEP, circuit.hops if k == loaded else ())
    for k, (mark, role, to) in enumerate(circuit.links, start=len(circuit.runs)):
        out += _link(TOP + 8 + k * STEP, mark, role, to if to not in _marks(circuit) else "")
    for k, (mark, role) in enumerate(circuit.unused, start=len(circuit.runs) + len(circuit.links)):
        out += _terminal(TOP + 8 + k * STEP, mark, f"{role}, not used")
    out += _bridges(circuit)
    if circuit.inside:
        out.append(_text(MODULE[0] + 14, foot + 4, f"inside: {circuit.inside}", "q"))
    if circuit.screen:
        out += _screen(circuit.screen, foot - 4)
    y = height - 12 - 22 * len(circuit.faults)
    state = "does not close" if circuit.faults else "closes" if circuit.closes else "not known whether it closes"
    out.append(_text(16, y, f"{state}; source: {circuit.source}", "q"))
    out += [_text(16, y + 22 * (k + 1), f"■ {fault}", "bad") for k, fault in enumerate(circuit.faults)]
    return "".join(out) + "</svg>"


def _said(circuit: Circuit) -> str:
    """The drawing in words, for those who do not see it."""
    cores = "; ".join(
        f"{r.mark} by {r.cable or 'a core'} {r.number or ''} {r.colour} to {r.strip.name + ', ' if r.strip else ''}"
        + (f"terminal {r.terminal}, {r.role}" if r.terminal else r.role)
        for r in circuit.runs
    )
    marks = _marks(circuit)
    links = "".join(
        f" Terminal {m}, {role}: to {'terminal ' if to in marks else ''}{to}." for m, role, to in circuit.links
    )
    return f"{circuit.tag}, {circuit.device}: {cores}. {circuit.words}.{links}"


def _marks(circuit: Circuit) -> set[str]:
    return {run.terminal for run in circuit.runs if run.terminal}


def _loaded(circuit: Circuit) -> int:
    """The core that the hops of the loop are drawn in: the one the current comes back by, of three that of the
    signal."""
    by = [run.duty == "signal" if len(circuit.runs) > 2 else run.flows == "to module" for run in circuit.runs]
    return by.index(True) if True in by else 0


def _core(run: Run, y: int, hops: tuple[str, ...]) -> list[str]:
    out = [
        f'<path class="c" d="M{DEVICE[1]} {y}H{MODULE[0] if run.terminal else RAIL}"/>',
        _text(DEVICE[1] - 12, y + 4, run.mark, "m", "end"),
    ]
    label = " ".join(
        part for part in (str(run.number or ""), run.colour if run.colour != str(run.number) else "") if part
    )
    out.append(_text(CABLE[0] + 20, y - 6, label or "core not said", "" if label else "q"))
    if run.basis:
        out.append(_text(CABLE[0] + 20, y + 15, run.basis, "q"))
    if run.flows:
        out.append(_arrow(CABLE[1] - 16, y, right=run.flows == "to module"))
    if run.strip:
        out += _strip(run, y)
    if hops:
        width = (HOPS[1] - HOPS[0]) / len(hops)
        for k, hop in enumerate(hops):
            x = HOPS[0] + k * width
            out += [
                f'<rect class="box" x="{x:.0f}" y="{y - 9}" width="{width - 8:.0f}" height="18"/>',
                _text(x + width / 2 - 4, y + 4, hop[: int(width / 6)], "q", "middle"),
            ]
    return out + (_terminal(y, run.terminal, run.role) if run.terminal else _rail(RAIL, y, run.role))


def _rail(x: int, y: int, name: str) -> list[str]:
    """The end of a wire at something that is no terminal of the module: a bar with its name."""
    return [f'<path class="c" d="M{x} {y - 11}v22"/>', _text(x + 8, y + 4, name)]


def _link(y: int, mark: str, role: str, rail: str) -> list[str]:
    """A terminal with a wire in the cabinet: to a rail, or to another terminal by a bridge drawn elsewhere."""
    if not rail:
        return _terminal(y, mark, role)
    x = MODULE[0] - 30
    return [
        f'<path class="c" d="M{MODULE[0]} {y}H{x}M{x} {y - 11}v22"/>',
        _text(x - 8, y + 4, rail, "", "end"),
        *_terminal(y, mark, role),
    ]


def _strip(run: Run, y: int) -> list[str]:
    """A strip terminal by what it is: a blade that opens, a wire in a tube that blows, a socket for a plug."""
    assert run.strip is not None, "only called with one"
    x = (STRIP[0] + STRIP[1]) // 2
    out = [
        f'<rect class="box" x="{x - 17}" y="{y - 10}" width="34" height="20" rx="2"/>',
        _text(x, y - 14, run.strip.name, "m", "middle"),
    ]
    if run.strip.kind == "knife":
        out.append(f'<path class="c" d="M{x - 12} {y}h4l16 -7M{x + 8} {y}h5"/>')
    elif run.strip.kind == "fuse":
        out.append(f'<path class="c" d="M{x - 12} {y}q6 -9 12 0t12 0"/>')
    elif run.strip.kind == "test":
        out.append(f'<path class="c" d="M{x - 13} {y}h26"/><circle class="box" cx="{x}" cy="{y}" r="4"/>')
    else:
        out.append(f'<path class="c" d="M{x - 13} {y}h26"/>')
    if run.strip.kind != "plain":
        out.append(_text(x, y + 22, run.strip.kind, "q", "middle"))
    return out


def _terminal(y: int, mark: str, role: str) -> list[str]:
    x = MODULE[0]
    return [
        f'<circle class="box" cx="{x}" cy="{y}" r="6"/><path class="c" d="M{x - 4} {y + 4}l8 -8"/>',
        _text(x + 14, y + 1, mark, "m"),
        _text(x + 14, y + 16, role, "q"),
    ]


def _bridges(circuit: Circuit) -> list[str]:
    """Shunts and jumpers between two terminals, just outside the module."""
    marks = [r.terminal for r in circuit.runs] + [m for m, _, _ in circuit.links] + [m for m, _ in circuit.unused]
    place = {mark: TOP + 8 + k * STEP for k, mark in enumerate(marks) if mark}
    out = []
    shunts = [(*across, True) for across in circuit.across]
    jumpers = [(mark, to, "jumper", False) for mark, _, to in circuit.links]
    for a, b, says, resists in (*shunts, *jumpers):
        if a in place and b in place:
            top, bottom = sorted((place[a], place[b]))
            x, middle = MODULE[0] - 26, (top + bottom) // 2
            out.append(f'<path class="c" d="M{MODULE[0] - 6} {top}H{x}V{bottom}H{MODULE[0] - 6}"/>')
            if resists:
                out.append(f'<rect class="box" x="{x - 6}" y="{middle - 13}" width="12" height="26"/>')
            out.append(_text(x - 12, middle + 4, says, "", "end"))
    return out


def _screen(where: str, y: int) -> list[str]:
    left, right = CABLE[0], STRIP[0] - 10
    out = [f'<path class="thin" d="M{left} {y}H{right}"/>', _text(left + 20, y + 16, f"screen, earthed {where}", "q")]
    for x, ends in ((right, ("at the cabinet", "at both ends")), (left, ("at the device", "at both ends"))):
        if where in ends:
            out.append(f'<path class="c" d="M{x} {y}v8m-9 0h18m-14 4h10m-7 4h4"/>')
    return out


def _arrow(x: int, y: int, *, right: bool) -> str:
    tip = 9 if right else -9
    return f'<path class="a" d="M{x} {y - 5}l{tip} 5l{-tip} 5z"/>'


def _box(left: int, top: int, right: int, bottom: int) -> str:
    return f'<rect class="box" x="{left}" y="{top}" width="{right - left}" height="{bottom - top}" rx="3"/>'


def _text(x: float, y: float, text: str, kind: str = "", anchor: str = "") -> str:
    if not text:
        return ""
    place = f' text-anchor="{anchor}"' if anchor else ""
    style = f' class="{kind}"' if kind else ""
    return f'<text x="{x:.0f}" y="{y:.0f}"{style}{place}>{escape(text)}</text>'
