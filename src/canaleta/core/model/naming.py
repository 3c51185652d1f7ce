"""Names and network addresses that follow from the plant's rule, and where a rack departs from it.

A rule is an address with places for numbers: 192.168.{cabinet}.{rack}. {cabinet} is the number at the end of the
cabinet's name, {rack} the one at the end of the rack's; {rack+100} adds to it.
"""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from canaleta.core.model.layout import Layout, Rack
from canaleta.core.notation.patterns import compiled

__all__ = ["departures", "next_name", "ruled_address"]

_PLACE = compiled(r"\{(cabinet|rack)([+-]\d{1,4})?\}")
_NUMBER = compiled(r"(\d+)\D*$")


def ruled_address(rule: str, cabinet: str, rack: str) -> str:
    """The network address that the rule gives, '' without a rule or without a number where it needs one."""
    if not rule:
        return ""
    names = {"cabinet": cabinet, "rack": rack}
    if any(not _NUMBER.search(names[place]) for place, _ in _PLACE.findall(rule)):
        return ""

    def filled(match: Any) -> str:
        found = _NUMBER.search(names[match[1]])
        return str(int(found[1] if found else 0) + int(match[2] or 0))

    return str(_PLACE.sub(filled, rule))


def departures(rule: str, layout: Layout) -> list[tuple[Rack, str]]:
    """Racks whose address is not what the rule gives, with what it gives. Stand-ins have no place in a plant's
    rule."""
    out = []
    for rack in layout.racks.values():
        ruled = ruled_address(rule, layout.cabinets[rack.cabinet].name, rack.name)
        if ruled and not rack.stand_in and ruled != rack.host:
            out.append((rack, ruled))
    return out


def next_name(taken: Iterable[str], like: str = "1") -> str:
    """The next free name: the last number counted on, with what stands before it."""
    names = list(taken)
    last = names[-1] if names else ""
    found = _NUMBER.search(last)
    if not found:
        return like if like not in names else f"{like}-2"
    number, width = int(found[1]), len(found[1])
    while True:
        number += 1
        name = f"{last[: found.start(1)]}{number:0{width}d}{last[found.end(1) :]}"
        if name not in names:
            return name
