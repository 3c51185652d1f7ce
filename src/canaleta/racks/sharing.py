"""Which racks go together to one agent: those of one line, or two would ask it at once and hear each other's answers."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence

from canaleta.core.model.layout import Layout
from canaleta.core.model.links import in_turn

__all__ = ["bundles", "over_share", "to_take"]


def bundles(layout: Layout) -> dict[int, tuple[int, ...]]:
    """{the first rack of a line: all of them}, in their order; a rack with a connection of its own is alone."""
    of_line: dict[tuple[str, str], int] = {}
    out: dict[int, list[int]] = {}
    for rack in sorted(layout.racks.values(), key=lambda r: r.id):
        lead = rack.id
        if in_turn(rack.link):
            lead = of_line.setdefault((rack.link, rack.reached_at), rack.id)
        out.setdefault(lead, []).append(rack.id)
    return {lead: tuple(racks) for lead, racks in out.items()}


def to_take(together: Mapping[int, Sequence[int]], held: Collection[int], share: int) -> list[int]:
    """Racks that one may try to take, in their order: the rest of a line that one has, whatever the share; then lines
    and racks that are free, as long as there is room. The first of a line stands for all of it."""
    out = [rack for lead, racks in together.items() if lead in held for rack in racks if rack not in held]
    room = share - len(held) - len(out)
    for lead, racks in together.items():
        if lead not in held and room > 0:
            out.append(lead)
            room -= len(racks)
    return out


def over_share(together: Mapping[int, Sequence[int]], held: Collection[int], share: int) -> list[int]:
    """Racks to let go: those of a line that another agent reads, and whole lines beyond the share, but for the first."""
    out: list[int] = []
    kept = 0
    for lead, racks in together.items():
        mine = [rack for rack in racks if rack in held]
        if lead not in held or (kept and kept + len(mine) > share):
            out += mine
        else:
            kept += len(mine)
    return sorted(out)
