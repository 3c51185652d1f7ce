"""Rows that come and go, typicals, locks, and taking back a part of what somebody did."""

from __future__ import annotations

import numpy as np
import pytest
from sqlalchemy import select
from tests.building.database import Database

from canaleta.core.notation.text import TextError
from canaleta.core.rules import audit
from canaleta.plant.changes.apply import Applied, Edit, Planned, Proposal, apply
from canaleta.plant.changes.rows import NewRows, Rows, add_rows, remove_rows
from canaleta.plant.changes.typical_changes import change_typical, points_of
from canaleta.plant.changes.undo import NothingToUndo, redo, revert, undo
from canaleta.plant.database import tables as t
from canaleta.plant.database.locks import LockedError, held, lift, set_lock
from canaleta.plant.people import accounts
from canaleta.plant.records.findings import stored_findings, to_body
from canaleta.plant.records.image_cache import ImageCache
from canaleta.plant.records.typicals import Typical, typicals


class Desk:
    """A person at the list."""

    def __init__(self, database: Database, who: str) -> None:
        self.database, self.engine, self.who = database, database.engine, who
        self.cache = ImageCache(self.engine)

    def point(self, tag: str) -> int:
        image = self.cache.current()
        return int(image.ids[list(image.cells["tag"]).index(tag)])

    def text(self, tag: str, field: str) -> str:
        image = self.cache.current()
        return image.text(field, image.row_of(self.point(tag)))

    def tags(self) -> list[str]:
        return list(self.cache.current().cells["tag"])

    def make(self, **asked: object) -> tuple[Applied | None, Rows]:
        return add_rows(self.engine, self.cache, NewRows(**asked), self.who, "new")  # type: ignore[arg-type]

    def edit(self, tag: str, field: str, text: str, *, partial: bool = False) -> Applied | Planned:
        point = self.point(tag)
        edit = Edit(point, field, self.text(tag, field), text)
        return apply(self.engine, self.cache, Proposal((edit,), partial=partial), self.who)

    def remove(self, *tags: str) -> Applied:
        done = remove_rows(self.engine, self.cache, [self.point(tag) for tag in tags], self.who)
        assert isinstance(done, Applied)
        return done

    def findings_are_those_of_a_full_audit(self) -> bool:
        with self.engine.connect() as connection:
            stored = {body["key"]: body for body in stored_findings(connection)}
        return stored == {f.key: to_body(f) for f in audit(ImageCache(self.engine).current())}


@pytest.fixture
def ana(database: Database) -> Desk:
    return Desk(database, "ana")


@pytest.fixture
def ben(database: Database) -> Desk:
    return Desk(database, "ben")


def test_sixteen_numbered_points_on_sixteen_channels_are_one_change_set(ana: Desk) -> None:
    before = ana.cache.current().seq
    applied, rows = ana.make(count=3, cells={"tag": "ZS-9098", "signal": "contact NO", "cores": "1, 2"})
    assert applied is not None
    assert applied.seq == before + 1
    assert ana.tags()[-3:] == ["ZS-9098", "ZS-9099", "ZS-9100"]
    assert [row["cores"] for row in rows.texts] == ["1, 2", "3, 4", "5, 6"]
    undo(ana.engine, ana.cache, "ana")
    assert "ZS-9098" not in ana.tags()
    redo(ana.engine, ana.cache, "ana")
    assert ana.tags()[-3:] == ["ZS-9098", "ZS-9099", "ZS-9100"]


def test_another_process_learns_of_rows_without_loading_the_plant(ana: Desk, ben: Desk) -> None:
    kept = ben.cache.current()
    ana.make(count=2, cells={"tag": "AA-1"})
    ana.remove("PT-3108")
    now = ben.cache.current()
    assert now.layout is kept.layout, "a fresh load would have made a new one"
    fresh = ImageCache(ana.engine).current()
    assert now.ids.tolist() == fresh.ids.tolist()
    assert all(np.array_equal(now.cells[name], column) for name, column in fresh.cells.items())
    assert np.array_equal(now.family, fresh.family)


def test_a_copy_takes_all_but_what_only_the_one_point_has(ana: Desk) -> None:
    ana.make(count=2, like=ana.point("PT-3107"), cells={"tag": "PT-9001"})
    assert ana.text("PT-9002", "device_high") == ana.text("PT-3107", "device_high") == "600"
    assert ana.text("PT-9002", "mode") == "4–20 mA"
    assert ana.text("PT-9001", "channel") == ""
    assert ana.findings_are_those_of_a_full_audit()


def test_a_cell_that_cannot_be_read_stays_empty_and_is_told(ana: Desk) -> None:
    applied, rows = ana.make(rows=({"tag": "PT-9001", "device_low": "none", "service": "gas"},))
    assert applied is not None
    assert [(t.row, t.field) for t in rows.troubles] == [(0, "device_low")]
    assert ana.text("PT-9001", "service") == "gas"


def test_rows_without_a_tag_are_named_on_from_the_one_before(ana: Desk) -> None:
    ana.make(rows=({"tag": "PT-3106"}, {"service": "the next"}))
    assert ana.tags()[-1] == "PT-3109", "3107 and 3108 are taken"
    with pytest.raises(TextError, match="between 1 and 5000"):
        ana.make(count=6000)


def test_a_removed_point_comes_back_with_everything_and_its_channel_went_to_who_wished_for_it(ana: Desk) -> None:
    place = ana.text("PT-3107", "channel")
    ana.edit("PT-3108", "channel", place)
    assert ana.findings_are_those_of_a_full_audit()
    ana.remove("PT-3107")
    image = ana.cache.current()
    row = image.row_of(ana.point("PT-3108"))
    assert (image.text("channel", row), bool(image.landed[row])) == (place, True)
    assert ana.findings_are_those_of_a_full_audit()
    undo(ana.engine, ana.cache, "ana")
    assert ana.text("PT-3107", "device_high") == "600"
    assert ana.findings_are_those_of_a_full_audit()


def test_numbers_of_points_that_went_are_not_given_out_again(ana: Desk) -> None:
    ana.make(count=1, cells={"tag": "AA-1"})
    gone = ana.point("AA-1")
    ana.remove("AA-1")
    ana.make(count=1, cells={"tag": "AA-2"})
    assert ana.point("AA-2") > gone


# A paste -------------------------------------------------------------------------------------------


def test_of_a_paste_what_can_be_read_is_in_and_the_rest_is_named(ana: Desk) -> None:
    points = [ana.point(tag) for tag in ("PT-3107", "FT-3110")]
    edits = (
        Edit(points[0], "value_high", "500", "600"),
        Edit(points[0], "device_high", "600", "many"),
        Edit(points[1], "service", "not what stands there", "x"),
        Edit(99_999, "service", "", "x"),
    )
    done = apply(ana.engine, ana.cache, Proposal(edits, "pasted", partial=True), "ana")
    assert isinstance(done, Applied)
    assert done.left is not None
    assert {r.edit.field for r in done.left.refusals} == {"device_high", "service"}
    assert [c.edit.point for c in done.left.conflicts] == [points[1]]
    assert ana.text("PT-3107", "value_high") == "600"
    whole = apply(ana.engine, ana.cache, Proposal(edits), "ana")
    assert isinstance(whole, Planned), "without `partial` it is all or nothing"


def test_cells_of_one_row_are_read_in_the_order_in_which_they_depend(ana: Desk) -> None:
    ana.make(count=1, cells={"tag": "TE-9001"})
    point = ana.point("TE-9001")
    edits = (
        Edit(point, "mode", "", "TC K, 0.1 °C"),
        Edit(point, "channel", "", "KC-2·1·3·7"),
        Edit(point, "signal", "", "TC K"),
        Edit(point, "device_low", "", "0-1200 °C"),
    )
    done = apply(ana.engine, ana.cache, Proposal(edits, "pasted"), "ana")
    assert isinstance(done, Applied), done
    assert [ana.text("TE-9001", f) for f in ("mode", "device_high", "device_unit")] == ["TC K, 0.1 °C", "1200", "°C"]


# Typicals ------------------------------------------------------------------------------------------

LEVEL = {"signal": "4–20 mA", "device_low": "0", "device_high": "4.2", "device_unit": "m", "wires": "2"}


def keep(desk: Desk, name: str, cells: dict[str, str], points: tuple[int, ...] = (), becomes: str = "") -> Applied:
    kind = Typical(0, becomes or name, "a level", cells)
    return change_typical(desk.engine, desk.cache, name, kind, points, desk.who)


def test_a_changed_typical_offers_the_points_that_still_say_what_it_said(ana: Desk) -> None:
    keep(ana, "level", LEVEL)
    ana.make(count=12, typical="level", cells={"tag": "LT-9001"})
    ana.edit("LT-9002", "device_high", "5")
    concerned = points_of(ana.cache.current(), "level")
    assert len(concerned) == 12
    keep(ana, "level", LEVEL | {"device_high": "6.0"}, tuple(concerned))
    assert [ana.text(f"LT-900{n}", "device_high") for n in (1, 2, 3)] == ["6.0", "5", "6.0"]
    undo(ana.engine, ana.cache, "ana")
    assert ana.text("LT-9001", "device_high") == "4.2"
    with ana.engine.connect() as connection:
        assert next(one for one in typicals(connection) if one.name == "level").cells["device_high"] == "4.2"


def test_every_starter_typical_makes_a_point_without_trouble(ana: Desk) -> None:
    with ana.engine.connect() as connection:
        starters = typicals(connection)
    assert len(starters) >= 8
    for number, kind in enumerate(starters):
        _, rows = ana.make(count=1, typical=kind.name, cells={"tag": f"X-{number}"})
        assert rows.troubles == (), kind.name
        assert {n: ana.text(f"X-{number}", n) for n in kind.cells} == dict(kind.cells), "a text that is kept as typed"


def test_a_typical_renamed_is_renamed_at_its_points(ana: Desk) -> None:
    keep(ana, "level", LEVEL)
    ana.make(count=1, typical="level", cells={"tag": "LT-9001"})
    keep(ana, "level", LEVEL, becomes="tank level")
    assert ana.text("LT-9001", "typical") == "tank level"


@pytest.mark.parametrize(
    ("cells", "says"),
    [({"tag": "X"}, "belongs to one point"), ({"device_low": "much"}, "device low: “much” is not a number")],
)
def test_a_typical_holds_no_tag_and_nothing_unreadable(ana: Desk, cells: dict[str, str], says: str) -> None:
    with pytest.raises(TextError, match=says):
        keep(ana, "level", cells)
    with pytest.raises(LookupError, match="no typical"):
        change_typical(ana.engine, ana.cache, "none", None, (), "ana")


# Locks ---------------------------------------------------------------------------------------------


def lock(desk: Desk, tag: str, may_lift: str = "") -> None:
    with desk.engine.begin() as connection:
        set_lock(connection, desk.point(tag), desk.who, "loop test", may_lift)


def test_a_locked_row_is_changed_by_its_holder_alone(ana: Desk, ben: Desk) -> None:
    lock(ana, "PT-3107")
    refused = ben.edit("PT-3107", "value_high", "600")
    assert isinstance(refused, Planned)
    assert refused.refusals[0].says == "ana has locked this row: loop test"
    with pytest.raises(LockedError, match="ana has locked"):
        ben.remove("PT-3107")
    assert isinstance(ana.edit("PT-3107", "value_high", "600"), Applied)
    assert isinstance(ben.edit("PT-3108", "service", "draught"), Applied)


def test_undo_does_not_reach_into_a_locked_row(ana: Desk, ben: Desk) -> None:
    ben.edit("PT-3107", "service", "gas")
    lock(ana, "PT-3107")
    with pytest.raises(LockedError):
        undo(ben.engine, ben.cache, "ben")
    assert ana.text("PT-3107", "service") == "gas"


def test_a_lock_is_lifted_by_its_holder_by_who_it_names_and_by_administrators(ana: Desk, ben: Desk) -> None:
    with ana.engine.begin() as connection:
        accounts.add_account(connection, "ben", "technician")
    for who, administrator in (("ana", False), ("ben", False), ("eve", True)):
        lock(ana, "PT-3107", "ben")
        with ana.engine.begin() as connection, pytest.raises(LockedError):
            lift(connection, ana.point("PT-3107"), "eve", administrator=False)
        with ana.engine.begin() as connection:
            lift(connection, ana.point("PT-3107"), who, administrator=administrator)
            assert held(connection) == {}
    with ana.engine.connect() as connection:
        kept = connection.execute(select(t.row_lock.c.lifted_by).order_by(t.row_lock.c.id)).scalars().all()
    assert kept == ["ana", "ben", "eve"], "who lifted a lock stays on record"
    with ana.engine.begin() as connection, pytest.raises(LookupError, match="no account"):
        set_lock(connection, 1, "ana", "test", "nobody")


# Taking back ---------------------------------------------------------------------------------------


def test_a_cell_a_row_or_all_of_what_somebody_did_can_be_taken_back(ana: Desk, ben: Desk) -> None:
    a, b = ana.point("PT-3107"), ana.point("PT-3108")
    edits = (
        Edit(a, "service", ana.text("PT-3107", "service"), "one"),
        Edit(a, "area", "kiln 2", "two"),
        Edit(b, "service", ana.text("PT-3108", "service"), "three"),
        Edit(b, "area", "kiln 2", "four"),
    )
    done = apply(ana.engine, ana.cache, Proposal(edits, "pasted"), "ana")
    assert isinstance(done, Applied)
    revert(ben.engine, ben.cache, done.seq, "ben", a, "area")
    assert [ana.text("PT-3107", f) for f in ("service", "area")] == ["one", "kiln 2"]
    revert(ben.engine, ben.cache, done.seq, "ben", b)
    assert [ana.text("PT-3108", f) for f in ("service", "area")] == ["furnace draught", "kiln 2"]
    last = revert(ben.engine, ben.cache, done.seq, "ben")
    assert ana.text("PT-3107", "service") == "burner gas header pressure"
    assert len(last.kept) == 3, "what was taken back before is no longer what ana made it"
    with pytest.raises(NothingToUndo, match="nothing is left"):
        revert(ben.engine, ben.cache, done.seq, "ben")
    undo(ben.engine, ben.cache, "ben")
    assert ana.text("PT-3107", "service") == "one"
