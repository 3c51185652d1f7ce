"""Configured, issued, running: every setting of a rack's channels as the list has it, as it was issued, and as the rack
reports it; and so what its head and its modules say of themselves.

Two of the three may agree, and which two says what happened: somebody turned something in the rack; an edit waits for its
download; something was written and never issued.
"""

from __future__ import annotations

import operator
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from enum import StrEnum
from typing import TypeVar

from canaleta.core.hardware.settings import (
    FIELD_OF,
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

__all__ = ["Issued", "Parameter", "Stands", "stands_of", "three_columns"]

_Said = TypeVar("_Said")

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
    ANOTHER = "another one in the rack"
    """A module or a head that is not the one that was noted, or has another firmware."""
    OLDER = "older than its type needs"
    """A firmware that came before what the module's type says of it was so."""

    @property
    def apart(self) -> str:
        """Which of the three is apart from the other two: "configured", "issued", "running", "" for none alone."""
        return _ALONE.get(self, "")


_ALONE = {
    Stands.FIELD: "running",
    Stands.ANOTHER: "running",
    Stands.OLDER: "running",
    Stands.WAITS: "configured",
    Stands.WRITTEN: "issued",
}


@dataclass(frozen=True)
class Parameter:
    """One parameter of one point, module or rack (entity) on which the three are not one. tag: what people call it; address:
    where it is; configured, issued, running: names of choices, or figures
    with their unit; issued is "" where nothing was issued of it. takes: what is typed where the rack's is adopted, (field,
    text) each, () where it cannot be. key: by which it is written; where: it stands, in words; restart: whether it acts only
    once the module was switched off and on. trips: what the point can trip, in words. writes: whether it can be written into
    the rack."""

    entity_id: int
    tag: str
    address: str
    setting: str
    field: str
    configured: str
    issued: str
    running: str
    takes: tuple[tuple[str, str], ...]
    stands: Stands
    key: str
    where: str
    restart: bool
    trips: tuple[str, ...]
    entity: str = "point"
    writes: bool = True


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
        stands = stands_of(code, old, now, known=bool(issued))
        if stands is None:
            continue
        field, name = FIELD_OF[setting.of], setting.name_of(now)
        out.append(
            Parameter(
                int(image.ids[row]), image.label(row), address, setting.of, field, _named(setting, code),
                _named(setting, old), _named(setting, now), ((field, name),) if name else (), stands, at.key, at.where,
                setting.restart, trips_of(image, row),
            )
        )  # fmt: skip
    return out


def stands_of(
    code: _Said, old: _Said | None, now: _Said, *, known: bool, same: Callable[[_Said, _Said], bool] = operator.eq
) -> Stands | None:
    """How three stand; None where there is nothing to tell. old: None where it was not issued; known: whether anything
    was."""
    runs = same(code, now)
    if old is None and not known:
        return None if runs else Stands.UNISSUED
    if old is None:
        # The issue said nothing of it: the list was edited since.
        return Stands.WRITTEN if runs else Stands.WAITS
    if same(code, old):
        return None if runs else Stands.FIELD
    return Stands.WAITS if same(old, now) else Stands.WRITTEN if runs else Stands.APART


def _named(setting: Setting, code: int | None) -> str:
    """A code as people call it."""
    if code is None:
        return ""
    unit = field_named(FIELD_OF[setting.of]).unit if setting.per_unit else ""
    name = setting.name_of(code)
    return f"{name} {unit}".strip() if name else f"number {code}"
