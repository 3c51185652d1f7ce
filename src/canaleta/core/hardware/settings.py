"""Settings of a rack's channels: what the list wants, what the rack reports, and what a write would change.

Each module reports its own number and then, setting by setting, one holding register a channel (see
ModuleType.settings). People see names; the numbers follow from the type.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from canaleta.core.model.fields import field_named
from canaleta.core.model.image import PlantImage
from canaleta.core.model.layout import Layout
from canaleta.core.model.module_type import ModuleType

__all__ = ["FIELD_OF", "Difference", "Stranger", "differences", "reported_modules", "settings_size", "strangers"]

FIELD_OF = {
    "mode": "mode",
    "filter": "filter",
    "open circuit": "open_action",
    "enabled": "enabled",
    "PWM frequency": "pwm_hz",
    "dither frequency": "dither_hz",
    "dither": "dither_percent",
    "least duty": "least_duty",
    "most duty": "most_duty",
}
"""The field of a point that each setting of a channel stands for."""
TRIP_FIELDS = ("trips", "used_by", "inhibit", "tell")


@dataclass(frozen=True)
class Difference:
    """One setting of one channel that is not the same in list and rack.

    listed, reported: names of choices; reported is "number 7" where the type knows no such number. register: the
    holding register, from 0; code: what the list's choice is written as. trips: what the point can trip, in words.
    """

    module: int
    slot: int
    channel: int
    address: str
    point: int
    tag: str
    setting: str
    field: str
    listed: str
    reported: str
    register: int
    code: int
    trips: tuple[str, ...]


@dataclass(frozen=True)
class Stranger:
    """A module that reports another number than its type has. is_like: title of the type that has that number."""

    module: int
    slot: int
    expected: str
    number: int
    reported: int
    is_like: str


def settings_size(layout: Layout, rack: int) -> int:
    """How many holding registers a rack has by the list."""
    if rack in layout.racks and layout.racks[rack].by_name:
        return 0
    return sum(layout.type_of(module.id).setting_count for module in layout.modules_of(rack))


def strangers(layout: Layout, rack: int, words: Sequence[int], known: Mapping[str, int]) -> list[Stranger]:
    """Modules that are not what the list says. words: holding registers from 0. known: {title: own number} of
    types."""
    out: list[Stranger] = []
    if layout.racks[rack].by_name:
        return out
    for module in layout.modules_of(rack):
        kind = layout.type_of(module.id)
        if kind.ident_code is None or kind.passive:
            continue
        reported = words[layout.first_settings[module.id]]
        if reported != kind.ident_code:
            like = next((title for title, number in known.items() if number == reported), "")
            out.append(Stranger(module.id, layout.slots[module.id], kind.title, kind.ident_code, reported, like))
    return out


def reported_modules(layout: Layout, rack: int, words: Sequence[int], types: Iterable[ModuleType]) -> str:
    """What modules a rack has where they are not those of the list, in words; '' if it cannot be told, or they are.

    Each module begins with its own number, and the type of that number says where the next one begins.
    """
    known = {kind.ident_code: kind for kind in types if kind.ident_code is not None}
    found, at = [], 0
    while at < len(words) and (kind := known.get(words[at])):
        found.append(kind.title)
        at += kind.setting_count
    modules = [m for m in layout.modules_of(rack) if not layout.type_of(m.id).passive]
    listed = [layout.type_of(m.id).title for m in modules]
    apart = [k for k, (has, wants) in enumerate(zip(found, listed, strict=False)) if has != wants]
    if not found or (not apart and len(found) == len(listed)):
        return ""
    if len(apart) == 2 and [found[k] for k in apart] == [listed[k] for k in reversed(apart)]:
        first, second = (layout.slots[modules[k].id] for k in apart)
        return f"slots {first} and {second} are the other way round in the rack"
    return f"the rack has {', '.join(found)}; the list has {', '.join(listed)}"


def wished(image: PlantImage, row: int, setting: str) -> str:
    """The choice that a point wants for a setting of its channel, '' for no wish."""
    text = image.text(FIELD_OF[setting], row)
    return text or ("yes" if setting == "enabled" else "")


def differences(image: PlantImage, rack: int, words: Sequence[int]) -> list[Difference]:
    """Every setting of a landed point that the rack reports otherwise. A channel without a point has no wish."""
    layout = image.layout
    if layout.racks[rack].by_name:
        return []
    modules = {m.id for m in layout.modules_of(rack)}
    row_at = {
        (int(image.module[row]), int(image.channel[row])): row
        for row in np.flatnonzero(image.landed & np.isin(image.module, list(modules))).tolist()
    }
    out = []
    for module in layout.modules_of(rack):
        kind, first = layout.type_of(module.id), layout.first_settings[module.id] + 1
        for k, setting in enumerate(kind.settings):
            for channel in range(kind.channels):
                row = row_at.get((module.id, channel))
                if row is None:
                    continue
                wish = wished(image, row, setting.of)
                register = first + k * kind.channels + channel
                code = setting.code_of(wish)
                if code is None or code == words[register]:
                    continue
                unit = field_named(FIELD_OF[setting.of]).unit if setting.per_unit else ""
                reported = setting.name_of(words[register])
                report = f"{reported} {unit}".strip() if reported else f"number {words[register]}"
                out.append(
                    Difference(
                        module.id, layout.slots[module.id], channel, layout.address(module.id, channel),
                        int(image.ids[row]), image.label(row), setting.of, FIELD_OF[setting.of], f"{wish} {unit}".strip(),
                        report, register, code, trips_of(image, row),
                    )
                )  # fmt: skip
    return out


def trips_of(image: PlantImage, row: int) -> tuple[str, ...]:
    """What a point can trip, in words: what it shuts, which control uses it, which inhibit, whom to tell."""
    report = {"trips": "it {}", "used_by": "used by {}", "inhibit": "inhibit: {}", "tell": "tell {}"}
    return tuple(report[name].format(text) for name in TRIP_FIELDS if (text := image.text(name, row)))
