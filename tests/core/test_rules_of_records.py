"""What records and the plant itself tell: each rule where it speaks, where it must not, and at its edge."""

from __future__ import annotations

import numpy as np
import pytest
from tests.building.words import layout_with

from canaleta.catalogue.types import module_types
from canaleta.core.checks.due import Because, Due
from canaleta.core.model.conventions import Conventions
from canaleta.core.model.image import PlantImage
from canaleta.core.rules.records import (
    Stands,
    Told,
    alarms_of,
    drifting,
    never_came,
    noisy,
    standing,
    unproved,
)
from canaleta.plant.changes.seed import stored_row

LAYOUT = layout_with([module_types()["ai8-left"]])


def plant(*points: dict[str, str]) -> PlantImage:
    empty = PlantImage.of_rows([{}], LAYOUT, Conventions())
    return PlantImage.of_rows([stored_row(empty, p) for p in points], LAYOUT, Conventions())


def of(found: object) -> list[Told]:
    return list(found)  # type: ignore[call-overload]


PT = {"tag": "PT-1", "signal": "4–20 mA", "channel": "TC-1·1·4·1", "mode": "4–20 mA", "value_unit": "bar"}
TT = {"tag": "TT-2", "signal": "4–20 mA", "channel": "TC-1·1·4·2", "mode": "4–20 mA", "value_unit": "°C"}


def test_a_failed_check_of_what_trips_is_bad() -> None:
    image = plant(PT | {"trips": "burner"}, TT)
    one, two = image.ids.tolist()
    failed = Due(100.0, Because.FAILED, "its last check failed")
    told = of(unproved(image, {one: failed, two: failed}, set(), 120.0))
    assert [(t.rule, t.severity) for t in told] == [("R34", "bad"), ("R34", "settle")]
    assert told[0].text == "PT-1: its last check failed, and it shuts something"


@pytest.mark.parametrize(
    ("today", "says"), [(465.0, None), (465.5, "today"), (466.0, "1 day ago"), (500.0, "35 days ago")]
)
def test_a_check_runs_out_after_its_interval(today: float, says: str | None) -> None:
    """Checked on day 100, every 365 days: it holds up to day 465."""
    image = plant(PT)
    due = {int(image.ids[0]): Due(465.0, Because.INTERVAL, "")}
    told = of(unproved(image, due, set(), today))
    assert [t.text for t in told] == ([f"PT-1: its check ran out {says}"] if says else [])


def test_points_that_are_said_to_be_checked_without_a_record_are_one_line() -> None:
    image = plant(
        *(PT | {"tag": f"PT-{k}", "channel": "", "status": "loop-checked"} for k in range(8)),
        TT | {"status": "powered"},
    )
    told = of(unproved(image, {}, {int(image.ids[0])}, 0.0))
    assert len(told) == 1
    assert told[0].points == tuple(image.ids[1:8].tolist())
    assert told[0].text.startswith("7 points are said to be checked, and no signed record says so: PT-1, PT-2")
    assert told[0].text.endswith("and 1 more")
    assert of(unproved(image, {}, set(image.ids.tolist()), 0.0)) == []


@pytest.mark.parametrize(
    ("day", "because", "says"),
    [
        (130.0, Because.DRIFT, "and may leave its tolerance in 30 days"),
        (190.0, Because.DRIFT, None),  # Ninety days off is what the list of due checks is for.
        (90.0, Because.DRIFT, "and may be out of its tolerance by now"),
        (130.0, Because.INTERVAL, None),
    ],
)
def test_drift_is_told_when_it_is_near(day: float, because: Because, says: str | None) -> None:
    image = plant(PT)
    due = {int(image.ids[0]): Due(day, because, "it drifts by 0.200 % of span a year")}
    told = of(drifting(image, due, 100.0))
    assert [t.text for t in told] == ([f"PT-1: it drifts by 0.200 % of span a year {says}"] if says else [])


def test_an_alarm_stands_from_the_plants_hours_on() -> None:
    """24 h unless the plant says otherwise; days from three on."""
    image = plant(PT)
    point = int(image.ids[0])
    told = of(
        standing(
            image,
            [Stands(point, "h", 23.9), Stands(point, "hh", 24.0), Stands(point, "l", 96.0), Stands(999, "l", 96.0)],
        )
    )
    assert [t.text for t in told] == ["PT-1: alarm HH has stood for 24 h", "PT-1: alarm L has stood for 4 days"]


def test_alarms_that_never_came_are_one_line_and_new_ones_are_not_among_them() -> None:
    image = plant(
        PT | {"alarm_h": "9", "alarm_l": "1"},
        TT | {"alarm_h": "80"},
        TT | {"tag": "TT-3", "channel": "", "alarm_h": "80"},
    )
    one, two, _ = image.ids.tolist()
    assert set(alarms_of(image)) == {(one, "h"), (one, "l"), (two, "h")}
    (told,) = of(never_came(image, {(one, "l")}, set(), 365.0))
    assert told.severity == "note"
    assert told.points == (one, two)
    assert told.text.startswith("2 alarms have not come once in 365 days: PT-1 H, TT-2 H. ")
    (told,) = of(never_came(image, {(one, "l")}, {two}, 365.0))
    assert told.text.startswith("1 alarm has not come once")
    assert of(never_came(image, {(one, "l"), (one, "h")}, {two}, 365.0)) == []


def test_a_channel_that_is_off_has_no_alarm_that_could_come() -> None:
    image = plant(PT | {"alarm_h": "9", "enabled": "no"})
    assert alarms_of(image) == []


@pytest.mark.parametrize(("band", "speaks"), [("0.06", False), ("0.059", True)])
def test_a_deadband_is_held_against_six_sigmas_of_what_was_measured(band: str, speaks: bool) -> None:
    """σ 0.01 bar: six are 0.06 bar."""
    image = plant(PT | {"alarm_h": "9", "alarm_h_deadband": band})
    told = of(noisy(image, [0], [0.01]))
    assert bool(told) is speaks
    if told:
        assert "the deadband of alarm H is 0.059 bar, and the value trembled by σ 0.01 bar" in told[0].text
        assert "6 σ are 0.06 bar" in told[0].text
        assert told[0].keeps is not None
        assert told[0].keeps[1] == "0.01"


def test_too_few_readings_say_nothing_of_noise() -> None:
    image = plant(PT | {"alarm_h": "9", "alarm_h_deadband": "0.001"})
    assert of(noisy(image, [0], [np.nan])) == []


def test_noise_that_is_put_down_is_not_offered_again() -> None:
    image = plant(PT | {"alarm_h": "9", "alarm_h_deadband": "0.02", "noise": "0.012"})
    assert [t.keeps for t in noisy(image, [0], [0.01])] == [None]
