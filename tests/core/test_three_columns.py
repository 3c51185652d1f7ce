"""Which of list, issue and rack is apart from the others: every way that three codes can stand."""

from __future__ import annotations

import dataclasses

import pytest
from tests.building.words import layout_with

from canaleta.core.hardware.running import Stands, three_columns
from canaleta.core.hardware.settings import setting_places, wished_of, words_of
from canaleta.core.model.conventions import Conventions
from canaleta.core.model.image import PlantImage
from canaleta.core.model.register_tables import Table
from canaleta.plant.changes.seed import stored_row

LAYOUT = layout_with()
AT = "TC-1·1·2·1"
MODES = ("4–20 mA", "0–20 mA", "0–10 V")


def plant(mode: str) -> PlantImage:
    empty = PlantImage.of_rows([{}], LAYOUT, Conventions())
    point = {"tag": "PT-1", "signal": "4–20 mA", "channel": AT, "mode": mode, "trips": "the burner"}
    return PlantImage.of_rows([stored_row(empty, point)], LAYOUT, empty.conventions)


def stands(configured: str, issued: str | None, running: str, at: str = AT) -> tuple[str, str, str, str] | None:
    """issued: None for a list that was never issued, "" for a point that the issue does not have."""
    image = plant(configured)
    (place,) = [p for p in setting_places(LAYOUT, 1) if (p.module, p.channel, p.setting.of) == (2, 0, "mode")]
    code = place.setting.code_of(running)
    assert code is not None
    then = {} if issued is None else {99: {"channel": AT}} if not issued else {1: {"channel": at, "mode": issued}}
    found = three_columns(image, then, 1, {(place.read_table, place.read_place): place.word_of(code)})
    return (found[0].configured, found[0].issued, found[0].running, found[0].stands) if found else None


A, B, C = MODES


@pytest.mark.parametrize(
    ("configured", "issued", "running", "stand"),
    [
        (A, A, A, None),
        (A, A, B, Stands.FIELD),
        (A, B, B, Stands.WAITS),
        (A, B, A, Stands.WRITTEN),
        (A, B, C, Stands.APART),
        (A, None, A, None),
        (A, None, B, Stands.UNISSUED),
        (A, "", A, Stands.WRITTEN),
        (A, "", B, Stands.WAITS),
    ],
)
def test_how_three_stand(configured: str, issued: str | None, running: str, stand: Stands | None) -> None:
    found = stands(configured, issued, running)
    assert (found[3] if found else None) == stand
    if found:
        assert found[:3] == (configured, issued or "", running)


def test_what_was_issued_of_another_channel_is_nothing_of_this_one() -> None:
    assert stands(A, B, A, at="TC-1·1·2·7") == (A, "", A, Stands.WRITTEN)


def test_a_place_that_could_not_be_read_and_a_point_without_a_channel_tell_nothing() -> None:
    assert three_columns(plant(A), {}, 1, {}) == []
    image = plant(A)
    apart = dataclasses.replace(image, cells=image.cells | {"channel": image.cells["service"]}, _kept={})
    words = words_of([(str(Table.HOLDING_REGISTERS), 0, [0] * 500)])
    assert three_columns(apart, {}, 1, words) == []


def test_a_number_that_is_no_choice_is_told_as_it_is_and_cannot_be_adopted() -> None:
    (place,) = [p for p in setting_places(LAYOUT, 1) if (p.module, p.channel, p.setting.of) == (2, 0, "mode")]
    (found,) = three_columns(plant(A), {}, 1, {(place.read_table, place.read_place): 4711})
    assert (found.running, found.takes) == ("number 4711", ())
    assert found.trips == ("it the burner",)


def test_a_channel_that_is_off_wants_the_code_for_off() -> None:
    (place,) = [p for p in setting_places(LAYOUT, 1) if (p.module, p.channel, p.setting.of) == (2, 0, "mode")]
    off = place.setting.model_copy(update={"codes": {**place.setting.codes, "off": 255}})
    assert wished_of({"mode": A, "enabled": "no"}, off) == "off"
    assert wished_of({"mode": A}, off) == A
