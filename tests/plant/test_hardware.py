"""Changing the hardware: previewed, one change set, undone; points keep their channels by the module."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from sqlalchemy import select, text
from tests.building.database import Database
from tests.building.module_types import FOUR

from canaleta.catalogue.demo import generated
from canaleta.core.model.ambient import ambient_degc
from canaleta.core.model.image import PlantImage
from canaleta.plant.changes.apply import Applied, Edit, Proposal, apply
from canaleta.plant.changes.conventions import ConventionEdit, change_conventions
from canaleta.plant.changes.hardware import HardwareChange, change_hardware, preview_hardware
from canaleta.plant.changes.operations import HardwareError
from canaleta.plant.changes.seed import load_document
from canaleta.plant.changes.undo import NothingToUndo, redo, undo
from canaleta.plant.database import tables as t
from canaleta.plant.records.image_cache import ImageCache

KC2_RACK1 = list(range(1, 10))
PT_3107 = 1


class Bench:
    """Somebody at the cabinets."""

    def __init__(self, database: Database) -> None:
        self.engine = database.engine
        self.cache = ImageCache(self.engine)

    @property
    def image(self) -> PlantImage:
        return self.cache.current()

    def do(self, **operation: Any) -> HardwareChange:
        return change_hardware(self.engine, self.cache, [operation], "ana")[1]

    def look(self, **operation: Any) -> HardwareChange:
        with self.engine.connect() as connection:
            return preview_hardware(connection, self.image, [operation])

    def channel(self, point: int) -> str:
        return self.image.text("channel", self.image.row_of(point))

    def undo(self) -> None:
        undo(self.engine, self.cache, "ana")


@pytest.fixture
def ana(database: Database) -> Bench:
    return Bench(database)


def test_two_modules_change_places_and_every_address_follows(ana: Bench) -> None:
    """Before it is accepted each address is shown, afterwards no stale one is left."""
    order = [2, 1, *KC2_RACK1[2:]]
    shown = ana.look(do="order", rack=1, modules=order, was=KC2_RACK1)
    told = {r.point: (r.was, r.becomes) for r in shown.renumbered}
    assert told[PT_3107] == ("KC-2·1·2·1", "KC-2·1·1·1")
    assert ana.channel(PT_3107) == "KC-2·1·2·1", "a preview changes nothing"
    ana.do(do="order", rack=1, modules=order, was=KC2_RACK1)
    assert ana.channel(PT_3107) == "KC-2·1·1·1"
    assert ana.image.layout.first_registers[1] == 9, "the AI-8 before it has nine registers"
    fresh = ImageCache(ana.engine).current()
    assert fresh.layout == ana.image.layout, "the database holds what was shown"


def test_an_order_of_hardware_is_undone_and_done_again(ana: Bench) -> None:
    ana.do(do="order", rack=1, modules=KC2_RACK1[::-1], was=KC2_RACK1)
    turned = ana.channel(PT_3107)
    ana.undo()
    assert ana.channel(PT_3107) == "KC-2·1·2·1"
    redo(ana.engine, ana.cache, "ana")
    assert ana.channel(PT_3107) == turned


def test_a_passive_item_between_changes_no_address(ana: Bench) -> None:
    done = ana.do(do="add module", rack=1, type="spacer", place=1)
    assert done.renumbered == ()
    assert ana.channel(PT_3107) == "KC-2·1·2·1"


def test_a_module_that_goes_leaves_its_points_waiting_and_undo_lands_them_again(ana: Bench) -> None:
    shown = ana.look(do="remove module", module=2)
    assert shown.freed == (1, 2, 3, 4, 5)
    ana.do(do="remove module", module=2)
    assert ana.channel(PT_3107) == ""
    ana.undo()
    assert ana.channel(PT_3107) == "KC-2·1·2·1"
    assert ana.image.landed[ana.image.row_of(PT_3107)]
    assert ImageCache(ana.engine).current().text("channel", 0) == "KC-2·1·2·1"


def test_a_type_typed_in_from_a_manual_goes_into_a_rack_and_takes_a_point(ana: Bench) -> None:
    """12 mA is the middle of 800 … 4000 counts: 2400."""
    ana.do(do="put type", body=FOUR)
    ana.do(do="add module", rack=1, type="quad-9")
    module = max(ana.image.layout.modules)
    address = ana.image.layout.address(module, 3)
    assert address == "KC-2·1·10·4"
    edits = (
        Edit(PT_3107, "channel", "KC-2·1·2·1", address),
        Edit(PT_3107, "counts_low", "0", ""),
        Edit(PT_3107, "counts_high", "32000", ""),
    )
    apply(ana.engine, ana.cache, Proposal(edits), "ana")
    assert ana.channel(PT_3107) == address
    from canaleta.core.model.fields import Station
    from canaleta.core.path.evaluate import evaluate

    assert evaluate(ana.image, Station.LOOP, 12.0).at(Station.COUNTS)[0] == 2400


def test_a_type_in_use_is_changed_only_after_showing_which_values_move(ana: Bench) -> None:
    """20 mA becomes 30 000 instead of 32 000 counts, the scaling stays: 250.0 mbar at 12 mA reads 234.4."""
    body = ana.image.layout.types["ai8-ui"].model_dump(mode="json")
    body["modes"][0]["counts"]["high"] = 30000
    shown = ana.look(do="put type", body=body, replace=True)
    assert shown.preview is not None
    moved = {m.point: (m.was, m.becomes) for m in shown.preview.moved}
    assert moved[PT_3107] == ("250.0 mbar", "234.4 mbar")
    ana.do(do="put type", body=body, replace=True)
    ana.undo()
    assert ana.image.layout.types["ai8-ui"].modes[0].counts.high == 32000


def test_values_that_move_are_counted_whole_however_many_are_told(empty_database: Database) -> None:
    """Of 1,600 generated points 400 are on AI-8 modules, a quarter of each 32: all move, 200 are spelled out."""
    with empty_database.owner.begin() as connection:
        load_document(connection, generated(1600))
    bench = Bench(empty_database)
    body = bench.image.layout.types["ai8-ui"].model_dump(mode="json")
    body["modes"][0]["counts"]["high"] = 30000
    shown = bench.look(do="put type", body=body, replace=True)
    assert shown.preview is not None
    assert (shown.preview.moved_count, len(shown.preview.moved)) == (400, 200)


def test_points_follow_a_mode_that_is_only_called_otherwise(ana: Bench) -> None:
    body = ana.image.layout.types["ai8-ui"].model_dump(mode="json")
    body["modes"][0]["name"] = "current loop"
    codes = next(s["codes"] for s in body["settings"] if s["of"] == "mode")
    codes["current loop"] = codes.pop("4–20 mA")
    ana.do(do="put type", body=body, replace=True, renamed={"4–20 mA": "current loop"})
    assert ana.image.text("mode", 0) == "current loop"
    assert ana.image.mode[0] >= 0


def test_a_rack_without_points_comes_and_goes(ana: Bench) -> None:
    ana.do(do="add rack", cabinet=1, host="127.0.0.1", port=15999)
    rack = max(ana.image.layout.racks)
    assert ana.image.layout.racks[rack].name == "4", "the next one in this cabinet"
    ana.do(do="add module", rack=rack, type="ai4-iso")
    ana.do(do="remove rack", rack=rack)
    assert rack not in ana.image.layout.racks
    ana.do(do="add rack", cabinet=1)
    assert max(ana.image.layout.racks) == rack + 1, "a number that history speaks of is not given twice"


def test_a_cable_that_is_renamed_takes_its_points_along(ana: Bench) -> None:
    cable = ana.image.layout.cable_named["w-pt-3107"]
    ana.do(do="change cable", cable=cable.id, name="W-99", cores=4)
    assert ana.image.text("cable", 0) == "W-99"
    ana.undo()
    assert ana.image.text("cable", 0) == "W-PT-3107"


def test_an_unused_channel_is_marked_as_wired(ana: Bench) -> None:
    ana.do(do="wire", module=2, channel=7)
    assert ana.image.layout.modules[2].wired == (7,)
    ana.do(do="wire", module=2, channel=7, wired=False)
    assert ImageCache(ana.engine).current().layout.modules[2].wired == ()


def test_a_spare_is_switched_off_and_on_again(ana: Bench) -> None:
    ana.do(do="switch spare", module=2, channel=7)
    assert ImageCache(ana.engine).current().layout.modules[2].off == (7,)
    ana.undo()
    assert ana.image.layout.modules[2].off == ()


def test_a_cabinet_says_how_warm_it_is_and_its_points_follow(ana: Bench) -> None:
    layout = ana.image.layout
    cabinet = next(iter(layout.cabinets))
    change = {"do": "change", "what": "cabinet", "id": cabinet, "field": "ambient_degc"}
    ana.do(**change, was="", text="41,5 °C")
    image = ImageCache(ana.engine).current()
    assert image.layout.cabinets[cabinet].ambient_degc == 41.5
    there = [
        r
        for r in range(len(image))
        if image.landed[r] and layout.racks[layout.modules[int(image.module[r])].rack].cabinet == cabinet
    ]
    assert set(ambient_degc(image, np.array(there)).tolist()) == {41.5}
    with pytest.raises(HardwareError, match="somebody changed it"):
        ana.do(**change, was="", text="30")
    with pytest.raises(HardwareError, match="between -60 and 120 °C"):
        ana.do(**change, was="41.5", text="300")
    with pytest.raises(HardwareError, match="is no temperature"):
        ana.do(**change, was="41.5", text="warm")
    ana.do(**change, was="41.5", text="")
    assert ana.image.layout.cabinets[cabinet].ambient_degc is None


@pytest.mark.parametrize(
    ("operation", "says", "conflict"),
    [
        ({"do": "put in order", "rack": 1, "order": []}, "not something that can be done", False),
        ({"do": "order", "rack": 1, "modules": [1, 2], "was": [2, 1]}, "changed the order", True),
        ({"do": "order", "rack": 1, "modules": [1, 1], "was": KC2_RACK1}, "each module of the rack once", True),
        ({"do": "add module", "rack": 1, "type": "none such"}, "no module type", False),
        ({"do": "add rack", "cabinet": 99}, "no longer there", True),
        ({"do": "add rack", "cabinet": 1, "name": "1"}, "two racks of KC-2 are called 1", False),
        ({"do": "add cabinet", "name": "kc-2"}, "two cabinets", False),
        ({"do": "add cabinet", "name": "A\x00B"}, "cannot be printed", False),
        ({"do": "change", "what": "rack", "id": 1, "field": "port", "text": "99999"}, "1 to 65535", False),
        ({"do": "change", "what": "rack", "id": 1, "field": "name", "was": "7", "text": "8"}, "meanwhile", True),
        ({"do": "forget type", "type": "ai8-ui"}, "stands in a rack", False),
        ({"do": "put type", "body": FOUR | {"modes": []}}, "works in one way", False),
        ({"do": "put type", "body": FOUR | {"key": "ai8-ui"}}, "already", False),
        ({"do": "remove cable", "cable": 1}, "run through", False),
        ({"do": "add cable", "cores": "0"}, "1 to 200 cores", False),
    ],
)
def test_what_cannot_be_done_says_why_and_changes_nothing(
    ana: Bench, operation: dict[str, Any], says: str, conflict: bool
) -> None:
    before = ana.image
    with pytest.raises(HardwareError, match=says) as refused:
        ana.do(**operation)
    assert refused.value.conflict is conflict
    assert ana.image.seq == before.seq


def test_history_names_what_became_of_each_record(ana: Bench) -> None:
    ana.do(do="change", what="rack", id=1, field="period_ms", was="1000", text="500")
    with ana.engine.connect() as connection:
        row = connection.execute(select(t.change).order_by(t.change.c.seq.desc())).first()
    assert row is not None
    assert (row.entity, row.entity_id, row.fields) == ("rack", 1, {"period_ms": [1000, 500]})


def test_what_somebody_changed_since_stays_when_it_is_undone(ana: Bench) -> None:
    ana.do(do="change", what="rack", id=1, field="period_ms", was="1000", text="500")
    change_hardware(
        ana.engine,
        ana.cache,
        [{"do": "change", "what": "rack", "id": 1, "field": "period_ms", "text": "250"}],
        "ben",
    )
    ana.undo()
    assert ana.image.layout.racks[1].period_ms == 250


# What one undoes stands among what others did since ----------------------------------------------------------


def by_ben(ana: Bench, **operation: Any) -> None:
    change_hardware(ana.engine, ImageCache(ana.engine), [operation], "ben")


def moved_by_ben(ana: Bench, point: int, address: str) -> None:
    edit = Edit(point, "channel", ana.channel(point), address)
    assert isinstance(apply(ana.engine, ImageCache(ana.engine), Proposal((edit,)), "ben"), Applied)


def test_a_module_that_somebody_landed_on_stays_when_its_adding_is_undone(ana: Bench) -> None:
    ana.do(do="put type", body=FOUR)
    ana.do(do="add module", rack=1, type="quad-9")
    module = max(ana.image.layout.modules)
    moved_by_ben(ana, PT_3107, ana.image.layout.address(module, 0))
    done = undo(ana.engine, ana.cache, "ana")
    assert (0, "module") in done.kept
    assert module in ana.image.layout.modules
    assert ana.channel(PT_3107) == "KC-2·1·10·1", "nobody loses a landing by another one's undo"
    done = undo(ana.engine, ana.cache, "ana")
    assert (0, "module type") in done.kept, "and the type stays that the module is made of"


def test_a_rack_that_somebody_filled_stays_when_its_adding_is_undone(ana: Bench) -> None:
    ana.do(do="add rack", cabinet=1, host="127.0.0.1", port=15999)
    rack = max(ana.image.layout.racks)
    by_ben(ana, do="add module", rack=rack, type="ai4-iso")
    done = undo(ana.engine, ana.cache, "ana")
    assert (0, "rack") in done.kept
    assert rack in ImageCache(ana.engine).current().layout.racks


def test_a_module_does_not_come_back_into_a_rack_that_is_gone(ana: Bench) -> None:
    ana.do(do="add rack", cabinet=1, host="127.0.0.1", port=15999)
    rack = max(ana.image.layout.racks)
    ana.do(do="add module", rack=rack, type="ai4-iso")
    module = max(ana.image.layout.modules)
    ana.do(do="remove module", module=module)
    by_ben(ana, do="remove rack", rack=rack)
    done = undo(ana.engine, ana.cache, "ana")
    assert (0, "module") in done.kept
    assert module not in ana.image.layout.modules


def test_a_module_comes_back_to_its_place_beside_one_that_was_added_since(ana: Bench) -> None:
    """The third of nine goes, the others move up, Ben puts a tenth at the end: all ten stand there after the undo."""
    ana.do(do="remove module", module=3)
    by_ben(ana, do="add module", rack=1, type="spacer")
    ana.undo()
    standing = ImageCache(ana.engine).current().layout.modules_of(1)
    assert [m.place for m in standing] == list(range(1, 11))
    assert [m.id for m in standing][:9] == KC2_RACK1
    assert ana.image.text("channel", ana.image.row_of(6)) == "KC-2·1·3·1"


def test_a_point_does_not_go_back_to_a_module_that_is_gone(ana: Bench) -> None:
    """Ana moves a point away, Ben takes the module out, Ana undoes: the point stays where it is, and is named."""
    edit = Edit(PT_3107, "channel", ana.channel(PT_3107), "KC-1·1·2·8")
    assert isinstance(apply(ana.engine, ana.cache, Proposal((edit,)), "ana"), Applied)
    by_ben(ana, do="remove module", module=2)
    done = undo(ana.engine, ana.cache, "ana")
    assert (PT_3107, "channel") in done.kept
    assert ana.channel(PT_3107) == "KC-1·1·2·8"
    assert ana.image.landed[ana.image.row_of(PT_3107)]


def test_a_name_that_was_given_away_since_stops_the_undo_and_nothing_changes(ana: Bench) -> None:
    ana.do(do="change", what="rack", id=1, field="name", was="1", text="9")
    by_ben(ana, do="change", what="rack", id=2, field="name", was="2", text="1")
    seq = ImageCache(ana.engine).current().seq
    with pytest.raises(NothingToUndo, match="two racks of KC-2 are called 1"):
        ana.undo()
    assert ImageCache(ana.engine).current().seq == seq


# Where a rack may be ------------------------------------------------------------------------------------------


@pytest.mark.parametrize("host", ["169.254.1.1", "8.8.8.8", "::ffff:169.254.1.1", "0.0.0.0", "fe80::1"])
def test_a_rack_is_looked_for_only_where_it_is_allowed(ana: Bench, host: str) -> None:
    for operation in (
        {"do": "add rack", "cabinet": 1, "host": host},
        {"do": "change", "what": "rack", "id": 1, "field": "host", "text": host},
    ):
        with pytest.raises(HardwareError, match="outside the networks") as refused:
            ana.do(**operation)
        assert refused.value.forbidden


def test_an_address_that_comes_from_the_plants_rule_is_weighed_like_a_typed_one(ana: Bench) -> None:
    rule = ConventionEdit("address_rule", "", "10.9.{cabinet}.{rack}")
    change_conventions(ana.engine, ana.cache, [rule], "ana")
    with pytest.raises(HardwareError, match=r"10\.9\.2\.4:502 is outside"):
        ana.do(do="add rack", cabinet=1)


def test_no_rack_is_looked_for_at_the_database(ana: Bench) -> None:
    port = ana.engine.url.port
    with pytest.raises(HardwareError, match="is the database"):
        ana.do(do="add rack", cabinet=1, host="127.0.0.1", port=port)


def test_a_further_stand_in_listens_behind_the_last(ana: Bench) -> None:
    """The demo plant's last is on 15051; 502 would need a right that no stand-in has."""
    ana.do(do="add rack", cabinet=1, stand_in=True)
    assert ana.image.layout.racks[max(ana.image.layout.racks)].port == 15052


def test_a_type_that_an_earlier_version_changed_is_turned_back(ana: Bench, database: Database) -> None:
    """Version 0.1 wrote own_number for the identification code, in history as well."""
    kind = ana.image.layout.types["ai8-ui"]
    body = kind.model_dump(mode="json")
    ana.do(do="put type", body=body | {"title": "AI8 of the annex"}, replace=True)
    older = "update change set fields = replace(fields::text, 'ident_code', 'own_number')::jsonb where entity like 'module type %'"
    with database.owner.begin() as connection:
        # History never changes: that it was written by another version takes its guard off for once.
        connection.execute(text("alter table change disable trigger user"))
        assert connection.execute(text(older)).rowcount == 1
        connection.execute(text("alter table change enable trigger user"))
    ana.undo()
    assert ana.image.layout.types["ai8-ui"] == kind
