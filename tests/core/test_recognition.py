"""It finds me: 260 points with noise, three moved, two pairs swapped; what is no pattern; who is asked."""

from decimal import Decimal

import numpy as np
import pytest
from tests.building.words import plant_of

from canaleta.core.checks.walk import Played, Walker, judged, missing, shared_out
from canaleta.core.live import recognition
from canaleta.core.live.recognition import Recognised
from canaleta.core.model.image import PlantImage

POINTS = 260
PERIOD_S = 1.0
STAIRS = (4, 8, 12, 16, 20, 16, 12, 8, 4)


class Field:
    """Signals of many 4–20 mA points: slow swings, drifts and noise; some of them played by hand."""

    def __init__(self, seed: int, n: int = POINTS) -> None:
        self.random = np.random.default_rng(seed)
        self.n = n
        self.mean = self.random.uniform(5, 19, n)
        self.swing = self.random.uniform(0, 2.5, n)
        self.period = self.random.uniform(15, 400, n)
        self.noise = self.random.uniform(0.002, 0.05, n)
        self.played: dict[int, float] = {}

    def at(self, t: float) -> np.ndarray:
        out = (
            self.mean
            + self.swing * np.sin(2 * np.pi * t / self.period)
            + self.noise * self.random.standard_normal(self.n)
        )
        for row, begins in self.played.items():
            step = int((t - begins) // 5.0)
            if 0 <= step < len(STAIRS):
                out[row] = STAIRS[step] + self.noise[row] * self.random.standard_normal()
        return np.clip(out, 3.5, 22.0)


def watched(field: Field, seconds: float) -> list[Recognised]:
    watch, out = recognition.begin(field.n), []
    span, none = np.full(field.n, 16.0), np.full(field.n, -1, dtype=np.int8)
    for t in np.arange(0.0, seconds, PERIOD_S):
        signal = field.at(float(t))
        watch, found = recognition.step(
            watch, float(t), signal, span, (signal - 4) * 2000, (signal - 4) / 16 * 100, none, field.noise
        )
        out += found
    return out


@pytest.mark.parametrize("seed", [1, 2, 3, 4, 5])
def test_three_that_moved_are_named_and_nobody_else(seed: int) -> None:
    field = Field(seed)
    field.played = {11: 40.0, 140: 110.0, 259: 180.0}
    found = watched(field, 300.0)
    assert [f.row for f in found] == [11, 140, 259]
    for one in found:
        assert [p.signal for p in one.plateaus] == pytest.approx(list(STAIRS), abs=0.06)
        assert all(p.readings >= 3 for p in one.plateaus)
        # As `watched` has it: 2000 counts and 6.25 % to the milliampere, from 4 mA.
        assert [p.counts for p in one.plateaus] == pytest.approx([2000 * (s - 4) for s in STAIRS], abs=120)
        assert [p.value for p in one.plateaus] == pytest.approx([6.25 * (s - 4) for s in STAIRS], abs=0.4)


def test_nobody_plays_and_nobody_is_found_for_an_hour() -> None:
    assert watched(Field(9), 3600.0) == []


def plant(n: int = 6) -> PlantImage:
    return plant_of(*[f"P-{k}: 4–20 mA, 0…100 %, shows 0…100 %, nowhere" for k in range(n)])


def test_two_swapped_pairs_are_both_named() -> None:
    """Five walks: 1 moves 2 and 2 moves 1; 3 moves 4 and 4 moves 3; 5 is itself."""
    image = plant()
    at = [Played(2, 100.0), Played(1, 200.0), Played(4, 300.0), Played(3, 400.0), Played(5, 500.0)]
    verdicts, pairs = judged(image, at, [1, 2, 3, 4, 5])
    assert pairs == [(2, 1), (4, 3)]
    assert [v.takes for v in verdicts] == [False, False, False, False, True]
    assert "P-0 was expected and P-1 moved" in verdicts[0].says
    assert "may be swapped" in verdicts[0].says


def test_what_shuts_something_and_two_at_once_are_asked_about() -> None:
    image = plant().with_cells({(2, "trips"): "burner 4"})
    verdicts, _ = judged(image, [Played(1, 100.0), Played(3, 200.0), Played(4, 300.0), Played(5, 301.0)])
    assert [v.takes for v in verdicts] == [True, False, False, False]
    assert "burner 4" in verdicts[1].says
    assert "at once" in verdicts[2].says


def test_one_that_is_left_out_puts_only_its_own_turn_in_doubt() -> None:
    """1, then 3 for 2 is left out, then 4 and 5: one question, and 2 is missing in the end."""
    found = [Played(p, 100.0 * k) for k, p in enumerate((1, 3, 4, 5), start=1)]
    verdicts, pairs = judged(plant(), found, [1, 2, 3, 4, 5])
    assert [v.takes for v in verdicts] == [True, False, True, True]
    assert pairs == []
    assert missing([p.point for p in found], [1, 2, 3, 4, 5]) == [2]


def test_a_device_that_answers_at_a_channel_nobody_expects_is_on_other_terminals() -> None:
    verdicts, _ = judged(plant(), [Played(5, 100.0)], [1, 2])
    assert verdicts[0].sign == "wrong terminals"
    assert "P-0 was expected and answers at" in verdicts[0].says
    assert "the channel of P-4" in verdicts[0].says


STAIR = (4.0, 8.0, 12.0, 16.0, 20.0)


def test_a_staircase_that_falls_is_a_pair_with_its_cores_swapped() -> None:
    verdicts, _ = judged(plant(), [Played(1, 100.0, STAIR), Played(2, 200.0, STAIR[::-1])], [1, 2])
    assert [v.sign for v in verdicts] == ["", "swapped cores"]
    assert "the two cores of its pair" in verdicts[1].says


def test_levels_of_another_type_say_which() -> None:
    """0 to 1000 °C: type K gives 0, 10.153, 20.644, 31.213, 41.276 mV, type N 0, 7.597, 16.748, 26.491, 36.256 mV (IEC
    60584-1); Pt1000 gives ten times what Pt100 does."""
    image = plant_of(*["T: TC K, 0…1000 °C, nowhere"] * 2, "P: 4–20 mA, 0…10 bar, nowhere").with_cells(
        {(1, "signal"): "Pt100", (1, "device_high"): Decimal(400)}
    )
    k, n = (0.0, 10.153, 20.644, 31.213, 41.276), (0.0, 7.597, 16.748, 26.491, 36.256)
    pt100 = (100.0, 138.506, 175.856, 212.052, 247.092)
    played = [
        Played(1, 100.0, k),
        Played(1, 200.0, n),
        Played(2, 300.0, tuple(10 * x for x in pt100)),
        Played(3, 400.0, (0, 5, 10, 15, 20)),
    ]
    verdicts, _ = judged(image, played)
    assert [v.sign for v in verdicts] == ["", "other type", "other type", "other type"]
    assert "those of TC N" in verdicts[1].says
    assert "those of Pt1000" in verdicts[2].says
    assert "those of 0–20 mA" in verdicts[3].says


def test_several_people_are_told_apart_by_who_expects_what() -> None:
    """Ana expects 1 and 2, Pau 4 and 5, both play at the same time; what nobody expects goes to who said nothing."""
    image = plant()
    ana, pau = Walker("ana", 0.0, (1, 2)), Walker("pau", 0.0, (4, 5))
    found = [Played(1, 100.0), Played(4, 101.0), Played(2, 200.0), Played(5, 201.0)]
    told = shared_out(image, found, [ana, pau])
    assert told == {"ana": [0, 2], "pau": [1, 3]}
    for who in (ana, pau):
        verdicts, _ = judged(image, [found[k] for k in told[who.who]], who.expected)
        assert all(v.takes for v in verdicts), "two at once is a question of one walk alone"
    anywhere = Walker("jordi", 0.0)
    assert shared_out(image, [Played(3, 50.0)], [ana, pau, anywhere]) == {"ana": [], "pau": [], "jordi": [0]}
    late = Walker("jordi", 90.0)
    assert shared_out(image, [Played(1, 50.0)], [late]) == {"jordi": []}


def play(levels: list[float], hold: int = 5, span: float = 16.0) -> list[Recognised]:
    watch, out = recognition.begin(1), []
    one, none = np.array([span]), np.array([-1], dtype=np.int8)
    for k, level in enumerate(np.repeat(levels, hold).tolist()):
        signal = np.array([float(level)])
        watch, found = recognition.step(watch, float(k), signal, one, signal, signal, none)
        out += found
    return out


def test_ohms_are_found_as_well() -> None:
    """A decade box at a Pt100 of 0…200 °C: five even steps of resistance up and back."""
    ohms = np.array([100.0, 119.0, 138.0, 157.0, 176.0, 157.0, 138.0, 119.0, 100.0])
    assert len(play(ohms.tolist(), span=75.86)) == 1


def test_a_level_trimmed_by_hand_is_one_level() -> None:
    assert len(play([4, 7.7, 8.0, 12, 16, 19.6, 20, 16, 12, 8, 4])) == 1


@pytest.mark.parametrize(
    "levels",
    [
        [4, 8, 12, 16, 20, 16, 12, 8],
        [4, 8, 12, 16, 20, 20, 16, 12, 8],
        [4, 9, 12, 16, 20, 16, 12, 8, 4],
        [11, 11.5, 12, 12.5, 13, 12.5, 12, 11.5, 11],
        [4, 20, 4, 20, 4, 20, 4, 20, 4],
    ],
)
def test_what_is_not_the_whole_staircase_is_nothing(levels: list[float]) -> None:
    assert play(levels) == []


def test_a_staircase_too_quick_to_be_steady_is_nothing() -> None:
    assert play(list(STAIRS), hold=2) == []


def contact(lasting: list[tuple[int, float]], period: float = 0.2) -> list[Recognised]:
    """State and how long it stands, s."""
    watch, out, t = recognition.begin(1), [], 0.0
    nothing = np.array([np.nan])
    for state, seconds in lasting:
        for _ in range(round(seconds / period)):
            watch, found = recognition.step(
                watch, t, nothing, nothing, nothing, nothing, np.array([state], dtype=np.int8)
            )
            out += found
            t += period
    return out


@pytest.mark.parametrize("rest", [0, 1])
def test_short_long_short_is_found_open_or_closed_at_rest(rest: int) -> None:
    on = 1 - rest
    found = contact([(rest, 6), (on, 1), (rest, 1.5), (on, 4), (rest, 1.5), (on, 1), (rest, 5)])
    assert [f.pattern for f in found] == ["short, long, short"]


def test_chatter_and_a_machine_that_cycles_are_nothing() -> None:
    assert contact([(k % 2, 0.4) for k in range(80)]) == []
    assert contact([(k % 2, 4) for k in range(40)]) == []
    assert contact([(0, 6), (1, 1), (0, 1), (1, 1), (0, 1), (1, 1), (0, 5)]) == []
