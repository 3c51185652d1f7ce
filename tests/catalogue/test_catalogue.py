"""The catalogue: module types that hold together, the demo plant, generated plants."""

import json

import pytest
from pydantic import ValidationError

from canaleta.catalogue.demo import demo_plant, generated, layout_of
from canaleta.catalogue.types import module_types
from canaleta.core.model.fields import STORED
from canaleta.core.model.module_type import ModuleType
from canaleta.core.signals.signal_types import signal_named


@pytest.mark.parametrize("kind", module_types().values(), ids=lambda kind: kind.key)
def test_a_module_type_has_registers_and_terminals_for_every_channel(kind: ModuleType) -> None:
    words = sum(run.count for run in kind.registers if run.holds == "channel words") // kind.word_form.words
    bits = 16 * sum(run.count for run in kind.registers if run.holds == "channel bits")
    assert words + bits >= kind.channels
    marks = [mark for channel in range(kind.channels) for mark, _ in kind.terminal_marks(channel)]
    assert len(set(marks)) == len(marks), "one mark, one terminal"
    for mode in kind.modes:
        assert mode.least <= min(mode.counts.low, mode.counts.high)
        assert mode.most >= max(mode.counts.low, mode.counts.high)


def test_registers_that_each_module_occupies() -> None:
    """Words for channels, one more for a status word and for a cold junction; two a channel for 32 bits; one a
    load."""
    assert {k: (t.channels, t.register_count) for k, t in module_types().items()} == {
        "di16-24v": (16, 1), "ai8-ui": (8, 9), "tc8": (8, 10), "rtd6": (6, 7), "ai4-pm": (4, 8), "fi2": (2, 4),
        "di8-watch": (8, 2), "di4-230ac": (4, 1), "di8-types": (8, 1), "ao4": (4, 4),
            "ai4-iso": (4, 5), "ai8-left": (8, 8), "ai8-volt": (8, 8), "di16-sink": (16, 1), "di32": (32, 2),
            "di8-seq": (8, 2), "rtd4": (4, 5), "tc4-iso": (4, 10), "xm4": (4, 5),
            "ps-10": (0, 0), "ps-bus": (0, 0), "bus-end": (0, 0), "do8": (8, 2), "ro4": (4, 1), "spacer": (0, 0), "empty-slot": (0, 0),
            "po4": (4, 9), "do4-2a": (4, 6), "rtd4-st": (4, 17), "di8-bits": (8, 0),
            "ui4": (4, 6), "mx10": (10, 4), "ci6": (6, 6), "fx8": (8, 8), "di8-12-24": (8, 1), "br2": (2, 5),
            "rtd2-3n": (2, 8), "po2-slow": (2, 4), "vn16": (16, 64), "sv8": (8, 8),
    }  # fmt: skip


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ({"channels": 0}, "channels"),
        ({"modes": []}, "modes"),
        ({"colour": "red"}, "colour"),
        ({"status": None}, "bit base"),
        ({"channels": float("nan")}, "channels"),
    ],
)
def test_a_module_type_that_does_not_hold_together_is_refused(change: dict[str, object], says: str) -> None:
    body = module_types()["ai8-ui"].model_dump(mode="json") | change
    with pytest.raises(ValidationError, match=says):
        ModuleType.model_validate(body)


def test_two_modes_of_one_name_and_a_span_without_length_are_refused() -> None:
    body = module_types()["ai8-ui"].model_dump(mode="json")
    with pytest.raises(ValidationError, match="one name"):
        ModuleType.model_validate(body | {"modes": [body["modes"][0]] * 2})
    flat = body["modes"][0] | {"signal": {"low": 4, "high": 4}}
    with pytest.raises(ValidationError, match="must differ"):
        ModuleType.model_validate(body | {"modes": [flat]})


def test_a_module_type_comes_back_from_json_as_it_was() -> None:
    for kind in module_types().values():
        assert ModuleType.model_validate_json(kind.model_dump_json()) == kind


def test_the_demo_plant_names_only_what_there_is() -> None:
    plant, stored = demo_plant(), {field.name for field in STORED}
    layout = layout_of(plant)
    for point in plant.points:
        assert set(point) <= stored
        if "channel" not in point:
            continue  # it waits for one
        module, _ = layout.read_address(point["channel"])
        assert layout.type_of(module).mode_named(point["mode"]), point["tag"]
    for device in plant.field:
        assert signal_named(device.signal), device.at
        module, _ = layout.read_address(device.at)
        assert layout.type_of(module).mode_named(device.mode)


def test_generated_plants_are_the_same_each_time_and_claim_each_channel_once() -> None:
    plant = generated(700)
    assert plant == generated(700)
    channels = [point["channel"] for point in plant.points]
    assert len(set(channels)) == len({p["tag"] for p in plant.points}) == len(plant.points) == 700
    layout = layout_of(plant)
    assert all(layout.read_address(channel) for channel in channels)
    assert [c.name for c in plant.cabinets] == ["GC-001", "GC-002", "GC-003"]


def test_a_document_of_version_0_1_is_read() -> None:
    """It calls the word by which a module reports itself own_number."""
    body = json.loads(module_types()["ai8-ui"].model_dump_json())
    code = body.pop("ident_code")
    assert code
    assert ModuleType.model_validate(body | {"own_number": code}).ident_code == code
