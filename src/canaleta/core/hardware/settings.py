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
from canaleta.core.model.module_type import ModuleType, Setting
from canaleta.core.model.register_tables import Table
from canaleta.core.model.registers import plan_requests

__all__ = [
    "FIELD_OF",
    "Difference",
    "SettingPlace",
    "Stranger",
    "Words",
    "after_writes",
    "block_of_words",
    "differences",
    "read_runs",
    "reported_modules",
    "rows_at",
    "setting_places",
    "settings_size",
    "strangers",
    "trips_of",
    "wished",
    "wished_of",
    "words_of",
]

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
class SettingPlace:
    """Where one setting of one channel is written and read: bits of a register, or a coil. Places count from 0."""

    module: int
    channel: int
    setting: Setting
    table: Table
    place: int
    mask: int
    shift: int
    read_table: Table
    read_place: int

    @property
    def key(self) -> str:
        """What tells it from every other of its rack."""
        return f"{self.table.value} {self.place}.{self.mask}"

    @property
    def where(self) -> str:
        """In words: “holding register 12 (from 0), bits 0x0300”."""
        bits = "" if self.mask == 0xFFFF or self.table.of_bits else f", bits 0x{self.mask:04X}"
        return f"{self.table.one} {self.place} (from 0){bits}"

    def code_in(self, word: int) -> int:
        """The number that stands there."""
        return word if self.table.of_bits else (word & self.mask) >> self.shift

    def word_of(self, code: int) -> int:
        """What is written for a number, in the bits of the mask."""
        return code if self.table.of_bits else (code << self.shift) & self.mask


def setting_places(layout: Layout, rack: int) -> list[SettingPlace]:
    """Every setting of every channel of a rack, in slot order."""
    if layout.racks[rack].by_name:
        return []
    places, holding = layout.first_places(rack), Table.HOLDING_REGISTERS
    out = []
    for module in layout.modules_of(rack):
        kind, row = layout.type_of(module.id), layout.first_settings[module.id] + 1
        for setting in kind.settings:
            for channel in range(kind.channels):
                if setting.at is None:
                    at = row + channel
                    out.append(SettingPlace(module.id, channel, setting, holding, at, 0xFFFF, 0, holding, at))
                    continue
                table = Table(setting.table)
                within, low = setting.place_of(channel, kind.channels)
                mask = ((1 << setting.bits) - 1) << low
                read = Table(setting.read_table) if setting.read_table else table
                elsewhere = within if setting.read_at is None else within - setting.at + setting.read_at
                base = places[module.id]
                out.append(
                    SettingPlace(
                        module.id, channel, setting, table, base[table] + within, mask, low, read, base[read] + elsewhere
                    )
                )  # fmt: skip
            row += kind.channels if setting.at is None else 0
    return out


def read_runs(layout: Layout, rack: int) -> list[tuple[Table, int, int]]:
    """(table, first, count) of what is read to know all settings: the rack's block of holding registers, then the
    places that manuals name."""
    size = settings_size(layout, rack)
    most = Table.HOLDING_REGISTERS.most_a_request
    out = [(Table.HOLDING_REGISTERS, at, min(most, size - at)) for at in range(0, size, most)]
    named: dict[Table, list[tuple[int, int]]] = {}
    for one in setting_places(layout, rack):
        if one.setting.at is not None:
            named.setdefault(one.read_table, []).append((one.read_place, 1))
    for table, spans in named.items():
        out += [(table, r.first, r.count) for r in plan_requests(set(spans), table.most_a_request, gap=0)]
    return out


def after_writes(layout: Layout, rack: int, modules: Iterable[int]) -> list[tuple[str, Table, int, int]]:
    """(name, table, place, word) of what is written when settings of some modules have been, in its order."""
    places = layout.first_places(rack)
    return [
        (after.name, Table(after.table), places[module][Table(after.table)] + after.at, after.word)
        for module in dict.fromkeys(modules)
        for after in layout.type_of(module).after_settings
    ]


@dataclass(frozen=True)
class Difference:
    """One setting of one channel that is not the same in list and rack.

    listed, reported: names of choices; reported is "number 7" where the type knows no such number. at: where it stands;
    code: what the list's choice is written as. trips: what the point can trip, in words.
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
    at: SettingPlace
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


def wished(image: PlantImage, row: int, setting: Setting) -> str:
    """The choice that a point wants for a setting of its channel, '' for no wish."""
    return wished_of({name: image.text(name, row) for name in ("enabled", FIELD_OF[setting.of])}, setting)


def wished_of(texts: Mapping[str, str], setting: Setting) -> str:
    """The same of a point by the texts of its fields."""
    if setting.of == "mode" and "off" in setting.codes and texts.get("enabled") == "no":
        return "off"
    return texts.get(FIELD_OF[setting.of], "") or ("yes" if setting.of == "enabled" else "")


Words = Mapping[tuple[Table, int], int]
"""What stands in places of a rack's tables, from 0."""


def words_of(read: Iterable[tuple[str, int, Sequence[int]]]) -> Words:
    """What a rack's agent read: (table, first, words) each."""
    return {(Table(table), first + k): int(word) for table, first, words in read for k, word in enumerate(words)}


def block_of_words(words: Words) -> list[int]:
    """The rack's holding registers from 0 on, as far as they were read without a gap."""
    out: list[int] = []
    while (word := words.get((Table.HOLDING_REGISTERS, len(out)))) is not None:
        out.append(word)
    return out


def rows_at(image: PlantImage, rack: int) -> dict[tuple[int, int], int]:
    """{(module, channel): row} of the points that hold a channel of a rack."""
    modules = [m.id for m in image.layout.modules_of(rack)]
    here = np.flatnonzero(image.landed & np.isin(image.module, modules)).tolist()
    return {(int(image.module[row]), int(image.channel[row])): row for row in here}


def differences(image: PlantImage, rack: int, words: Words) -> list[Difference]:
    """Every setting of a landed point that the rack reports otherwise. A channel without a point has no wish; a place
    that could not be read tells nothing."""
    layout = image.layout
    row_at = rows_at(image, rack)
    out = []
    for at in setting_places(layout, rack):
        row, word = row_at.get((at.module, at.channel)), words.get((at.read_table, at.read_place))
        if row is None or word is None:
            continue
        setting = at.setting
        wish = wished(image, row, setting)
        code, now = setting.code_of(wish), at.code_in(word)
        if code is None or code == now:
            continue
        unit = field_named(FIELD_OF[setting.of]).unit if setting.per_unit else ""
        reported = setting.name_of(now)
        report = f"{reported} {unit}".strip() if reported else f"number {now}"
        out.append(
            Difference(
                at.module, layout.slots[at.module], at.channel, layout.address(at.module, at.channel),
                int(image.ids[row]), image.label(row), setting.of, FIELD_OF[setting.of], f"{wish} {unit}".strip(),
                report, at, code, trips_of(image, row),
            )
        )  # fmt: skip
    return out


def trips_of(image: PlantImage, row: int) -> tuple[str, ...]:
    """What a point can trip, in words: what it shuts, which control uses it, which inhibit, whom to tell."""
    report = {"trips": "it {}", "used_by": "used by {}", "inhibit": "inhibit: {}", "tell": "tell {}"}
    return tuple(report[name].format(text) for name in TRIP_FIELDS if (text := image.text(name, row)))
