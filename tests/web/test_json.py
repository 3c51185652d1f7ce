"""JSON at the door: how deep a body nests is told from its brackets, whatever stands in its texts; answers are
strict."""

from __future__ import annotations

import json

import pytest
from flask import Flask
from hypothesis import given
from hypothesis import strategies as st

from canaleta.web.kit import json as door
from canaleta.web.kit.json import DEEPEST, too_deep

VALUES = st.recursive(
    st.none() | st.text(alphabet='ab[]{}"\\,:', max_size=8) | st.integers(0, 9),
    lambda inner: (
        st.lists(inner, max_size=4) | st.dictionaries(st.text(alphabet='x{["\\', max_size=3), inner, max_size=3)
    ),
)


def depth(value: object) -> int:
    if isinstance(value, dict):
        return 1 + max((depth(v) for v in value.values()), default=0)
    return 1 + max((depth(v) for v in value), default=0) if isinstance(value, list) else 0


@given(VALUES, st.integers(1, 40), st.integers(60, 70))
def test_the_depth_of_any_body_in_pieces_of_any_size(value: object, piece: int, shells: int) -> None:
    wrapped: object = value
    for _ in range(shells):
        wrapped = [wrapped]
    body = json.dumps(wrapped).encode()
    with pytest.MonkeyPatch.context() as patched:
        patched.setattr(door, "PIECE", piece)
        assert too_deep(body) == (depth(wrapped) > DEEPEST)


def test_texts_full_of_brackets_are_no_depth() -> None:
    assert not too_deep(b'{"a": "' + b"[" * 10_000 + b'"}')
    assert not too_deep(b'["x\\\\", "\\"' + b"{" * 10_000 + b'"]')
    assert too_deep(b"[" * 65 + b"]" * 65)
    assert not too_deep(b"[" * 64 + b"]" * 64)


def test_answers_are_strict_and_hold_any_whole_number() -> None:
    written = door.StrictJson(Flask("x"))
    assert written.dumps({"a": float("nan"), "b": float("inf")}) == '{"a":null,"b":null}'
    assert json.loads(written.dumps({"a": 2**80})) == {"a": 2**80}
    with pytest.raises(ValueError, match="is no number of JSON"):
        written.loads('{"a": NaN}')
