"""Modules whose channels are not alike: inputs beside outputs, analog beside discrete, and channels that do both."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from tests.building.words import layout_with

from canaleta.core.hardware.fit import Level, judge, judge_module
from canaleta.core.hardware.occupancy import class_of
from canaleta.core.hardware.places import places_for
from canaleta.core.hardware.type_preview import mode_previews
from canaleta.core.model.addresses import addresses_of
from canaleta.core.model.fields import Landing, field_named, read_cell
from canaleta.core.model.image import PlantImage
from canaleta.core.model.module_type import ModuleType
from canaleta.core.model.registers import RackMap
from canaleta.core.model.sources import Source, driven, loop_source
from canaleta.core.rules import audit
from canaleta.core.wiring.terminals import wiring

MA = {"name": "4–20 mA in", "family": "linear", "signal_unit": "mA", "signal": [4, 20], "counts": [0, 30000], "least": 0, "most": 32767, "burden_ohm": 250}  # fmt: skip
OUT = MA | {"name": "4–20 mA out", "rated_ma": 22, "burden_ohm": 0}
DC = {"name": "24 V DC", "family": "contact", "signal_unit": "V", "signal": [0, 24], "counts": [0, 1]}
PAIR = [{"mark": "{n}", "role": "plus"}, {"mark": "{n}", "role": "minus"}]


def mixed(**more: Any) -> ModuleType:
    """Four current inputs that feed their loops, two current outputs, four discrete inputs: channels 1 to 10."""
    body: dict[str, Any] = {
        "key": "mix", "title": "MIX-10", "channels": 10, "terminals": PAIR, "modes": [MA, OUT, DC],
        "registers": [
            {"holds": "channel words", "count": 4, "table": "input registers", "at": 0, "of": {"first": 0, "count": 4}},
            {"holds": "channel words", "count": 2, "table": "holding registers", "at": 0, "of": {"first": 4, "count": 2}},
            {"holds": "channel bits", "count": 4, "table": "discrete inputs", "at": 0, "of": {"first": 6, "count": 4}},
        ],
        "groups": [
            {"first": 0, "count": 4, "name": "inputs", "direction": "in", "modes": ["4–20 mA in"], "feeds_loop": True,
             "terminals": [{"mark": "A{n}", "role": "24 V out"}, {"mark": "A{n}", "role": "signal in"}]},
            {"first": 4, "count": 2, "name": "outputs", "direction": "out", "modes": ["4–20 mA out"],
             "terminals": [{"mark": "Q{n}+", "role": "signal out"}, {"mark": "Q{n}−", "role": "0 V"}], "first_terminal": 1},
            {"first": 6, "count": 4, "direction": "in", "modes": ["24 V DC"], "common": "0 V",
             "terminals": [{"mark": "D{n}", "role": "signal in"}]},
        ],
    }  # fmt: skip
    return ModuleType.model_validate(body | more)


def plant(*points: dict[str, Any], kind: ModuleType | None = None) -> PlantImage:
    """Points by their texts; “at” is a channel, from 0, of the mixed module in slot 4."""
    rows = []
    for number, texts in enumerate(points, start=1):
        at = texts.pop("at", None)
        cells = {"tag": f"P-{number}", "mode": texts.pop("mode", None)}
        for name, text in texts.items():
            cells |= read_cell(field_named(name), text)
        rows.append(cells | {"channel": None if at is None else Landing(4, at, landed=True)})
    return PlantImage.of_rows(rows, layout_with([kind or mixed()]))


def test_each_group_has_its_own_terminals_counted_from_its_own_first() -> None:
    kind = mixed()
    assert [mark for mark, _ in kind.at_channel(1).terminal_marks(1)] == ["A3", "A4"]
    assert [mark for mark, _ in kind.at_channel(5).terminal_marks(5)] == ["Q3+", "Q4−"]
    assert [mark for mark, _ in kind.at_channel(8).terminal_marks(8)] == ["D3"]


def test_an_output_and_an_input_of_one_module_have_their_own_tables_and_letters() -> None:
    layout = layout_with([mixed()])
    rack_map = RackMap.of(layout, 1)
    told = [addresses_of(layout, rack_map, 4, channel) for channel in (0, 5, 9)]
    assert [t.told for t in told] == [f"input register {told[0].register}", "holding register 1", "discrete input 3"]
    assert [t.direct[:3] for t in told] == ["%IW", "%QW", "%IX"]


@pytest.mark.parametrize(
    ("texts", "channels", "mode"),
    [
        ({"signal": "4–20 mA", "wires": "2", "supply": "module"}, (0, 1, 2, 3), "4–20 mA in"),
        ({"signal": "4–20 mA", "supply": "none"}, (4, 5), "4–20 mA out"),
        ({"signal": "contact NO"}, (6, 7, 8, 9), "24 V DC"),
    ],
)
def test_a_device_is_offered_the_channels_that_suit_it(
    texts: dict[str, Any], channels: tuple[int, ...], mode: str
) -> None:
    told = judge_module(plant(dict(texts)), 0, 4)
    assert told.level is not Level.REFUSED, told.reasons
    assert (told.channels, told.mode) == (channels, mode)


def test_a_transmitter_on_a_channel_that_drives_is_refused_and_a_valve_on_one_that_listens() -> None:
    transmitter = plant({"signal": "4–20 mA", "wires": "2", "supply": "module"})
    assert judge(transmitter, 0, 4, 4).level is Level.REFUSED
    assert judge(plant({"signal": "load 24 V DC"}), 0, 4, 0).level is Level.REFUSED


def test_points_are_placed_on_channels_that_suit_them() -> None:
    image = plant({"signal": "contact NO"}, {"signal": "contact NO"}, {"signal": "4–20 mA", "supply": "none"})
    placed = places_for(image, [1], [1, 2, 3])
    mine = [(p.channel, p.mode) for p in placed if p.module == 4]
    # The module of discrete inputs in slot 1 comes first for contacts; the output is in this one alone.
    assert mine == [(4, "4–20 mA out")]


def test_a_mode_of_other_channels_is_none_of_this_one() -> None:
    image = plant(
        {"signal": "4–20 mA", "mode": "4–20 mA in", "at": 0}, {"signal": "4–20 mA", "mode": "4–20 mA in", "at": 5}
    )
    assert (image.mode >= 0).tolist() == [True, False]
    assert driven(image, np.array([0, 1])).tolist() == [False, True]


def test_who_feeds_a_loop_is_told_channel_by_channel() -> None:
    fed = plant({"signal": "4–20 mA", "wires": "2", "supply": "module", "mode": "4–20 mA in", "at": 0})
    assert loop_source(fed, 0) is Source.MODULE
    valve = plant({"signal": "4–20 mA", "supply": "none", "mode": "4–20 mA out", "at": 4})
    assert loop_source(valve, 0) is Source.OUTPUT
    drawn = wiring(valve, 0)
    assert drawn is not None
    assert {core.terminal for core in drawn.cores} == {"Q1+", "Q2−"}
    both = plant({"signal": "4–20 mA", "wires": "4", "supply": "own 24 V", "mode": "4–20 mA out", "at": 4})
    assert loop_source(both, 0) is Source.TWO


def test_a_load_on_an_input_of_a_module_that_also_drives_is_found() -> None:
    wrong = plant({"signal": "load 24 V DC", "mode": "24 V DC", "at": 6})
    assert "R03" in {finding.rule for finding in audit(wrong)}
    right = plant({"signal": "contact NO", "mode": "24 V DC", "at": 6})
    assert "R03" not in {finding.rule for finding in audit(right)}


def test_the_class_of_a_mixed_module_says_that_it_is_mixed() -> None:
    assert class_of(mixed()) == "XX"
    assert class_of(mixed(modes=[MA, OUT], channels=6, groups=mixed().model_dump()["groups"][:2],
                          registers=mixed().model_dump()["registers"][:2])) == "AX"  # fmt: skip


def test_each_mode_is_previewed_as_the_channels_have_it_that_have_it() -> None:
    told = {preview.mode: preview for preview in mode_previews(mixed())}
    assert told["24 V DC"].signal.startswith("contact")
    assert told["4–20 mA out"].rows, "an output has figures too"


def test_a_channel_may_listen_in_one_mode_and_drive_in_another() -> None:
    """A pin that is a discrete input or a low-side switch, by choice."""
    switch = DC | {"name": "low-side switch", "direction": "out", "rated_ma": 500, "terminals": [{"mark": "X{n}", "role": "signal out"}]}  # fmt: skip
    kind = ModuleType.model_validate(
        {"key": "pin", "title": "PIN-4", "channels": 4, "terminals": [{"mark": "X{n}", "role": "signal in"}],
         "modes": [DC, switch], "registers": [{"holds": "channel bits", "count": 1}]}
    )  # fmt: skip
    image = plant(
        {"signal": "contact NO", "mode": "24 V DC", "at": 0}, {"signal": "load 24 V DC", "mode": "low-side switch", "at": 1}, kind=kind
    )  # fmt: skip
    assert driven(image, np.array([0, 1])).tolist() == [False, True]
    assert kind.at_channel(1, "low-side switch").terminal_marks(1) == [("X2", "signal out")]
    assert class_of(kind) == "DX"
    assert "R03" not in {finding.rule for finding in audit(image)}


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ({"groups": [{"first": 8, "count": 4}]}, "does not have"),
        ({"groups": [{"first": 0, "count": 4}, {"first": 3, "count": 2}]}, "in two of them"),
        ({"groups": [{"first": 0, "count": 4, "modes": ["0–10 V"]}]}, "no mode “0–10 V”"),
        ({"groups": [{"first": 0, "count": 6, "direction": "in"}, {"first": 6, "count": 4, "direction": "out"}]}, "two modes"),
        ({"groups": [{"first": 0, "count": 10, "modes": ["4–20 mA in"]}]}, "no channel has the mode"),
    ],
)  # fmt: skip
def test_groups_that_cannot_be_are_told(change: dict[str, Any], says: str) -> None:
    with pytest.raises(ValueError, match=says):
        mixed(**change)


def test_a_module_whose_channels_are_alike_is_itself_at_each_of_them() -> None:
    kind = layout_with().types["ai8-ui"]
    assert kind.at_channel(3) is kind
    assert kind.at_channel(3, kind.modes[0].name) is kind
