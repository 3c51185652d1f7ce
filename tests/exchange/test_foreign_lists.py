"""Lists by other hands: nothing is read wrongly, next to nothing is missed, and what is open is asked once a column."""

from __future__ import annotations

from collections import Counter

import pytest
from tests.exchange.foreign.judge import judged
from tests.exchange.foreign.lists import LISTS, Foreign

from canaleta.catalogue.demo import demo_plant, layout_of
from canaleta.exchange.lists.places import Seats

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
