"""Faults in words: each has causes and a next step of its own, and how severe it is is the plant's rule."""

import pytest
from tests.building.words import plant_of

from canaleta.core.live.advice import advice_for, advice_of, grade_of
from canaleta.core.model.conventions import Conventions
from canaleta.core.model.image import PlantImage
from canaleta.core.model.quality import WORDS, Reason
from canaleta.core.signals.signal_types import Family

PLANT = plant_of("4–20 mA, 0…600 mbar, shows 0…600 mbar")


def with_grades(text: str) -> PlantImage:
    return PLANT.with_conventions(Conventions(fault_grades=text))


@pytest.mark.parametrize("reason", list(WORDS), ids=lambda r: r.name)
def test_every_fault_has_causes_and_a_next_step(reason: Reason) -> None:
    told = advice_for(PLANT, reason)
    assert told.says == WORDS[reason][1]
    assert told.causes
    assert told.next


def test_no_two_faults_of_a_signal_say_the_same() -> None:
    """Open, short, under, over, failed, module fault, rack lost, out of range: texts differ."""
    kinds = (
        Reason.OPEN_CIRCUIT, Reason.SHORT_CIRCUIT, Reason.UNDER_RANGE, Reason.OVER_RANGE, Reason.FAILED_LOW,
        Reason.FAILED_HIGH, Reason.AT_LIMIT_HIGH, Reason.CHANNEL_FAULT, Reason.RACK_SILENT, Reason.OUTSIDE_SENSOR,
        Reason.DISABLED, Reason.FORCED,
    )  # fmt: skip
    told = [advice_for(PLANT, reason) for reason in kinds]
    for part in ("says", "causes", "next"):
        assert len({getattr(one, part) for one in told}) == len(kinds), part


def test_an_open_circuit_is_looked_for_where_the_signal_breaks() -> None:
    """A burnt-through thermocouple is measured at the head; a contact's line has its end-of-line resistors."""
    element = advice_for(PLANT, Reason.OPEN_CIRCUIT, Family.THERMOCOUPLE)
    assert "burnt through" in element.causes[0]
    assert "end-of-line" in advice_for(PLANT, Reason.OPEN_CIRCUIT, Family.CONTACT).causes[0]
    assert "disconnects and fuse" in advice_for(PLANT, Reason.OPEN_CIRCUIT, Family.LINEAR).next
    swapped = advice_for(PLANT, Reason.OUTSIDE_SENSOR, Family.THERMOCOUPLE)
    assert swapped.causes[0] == "plus and minus are swapped"


def test_the_worst_comes_first_and_what_the_plant_does_not_want_told_is_not() -> None:
    both = int(Reason.OVER_RANGE | Reason.CHANNEL_FAULT | Reason.CLAMPED)
    assert [a.grade for a in advice_of(PLANT, 0, both)] == ["bad", "settle", "note"]
    quiet = with_grades("above the good range of the signal off; clamped at the end of the range off")
    assert [a.reason for a in advice_of(quiet, 0, both)] == [Reason.CHANNEL_FAULT]
    turned = with_grades("above the good range of the signal bad; the module reports a fault on this channel note")
    assert [(a.reason, a.grade) for a in advice_of(turned, 0, both)][:2] == [
        (Reason.OVER_RANGE, "bad"),
        (Reason.CHANNEL_FAULT, "note"),
    ]


def test_severity_is_what_the_quality_says_unless_the_plant_says_otherwise() -> None:
    assert grade_of(PLANT, Reason.OPEN_CIRCUIT) == "bad"
    assert grade_of(PLANT, Reason.UNDEFINED_LEVEL) == "settle"
    assert grade_of(PLANT, Reason.DISABLED) == "note"
    assert grade_of(with_grades("open circuit note"), Reason.OPEN_CIRCUIT) == "note"


def test_nothing_wrong_is_nothing_to_say() -> None:
    assert advice_of(PLANT, 0, 0) == []
