"""The status bit of a channel: where it stands, its mask, and what a 1 means."""

from __future__ import annotations

from canaleta.core.model.fields import Station
from canaleta.core.path.facts.base import Row, Section
from canaleta.core.path.joints.base import PathRows

__all__ = ["status_bit"]


def status_bit(p: PathRows) -> Section | None:
    """Register, bit as the module numbers it, and mask, for modules that have a status word."""
    row = int(p.rows[0])
    layout, module, channel = p.image.layout, int(p.image.module[row]), int(p.image.channel[row])
    if module not in layout.modules:
        return None
    kind = layout.type_of(module)
    rack = layout.modules[module].rack
    run = kind.run_of("status bits", channel, layout.racks[rack].function)
    if kind.status is None or run is None:
        return None
    offset, nth = run.place_of(channel)
    bit = nth + kind.status.bit_base
    place = layout.first_places(rack)[module][run.table] + offset
    mask = kind.status.mask([bit])
    return Section(
        Station.INPUT,
        "status word",
        (
            Row(run.table.one, str(place), "counted from 0"),
            Row("bit", str(bit), f"the module counts its bits from {kind.status.bit_base}"),
            Row("mask", f"{mask}, 0x{mask:04X}, {mask:016b}", "decimal, hex, binary"),
            Row("1 means", kind.status.one_means, "judged before the count is scaled"),
        ),
    )
