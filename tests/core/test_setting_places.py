"""Settings where a manual has them: a register a channel, bits of one register, a coil; read elsewhere; applied, stored."""

from __future__ import annotations

from typing import Any

import pytest
from tests.building.words import layout_with

from canaleta.core.hardware.settings import after_writes, differences, read_runs, setting_places, settings_size
from canaleta.core.hardware.type_map import map_lines
from canaleta.core.hardware.type_try import reads_of
from canaleta.core.model.fields import Landing
from canaleta.core.model.image import PlantImage
from canaleta.core.model.module_type import ModuleType
from canaleta.core.model.register_tables import Table

HOLDING, INPUT, COILS = Table.HOLDING_REGISTERS, Table.INPUT_REGISTERS, Table.COILS
MODES = [
    {"name": name, "family": "linear", "signal_unit": unit, "signal": signal, "counts": [0, 30000]}
    for name, unit, signal in (("4–20 mA", "mA", [4, 20]), ("0–20 mA", "mA", [0, 20]), ("0–10 V", "V", [0, 10]))
]
CODES = {"4–20 mA": 1, "0–20 mA": 2, "0–10 V": 3}


def kind(*settings: dict[str, Any], **more: Any) -> ModuleType:
    """Eight inputs whose numbers stand in input registers, with settings of their own."""
    body = {
        "key": "own", "title": "OWN-8", "channels": 8, "modes": MODES, "settings": list(settings),
        "filters": [{"name": "fast", "time_ms": 1}, {"name": "50 Hz", "rejects_hz": 50}],
        "registers": [{"holds": "channel words", "count": 8, "table": "input registers", "at": 0}],
    }  # fmt: skip
    return ModuleType.model_validate(body | more)


def alone(of: ModuleType) -> Any:
    """A layout with that module in slot 4; the first three say nothing here."""
    return layout_with([of])


def mine(of: ModuleType) -> list[tuple[str, int, int]]:
    return [(str(p.table), p.place, p.mask) for p in setting_places(alone(of), 1) if p.module == 4]


def test_a_register_a_channel_stands_where_the_manual_says() -> None:
    of = kind({"of": "mode", "codes": CODES, "at": 1000, "step": 2})
    assert mine(of)[:3] == [("holding registers", 1000, 0xFFFF), ("holding registers", 1002, 0xFFFF), ("holding registers", 1004, 0xFFFF)]  # fmt: skip
    assert of.setting_count == 0, "the module has no block of settings, and none is asked for"


def test_four_bits_a_channel_share_a_register() -> None:
    """Channels 1 to 4 in register 20, channel 1 in the lowest four bits; 5 to 8 in 21."""
    of = kind({"of": "mode", "codes": CODES, "at": 20, "channels_a_place": 4, "bits": 4, "bit_step": 4})
    told = mine(of)
    assert [(place, mask) for _, place, mask in told] == [
        (20, 0x000F), (20, 0x00F0), (20, 0x0F00), (20, 0xF000), (21, 0x000F), (21, 0x00F0), (21, 0x0F00), (21, 0xF000),
    ]  # fmt: skip
    second = next(p for p in setting_places(alone(of), 1) if p.module == 4 and p.channel == 1)
    assert second.word_of(3) == 0x0030
    assert second.code_in(0x4321) == 2
    assert second.where == "holding register 20 (from 0), bits 0x00F0"


def test_one_setting_for_all_channels_stands_once() -> None:
    of = kind(
        {"of": "filter", "codes": {"fast": 0, "50 Hz": 1}, "at": 5, "channels_a_place": 0, "low_bit": 8, "bits": 1}
    )
    assert set(mine(of)) == {("holding registers", 5, 0x0100)}


def plant(of: ModuleType, **cells: Any) -> PlantImage:
    rows = [{"tag": "P-1", "signal": "4–20 mA", "mode": "4–20 mA", "channel": Landing(4, 1, landed=True)} | cells]
    return PlantImage.of_rows(rows, alone(of))


def test_what_the_rack_reports_otherwise_is_told_by_names() -> None:
    of = kind({"of": "mode", "codes": CODES, "at": 20, "channels_a_place": 4, "bits": 4, "bit_step": 4})
    (told,) = differences(plant(of), 1, {(HOLDING, 20): 0x0033})
    assert (told.setting, told.listed, told.reported, told.at.word_of(told.code)) == ("mode", "4–20 mA", "0–10 V", 0x0010)  # fmt: skip
    assert differences(plant(of), 1, {(HOLDING, 20): 0xFF1F}) == []
    (unknown,) = differences(plant(of), 1, {(HOLDING, 20): 0x0070})
    assert unknown.reported == "number 7"


def test_a_setting_is_compared_where_it_is_read() -> None:
    of = kind({"of": "mode", "codes": CODES, "at": 100, "read_table": "input registers", "read_at": 50})
    assert differences(plant(of), 1, {(HOLDING, 101): 1, (INPUT, 51): 1}) == []
    base = setting_places(alone(of), 1)
    one = next(p for p in base if p.module == 4 and p.channel == 1)
    assert (str(one.read_table), one.read_place) == ("input registers", one.read_place)
    (told,) = differences(plant(of), 1, {(one.read_table, one.read_place): 2})
    assert told.reported == "0–20 mA"


def test_a_channel_that_is_off_may_be_a_mode() -> None:
    of = kind({"of": "mode", "codes": CODES | {"off": 0}, "at": 100})
    assert differences(plant(of), 1, {(HOLDING, 101): 1}) == []
    (told,) = differences(plant(of, enabled="no"), 1, {(HOLDING, 101): 1})
    assert (told.listed, told.code) == ("off", 0)
    (back,) = differences(plant(of), 1, {(HOLDING, 101): 0})
    assert (back.listed, back.reported) == ("4–20 mA", "off")


def test_what_has_to_be_read_is_read_in_few_requests() -> None:
    of = kind({"of": "mode", "codes": CODES, "at": 1000}, {"of": "filter", "codes": {"fast": 0, "50 Hz": 1}, "table": "coils", "at": 0, "bits": 1})  # fmt: skip
    layout = alone(of)
    runs = read_runs(layout, 1)
    assert (HOLDING, 1000, 8) in runs
    assert (COILS, 0, 8) in runs
    block = sum(count for table, first, count in runs if table is HOLDING and first < settings_size(layout, 1))
    assert block == settings_size(layout, 1), "the modules before it have their block"


def test_settings_are_applied_and_then_stored_in_the_manuals_order() -> None:
    after = [{"name": "apply", "at": 300, "word": 165}, {"name": "store", "at": 301, "word": 1}]
    of = kind({"of": "mode", "codes": CODES, "at": 100}, after_settings=after)
    assert after_writes(alone(of), 1, [4, 4]) == [("apply", HOLDING, 300, 165), ("store", HOLDING, 301, 1)]
    assert after_writes(alone(of), 1, [1]) == []


@pytest.mark.parametrize(
    ("settings", "says"),
    [
        ([{"of": "mode", "codes": CODES, "at": 5, "bits": 1}], "bits do not hold"),
        ([{"of": "mode", "codes": CODES, "at": 5, "low_bit": 12, "bits": 8}], "end of its word"),
        ([{"of": "mode", "codes": CODES, "at": 5, "channels_a_place": 8, "bits": 4, "bit_step": 4}], "end of its word"),
        ([{"of": "mode", "codes": CODES, "bits": 4}], "needs the place"),
        ([{"of": "mode", "codes": CODES, "delivered": "0–5 V"}], "none of its choices"),
        ([{"of": "mode", "codes": CODES, "at": 5}, {"of": "filter", "codes": {"fast": 0, "50 Hz": 1}, "at": 6}], "two of them"),
        ([{"of": "mode", "codes": CODES, "at": 3, "read_table": "input registers", "read_at": 0}], "belong to"),
    ],
)  # fmt: skip
def test_settings_that_cannot_be_are_told(settings: list[dict[str, Any]], says: str) -> None:
    with pytest.raises(ValueError, match=says):
        kind(*settings)


def test_a_module_comes_as_it_is_delivered() -> None:
    of = kind({"of": "mode", "codes": CODES, "delivered": "0–10 V", "at": 100})
    setting = of.setting_of("mode")
    assert setting is not None
    assert setting.default_code == 3


def test_the_map_of_a_type_shows_what_is_written_and_where() -> None:
    of = kind(
        {"of": "mode", "codes": CODES, "at": 20, "channels_a_place": 4, "bits": 4, "bit_step": 4},
        {"of": "filter", "codes": {"fast": 0, "50 Hz": 1}, "at": 30, "channels_a_place": 0},
        after_settings=[{"name": "apply", "at": 40, "word": 165}],
    )
    written = [(line.place, line.bit, line.channel, line.says) for line in map_lines(of) if "written" in line.says]
    assert written[:3] == [(20, 0, 0, "mode, written"), (20, 4, 1, "mode, written"), (20, 8, 2, "mode, written")]
    # A device that is held against the map is asked for each of them on its own.
    asked = {(str(table), first) for table, first, count in reads_of(of) if count == 1}
    assert {("holding registers", place) for place in (20, 21, 30, 40)} <= asked
    assert written[8:] == [(30, -1, -1, "filter, written"), (40, -1, -1, "apply, written with 165")]
