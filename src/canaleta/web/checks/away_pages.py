"""The pages of one point as they go along: its path in facts, its wiring drawn with what a meter should read, its settings and
where they stand in the rack. What nobody can look up where no server answers."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

import numpy as np

from canaleta.core.hardware.settings import FIELD_OF, SettingPlace, setting_places, wished
from canaleta.core.model.fields import STORED
from canaleta.core.model.image import PlantImage
from canaleta.core.path.facts import facts_of
from canaleta.core.sheet.derived import applies, derived_texts
from canaleta.core.wiring.circuit import circuit_of
from canaleta.core.wiring.circuit_drawing import drawn
from canaleta.core.wiring.hookup import hookup_of

__all__ = ["Places", "page_away"]


class Places:
    """Where the settings of channels stand, looked up once a rack however many of its points go along."""

    def __init__(self, image: PlantImage) -> None:
        self._image = image
        self._of: dict[int, dict[tuple[int, int], list[SettingPlace]]] = {}

    def at(self, module: int, channel: int) -> list[SettingPlace]:
        """The settings of a channel."""
        layout = self._image.layout
        if module not in layout.modules:
            return []
        rack = layout.modules[module].rack
        if rack not in self._of:
            of = self._of[rack] = {}
            for place in setting_places(layout, rack):
                of.setdefault((place.module, place.channel), []).append(place)
        return self._of[rack].get((module, channel), [])


def page_away(whole: PlantImage, row: int, places: Places) -> dict[str, Any]:
    """The pages of one point: facts, wiring (None where nothing is landed), settings, and those of its channel."""
    image = whole.only(np.array([row]))
    return {
        "facts": [
            {
                "title": s.title, "verdict": s.verdict, "tone": s.tone,
                "rows": [{"label": r.label, "figure": r.figure, "basis": r.basis, "tone": r.tone} for r in s.rows],
            }
            for s in facts_of(image, 0)
        ],
        "wiring": _wiring(image),
        "settings": _settings(image),
        "channel_settings": _of_channel(whole, row, places),
    }  # fmt: skip


def _wiring(image: PlantImage) -> dict[str, Any] | None:
    circuit = circuit_of(image, 0)
    if circuit is None:
        return None
    hookup = hookup_of(image, 0, circuit)
    return {
        "svg": drawn(circuit), "words": circuit.words, "faults": list(circuit.faults), "way": list(circuit.way),
        "notes": list(circuit.notes), "safe": list(hookup.safe), "readings": [asdict(r) for r in hookup.readings],
        "calibrator": hookup.calibrator, "steps": list(hookup.steps),
    }  # fmt: skip


def _settings(image: PlantImage) -> list[dict[str, Any]]:
    """What was said of the point, or follows where nothing was: by the station of the path it belongs to."""
    follows = derived_texts(image, 0)
    out = []
    for field in STORED:
        said = image.text(field.name, 0)
        text = said or follows.get(field.name, "")
        if text and applies(image, 0, field):
            unit = (
                image.text(field.unit_field, 0)
                if field.unit_field and field.unit_field in image.cells
                else field.unit
            )
            out.append(
                {
                    "station": field.station.value if field.station else "", "label": field.label, "unit": unit or "",
                    "text": text, "follows": not said,
                }
            )  # fmt: skip
    return out


def _of_channel(image: PlantImage, row: int, places: Places) -> list[dict[str, str]]:
    """Each setting of the channel: what it shall be, and where it stands in the rack."""
    if not image.landed[row]:
        return []
    found = places.at(int(image.module[row]), int(image.channel[row]))
    return [
        {"of": p.setting.of, "text": wished(image, row, p.setting), "where": p.where}
        for p in found
        if p.setting.of in FIELD_OF
    ]
