"""Work in the field: the list changes when it is said to be done, and goes back where it is not."""

from __future__ import annotations

import pytest
from tests.building.desks import Desk

from canaleta.plant.changes.field_work import mended, not_mended
from canaleta.plant.checks import punches
from canaleta.plant.checks.punches import PunchError, PunchTrouble

EDIT = {"point": 12, "field": "extension", "was": "KX", "text": "SCA"}
"""TE-2103: type S on KX wire, R43."""


def raised(desk: Desk, *edits: dict[str, object]) -> int:
    with desk.engine.begin() as connection:
        return punches.raise_item(
            connection, point=12, place="", what="another extension wire", severity="A", owner="ben", who="ana",
            due="2027-03-15", rule="R43", edits=edits,
        )  # fmt: skip


def item(desk: Desk, number: int) -> punches.Punch:
    with desk.engine.connect() as connection:
        return next(x for x in punches.listed(connection) if x.id == number)


def test_the_list_changes_once_it_is_done_in_the_name_of_who_did_it(ana: Desk) -> None:
    number = raised(ana, EDIT)
    assert ana.text(12, "extension") == "KX", "nothing is done yet"
    assert "R43:12" in ana.findings()
    mended(ana.engine, ana.cache, number, "ben", "drew new wire")
    assert ana.text(12, "extension") == "SCA"
    assert "R43:12" not in ana.findings()
    assert (item(ana, number).state, item(ana, number).due) == ("cleared", "2027-03-15")


def test_where_it_is_not_so_the_list_goes_back(ana: Desk) -> None:
    number = raised(ana, EDIT)
    mended(ana.engine, ana.cache, number, "ben", "drew new wire")
    not_mended(ana.engine, ana.cache, number, "eva", "still green")
    assert (ana.text(12, "extension"), item(ana, number).state) == ("KX", "open")
    assert "R43:12" in ana.findings()


def test_what_the_list_says_already_is_no_trouble_and_what_else_it_says_is(ana: Desk) -> None:
    number = raised(ana, EDIT)
    ana.edit((12, "extension", "SCB"))
    with pytest.raises(PunchError, match="says “SCB” by now") as trouble:
        mended(ana.engine, ana.cache, number, "ben", "drew new wire")
    assert trouble.value.code is PunchTrouble.CHANGED
    assert item(ana, number).state == "open", "all of it or nothing"
    ana.edit((12, "extension", "SCA"))
    assert mended(ana.engine, ana.cache, number, "ben", "drew new wire").state == "cleared"


def test_an_item_without_cells_is_as_before(ana: Desk) -> None:
    number = raised(ana)
    before = ana.cache.current().seq
    mended(ana.engine, ana.cache, number, "ben", "cleaned it")
    assert ana.cache.current().seq == before
