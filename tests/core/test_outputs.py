"""Outputs by pulse width and the current of loads: duty, counts, limits and mA by hand."""

from decimal import Decimal

import numpy as np
import pytest
from pydantic import ValidationError
from tests.building.words import layout_with, plant_of

from canaleta.catalogue.types import module_types
from canaleta.core.hardware.fit import Level, judge
from canaleta.core.hardware.forcing import command_writes, held_between
from canaleta.core.hardware.loads import expected_load_ma, least_load_ma
from canaleta.core.hardware.settings import differences
from canaleta.core.model.fields import Landing, Station, Stored
from canaleta.core.model.image import PlantImage
from canaleta.core.model.module_type import ModuleType, Setting
from canaleta.core.model.quality import Quality
from canaleta.core.model.register_tables import Table
from canaleta.core.path.evaluate import evaluate

PO, DO = module_types()["po4"], module_types()["do4-2a"]
ROW = np.array([0])


def valve(**cells: Stored) -> PlantImage:
    """YV-1: 0…250 bar by pulse width on channel 1 of a PO-4 in slot 4; 1 600 mA at full duty."""
    layout = layout_with([PO, DO])
    point: dict[str, Stored] = {
        "tag": "YV-1",
        "signal": "PWM",
        "mode": "PWM",
        "channel": Landing(4, 0, landed=True),
        "load_ma": Decimal(1600),
        "device_low": Decimal(0),
        "device_high": Decimal(250),
        "value_low": Decimal(0),
        "value_high": Decimal(250),
    }
    return PlantImage.of_rows([point | cells], layout)


@pytest.mark.parametrize(
    ("bar", "duty", "permille"), [(0, 0, 0), (93.75, 37.5, 375), (250, 100, 1000), (0.1, 0.04, 0)]
)
def test_a_duty_is_told_in_per_mille(bar: float, duty: float, permille: float) -> None:
    """37.5 % is 375 ‰; at 0…250 bar that is 93.75 bar."""
    paths = evaluate(valve(), Station.VALUE, bar)
    assert paths.at(Station.COUNTS)[0] == permille
    assert evaluate(valve(), Station.COUNTS, float(permille)).at(Station.LOOP)[0] == pytest.approx(permille / 10)
    assert abs(duty - permille / 10) < 0.05


def test_full_duty_is_no_end_of_the_range_that_hides_something() -> None:
    """An input at its last count cannot tell what lies beyond; an output gives what it was told."""
    assert evaluate(valve(), Station.COUNTS, np.array([1000.0])).quality[0] == Quality.GOOD


def test_a_pulse_width_goes_on_an_output_for_it_and_nowhere_else() -> None:
    image = valve()
    assert judge(image, 0, 4, 1).level is Level.FITS
    told = judge(image, 0, 2, 0)
    assert told.level is Level.REFUSED
    assert "only listens" in told.reasons[0]


@pytest.mark.parametrize(("given", "held"), [(375, 375), (0, 0), (1, 80), (79, 80), (1000, 920), (920, 920)])
def test_limits_hold_the_duty_between_and_none_is_off(given: float, held: float) -> None:
    """8 … 92 %: a valve's dead band is left out, 0 switches it off."""
    image = valve(least_duty=Decimal(8), most_duty=Decimal(92))
    assert held_between(image, 0, PO.modes[0], given) == held
    assert held_between(valve(), 0, PO.modes[0], given) == given


def test_the_command_is_one_word_behind_settings_and_forces() -> None:
    """Own number, six settings of four channels, one word of force bits, four forced counts: channel 2 is word 31."""
    layout = layout_with([PO])
    first = layout.first_settings[4]
    (write,) = command_writes(layout, 4, 1, 375)
    assert (write.register - first, write.word) == (1 + 6 * 4 + 1 + 4 + 1, 375)


@pytest.mark.parametrize(("counts", "expected", "least"), [(375, 600, 60), (0, 0, 0), (1000, 1600, 160)])
def test_what_a_load_takes_and_below_what_it_is_open(counts: float, expected: float, least: float) -> None:
    """37.5 % of 1 600 mA is 600 mA; less than a tenth of it is an open load."""
    given = np.array([float(counts)])
    assert expected_load_ma(valve(), ROW, given)[0] == pytest.approx(expected)
    assert least_load_ma(valve(), ROW, given)[0] == pytest.approx(least)


def test_a_load_of_unknown_current_is_open_when_next_to_nothing_flows() -> None:
    image = valve(load_ma=None)
    assert np.isnan(expected_load_ma(image, ROW, np.array([375.0]))[0])
    assert least_load_ma(image, ROW, np.array([375.0]))[0] == 2.0
    assert least_load_ma(image, ROW, np.array([50.0]))[0] == 0.0, "5 % of the time says nothing"


def test_settings_that_are_figures_are_written_in_the_units_of_the_module() -> None:
    """Dither in tenths of a percent: 4 % is 40. Frequencies as they are."""
    of = {setting.of: setting for setting in PO.settings}
    assert (of["dither"].code_of("4"), of["dither"].name_of(40)) == (40, "4")
    assert (of["PWM frequency"].code_of("400"), of["PWM frequency"].default_code) == (400, 200)
    assert of["PWM frequency"].code_of("2001") is None, "beyond what the module takes"
    assert of["PWM frequency"].name_of(3) == ""


def test_what_rack_and_list_do_not_agree_on_is_told_with_units() -> None:
    """The rack pulses at 200 Hz as it comes; the list wants 400 Hz."""
    image = valve(pwm_hz=Decimal(400))
    layout = image.layout
    words = [0] * sum(layout.type_of(m).setting_count for m in layout.modules)
    first = layout.first_settings[4]
    words[first + 1 + 4] = 200
    (found,) = [
        d
        for d in differences(image, 1, {(Table.HOLDING_REGISTERS, k): word for k, word in enumerate(words)})
        if d.setting == "PWM frequency"
    ]
    assert (found.listed, found.reported, found.code, found.at.place) == ("400 Hz", "200 Hz", 400, first + 5)


@pytest.mark.parametrize(
    ("setting", "says"),
    [
        ({"of": "PWM frequency"}, "is a figure"),
        ({"of": "PWM frequency", "per_unit": 1, "least": 50, "most": 20, "usual": 30}, "from least to most"),
        ({"of": "dither", "per_unit": 1000, "least": 0, "most": 100, "usual": 0}, "from least to most"),
        ({"of": "enabled", "per_unit": 1}, "is a choice"),
        ({"of": "enabled"}, "no number for any choice"),
    ],
)
def test_a_setting_that_does_not_hold_together_is_refused(setting: dict[str, object], says: str) -> None:
    with pytest.raises(ValidationError, match=says):
        Setting.model_validate(setting)


def test_a_module_that_measures_loads_has_a_register_for_each() -> None:
    body = DO.model_dump(mode="json")
    body["registers"][2]["count"] = 3
    with pytest.raises(ValidationError, match="load current"):
        ModuleType.model_validate(body)


def test_a_straight_4_20_ma_input_has_no_load_to_be_open() -> None:
    assert np.isnan(expected_load_ma(plant_of("4–20 mA, 0…10 bar"), ROW, np.array([16000.0]))[0])
