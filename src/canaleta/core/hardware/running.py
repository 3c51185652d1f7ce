"""Configured, issued, running: every setting of a rack's channels as the list has it, as it was issued, and as the rack
reports it.

Two of the three may agree, and which two says what happened: somebody turned something in the rack; an edit waits for its
download; something was written and never issued.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum

from canaleta.core.hardware.settings import (
    FIELD_OF,
    SettingPlace,
    Words,
    rows_at,
    setting_places,
    trips_of,
    wished,
    wished_of,
)
from canaleta.core.model.fields import field_named
from canaleta.core.model.image import PlantImage
from canaleta.core.model.module_type import Setting

__all__ = ["Issued", "Parameter", "Stands", "three_columns"]

Issued = Mapping[int, Mapping[str, str]]
"""{point: {field: text}} of the newest issue."""


class Stands(StrEnum):
    """What is apart from what."""

    FIELD = "turned in the rack"
    """List and issue agree, and the rack has something else: it was changed there."""
    WAITS = "waits for the rack"
    """The list was edited since the issue, and the rack does not have it yet."""
    WRITTEN = "written, not issued"
    """List and rack agree, and the issue says something else."""
    APART = "all three apart"
    UNISSUED = "list and rack apart"
    """Nothing was issued of it: only two can be held against each other."""


@dataclass(frozen=True)
class Parameter:
    """One setting of one channel on which the three are not one. configured, issued, running: names of choices, or figures
    with their unit; issued is "" where nothing was issued of it. unit: how it is written: `field` takes running without it.
    at: where it stands; code: what the list's choice is written as. trips: what the point can trip, in words."""

    point: int
    tag: str
    address: str
    setting: str
    field: str
    configured: str
    issued: str
    running: str
    taken: str
    stands: Stands
    at: SettingPlace
    code: int
    trips: tuple[str, ...]


def three_columns(image: PlantImage, issued: Issued, rack: int, words: Words) -> list[Parameter]:
    """Every setting of a landed point on which list, issue and rack are not one, in slot order. issued: {} where the list
    was never issued. A channel without a point has no wish, and a place that could not be read tells nothing."""
    layout = image.layout
    row_at = rows_at(image, rack)
    out = []
    for at in setting_places(layout, rack):
        row, word = row_at.get((at.module, at.channel)), words.get((at.read_table, at.read_place))
        if row is None or word is None:
            continue
        setting, address = at.setting, layout.address(at.module, at.channel)
        wish, now = wished(image, row, setting), at.code_in(word)
        code = setting.code_of(wish)
        if code is None:
            continue
        then = issued.get(int(image.ids[row]))
        # What a point wanted of another channel is no wish for this one.
        before = wished_of(then, setting) if then is not None and then.get("channel") == address else ""
        old = setting.code_of(before) if before else None
        stands = _stands(code, old, now, known=bool(issued))
        if stands is None:
            continue
        out.append(
            Parameter(
                int(image.ids[row]), image.label(row), address, setting.of, FIELD_OF[setting.of], _named(setting, code),
                _named(setting, old), _named(setting, now), setting.name_of(now) or "", stands, at, code, trips_of(image, row),
            )
        )  # fmt: skip
    return out


def _stands(code: int, old: int | None, now: int, *, known: bool) -> Stands | None:
    """How three codes stand; None where there is nothing to tell. old: None where it was not issued; known: whether
    anything was."""
    if old is None and not known:
        return None if code == now else Stands.UNISSUED
    if old is None:
        # The issue said nothing of it: the list was edited since.
        return Stands.WRITTEN if code == now else Stands.WAITS
    if code == old:
        return None if code == now else Stands.FIELD
    return Stands.WAITS if old == now else Stands.WRITTEN if code == now else Stands.APART


def _named(setting: Setting, code: int | None) -> str:
    """A code as people call it."""
    if code is None:
        return ""
    unit = field_named(FIELD_OF[setting.of]).unit if setting.per_unit else ""
    name = setting.name_of(code)
    return f"{name} {unit}".strip() if name else f"number {code}"
