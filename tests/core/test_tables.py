"""Typed tables: straight and monotone cubic, there and back, what is refused."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.interpolate import PchipInterpolator

from canaleta.core.notation.text import TextError
from canaleta.core.signals.hops_and_factors import factors_of, hops_of, read_factors, read_hops
from canaleta.core.signals.tables import MOST_POINTS, Table, read_table, table_of

TANK = Table(((0.0, 0.0), (1.0, 2.0), (3.0, 10.0), (4.0, 11.0)))


def test_straight_lines_between_points() -> None:
    """Between (1, 2) and (3, 10) the line rises by 4 for 1: 2.5 gives 8."""
    assert TANK.forward([0.5, 2.5, 4.0]).tolist() == [1.0, 8.0, 11.0]
    assert TANK.inverse([1.0, 8.0, 11.0]).tolist() == [0.5, 2.5, 4.0]


def test_beyond_its_ends_the_last_piece_runs_on() -> None:
    assert TANK.forward([-1.0, 5.0]).tolist() == [-2.0, 12.0]
    assert TANK.inverse([-2.0, 12.0]).tolist() == [-1.0, 5.0]


def test_the_cubic_meets_every_point_and_never_overshoots() -> None:
    curve = Table(TANK.points, cubic=True)
    assert curve.forward(curve.x) == pytest.approx(curve.y)
    fine = curve.forward(np.linspace(0, 4, 400))
    assert (np.diff(fine) > 0).all()
    assert fine.max() <= 11.0


def test_the_cubic_is_the_one_of_fritsch_and_butland() -> None:
    """SciPy has it as PCHIP; (0, 0), (1, 2), (3, 10), (4, 11) by hand: the rises are 2, 4, 1, so the slope at the
    second point is (5 + 4) / (5/2 + 4/4) = 18/7, and 1 − (4 − 1)/3 of the last end's parabola is 0."""
    curve = Table(TANK.points, cubic=True)
    assert float(curve.slope([1.0])[0]) == pytest.approx(18 / 7, rel=1e-14)
    assert float(curve.slope([4.0])[0]) == 0.0


@given(
    st.lists(st.tuples(st.floats(0.01, 5), st.floats(-5, 5)), min_size=1, max_size=20),
    st.lists(st.floats(0, 1), min_size=1, max_size=30),
)
def test_the_cubic_is_as_another_has_it(steps: list[tuple[float, float]], shares: list[float]) -> None:
    x, y = np.cumsum([0.0, *(s[0] for s in steps)]), np.cumsum([0.0, *(s[1] for s in steps)])
    table = Table(tuple(zip(x.tolist(), y.tolist(), strict=True)), cubic=True)
    at = np.array([0.0, *shares, 1.0]) * x[-1]
    other = PchipInterpolator(x, y)
    assert table.forward(at) == pytest.approx(other(at), rel=1e-9, abs=1e-9)
    assert table.slope(at) == pytest.approx(other.derivative()(at), rel=1e-7, abs=1e-7)


rising = st.lists(st.tuples(st.floats(0.01, 5), st.floats(0.01, 5)), min_size=1, max_size=20)


@given(rising, st.booleans(), st.booleans(), st.floats(0, 1))
def test_every_monotonic_table_there_and_back(
    steps: list[tuple[float, float]], cubic: bool, falling: bool, share: float
) -> None:
    x, y = np.cumsum([0.0, *(s[0] for s in steps)]), np.cumsum([0.0, *(s[1] for s in steps)])
    table = Table(tuple(zip(x.tolist(), (-y if falling else y).tolist(), strict=True)), cubic)
    at = share * x[-1]
    assert float(table.inverse(table.forward([at]))[0]) == pytest.approx(at, abs=1e-7 * x[-1])


def test_a_table_that_turns_has_no_inverse_and_says_where() -> None:
    table = Table(((0.0, 0.0), (1.0, 5.0), (2.0, 4.0)))
    assert (table.direction, table.turns_at()) == (0, 3)
    assert np.isnan(table.inverse([2.0])).all()


def test_what_people_type_is_tidied() -> None:
    assert read_table("0 0; 0,5:1.10\n2 → 9.2 ;") == "0 0; 0.5 1.10; 2 9.2"
    assert table_of("0 0; 0.5 1.10", cubic=False).points == ((0.0, 0.0), (0.5, 1.1))


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("0 0", "at least two points"),
        ("0 0; 1 x", "“x” is not a number"),
        ("0 0; 1 2 3", "not one pair"),
        ("0 0; 2 1; 1 2", "point 3: 1 does not rise after 2"),
        ("; ".join(f"{i} {i}" for i in range(MOST_POINTS + 1)), "257 points; a table holds 256"),
    ],
)
def test_a_table_that_cannot_be_read_is_told(text: str, says: str) -> None:
    with pytest.raises(TextError, match=says):
        read_table(text)


def test_hops_of_a_loop_in_one_line() -> None:
    stored = read_hops("head; barrier 300 Ω; indicator 2,5 V; JB-12")
    assert stored == "head; barrier 300 Ω; indicator 2.5 V; JB-12"
    assert [(h.name, h.ohm, h.drop_v) for h in hops_of(stored)] == [
        ("head", 0, 0),
        ("barrier", 300, 0),
        ("indicator", 0, 2.5),
        ("JB-12", 0, 0),
    ]


def test_factors_in_one_line_and_their_product() -> None:
    stored = read_factors("V per count 0.00030518; bar per V 2.5")
    assert [(f.name, f.factor) for f in factors_of(stored)] == [("V per count", 0.00030518), ("bar per V", 2.5)]
    for bad, says in (("bar per V", "its figure"), ("bar per V 0", "every value zero")):
        with pytest.raises(TextError, match=says):
            read_factors(bad)
