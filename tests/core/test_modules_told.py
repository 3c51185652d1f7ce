"""What a rack says it is made of, against what the list says: modules that are not those of the list, and in which
slots."""

from tests.building.words import layout_with

from canaleta.catalogue.types import module_types
from canaleta.core.hardware.settings import reported_modules, settings_size, strangers
from canaleta.core.model.layout import Layout

TYPES = module_types()
LAYOUT = layout_with([TYPES["ao4"]])
TITLES = {kind.title: kind.ident_code for kind in TYPES.values() if kind.ident_code is not None}


def reported(*keys: str) -> list[int]:
    """The holding registers of a rack with these modules: each begins with its own number."""
    words: list[int] = []
    for key in keys:
        words += [TYPES[key].ident_code or 0] + [0] * (TYPES[key].setting_count - 1)
    return words


def told(layout: Layout, *keys: str) -> str:
    return reported_modules(layout, 1, reported(*keys), TYPES.values())


def test_a_rack_as_listed_has_no_strangers_and_nothing_is_told() -> None:
    words = reported("di16-24v", "ai8-ui", "tc8", "ao4")
    assert settings_size(LAYOUT, 1) == len(words)
    assert strangers(LAYOUT, 1, words, TITLES) == []
    assert told(LAYOUT, "di16-24v", "ai8-ui", "tc8", "ao4") == ""


def test_another_module_in_a_slot_is_named_with_what_it_is() -> None:
    words = reported("di16-24v", "ai8-ui", "tc8", "ao4")
    words[LAYOUT.first_settings[4]] = TYPES["do8"].ident_code or 0
    (one,) = strangers(LAYOUT, 1, words, TITLES)
    assert (one.module, one.expected, one.is_like) == (4, TYPES["ao4"].title, TYPES["do8"].title)
    words[LAYOUT.first_settings[4]] = 60_001
    (one,) = strangers(LAYOUT, 1, words, TITLES)
    assert (one.reported, one.is_like) == (60_001, ""), "a number that no type has"


def test_two_modules_the_other_way_round_are_told_as_that() -> None:
    assert told(LAYOUT, "di16-24v", "tc8", "ai8-ui", "ao4") == "slots 2 and 3 are the other way round in the rack"


def test_a_module_more_or_less_is_told_with_all_that_there_are() -> None:
    says = told(LAYOUT, "di16-24v", "ai8-ui", "tc8")
    assert says.startswith(f"the rack has {TYPES['di16-24v'].title}, {TYPES['ai8-ui'].title}, {TYPES['tc8'].title};")
    assert says.endswith(TYPES["ao4"].title)


def test_a_rack_that_tells_no_numbers_is_not_judged() -> None:
    assert reported_modules(LAYOUT, 1, [0] * 40, TYPES.values()) == ""
    assert reported_modules(LAYOUT, 1, [], TYPES.values()) == ""
