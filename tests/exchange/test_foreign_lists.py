"""Lists by other hands: nothing is read wrongly, next to nothing is missed, and what is open is asked once a column."""

from __future__ import annotations

import io
from collections import Counter

import pytest
import xlsxwriter
from tests.exchange.foreign.judge import judged
from tests.exchange.foreign.lists import LISTS, Foreign

from canaleta.catalogue.demo import demo_plant, layout_of
from canaleta.exchange.lists.places import Seats
from canaleta.exchange.lists.understanding import understand
from canaleta.exchange.sheets import read_book

SEATS = Seats.of(layout_of(demo_plant()))


@pytest.mark.parametrize("one", LISTS, ids=lambda one: one.name)
def test_a_list_by_other_hands_is_read_without_a_wrong_cell(one: Foreign) -> None:
    found = judged(one, SEATS)
    assert found.counts["wrong"] == found.counts["missed"] == 0, "\n".join(found.told)
    assert found.questions <= 5


def test_of_all_cells_nearly_all_are_read_without_help() -> None:
    total: Counter[str] = Counter()
    for one in LISTS:
        total += judged(one, SEATS).counts
    assert total["right"] >= 0.93 * total.total(), total


def test_a_question_answered_reads_its_whole_column() -> None:
    one = next(x for x in LISTS if x.name.startswith("a tag in parts"))
    found = judged(one, SEATS, {"joined@funktion~words": "with a dash"})
    assert found.counts["asked"] == 0, found.told


def test_heads_that_a_real_workbook_joins_sideways_and_downwards() -> None:
    out = io.BytesIO()
    book = xlsxwriter.Workbook(out)
    page = book.add_worksheet("KC-2")
    page.merge_range(0, 0, 0, 7, "Vallroja Tileworks, kiln 2: list of signals")
    for column, head in ((0, "Tag"), (1, "Service")):
        page.merge_range(1, column, 2, column, head)
    page.merge_range(1, 2, 1, 4, "Measuring range")
    page.merge_range(1, 5, 1, 7, "Location")
    for column, head in enumerate(("min", "max", "unit", "Rack", "Slot", "Ch."), start=2):
        page.write(2, column, head)
    for row, cells in enumerate(
        (
            ("PT-1", "gas", 0, 10, "bar", 1, 2, 1),
            ("PT-2", "air", 0, 6, "bar", 1, 2, 2),
            ("PT-3", "oil", -1, 3, "bar", 1, 2, 3),
        ),
        start=3,
    ):
        page.write_row(row, 0, cells)
    book.close()
    (table,) = understand(read_book(out.getvalue()), SEATS).tables
    fields = table.rows.fields
    assert fields["tag"] == ["PT-1", "PT-2", "PT-3"]
    assert (fields["device_low"], fields["device_high"]) == (["0", "0", "-1"], ["10", "6", "3"])
    assert fields["device_unit"] == ["bar"] * 3
    assert fields["channel"] == ["KC-2·1·2·1", "KC-2·1·2·2", "KC-2·1·2·3"]
