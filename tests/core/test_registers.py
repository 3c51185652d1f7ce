"""Register maps: few requests, words and bits decoded by what the module type says."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.building.words import layout_with

from canaleta.core.model.module_type import ModuleType
from canaleta.core.model.registers import RackMap, Request, decode, plan_requests


def test_one_request_reads_a_small_rack() -> None:
    assert RackMap.of(layout_with(), 1).requests() == [Request(0, 20)]


def test_requests_never_ask_for_more_than_the_protocol_allows() -> None:
    assert plan_requests([(0, 300)]) == [Request(0, 125), Request(125, 125), Request(250, 50)]


def test_near_runs_are_read_together_and_far_ones_apart() -> None:
    assert plan_requests([(40, 2), (0, 8), (12, 4)]) == [Request(0, 16), Request(40, 2)]


@given(st.lists(st.tuples(st.integers(0, 2000), st.integers(1, 64)), max_size=30))
def test_every_register_is_read_and_none_twice(spans: list[tuple[int, int]]) -> None:
    read = [r for q in plan_requests(spans) for r in range(q.first, q.first + q.count)]
    assert len(read) == len(set(read))
    assert {r for first, count in spans for r in range(first, first + count)} <= set(read)


def test_signed_words_bits_and_faults() -> None:
    rack = RackMap.of(layout_with(), 1)
    words = np.zeros(20, dtype=np.uint16)
    words[0] = 0b0000_0000_0010_0001
    words[1] = 0xE0C0  # −8000 in two's complement
    words[2] = 32767
    words[9] = 0b0000_0010
    found = decode(rack, words)
    at = {(int(m), int(c)): k for k, (m, c) in enumerate(zip(rack.modules, rack.channels, strict=True))}
    assert [found.counts[at[1, c]] for c in (0, 1, 5)] == [1, 0, 1]
    assert [found.counts[at[2, c]] for c in (0, 1)] == [-8000, 32767]
    assert [bool(found.fault[at[2, c]]) for c in (0, 1, 2)] == [False, True, False]


@pytest.mark.parametrize(("one_means", "faulty"), [("fault", [False, True]), ("healthy", [True, False])])
def test_polarity_of_the_status_bit_is_the_types_to_say(one_means: str, faulty: list[bool]) -> None:
    kind = layout_with().types["ai8-ui"].model_dump(mode="json") | {"key": "other"}
    kind["status"] = {"bit_base": 0, "one_means": one_means}
    layout = layout_with([ModuleType.model_validate(kind)])
    rack = RackMap.of(layout, 1)
    words = np.zeros(40, dtype=np.uint16)
    words[layout.first_registers[4] + 8] = 0b10
    here = rack.modules == 4
    assert decode(rack, words).fault[here][:2].tolist() == faulty


def test_a_status_word_without_polarity_is_no_module_type() -> None:
    kind = layout_with().types["ai8-ui"].model_dump(mode="json") | {"status": None}
    with pytest.raises(ValueError, match="bit base and polarity"):
        ModuleType.model_validate(kind)
