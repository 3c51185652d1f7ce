"""Which channels are used, wished for, free, spare and wired spare, by module, class and cabinet.

Free is unused. Spare is unused and held by policy: so many of the unused channels of a cabinet and class as the
plant's share asks for. A wired spare is also landed on a terminal of the strip.
"""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np

from canaleta.core.model.image import PlantImage
from canaleta.core.model.module_type import ModuleType

__all__ = ["Count", "class_of", "counted", "spares_wanted", "used_channels"]


def class_of(kind: ModuleType) -> str:
    """The class of a module's channels in two or three letters: AI, AO, DI, DO, TI temperature, PI pulses, XI
    several; an X behind it where some listen and some drive."""
    families = {mode.family for mode in kind.modes}
    units = {mode.signal_unit for mode in kind.modes}
    ways = {kind.for_mode(mode.name).direction for mode in kind.modes}
    side = "X" if len(ways) > 1 else "O" if ways == {"out"} else "I"
    if not families:
        return ""
    if families <= {"thermocouple", "resistance"} or (
        ("thermocouple" in families or "resistance" in families) and "contact" not in families and "mA" not in units
    ):
        return "TI"
    if families == {"contact"}:
        return f"D{side}"
    if families == {"linear"}:
        return "PI" if units & {"Hz", "pulses"} else f"A{side}"
    return f"X{side}"


@dataclass(frozen=True)
class Count:
    """Channels counted. unused: free and spare together; wired: unused ones that are landed on the strip.

    wanted: how many the policy holds; wired_wanted: how many of those shall be wired.
    """

    channels: int
    used: int
    wired: int
    wanted: int
    wired_wanted: int

    @property
    def unused(self) -> int:
        """Channels that no point holds."""
        return self.channels - self.used

    @property
    def spare(self) -> int:
        """Unused channels that the policy holds."""
        return min(self.unused, self.wanted)

    @property
    def free(self) -> int:
        """Unused channels that anybody may take."""
        return self.unused - self.spare

    @property
    def short(self) -> int:
        """How many spares the policy lacks."""
        return max(0, self.wanted - self.unused)

    @property
    def share(self) -> float:
        """Unused channels as a share of all."""
        return self.unused / self.channels if self.channels else 0.0


def used_channels(image: PlantImage) -> dict[int, set[int]]:
    """{module: channels held by a point}."""
    out: dict[int, set[int]] = {}
    rows = np.flatnonzero(image.landed)
    for module, channel in zip(image.module[rows].tolist(), image.channel[rows].tolist(), strict=True):
        out.setdefault(module, set()).add(channel)
    return out


def spares_wanted(share: float, channels: int) -> int:
    """How many of some channels the policy holds: its share of them, rounded up."""
    return math.ceil(round(share * channels, 9))


def counted(image: PlantImage, modules: Iterable[int], used: dict[int, set[int]] | None = None) -> Count:
    """The count over some modules, against the plant's policy."""
    held = used_channels(image) if used is None else used
    reserve = image.conventions.reserve
    channels = taken = wired = 0
    for number in modules:
        mine = held.get(number, set())
        channels += image.layout.type_of(number).channels
        taken += len(mine)
        wired += len(set(image.layout.modules[number].wired) - mine)
    wanted = spares_wanted(reserve.spare_share, channels)
    return Count(channels, taken, wired, wanted, math.ceil(round(reserve.wired_share * wanted, 9)))
