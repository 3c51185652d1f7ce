"""Texts counted on, tags in their parts, bands, and what follows from tag and channel."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.building.words import plant_of

from canaleta.core.model.conventions import Conventions
from canaleta.core.model.fields import field_named, read_cell
from canaleta.core.notation.tags import has_shape, letters_there_are, own_letters, read_tag
from canaleta.core.notation.text import TextError
from canaleta.core.sheet.follows import follow_cells, followed_by
from canaleta.core.sheet.series import continued, counted_on, next_tag
from canaleta.core.signals.bands import bands_of, read_bands

PLANT = plant_of("PT-3107: 4–20 mA, 0…600 mbar", "PSL-3101: contact NO", "TE-2101: TC K, on TC-1·1·3·4")


@pytest.mark.parametrize(
    ("texts", "follow"),
    [
        (["PT-3101"], ["PT-3102", "PT-3103"]),
        (["PT-3098", "PT-3099"], ["PT-3100", "PT-3101"]),
        (["LT-007"], ["LT-008", "LT-009"]),
        (["X1:5"], ["X1:6", "X1:7"]),
        (["X1:1", "X1:3"], ["X1:5", "X1:7"]),
        (["1, 2"], ["3, 4", "5, 6"]),
        (["X1:5 fuse; X1:6 knife"], ["X1:7 fuse; X1:8 knife", "X1:9 fuse; X1:10 knife"]),
        (["21-PT-1", "22-PT-1"], ["23-PT-1", "24-PT-1"]),
        (["spare"], ["spare", "spare"]),
        (["a", "b"], ["a", "b"]),
    ],
)
def test_series_go_on_as_people_number(texts: list[str], follow: list[str]) -> None:
    assert counted_on(texts, 2) == follow


def test_a_series_never_falls_below_zero_and_never_guesses_between_two_shapes() -> None:
    with pytest.raises(TextError, match="below zero"):
        counted_on(["T-3", "T-1"], 2)
    with pytest.raises(TextError, match="differ in more than their numbers"):
        counted_on(["PT-1", "TT-2"], 1)


@given(st.integers(0, 99_999), st.integers(1, 200))
def test_counting_on_is_adding(first: int, count: int) -> None:
    assert counted_on([f"PT-{first}"], count)[-1] == f"PT-{first + count}"


def test_figures_go_on_by_their_step_with_every_digit() -> None:
    high = field_named("device_high")
    assert continued(PLANT, high, ["0.1", "0.3"], 3) == ["0.5", "0.7", "0.9"]
    assert continued(PLANT, high, ["6.00"], 2) == ["6.00", "6.00"]


def test_channels_go_on_along_the_module_and_leave_out_what_is_taken() -> None:
    channel = field_named("channel")
    assert continued(PLANT, channel, ["TC-1·1·3·2"], 3) == ["TC-1·1·3·3", "TC-1·1·3·5", "TC-1·1·3·6"]
    with pytest.raises(TextError, match="only 1 channels"):
        continued(PLANT, channel, ["TC-1·1·3·7"], 2)


# Tags, ANSI/ISA-5.1-2009 table 4.1 ----------------------------------------------------------------


@pytest.mark.parametrize(
    ("tag", "meaning", "loop", "function"),
    [
        ("PT-3107", "pressure transmitter", "P-3107", "T"),
        ("TE-2101", "temperature element", "T-2101", "E"),
        ("PDT-12", "pressure difference transmitter", "P-12", "T"),
        ("PSLL-7", "pressure switch, low-low", "P-7", "S"),
        ("FIC-30A", "flow indicating controller", "F-30", "C"),
        ("FQI-4", "flow total indicator", "F-4", "I"),
        ("PSV-9", "pressure safety valve", "P-9", "V"),
        ("ZSO 100", "position switch, open", "Z-100", "S"),
    ],
)
def test_the_letters_of_a_tag_in_words(tag: str, meaning: str, loop: str, function: str) -> None:
    read = read_tag(tag)
    assert read is not None
    assert (read.meaning, read.loop, read.function) == (meaning, loop, function)


def test_letters_put_together_say_what_their_parts_say() -> None:
    there = letters_there_are({})
    for variable in "PTLF":
        for function in ("T", "E", "I"):
            read = read_tag(f"{variable}{function}-1")
            assert read is not None
            assert read.meaning == f"{there.variables[variable]} {there.functions[function]}"
    assert read_tag("PDT-1").meaning == f"pressure {there.modifiers['D']} transmitter"  # type: ignore[union-attr]
    assert read_tag("LSH-1").meaning == f"level switch, {there.levels['H']}"  # type: ignore[union-attr]


@pytest.mark.parametrize(
    ("tags", "letters", "follows"),
    [
        (["PT-9", "PT-10", "TT-99", None, "PTX-50"], "PT", "PT-11"),
        ([], "PT", "PT-1"),
        (["21-PT-007"], "PT", "21-PT-008"),
        (["PT"], "PT", "PT-1"),
    ],
)
def test_the_next_tag_goes_on_from_the_highest_number(tags: list[str | None], letters: str, follows: str) -> None:
    assert next_tag(tags, letters) == follows


def test_the_plants_own_letters_win() -> None:
    own = own_letters("MS motor feedback; XS safety contact")
    assert read_tag("MS-4101", own).meaning == "motor feedback"  # type: ignore[union-attr]
    assert read_tag("MS-4101").meaning == "moisture switch"  # type: ignore[union-attr]
    with pytest.raises(TextError, match="write letters and what they mean"):
        own_letters("MS")
    with pytest.raises(ValueError, match="write letters"):
        Conventions(tag_letters="MS")


def test_what_is_no_tag_has_no_parts() -> None:
    assert read_tag("spare") is None
    assert read_tag("") is None


@pytest.mark.parametrize(
    ("rule", "tag", "fits"),
    [
        ("AA-9999", "PT-3107", True),
        ("AA-9999", "PSL-3107", False),
        ("AA[A][A]-9999", "PSLL-3107", True),
        ("AA-9999|AAA-999", "PSL-310", True),
        ("*-9999", "anything-3107", True),
        ("", "whatever", True),
        ("AA-9999", "PT-31.7", False),
        ("A.9", "P.1", True),
        ("A.9", "Px1", False),
    ],
)
def test_the_plants_shape_of_a_tag(rule: str, tag: str, fits: bool) -> None:
    assert has_shape(rule, tag) is fits


def test_a_shape_that_cannot_be_read_is_refused_where_it_is_set() -> None:
    with pytest.raises(ValueError, match=r"a \[ without its \]"):
        Conventions(tag_rule="AA[A-9")


# Bands ---------------------------------------------------------------------------------------------


@given(st.floats(-1e6, 1e6))
def test_exactly_one_band_holds_each_value(value: float) -> None:
    bands = bands_of(read_bands("empty < 0.5 < low < 3.8 < normal"))
    assert bands is not None
    assert bands.at(value) == ("empty" if value < 0.5 else "low" if value < 3.8 else "normal")


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("low < 20", "write names with the edges"),
        ("low < 20 < ok < 10 < high", "the edges rise"),
        ("low < much < high", "is not a number"),
        ("low < 20 < < 30 < high", "above 20 has no name"),
    ],
)
def test_bands_that_leave_a_gap_are_refused(text: str, says: str) -> None:
    with pytest.raises(TextError, match=says):
        read_bands(text)


def test_a_data_sheet_is_an_address_of_the_web() -> None:
    link = field_named("data_sheet")
    assert read_cell(link, "example.org/pt.pdf") == {"data_sheet": "https://example.org/pt.pdf"}
    for bad in ("javascript:alert(1)", "ftp://example.org/x", "https://user@example.org/", "http://"):
        with pytest.raises(TextError, match="begins with http"):
            read_cell(link, bad)


# What follows --------------------------------------------------------------------------------------


def test_what_follows_from_a_channel_is_where_it_is() -> None:
    told = followed_by(PLANT, ("tag", "channel"))
    assert told["cabinet"] == ["TC-1"] * 3
    assert told["direct"] == ["%IW1.1", "%IX1.0.0", "%IW1.13"]
    assert told["loop"] == ["P-3107", "P-3101", "T-2101"]
    assert follow_cells(PLANT, [(1, "service")]) == []
    assert [(field, text) for _, field, text in follow_cells(PLANT, [(2, "tag"), (99, "tag")])] == [
        ("meaning", "pressure switch, low"),
        ("loop", "P-3101"),
    ]
