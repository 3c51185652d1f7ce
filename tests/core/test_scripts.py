"""Scripts of injections: what each line means, and when an expectation is met; times by hand."""

from dataclasses import replace
from decimal import Decimal

import pytest
from tests.building.words import layout_with, plant_of

from canaleta.core.checks.injection import TAKE_OFF, Injection
from canaleta.core.checks.scripts import LONGEST_S, Observation, See, judged, read_script
from canaleta.core.model.image import PlantImage
from canaleta.core.model.quality import Quality, Reason


def plant() -> PlantImage:
    """PT-1: 0…600 mbar on 4–20 mA with a high alarm; TE-1: type K; XS-1: a contact with words; in a stand-in."""
    layout = layout_with()
    layout = replace(layout, racks={1: replace(layout.racks[1], stand_in=True)})
    image = plant_of(
        "PT-1: 4–20 mA, 0…600 mbar, shows 0…600 mbar",
        "TE-1: TC K, 0…1200 °C, shows 0…1200 °C",
        "XS-1: contact NO",
        "PT 2: 4–20 mA, 0…600 mbar, shows 0…600 mbar, nowhere",
        layout=layout,
    )
    return image.with_cells(
        {
            (0, "alarm_h"): Decimal(450),
            (0, "alarm_fault"): "no",
            (2, "text_0"): "shut",
            (2, "text_1"): "standing open",
        }
    )


def report(text: str) -> list[tuple[float, object]]:
    script = read_script(plant(), text)
    assert not script.problems, script.problems
    return [(step.at_s, step.act) for step in script.steps]


def wrong(text: str) -> str:
    (problem,) = read_script(plant(), text).problems
    return problem.says


def test_times_are_from_the_beginning_or_from_the_line_before() -> None:
    steps = report("0 s PT-1 put 4 mA\n+5 s PT-1 put 8 mA\n\n# a remark\n+1.5min PT-1 take off\n2 PT-1 put 12 mA")
    assert [at for at, _ in steps] == [0.0, 2.0, 5.0, 95.0]
    assert [act.level if isinstance(act, Injection) else None for _, act in steps] == [4.0, 12.0, 8.0, None]
    assert steps[-1][1] == TAKE_OFF


@pytest.mark.parametrize(
    ("line", "put"),
    [
        ("0 PT-1 put 12 mA", Injection(12.0)),
        ("0 pt-1 PUT 12", Injection(12.0)),
        ("0 PT-1 put ramp 4 mA to 20 mA in 8 s", Injection(4.0, "ramp", 20.0, 8.0)),
        ("0 PT-1 put step 4 to 20", Injection(4.0, "step", 20.0, 10.0)),
        ("0 PT-1 put noise 12 mA with 0.2 mA in 1 min", Injection(12.0, "noise", 0.2, 60.0)),
        ("0 XS-1 put closed", Injection(24.0)),
        ("0 PT-1 make open", Injection(faults=(("open", ""),))),
        ("0 PT-1 make leads added 20", Injection(faults=(("leads added", "20"),))),
        ("0 TE-1 make wrong sensor TC J", Injection(faults=(("wrong sensor", "TC J"),))),
    ],
)
def test_what_is_put_on(line: str, put: Injection) -> None:
    assert report(line) == [(0.0, put)]


@pytest.mark.parametrize(
    ("line", "see"),
    [
        ("0 PT-1 see 300 ± 2 within 3 s", See("value", 3.0, 0.0, 300.0, 2.0)),
        ("0 PT-1 see 300 mbar ± 0.5 % within 3 s for 2 s", See("value", 3.0, 2.0, 300.0, 3.0)),
        ("0 PT-1 see 0.3 bar ± 2 mbar for 2 s within 3 s", See("value", 3.0, 2.0, 300.0, 2.0)),
        ("0 PT-1 see bad", See("quality", 5.0, 0.0, code=int(Quality.BAD))),
        ("0 PT-1 see failed low within 6 s", See("reason", 6.0, 0.0, code=int(Reason.FAILED_LOW))),
        ("0 PT-1 see alarm h within 6 s", See("alarm", 6.0, 0.0, alarm="h")),
        ("0 PT-1 see no alarm h for 5 s", See("no alarm", 0.0, 5.0, alarm="h")),
        ("0 XS-1 see standing open", See("state", 5.0, 0.0, code=1)),
        ("0 XS-1 see off within 1 s", See("state", 1.0, 0.0, code=0)),
    ],
)
def test_what_must_be_seen(line: str, see: See) -> None:
    assert report(line) == [(0.0, see)]


@pytest.mark.parametrize(
    ("line", "says"),
    [
        ("PT-1 put 12 mA", "begin with a time"),
        ("0 PT-1 raise 12 mA", "put, make, take off or see"),
        ("0 PT-9 put 12 mA", "there is no point “PT-9”"),
        ("0 PT 2 put 12 mA", "holds no channel yet"),
        ("0 PT-1 put 12 V", "LOOP is in mA"),
        ("0 PT-1 put", "put what on? a level in mA"),
        ("0 PT-1 see 300 within 2 s", "needs what it may be off"),
        ("0 PT-1 see alarm ll", "has no alarm ll"),
        ("0 PT-1 see alarm loud", "is no alarm"),
        ("0 PT-1 see", "see what?"),
        ("0 PT-1 see 300 ± 2 within 2 s within 3 s", "“within” is said twice"),
        ("0 PT-1 take off 12", "takes everything off"),
        ("0 PT-1 make trouble", "“trouble” is not one of"),
        ("61 min PT-1 take off", f"over within {LONGEST_S / 60:g} min"),
    ],
)
def test_a_line_that_cannot_be_read_says_why(line: str, says: str) -> None:
    assert says in wrong(line)


def test_what_can_be_read_is_read_beside_what_cannot() -> None:
    script = read_script(plant(), "0 PT-1 put 12 mA\n0 NN-1 put 4 mA\n5 PT-1 see 300 ± 2 within 3 s for 4 s")
    assert [p.line for p in script.problems] == [2]
    assert [s.line for s in script.steps] == [1, 3]
    assert script.length_s == 12.0
    assert script.put_on == (0,)


def test_nothing_is_put_on_in_a_real_rack() -> None:
    image = plant_of("PT-1: 4–20 mA, 0…600 mbar, shows 0…600 mbar")
    script = read_script(image, "0 PT-1 put 12 mA\n0 PT-1 see 300 ± 2")
    assert [(p.line, "real rack" in p.says) for p in script.problems] == [(1, True)]


def readings(*values: float, period: float = 1.0, first: float = 0.2, alarms: str = "") -> list[Observation]:
    kinds = [frozenset({"h"}) if k in alarms.split() else frozenset() for k in map(str, range(len(values)))]
    return [Observation(first + k * period, v, 0, 0, -1, kinds[k]) for k, v in enumerate(values)]


VALUE = See("value", 3.0, 0.0, 300.0, 2.0)


def outcome(see: See, seen: list[Observation], now: float, begins: float = 0.0) -> tuple[bool | None, float | None]:
    found = judged(see, begins, seen, now, 2.5)
    return found.passes, None if found.after_s is None else round(found.after_s, 6)


def test_it_is_seen_at_the_first_reading_that_shows_it() -> None:
    assert outcome(VALUE, readings(0, 150, 301, 300), 2.3) == (True, 2.2)
    assert outcome(VALUE, readings(0, 150), 1.3) == (None, None), "it can still come"


def test_what_comes_after_its_time_is_not_seen() -> None:
    """Readings at 0.2, 1.2, 2.2, 3.2 s: the first that shows it comes at 3.2 s, allowed were 3."""
    assert outcome(VALUE, readings(0, 0, 0, 300), 3.3) == (False, None)
    assert outcome(VALUE, readings(0, 0, 0, 0), 3.3) == (False, None)


def test_readings_from_before_it_began_do_not_count() -> None:
    assert outcome(VALUE, readings(300, 300, 0), 2.3, begins=1.5) == (None, None)


def test_it_must_stay_for_as_long_as_is_asked() -> None:
    """A ramp that passes through is not there to stay; the second time it stays from 3.2 s on, in the 4 s allowed."""
    see = replace(VALUE, within_s=4.0, for_s=2.0)
    assert outcome(see, readings(0, 300, 500, 300, 300, 300), 5.3) == (True, 3.2)
    assert outcome(see, readings(0, 0, 0, 0, 300, 0), 5.3) == (False, None)


def test_an_alarm_that_must_stay_away_breaks_it_when_it_comes() -> None:
    see = See("no alarm", 0.0, 3.0, alarm="h")
    assert outcome(see, readings(0, 0, 0, 0, 0), 4.3) == (True, 0.2)
    assert outcome(see, readings(0, 0, 0, 0, 0, alarms="2"), 4.3) == (False, None)
    assert outcome(see, readings(0, 0), 1.3) == (None, None)


def test_no_readings_show_nothing() -> None:
    """A rack that fell silent: neither the value nor the absence of an alarm is shown."""
    assert outcome(VALUE, [], 5.4) == (None, None), "a reading may be under way for 2.5 s more"
    assert outcome(VALUE, [], 5.6) == (False, None)
    assert outcome(See("no alarm", 0.0, 3.0, alarm="h"), readings(0, 0), 5.6) == (False, None)


def test_the_edge_of_what_it_may_be_off_is_inside() -> None:
    see = replace(VALUE, figure=0.1, around=0.2)
    assert outcome(see, readings(0.1 + 0.2), 0.3) == (True, 0.2)
    assert outcome(see, readings(0.301), 5.6)[0] is False
