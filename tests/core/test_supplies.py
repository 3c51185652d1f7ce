"""Supplies and fuses as people write them down."""

import pytest

from canaleta.core.model.supplies import Feed, Group, read_feeds
from canaleta.core.notation.text import TextError


def test_a_supply_and_its_fuses_are_read() -> None:
    feeds = read_feeds("G1 24 V 20.4 to 28.8 V 10 A; F12 of G1 2 A; F13 of G1 500 mA; -G2 12 V; F1.1 of -G2")
    assert feeds.by_name["g1"] == Feed("G1", "", 24.0, 20.4, 28.8, 10.0)
    assert feeds.by_name["f13"] == Feed("F13", "G1", amperes=0.5)
    assert feeds.by_name["-g2"] == Feed("-G2", "", 12.0)
    assert read_feeds("").by_name == {}


@pytest.mark.parametrize(
    ("said", "names"),
    [
        ("F12 of G1", ["F12", "G1"]),
        ("f12", ["F12", "G1"]),
        ("G1", ["G1"]),
        ("F99 of G1", ["G1"]),
        ("F99", []),
        ("", []),
    ],
)
def test_what_a_point_says_leads_from_the_fuse_to_the_supply(said: str, names: list[str]) -> None:
    feeds = read_feeds("G1 24 V; F12 of G1 2 A")
    assert [feed.name for feed in feeds.chain(said)] == names


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("G1 24", "write a supply as in G1 24 V"),
        ("F1 of G9 2 A", "F1 is of G9, which is not there"),
        ("G1 24 V; g1 12 V", "there twice"),
        ("G1 24 V 25 to 28 V", "lies between its least and its greatest"),
        ("G1 24 V on", "write a supply as in"),
        ("G1 24 V on TC-3·1·x", "write channels as in TC-3·1·4·1 to 8"),
        ("G1 24 V on TC-3·1·4·8 to 1", "the first channel comes before the last"),
        ("G1 24 V on A·1·2·3·4", "write channels as in"),
        ("x" * 2000, "write a supply as in"),
    ],
)
def test_what_cannot_be_read_is_named(text: str, says: str) -> None:
    with pytest.raises(TextError, match=says):
        read_feeds(text)


def test_fuses_in_a_ring_end() -> None:
    feeds = read_feeds("F1 of F2; F2 of F1")
    assert [feed.name for feed in feeds.chain("F1")] == ["F1", "F2"]


def test_channels_behind_a_fuse_are_read_and_written_alike() -> None:
    feeds = read_feeds("G1 24 V on TC-3; F1 of G1 2 A on TC-3·1·4·1 to 8, TC-3/2/5; F2 of G1 on TC-3·1·4·7")
    assert feeds.by_name["g1"].on == (Group("TC-3"),)
    assert feeds.by_name["f1"].on == (Group("TC-3", "1", 4, 1, 8), Group("TC-3", "2", 5))
    assert [g.text for f in feeds.by_name.values() for g in f.on] == [
        "TC-3",
        "TC-3·1·4·1 to 8",
        "TC-3·2·5",
        "TC-3·1·4·7",
    ]
    assert read_feeds("G1 24 V on TC-3·1·4·0").by_name["g1"].on == (Group("TC-3", "1", 4, 0, 0),)
    assert Group("TC-3", "1", 4, 0, 0).text == "TC-3·1·4·0"
    assert feeds.grouped
    assert not read_feeds("G1 24 V").grouped
