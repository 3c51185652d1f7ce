"""Addresses are derived: channels by cabinet, rack, slot and channel; registers by the order of the modules."""

from dataclasses import replace

import pytest
from tests.building.words import layout_with

from canaleta.core.model.layout import Module
from canaleta.core.notation.text import TextError


@pytest.mark.parametrize("typed", ["TC-1·1·2·4", "tc-1 1 2 4", "TC-1.1.2.4", "TC-1/1/2/4", "1-2-4", " 1·2·4 "])
def test_an_address_is_met_however_it_is_written(typed: str) -> None:
    assert layout_with().read_address(typed) == (2, 3)


def test_the_channel_base_changes_labels_and_no_assignment() -> None:
    from_one, from_zero = layout_with(base=1), layout_with(base=0)
    assert from_one.address(2, 3) == "TC-1·1·2·4"
    assert from_zero.address(2, 3) == "TC-1·1·2·3"
    assert from_zero.read_address("TC-1·1·2·3") == (2, 3)


@pytest.mark.parametrize(
    ("typed", "says"),
    [
        ("7", "not a channel"),
        ("XX-9·1·2·4", "cabinets are TC-1"),
        ("1·9·1", "no slot 9"),
        ("1·2·9", "channels 1 to 8"),
        ("1·2·0", "channels 1 to 8"),
        ("1·two·4", "whole numbers"),
        ("1·2·99999999999", "whole numbers"),
    ],
)
def test_an_address_that_is_not_there_is_refused_in_words(typed: str, says: str) -> None:
    with pytest.raises(TextError, match=says):
        layout_with().read_address(typed)


def test_registers_follow_the_order_of_the_modules() -> None:
    """DI-16 takes one register, AI-8 nine, TC-8 ten."""
    layout = layout_with()
    assert layout.first_registers == {1: 0, 2: 1, 3: 10}


def test_swapped_modules_leave_no_stale_address_behind() -> None:
    layout = layout_with()
    swapped = replace(layout, modules=layout.modules | {1: Module(1, 1, 2, "di16-24v"), 2: Module(2, 1, 1, "ai8-ui")})
    assert swapped.first_registers == {2: 0, 1: 9, 3: 10}
    assert swapped.address(2, 3) == "TC-1·1·1·4"
