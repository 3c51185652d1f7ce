"""The plant image: columns derived once, what-if by replacing cells, nothing shared that changes."""

from decimal import Decimal

import numpy as np
from hypothesis import given
from hypothesis import strategies as st
from tests.building.words import plant_of

from canaleta.core.model.fields import Landing, Station
from canaleta.core.path.evaluate import evaluate

SENTENCES = ("4–20 mA, 0…600 mbar, shows 0…500 mbar", "contact NO", "TC K, 0…1200 °C, shows 0…1200 °C")
CELLS = st.one_of(
    st.tuples(
        st.sampled_from(["device_low", "device_high", "value_low", "value_high"]),
        st.one_of(st.none(), st.integers(-500, 500).map(Decimal)),
    ),
    st.tuples(st.just("signal"), st.sampled_from(["4–20 mA", "0–10 V", "TC K", "contact NC", None])),
    st.tuples(st.just("mode"), st.sampled_from(["4–20 mA", "0–10 V", "24 V DC", None])),
    st.tuples(st.just("channel"), st.sampled_from([Landing(2, 5, True), Landing(1, 9, False), None])),
)


@given(st.lists(st.tuples(st.integers(0, 2), CELLS), max_size=8))
def test_an_image_changed_step_by_step_equals_one_made_anew(edits: list[tuple[int, tuple[str, object]]]) -> None:
    image = plant_of(*SENTENCES)
    evaluate(image, Station.DEVICE, 50.0)
    for row, (field, value) in edits:
        image = image.with_cells({(row, field): value})
    rows = [{name: column[row] for name, column in image.cells.items()} for row in range(len(image))]
    anew = type(image).of_rows(rows, image.layout)
    for column in ("family", "mode", "module", "channel", "landed"):
        assert (getattr(image, column) == getattr(anew, column)).all(), column
    stepped, fresh = (evaluate(i, Station.DEVICE, 50.0) for i in (image, anew))
    np.testing.assert_array_equal(stepped.stations, fresh.stations)


def test_what_if_leaves_the_plant_as_it_was() -> None:
    plant = plant_of(*SENTENCES)
    before = evaluate(plant, Station.LOOP, 12.0).stations.copy()
    plant.with_cells({(0, "value_high"): Decimal(900)})
    np.testing.assert_array_equal(evaluate(plant, Station.LOOP, 12.0).stations, before)
    assert plant.text("value_high", 0) == "500"


def test_a_cell_is_text_with_every_digit_and_an_address_with_its_names() -> None:
    plant = plant_of("4–20 mA, 0…10.50 bar")
    assert plant.text("device_high", 0) == "10.50"
    assert plant.text("channel", 0) == "TC-1·1·2·1"
    assert plant.text("value_high", 0) == ""


def test_a_column_reads_as_its_cells_do_and_rows_leave_out_what_is_empty() -> None:
    plant = plant_of(*SENTENCES, "4–20 mA, 0…10.50 bar")
    for name in plant.cells:
        assert plant.texts(name) == [plant.text(name, row) for row in range(4)], name
        assert plant.texts(name, np.array([3, 1])) == [plant.text(name, 3), plant.text(name, 1)], name
    told = plant.filled_texts()
    assert told[3]["device_high"] == "10.50"
    assert told[1]["signal"] == "contact NO"
    assert "device_high" not in told[1]
    assert "notes" not in told[0]
    assert plant_of("contact NO").filled_texts()[0]["channel"] == "TC-1·1·1·1"
