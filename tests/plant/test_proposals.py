"""Changes: proposed, previewed, applied as one set, undone; one writer at a time; history never changes."""

from __future__ import annotations

import random
import threading

import pytest
from sqlalchemy import func, select, text
from sqlalchemy.exc import DBAPIError
from tests.building.database import Database
from tests.building.desks import Desk

from canaleta.core.rules import audit
from canaleta.plant.changes.apply import Edit, Planned, Proposal, plan, preview
from canaleta.plant.changes.change_set import ChangeSet
from canaleta.plant.changes.undo import NothingToUndo, redo, undo
from canaleta.plant.database import tables as t
from canaleta.plant.records.findings import stored_findings, to_body
from canaleta.plant.records.image_cache import ImageCache

PT_3107, PT_3108, FT_3110 = 1, 2, 3
LEFT_ALIGNED = [f"R10:{point}" for point in range(186, 192)]
"""Six loops on an input that stops at 4 mA, where a broken wire looks like the bottom of the range."""
MEANT = [
    *LEFT_ALIGNED,
    "R11:2:value",
    "R18:11",
    "R19:14",
    "R22:13",
    "R23:16",
    "R43:12",
    "R44:24",
]
"""What is wrong on purpose beside PT-3107: a scaling upside down, a debounce of 20 ms read each second, two wires
with the jumper at the input, no open-circuit action, a loop too long, the wrong extension wire, a two-wire sensor on
type 1."""


def test_the_demo_plant_is_wrong_where_it_is_meant_to_be(ana: Desk) -> None:
    assert ana.findings() == ["R07:1", *MEANT]
    with ana.engine.connect() as connection:
        of_plant = [body["key"] for body in stored_findings(connection) if not body["cells"]]
    assert of_plant == ["R25:GL-1:TI", "R25:KC-1:TI", "R25:KC-2:PI", "R25:SD-1:PI", "R25:SD-1:TI"]


def test_an_edit_is_one_change_set_with_who_was_and_becomes(ana: Desk) -> None:
    done = ana.edit((PT_3107, "value_high", "600"))
    assert ana.text(PT_3107, "value_high") == "600"
    assert done.preview.closed == ("R07:1",)
    assert ana.findings() == MEANT
    with ana.engine.connect() as connection:
        row = connection.execute(select(t.change.c.fields).where(t.change.c.seq == done.seq)).scalar_one()
        assert row == {"value_high": ["500", "600"]}
        assert connection.execute(select(t.change_set.c.who)).scalar_one() == "ana"


def test_a_preview_says_what_moves_and_writes_nothing(ana: Desk) -> None:
    image = ana.cache.current()
    planned = plan(image, Proposal((Edit(PT_3107, "value_high", "500", "600"),)))
    with ana.engine.connect() as connection:
        shown = preview(connection, image, ChangeSet(planned.changes))
    assert [(m.at, m.was, m.becomes) for m in shown.moved] == [("12 mA", "250.0 mbar", "300.0 mbar")]
    assert shown.closed == ("R07:1",)
    assert ana.text(PT_3107, "value_high") == "500"
    assert ana.cache.current().seq == 0


def test_a_preview_of_an_element_is_told_in_the_middle_of_its_range(ana: Desk) -> None:
    """A Ni120 of 0 to 200 °C, at 100 °C: half of its ohms would be no temperature of it. 1.6 Ω of lead read as some two
    degrees where a degree is 0.8 Ω."""
    image = ana.cache.current()
    row = next(r for r in range(len(image)) if image.text("tag", r) == "TE-4102")
    planned = plan(image, Proposal((Edit(int(image.ids[row]), "jumper", "at the input", "at the head"),)))
    with ana.engine.connect() as connection:
        (moved,) = preview(connection, image, ChangeSet(planned.changes)).moved
    assert moved.becomes == "100.0 °C"
    assert 101.5 < float(moved.was.split()[0]) < 102.5


def test_one_unreadable_cell_stops_the_whole_set(ana: Desk) -> None:
    done = ana.propose((PT_3107, "value_high", "600"), (PT_3108, "device_low", "minus fifty"))
    assert isinstance(done, Planned)
    assert [r.edit.field for r in done.refusals] == ["device_low"]
    assert "minus fifty" in done.refusals[0].says
    assert ana.text(PT_3107, "value_high") == "500"


def test_typing_what_stands_there_already_changes_nothing(ana: Desk) -> None:
    assert ana.edit((PT_3107, "value_high", "500")).seq == 0
    assert ana.edit((PT_3107, "value_high", "500.0")).seq == 1, "other decimals are another number to keep"
    assert ana.text(PT_3107, "value_high") == "500.0"


def test_the_second_of_two_hands_on_one_cell_sees_both(ana: Desk, database: Database) -> None:
    ben = Desk(database, "ben")
    ana.edit((PT_3107, "value_high", "600"))
    done = ben.propose((PT_3107, "value_high", "650"), was="500")
    assert isinstance(done, Planned)
    (conflict,) = done.conflicts
    assert (conflict.theirs, conflict.by) == ("600", "ana")
    assert ben.text(PT_3107, "value_high") == "600"


def test_two_hands_on_two_cells_of_a_row_both_keep_their_work(ana: Desk, database: Database) -> None:
    ben = Desk(database, "ben")
    ben.cache.current()
    ana.edit((PT_3107, "value_high", "600"))
    ben.edit((PT_3107, "service", "gas header"))
    assert (ana.text(PT_3107, "value_high"), ana.text(PT_3107, "service")) == ("600", "gas header")


def test_undo_and_redo_of_ones_own_also_after_a_reload(ana: Desk, database: Database) -> None:
    ana.edit((PT_3107, "value_high", "600"))
    ana.edit((PT_3107, "device_low", "-1…1 bar"))
    again = Desk(database)
    assert {c[1] for c in undo(again.engine, again.cache, "ana").preview.cells} == {
        "device_low",
        "device_high",
        "device_unit",
    }
    undo(again.engine, again.cache, "ana")
    assert [again.text(PT_3107, f) for f in ("value_high", "device_low", "device_high", "device_unit")] == [
        "500",
        "0",
        "600",
        "mbar",
    ]
    with pytest.raises(NothingToUndo):
        undo(again.engine, again.cache, "ana")
    redo(again.engine, again.cache, "ana")
    assert again.text(PT_3107, "value_high") == "600"
    undo(again.engine, again.cache, "ana")
    redo(again.engine, again.cache, "ana")
    redo(again.engine, again.cache, "ana")
    assert again.text(PT_3107, "device_high") == "1"


def test_a_new_edit_after_undo_leaves_nothing_to_redo(ana: Desk) -> None:
    ana.edit((PT_3107, "value_high", "600"))
    undo(ana.engine, ana.cache, "ana")
    ana.edit((PT_3107, "value_high", "700"))
    with pytest.raises(NothingToUndo):
        redo(ana.engine, ana.cache, "ana")


def test_undo_leaves_what_others_changed_since_and_names_it(ana: Desk, database: Database) -> None:
    ben = Desk(database, "ben")
    ana.edit((PT_3107, "value_high", "600"), (PT_3107, "service", "gas"))
    ben.edit((PT_3107, "value_high", "610"))
    done = undo(ana.engine, ana.cache, "ana")
    assert done.kept == ((PT_3107, "value_high"),)
    assert (ana.text(PT_3107, "value_high"), ana.text(PT_3107, "service")) == ("610", "burner gas header pressure")


def test_undo_is_of_ones_own_work_only(ana: Desk, database: Database) -> None:
    ana.edit((PT_3107, "value_high", "600"))
    ben = Desk(database, "ben")
    with pytest.raises(NothingToUndo):
        undo(ben.engine, ben.cache, "ben")


def test_a_second_claim_is_a_wish_until_the_channel_is_free(ana: Desk) -> None:
    channel = ana.text(PT_3107, "channel")
    ana.edit((PT_3108, "channel", channel))
    assert "R02:2:0" in ana.findings()
    image = ana.cache.current()
    assert image.landed[image.row_of(PT_3107)]
    assert not image.landed[image.row_of(PT_3108)]
    ana.edit((PT_3107, "channel", ""))
    image = ana.cache.current()
    assert image.landed[image.row_of(PT_3108)], "the wish takes the channel that became free"
    assert "R02:2:0" not in ana.findings()
    undo(ana.engine, ana.cache, "ana")
    image = ana.cache.current()
    assert image.landed[image.row_of(PT_3107)], "undo gives the channel back to the one that held it"


def test_two_points_can_swap_their_channels_in_one_set(ana: Desk) -> None:
    a, b = ana.text(PT_3107, "channel"), ana.text(PT_3108, "channel")
    ana.edit((PT_3107, "channel", b), (PT_3108, "channel", a))
    assert (ana.text(PT_3107, "channel"), ana.text(PT_3108, "channel")) == (b, a)
    image = ana.cache.current()
    assert image.landed[image.filled("channel")].all()


def test_another_process_catches_up_from_the_change_log(ana: Desk, database: Database) -> None:
    other = ImageCache(database.engine)
    before = other.current()
    ana.edit((FT_3110, "value_high", "7000"))
    after = other.current()
    assert after.text("value_high", after.row_of(FT_3110)) == "7000"
    assert after.layout is before.layout, "only what changed was read again"


def test_history_cannot_be_changed_by_anybody(ana: Desk, database: Database) -> None:
    ana.edit((PT_3107, "value_high", "600"))
    for engine in (database.engine, database.owner):
        for statement in ("update change set entity = 'x'", "delete from change_set", "truncate change"):
            with pytest.raises(DBAPIError, match=r"denied|only grows|permission"), engine.begin() as connection:
                connection.execute(text(statement))


def test_two_writers_at_once_lose_nothing(ana: Desk, database: Database) -> None:
    desks = [Desk(database, f"hand{i}") for i in range(4)]

    def work(desk: Desk, point: int) -> None:
        for number in range(5):
            desk.edit((point, "service", f"{desk.who} {number}"))

    threads = [threading.Thread(target=work, args=(desk, point)) for point, desk in enumerate(desks, start=1)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert [ana.text(p, "service") for p in (1, 2, 3, 4)] == [f"hand{i} 4" for i in range(4)]
    with database.engine.connect() as connection:
        seqs = connection.execute(select(t.change_set.c.seq).order_by(t.change_set.c.seq)).scalars().all()
        assert seqs == list(range(1, 21))


CHOICES = {
    "tag": ["PT-3107", "PT-3108", "X-1", "x-1"],
    "signal": ["4–20 mA", "0–10 V", "TC K", "contact NO"],
    "device_low": ["0", "-50", ""],
    "device_high": ["600", "100", "0", ""],
    "value_low": ["0", "50", ""],
    "value_high": ["500", "600", "0"],
    "acting": ["direct", "reverse", ""],
    "channel": ["KC-2·1·2·1", "KC-2·1·2·2", "KC-2·1·3·1", ""],
    "device_unit": ["mbar", "Pa", "°C"],
}


@pytest.mark.parametrize("seed", range(4))
def test_after_random_edits_stored_findings_equal_a_full_audit(ana: Desk, seed: int) -> None:
    chance = random.Random(seed)
    for _ in range(25):
        edits = []
        for _ in range(chance.randint(1, 3)):
            field = chance.choice(list(CHOICES))
            edits.append((chance.randint(1, 8), field, chance.choice(CHOICES[field])))
        ana.propose(*edits)
        if chance.random() < 0.2:
            try:
                undo(ana.engine, ana.cache, "ana")
            except NothingToUndo:
                continue
    image = ana.cache.current()
    fresh = ImageCache(ana.engine).current()
    assert all((image.cells[f] == fresh.cells[f]).all() for f in image.cells)
    with ana.engine.connect() as connection:
        stored = {body["key"]: body for body in stored_findings(connection)}
        assert connection.execute(select(func.count()).select_from(t.point)).scalar_one() == 286
    assert stored == {f.key: to_body(f) for f in audit(image)}
