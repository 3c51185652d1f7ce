"""Where a signal stops, and which way it must move; figures by hand."""

from dataclasses import replace
from decimal import Decimal

import numpy as np
import pytest
from tests.building.words import plant_of

from canaleta.core.checks.loopcheck import split
from canaleta.core.checks.stimulus import Expected, expected, judged, stimuli_of
from canaleta.core.live.tracing import STAGES, stages_of, traced
from canaleta.core.model.fields import Station
from canaleta.core.path.evaluate import evaluate
from canaleta.core.path.faults import Fault, evaluate_faulted

LOOP = "PT-1: 4–20 mA, 0…600 mbar, shows 0…600 mbar"
YES, NO = True, False


def test_each_stage_says_where_to_look_and_what_must_be_there() -> None:
    """150 mbar of 0…600 is 8 mA is 8 000 counts, on the first channel of slot 2; DI-16 before it has one register."""
    stages = {s.name: s for s in stages_of(plant_of(LOOP), 0, 150.0)}
    assert tuple(stages) == STAGES
    assert (stages["device"].expected, stages["terminals"].expected) == ("150.0 mbar", "8.000 mA")
    assert stages["module lamp"].look == "channel 1 of AI-8 U/I in slot 2"
    assert (stages["register"].look, stages["register"].figure) == ("input register 1, from 0", 8000.0)
    assert stages["named point"].figure == pytest.approx(150.0)


def test_of_a_contact_the_lamp_and_the_bit_are_told() -> None:
    """A closed contact on the third input of a DI-16: 24 V, lamp lit, bit 2 of register 0."""
    image = plant_of("ZS-0: contact NO", "ZS-1: contact NO", "ZS-2: contact NO")
    on, off = (stages_of(image, 2, level) for level in (1.0, 0.0))
    assert [s.expected for s in on][:3] == ["closed", "24.0 V", "lit"]
    assert (on[3].look, on[3].figure, off[3].figure) == ("input register 0, bit 2, from 0", 1.0, 0.0)
    assert off[2].expected == "dark"


@pytest.mark.parametrize(
    ("ticks", "suspect", "says"),
    [
        # The module's lamp is on and the bit is off: communication, slot or address.
        ([YES, YES, YES, NO, NO, NO], (2, 3), "communication, slot or address"),
        ([YES, NO, NO, NO, NO, NO], (0, 1), "the wire from the device"),
        ([YES, YES, NO, NO, NO, NO], (1, 2), "the input's type and levels"),
        ([YES, YES, YES, YES, NO, NO], (3, 4), "the list: another channel"),
        ([YES, YES, YES, YES, YES, NO], (4, 5), "the controller's program or the screen"),
        ([NO, NO, NO, NO, NO, NO], (-1, 0), "the device itself"),
    ],
)
def test_the_suspect_lies_between_the_last_that_shows_it_and_the_first_that_does_not(
    ticks: list[bool | None], suspect: tuple[int, int], says: str
) -> None:
    found = traced(ticks)
    assert found.suspect == suspect
    assert says in found.says
    assert found.do


@pytest.mark.parametrize(
    ("ticks", "following"),
    [
        ([YES, None, None, None, None, NO], 2),
        ([YES, YES, None, None, NO, None], 2),
        ([None, None, None, NO, None, None], 1),
        ([None] * 6, 5),
        ([YES, None, None, None, None, YES], 4),
    ],
)
def test_what_was_not_looked_at_is_halved(ticks: list[bool | None], following: int) -> None:
    assert traced(ticks).following == following


def test_what_shows_behind_what_does_not_is_asked_about() -> None:
    found = traced([YES, NO, None, YES, None, None])
    assert found.suspect is None
    assert found.says == "the register shows it although the terminals does not"
    assert found.following == 1
    assert traced([YES] * 6).says == "it arrives everywhere"


def test_a_warm_hand_moves_a_thermocouple_up_and_swapped_leads_down() -> None:
    """Type K from 24 °C on; a hand warms it by 3 to 15 K. With its leads swapped at the terminals it falls."""
    image = plant_of("TE-1: TC K, 0…1200 °C, shows 0…1200 °C")
    warm = stimuli_of(image, 0)[0]
    count = float(evaluate(image, Station.PROCESS, 24.0).at(Station.COUNTS)[0])
    due = expected(image, 0, warm, count)
    assert (due.way, due.least, due.most) == (1, pytest.approx(3.0, abs=0.11), pytest.approx(15.0, abs=0.11))
    well = [float(evaluate(image, Station.PROCESS, t).at(Station.VALUE)[0]) for t in (24.0, 31.0)]
    swapped = [
        float(evaluate_faulted(image, Station.PROCESS, np.array([t]), {0: (Fault("reversed"),)}).stations[-1, 0])
        for t in (24.0, 31.0)
    ]
    assert judged(image, 0, due, *well) == (True, "it moves the right way, about as far as it should")
    right, says = judged(image, 0, due, *swapped)
    assert right is False
    assert says.startswith("it moves the wrong way: the two leads are swapped")


@pytest.mark.parametrize(
    ("before", "after", "right", "says"),
    [
        (300.0, 330.0, True, "right way"),
        (300.0, 300.5, False, "does not move"),
        (300.0, 280.0, False, "wrong way"),
        (100.0, 1990.0, False, "much too far"),
        (float("nan"), 330.0, None, "no good value"),
    ],
)
def test_how_far_it_moved_is_judged_roughly(before: float, after: float, right: bool | None, says: str) -> None:
    """A push raises it by 2 to 60 % of 0…600 mbar: by 12, and at most to where the count stops, 32 767 of 32 000:
    614.4."""
    image = plant_of(LOOP)
    due = expected(image, 0, stimuli_of(image, 0)[0], 16000.0)
    assert (due.way, due.least, due.most) == (1, pytest.approx(12.0, abs=0.1), pytest.approx(314.4, abs=0.1))
    told = judged(image, 0, due, before, after)
    assert told[0] is right
    assert says in told[1]


def test_a_reverse_scaling_must_fall_and_a_contact_must_change() -> None:
    down = plant_of("PT-1: 4–20 mA, 0…600 mbar, shows 600…0 mbar")
    assert expected(down, 0, stimuli_of(down, 0)[0], 16000.0).way == -1
    contact = plant_of("ZS-1: contact NO")
    due = expected(contact, 0, stimuli_of(contact, 0)[0], 0.0)
    assert due == Expected(1, 1.0, 1.0)
    assert judged(contact, 0, due, 0.0, 1.0)[0]


def test_a_calibrator_and_a_meter_tell_shunt_and_channel_apart() -> None:
    """12.000 mA over a 250 Ω shunt that is 251 Ω: 3.012 V, 0.012 V of 4 V is +0.3 %; the count is what 3.012 V
    makes."""
    image = plant_of("PT-1: 4–20 mA, 0…600 mbar, shows 0…600 mbar").with_cells(
        {(0, "shunt_ohm"): Decimal(250), (0, "mode"): "0–10 V"}
    )
    due = float(evaluate(image, Station.INPUT, 3.012).at(Station.COUNTS)[0])
    assert split(image, 0, 12.0, 3.012, due) == pytest.approx((0.3, 0.0), abs=0.002)


def test_without_a_shunt_the_channel_is_judged_by_the_current_itself() -> None:
    """8 mA is 8 000 counts of 32 000: 8 064 is +0.2 % of span."""
    shunt, channel = split(plant_of(LOOP), 0, 8.0, float("nan"), 8064.0)
    assert np.isnan(shunt)
    assert channel == pytest.approx(0.2)


def test_a_point_of_another_rack_says_its_own_register() -> None:
    image = plant_of(LOOP)
    layout = replace(image.layout, racks={1: replace(image.layout.racks[1], first_register=100)})
    assert stages_of(image.with_layout(layout), 0, 150.0)[3].look == "input register 101, from 0"
