"""What the head of a rack and its modules say of themselves: maker, kind and firmware, beside what was noted of them, what
was issued, and what a module's type needs.

A head tells by a standard of its protocol: Modbus function 43/14 (MODBUS Application Protocol V1.1b3, 6.21), BuildInfo of an
OPC UA server (OPC 10000-5, 12.4). A module tells where its manual says so.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field

from canaleta.core.hardware.running import Issued, Parameter, Stands, stands_of
from canaleta.core.hardware.settings import Words
from canaleta.core.model.firmware import Firmware, is_older
from canaleta.core.model.layout import SEPARATOR, Layout
from canaleta.core.model.register_tables import Table

__all__ = ["IssuedHardware", "Themselves", "WasIssued", "firmware_runs", "not_as_noted", "told_of_themselves"]


@dataclass(frozen=True)
class IssuedHardware:
    """What was issued of racks and modules. heads: {(cabinet, rack): text}; firmware: {(cabinet, rack, place, type):
    version}. known: whether anything was issued."""

    heads: Mapping[tuple[str, str], str] = field(default_factory=dict)
    firmware: Mapping[tuple[str, str, int, str], str] = field(default_factory=dict)
    known: bool = False


@dataclass(frozen=True)
class WasIssued:
    """The newest issue, as looks at racks are held against it. mark: "" where the list was never issued; seq: of the list that
    it was."""

    mark: str = ""
    seq: int = 0
    points: Issued = field(default_factory=dict)
    hardware: IssuedHardware = field(default_factory=IssuedHardware)


@dataclass(frozen=True)
class Themselves:
    """What one of them says. entity: "rack" for its head, or "module"; name, where: what people call it and where it is; field:
    under which it is noted; noted, issued: "" for nothing, issued None where the issue does not know it; says: "" where it
    says nothing now; oldest: the firmware that its type needs, "" for any; at: where it stands, in words; place: the same as
    (table, first register), None for a head's own word."""

    entity: str
    entity_id: int
    name: str
    where: str
    field: str
    noted: str
    issued: str | None
    says: str
    oldest: str
    at: str
    place: tuple[Table, int] | None = None

    @property
    def older(self) -> bool:
        """Whether it is older than its type needs."""
        return bool(self.oldest) and is_older(self.says, self.oldest)

    @property
    def to_note(self) -> bool:
        """Whether it says something that nobody has noted yet."""
        return bool(self.says) and not self.noted


def firmware_runs(layout: Layout, rack: int) -> list[tuple[Table, int, int]]:
    """(table, first, count) of what is read to know the firmware of a rack's modules, in slot order."""
    return [(Table(k.table), first, k.words) for _, k, first in _places(layout, rack)]


def told_of_themselves(
    layout: Layout, rack: int, head: str, words: Words, issued: IssuedHardware
) -> list[Themselves]:
    """The head of a rack, where it says anything or something was noted, and each module whose type knows where it says its
    firmware. head: what it says, "" for nothing; words: what stands in the rack's registers."""
    one = layout.racks[rack]
    cabinet = layout.cabinets[one.cabinet].name
    out = []
    if head or one.head:
        then = issued.heads.get((cabinet, one.name))
        out.append(
            Themselves("rack", rack, f"rack {one.name}", cabinet, "head", one.head, then, head, "", "its own word")
        )
    for module, kind, first in _places(layout, rack):
        part = layout.modules[module]
        there = [word for k in range(kind.words) if (word := words.get((Table(kind.table), first + k))) is not None]
        says = kind.read(there) if len(there) == kind.words else ""
        title, slot = layout.type_of(module).title, layout.slots[module]
        out.append(
            Themselves(
                "module", module, part.label or title, SEPARATOR.join((cabinet, one.name, str(slot))), "firmware", part.firmware,
                issued.firmware.get((cabinet, one.name, part.place, part.type_key)), says, kind.oldest,
                f"{Table(kind.table).one} {first} (from 0)", (Table(kind.table), first),
            )
        )  # fmt: skip
    return out


def not_as_noted(told: Iterable[Themselves], *, known: bool) -> list[Parameter]:
    """Those that are not as they were noted or issued, or older than their type needs. What nobody noted is only told, and
    what says nothing now tells nothing. known: whether anything was issued."""
    out = []
    for one in told:
        if not one.says:
            continue
        stands = stands_of(one.noted, one.issued or None, one.says, known=known) if one.noted else None
        if one.older and stands in (None, Stands.FIELD, Stands.UNISSUED):
            stands = Stands.OLDER
        elif stands is Stands.FIELD:
            stands = Stands.ANOTHER
        if stands is None:
            continue
        wanted = one.noted or f"{one.oldest} or newer"
        out.append(
            Parameter(
                one.entity_id, one.name, one.where, one.field, one.field, wanted, one.issued or "", one.says,
                ((one.field, one.says),) if one.noted != one.says else (), stands, f"{one.entity} {one.entity_id} {one.field}", one.at,
                False, (), one.entity, False,
            )
        )  # fmt: skip
    return out


def _places(layout: Layout, rack: int) -> list[tuple[int, Firmware, int]]:
    """(module, where its type says its firmware, first place in the rack's table), in slot order."""
    if layout.racks[rack].by_name:
        return []
    places = layout.first_places(rack)
    return [
        (module.id, kind.firmware, places[module.id][Table(kind.firmware.table)] + kind.firmware.at)
        for module in layout.modules_of(rack)
        if (kind := layout.type_of(module.id)).firmware is not None
    ]
