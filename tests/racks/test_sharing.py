"""Racks of one line go to one agent: with two on it, each would hear the other's answers."""

from __future__ import annotations

from dataclasses import replace

import pytest
from tests.building.words import layout_with

from canaleta.core.model.layout import Layout, Rack
from canaleta.racks.sharing import bundles, over_share, to_take

GATEWAY = ("Modbus RTU over TCP", "10.0.0.5", 4001)


def plant(*racks: tuple[str, str, int]) -> Layout:
    made = {
        n: Rack(n, 1, str(n), host, port, n, 1000, link=link) for n, (link, host, port) in enumerate(racks, start=1)
    }  # type: ignore[arg-type]
    return replace(layout_with(), racks=made, modules={})


def test_units_of_one_gateway_go_together_and_racks_of_their_own_do_not() -> None:
    tcp = ("Modbus TCP", "10.0.0.9", 502)
    other = ("Modbus RTU over TCP", "10.0.0.5", 4002)
    layout = plant(
        GATEWAY, tcp, GATEWAY, other, tcp, ("Modbus RTU", "/dev/ttyUSB0", 502), ("Modbus RTU", "/dev/ttyUSB0", 502)
    )
    assert bundles(layout) == {1: (1, 3), 2: (2,), 4: (4,), 5: (5,), 6: (6, 7)}


ALONE = {1: (1,), 2: (2,), 3: (3,), 4: (4,)}
LINES = {1: (1, 3, 5), 2: (2,), 4: (4, 6)}


@pytest.mark.parametrize(
    ("together", "held", "share", "take"),
    [
        (ALONE, set(), 2, [1, 2]),
        (ALONE, {1}, 2, [2]),
        (ALONE, {1, 2}, 2, []),
        (LINES, set(), 3, [1]),
        (LINES, {1}, 1, [3, 5]),
        (LINES, {1, 3, 5}, 4, [2]),
        (LINES, {2}, 3, [1]),
    ],
)
def test_what_is_taken_is_one_share_and_the_rest_of_ones_own_lines(
    together: dict[int, tuple[int, ...]], held: set[int], share: int, take: list[int]
) -> None:
    assert to_take(together, held, share) == take


@pytest.mark.parametrize(
    ("together", "held", "share", "go"),
    [
        (ALONE, {1, 2, 3, 4}, 2, [3, 4]),
        (ALONE, {1, 2}, 2, []),
        (LINES, {1, 3, 5, 2, 4, 6}, 3, [2, 4, 6]),
        (LINES, {1, 3, 5}, 1, []),
        (LINES, {3, 2}, 3, [3]),
    ],
)
def test_what_goes_is_what_is_over_the_share_and_what_is_left_of_anothers_line(
    together: dict[int, tuple[int, ...]], held: set[int], share: int, go: list[int]
) -> None:
    assert over_share(together, held, share) == go
