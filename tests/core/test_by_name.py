"""Names at racks that have no registers: nodes as OPC UA writes them, topics, and places in a payload."""

from __future__ import annotations

import pytest

from canaleta.core.model.by_name import pointed, read_name, topic_of
from canaleta.core.notation.text import TextError

RFC_6901 = {
    "foo": ["bar", "baz"], "": 0, "a/b": 1, "c%d": 2, "e^f": 3, "g|h": 4, "i\\j": 5, 'k"l': 6, " ": 7, "m~n": 8,
}  # fmt: skip
"""The document of RFC 6901, section 5."""


@pytest.mark.parametrize(
    ("pointer", "part"),
    [
        ("", RFC_6901), ("/foo", ["bar", "baz"]), ("/foo/0", "bar"), ("/", 0), ("/a~1b", 1), ("/c%d", 2), ("/e^f", 3),
        ("/g|h", 4), ("/i\\j", 5), ('/k"l', 6), ("/ ", 7), ("/m~0n", 8),
    ],
)  # fmt: skip
def test_a_pointer_finds_what_the_standard_says(pointer: str, part: object) -> None:
    """RFC 6901, section 5."""
    assert pointed(RFC_6901, pointer) == part


@pytest.mark.parametrize("pointer", ["/foo/2", "/foo/x", "/bar", "/a~1b/0", "/foo/-", "/foo/99999999999999999999"])
def test_a_pointer_to_nothing_finds_nothing(pointer: str) -> None:
    with pytest.raises(LookupError):
        pointed(RFC_6901, pointer)


@pytest.mark.parametrize(
    ("typed", "name"),
    [
        ("ns=2;s=Press.TT-101", "ns=2;s=Press.TT-101"),
        ("  ns=1;i=1042 ", "ns=1;i=1042"),
        ("ns=0;i=2258", "i=2258"),
        ("ns=3;g=09087e75-8e5e-499b-954f-f2a9603db28a", "ns=3;g=09087e75-8e5e-499b-954f-f2a9603db28a"),
        ("ns=1;b=M/RbKBsRVkePCePcx24oRA==", "ns=1;b=M/RbKBsRVkePCePcx24oRA=="),
        ("", ""),
    ],
)
def test_a_node_is_read_as_the_standard_writes_it(typed: str, name: str) -> None:
    """OPC 10000-6, 5.3.1.10, its own examples among them."""
    assert read_name("OPC UA", typed) == name


@pytest.mark.parametrize(
    "typed", ["Press.TT-101", "ns=2", "ns=70000;i=1", "i=4294967296", "ns=2;i=x", "s=" + "x" * 900]
)
def test_what_is_no_node_is_told(typed: str) -> None:
    with pytest.raises(TextError):
        read_name("OPC UA", typed)


def test_a_topic_says_where_in_its_payload_the_value_is() -> None:
    assert read_name("MQTT", " press/3/state#/tt/0 ") == "press/3/state#/tt/0"
    assert topic_of("press/3/state#/tt/0").pointer == "/tt/0"
    assert topic_of("press/3/temperature").pointer == ""
    metric = topic_of("spBv1.0/Vallroja/press-3/io#Inputs/TT-101")
    assert (metric.topic, metric.metric) == ("spBv1.0/Vallroja/press-3/io", "Inputs/TT-101")


@pytest.mark.parametrize(
    "typed", ["#", "press/+/t", "press#tt", "spBv1.0/group#m", "spBv1.0/a/b/c/d#m", "spBv1.0/a/b", "press/#"]
)
def test_what_is_no_topic_is_told(typed: str) -> None:
    with pytest.raises(TextError):
        topic_of(typed)
