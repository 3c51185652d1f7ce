"""What a manual says of feeding, loads and stops: worked with where it can be, shown where it cannot."""

from __future__ import annotations

from typing import Any

from tests.building.words import layout_with

from canaleta.core.model.fields import Landing, field_named, read_cell
from canaleta.core.model.image import PlantImage
from canaleta.core.model.module_type import ModuleType
from canaleta.core.path.facts import facts_of

PAIR = [{"mark": "{n}", "role": "24 V out"}, {"mark": "{n}", "role": "signal in"}]
MA = {"name": "4–20 mA", "family": "linear", "signal_unit": "mA", "signal": [4, 20], "counts": [0, 30000], "burden_ohm": 250}  # fmt: skip


def plant(kind: dict[str, Any], **texts: str) -> PlantImage:
    body = {"key": "man", "title": "MAN-4", "channels": 4, "terminals": PAIR, "modes": [MA], "registers": [{"holds": "channel words", "count": 4}]}  # fmt: skip
    row: dict[str, Any] = {"tag": "P-1", "mode": "4–20 mA", "channel": Landing(4, 0, landed=True)}
    for name, text in texts.items():
        row |= read_cell(field_named(name), text)
    return PlantImage.of_rows([row], layout_with([ModuleType.model_validate(body | kind)]))


def rows_of(image: PlantImage, title: str) -> dict[str, tuple[str, str]]:
    (section,) = [s for s in facts_of(image, 0) if title in s.title]
    return {row.label: (row.figure, row.tone) for row in section.rows}


def over_device(**kind: Any) -> str:
    """At 22 mA through 250 Ω, 5.5 V are lost; least_supply_v is the plant's 20.4 V."""
    image = plant({"feeds_loop": True} | kind, signal="4–20 mA", wires="2", supply="module", lift_off_v="10")
    told = rows_of(image, "loop")
    return next(figure for label, (figure, _) in told.items() if label.startswith("over the device at 22"))


def test_what_is_lost_before_the_terminals_is_missing_at_the_device() -> None:
    least = 20.4
    assert over_device() == f"{least - 5.5:.2f} V"
    assert over_device(feed_drop_v=1.5) == f"{least - 1.5 - 5.5:.2f} V"


def test_terminals_that_give_their_own_voltage_give_that() -> None:
    assert over_device(feed_v=17.0) == "11.50 V"


def test_a_load_beyond_what_an_output_drives_is_told() -> None:
    """A valve of 500 Ω on an output that drives 400 Ω at most."""
    out = MA | {"burden_ohm": 0, "load_most_ohm": 400, "load_least_ohm": 50}
    terminals = [{"mark": "{n}", "role": "signal out"}, {"mark": "{n}", "role": "0 V"}]
    kind = {"direction": "out", "modes": [out], "terminals": terminals, "on_bus_stop": "go to zero", "watch_s": 0.5}

    def told(ohm: str) -> tuple[str, str]:
        return rows_of(plant(kind, signal="4–20 mA", supply="none", shunt_ohm=ohm), "loop")["the output drives"]

    assert told("500") == ("50 Ω at least, 400 Ω at most", "bad")
    assert told("250") == ("50 Ω at least, 400 Ω at most", "")
    assert told("10")[1] == "bad"
    stopped = rows_of(plant(kind, signal="4–20 mA", supply="none"), "from the manual")
    assert stopped["when the bus stops"][0] == "go to zero"


def test_every_statement_of_a_manual_is_shown_at_the_point() -> None:
    image = plant(
        {"supply": [19.2, 30], "statements": [{"about": "cable", "says": "30 m at most without a screen"}]},
        signal="4–20 mA", wires="4", supply="own 24 V",
    )  # fmt: skip
    told = rows_of(image, "from the manual")
    assert told["its supply"][0] == "19.2 to 30.0 V"
    assert told["cable"][0] == "30 m at most without a screen"


def test_a_count_may_be_held_on_an_open_circuit() -> None:
    codes = {"up-scale": 0, "hold": 3}
    kind = {"open_choices": ["up-scale", "hold"], "settings": [{"of": "open circuit", "codes": codes}]}
    layout = plant(kind).layout
    setting = layout.types["man"].setting_of("open circuit")
    assert setting is not None
    assert setting.code_of("hold") == 3
